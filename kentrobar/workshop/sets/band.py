"""What a plan of a set aims at: where the other frames lie says where this one may.

A set judged by how far its frames lie apart has one truth: two frames may differ by so much. The
page, the job and what is left to do ask it here; the target its plan was made with only said where
to begin.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from kentrobar.core.frame.predict import Measured, predict
from kentrobar.core.frame.targets import Target
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import FIGURES, NEEDED, READ, figure
from kentrobar.core.recipes.brief import Goal, plain_body
from kentrobar.frames.above import SetTargets
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
    own = of_targets(plan.state().targets)
    match = _judged_by_spread(plan)
    return own if match is None else own | _bands(plan, match)


def set_targets(plan: Plan) -> SetTargets:
    """What the set of a plan decides, of the figures a plan can have a target for."""
    match = _judged_by_spread(plan)
    if match is None:
        return SetTargets()
    targets = {
        name: Target(goal.value, goal.tol, goal.axis_mm)
        for name, goal in _bands(plan, match).items()
        if name in READ and goal.value is not None
    }
    return SetTargets(match.get_absolute_url(), targets)


def _judged_by_spread(plan: Plan) -> Match | None:
    match = Match.objects.filter(pk=plan.state().of_set or 0, removed_at=None).first()
    if match is None or match.content.get("judged", "distance") != "spread":
        return None
    return match


def _bands(plan: Plan, match: Match) -> dict[str, Goal]:
    """What leaves a plan's frame near enough to all others, of each figure with a tolerance."""
    state = plan.state()
    allowed: Mapping[str, float] = match.content.get("tolerances", {})
    others = [one for one in match.at_hand() if one.pk != plan.frame_id]
    swing = state.targets.swing_kgcm2
    axis = state.measured.axis_mm if swing is None else swing.about(state.measured.axis_mm)
    there = [now_of(one, match.pk, axis) for one in others]
    found = {}
    for name, tol in allowed.items():
        band = _band(tol, [one[name] for one in there if name in one])
        if band is not None:
            found[name] = replace(band, axis_mm=axis if name == "swing_kgcm2" else None)
    return found


def _band(allowed: float, others: Sequence[float]) -> Goal | None:
    """A goal that lies within ``allowed`` of all others; None where there are none, or they are too
    far apart by themselves."""
    low = max(others, default=math.inf) - allowed
    high = min(others, default=-math.inf) + allowed
    if low > high:
        return None
    return Goal(value=(low + high) / 2, tol=max((high - low) / 2, LEAST_TOL))


def now_of(frame: Frame, set_pk: int, axis_mm: float) -> dict[str, float]:
    """A frame of a set: as it was read after its plan was signed off, else as that predicts it,
    else as it is."""
    plan = that_counts([one for one in plans_here(frame) if one.state().of_set == set_pk])
    if plan is None:
        figures = next(iter(frame.figures()), None)
        return as_read(brought(frame, figures), axis_mm) if figures else {}
    state = plan.state()
    found = {name: nominal(one) for name, one in predicted_of(plan, axis_mm).items()}
    signed_at = plan.sheet.signed_off_at if is_fitted(plan) else None
    return found | (read_since(frame, state.condition, signed_at, axis_mm) if signed_at else {})


def plans_here(frame: Frame) -> list[Plan]:
    """Its plans that were not removed, the newest first."""
    there = (one for one in frame.plans.all() if one.removed_at is None)
    return sorted(there, key=lambda one: one.created_at, reverse=True)


def that_counts(plans: Sequence[Plan]) -> Plan | None:
    """Of plans, the newest first, what was signed off before what has pieces, and that before the
    rest."""
    signed = [one for one in plans if is_fitted(one)]
    laid = [one for one in plans if one.part("pieces")]
    return next(iter([*signed, *laid, *plans]), None)


def is_fitted(plan: Plan | None) -> bool:
    """Whether what was planned is on the frame for good: nothing is tried any more then."""
    return plan is not None and hasattr(plan, "sheet") and plan.sheet.is_on


def predicted_of(plan: Plan, axis_mm: float) -> dict[str, Any]:
    """What a plan comes to, of the figures that were read before."""
    measured = plan.state().measured
    after = predict(plan.to_plan()).after
    return figures_of(after, axis_mm, measured)


def before_of(measured: Measured, axis_mm: float) -> dict[str, float]:
    """A frame as its plan took it, of the figures that were read."""
    found = figures_of(plain_body(measured), axis_mm, measured)
    return {name: nominal(one) for name, one in found.items()}


def figures_of(body: Body, axis_mm: float, measured: Measured) -> dict[str, Any]:
    """The figures of a body that are known by what was measured."""
    unread = set(measured.assumed)
    if measured.twist_kgcm2 is None:
        unread.add("twist_kgcm2")
    if unread & set(NEEDED):
        unread.add("recoil_kgcm2")
    return {
        name: figure(name, body, axis_mm) for name in (*READ, "recoil_kgcm2") if name not in unread
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
    fresh = {name for name, one in found.found.items() if one.reading.read_at >= since}
    if set(NEEDED) <= fresh:
        fresh.add("recoil_kgcm2")
    return {name: value for name, value in told.items() if name in fresh}
