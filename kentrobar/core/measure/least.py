"""Least squares by Levenberg's and Marquardt's steps: small fits, a few unknowns through thousands
of samples. NumPy alone, so that a page that fits a swing loads no more."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

SAME = 1e-9
"""Relative decrease of the cost below which the fit has converged."""


@dataclass(frozen=True, slots=True)
class Fit:
    """The unknowns, what they leave of the samples, and its slopes: samples × unknowns."""

    x: Array
    left: Array
    slopes: Array

    @property
    def cost(self) -> float:
        return float(self.left @ self.left) / 2


def fit(
    of: Callable[[Array], tuple[Array, Array]], start: Array, most: int = 100, near: float = 1e-12
) -> Fit:
    """The unknowns that leave least, from a beginning near them.

    Args:
        of: of unknowns, what they leave of every sample, and its slopes: samples × unknowns.
        most: steps at most. near: a step this small, as a share of the unknowns, is the last.
    """
    import numpy as np

    x = np.asarray(start, float)
    left, slopes = of(x)
    damping = 1e-3
    for _ in range(most):
        square, down = slopes.T @ slopes, slopes.T @ left
        square.flat[:: len(square) + 1] += damping * np.maximum(np.diag(square), 1e-300)
        step = _step(square, -down)
        tried, tried_slopes = of(x + step)
        whole = float(left @ left)
        gained = whole - float(tried @ tried)
        if gained >= 0 and np.isfinite(gained):
            x, left, slopes, damping = x + step, tried, tried_slopes, damping / 10
        else:
            damping *= 8
        small = near * (near + math.hypot(*x))
        if math.hypot(*step) <= small or damping > 1e12 or 0 <= gained <= SAME * whole:
            break
    return Fit(x, left, slopes)


def _step(square: Array, down: Array) -> Array:
    """Where to go; in no direction that the samples tell nothing of."""
    import numpy as np

    try:
        return np.asarray(np.linalg.solve(square, down), float)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.lstsq(square, down, rcond=None)[0], float)


class Amounts:
    """How much of each column leaves least of samples (variable projection): unknowns that shape
    the columns are then fitted alone.

    Args:
        columns: samples × columns. samples: what they add up to.
    """

    def __init__(self, columns: Array, samples: Array) -> None:
        import numpy as np

        sizes = np.sqrt(np.einsum("ij,ij->j", columns, columns))
        self._size = np.maximum(sizes, 1e-300)
        self._columns = columns / self._size
        # Normal equations: the columns are few, and none is nearly the others' sum.
        self._square = self._columns.T @ self._columns
        self._square.flat[:: len(self._square) + 1] += 1e-12
        found = self._of(samples)
        self.left: Array = samples - self._columns @ found
        self.each: Array = found / self._size

    def slopes(self, moved: Array) -> Array:
        """The slopes of what is left, where an unknown that grows moves what the columns make by
        ``moved``: samples × unknowns. After L. Kaufman (1975): what the amounts' own answer to
        that makes of what is left is not counted."""
        answer: Array = self._columns @ self._of(moved) - moved
        return answer

    def _of(self, samples: Array) -> Array:
        import numpy as np

        return np.asarray(np.linalg.solve(self._square, self._columns.T @ samples), float)
