"""The state of a plan: figures, pieces, targets. Parsed from what the database keeps, and put
back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from kentrobar.core.frame.predict import LadenFrame, Measured
from kentrobar.core.frame.targets import Targets
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_measured, dump_piece, parse_measured, parse_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.rolls import PerLength

TARGETS = ""
"""The targets among the things a change can touch; no piece has an empty id."""


@dataclass(frozen=True, slots=True)
class PlanState:
    """``measured`` is a copy of the readings the plan started from, in ``condition``.

    ``touched`` says at which version of the plan each piece (by id) and the targets were last
    changed: that is how a late change from another window is merged or refused.
    """

    measured: Measured
    condition: str
    pieces: tuple[Piece, ...] = ()
    targets: Targets = Targets()
    touched: Mapping[str, int] = field(default_factory=dict)
    of_set: int | None = None
    """Key of the set it was made for."""
    carries: tuple[int, ...] = ()
    """Keys of the plans this one was made on top of: their pieces are among its own, as far as it
    keeps them."""

    @classmethod
    def parse(cls, content: Mapping[str, Any]) -> PlanState:
        measured = parse_measured(content["measured"])
        if "assumed" in content:  # of before it stood with the figures
            measured = replace(measured, assumed=tuple(content["assumed"]))
        return cls(
            measured=measured,
            condition=content["condition"],
            pieces=tuple(parse_piece(piece) for piece in content["pieces"]),
            targets=Targets.parse(content["targets"]),
            touched=content["touched"],
            of_set=content.get("set"),
            carries=tuple(content.get("carries", ())),
        )

    def dump(self) -> dict[str, Any]:
        return {
            "measured": dump_measured(self.measured),
            "condition": self.condition,
            "pieces": [dump_piece(piece) for piece in self.pieces],
            "targets": self.targets.dump(),
            "touched": dict(self.touched),
            **({"carries": list(self.carries)} if self.carries else {}),
            **({} if self.of_set is None else {"set": self.of_set}),
        }

    @property
    def assumed(self) -> tuple[str, ...]:
        """The figures nobody has read yet."""
        return self.measured.assumed

    def to_plan(self, outline: Outline, rolls: Mapping[str, PerLength] | None = None) -> LadenFrame:
        return LadenFrame(frame=outline, measured=self.measured, pieces=self.pieces, rolls=rolls)

    @property
    def tapes(self) -> set[str]:
        """Names of the materials its strips are cut from."""
        return {piece.material for piece in self.pieces if piece.material and piece.strips()[1]}

    def piece(self, piece_id: str) -> Piece | None:
        return next((piece for piece in self.pieces if piece.id == piece_id), None)

    def number(self, piece_id: str | None) -> int:
        """The number a piece carries on the bench, from 1; 0 where it is not there."""
        return next((i for i, piece in enumerate(self.pieces, 1) if piece.id == piece_id), 0)

    def with_piece(self, changed: Piece) -> PlanState:
        """The same state with the piece of the same id replaced."""
        return replace(
            self,
            pieces=tuple(changed if piece.id == changed.id else piece for piece in self.pieces),
        )

    def stamped(self, since: PlanState, version: int) -> PlanState:
        """This state with everything that differs from ``since`` stamped as touched at
        ``version``."""
        before = {piece.id: piece for piece in since.pieces}
        touched = {
            str(piece.id): since.touched.get(str(piece.id), version)
            if before.get(piece.id) == piece
            else version
            for piece in self.pieces
        }
        if self.targets != since.targets or self.measured != since.measured:
            touched[TARGETS] = version
        elif TARGETS in since.touched:
            touched[TARGETS] = since.touched[TARGETS]
        return replace(self, touched=touched)


def with_ids(pieces: tuple[Piece, ...]) -> tuple[Piece, ...]:
    """Give every piece an id of its own; those that have one and are first with it keep it."""
    used: set[str] = set()
    named = []
    for piece in pieces:
        name = piece.id
        if not name or name in used:
            name = new_id(used | {p.id for p in pieces if p.id})
            piece = replace(piece, id=name)
        used.add(name)
        named.append(piece)
    return tuple(named)


def new_id(used: set[str]) -> str:
    """The first of p1, p2, … that is free."""
    number = 1
    while f"p{number}" in used:
        number += 1
    return f"p{number}"
