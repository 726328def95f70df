"""Strips of tape along the bevels of the handle, under the grip, in pairs opposite one another."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import ClassVar, Literal, Self

from kentrobar.core.errors import Refusal
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import fixed, translated

from . import cautions
from .body import Body
from .grip_size import SIZE_MM, girth_mm
from .materials import TAPES, is_lead
from .piece import FINE_MM, Box, Cover, Faults, Shape, Stretch, tidy
from .plug import Plug
from .sites import UNDER_GRIP
from .strip import TAPE_MM, tape_minutes, tape_title
from .work import Task, WorkPlace

BEVELS = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Bevels(Stretch):
    """``count`` strips from ``from_mm`` to ``to_mm``, shared by opposite bevels."""

    boxes: ClassVar[tuple[Box, ...]] = (
        *Stretch.boxes, Box("count", "strips", "count"), Box("layers", "layers", "layers"),
    )  # fmt: skip
    is_tape: ClassVar[bool] = True
    is_at_the_hand: ClassVar[bool] = True
    is_round_the_handle: ClassVar[bool] = True

    count: int = 2
    kind: Literal["bevels"] = "bevels"

    def unit(self, outline: Outline) -> Body:
        # Turned about the handle anywhere, a pair has half of its m·r² in each direction across.
        half = outline.handle_radius_mm**2 / 2
        return self.even(half, 2 * half)

    def faults(self, outline: Outline) -> Faults:
        yield from Stretch.faults(self, outline)
        if self.count not in range(2, BEVELS + 1, 2):
            yield "count", Refusal("outside", self.count, 2, BEVELS, "in pairs")

    def span(self, outline: Outline) -> tuple[float, float]:
        return 0.0, outline.handle_length_mm

    def _runs(self) -> str:
        return "the handle runs"

    def words(self, outline: Outline) -> str:
        return translated("Bevels, under the grip")

    def shape(self, outline: Outline) -> Shape:
        r, x0, x1 = outline.handle_radius_mm * 0.7, self.from_mm, self.to_mm
        badge = (((x0 + x1) / 2, r), (0.0, 1.0))
        return Shape(
            (((x0, r), (x1, r)), ((x0, -r), (x1, -r))), TAPE_MM, (badge,),
            (("start", (x0, r)), ("end", (x1, r))),
        )  # fmt: skip

    def tape(self) -> tuple[float, int]:
        return self.to_mm - self.from_mm, self.count * (self.layers or 1)

    def room_mm(self, outline: Outline) -> float:
        return outline.handle_length_mm

    def cut_to(self, outline: Outline, mm: float) -> Self:
        # The upper end stays: strips begin at the top of the handle.
        return replace(self, from_mm=max(self.to_mm - max(mm, FINE_MM), 0.0))

    def cover(self, outline: Outline) -> Cover:
        return {"bevels": ((self.from_mm, self.to_mm),)}

    def _spread(self) -> Iterator[str]:
        yield "opposite bevels"

    @property
    def order(self) -> tuple[int, float]:
        return 8, 0.0

    def girth_mm(self, outline: Outline) -> float:
        """What it adds round the handle, mm."""
        length = self.to_mm - self.from_mm
        return girth_mm(self.material or "", self.mass_g, length, outline)

    def put_on(self, at: WorkPlace) -> Task:
        wider = self.girth_mm(at.outline)
        lines = (
            f"Grip off. Strips in pairs on opposite bevels, from {at.length(self.to_mm)} down"
            f" to {at.length(self.from_mm)} from the butt; press them down with a roller.",
            "The grip over them, wound from the butt: no edge may meet the skin. The handle grows"
            f" {at.length(wider, places=1)} round, {fixed(wider / SIZE_MM, 1)} of a grip size.",
        )
        title = tape_title(self, at)
        return Task(title, lines, self.cautions(), minutes=6 + tape_minutes(self))

    def cautions(self) -> tuple[str, ...]:
        is_on = self.mass_g > 0 and is_lead(self.material)
        return (cautions.LEAD_AT_THE_HAND, cautions.LEAD) if is_on else ()


def in_place_of(plug: Plug, outline: Outline) -> Bevels:
    """The grams of a plug as strips of the usual tape: as few as fit, as low as it lay."""
    tape = TAPES[0]
    full, room = plug.mass_g / tape.g_per_mm, outline.handle_length_mm - plug.from_mm
    count = min(2 * max(math.ceil(full / 2 / room), 1), BEVELS)
    layers = max(math.ceil(full / count / room), 1)
    cut = tidy(full / count / layers, 1)
    return Bevels(
        mass_g=plug.mass_g, from_mm=plug.from_mm, to_mm=plug.from_mm + cut, count=count,
        layers=layers, material=tape.name, id=plug.id, site=UNDER_GRIP, note=plug.note,
    )  # fmt: skip
