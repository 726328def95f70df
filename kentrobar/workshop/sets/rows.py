"""A row for every frame of a set: as it is, with its recipe, as planned, and as read after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from django import forms

from kentrobar.core.frame.predict import LadenFrame, Prediction, predict
from kentrobar.core.frame.targets import Target
from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.recipes.frame_set import MATCHED
from kentrobar.core.words.amounts import Amount, change_of
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes import sets
from kentrobar.recipes import shown as showing
from kentrobar.recipes.kept import KeptMatch, KeptMember
from kentrobar.recipes.models import Match
from kentrobar.recipes.sets import AskedSet, MatchFrame

from ..figure_boxes import FigureBoxes
from ..models import Job
from .band import (
    SEEN,
    as_read,
    before_of,
    figures_of,
    is_fitted,
    plans_here,
    read_since,
    targets_of,
    that_counts,
)

Stage = Literal["as-it-is", "recipe", "planned", "fitted"]


class AfterBoxes(FigureBoxes):
    """The figures of one frame of the set, read after."""

    def __init__(self, *args: Any, frame: Frame, condition: str, **kwargs: Any) -> None:
        super().__init__(*args, prefix=f"after-{frame.pk}", **kwargs)
        self.frame, self.condition = frame, condition
        for box in self.fields.values():
            box.widget.attrs["form"] = "read-after"

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        self.given = self.read_given(self.frame, cleaned)
        if self.given and not self.errors:
            known = {one.condition: one for one in self.frame.figures()}.get(self.condition)
            confirmed = bool(cleaned.get("confirm"))
            self.judge_given(self.frame, self.given, self.condition, known, confirmed)
        return cleaned


@dataclass(frozen=True, slots=True)
class ReadCell:
    """One figure of a frame as read after: ``text`` and how far ``off`` it is, '' where it was not
    read or is inside."""

    name: str
    label: str
    text: str
    off: str
    box: forms.BoundField


@dataclass(slots=True)
class Row:
    """One frame of a set.

    Attributes:
        before, predicted, read: figures about the page's axis, those that are known.
        targets: what it aims at; nothing until something was found or planned.
        prediction: how it hangs under the ruler; None where it was not read enough.
        is_out: whether its recipe ends outside.
    """

    frame: Frame
    name: str
    stage: Stage
    condition: str
    before: Mapping[str, float]
    predicted: Mapping[str, Number] = field(default_factory=dict)
    read: Mapping[str, float] = field(default_factory=dict)
    targets: Mapping[str, Target] = field(default_factory=dict)
    prediction: Prediction | None = None
    pieces: Sequence[Piece] = ()
    plan: Plan | None = None
    is_out: bool = False
    is_followed: bool = False
    is_left: bool = False
    is_accepted: bool = False
    lane: int | None = None
    form: AfterBoxes | None = None
    shown: Sequence[tuple[showing.TargetVial | None, str]] = ()
    """(vial, else the figure as it is) of each column."""

    @property
    def after(self) -> Mapping[str, Any]:
        """How it stands: as read after, else as predicted."""
        return {**self.predicted, **self.read}

    @property
    def is_right(self) -> bool:
        """Whether nothing had to go on it."""
        return not self.pieces

    @property
    def added(self) -> str:
        return change_of("mass_g", sum(one.mass_g for one in self.pieces)).number()

    @property
    def lines(self) -> list[showing.PieceLine]:
        outline = self.frame.outline()
        return [showing.line(i, piece, outline) for i, piece in enumerate(self.pieces, 1)]

    def off(self, name: str) -> float | None:
        """How far a figure that was read after lies outside its target, with its side; None where
        it lies inside, or was not read."""
        target, read = self.targets.get(name), self.read.get(name)
        if target is None or read is None:
            return None
        off = read - target.value
        return off if abs(off) > target.tol + SEEN else None

    @property
    def is_missed(self) -> bool:
        """Whether a figure that was read after is outside its target, and nobody took it so."""
        return not self.is_accepted and any(self.off(name) is not None for name in self.read)

    @property
    def vials(self) -> dict[str, showing.TargetVial]:
        """A vial for every figure that is aimed at, as read after where it was read."""
        if self.prediction is None:
            return {}
        outline = self.frame.outline()
        found = {}
        for name, target in self.targets.items():
            if name not in self.after:
                continue
            value = self.after[name]
            found[name] = showing.vial_of(
                name, nominal(value) - target.value, uncertainty(value), target, outline,
                self.prediction.before, target.axis_mm or 0.0,
            )  # fmt: skip
        return found

    def told(self, values: Mapping[str, Any], name: str) -> str:
        if name not in values:
            return ""
        return Amount(name, nominal(values[name]), length_mm=self.frame.length_mm).number()

    def show(self, names: Sequence[str]) -> None:
        """Fill its columns, one a figure."""
        vials = self.vials
        self.shown = [
            (vials.get(name), self.told(self.after or self.before, name)) for name in names
        ]  # fmt: skip

    @property
    def read_cells(self) -> list[ReadCell]:
        if self.form is None:
            return []
        found = []
        for name in READ:
            off = self.off(name)
            words = "" if off is None else change_of(name, off).number()
            found.append(
                ReadCell(
                    name, FIGURES[name].label, self.told(self.read, name), words, self.form[name]
                )
            )
        return found

    @property
    def free(self) -> list[showing.FreeFigure]:
        """What becomes of the figures that nobody aims at, as far as they are known."""
        if not self.pieces:
            return []
        found = []
        for name in (*READ, "recoil_kgcm2"):
            if name in self.targets or name not in self.before or name not in self.predicted:
                continue
            unit = change_of(name, 0.0).unit
            was, now = self.told(self.before, name), self.told(self.predicted, name)
            found.append(showing.FreeFigure(FIGURES[name].title, now, was, unit))
        return found


def rows(
    match: Match | None, frames: Sequence[Frame], asked: AskedSet, axis_mm: float
) -> list[Row]:
    """A row a frame, by name; ``match`` is None for frames of a job nobody has matched."""
    found = match.found if match else None
    members = {one.frame: one for one in found.members} if found else {}
    made = []
    for one in sets.readied(frames, asked.condition):
        row = _of_plan(match, one, asked, axis_mm)
        if row is None and found and one.frame.pk in members:
            row = _of_recipe(found, members[one.frame.pk], one, asked, axis_mm)
        row = row or _as_it_is(one, asked, axis_mm)
        row.is_followed = asked.target == f"frame:{one.frame.pk}"
        row.is_left = one.frame.pk in asked.as_is
        row.is_accepted = one.frame.pk in asked.accepted
        made.append(row)
    made.sort(key=lambda row: row.name)
    is_begun = any(row.stage == "fitted" for row in made)
    for row in made:
        if not is_begun:
            row.read = {}  # nothing was read after yet
        elif row.plan is None and row.is_right:
            row.read = row.before  # nothing goes on it: as it was read, it stands
    return made


def hang(made: Sequence[Row]) -> list[Prediction]:
    """The predictions that hang under one ruler, each row told which lane is its own."""
    hung = [row for row in made if row.prediction is not None]
    for lane, row in enumerate(hung):
        row.lane = lane
    return [row.prediction for row in hung if row.prediction is not None]


def _of_plan(match: Match | None, one: MatchFrame, asked: AskedSet, axis_mm: float) -> Row | None:
    """A frame as it is planned for its set, or as it was fitted; None where neither is."""
    plan, job = plan_of(match, one.frame)
    if plan is None:
        return None
    is_on = is_fitted(plan)
    if not is_on and one.frame.pk in asked.as_is:
        return None
    if not is_on and match and not is_current(match, plan):
        return None
    state = plan.state()
    predicted = predict(plan.to_plan())
    before = before_of(state.measured, axis_mm)
    since = plan.sheet.signed_off_at if is_on else None
    # A frame on which nothing had to go is as it was: what was read before holds.
    read = {} if state.pieces else before
    if since or (job and not state.pieces):
        read = read_since(one.frame, state.condition, since or job.taken_in_at, axis_mm)  # type: ignore[union-attr]
    return Row(
        one.frame, one.name, "fitted" if is_on else "planned", state.condition,
        before, figures_of(predicted.after, axis_mm, state.measured), read,
        {
            name: Target(goal.value, goal.tol, axis_mm if goal.axis_mm is None else goal.axis_mm)
            for name, goal in targets_of(plan).items()
            if goal.value is not None
        },
        predicted, state.pieces, plan,
    )  # fmt: skip


def plan_of(match: Match | None, frame: Frame) -> tuple[Plan | None, Job | None]:
    """(the plan that counts of a frame: its set's before others of its job, signed off before new;
    its newest job)."""
    last = max(
        (one for one in frame.jobs.all() if not one.refused and one.job.removed_at is None),
        key=lambda one: one.job.taken_in_at, default=None,
    )  # fmt: skip
    job = last.job if last else None
    plans = plans_here(frame)
    own = [one for one in plans if match and one.state().of_set == match.pk]
    beside = [one for one in plans if job and one.created_at >= job.taken_in_at]
    for some in (own, beside):
        if found := that_counts(some):
            return found, job
    return None, job


def is_current(match: Match, plan: Plan) -> bool:
    """Whether a set was not searched again since a plan was made."""
    return not match.answer or plan.created_at >= match.changed_at


def _of_recipe(
    found: KeptMatch, member: KeptMember, one: MatchFrame, asked: AskedSet, axis_mm: float
) -> Row:
    """A frame with what the search found for it."""
    pieces = member.recipe.pieces
    predicted = predict(
        LadenFrame(frame=one.frame.outline(), measured=member.measured, pieces=pieces)
    )
    after = figures_of(predicted.after, found.axis_mm, member.measured)
    return Row(
        one.frame, one.name, "recipe", asked.condition,
        _plain(figures_of(predicted.before, axis_mm, member.measured)),
        {name: _with_u(value, member.recipe.u.get(name)) for name, value in after.items()},
        targets=found.wanted, prediction=predicted, pieces=pieces,
        is_out=not member.is_ok,
    )  # fmt: skip


def _plain(values: Mapping[str, Number]) -> dict[str, float]:
    return {name: nominal(value) for name, value in values.items()}


def _with_u(value: Number, u: float | None) -> Number:
    return ufloat(nominal(value), u) if u else nominal(value)


def _as_it_is(one: MatchFrame, asked: AskedSet, axis_mm: float) -> Row:
    now = sets.now_of(one.frame, one.figures)
    prediction = None
    if one.figures.is_complete:
        prediction = predict(LadenFrame(frame=one.frame.outline(), measured=now.measured))
    before = (
        as_read(one.figures, axis_mm) if prediction is None else before_of(now.measured, axis_mm)
    )
    return Row(one.frame, one.name, "as-it-is", asked.condition, before, prediction=prediction)


def heads(asked: AskedSet, found: KeptMatch | None) -> list[str]:
    """The figures that have a column: those that should agree."""
    wanted = found.wanted if found else asked.tolerances
    return [name for name in MATCHED if name in wanted]
