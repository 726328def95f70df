"""The kinds of piece there are. A new one is a class in a file beside this, and a row here.

A run of tape is an integral along its curve, never a point; see each kind for its own sums.
"""

from __future__ import annotations

from functools import lru_cache

from kentrobar.core.geometry.outline import Outline

from .bevels import Bevels
from .body import Body
from .piece import Piece
from .plug import Plug
from .point import Point
from .sleeve import Sleeve
from .strings import Strings
from .strip import Strip
from .throat import Throat

KINDS: dict[str, type[Piece]] = {
    "strip": Strip,
    "throat": Throat,
    "point": Point,
    "plug": Plug,
    "sleeve": Sleeve,
    "bevels": Bevels,
    "strings": Strings,
}


@lru_cache(maxsize=8192)
def body_of(piece: Piece, outline: Outline) -> Body:
    """The Body of a piece on this outline (call ``faults`` first on anything a person typed).

    Remembered: of a plan's pieces only the one in the hand is another than a moment ago.
    """
    return piece.unit(outline) * piece.mass_g
