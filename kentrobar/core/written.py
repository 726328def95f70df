"""What was written, as it means the same whoever reads it and whatever a bare number is to them."""

from __future__ import annotations

import re

from kentrobar.core.units import PARTED, VULGAR

POINTS = "pts HL"
"""What a bare number in points says: towards the butt."""

_NAMED = re.compile(rf"[^\W\d_{''.join(VULGAR)}]|[%°\"″”']")


def with_unit(text: str, unit: str) -> str:
    """A text as it means the same whatever a bare number is read as: every figure of it that has no
    unit has the one it was read in.

    Args:
        unit: what bare numbers of it were read as: ``g``, ``mm``, ``pt``, ``%``.

    >>> with_unit("12 7/8", "in"), with_unit("6", "pt"), with_unit("317 316; 11 oz", "g")
    ('12 7/8 in', '6 pts HL', '317 316 g; 11 oz')
    """
    word = POINTS if unit == "pt" else unit
    parts = PARTED.split(text)
    for i in range(0, len(parts), 2):
        if re.search(rf"[\d{''.join(VULGAR)}]", parts[i]) and not _NAMED.search(parts[i]):
            parts[i] = f"{parts[i].rstrip()} {word}"
    return "".join(parts) if unit else text
