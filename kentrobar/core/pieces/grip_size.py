"""What is wound round a handle makes it thicker: by how much round, and in grip sizes."""

from __future__ import annotations

from collections.abc import Iterable

from kentrobar.core.geometry.outline import Outline

from .piece import Piece, Stretch

SIZE_MM = 3.175
"""A grip size: an eighth of an inch round."""
MUCH_SIZES = 0.5
"""From half a size on a hand notices."""
DENSITIES = (
    ("lead-free", 4.0), ("lead", 9.0), ("tungsten", 9.0), ("copper", 7.0), ("leather", 0.71),
    ("overgrip", 0.8), ("wrapper", 1.3), ("shrink", 1.3), ("cotton", 0.4), ("grip", 0.35),
)  # fmt: skip
"""Grams per cm³ as wound, by what the name of the material holds; of anything else 1: our own
guess. Of an overgrip of 0.5 mm a hand feels about 0.35: foam gives, and its turns overlap."""


def girth_mm(name: str, mass_g: float, length_mm: float, outline: Outline) -> float:
    """How much longer a tape round the handle reads, mm, once so much of a material lies round so
    long a stretch of it: 2π times its thickness. Below 0 where it comes off.

    >>> from kentrobar.core.geometry.presets import PRESETS
    >>> round(girth_mm("overgrip", 5.5, 180.0, PRESETS["racket-98"][1]), 1)
    2.4
    """
    low = name.lower()
    density = next((grams for word, grams in DENSITIES if word in low), 1.0)
    if length_mm <= 0:
        return 0.0
    return mass_g / (density / 1000) / (length_mm * outline.handle_radius_mm)


def wound_mm(pieces: Iterable[Piece], outline: Outline) -> float:
    """What all that is wound round the handle adds, mm round."""
    wound = (piece for piece in pieces if isinstance(piece, Stretch) and piece.is_round_the_handle)
    return sum(
        girth_mm(one.material or one.site or "", one.mass_g, one.to_mm - one.from_mm, outline)
        for one in wound
    )
