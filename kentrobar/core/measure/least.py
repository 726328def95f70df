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

STEP = math.sqrt(2.0**-52)
"""A slope is taken over so much of an unknown."""
SAME = 1e-9
"""Less by so small a share is as good: the last step changed nothing that samples tell."""


@dataclass(frozen=True, slots=True)
class Fit:
    """The unknowns, what they leave of the samples, and its slopes: samples × unknowns."""

    x: Array
    left: Array
    slopes: Array

    @property
    def cost(self) -> float:
        return float(self.left @ self.left) / 2


def fit(rest: Callable[[Array], Array], start: Array, most: int = 100, near: float = 1e-12) -> Fit:
    """The unknowns that leave least, from a beginning near them.

    Args:
        rest: of unknowns, what they leave of every sample. most: steps at most.
        near: a step this small, as a share of the unknowns, is the last.
    """
    import numpy as np

    x = np.asarray(start, float)
    left = rest(x)
    slopes = _slopes(rest, x, left)
    damping = 1e-3
    for _ in range(most):
        square, down = slopes.T @ slopes, slopes.T @ left
        scale = np.maximum(np.diag(square), 1e-300)
        step = np.linalg.lstsq(square + damping * np.diag(scale), -down, rcond=None)[0]
        tried = rest(x + step)
        gained = float(left @ left) - float(tried @ tried)
        whole = float(left @ left)
        if gained >= 0 and np.isfinite(gained):
            x, left, damping = x + step, tried, damping / 10
        else:
            damping *= 8
        small = near * (near + float(np.linalg.norm(x)))
        if float(np.linalg.norm(step)) <= small or damping > 1e12 or 0 <= gained <= SAME * whole:
            break
        if left is tried:
            slopes = _slopes(rest, x, left)
    return Fit(x, left, slopes)


def _slopes(rest: Callable[[Array], Array], x: Array, left: Array) -> Array:
    import numpy as np

    columns = []
    for i, one in enumerate(x):
        by = STEP * (abs(one) or 1.0)
        moved = x.copy()
        moved[i] += by
        columns.append((rest(moved) - left) / by)
    return np.column_stack(columns)
