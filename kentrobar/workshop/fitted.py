"""What signed-off sheets put on a frame, for whoever plans on top of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from kentrobar.core.pieces import Piece
from kentrobar.frames.fitted import Fitting
from kentrobar.frames.models import Frame

from .models import Sheet


@dataclass(frozen=True, slots=True)
class Carried:
    """What a sheet carries over from others that are on the frame: the numbers of its own pieces that are on already,
    what of theirs it leaves out, and those sheets, which it takes the place of once it is signed off."""

    already: frozenset[int] = frozenset()
    leaves_out: tuple[Piece, ...] = ()
    sheets: tuple[Sheet, ...] = ()


def carried(sheet: Sheet) -> Carried:
    """A plan made on top of another has the other's pieces too; they are not cut and not counted twice."""
    if sheet.signed_off_at:
        return Carried()
    own = [_plain(piece) for piece in sheet.pieces]
    others = Sheet.objects.filter(
        plan__frame=sheet.plan.frame_id, signed_off_at__isnull=False, taken_off_at=None
    )
    already: set[int] = set()
    leaves_out: list[Piece] = []
    sheets: list[Sheet] = []
    for other in others.exclude(pk=sheet.pk):
        theirs = [_plain(piece) for piece in other.pieces]
        shared = {number for number, piece in enumerate(own, 1) if piece in theirs and piece["mass_g"] > 0}
        if shared:
            already |= shared
            pieces = zip(theirs, other.core_pieces(), strict=True)
            leaves_out += [piece for plain, piece in pieces if plain not in own and piece.mass_g > 0]
            sheets.append(other)
    return Carried(frozenset(already), tuple(leaves_out), tuple(sheets))


def _plain(piece: dict[str, Any]) -> dict[str, Any]:
    """A piece of a document without the name it goes by in its plan."""
    return {key: value for key, value in piece.items() if key != "id"}


def fittings(frame: Frame) -> Iterator[Fitting]:
    sheets = Sheet.objects.filter(plan__frame=frame, signed_off_at__isnull=False)
    for sheet in sheets.select_related("plan").defer("plan__content"):
        assert sheet.signed_off_at is not None
        yield Fitting(
            sheet.plan_id, sheet.plan.name, sheet.core_pieces(), sheet.signed_off_at, sheet.taken_off_at
        )
