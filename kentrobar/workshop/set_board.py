"""The set board: every frame of a job before, as wanted, as predicted and as read after, and how
far they are apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django import forms

from kentrobar.core.numbers import Number, nominal
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import the_reader
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.words.amounts import Amount, change_of, gap
from kentrobar.frames.fitted import brought
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match

from .band import SEEN, as_read, before_of, predicted_of, read_since, targets_of
from .figure_boxes import FigureBoxes
from .lacks import plans_of, sound
from .models import Job


class AfterRow(FigureBoxes):
    """The figures of one frame of the set, read after."""

    def __init__(self, *args: Any, frame: Frame, condition: str, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.frame, self.condition = frame, condition

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        self.given = self.read_given(self.frame, cleaned)
        if self.given and not self.errors:
            known = {one.condition: one for one in self.frame.figures()}.get(self.condition)
            confirmed = bool(cleaned.get("confirm"))
            self.judge_given(self.frame, self.given, self.condition, known, confirmed)
        return cleaned

    @property
    def boxes(self) -> dict[str, forms.BoundField]:
        return {name: self[name] for name in READ}


@dataclass(frozen=True, slots=True)
class Cell:
    """One figure of one frame as the board shows it; '' where there is none."""

    name: str
    before: str
    target: str
    predicted: str
    read: str
    off: str
    is_off: bool


@dataclass(slots=True)
class BoardRow:
    """One frame of the set. ``plan`` is None for one that stays as it is."""

    frame: Frame
    plan: Plan | None
    condition: str
    before: Mapping[str, float]
    targets: Mapping[str, Goal]
    predicted: Mapping[str, Number]
    read: Mapping[str, float]
    is_fitted: bool = False
    form: AfterRow | None = None
    cells: list[Cell] = field(default_factory=list)

    @property
    def is_missed(self) -> bool:
        """Whether a figure that was read after is outside its target."""
        return any(cell.is_off for cell in self.cells)


@dataclass(frozen=True, slots=True)
class Spread:
    """How far the frames are apart in one figure: before, as predicted, as read ('' until every
    frame was read), and whether they are within what was asked."""

    label: str
    unit: str
    before: str
    predicted: str
    read: str
    within: str
    is_within: bool | None
    too_far: str


def rows(job: Job) -> list[BoardRow]:
    """A row for every frame that is worked on."""
    found = [_row(job, one.frame) for one in sound(job)]
    is_begun = any(row.is_fitted for row in found)
    for row in found:
        if not is_begun:
            row.read = {}  # nothing was read after yet
        row.cells = [_cell(row, name) for name in READ]
    return found


def _row(job: Job, frame: Frame) -> BoardRow:
    plans = plans_of(job, frame)
    signed = [one for one in plans if hasattr(one, "sheet") and one.sheet.is_on]
    plan = next(iter([*signed, *(one for one in plans if one.part("pieces")), *plans]), None)
    axis = the_reader().axis_mm(frame.kind)
    if plan is None:
        whole = next(iter(frame.figures()), None)
        now = brought(frame, whole) if whole else None
        stays = as_read(now, axis) if now else {}
        condition = now.condition if now else frame.usual_condition()
        return BoardRow(frame, None, condition, stays, {}, stays, stays)
    state = plan.state()
    signed_at = plan.sheet.signed_off_at if plan in signed else None
    # A frame on which nothing had to go is as it was: what was read before holds.
    since = signed_at or (job.taken_in_at if not state.pieces else None)
    return BoardRow(
        frame, plan, state.condition, before_of(state.measured, axis), targets_of(plan),
        predicted_of(plan, axis),
        read_since(frame, state.condition, since, axis) if since else {},
        is_fitted=signed_at is not None,
    )  # fmt: skip


def _cell(row: BoardRow, name: str) -> Cell:
    outline = row.frame.outline()
    goal = row.targets.get(name)
    aim = None
    if goal is not None and (goal.value is not None or name in row.before):
        aim = goal.value if goal.value is not None else row.before[name] + (goal.change or 0.0)
    read = row.read.get(name)
    off = read - aim if read is not None and aim is not None else 0.0
    is_off = goal is not None and abs(off) > goal.tol + SEEN

    def text(values: Mapping[str, Any]) -> str:
        return (
            Amount(name, nominal(values[name]), length_mm=outline.length_mm).number()
            if name in values
            else ""
        )

    target = ""
    if goal is not None and aim is not None:
        tol = gap(name, goal.tol)
        target = f"{Amount(name, aim, length_mm=outline.length_mm).number()} ± {tol}"
    return Cell(
        name, text(row.before), target, text(row.predicted), text(row.read),
        change_of(name, off).number() if is_off else "", is_off,
    )  # fmt: skip


def spreads(job: Job, board: Sequence[BoardRow]) -> list[Spread]:
    """How far the set is apart, figure by figure, beside what it was matched to."""
    allowed = _allowed(job)
    found = []
    for name in READ:
        columns = ([row.before for row in board], [row.predicted for row in board],
                   [row.read for row in board])  # fmt: skip
        before, predicted, read = (_spread(name, one) for one in columns)
        within = allowed.get(name)
        last = read if read is not None else predicted
        is_within = None if within is None or last is None else last <= within + SEEN

        def text(value: float | None, name: str = name) -> str:
            return "" if value is None else change_of(name, value).number().lstrip("+−")

        found.append(
            Spread(
                FIGURES[name].label, change_of(name, 0.0).unit,
                text(before), text(predicted), text(read),
                gap(name, within) if within is not None else "", is_within,
                text(last - within) if is_within is False and last and within is not None else "",
            )
        )  # fmt: skip
    return found


def _spread(name: str, rows: Sequence[Mapping[str, Any]]) -> float | None:
    values = [nominal(row[name]) for row in rows if name in row]
    return max(values) - min(values) if len(values) == len(rows) > 1 else None


def _allowed(job: Job) -> dict[str, float]:
    """How far two frames of the set may be apart: as it was matched, else a careful unit."""
    frames = {one.frame_id for one in sound(job)}
    matches = Match.objects.filter(removed_at=None, frames__in=frames).distinct()
    for match in matches.order_by("-changed_at"):
        if frames <= set(match.frames.values_list("pk", flat=True)) and match.content:
            found: dict[str, float] = dict(match.content.get("tolerances", {}))
            if match.content.get("judged", "distance") == "distance":
                found = {name: 2 * tol for name, tol in found.items()}
            return found
    return {name: FIGURES[name].tol for name in ("mass_g", "balance_mm", "swing_kgcm2")}
