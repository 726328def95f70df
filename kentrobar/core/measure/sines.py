"""Dying sines through a stretch of a recording: the swing of a frame, where it was let go, and what
swings beside it. NumPy is imported only where it is used.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kentrobar.core.words import Message, message

from .least import Amounts, fit

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

LEAST_SWINGS = 6
HANDLED = 2.0
"""An end counts as handled where what the fit leaves of it is so much more than in the middle."""
BESIDE = 0.04
"""A second swing this large beside the first, of its width, is told."""
PARTED = 0.1
"""One standard uncertainty of how truly two swings are parted, in what the second one moves the
period by. Our own, of films made up."""
AS_WELL = 1.5
"""Of what a second swing leaves: a wide swing, which quickens as it dies, that leaves no more."""
WIDE_DEG = (4.0, 45.0)
"""How wide a swing is looked for, that quickens as it dies."""
BEYOND_CHANCE = 0.1
"""Minimum relative decrease of the residual for a second frequency."""
BEYOND_RESTLESS = 40.0
"""Minimum ratio of the variance a second frequency explains to that of its four parameters in
noise."""


@dataclass(frozen=True, slots=True)
class Sines:
    """Dying sines through a stretch: of the widest its angular frequency, its u, its decay per
    second; by how wide and how much slower (of itself, below 0 where faster) the next one swings;
    what is left of the samples."""

    omega: float
    u_omega: float
    decay: float
    left: Array
    size: float
    next_size: float = 0.0
    slower: float = 0.0


def let_go(t: Array, y: Array, omega: float) -> tuple[Array, Array, Sines]:
    """The stretch without the ends in which it is still held or held again, and the sine in it."""

    found = dying_sines(t, y, [omega])
    keep = calm(t, found.left, found.omega, found.size)
    if keep.all():
        return t, y, found
    return t[keep], y[keep], dying_sines(t[keep], y[keep], [found.omega])


def calm(t: Array, left: Array, omega: float, size: float) -> Any:
    """Which samples lie between the ends that are handled, by what a fit leaves of them; all where
    too few would stay."""
    import numpy as np

    half = math.pi / omega
    halves = max(int((t[-1] - t[0]) / half), 1)
    which = np.minimum(((t - t[0]) / half).astype(int), halves - 1)
    squares = np.bincount(which, left**2, halves) / np.maximum(
        np.bincount(which, minlength=halves), 1
    )
    # A thousandth of the swing is nobody's hand.
    most = max(HANDLED**2 * float(np.median(squares)), (size / 1000) ** 2)
    quiet = np.flatnonzero(squares <= most)
    if quiet[-1] + 1 - quiet[0] < 2 * LEAST_SWINGS - 2:
        return np.ones(len(t), bool)
    return (which >= quiet[0]) & (which <= quiet[-1])


def swings_of(t: Array, y: Array, one: Sines) -> tuple[Sines, Message | None]:
    """The swing, and that another one swings beside it where one does: a frame that hangs askew, or
    a stand that swings along."""
    import numpy as np

    # Neighbouring samples err alike where more than noise is left.
    noise = float(np.mean(np.diff(one.left) ** 2)) / 2
    if float(np.mean(one.left**2)) < (1 + BEYOND_CHANCE) * noise:
        return one, None
    pairs = [
        (one.omega * (1 + shift * a), one.omega * (1 + shift * b))
        for shift in (0.02, 0.04, 0.07, 0.12)
        for a, b in ((-0.5, 0.5), (0.0, 1.0), (0.0, -1.0))
    ]
    tried = [dying_sines(t, y, list(pair)) for pair in pairs]
    two = min(tried, key=lambda found: float(found.left @ found.left))
    explained = 1 - float(two.left @ two.left) / float(one.left @ one.left)
    if explained < BEYOND_CHANCE or abs(two.slower) > 0.25:
        return one, None
    # A thousandth of the swing is not told apart.
    least = len(t) * (one.size / 1000) ** 2
    if _cost_of_a_wide_swing(t, y, one) < AS_WELL * float(two.left @ two.left) + least:
        return one, None
    chance = 4 * power_beside(t, two.left, one.omega) / len(t)
    if float(one.left @ one.left) - float(two.left @ two.left) < BEYOND_RESTLESS * chance:
        return one, None
    share = two.next_size / two.size
    if share < BESIDE:
        # Too little to be told; what it would do to the period is left open.
        return replace(one, u_omega=math.hypot(one.u_omega, two.omega - one.omega)), None
    left_open = math.hypot(two.u_omega, PARTED * (two.omega - one.omega))
    two = replace(two, u_omega=left_open)
    return two, message("second-swing", share=share, apart=two.slower)


def _cost_of_a_wide_swing(t: Array, y: Array, one: Sines) -> float:
    """What is left, squared, of one swing that quickens as it dies: as wide as leaves least."""
    import numpy as np

    decay = max(one.decay, 1e-4)
    late = -np.expm1(-2 * decay * (t - t[0])) / (2 * decay) / 16

    def cost(degrees: float) -> float:
        left = dying_sines(t - math.radians(degrees) ** 2 * late, y, [one.omega]).left
        return float(left @ left)

    low, high = WIDE_DEG
    for _ in range(8):
        third = (high - low) / 3
        low, high = (
            (low, high - third) if cost(low + third) < cost(high - third) else (low + third, high)
        )
    return cost((low + high) / 2)


def power_beside(t: Array, left: Array, omega: float) -> float:
    """The mean power of what is left, |Σ left·exp(−iωt)|², a few lines to either side of an angular
    frequency: how restless it is there. Of N independent samples of variance s² it is N·s²."""
    import numpy as np

    span = float(t[-1] - t[0])
    beside = [omega + sign * 2 * math.pi * k / span for k in range(2, 9) for sign in (-1, 1)]
    near = [one for one in beside if one > 0]
    return float(np.mean([abs(np.sum(left * np.exp(-1j * one * t))) ** 2 for one in near]))


def dying_sines(t: Array, y: Array, omegas: list[float]) -> Sines:
    """Dying sines, the first with its overtone, by least squares; what is linear in them is solved
    inside (variable projection)."""
    import numpy as np

    x = t - (t[0] + t[-1]) / 2

    def columns_of(unknown: Array) -> Array:
        rows = np.ones((2 + len(unknown) + 2, len(x)))
        rows[1] = x
        for k in range(0, len(unknown), 2):
            omega, decay = unknown[k : k + 2]
            dying, turned = np.exp(np.clip(-decay * x, -20, 20)), omega * x
            np.multiply(dying, np.cos(turned), out=rows[2 + k])
            np.multiply(dying, np.sin(turned), out=rows[3 + k])
        cos, sin = rows[2:4]
        rows[-2], rows[-1] = cos**2 - sin**2, 2 * cos * sin
        return rows.T

    def rest(unknown: Array) -> tuple[Array, Array]:
        columns = columns_of(unknown)
        amounts = Amounts(columns, y)
        # Of each swing and the overtone: what turns it, and what makes it die.
        moved = np.empty((len(unknown) + 2, len(x)))
        for k in range(0, len(moved), 2):
            (a, b), (cos, sin) = amounts.each[k + 2 : k + 4], columns[:, k + 2 : k + 4].T
            moved[k], moved[k + 1] = b * cos - a * sin, -a * cos - b * sin
        # The overtone turns and dies twice as fast as the first.
        moved[:2] += 2 * moved[-2:]
        moved *= x
        return amounts.left, amounts.slopes(moved[:-2].T)

    start = np.array([one for omega in omegas for one in (omega, 0.01)])
    found = fit(rest, start)
    amounts = Amounts(columns_of(found.x), y).each
    sizes = [math.hypot(*amounts[2 + 2 * k : 4 + 2 * k]) for k in range(len(omegas))]
    widest = max(range(len(omegas)), key=lambda k: sizes[k])
    omega, decay = found.x[2 * widest : 2 * widest + 2]
    other = 1 - widest if len(omegas) == 2 else widest
    return Sines(
        float(omega), u_of(2 * widest, found.left, found.slopes), float(decay), found.left,
        sizes[widest], sizes[other] if other != widest else 0.0,
        float(omega / found.x[2 * other] - 1),
    )  # fmt: skip


def u_of(which: int, left: Array, slopes: Array) -> float:
    """One standard uncertainty of an unknown of a fit, from what the fit leaves and its slopes."""
    import numpy as np

    spread = math.sqrt(float(left @ left) / max(len(left) - 4 - 2 * slopes.shape[1], 1))
    covariance = np.linalg.pinv(slopes.T @ slopes)
    # Neighbouring samples err together where the logger smooths: fewer of them count.
    together = float(left[1:] @ left[:-1]) / float(left @ left) if left.any() else 0.0
    together = min(max(together, 0.0), 0.95)
    return spread * math.sqrt(float(covariance[which, which]) * (1 + together) / (1 - together))
