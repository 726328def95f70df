"""A solid even bar, whose swing weight follows from a scale and a tape: a reference anyone can
make."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kentrobar.core.measure.method import RawReading
from kentrobar.core.numbers import Given, number
from kentrobar.core.pieces.body import KGCM2

from .method import Faults, Measurement, above_zero, not_negative


@dataclass(frozen=True, slots=True, kw_only=True)
class ReferenceBar(RawReading):
    """A bar of ``mass_g`` and ``length_mm``, its end where a frame's butt lies."""

    mass_g: Given
    length_mm: Given
    axis_mm: float
    method: Literal["reference-bar"] = "reference-bar"

    def faults(self) -> Faults:
        yield from above_zero({"mass_g": self.mass_g, "length_mm": self.length_mm})
        yield from not_negative({"axis_mm": self.axis_mm})

    def reduce(self) -> Measurement:
        """SW(a) = m (ℓ²/12 + (ℓ/2 − a)²)."""
        mass, length = number(self.mass_g, "mass"), number(self.length_mm, "length")
        swing = mass * (length * length / 12 + (length / 2 - self.axis_mm) ** 2) / KGCM2
        figures = {"balance_mm": length / 2, "swing_kgcm2": swing, "axis_mm": self.axis_mm}
        return Measurement("reference-bar", "swing_kgcm2", swing, figures)
