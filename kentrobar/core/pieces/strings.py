"""A string bed."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal, Self

from kentrobar.core.geometry.outline import Outline, Paddle, Racket
from kentrobar.core.reader import translated

from .body import Body
from .piece import Faults, Piece, Shape
from .work import Task, WorkPlace


@dataclass(frozen=True, slots=True, kw_only=True)
class Strings(Piece):
    """Even over the inside of a racket's hoop, in the middle plane."""

    can_lie_elsewhere: ClassVar[bool] = False

    kind: Literal["strings"] = "strings"

    def unit(self, outline: Outline) -> Body:
        if not isinstance(outline, Racket):
            raise ValueError("a paddle has no strings")
        up, down, across = outline.hoop_axes("inner")
        cx = outline.widest_mm
        # Half an ellipse: its centroid lies 4a/3π from the widest line, its mean square is a²/4.
        # The halves share the mass in proportion to their semi-axes (equal width).
        share = up / (up + down)
        x = (up * share - down * (1 - share)) * 4 / (3 * math.pi)
        xx = (up * up * share + down * down * (1 - share)) / 4
        return Body(1.0, cx + x, cx * cx + 2 * cx * x + xx, across * across / 4)

    def faults(self, outline: Outline) -> Faults:
        if isinstance(outline, Paddle):
            yield "kind", "a paddle has no strings"

    def slid(self, outline: Outline, mm: float) -> Self:
        return self

    def dragged(self, outline: Outline, x: float, y: float) -> Self:
        return self

    def words(self, outline: Outline) -> str:
        return translated("String bed")

    def where(self) -> str:
        return translated("inside the hoop")

    def shape(self, outline: Outline) -> Shape:
        path = outline.path("inner")
        ring = tuple(path.run(0, path.length, 5.0)[:-1])
        return Shape((ring,), 0.0, (((outline.face_centre_mm, 0.0), (0.0, 0.0)),))

    def put_on(self, at: WorkPlace) -> Task:
        what = self.material or self.name(at.outline)
        line = f"{at.mass(self.mass_g)} should stay in the frame; weigh the ends that are cut off."
        return Task(f"String it: {what}", (line,), minutes=35)

    def taken_off(self, at: WorkPlace) -> Task:
        if "thinner" not in (self.material or ""):
            return Piece.taken_off(self, at)
        line = (
            f"They must weigh {at.mass(-self.mass_g)} less than the old ones: weigh the old bed cut"
            " out, and the new set less its ends."
        )
        return Task("String it with thinner strings", (line,), minutes=35)
