"""What a plan's figures say that people often believe otherwise, or should know before cutting."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kentrobar.core.numbers import nominal
from kentrobar.core.units import fixed

from .plausibility import doubts
from .predict import LadenFrame, Prediction

OFF_CENTRE_MM = 0.05


@dataclass(frozen=True, slots=True)
class Notice:
    """A sentence for the bench. ``piece`` is the index of the piece it is about, if any."""

    code: str
    text: str
    piece: int | None = None


def notices(plan: LadenFrame, prediction: Prediction, axis: float | None = None) -> list[Notice]:
    """All notices of a plan, the general ones first.

    Args:
        axis: what swing weights are said about, mm from the butt; as measured where None.
    """
    axis = plan.measured.axis_mm if axis is None else axis
    return [*_of_the_frame(plan, prediction), *_of_pieces(plan, prediction, axis)]


def _of_the_frame(plan: LadenFrame, prediction: Prediction) -> Iterator[Notice]:
    for doubt in doubts(plan.measured, plan.frame):
        yield Notice(f"{doubt.severity}-{doubt.field.split('_')[0]}", doubt.text)
    if plan.measured.twist_kgcm2 is None:
        change = fixed(nominal(prediction.added.twist_kgcm2), 2, signed=True)
        yield Notice(
            "twist-not-measured",
            f"Twist weight was not measured: the pieces change it by {change} kg·cm².",
        )
    offset = nominal(prediction.after.offset)
    if abs(offset) > OFF_CENTRE_MM:
        side = "3" if offset > 0 else "9"
        yield Notice(
            "off-centre",
            f"The centre of mass lies {abs(offset):.1f} mm towards {side} o'clock: mirror the piece"
            " that sits on one side.",
        )


def _of_pieces(plan: LadenFrame, prediction: Prediction, axis: float) -> Iterator[Notice]:
    for i, (piece, share) in enumerate(zip(plan.pieces, prediction.shares, strict=True)):
        for _, reason in piece.faults(plan.frame):
            # An outline measured again can leave a piece of an older plan behind.
            yield Notice("does-not-fit", f"Piece {i + 1} no longer fits this frame: {reason}.", i)
        at_the_hand = (
            share.body.mass > 0 and nominal(share.body.balance) < plan.frame.handle_length_mm
        )
        if piece.is_at_the_hand and at_the_hand:
            swing = fixed(nominal(share.body.swing_kgcm2(axis)), 2, signed=True)
            yield Notice(
                "handle-mass",
                f"Piece {i + 1}: {piece.mass_g:g} g at the hand gives {swing} kg·cm² of swing"
                f" weight about {axis:g} mm and moves the balance"
                f" {fixed(nominal(share.balance_mm), 1, True)} mm. Handle mass never lowers swing"
                " weight; it lowers the balance, and that is felt.",
                i,
            )
        if not piece.sides_alike and piece.mass_g:
            yield Notice("one-side", f"Piece {i + 1} sits on one side only.", i)
        for caution in piece.cautions():
            yield Notice("caution", f"Piece {i + 1}: {caution}", i)
