"""What a bench learns of itself: every fitting that was read again is a small experiment on its
rolls and its instruments.

A residual (read less predicted) is, but for chance, a sum of what errs the same way each time: a
roll that is heavier than thought through all that was cut off it, an instrument that reads too much
since its last check. All are found at once, by one Bayesian regression over all residuals; each
begins at nothing, as little known as such things are. Residuals that lie far out weigh less: they
are slips (Student's t). How truly pieces are laid is not learned: 5 g of putty 9 mm off move the
balance by 0.14 mm, which no board sees. NumPy is imported only where it is used.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.quantities import READ, plain_figures

from .suspicions import Fitted
from .trial import joint_covariance

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

Unknown = tuple[str, str]
"""What errs: ("roll", its name) or ("instrument", its name)."""

ROLL_U = 0.05
"""How far, as a share of itself, a roll may be from what it is thought to weigh: our own guess."""
FREEDOM = 4.0
"""Degrees of freedom of residuals: fewer let a slip weigh less."""
ROUNDS = 12
SURE, FEWEST = 2.5, 5
"""What is told lies so many of its uncertainties from nothing, in so many fittings at least."""


@dataclass(frozen=True, slots=True)
class Experiment:
    """A fitting that was read again.

    Attributes:
        off: by figure, read less predicted. square: their covariance by chance, without ``moves``.
        moves: what one unit of an unknown (all of a roll's mass there; one unit of an instrument)
            changes of the figures.
    """

    off: Mapping[str, float]
    square: Sequence[Sequence[float]]
    moves: Mapping[Unknown, Mapping[str, float]]


@dataclass(frozen=True, slots=True)
class Found:
    """Of one unknown: how much, one standard uncertainty, in how many fittings it took part."""

    value: float
    u: float
    count: int

    @property
    def is_told(self) -> bool:
        return self.count >= FEWEST and abs(self.value) > SURE * self.u


def experiment(
    outline: Outline,
    before: Body,
    fitted: Sequence[Fitted],
    rolls: Sequence[str],
    read: Mapping[str, tuple[float, float | None]],
    axis_mm: float,
    instruments: Mapping[str, str],
) -> Experiment:
    """What was put on and read then.

    Args:
        before: the frame as read before. fitted: what was put on, its ± without its roll's. rolls:
            of each piece, the roll its mass was taken from, '' for none. read: figures after.
        instruments: by figure, the instrument that read it, and did not read the frame just
            before.
    """
    bodies = [body_of(one.piece, outline) for one in fitted]
    after = sum(bodies, before)
    predicted = plain_figures(after.plain, axis_mm, READ)

    def change(laden: Body) -> dict[str, float]:
        then = plain_figures((after + laden).plain, axis_mm, READ)
        return {name: then[name] - predicted[name] for name in read}

    moves: dict[Unknown, Mapping[str, float]] = {
        ("instrument", name): {key: 1.0} for key, name in instruments.items() if key in read
    }
    for roll in sorted(set(rolls) - {""}):
        own = (body for body, name in zip(bodies, rolls, strict=True) if name == roll)
        moves["roll", roll] = change(sum(own, NOTHING).plain)
    return Experiment(
        {name: value - predicted[name] for name, (value, _) in read.items()},
        joint_covariance(after, bodies, fitted, read, axis_mm), moves,
    )  # fmt: skip


def learn(
    experiments: Sequence[Experiment], before: Mapping[Unknown, float]
) -> dict[Unknown, Found]:
    """What each unknown comes to: a share of a roll's mass, units of an instrument.

    Args:
        before: how far each may be from nothing, one standard uncertainty.
    """
    import numpy as np

    order = list(before)
    if not order:
        return {}
    rows = []
    for one in experiments:
        names = list(one.off)
        root = np.linalg.cholesky(np.array(one.square, float))
        moves = [[one.moves.get(key, {}).get(name, 0.0) for key in order] for name in names]
        # In independent units of one standard deviation each.
        off = np.linalg.solve(root, np.array([one.off[name] for name in names]))
        rows.append((off, np.linalg.solve(root, np.array(moves))))
    least = np.diag([1 / before[key] ** 2 for key in order])
    mean: Array = np.zeros(len(order))
    precision = least
    for _ in range(ROUNDS):
        precision, pull = least.copy(), np.zeros(len(order))
        for off, moved in rows:
            left = off - moved @ mean
            weight = (FREEDOM + len(off)) / (FREEDOM + float(left @ left))
            precision += weight * moved.T @ moved
            pull += weight * moved.T @ off
        mean = np.asarray(np.linalg.solve(precision, pull), float)
    u = np.sqrt(np.diag(np.linalg.inv(precision)))
    counts = [sum(key in one.moves for one in experiments) for key in order]
    return {
        key: Found(float(m), float(s), count)
        for key, m, s, count in zip(order, mean, u, counts, strict=True)
    }
