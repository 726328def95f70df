"""Tables over a grid of targets: the fewest grams one frame needs for each of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import product
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.floating[Any]]

OUT_G = 1e4
"""Grams that a frame which cannot follow counts as: fewer frames out come first."""
EDGE = 1e-9
"""Share of a step, or amount of a figure, by which rounding may put something outside."""


def targets_between(low: float, high: float, step: float) -> Table:
    """The whole multiples of a step between two ends; the middle where there is none."""
    import numpy as np

    first, last = math.ceil(low / step - EDGE), math.floor(high / step + EDGE)
    if first > last or high - low < EDGE:
        return np.array([(low + high) / 2])
    return np.arange(first, last + 1) * step


def cells_of(axes: Sequence[Table], tol: Table, step: Table) -> float:
    """Cells of the table that boxes so wide are written into."""
    return math.prod(
        len(one) + 2 * float(near / wide) for one, near, wide in zip(axes, tol, step, strict=True)
    )


def middle_of(axes: Sequence[Table], which: Any) -> Table:
    """Of some targets the one nearest to the middle of them all."""
    import numpy as np

    there = np.argwhere(which)
    nearest = there[((there - there.mean(axis=0)) ** 2).sum(axis=1).argmin()]
    return np.array([one[i] for one, i in zip(axes, nearest, strict=True)])


def grams_needed(figures: Table, grams: Table, axes: Sequence[Table], tol: Table) -> Table:
    """The fewest grams one frame needs for every target: (targets of each figure).

    Args:
        figures: (figures, n) of the frame with each of its loads. grams: (n,) of them.
        axes: targets of each figure. tol: how far from the target each may lie.
    """
    import numpy as np

    ends = np.array([[targets[0], targets[-1]] for targets in axes])
    low, high = ends[:, 0] - tol - EDGE, ends[:, 1] + tol + EDGE
    there = ((figures >= low[:, None]) & (figures <= high[:, None])).all(axis=0)
    grams = grams[there]
    starts, widths = [], []
    for row, targets, near in zip(figures[:, there], axes, tol, strict=True):
        step = targets[1] - targets[0] if len(targets) > 1 else 1.0
        first = np.ceil((row - near - targets[0]) / step - EDGE).astype(int)
        last = np.floor((row + near - targets[0]) / step + EDGE).astype(int)
        if len(targets) == 1:
            first, last = 0 * first, 0 * last
        starts.append(first)
        widths.append(last - first + 1)
    counts = [len(targets) for targets in axes]
    found = np.full(counts, OUT_G, np.float32)
    if not len(grams):
        return found
    at, wide = np.array(starts), np.array(widths)
    # Boxes on a grid are of one width or the next in each figure: each kind is spread by itself.
    for widths_here in product(*(range(max(some.min(), 1), some.max() + 1) for some in wide)):
        these = (wide == np.array(widths_here)[:, None]).all(axis=0)
        if not these.any():
            continue
        shape = [n + width - 1 for n, width in zip(counts, widths_here, strict=True)]
        table = np.full(shape, OUT_G, np.float32)
        corner = at[:, these] + np.array(widths_here)[:, None] - 1
        corner = np.maximum(corner, 0)
        # The lightest is written last, and stays.
        order = np.argsort(-grams[these], kind="stable")
        table[tuple(corner[:, order])] = grams[these][order]
        for axis, width in enumerate(widths_here):
            table = _moving_least(table, axis, int(width))
        found = np.minimum(found, table)
    return found


def _moving_least(table: Any, axis: int, width: int) -> Any:
    """The least of every ``width`` cells in a row along an axis; so many fewer cells are left."""
    import numpy as np

    table, done = np.moveaxis(table, axis, 0), 1
    while done < width:
        step = min(done, width - done)
        table = np.minimum(table[:-step], table[step:])
        done += step
    return np.moveaxis(table, 0, axis)
