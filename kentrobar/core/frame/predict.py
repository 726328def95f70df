"""What a plan does: the frame before, the frame after, and each piece's share of the change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, ufloat
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.core.pieces.uncertain import error_of
from kentrobar.core.quantities import READ


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """A frame's figures as read: g, mm from the butt, kg·cm². Each may carry an uncertainty.

    ``twist_kgcm2`` may be missing: then only its change can be told. ``assumed`` names the figures
    nobody has read, which stand at what is usual.
    """

    mass_g: Number
    balance_mm: Number
    swing_kgcm2: Number
    axis_mm: float
    twist_kgcm2: Number | None = None
    assumed: tuple[str, ...] = ()

    @property
    def plain(self) -> Measured:
        """The same figures without their uncertainties."""
        twist = self.twist_kgcm2
        return Measured(
            mass_g=nominal(self.mass_g),
            balance_mm=nominal(self.balance_mm),
            swing_kgcm2=nominal(self.swing_kgcm2),
            axis_mm=self.axis_mm,
            twist_kgcm2=None if twist is None else nominal(twist),
            assumed=self.assumed,
        )

    def body(self) -> Body:
        """The Body that reads these figures (twist 0 where it was not measured)."""
        return Body.from_figures(
            mass_g=self.mass_g,
            balance_mm=self.balance_mm,
            swing_kgcm2=self.swing_kgcm2,
            axis_mm=self.axis_mm,
            twist_kgcm2=self.twist_kgcm2 or 0.0,
        )


def as_it_is(read: Measured, since: Mapping[str, Body]) -> Measured:
    """Figures read at different times, brought to now, with what was put on since each of them was
    read.

    Args:
        since: by figure (``mass_g``, …), the Body put on since that figure was read; nothing where
            none was.
    """
    change = {name: since.get(name, NOTHING) for name in READ}
    mass = read.mass_g + change["mass_g"].mass
    # A balance was read with the mass of its time, a swing weight with the mass and balance of its
    # time.
    then = change["balance_mm"]
    moment = (mass - then.mass) * read.balance_mm + then.moment
    then, axis = change["swing_kgcm2"], read.axis_mm
    swing = read.swing_kgcm2 + then.swing_kgcm2(axis)
    twist = (
        None if read.twist_kgcm2 is None else read.twist_kgcm2 + change["twist_kgcm2"].twist_kgcm2
    )
    return replace(
        read, mass_g=mass, balance_mm=moment / mass, swing_kgcm2=swing, twist_kgcm2=twist
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LadenFrame:
    """A frame, its figures as read, and what is to be put on or taken off.

    ``rolls`` is what is known of each tape, by name: then masses carry what rolls and hands leave
    open.
    """

    frame: Outline
    measured: Measured
    pieces: tuple[Piece, ...] = ()
    rolls: Mapping[str, PerLength] | None = None


@dataclass(frozen=True, slots=True)
class Share:
    """What one piece does to a plan. Mass, swing and twist shares add up to the whole change;
    the balance share is the change from adding this piece last, in mm. Plain floats."""

    piece: Piece
    body: Body
    balance_mm: float


@dataclass(frozen=True, slots=True)
class Prediction:
    """``assumed``: figures of the frame before that nobody has read."""

    before: Body
    after: Body
    shares: tuple[Share, ...]
    assumed: tuple[str, ...] = ()

    @property
    def added(self) -> Body:
        """The Bodies of all pieces together."""
        return sum((share.body for share in self.shares), NOTHING)


def predict(plan: LadenFrame) -> Prediction:
    """Add every piece to the frame.

    Raises:
        ValueError: the pieces take off as much as the frame weighs, so nothing is left to balance.
    """
    before = plan.measured.body()
    bodies = [body_of(piece, plan.frame) for piece in plan.pieces]
    after = sum(bodies, before)
    if nominal(after.mass) <= 0:
        raise ValueError("the pieces take off as much as the frame weighs")
    # Shares are told without their uncertainty: plain sums, which are a hundred times quicker.
    whole = after.plain
    shares = []
    for piece, body in zip(plan.pieces, bodies, strict=True):
        rest = whole - body
        shares.append(Share(piece, body, whole.balance - rest.balance if rest.mass else 0.0))
    if plan.rolls is not None:
        after = after + _left_open(plan.pieces, bodies, plan.rolls)
    return Prediction(before, after, tuple(shares), plan.measured.assumed)


def body_after(plan: LadenFrame) -> Body:
    """The frame with every piece, as plain floats: for who needs no shares and no uncertainty."""
    return sum((body_of(piece, plan.frame) for piece in plan.pieces), plan.measured.body().plain)


def _left_open(
    pieces: Sequence[Piece], bodies: Sequence[Body], rolls: Mapping[str, PerLength]
) -> Body:
    """Zero, as uncertain as the masses of all pieces together: what one roll errs goes through
    all cut off it."""
    of_rolls: dict[str, Body] = {}
    found = NOTHING
    for piece, body in zip(pieces, bodies, strict=True):
        roll, by_itself = error_of(piece, rolls)
        if roll:
            of_rolls[roll] = of_rolls.get(roll, NOTHING) + body
        if by_itself and piece.mass_g:
            found = found + body * ufloat(0.0, abs(by_itself / piece.mass_g))
    for name, body in of_rolls.items():
        if rolls[name].u:
            found = found + body * ufloat(0.0, rolls[name].share)
    return found
