"""Grams and cut of tape are one relation, tied by what its roll weighs per length.

Where a roll is known, a cut says its grams and grams say their cut; neither is ever kept beside the
other. A piece that was weighed by itself keeps what the scale said, and is held against its roll.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import length_text

from .piece import MOST_LAYERS, Piece
from .rolls import PerLength
from .uncertain import WEIGHED_U_G

APART = 3.0
"""A weighed piece is asked about where it lies so many standard uncertainties from its roll."""
NEAR = 0.02
"""Relative mass error below which two cuts rank equal."""
SAME_G = 0.011
"""Grams that differ by less were only rounded."""
ROUNDED_G = 0.0051


@dataclass(frozen=True, slots=True)
class CutChoice:
    """One way to cut so many grams: the piece as it would be, and whether it fits where it lies."""

    piece: Piece
    fits: bool

    @property
    def length_mm(self) -> float:
        return self.piece.tape()[0]


def grams_of(piece: Piece, roll: PerLength) -> float:
    """What the cut of a piece weighs, g, all strips together."""
    length, strips = piece.tape()
    return roll.g_per_mm * length * strips


def by_cut(piece: Piece, roll: PerLength) -> Piece:
    """The same cut with the grams that follow from it, to the hundredth a scale shows."""
    return replace(piece, mass_g=round(grams_of(piece, roll), 2), weighed=None)


def carried(piece: Piece, before: Piece, roll: PerLength | None) -> Piece:
    """A piece as a hand changed it, with the grams its tape now comes to: by its roll, or where
    that is not known by as much more or less tape as it is. What was weighed is no longer known
    once its tape has changed."""
    if piece.mass_g <= 0 or not piece.is_tape:
        return piece
    is_same_tape = piece.tape() == before.tape() and piece.material == before.material
    if is_same_tape:
        # Only laid elsewhere: the same strips weigh the same.
        return replace(piece, mass_g=before.mass_g)
    if roll is None:
        return replace(replace(piece, mass_g=before.mass_g).with_tape_of(before), weighed=None)
    return by_cut(piece, roll)


def ways_to(
    piece: Piece, grams: float, roll: PerLength, outline: Outline, step_mm: float, room_mm: float
) -> list[CutChoice]:
    """How so many grams could be cut for this place, the handiest first.

    In whole steps of length and the fewest layers that come near; where one way fits there and
    another does not, both are given.

    Args:
        step_mm: the workshop's cutting step. room_mm: the longest strip that is usual here.
    """
    layers = piece.layers or 1
    per_layer = roll.g_per_mm * piece.tape()[1] / layers
    found: list[CutChoice] = []
    for count in dict.fromkeys((layers, *range(1, MOST_LAYERS + 1))):
        cut = max(round(grams / (per_layer * count) / step_mm) * step_mm, step_mm)
        laid = replace(piece, layers=count if count > 1 or piece.layers else None)
        way = by_cut(laid.cut_to(outline, cut), roll)
        found.append(CutChoice(way, way.tape()[0] <= room_mm + 1e-9))
    off = {id(way): abs(way.piece.mass_g - grams) for way in found}
    ways = []
    for fits in (True, False):
        there = [way for way in found if way.fits == fits]
        if there:
            # The layers as they are, else the fewest, that come as near as a cut here can come.
            near = max(NEAR * grams, min(off[id(way)] for way in there) + SAME_G)
            ways.append(next(way for way in there if off[id(way)] <= near))
    return ways


def wanted(piece: Piece, grams: float) -> Piece:
    """A cut piece that notes how many grams were wanted where it weighs something else."""
    is_met = abs(piece.mass_g - grams) < ROUNDED_G
    return replace(piece, wanted_g=None if is_met else grams)


def wanted_of(piece: Piece) -> float:
    """The grams a piece was wanted to have: its own where nothing else was."""
    return piece.mass_g if piece.wanted_g is None else piece.wanted_g


def cut_text(piece: Piece) -> str:
    """`4 × 50.8 mm, 2 layers`."""
    length, strips = piece.tape()
    layers = piece.layers or 1
    cut = f"{strips // layers} × {length_text(length)}"
    return f"{cut}, {layers} layers" if layers > 1 else cut


def off_its_roll(piece: Piece, roll: PerLength | None) -> float:
    """How much heavier a strip is than its roll says of its cut, g; 0 where they agree as well as
    they must: to the last digit, and where it was weighed within chance."""
    if roll is None or piece.mass_g <= 0 or not piece.is_tape:
        return 0.0
    length, strips = piece.tape()
    grams, u = roll.piece(length, strips)
    off = piece.mass_g - grams
    allowed = APART * math.hypot(u, WEIGHED_U_G) if piece.weighed else SAME_G
    return off if abs(off) > allowed else 0.0
