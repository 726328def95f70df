"""Where the frame is at each picture of a film, by how light went with it.

A point of the picture is a curved function of where the frame is: a dying sine, or two of them
where it swings in two ways. What is curved in a trace is taken off with it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from kentrobar.core.measure.least import Amounts, Fit, fit

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

CURVED = 5
"""Polynomial order of brightness against position."""
SECOND = 0.5
"""Minimum relative decrease of what is left of a trace for a second swing in it."""


def straightened(
    times: Array, trace: Array, omega: float, place: Array | None = None
) -> tuple[Array, Array]:
    """(the trace as if light changed evenly with where the frame is, what is left of it).

    A point of the picture is a curved function of that: y = a₀ + a₁s + a₂s² + …, s a dying sine
    unless its ``place`` is known. What is curved in it is taken off; else the fit would take it
    for noise that errs alike.
    """
    import numpy as np

    x = times - times.mean()
    columns = _curved(x, swings(x, one_swing(x, trace, omega).x)[0] if place is None else place)
    amounts = Amounts(columns, trace)
    return np.asarray(trace - columns[:, 3:] @ amounts.each[3:], float), amounts.left


def where(times: Array, trace: Array, omega: float) -> Array:
    """Where the frame is at each time: a dying sine, and another one beside it where both leave
    much less of the trace."""
    x = times - times.mean()
    one = one_swing(x, trace, omega)
    tries = [
        _place(x, trace, [*one.x, one.x[0] * (1 + shift), 0.01, *start])
        for shift in (-0.1, -0.06, -0.03, 0.03, 0.06, 0.1)
        for start in ((0.2, 0.0), (0.0, 0.2))
    ]
    two = min(tries, key=lambda found: found.cost)
    return swings(x, two.x if two.cost < (1 - SECOND) * one.cost else one.x)[0]


def one_swing(x: Array, trace: Array, omega: float) -> Fit:
    """Where a frame is that swings in one way, by a trace of about that angular frequency."""
    tries = [_place(x, trace, [omega, 0.01, phase]) for phase in (0.0, math.pi / 2)]
    return min(tries, key=lambda found: found.cost)


def _place(x: Array, trace: Array, start: Sequence[float]) -> Fit:
    """Where the frame is, fitted: of the first swing its angular frequency, decay and phase, of one
    beside it frequency, decay and two amounts."""
    import numpy as np

    def rest(unknown: Array) -> tuple[Array, Array]:
        place, moves = swings(x, unknown)
        columns = _curved(x, place)
        amounts = Amounts(columns, trace)
        powers = np.arange(1, CURVED + 1)
        steep = columns[:, [0, *range(2, CURVED + 1)]] @ (powers * amounts.each[2:])
        return amounts.left, amounts.slopes((steep * moves).T)

    return fit(rest, np.array(start), most=30)


def swings(x: Array, unknown: Array) -> tuple[Array, Array]:
    """(where the frame is at each time, as a share of the first swing; how the unknowns move
    it)."""
    import numpy as np

    size = np.exp(np.clip(-unknown[1] * x, -20, 20))
    angle = unknown[0] * x + unknown[2]
    place, turned = size * np.cos(angle), size * np.sin(angle)
    moves = [-x * turned, -x * place, -turned]
    if len(unknown) > 3:
        omega, decay, a, b = unknown[3:]
        size = np.exp(np.clip(-decay * x, -20, 20))
        cos, sin = size * np.cos(omega * x), size * np.sin(omega * x)
        second = a * cos + b * sin
        moves += [x * (b * cos - a * sin), -x * second, cos, sin]
        place = place + second
    return place, np.stack(moves)


def _curved(x: Array, s: Array) -> Array:
    """What a point of the picture is made of: a level, a drift, and the powers of where the frame
    is."""
    import numpy as np

    rows = np.ones((2 + CURVED, len(x)))
    rows[1], rows[2] = x, s
    for k in range(3, len(rows)):
        np.multiply(rows[k - 1], s, out=rows[k])
    return rows.T
