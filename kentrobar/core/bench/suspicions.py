"""What may be behind a trial that does not read as predicted: what each would change of all figures
at once, and how uncommon it is.

A cost is −2 ln of a prior share. What is told with a spread has its amount fitted (``trial.py``);
it explains so much for one unit of it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

from kentrobar.core.frame.mistyped import TypingSlip, mistyped
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import COMMON_AXES_MM, FIGURES, READ, plain_figures
from kentrobar.core.units import LENGTH, MASS
from kentrobar.core.words import Message, message

DRIFT_COST, DRIFTED_COST = 2.5, 0.5
"""How uncommon drift is by itself, and of an instrument that was outside its band when it was last
checked."""
FAR_OFF, FAR_OFF_COST = 6.0, 1.5
"""Factor on the usual drift, and added cost, of an instrument that was knocked or not set to
zero."""
MISWEIGHED, MISWEIGHED_COST = 3.0, 1.0
"""Factor on the usual spread, and added cost, of a piece that was weighed or cut wrong."""
VARIES_G, VARIES_COST = 1.0, 3.0
"""Spread, g, and cost of strings of another gauge or a damp grip."""
TYPED: dict[TypingSlip, float] = {
    "digits-swapped": 6.0,
    "digit-wrong": 10.0,
}
"""Slips of the fingers, and how uncommon each is: one of the many digits that may be another is
less likely than two that changed places."""
TENFOLD_COST = 4.0
"""How uncommon it is to write a figure in another unit, as centimetres for millimetres."""
UNITS = {"mass_g": {"ounces": MASS["oz"]}, "balance_mm": {"inches": LENGTH["in"]}}
"""What a number may have been read in that was written down as g or mm."""
BACKING_SHARE = 0.12
"""What a backing weighs of its tape, where it was not weighed."""
FURTHER_MM = (5, 10, 15, 20, 30, 45, 60, 80, 100, 130)
AXIS_COST, KNOWN_AXIS_COST = 3.5, 9.0
"""How uncommon it is to read about another axis than noted, by itself and on an instrument whose
axis is known."""
BEFORE_COST = 4.0
"""How uncommon a wrong reading from before is."""


@dataclass(frozen=True, slots=True)
class Fitted:
    """A piece as it was really put on: its weighed mass, one standard uncertainty, whether its
    backing is on."""

    piece: Piece
    u_g: float = 0.05
    backing_g: float | None = None


@dataclass(frozen=True, slots=True)
class Checked:
    """What the last check of an instrument says of one figure: how far off it read, with one
    standard uncertainty as it is now (of the check, and of what it may have wandered since), how
    far it may be off, and the check in words. All in the figure's unit."""

    drift: float
    u: float
    band: float
    said: str = ""

    @property
    def spread(self) -> float:
        """What it may read off by now."""
        return math.hypot(self.drift, self.u)

    @property
    def cost(self) -> float:
        return DRIFTED_COST if abs(self.drift) > self.band else DRIFT_COST


@dataclass(frozen=True, slots=True)
class Suspicion:
    """What may be behind it.

    Attributes:
        explains: what it would change of each figure. cost: how uncommon it is, as −2 ln of its
            prior share.
        likely: its share among all suspicions, 0…1. left: χ² that it leaves. accounts: the share
        of χ² that it takes away.
        grams: what was fitted, if anything. piece: its index, or None.
    """

    key: str
    message: Message
    explains: Mapping[str, float]
    cost: float
    left: float = 0.0
    accounts: float = 0.0
    likely: float = 0.0
    piece: int | None = None
    grams: float | None = None

    @property
    def text(self) -> str:
        return str(self.message)


def of_the_fitting(
    outline: Outline,
    after: Body,
    bodies: Sequence[Body],
    fitted: Sequence[Fitted],
    parts: Mapping[str, Body],
    axis_mm: float,
) -> Iterator[Suspicion | tuple[Suspicion, float]]:
    """Every suspicion; with a spread where its amount is fitted (``explains`` is then for one
    unit)."""
    now = plain_figures(after, axis_mm, READ)

    def change(body: Body) -> dict[str, float]:
        then = plain_figures(after + body, axis_mm, READ)
        return {name: then[name] - now[name] for name in now}

    yield Suspicion("chance", message("chance"), dict.fromkeys(now, 0.0), 0.0)
    for i, (body, one) in enumerate(zip(bodies, fitted, strict=True)):
        own = body.plain
        unit = own * (1 / own.mass)
        is_off = own.mass < 0
        weighs = message("came-off" if is_off else "mass", piece=i + 1)
        heavier = Suspicion(f"mass-{i}", weighs, change(unit), 1.0, piece=i)
        spread = 0.1 + 0.1 * abs(own.mass)
        yield heavier, spread
        yield replace(heavier, cost=1.0 + MISWEIGHED_COST), MISWEIGHED * spread
        if is_off:
            still = message("still-on", piece=i + 1, mass=-own.mass)
            yield Suspicion(f"lost-{i}", still, change(own * -1.0), 3.0, piece=i)
        else:
            lost = message("lost", piece=i + 1, mass=own.mass)
            yield Suspicion(f"lost-{i}", lost, change(own * -1.0), 3.0, piece=i)
            yield from _in_part(i, one.piece, own, change)
        if one.piece.can_lie_elsewhere:
            yield from _elsewhere(i, one.piece, own, outline, change)
    yield from _swapped([body.plain for body in bodies], change)
    tape = [(body, one) for body, one in zip(bodies, fitted, strict=True) if one.piece.is_tape]
    if tape:
        backings = [
            body.plain
            * (BACKING_SHARE if one.backing_g is None else one.backing_g / nominal(body.mass))
            for body, one in tape
        ]
        on = sum(backings, Body())
        yield Suspicion("backing", message("backing", mass=on.mass), change(on), 2.0)
    for name, body in parts.items():
        own = body.plain
        part = {"part": name, "mass": own.mass}
        yield Suspicion(f"off-{name}", message("off", **part), change(own * -1.0), 2.0)
        yield Suspicion(f"twice-{name}", message("twice", **part), change(own), 3.5)


def of_what_varies(
    after: Body, varying: Mapping[str, Body], axis_mm: float
) -> Iterator[tuple[Suspicion, float]]:
    """Parts that are heavier or lighter than when the frame was read before."""
    now = plain_figures(after, axis_mm, READ)
    for name, body in varying.items():
        then = plain_figures(after + body * (1 / body.mass), axis_mm, READ)
        explains = {figure: then[figure] - now[figure] for figure in now}
        said = message("varies", part=name)
        yield Suspicion(f"varies-{name}", said, explains, VARIES_COST), VARIES_G


def _in_part(
    i: int, piece: Piece, own: Body, change: Callable[[Body], dict[str, float]]
) -> Iterator[Suspicion]:
    """One side, one face or one strip of a piece that is several."""
    strips = piece.strips()[1]
    for key, share, cost in (("half", 0.5, 2.0), ("strip", 1 / max(strips, 1), 3.0)):
        if strips >= 2 and (key == "half" or strips > 2):
            said = message(key, piece=i + 1, mass=own.mass * share)
            yield Suspicion(f"{key}-{i}", said, change(own * -share), cost, piece=i)


def _swapped(
    bodies: Sequence[Body], change: Callable[[Body], dict[str, float]]
) -> Iterator[Suspicion]:
    """Two pieces laid each where the other belongs."""
    for (i, one), (k, other) in combinations(enumerate(bodies), 2):
        if one.mass > 0 and other.mass > 0 and one.mass != other.mass:
            there = one * (other.mass / one.mass) + other * (one.mass / other.mass)
            said = message("swapped", piece=i + 1, other=k + 1)
            yield Suspicion(f"swapped-{i}-{k}", said, change(there - one - other), 3.0)


def of_before(before: Body, after: Body, axis_mm: float) -> Iterator[tuple[Suspicion, float]]:
    """A figure of the frame that was read wrong before anything was put on."""
    was = plain_figures(before, axis_mm, READ)
    now = plain_figures(after, axis_mm, READ)
    for name in READ:
        if name == "twist_kgcm2" and not before.twist:
            continue
        meant = Body.from_figures(**(was | {name: was[name] - 1.0}), axis_mm=axis_mm)
        then = plain_figures(after + (meant - before), axis_mm, READ)
        explains = {figure: then[figure] - now[figure] for figure in now}
        said = message("before", figure=name)
        yield Suspicion(f"before-{name}", said, explains, BEFORE_COST), FIGURES[name].drift


def _elsewhere(
    i: int, piece: Piece, own: Body, outline: Outline, change: Callable[[Body], dict[str, float]]
) -> Iterator[Suspicion]:
    """A piece that lies so far along its line, or along the frame, from where it was noted. Far is
    rare, but a whole clock hour is not unheard of."""
    for by in (sign * mm for mm in FURTHER_MM for sign in (1, -1)):
        there = body_of(piece.slid(outline, by), outline).plain
        nearer_tip = there.moment * own.mass > own.moment * there.mass
        cost = 3.0 + 2 * math.log(1 + abs(by) / 10)
        where = "came-off-there" if own.mass < 0 else "place"
        lies = message(where, piece=i + 1, by=abs(by), nearer_tip=nearer_tip)
        yield Suspicion(f"place-{i}-{by}", lies, change(there - own), cost, piece=i)


def of_the_reading(
    after: Body,
    read: Mapping[str, tuple[float, float | None]],
    axis_mm: float,
    checks: Mapping[str, Checked],
) -> Iterator[Suspicion | tuple[Suspicion, float]]:
    now = plain_figures(after, axis_mm, READ)

    def alone(name: str, by: float) -> dict[str, float]:
        return dict.fromkeys(now, 0.0) | {name: by}

    if "swing_kgcm2" in read:
        twist = now["twist_kgcm2"]
        if twist > 0:
            flat = message("flat", twist=twist)
            yield Suspicion("flat", flat, alone("swing_kgcm2", twist), 3.0)
        for other in sorted(COMMON_AXES_MM):
            if abs(other - axis_mm) > 0.1:
                by = plain_figures(after, other, READ)["swing_kgcm2"] - now["swing_kgcm2"]
                yield Suspicion(
                    f"axis-{other:g}",
                    message("axis", axis=other, noted=axis_mm),
                    alone("swing_kgcm2", by),
                    KNOWN_AXIS_COST if "swing_kgcm2" in checks else AXIS_COST,
                )
    for name, (value, _) in read.items():
        check = checks.get(name)
        drifts = message("drift", figure=name, check=check.said if check else "")
        cost = check.cost if check else DRIFT_COST
        spread = check.spread if check else FIGURES[name].drift
        yield Suspicion(f"drift-{name}", drifts, alone(name, 1.0), cost), spread
        far = Suspicion(f"drift-{name}", drifts, alone(name, 1.0), cost + FAR_OFF_COST)
        yield far, FAR_OFF * max(spread, FIGURES[name].drift)
        for right in (value * 10, value / 10):
            says = message("typed-tenfold", figure=name, typed=value, meant=right)
            tenfold = alone(name, value - right)
            yield Suspicion(f"typed-{name}-tenfold-{right:g}", says, tenfold, TENFOLD_COST)
        for unit, factor in UNITS.get(name, {}).items():
            right = round(value * factor, 2)
            says = message(f"typed-{unit}", figure=name, typed=value, meant=right)
            elsewise = alone(name, value - right)
            yield Suspicion(f"typed-{name}-{unit}", says, elsewise, TENFOLD_COST)
        if round(value, 2) != value:
            continue  # the mean of repeats, or of another unit: no hand typed these digits
        for right, slip in mistyped(value):
            # A wrong digit behind the point is lost in what the figures leave open.
            if slip in TYPED and (slip == "digits-swapped" or abs(value - right) >= 1):
                says = message(f"typed-{slip}", figure=name, typed=value, meant=right)
                slipped = alone(name, value - right)
                yield Suspicion(f"typed-{name}-{right:g}", says, slipped, TYPED[slip])
