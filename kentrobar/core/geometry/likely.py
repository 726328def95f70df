"""How large each dimension of a frame can be, widely: what tells a bare number's unit."""

from __future__ import annotations

from kentrobar.core.units import LENGTH, Typed

LIKELY_MM: dict[str, dict[str, tuple[float, float]]] = {
    "racket": {
        "length_mm": (400, 800),
        "width_mm": (150, 330),
        "widest_mm": (250, 650),
        "hoop_base_mm": (180, 480),
        "rim_mm": (4, 30),
        "beam_mm": (8, 40),
        "handle_length_mm": (80, 280),
        "handle_radius_mm": (9, 26),
    },
    "paddle": {
        "length_mm": (300, 620),
        "width_mm": (130, 260),
        "handle_mm": (70, 230),
        "corner_top_mm": (0, 130),
        "corner_bottom_mm": (0, 130),
        "top_rise_mm": (5, 200),
        "width_high_mm": (80, 260),
        "width_middle_mm": (80, 260),
        "width_low_mm": (80, 260),
        "neck_mm": (5, 120),
        "rim_mm": (2, 30),
        "beam_mm": (5, 30),
        "handle_radius_mm": (8, 26),
    },
}
"""Juniors' and oversizes included; what lies outside is no frame of ours."""


def units_meant(kind: str, name: str, typed: Typed) -> list[str]:
    """Units a bare number may have been meant in, where it cannot have been the one it was taken
    in; empty where the unit was written or what was taken can be.

    >>> from kentrobar.core.units import read_length
    >>> units_meant("paddle", "handle_mm", read_length("13.3"))
    ['cm']
    """
    low, high = LIKELY_MM[kind][name]
    if any(one.isalpha() or one in '"″”' for one in typed.text) or low <= typed.value <= high:
        return []
    number = typed.value / LENGTH[typed.unit]
    return [unit for unit in LENGTH if low <= number * LENGTH[unit] <= high]
