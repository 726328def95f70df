"""Frames of a set as they are, before anything is matched: on one line a figure, and how far
apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, READ, figure
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.words.amounts import Amount, change_of

from .sets import MatchFrame, now_of

MARGIN = 6.0
"""Per cent of the line left free at either end."""


@dataclass(frozen=True, slots=True)
class Dot:
    """A frame on the line of a figure: at ``x`` per cent."""

    name: str
    told: str
    x: float


@dataclass(frozen=True, slots=True)
class Line:
    """One figure of every frame that was read. ``widest``: the two that lie furthest apart.
    ``unread``: frames without it."""

    label: str
    unit: str
    dots: list[Dot]
    apart: str
    widest: tuple[str, str] | None
    unread: list[str]


def as_they_are(found: Sequence[MatchFrame], axis_mm: float) -> list[Line]:
    """A line for each figure that any of the frames was read in, in the condition compared."""
    values: dict[str, list[tuple[str, float]]] = {name: [] for name in READ}
    for one in found:
        body = plain_body(now_of(one.frame, one.figures).measured)
        for name in READ:
            if name in one.figures.found:
                values[name].append((one.name, nominal(figure(name, body, axis_mm))))
    return [_line(name, there, found) for name, there in values.items() if there]


def _line(name: str, there: list[tuple[str, float]], found: Sequence[MatchFrame]) -> Line:
    low, high = min(there, key=lambda one: one[1]), max(there, key=lambda one: one[1])
    width = high[1] - low[1]
    scale = (100 - 2 * MARGIN) / width if width else 0.0
    length = found[0].frame.length_mm
    dots = [
        Dot(
            frame, Amount(name, value, length_mm=length).told(),
            round(MARGIN + (value - low[1]) * scale, 1) if width else 50.0,
        )
        for frame, value in there
    ]  # fmt: skip
    read = {frame for frame, _ in there}
    return Line(
        FIGURES[name].label, change_of(name, 0.0).unit, dots,
        change_of(name, width).number().lstrip("+−") if len(there) > 1 else "",
        (low[0], high[0]) if width else None,
        [one.name for one in found if one.name not in read],
    )  # fmt: skip
