"""What strings weigh, fitted: by their gauge and what they are made of, and what a packet holds
more.

A string bed takes about ``BED_M`` of string; a packet holds about ``PACKET_M``, the ends are cut
off.
"""

from __future__ import annotations

import math
import re
from typing import Literal

from kentrobar.core.errors import UnreadableError
from kentrobar.core.units import Typed, read_length

StringMaterial = Literal["polyester", "multifilament", "synthetic", "natural"]
DENSITY: dict[StringMaterial, float] = {
    "polyester": 1.38,
    "multifilament": 1.20,
    "synthetic": 1.16,
    "natural": 1.28,
}
"""g/cm³, as drawn or twisted: usual of polyester, nylon and gut; for what is wound and coated our
own guess."""
ANY_DENSITY = 1.22
GAUGES_MM = {
    "15": 1.43, "15L": 1.38, "16": 1.32, "16L": 1.28, "17": 1.24, "17L": 1.20, "18": 1.16,
    "18L": 1.12, "19": 1.06,
}  # fmt: skip
"""Gauge numbers, and the middle of what is sold under each, mm."""
USUAL_MM = 1.27
THINNEST_MM, THICKEST_MM = 0.8, 1.6
BED_M = 10.5
PACKET_M = 12.0
SPREAD = 0.06
"""One standard uncertainty of a usual mass, as a share of it: beds differ more than strings do."""


def read_gauge(text: str) -> Typed:
    """A gauge in mm from `1.25`, `1.25 mm`, or a gauge number, `16`, `16L`.
    Raises UnreadableError."""
    clean = " ".join(text.split())
    number = re.sub(r"(?i)\s*(ga|gauge)\.?$", "", clean).upper().replace(" ", "")
    if number in GAUGES_MM:
        return Typed(GAUGES_MM[number], None, "mm", clean)
    typed = read_length(clean)
    if not THINNEST_MM <= typed.value <= THICKEST_MM:
        raise UnreadableError(
            f"“{clean}” is no gauge of a string. Write 1.25 mm, or 15 to 19, like 16L."
        )
    return typed


def made_of(words: str) -> StringMaterial | None:
    """What a string's type says it is made of; None where it does not say.

    >>> made_of("multi, soft"), made_of("natural gut"), made_of("blue")
    ('multifilament', 'natural', None)
    """
    low = words.lower()
    signs: tuple[tuple[str, StringMaterial], ...] = (
        ("poly", "polyester"),
        ("multi", "multifilament"),
        ("natural", "natural"),
        ("synthetic", "synthetic"),
        ("nylon", "synthetic"),
    )
    return next((material for sign, material in signs if sign in low), None)


def fitted_mass(gauge_mm: float | None, material: StringMaterial | None) -> tuple[float, float]:
    """(g, one standard uncertainty) of a string bed of this gauge and material, either unknown."""
    return _mass(BED_M, gauge_mm, material)


def packet_mass(gauge_mm: float | None, material: StringMaterial | None) -> float:
    """What such a string weighs in its packet, g."""
    return _mass(PACKET_M, gauge_mm, material)[0]


def _mass(
    metres: float, gauge_mm: float | None, material: StringMaterial | None
) -> tuple[float, float]:
    across = math.pi / 4 * (gauge_mm or USUAL_MM) ** 2
    density = DENSITY[material] if material else ANY_DENSITY
    mass = across * metres * density
    unknown = math.hypot(0.0 if material else 0.09, 0.0 if gauge_mm else 0.06)
    return mass, mass * math.hypot(SPREAD, unknown)
