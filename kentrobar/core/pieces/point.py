"""All mass in one place."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar, Literal, Self

from kentrobar.core.errors import Refusal
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import length_text, translated

from . import cautions
from .body import Body
from .piece import Box, Faults, Piece, Shape, within
from .work import Task, WorkPlace

CENTRE_MM = 4.0
"""A point let go so near the centre line lies on it."""
POINT_MM = 11.0
"""How wide a point is drawn."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Point(Piece):
    """A vibration dampener, a clip-on test module, a clamp."""

    boxes: ClassVar[tuple[Box, ...]] = (
        Box("x_mm", "from the butt", "length"),
        Box("y_mm", "to 3 o’clock", "length"),
        Box("z_mm", "off the face", "length"),
    )

    x_mm: float
    y_mm: float = 0.0
    z_mm: float = 0.0
    likely_g: ClassVar[float] = 30.0
    kind: Literal["point"] = "point"

    def unit(self, outline: Outline) -> Body:
        x, y, z = self.x_mm, self.y_mm, self.z_mm
        return Body(1.0, x, x * x + z * z, y * y + z * z, y)

    def faults(self, outline: Outline) -> Faults:
        half = outline.width_mm / 2
        if not 0 <= self.x_mm <= outline.length_mm:
            yield "x_mm", Refusal("outside", self.x_mm, 0, outline.length_mm, "butt to tip")
        if not -half <= self.y_mm <= half:
            yield "y_mm", Refusal("outside", self.y_mm, -half, half, "across the face")
        off = outline.length_mm / 4
        if not -off <= self.z_mm <= off:
            yield "z_mm", Refusal("outside", self.z_mm, -off, off, "off the face")

    def slid(self, outline: Outline, mm: float) -> Self:
        return replace(self, x_mm=within(self.x_mm + mm, 0.0, outline.length_mm))

    def mirrored(self) -> Self:
        """On the other side."""
        return replace(self, y_mm=-self.y_mm)

    def dragged(self, outline: Outline, x: float, y: float) -> Self:
        half = outline.width_mm / 2
        across = within(y, -half, half) if abs(y) > CENTRE_MM else 0.0
        return replace(self, x_mm=within(x, 0.0, outline.length_mm), y_mm=across)

    def words(self, outline: Outline) -> str:
        return translated("At one point")

    def where(self) -> str:
        at = translated("{stretch} from the butt", stretch=length_text(self.x_mm))
        if not self.y_mm:
            return at
        side = "3" if self.y_mm > 0 else "9"
        off = translated(
            "{length} to {hour} o’clock", length=length_text(abs(self.y_mm)), hour=side
        )
        return f"{at}, {off}"

    def shape(self, outline: Outline) -> Shape:
        spot = (self.x_mm, self.y_mm)
        return Shape(((spot, (self.x_mm + 0.01, self.y_mm)),), POINT_MM, ((spot, (0.95, -0.7)),))

    def put_on(self, at: WorkPlace) -> Task:
        what = self.material or self.name(at.outline)
        line = f"{self.where().capitalize()}, {at.mass(self.mass_g)}."
        return Task(f"Put on: {what}", (line,), self.cautions(), minutes=1)

    def cautions(self) -> tuple[str, ...]:
        is_module = self.mass_g > 0 and "module" in (self.material or "").lower()
        return (cautions.MODULE,) if is_module else Piece.cautions(self)
