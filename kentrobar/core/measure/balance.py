"""Balance: on a board whose zero is known, between two supports on scales, or over an edge."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from kentrobar.core.numbers import Given, Number, number, ufloat, value_of

from .method import (
    Faults,
    Measurement,
    above_nought,
    apart_notes,
    no_negative_u,
    not_negative,
    readings_faults,
)
from .sample import Sample, SetAside, display_u, sample


@dataclass(frozen=True, slots=True, kw_only=True)
class BalanceBoard:
    """Readings in mm on a board whose zero lies ``offset_mm`` from the butt stop."""

    readings_mm: list[float]
    offset_mm: Given
    resolution_mm: float = 0.0
    repeatability_mm: float | None = None
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["balance-board"] = "balance-board"

    def faults(self) -> Faults:
        yield from readings_faults("readings_mm", self.readings_mm, self.set_aside, positive=False)
        yield from no_negative_u({"offset_mm": self.offset_mm})
        yield from not_negative(
            {"resolution_mm": self.resolution_mm, "repeatability_mm": self.repeatability_mm}
        )

    def reduce(self) -> Measurement:
        """balance = offset + mean reading."""
        seen = sample(self.readings_mm, self.resolution_mm, self.repeatability_mm, self.set_aside)
        return _balance("balance-board", number(self.offset_mm, "offset") + seen.result(), seen)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnifeEdge:
    """Tape readings in mm from the butt to an edge on which the frame just tips."""

    readings_mm: list[float]
    resolution_mm: float = 1.0
    repeatability_mm: float | None = None
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["knife-edge"] = "knife-edge"

    def faults(self) -> Faults:
        yield from readings_faults("readings_mm", self.readings_mm, self.set_aside)
        yield from not_negative(
            {"resolution_mm": self.resolution_mm, "repeatability_mm": self.repeatability_mm}
        )

    def reduce(self) -> Measurement:
        """balance = mean tape reading."""
        seen = sample(self.readings_mm, self.resolution_mm, self.repeatability_mm, self.set_aside)
        return _balance("knife-edge", seen.result(), seen)


def _balance(method: str, balance: Number, seen: Sample) -> Measurement:
    figures = {"mean_mm": seen.mean, "readings": seen.n, "balance_mm": balance}
    if seen.spread is not None:
        figures["spread_mm"] = seen.spread
    apart = seen.apart()
    notes = apart_notes(apart, list(seen.values))
    return Measurement(method, "balance_mm", balance, figures, notes, tuple(apart))


@dataclass(frozen=True, slots=True, kw_only=True)
class TwoScales:
    """The frame lies on two supports, x₁ and x₂ mm from the butt, each on a scale."""

    m1_g: Given
    x1_mm: Given
    m2_g: Given
    x2_mm: Given
    resolution_g: float = 0.0
    method: Literal["two-scales"] = "two-scales"

    def faults(self) -> Faults:
        yield from above_nought({"m1_g": self.m1_g, "m2_g": self.m2_g})
        yield from not_negative({"x1_mm": self.x1_mm, "x2_mm": self.x2_mm, "resolution_g": self.resolution_g})
        if abs(value_of(self.x1_mm) - value_of(self.x2_mm)) < 1:
            yield "x2_mm", "the two supports must stand apart"

    def reduce(self) -> Measurement:
        """mass = m₁ + m₂; balance = (m₁x₁ + m₂x₂)/(m₁ + m₂)."""
        m1, m2 = number(self.m1_g, "mass"), number(self.m2_g, "mass")
        if self.resolution_g:
            m1 = m1 + ufloat(0.0, display_u(self.resolution_g), "display")
            m2 = m2 + ufloat(0.0, display_u(self.resolution_g), "display")
        x1, x2 = number(self.x1_mm, "supports"), number(self.x2_mm, "supports")
        mass = m1 + m2
        balance = (m1 * x1 + m2 * x2) / mass
        return Measurement("two-scales", "balance_mm", balance, {"mass_g": mass, "balance_mm": balance})


def support_loads(mass: float, balance: float, x1: float, x2: float) -> tuple[float, float]:
    """What two supports carry of a frame, g each: the two-scales formula turned round."""
    m2 = mass * (balance - x1) / (x2 - x1)
    return mass - m2, m2
