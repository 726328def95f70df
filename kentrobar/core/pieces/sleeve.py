"""An even ring round the handle: a grip, an overgrip, tape round the handle, heat-shrink."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import translated

from . import cautions
from .body import Body
from .materials import is_lead
from .piece import Shape, Stretch
from .work import Task, WorkPlace


@dataclass(frozen=True, slots=True, kw_only=True)
class Sleeve(Stretch):
    """Even along x, at the mean radius of the handle."""

    is_at_the_hand: ClassVar[bool] = True
    is_round_the_handle: ClassVar[bool] = True

    kind: Literal["sleeve"] = "sleeve"

    def unit(self, outline: Outline) -> Body:
        # A thin ring has half of its m·r² in each of two directions across: Σ m·z² = Σ m·y².
        half = outline.handle_radius_mm**2 / 2
        return self.even(half, 2 * half)

    def words(self, outline: Outline) -> str:
        return translated("Round the handle")

    def shape(self, outline: Outline) -> Shape:
        r, x0, x1 = outline.handle_radius_mm, self.from_mm, self.to_mm
        badge = (((x0 + x1) / 2, r), (0.0, 1.0))
        return Shape(
            (((x0, 0.0), (x1, 0.0)),), 2 * r, (badge,), (("start", (x0, r)), ("end", (x1, r)))
        )

    def put_on(self, at: WorkPlace) -> Task:
        what = self.material or self.name(at.outline)
        lines: tuple[str, ...] = (
            f"From {at.length(self.from_mm, self.to_mm)} from the butt, {at.mass(self.mass_g)}.",
            "Wound from the butt up, finished with its tape; trim what is over and weigh again.",
        )
        if "leather" in what.lower():
            lines = (
                lines[0],
                "Taper first: start 1–2 mm past the cap, wind it under tension, mark where it ends"
                " and cut the taper there.",
                lines[1],
            )
        care = (cautions.LEAD_AT_THE_HAND,) if is_lead(self.material) else ()
        return Task(f"Round the handle: {what}", lines, care, minutes=6)

    def cautions(self) -> tuple[str, ...]:
        is_on = self.mass_g > 0 and is_lead(self.material)
        return (cautions.LEAD_AT_THE_HAND, cautions.LEAD) if is_on else ()
