"""A reported figure, which somebody else read: from a maker's sheet, another workshop, or an old
notebook."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from kentrobar.core.measure.method import RawReading
from kentrobar.core.numbers import Given, number

from .method import Faults, Measurement, above_zero, not_negative


@dataclass(frozen=True, slots=True, kw_only=True)
class Reported(RawReading):
    """One figure as it was written down; ``is_told`` where a customer named it and nobody here read
    it."""

    quantity: Literal["mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"]
    value: Given
    axis_mm: float | None = None
    is_told: bool = False
    method: Literal["told"] = "told"

    def faults(self) -> Faults:
        yield from above_zero({"value": self.value})
        yield from not_negative({"axis_mm": self.axis_mm})
        if (self.axis_mm is None) == (self.quantity == "swing_kgcm2"):
            yield "axis_mm", "a swing weight has an axis, and no other figure has"

    def reduce(self) -> Measurement:
        value = number(self.value, "told")
        return Measurement("told", self.quantity, value, {self.quantity: value})
