"""Tape along both shafts of a racket's throat."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import ClassVar, Literal, Self

from kentrobar.core.geometry.outline import Outline, Paddle, Racket
from kentrobar.core.reader import translated

from .body import Body
from .piece import FINE_MM, Box, Cover, Faults, Shape, Stretch
from .strip import TAPE_MM, tape_minutes, tape_title
from .work import Task, WorkPlace

THROAT_RUNS = 4
"""Both shafts, both sides."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Throat(Stretch):
    """Even along x, half on each shaft."""

    boxes: ClassVar[tuple[Box, ...]] = (*Stretch.boxes, Box("layers", "layers", "layers"))
    likely_g: ClassVar[float] = 30.0
    is_tape: ClassVar[bool] = True

    kind: Literal["throat"] = "throat"

    def unit(self, outline: Outline) -> Body:
        ya, yb = self._across(outline)
        zz = (outline.beam_mm / 2) ** 2
        return self.even(zz, (ya * ya + ya * yb + yb * yb) / 3 + zz)

    def _across(self, outline: Outline) -> tuple[float, float]:
        """How far from the centre line the two ends lie, mm. ValueError on a paddle."""
        if not isinstance(outline, Racket):
            raise ValueError("a paddle has no throat")
        x0, y0, x1, y1 = outline.shaft()
        slope = (y1 - y0) / (x1 - x0)
        return y0 + slope * (self.from_mm - x0), y0 + slope * (self.to_mm - x0)

    def span(self, outline: Outline) -> tuple[float, float]:
        if not isinstance(outline, Racket):
            return 0.0, outline.length_mm
        low, _, high, _ = outline.shaft()
        return low, high

    def _runs(self) -> str:
        return "the throat runs"

    def faults(self, outline: Outline) -> Faults:
        if isinstance(outline, Paddle):
            yield "kind", "a paddle has no throat"
            return
        yield from Stretch.faults(self, outline)

    def words(self, outline: Outline) -> str:
        return f"{translated('Throat')}, {translated('both shafts')}"

    def shape(self, outline: Outline) -> Shape:
        ya, yb = self._across(outline)
        x0, x1 = self.from_mm, self.to_mm
        badge = (((x0 + x1) / 2, -(ya + yb) / 2), (0.0, -1.0))
        return Shape(
            (((x0, ya), (x1, yb)), ((x0, -ya), (x1, -yb))), TAPE_MM, (badge,),
            (("start", (x0, ya)), ("end", (x1, yb))),
        )  # fmt: skip

    def tape(self) -> tuple[float, int]:
        return self.to_mm - self.from_mm, THROAT_RUNS * (self.layers or 1)

    def room_mm(self, outline: Outline) -> float:
        low, high = self.span(outline)
        return high - low

    def cut_to(self, outline: Outline, mm: float) -> Self:
        low, high = self.span(outline)
        mm = min(max(mm, FINE_MM), high - low)
        start = min(max((self.from_mm + self.to_mm - mm) / 2, low), high - mm)
        return replace(self, from_mm=start, to_mm=start + mm)

    def cover(self, outline: Outline) -> Cover:
        return {"throat": ((self.from_mm, self.to_mm),)}

    def _spread(self) -> Iterator[str]:
        yield "both shafts, both sides"

    @property
    def order(self) -> tuple[int, float]:
        return 4, 0.0

    def put_on(self, at: WorkPlace) -> Task:
        lines = (
            (
                f"On both shafts, both sides, from {at.length(self.from_mm, self.to_mm)} from"
                " the butt."
            ),
            "Inside the beam, clear of paint edges. Press down with a roller.",
        )
        title = tape_title(self, at)
        return Task(title, lines, self.cautions(), minutes=tape_minutes(self))
