"""What a roll or a sheet weighs per length of strip, from cuts weighed here, and what a piece cut
off it weighs.

A cut of length L and mass m gives m/L, uncertain by its scale and its ruler. Several cuts are
averaged by their weights; where they scatter more than their uncertainties allow, the uncertainty
grows to match (the Birge ratio).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

RULER_U_MM = 0.5
MAKER_U = 0.05
"""One standard uncertainty of a maker's figure, as a share of it."""


@dataclass(frozen=True, slots=True)
class Cut:
    """A cut on the scale: ``count`` strips of ``length_mm`` that weigh ``mass_g`` together."""

    length_mm: float
    mass_g: float
    u_g: float
    count: int = 1
    u_mm: float = RULER_U_MM

    def per_mm(self) -> tuple[float, float]:
        """(grams per mm, one standard uncertainty)."""
        whole = self.length_mm * self.count
        value = self.mass_g / whole
        # Each strip is cut by itself, so a ruler's errors of several even out.
        u_whole = self.u_mm * math.sqrt(self.count)
        return value, math.hypot(self.u_g / whole, value * u_whole / whole)


@dataclass(frozen=True, slots=True)
class PerLength:
    """Grams per mm with one standard uncertainty, and from how many cuts.

    ``width_u`` is what a strip cut to width by hand errs in width, as a share of it: zero for a
    roll of tape, ``RULER_U_MM`` of the strip's width for a sheet.
    """

    g_per_mm: float
    u: float
    cuts: int
    width_u: float = 0.0

    def piece(
        self, length_mm: float, strips: int, u_cut_mm: float = RULER_U_MM
    ) -> tuple[float, float]:
        """(grams, one standard uncertainty) of ``strips`` equal strips: the roll's errs for all
        alike."""
        whole = length_mm * strips
        return self.g_per_mm * whole, math.hypot(
            self.u * whole, self.cut_u(length_mm, strips, u_cut_mm)
        )

    @property
    def share(self) -> float:
        """Its uncertainty as a share of it."""
        return self.u / self.g_per_mm

    def cut_u(self, length_mm: float, strips: int, u_cut_mm: float = RULER_U_MM) -> float:
        """Grams the hand leaves open, in length and in width: every strip errs by itself."""
        return self.g_per_mm * math.hypot(u_cut_mm, length_mm * self.width_u) * math.sqrt(strips)


def weighed(cuts: Iterable[Cut]) -> PerLength | None:
    """What the cuts say together; None where there are none."""
    singles = [cut.per_mm() for cut in cuts]
    if not singles:
        return None
    weights = [1 / u**2 for _, u in singles]
    total = sum(weights)
    mean = sum(value * weight for (value, _), weight in zip(singles, weights, strict=True)) / total
    u = total**-0.5
    if len(singles) > 1:
        chi = sum(((value - mean) / one) ** 2 for value, one in singles) / (len(singles) - 1)
        u *= max(1.0, math.sqrt(chi))
    return PerLength(mean, u, len(singles))


def backing_per_mm(with_backing: PerLength | None, without: PerLength | None) -> float | None:
    """What the backing weighs per mm, where cuts were weighed both ways."""
    if with_backing is None or without is None:
        return None
    return with_backing.g_per_mm - without.g_per_mm
