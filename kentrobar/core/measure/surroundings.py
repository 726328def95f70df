"""What swings with a frame beside itself: the earth that pulls, the air its face carries, the pin
it rolls on. Each has its formula, its size and its source in docs/physics.md, "What else swings".
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable
from functools import lru_cache

from kentrobar.core.geometry.outline import Outline, Paddle
from kentrobar.core.numbers import Number
from kentrobar.core.pieces.body import KGCM2

GRAVITY = 9.80665
"""m/s², where nobody says where the workshop stands: the standard's, that of 45° at the sea."""

AIR_G_MM3 = 1.2e-6
"""Air at the height and the warmth of most workshops."""
SHORT_FACE = 0.65
"""Added mass of air of a paddle's face as a share of a long strip's: air slips round its ends."""
AIR_U = 0.15
"""Share of itself the carried air is uncertain by."""
STRING_MM = 1.30
"""How thick a string is."""


def gravity(latitude_deg: float, height_m: float = 0.0) -> float:
    """g in m/s² at a latitude and a height above the sea (international gravity formula of 1980,
    free air)."""
    sine = math.sin(math.radians(latitude_deg)) ** 2
    double = math.sin(math.radians(2 * latitude_deg)) ** 2
    return 9.780327 * (1 + 0.0053024 * sine - 0.0000058 * double) - 3.086e-6 * height_m


def roll_mm(pin_mm: Number, string_mm: float | None = STRING_MM) -> Number:
    """By how much a frame that hangs on a round pin swings as if hung higher than it touches.

    What rests on the pin rolls over it: the touching point moves towards the side the frame swings
    to, so gravity pulls it back with the arm d + s·r/(s + r), with r and s the radii of pin and
    string.

    Args:
        pin_mm: the pin's thickness. string_mm: the string's; None for something flat, a rim.
    """
    radius = pin_mm / 2
    if string_mm is None:
        return radius
    own = string_mm / 2
    return own * radius / (own + radius)


def face_air_kgcm2(outline: Outline, about_mm: float) -> float:
    """What air adds to a paddle's swing weight about an axis, kg·cm²: what its face pushes along,
    ∫ 0.65·π·ρ·b²·(x − a)² dx over its half widths b, and what is sealed in it, which swings and is
    not weighed, ∫ 2·ρ·t·b·(x − a)² dx of its thickness t. 0 for a racket: its strings let the air
    through.
    """
    return _integral(
        outline, lambda half, x, thick: (pushed(half) + 2 * thick * half) * (x - about_mm) ** 2
    )


def face_air_twist_kgcm2(outline: Outline) -> float:
    """The same about its own long centre line: ∫ 0.65·π·ρ·b⁴/8 dx and ∫ 2·ρ·t·b³/3 dx, kg·cm²."""
    return _integral(
        outline, lambda half, x, thick: pushed(half) * half**2 / 8 + 2 * thick * half**3 / 3
    )


def pushed(half_mm: float) -> float:
    """Of a strip so wide, how much air goes with it for each mm of its length, mm²."""
    return SHORT_FACE * math.pi * half_mm**2


def _integral(outline: Outline, of: Callable[[float, float, float], float]) -> float:
    if not isinstance(outline, Paddle):
        return 0.0
    widths = _half_widths(outline)
    step = widths[1][0] - widths[0][0]
    whole = sum(of(half, x, outline.beam_mm) for x, half in widths) * step
    return AIR_G_MM3 * whole / KGCM2


@lru_cache(maxsize=64)
def _half_widths(outline: Paddle, steps: int = 120) -> tuple[tuple[float, float], ...]:
    """(x, half the width there) in mm along the face, butt to tip, at the middles of even steps."""
    path = outline.path("edge")
    # From the tip down one side: turned round, x rises all the way.
    edge = path.run(0.0, path.length / 2, 1.0)[::-1]
    along = [x for x, _ in edge]
    low, high = edge[0][0], edge[-1][0]
    found = []
    for i in range(steps):
        x = low + (high - low) * (i + 0.5) / steps
        k = min(max(bisect_left(along, x), 1), len(edge) - 1)
        (x0, y0), (x1, y1) = edge[k - 1], edge[k]
        found.append((x, y0 + (y1 - y0) * (x - x0) / (x1 - x0) if x1 > x0 else max(y0, y1)))
    return tuple(found)
