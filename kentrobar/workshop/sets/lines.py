"""Every frame of a set on one line a figure: as it is, as it will be, how far apart they lie, and
the band they should lie in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.recipes.feel import Noticed
from kentrobar.core.words.amounts import Amount, change_of, gap, unit_of
from kentrobar.recipes.kept import KeptMatch
from kentrobar.recipes.sets import GIVEN, AskedSet

from .band import SEEN
from .rows import Row

MARGIN = 12.0
"""Per cent of the line left free at either end."""
LEAST_SPAN = 6.0
"""Least length of a line, in tolerances: frames that are alike lie close together."""


@dataclass(frozen=True, slots=True)
class Dot:
    """A frame on the line of a figure: at ``x`` per cent. ``is_before``: where it was."""

    name: str
    told: str
    x: float
    is_before: bool = False


@dataclass(frozen=True, slots=True)
class Band:
    """Where the frames should lie: a slider between ``low`` and ``high``, at ``at`` and ``width``
    per cent of the line wide, in the unit people type. ``is_held``: somebody put it there."""

    low: float
    high: float
    step: float
    at: float
    width: float
    is_held: bool


@dataclass(frozen=True, slots=True)
class Line:
    """One figure of every frame.

    Attributes:
        before, predicted, read: how far the frames are apart, '' until that is known of all.
        within: how far they may be; '' for a figure that does not count.
        is_within: of what was read, else of what is predicted; None where nothing can be said.
        widest: the two that lie furthest apart now. unread: frames without it.
    """

    name: str
    label: str
    unit: str
    dots: list[Dot]
    before: str
    predicted: str
    read: str
    within: str
    is_within: bool | None
    too_far: str
    widest: tuple[str, str] | None
    unread: list[str]
    band: Band | None = None
    noticed: str = ""

    @property
    def last(self) -> str:
        """How far apart they are by the newest that is known."""
        return self.read or self.predicted or self.before

    @property
    def so_far(self) -> list[str]:
        """How far apart they were before that."""
        known = [one for one in (self.before, self.predicted, self.read) if one]
        return known[:-1]


def lines(
    rows: Sequence[Row], asked: AskedSet, found: KeptMatch | None, noticed: Noticed
) -> list[Line]:
    """A line for each figure that any of the frames was read in, or that should agree."""
    return [
        _line(name, rows, asked, found, noticed)
        for name in (*READ, "recoil_kgcm2")
        if (name in asked.tolerances or name != "recoil_kgcm2")
        and any(name in row.before for row in rows)
    ]


def _line(
    name: str, rows: Sequence[Row], asked: AskedSet, found: KeptMatch | None, noticed: Noticed
) -> Line:
    allowed = allowed_of(asked).get(name)
    before, predicted, read = (
        _apart(name, [getattr(row, column) for row in rows])
        for column in ("before", "predicted", "read")
    )
    if not any(row.pieces for row in rows):
        predicted = None
    last = next((one for one in (read, predicted) if one is not None), None)
    is_within = None if allowed is None or last is None else last <= allowed + SEEN
    stands = {row.name: nominal((row.after or row.before)[name]) for row in rows
              if name in (row.after or row.before)}  # fmt: skip
    widest = None
    if len(stands) > 1 and max(stands.values()) > min(stands.values()):
        widest = min(stands, key=stands.__getitem__), max(stands, key=stands.__getitem__)
    dots, band = _drawn(name, rows, asked, found)

    def text(value: float | None) -> str:
        return "" if value is None else change_of(name, value).number().lstrip("+−")

    return Line(
        name, FIGURES[name].label, change_of(name, 0.0).unit, dots, text(before), text(predicted),
        text(read), gap(name, allowed) if allowed is not None else "", is_within,
        text(last - allowed) if is_within is False and last and allowed is not None else "",
        widest, [row.name for row in rows if name not in row.before], band,
        str(noticed.by(last)) if name == "swing_kgcm2" and last is not None else "",
    )  # fmt: skip


def allowed_of(asked: AskedSet) -> dict[str, float]:
    """How far two frames of the set may be apart."""
    wider = 2 if asked.judged == "distance" else 1
    return {name: wider * tol for name, tol in asked.tolerances.items()}


def _apart(name: str, columns: Sequence[Mapping[str, Any]]) -> float | None:
    values = [nominal(one[name]) for one in columns if name in one]
    return max(values) - min(values) if len(values) == len(columns) > 1 else None


def _drawn(
    name: str, rows: Sequence[Row], asked: AskedSet, found: KeptMatch | None
) -> tuple[list[Dot], Band | None]:
    """The dots of a line, those that moved twice, and its band, all to one scale."""
    places: list[tuple[Row, float, bool]] = []
    for row in rows:
        was, now = row.before.get(name), row.after.get(name)
        if was is not None:
            places.append((row, was, now is not None))
        if now is not None:
            places.append((row, nominal(now), False))
    tol = asked.tolerances.get(name)
    half = None if tol is None else tol / 2 if asked.judged == "spread" else tol
    at = asked.values.get(name) if asked.target == GIVEN else None
    is_held = at is not None
    if at is None and found and name in found.wanted:
        at = found.wanted[name].value
    values = [value for _, value, _ in places] + ([] if at is None else [at])
    low, high = min(values), max(values)
    span = max(high - low, LEAST_SPAN * half if half else 0.0, 1e-9)
    low = (low + high - span) / 2
    scale = (100 - 2 * MARGIN) / span
    dots = [
        Dot(
            row.name, Amount(name, value, length_mm=row.frame.length_mm).told(),
            round(MARGIN + (value - low) * scale, 1), is_before,
        )
        for row, value, is_before in places
    ]  # fmt: skip
    if half is None:
        return dots, None
    size, decimals = unit_of(name).size, unit_of(name).places
    width = min(2 * half * scale, 60.0)
    # A slider's thumb keeps half its width from either end of its track.
    ends = [low + (end - MARGIN) / scale for end in (width / 2, 100 - width / 2)]
    middle = at if at is not None else sum(ends) / 2
    least, most, at = (round(one / size, decimals) for one in (*ends, middle))
    return dots, Band(least, most, 10.0**-decimals, at, round(width, 1), is_held)
