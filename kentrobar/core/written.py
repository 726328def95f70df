"""What was written, as it means the same whoever reads it and whatever a bare number is to them."""

from __future__ import annotations

import re

from kentrobar.core.units import PARTED, VULGAR

_NAMED = re.compile(rf"[^\W\d_{''.join(VULGAR)}]|[%°\"″”']")


def unit_word(unit: str) -> str:
    """How a unit of bare numbers is written behind one: in points a bare number is head-light."""
    return "pts HL" if unit == "pt" else unit


def with_unit(text: str, unit: str) -> str:
    """A text as it means the same whatever a bare number is read as: every figure of it that has no
    unit has the one it was read in.

    Args:
        unit: what bare numbers of it were read as: ``g``, ``mm``, ``pt``, ``%``.

    >>> with_unit("12 7/8", "in"), with_unit("6", "pt"), with_unit("317 316; 11 oz", "g")
    ('12 7/8 in', '6 pts HL', '317 316 g; 11 oz')
    """
    word = unit_word(unit)
    parts = PARTED.split(text)
    for i in range(0, len(parts), 2):
        if re.search(rf"[\d{''.join(VULGAR)}]", parts[i]) and not _NAMED.search(parts[i]):
            parts[i] = f"{parts[i].rstrip()} {word}"
    return "".join(parts) if unit else text
