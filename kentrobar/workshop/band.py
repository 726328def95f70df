"""What a plan of a set aims at: where the other frames lie says where this one may.

A set judged by how far its frames lie apart has one truth: two frames may differ by so much. The
board, the job and what is left to do ask it here; the target its plan was made with only said where
to begin.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any

from kentrobar.core.frame.predict import Measured, predict
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import FIGURES, READ, figure
from kentrobar.core.recipes.brief import Goal, plain_body
from kentrobar.frames.figures import Figures
from kentrobar.frames.fitted import brought
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.asked import of_targets
from kentrobar.recipes.models import Match

LEAST_TOL = 1e-6
SEEN = 0.005
"""Half the last digit a difference is told with: nothing is out by less than is seen."""


def targets_of(plan: Plan) -> dict[str, Goal]:
    """What a plan aims at; of a set judged by how far frames lie apart, whatever leaves this one
    near enough to all others as they are read, or are predicted where they were not read yet."""
    state = plan.state()
    own = of_targets(state.targets)
    match = Match.objects.filter(pk=state.of_set or 0, removed_at=None).first()
    if match is None or match.content.get("judged", "distance") != "spread":
        return own
    allowed: Mapping[str, float] = match.content.get("tolerances", {})
    others = [one for one in match.at_hand() if one.pk != plan.frame_id]
    there: dict[float, list[dict[str, float]]] = {}
    aims = dict(own)
    for name, goal in own.items():
        if name not in allowed or goal.value is None:
            continue
        axis = state.measured.axis_mm if goal.axis_mm is None else goal.axis_mm
        if axis not in there:
            there[axis] = [now_of(one, match.pk, axis) for one in others]
        aims[name] = _band(goal, allowed[name], [one[name] for one in there[axis] if name in one])
    return aims


def _band(goal: Goal, allowed: float, others: Sequence[float]) -> Goal:
    """A goal that lies within ``allowed`` of all others; as it was where there are none, or they
    are too far apart by themselves."""
    low = max(others, default=math.inf) - allowed
    high = min(others, default=-math.inf) + allowed
    if low > high:
        return goal
    tol = max((high - low) / 2, LEAST_TOL)
    return Goal(value=(low + high) / 2, tol=tol, axis_mm=goal.axis_mm)


def now_of(frame: Frame, set_pk: int, axis_mm: float) -> dict[str, float]:
    """A frame of a set: as it was read after its plan was signed off, else as that predicts it,
    else as it is."""
    plan = next((one for one in _plans(frame) if one.state().of_set == set_pk), None)
    if plan is None:
        figures = next(iter(frame.figures()), None)
        return as_read(brought(frame, figures), axis_mm) if figures else {}
    state = plan.state()
    found = predicted_of(plan, axis_mm)
    signed_at = plan.sheet.signed_off_at if hasattr(plan, "sheet") and plan.sheet.is_on else None
    return found | (read_since(frame, state.condition, signed_at, axis_mm) if signed_at else {})


def _plans(frame: Frame) -> list[Plan]:
    there = (one for one in frame.plans.all() if one.removed_at is None)
    return sorted(there, key=lambda one: one.created_at, reverse=True)


def predicted_of(plan: Plan, axis_mm: float) -> dict[str, Any]:
    """What a plan comes to, of the figures that were read before."""
    measured = plan.state().measured
    after = predict(plan.to_plan()).after
    return _figures(after, axis_mm, measured)


def before_of(measured: Measured, axis_mm: float) -> dict[str, float]:
    """A frame as its plan took it, of the figures that were read."""
    return {
        name: nominal(one)
        for name, one in _figures(plain_body(measured), axis_mm, measured).items()
    }


def _figures(body: Body, axis_mm: float, measured: Measured) -> dict[str, Any]:
    return {
        name: figure(name, body, axis_mm)
        for name in READ
        if name not in measured.assumed
        and (name != "twist_kgcm2" or measured.twist_kgcm2 is not None)
    }


def as_read(figures: Figures, axis_mm: float) -> dict[str, float]:
    """Figures as they were read; a swing weight about another axis where mass and balance are
    known."""
    if figures.is_complete:
        return before_of(figures.measured(), axis_mm)
    is_about = figures.axis_mm in (None, axis_mm)
    return {
        name: nominal(one)
        for name, one in figures.values.items()
        if name in FIGURES and (name != "swing_kgcm2" or is_about)
    }


def read_since(frame: Frame, condition: str, since: Any, axis_mm: float) -> dict[str, float]:
    """The figures that were read since a moment."""
    found = frame.figures_in(condition)
    told = as_read(found, axis_mm)
    return {
        name: value for name, value in told.items() if found.found[name].reading.read_at >= since
    }
