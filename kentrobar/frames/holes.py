"""The grommet holes of a frame, as people write them down."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.units import Shown, show_length

MOST_HOLES = 80


def read_holes(text: str, outline: Outline, shown: Shown) -> list[float]:
    """Arcs in mm, growing, each once, from `6 19 32 45`.
    Raises UnreadableError where they cannot be."""
    if not text.strip():
        return []
    typed = units.read_many(text, partial(units.read_length, default=shown.length))
    holes_mm = sorted({round(one.value, 1) for one in typed})
    half = outline.path("edge").length / 2
    if not 0 <= holes_mm[0] <= holes_mm[-1] <= half or len(holes_mm) > MOST_HOLES:
        raise UnreadableError(
            f"Each hole lies between 0 and {show_length(half, shown.length)} {shown.length} from"
            f" the tip’s centre, down one side; at most {MOST_HOLES} of them."
        )
    return holes_mm


def holes_text(holes_mm: Sequence[float], shown: Shown) -> str:
    return " ".join(show_length(arc, shown.length) for arc in holes_mm)
