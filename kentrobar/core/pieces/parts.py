"""What a frame usually carries: strings, grips, a dampener, a guard; their usual masses and places.

A workshop's own weighings replace these masses. Starters, conditions and suspicions all begin here.
"""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Literal

from kentrobar.core.errors import PlacementError
from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import LEAST_MM, Strip

ConditionKey = Literal["no-grip", "bare", "strung", "as-played"]
CONDITIONS: tuple[ConditionKey, ...] = ("no-grip", "bare", "strung", "as-played")
"""From what has least on to what has most."""


@dataclass(frozen=True, slots=True)
class PartKind:
    """A kind of part: its usual mass in g (lowest, usual, highest) and from which condition it is
    on.

    ``place_u_mm`` is how well its centre of mass is known where nobody measured it.
    """

    label: str
    grams: tuple[float, float, float]
    on_from: ConditionKey
    place_u_mm: float
    strung_only: bool = False

    @property
    def mass_u(self) -> float:
        """One standard uncertainty of the usual mass: an even spread between lowest and highest."""
        return round((self.grams[2] - self.grams[0]) / math.sqrt(12), 2)


PARTS: dict[str, PartKind] = {
    "strings": PartKind("strings", (14.0, 16.5, 19.0), "strung", 4.0, strung_only=True),
    "overgrip": PartKind("overgrip", (4.0, 5.5, 7.0), "as-played", 4.0),
    "dampener": PartKind("dampener", (2.0, 2.5, 5.0), "as-played", 8.0, strung_only=True),
    "edge-tape": PartKind("edge tape", (3.0, 5.0, 8.0), "as-played", 6.0),
    "grip": PartKind("replacement grip", (15.0, 17.5, 20.0), "bare", 5.0),
    "leather-grip": PartKind("leather grip", (24.0, 27.0, 30.0), "bare", 5.0),
    "bumper": PartKind("bumper guard alone", (2.5, 4.5, 7.0), "no-grip", 8.0, strung_only=True),
    "guard": PartKind(
        "bumper guard with grommet strip", (9.0, 12.0, 16.0), "no-grip", 15.0, strung_only=True
    ),
    "cap": PartKind("butt cap", (6.0, 9.0, 14.0), "no-grip", 3.0),
    "wrapper": PartKind("handle wrapper", (1.5, 2.0, 2.5), "no-grip", 5.0),
    "old-tape": PartKind("tape it came with", (1.0, 4.0, 15.0), "no-grip", 10.0),
}


ROUND_THE_TIP = {"bumper": 0.22, "guard": 0.45, "edge-tape": 0.8}
"""Parts on the edge about the tip, and how much of it they cover."""
OLD_TAPE_MM = 76.2


def usual_piece(kind: str, outline: Outline, mass_g: float) -> Piece:
    """Where a part of this kind usually sits on this frame."""
    handle = outline.handle_length_mm
    if kind == "strings":
        return Strings(mass_g=mass_g)
    if kind == "dampener":
        base = outline.hoop_base_mm if isinstance(outline, Racket) else handle
        return Point(mass_g=mass_g, x_mm=base + outline.rim_mm + 8)
    if kind == "cap":
        return Plug(mass_g=mass_g, from_mm=0.0, to_mm=25.0)
    if kind in ROUND_THE_TIP:
        length = ROUND_THE_TIP[kind] * outline.path("edge").length
        return Strip(mass_g=mass_g, clock=12.0, length_mm=length, line="edge")
    if kind == "old-tape":
        return Strip(mass_g=mass_g, clock=3.0, length_mm=OLD_TAPE_MM, line="face", mirror=True)
    return Sleeve(mass_g=mass_g, from_mm=0.0, to_mm=handle)


def part_piece(
    kind: str, outline: Outline, mass_g: float,
    from_mm: float | None = None, to_mm: float | None = None,
) -> Piece:  # fmt: skip
    """Where a part sits on this frame: where it was measured to, else where it usually does."""
    usual = usual_piece(kind, outline, mass_g)
    if from_mm is None or to_mm is None:
        return usual
    if isinstance(usual, Strip) and usual.mirror:
        # Tape on the rim lies on its line, not on the centre line.
        with suppress(PlacementError):
            at = usual.placed(outline, "middle", (from_mm + to_mm) / 2)
            return replace(at, length_mm=max(to_mm - from_mm, LEAST_MM))
    if to_mm > from_mm:
        return Sleeve(mass_g=mass_g, from_mm=from_mm, to_mm=to_mm)
    return Point(mass_g=mass_g, x_mm=from_mm)
