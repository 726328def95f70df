"""How well the mass of a planned piece is known before it is weighed: its roll, the hand that cuts,
the kind it is."""

from __future__ import annotations

import math
from collections.abc import Mapping

from .piece import Piece
from .rolls import MAKER_U, PerLength

WEIGHED_U_G = 0.03
"""Standard uncertainty of a piece weighed by itself, g."""
DOSED_U_G = 0.05
"""Standard uncertainty of putty dosed on a scale, g."""
UNWEIGHED_U = 0.03
"""Relative standard uncertainty of a part that was not weighed."""


def error_of(piece: Piece, rolls: Mapping[str, PerLength]) -> tuple[str, float]:
    """What leaves the mass of a planned piece open: the roll that errs through all pieces cut off
    it, '' for none, and one standard uncertainty, g, of this piece by itself.

    Args:
        rolls: what is known of each tape, by name.
    """
    if piece.weighed:
        return "", WEIGHED_U_G
    length, strips = piece.strips()
    roll = rolls.get(piece.material or "")
    if strips and roll:
        return piece.material or "", roll.cut_u(length, strips)
    return "", unweighed_u(piece)


def mass_u(piece: Piece, rolls: Mapping[str, PerLength]) -> float:
    """One standard uncertainty, g, of a planned piece: its roll's and its own."""
    roll, by_itself = error_of(piece, rolls)
    return math.hypot(rolls[roll].share * piece.mass_g, by_itself) if roll else by_itself


def unweighed_u(piece: Piece) -> float:
    """One standard uncertainty, g, of a piece of no known roll that was not weighed by itself."""
    if piece.weighed:
        return WEIGHED_U_G
    if piece.strips()[1]:
        return MAKER_U * piece.mass_g
    if piece.is_dosed and piece.mass_g > 0:
        return DOSED_U_G
    return max(DOSED_U_G, UNWEIGHED_U * abs(piece.mass_g))
