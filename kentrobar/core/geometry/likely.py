"""How large each dimension of a frame can be, widely: what tells a bare number's unit."""

from __future__ import annotations

from kentrobar.core.units import LENGTH, Typed

from .kinds import FRAME_KINDS


def units_meant(kind: str, name: str, typed: Typed) -> list[str]:
    """Units a bare number may have been meant in, where it cannot have been the one it was taken
    in; empty where the unit was written or what was taken can be.

    >>> from kentrobar.core.units import read_length
    >>> units_meant("paddle", "handle_mm", read_length("13.3"))
    ['cm']
    """
    low, high = FRAME_KINDS[kind].likely_mm[name]
    if any(one.isalpha() or one in '"″”' for one in typed.text) or low <= typed.value <= high:
        return []
    number = typed.value / LENGTH[typed.unit]
    return [unit for unit in LENGTH if low <= number * LENGTH[unit] <= high]
