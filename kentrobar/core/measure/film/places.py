"""The period as each place of the picture tells it.

What goes with the swing is cut up by where in the picture it lies. A place that tells quite another
period is something else that moves there; how far the others are apart says how sure all of them
together are, whatever it is that parts them: noise, a shaken table, lamps.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from kentrobar.core.measure.sines import dying_sines

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

ROWS, COLUMNS = 3, 4
LEAST_SHARE = 0.03
"""Minimum share of the motion in phase with the swing for a place of its own; smaller ones are
pooled."""
FEWEST = 4
"""Places; fewer tell nothing of how far they are apart."""
ODD = 6.0
"""Outlier threshold, in median absolute deviations (MAD)."""
MOST_ODD = 1 / 3
"""Largest share of outliers; above it the frame cannot be told from the background."""


def agreeing(
    times: Array, trace_of: Callable[[Array], Array], along: Array, size: tuple[int, int],
    omega: float,
) -> tuple[Array, float]:  # fmt: skip
    """(how much each point goes with the swing, none where a place is odd; one standard uncertainty
    of the angular frequency, of itself, by how far the places are apart).

    Args:
        trace_of: the trace of points, each taken by how much. along: how much each goes with the
            swing. size: rows and columns of the picture. omega: about where.
    """
    import numpy as np

    places = list(_places(along, size))
    if len(places) < FEWEST:
        return along, 0.0
    told = [dying_sines(times, trace_of(along * place), [omega]) for place in places]
    omegas, u = np.array([one.omega for one in told]), np.array([one.u_omega for one in told])
    weights = np.array([one.size for one in told])
    if not weights.sum() > 0:
        return along, 0.0
    weights = weights / weights.sum()
    middle = _median(omegas, weights)
    off = np.abs(omegas - middle)
    usual = 1.4826 * _median(off, weights)
    odd = off > ODD * np.hypot(usual, u)
    if odd.any() and weights[odd].sum() < MOST_ODD:
        along = np.where(np.any([places[i] for i in np.flatnonzero(odd)], axis=0), 0.0, along)
        omegas, weights = omegas[~odd], weights[~odd] / weights[~odd].sum()
    if len(omegas) < FEWEST:
        return along, 0.0
    apart = omegas - float(omegas @ weights)
    # Few places tell little of how far they are apart (Student's t has wider tails).
    count = len(omegas)
    few = count / (count - 3)
    return along, math.sqrt(few * float((weights**2) @ apart**2)) / omega


def _places(along: Array, size: tuple[int, int]) -> Iterator[Any]:
    """Which points lie in each place with enough of the swing, and which in none of them."""
    import numpy as np

    height, width = size
    y, x = np.mgrid[:height, :width]
    number = (y * ROWS // height * COLUMNS + x * COLUMNS // width).ravel()
    strength = along**2
    least = LEAST_SHARE * float(strength.sum())
    shares = np.bincount(number, strength, ROWS * COLUMNS)
    for i in np.flatnonzero(shares > least):
        yield number == i
    rest = np.isin(number, np.flatnonzero(shares <= least))
    if float(strength[rest].sum()) > least:
        yield rest


def _median(values: Array, weights: Array) -> float:
    import numpy as np

    order = np.argsort(values)
    return float(values[order][np.searchsorted(np.cumsum(weights[order]), 0.5)])
