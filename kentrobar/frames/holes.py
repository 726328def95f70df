"""The grommet holes of a frame, as people write them down."""

from __future__ import annotations

from collections.abc import Sequence

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import length_number, length_text
from kentrobar.ui.fields import length_reader

MOST_HOLES = 80


def read_holes(text: str, outline: Outline) -> list[float]:
    """Arcs in mm, growing, each once, from `6 19 32 45`.
    Raises UnreadableError where they cannot be."""
    if not text.strip():
        return []
    typed = units.read_many(text, length_reader())
    holes_mm = sorted({round(one.value, 1) for one in typed})
    half = outline.path("edge").length / 2
    if not 0 <= holes_mm[0] <= holes_mm[-1] <= half or len(holes_mm) > MOST_HOLES:
        raise UnreadableError(
            f"Each hole lies between 0 and {length_text(half)} from"
            f" the tip’s centre, down one side; at most {MOST_HOLES} of them."
        )
    return holes_mm


def holes_text(holes_mm: Sequence[float]) -> str:
    return " ".join(length_number(arc) for arc in holes_mm)
