"""What a hand at the bench goes by when it changes tape: the rolls, the cutting step, and whether
it holds the cut or the grams."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.cutting import CutChoice, by_cut, carried, wanted_of, ways_to
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.shop.models import Settings
from kentrobar.stock import shelf

HOLD = "hold-grams"
"""The key of a person's session under which it stands that grams are held."""


@dataclass
class Hand:
    """``holds_grams``: what is changed about a strip changes its cut and keeps its grams.
    ``holes_mm``: where the frame's grommet holes are, which a strip may be laid by. ``noted_g``:
    what the parts on the frame weigh, by their kinds."""

    holds_grams: bool = False
    holes_mm: Sequence[float] = ()
    noted_g: Mapping[str, float] = field(default_factory=dict)
    _rolls: dict[str, PerLength | None] = field(default_factory=dict)
    _step_mm: float = 0.0

    @property
    def step_mm(self) -> float:
        self._step_mm = self._step_mm or Settings.load().cut_step_mm
        return self._step_mm

    def rolls(self, names: Collection[str]) -> dict[str, PerLength]:
        """What is known of these tapes; each is asked for once."""
        new = {name for name in names if name not in self._rolls}
        if new:
            self._rolls |= dict.fromkeys(new) | shelf.rolls(new)
        return {name: roll for name in names if (roll := self._rolls[name]) is not None}

    def roll(self, material: str | None) -> PerLength | None:
        """What is known of a tape, by its name."""
        return self.rolls({material}).get(material) if material else None

    def ways(self, piece: Piece, grams: float, outline: Outline) -> list[CutChoice]:
        """How so many grams could be cut for a piece; none where its roll is not known."""
        roll = self.roll(piece.material) if piece.is_tape else None
        if roll is None or not piece.tape()[1] or grams <= 0:
            return []
        room = max(piece.room_mm(outline), piece.tape()[0])
        return ways_to(piece, grams, roll, outline, self.step_mm, room)

    def settled(self, piece: Piece, before: Piece, outline: Outline) -> Piece:
        """A changed piece with the grams of its cut, or where grams are held with their cut."""
        if self.holds_grams and piece.tape() != before.tape():
            ways = self.ways(piece, wanted_of(before), outline)
            same = [way for way in ways if (way.piece.layers or 1) == (piece.layers or 1)]
            if ways:
                return (same or ways)[0].piece
        return carried(piece, before, self.roll(piece.material))

    def laid(self, piece: Piece) -> Piece:
        """A new piece with the grams its cut comes to off this workshop's roll."""
        roll = self.roll(piece.material) if piece.is_tape and piece.mass_g > 0 else None
        return by_cut(piece, roll) if roll else piece
