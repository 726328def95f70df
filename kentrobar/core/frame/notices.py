"""What a plan's figures say that people often believe otherwise, or should know before cutting."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.cautions import FOAM
from kentrobar.core.pieces.cutting import grams_of, off_its_roll
from kentrobar.core.pieces.grip_size import MUCH_SIZES, SIZE_MM, wound_mm
from kentrobar.core.pieces.piece import Cover
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.words import Message, message

from .plausibility import Doubt, doubts
from .predict import LadenFrame, Prediction

OFF_CENTRE_MM = 0.05
LEAST_OVERLAP_MM = 1.0
LEAST_GIRTH_MM = 0.2


@dataclass(frozen=True, slots=True)
class Notice:
    """Something to know at the bench. ``piece`` is the index of the piece it is about, if any."""

    code: str
    message: Message | Doubt
    piece: int | None = None

    @property
    def text(self) -> str:
        return str(self.message)


def notices(
    plan: LadenFrame,
    prediction: Prediction,
    axis: float | None = None,
    is_foam: bool = False,
    strings: Body | None = None,
) -> list[Notice]:
    """All notices of a plan, the general ones first.

    Args:
        axis: what swing weights are said about, mm from the butt; as measured where None.
        is_foam: whether the handle has no cavity. strings: what is to be strung into it yet.
    """
    axis = plan.measured.axis_mm if axis is None else axis
    return [
        *_of_the_frame(plan, prediction),
        *(_of_strings(prediction, strings, axis) if strings else ()),
        *(_of_foam(plan) if is_foam else ()),
        *_of_pieces(plan, prediction, axis),
        *_of_overlaps(plan),
    ]


def _of_the_frame(plan: LadenFrame, prediction: Prediction) -> Iterator[Notice]:
    for doubt in doubts(plan.measured, plan.frame):
        yield Notice(f"{doubt.severity}-{doubt.field.split('_')[0]}", doubt)
    if plan.measured.twist_kgcm2 is None and plan.pieces:
        yield _notice("twist-not-measured", change=nominal(prediction.added.twist_kgcm2))
    wound = wound_mm(plan.pieces, plan.frame)
    if abs(wound) > LEAST_GIRTH_MM:
        code = "grip-size-much" if abs(wound) > MUCH_SIZES * SIZE_MM else "grip-size"
        yield _notice(code, mm=wound, sizes=wound / SIZE_MM)
    offset = nominal(prediction.after.offset)
    if abs(offset) > OFF_CENTRE_MM:
        yield _notice("off-centre", offset=offset)


def _of_pieces(plan: LadenFrame, prediction: Prediction, axis: float) -> Iterator[Notice]:
    for i, (piece, share) in enumerate(zip(plan.pieces, prediction.shares, strict=True)):
        for _, reason in piece.faults(plan.frame):
            # An outline measured again can leave a piece of an older plan behind.
            yield _notice("does-not-fit", i, reason=reason)
        at_the_hand = (
            share.body.mass > 0 and nominal(share.body.balance) < plan.frame.handle_length_mm
        )
        if piece.is_at_the_hand and at_the_hand:
            swing = nominal(share.body.swing_kgcm2(axis))
            balance = nominal(share.balance_mm)
            yield _notice(
                "handle-mass", i, mass=piece.mass_g, swing=swing, axis=axis, balance=balance
            )
        if not piece.sides_alike and piece.mass_g:
            yield _notice("one-side", i)
        roll = (plan.rolls or {}).get(piece.material or "")
        if roll and off_its_roll(piece, roll):
            code = "weighed-apart" if piece.weighed else "cut-and-grams"
            yield _notice(code, i, mass=piece.mass_g, roll=grams_of(piece, roll))
        for caution in piece.cautions():
            yield _notice("caution", i, caution=caution)


def _of_strings(prediction: Prediction, strings: Body, axis: float) -> Iterator[Notice]:
    after = prediction.after.plain
    strung = after + strings.plain
    yield _notice(
        "strings-to-come", mass=strings.plain.mass, balance=strung.balance - after.balance,
        swing=strung.swing_kgcm2(axis) - after.swing_kgcm2(axis),
    )  # fmt: skip


def _of_foam(plan: LadenFrame) -> Iterator[Notice]:
    for i, piece in enumerate(plan.pieces):
        if isinstance(piece, Plug) and piece.needs_cavity:
            yield _notice("caution", i, caution=FOAM)


def _of_overlaps(plan: LadenFrame) -> Iterator[Notice]:
    """Strips that lie on one another, and pairs whose two sides do."""
    laid = [piece.cover(plan.frame) if piece.mass_g > 0 else {} for piece in plan.pieces]
    for i, (piece, own) in enumerate(zip(plan.pieces, laid, strict=True)):
        if piece.is_doubled:
            yield _notice("sides-as-one", i)
        elif (both := _shared(own, own, itself=True)) > LEAST_OVERLAP_MM:
            yield _notice("sides-overlap", i, mm=both)
        for j in range(i):
            if (mm := _shared(laid[j], own)) > LEAST_OVERLAP_MM:
                yield _notice("overlap", i, other=j + 1, mm=mm)


def _shared(one: Cover, other: Cover, itself: bool = False) -> float:
    """The longest stretch on one line that two covers share, mm; of one with itself, that two of
    its own runs share."""
    found = 0.0
    for line in one.keys() & other.keys():
        for a, first in enumerate(one[line]):
            for b, second in enumerate(other[line]):
                if not itself or a < b:
                    found = max(found, min(first[1], second[1]) - max(first[0], second[0]))
    return found


def _notice(code: str, index: int | None = None, **figures: object) -> Notice:
    piece = {} if index is None else {"piece": index + 1}
    return Notice(code, message(code, **piece, **figures), index)
