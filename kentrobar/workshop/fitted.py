"""What signed-off sheets put on a frame, for whoever plans on top of it."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace

from kentrobar.core.pieces.piece import Piece
from kentrobar.frames.fitted import Fitting

from .models import Sheet

SAME_MASS = 0.15
"""Largest relative difference between the planned and the weighed mass of one piece."""


@dataclass(frozen=True, slots=True)
class Carried:
    """What a sheet carries over from others that are on the frame: the numbers of its own pieces
    that are on already, what of theirs it leaves out, and those sheets, which it takes the place of
    once it is signed off."""

    already: frozenset[int] = frozenset()
    leaves_out: tuple[Piece, ...] = ()
    sheets: tuple[Sheet, ...] = ()


def carried(sheet: Sheet) -> Carried:
    """A plan made on top of another has the other's pieces too; they are not cut and not counted
    twice."""
    if sheet.signed_off_at:
        return Carried()
    own = sheet.core_pieces()
    below = sheet.plan.state().carries
    others = Sheet.objects.filter(plan__in=below, signed_off_at__isnull=False, taken_off_at=None)
    already: set[int] = set()
    leaves_out: list[Piece] = []
    sheets: list[Sheet] = []
    for other in others.select_related("plan"):
        theirs = [piece for piece in other.core_pieces() if piece.mass_g > 0]
        already |= {
            i for i, piece in enumerate(own, 1) if any(_is_same(piece, one) for one in theirs)
        }
        leaves_out += [one for one in theirs if not any(_is_same(piece, one) for piece in own)]
        sheets.append(other)
    return Carried(frozenset(already), tuple(leaves_out), tuple(sheets))


def _is_same(one: Piece, other: Piece) -> bool:
    """The same piece, by its place and size; weighed meanwhile, it may be some grams in a hundred
    off its plan."""
    places = (replace(piece, id=None, mass_g=0.0) for piece in (one, other))
    return next(places) == next(places) and math.isclose(
        one.mass_g, other.mass_g, rel_tol=SAME_MASS
    )


def fittings(frames: Collection[int]) -> Iterator[tuple[int, Fitting]]:
    sheets = Sheet.objects.filter(plan__frame__in=frames, signed_off_at__isnull=False)
    for sheet in sheets.select_related("plan").defer("plan__content").order_by("pk"):
        assert sheet.signed_off_at is not None
        yield (
            sheet.plan.frame_id,
            Fitting(
                sheet.plan_id,
                sheet.plan.name,
                sheet.core_pieces(),
                sheet.signed_off_at,
                sheet.taken_off_at,
            ),
        )
