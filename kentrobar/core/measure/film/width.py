"""How wide it swings, from the pictures of a film.

Pictures taken where the frame stood alike are put together to one by their medians, so that noise,
a shaken camera and who walks by leave little. Of what then differs between them a turn about a
pivot explains most: each point shows either what moves, turned so far, or what stands behind it.
The angle and the pivot that leave least of them are the answer.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any

from .sight import blurred

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
    Pictures = NDArray[np.float32]

PLACES, LEAST_PICTURES = 11, 5
"""Angles at which the frame is looked at, and pictures at least of each."""
MOST_PICTURES = 600
CHANCE = 1.5
"""Grey levels that pictures put together differ by of themselves."""
PIVOTS = (-0.1, 0.2, 0.5, 0.8, 1.1), (-0.3, 0.05, 0.35, 0.65, 0.95, 1.3)
"""Where the pivot is looked for, as shares of the picture's width and height."""
ARCS = (1.2, 2.5, 5.0, 10.0)
"""How far the middle of what moves may go, points of the picture."""
NEAREST = 0.15
"""Least distance of a pivot from what moves, as a share of the picture's shorter side."""
WIDEST = 0.7
"""Largest angle looked for, rad."""
BEST, SAME = 3, 2e-3
"""Beginnings that are followed, and the relative difference of costs at which one is at its end."""
EXPLAINED = 0.72
"""Minimum share of the differences that the turn explains; a smaller one is no width."""


def seen_width(times: Array, pictures: Pictures, omega: float, decay: float, trace: Array) -> float:
    """Half the width of the swing at the first of ``times``, degrees; 0 where none can be seen.

    Args:
        pictures: of each time, rows × columns. omega, decay: of the swing, 1/s. trace: of each
            time, what goes with the swing.
    """
    import numpy as np

    together, angles = _put_together(pictures, _swing(times, omega, decay, trace))
    if len(together) < PLACES // 2:
        return 0.0
    height, width = together.shape[1:]
    moved = np.abs(np.tensordot(angles - angles.mean(), together, axes=1)) ** 2
    moved[moved < np.percentile(moved, 80)] = 0
    y, x = np.mgrid[:height, :width]
    middle = (moved * x).sum() / moved.sum(), (moved * y).sum() / moved.sum()
    coarse, whole = _Layers(_halved(together), angles, 2), _Layers(together, angles, 1)
    tries = sorted((coarse.left(start), start) for start in _beginnings(width, height, *middle))
    steps = np.array([0.3, 0.1 * width, 0.1 * height])
    ends = [
        _downhill(coarse.left, np.array(start), steps * [abs(start[0]), 1, 1])
        for _, start in tries[:BEST]
    ]
    _, best = min(ends, key=lambda one: one[0])
    left, best = _downhill(whole.left, best, steps * [abs(best[0]), 1, 1] / 3)
    explained = 1 - left / whole.left((0.0, *middle))
    return abs(math.degrees(best[0])) if explained > EXPLAINED else 0.0


def _swing(times: Array, omega: float, decay: float, trace: Array) -> Array:
    """Where the frame stands at each time, as a share of its first width."""
    import numpy as np

    x = times - times[0]
    dying = np.exp(-np.clip(decay * x, -20, 20))
    columns = np.stack([np.ones_like(x), dying * np.cos(omega * x), dying * np.sin(omega * x)])
    (_, cos, sin), *_ = np.linalg.lstsq(columns.T, trace, rcond=None)
    return np.asarray(dying * np.cos(omega * x - math.atan2(sin, cos)), float)


def _put_together(pictures: Pictures, swing: Array) -> tuple[Pictures, NDArray[np.float32]]:
    """(one picture of each place of the swing, blurred so that slopes hold over more than a point;
    where it stood in them)."""
    import numpy as np

    which = np.clip(((swing + 1) / 2 * PLACES).astype(int), 0, PLACES - 1)
    some = [np.flatnonzero(which == k) for k in range(PLACES)]
    some = [one[:: len(one) * PLACES // MOST_PICTURES + 1] for one in some]
    some = [one for one in some if len(one) >= LEAST_PICTURES]
    together = np.array([np.median(pictures[one], axis=0) for one in some], np.float32)
    return blurred(together), np.array([np.median(swing[one]) for one in some], np.float32)


def _halved(pictures: Pictures) -> Pictures:
    count, height, width = pictures.shape
    even = pictures[:, : height // 2 * 2, : width // 2 * 2]
    halved: Pictures = even.reshape(count, height // 2, 2, width // 2, 2).mean(axis=(2, 4))
    return halved


def _beginnings(
    width: int, height: int, x: float, y: float
) -> Iterator[tuple[float, float, float]]:
    """(angle in rad, column and row of the pivot) that are tried first."""
    for cx in (share * width for share in PIVOTS[0]):
        for cy in (share * height for share in PIVOTS[1]):
            away = math.hypot(cx - x, cy - y)
            if away > NEAREST * min(width, height):
                for arc in ARCS:
                    if arc / away < WIDEST:
                        yield from ((sign * arc / away, cx, cy) for sign in (-1, 1))


class _Layers:
    """What moves, before what stands still; ``points`` of the film make one of these pictures'."""

    def __init__(self, pictures: Pictures, angles: NDArray[np.float32], points: int) -> None:
        import numpy as np

        self.pictures, self.angles = pictures, angles[:, None, None]
        self.behind = np.abs(pictures - np.median(pictures, axis=0))
        self.y, self.x = np.mgrid[: pictures.shape[1], : pictures.shape[2]].astype(np.float32)
        self.points = points

    def left(self, at: Sequence[float]) -> float:
        """What neither explains of the pictures, grey levels, where it turns so wide (rad) about a
        place (column and row of the film)."""
        import numpy as np

        turned = np.float32(at[0]) * self.angles
        cos, sin = np.cos(turned), np.sin(turned)
        cx, cy = ((one + 0.5) / self.points - 0.5 for one in at[1:])
        x, y = self.x - np.float32(cx), self.y - np.float32(cy)
        upright = _looked_up(self.pictures, cx + cos * x - sin * y, cy + sin * x + cos * y)
        moves = np.broadcast_to(np.median(upright, axis=0), self.pictures.shape)
        before = self.pictures - _looked_up(moves, cx + cos * x + sin * y, cy - sin * x + cos * y)
        either = np.minimum(self.behind, np.abs(before))
        return float(np.sqrt(either * either + CHANCE**2).mean()) - CHANCE


def _looked_up(pictures: Pictures, x: Any, y: Any) -> Pictures:
    """Pictures at places between their points; beyond their edge, what is there."""
    import numpy as np

    count, height, width = pictures.shape
    x = np.clip(x, 0, np.float32(width - 1.01)).astype(np.float32)
    y = np.clip(y, 0, np.float32(height - 1.01)).astype(np.float32)
    column, row = x.astype(np.int32), y.astype(np.int32)
    x -= column
    y -= row
    which = np.arange(count)[:, None, None]
    above = pictures[which, row, column] * (1 - x) + pictures[which, row, column + 1] * x
    below = pictures[which, row + 1, column] * (1 - x) + pictures[which, row + 1, column + 1] * x
    return np.asarray(above * (1 - y) + below * y, np.float32)


def _downhill(
    of: Callable[[Any], float], start: Array, steps: Array, most: int = 100
) -> tuple[float, Array]:
    """(least cost, where it is) near a beginning, by the simplex of J. A. Nelder and R. Mead
    (1965): the cost has corners, where slopes mislead."""
    import numpy as np

    corners = [start, *(start + np.diag(steps))]
    costs = [of(one) for one in corners]
    for _ in range(most):
        order = np.argsort(costs)
        corners, costs = [corners[i] for i in order], [costs[i] for i in order]
        if costs[-1] - costs[0] < SAME * costs[0]:
            break
        middle = np.mean(corners[:-1], axis=0)
        away = middle - corners[-1]
        tried = [middle + away]
        found = [of(tried[0])]
        if found[0] < costs[0]:
            tried.append(middle + 2 * away)
        elif found[0] >= costs[-2]:
            tried.append(middle - away / 2)
        found += map(of, tried[1:])
        at = int(np.argmin(found))
        if found[at] < costs[-1]:
            corners[-1], costs[-1] = tried[at], found[at]
        else:
            corners[1:] = [corners[0] + (one - corners[0]) / 2 for one in corners[1:]]
            costs[1:] = [of(one) for one in corners[1:]]
    at = int(np.argmin(costs))
    return costs[at], corners[at]
