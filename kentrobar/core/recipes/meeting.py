"""Where a set of frames meets with the fewest grams: a grid of targets.

For every target of a fixed grid over the figures that should agree, each frame needs the fewest
grams of whatever brings it inside the tolerances. A load brings it inside for a box of targets
about its own figures, as wide as the tolerances: its grams are written into the corner of that box,
and a moving minimum as wide as the box spreads them. The grams of all frames add up, and the least
target is where they meet. Coarse grids with wider boxes bound what finer ones can find, so that
these are only laid where the least may lie. The grid is the same for any tolerance, and the work is
counted, not timed: a looser tolerance never costs more, and the same set meets at the same place on
any machine.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from itertools import product
from typing import TYPE_CHECKING, Any

from kentrobar.core.pieces.body import KGCM2, Body
from kentrobar.core.quantities import FIGURES

from .loads import Changes, Check, Loads, all_loads, forms_of, lighten
from .programme import sums_of
from .relaxed import Relaxed, Together

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.floating[Any]]
    Whole = NDArray[np.int64]

COARSE = 2
"""Steps a usual tolerance is divided into by the first grid; each has twice those before it."""
FINEST = 16
"""Steps a tolerance is divided into by the last grid: a tolerance wider by one of them never costs
more."""
MARGINS = (5.0, 15.0)
"""Targets are looked for so many usual tolerances about where frames are, and where they would meet
were tape cut anywhere; further off where they do not meet there."""
MORE_SHARE, MORE_G = 1.5, 3.0
"""A frame moves at most so many times, and so many grams more than, what it would were tape cut
anywhere."""
NEARLY_G = 2.0
"""Frames that need less have a list of their own, of lighter loads and finer: they hold the others
where they are."""
MOST_CELLS = 4_000_000
"""Cells of all tables of a grid; above that, the grid before it stands."""
OUT_G = 1e4
"""Grams that a frame which cannot follow counts as: fewer frames out come first."""
EDGE = 1e-9
"""Share of a step, or amount of a figure, by which rounding may put something outside."""
EDGE_G = 1e-3
"""Grams below which two targets cost the same."""
FAR_MM = 8.0
"""How far from the usual balance frames lie, before and after."""


@dataclass(frozen=True, slots=True)
class Meeting:
    """Where the frames meet.

    Attributes:
        target: (figures,). out: frames that cannot follow. moved_g: by the others.
        bound_g: no target moves less; None where that is not known. is_proven: whether it is known
            that not all can meet.
    """

    target: Table
    out: int
    moved_g: float
    bound_g: float | None
    is_proven: bool


@dataclass(frozen=True, slots=True)
class Reachable:
    """What one frame can become: ``figures`` (figures, n) with each of its loads."""

    loads: Loads
    figures: Table

    def untouched(self) -> Reachable:
        """The same with nothing put on it."""
        import numpy as np

        nothing = np.flatnonzero(~(self.loads.choice >= 0).any(axis=0))
        return Reachable(self.loads.only(nothing), self.figures[:, nothing])


class TargetGrid:
    """A set with everything its frames can become; asked for any tolerances and targets."""

    def __init__(
        self, set_: Together, parts: Relaxed, check: Check, margin: float = MARGINS[0]
    ) -> None:
        """``parts``: where they would meet were tape cut anywhere, as nearly as can be. Targets are
        looked for about there, about the frames, and where one is held."""
        import numpy as np

        self.names, self.check, self.axis = list(set_.tolerances), check, set_.axis
        self.usual = np.array([FIGURES[name].tol for name in self.names])
        are = np.array([[FIGURES[name].of(body, set_.axis) for name in self.names]
                        for body in set_.bodies])  # fmt: skip
        held = [[set_.held.get(name, (parts.target[name],) * 2)[end] for name in self.names]
                for end in (0, 1)]  # fmt: skip
        places = np.vstack([are, [parts.target[name] for name in self.names], *held])
        self.low = places.min(axis=0) - margin * self.usual
        self.high = places.max(axis=0) + margin * self.usual
        self.reachable = [
            Reachable(one, one.figures(body, self.names, self.axis))
            for body, one in zip(set_.bodies, self._loads(set_, parts), strict=True)
        ]

    def _loads(self, set_: Together, parts: Relaxed) -> Iterator[Loads]:
        """The loads of each frame; those that may use the same share one list."""

        masses = [float(body.mass) for body in set_.bodies]
        mass, middle = sum(masses) / len(masses), sum(b.balance for b in set_.bodies) / len(masses)
        forms = forms_of(self.names, self.axis, middle, mass)
        are = forms.rows @ sums_of(set_.bodies)
        made: dict[tuple[int, bool], Loads] = {}
        keys = [(id(ways), moved > NEARLY_G)
                for ways, moved in zip(set_.ways, parts.moved_g, strict=True)]  # fmt: skip
        for key, ways in zip(keys, set_.ways, strict=True):
            if key not in made:
                same = [k for k, other in enumerate(keys) if other == key]
                most = MORE_SHARE * max(parts.moved_g[k] for k in same) + MORE_G
                slack = forms.scale * self._slack(most + max(masses) - min(masses), mass)
                changes = Changes(
                    forms.rows, forms.scale * self.usual,
                    forms.of(self.low) - are[:, same].max(axis=1) - slack,
                    forms.of(self.high) - are[:, same].min(axis=1) + slack, most, set_.most_cuts,
                )  # fmt: skip
                made[key] = all_loads(ways, changes, self.check)
            yield made[key]

    def _slack(self, heavier: float, mass: float) -> Table:
        """By how much a figure may differ from what its sum says: a frame is ``heavier`` than the
        usual one, and balances elsewhere."""
        import numpy as np

        far = {"balance_mm": heavier / mass * FAR_MM, "recoil_kgcm2": mass * FAR_MM**2 / KGCM2}
        return np.array([far.get(name, 0.0) for name in self.names])

    def only(self, frames: Sequence[int], still: Collection[int] = ()) -> TargetGrid:
        """The same of some of the frames, of which those that stay ``still`` get nothing."""
        found = copy(self)
        found.reachable = [
            self.reachable[k].untouched() if k in still else self.reachable[k] for k in frames
        ]
        return found

    @property
    def is_complete(self) -> bool:
        """Whether everything the frames can become is known."""
        return all(one.loads.is_complete for one in self.reachable)

    def least(
        self, tolerances: Mapping[str, float], held: Mapping[str, tuple[float, float]]
    ) -> Meeting:
        """Where the most frames meet, and of such targets where the fewest grams are moved.

        Args:
            tolerances: how far from the target each figure may lie. held: (low, high) of a target.
        """
        import numpy as np

        tol = np.array([tolerances[name] for name in self.names])
        free = zip(self.names, self.low, self.high, strict=True)
        low, high = np.array([held.get(name, (least, most)) for name, least, most in free]).T
        best, bound, place = math.inf, -math.inf, (low + high) / 2
        for level in self._levels(tol):
            step = self.usual / level
            axes = [_targets(*one) for one in zip(low, high, step, strict=True)]
            cells = math.prod(
                len(one) + 2 * near / s for one, near, s in zip(axes, tol, step, strict=True)
            )
            if cells * len(self.reachable) > MOST_CELLS and best < math.inf:
                break
            self.check()
            half = np.array([s / 2 if len(one) > 1 else 0.0
                             for s, one in zip(step, axes, strict=True)])  # fmt: skip
            inside = self._totals(axes, tol)
            least = float(inside.min())
            if least < best:
                best, place = least, _middle(axes, inside <= least + EDGE_G)
            wide = self._totals(axes, tol + half)
            bound = max(bound, float(wide.min()))
            if bound >= OUT_G and best >= OUT_G:
                break  # not all can meet: no finer grid has them do
            there = np.argwhere(wide <= best + EDGE_G)
            low = np.array([one[i] for one, i in zip(axes, there.min(axis=0), strict=True)]) - half
            high = np.array([one[i] for one, i in zip(axes, there.max(axis=0), strict=True)]) + half
        out = round(best / OUT_G)
        return Meeting(
            place, out, best - out * OUT_G, bound if self.is_complete and out == 0 else None,
            self.is_complete and bound >= OUT_G,
        )  # fmt: skip

    def _levels(self, tol: Table) -> Iterator[int]:
        """Steps of the grids, a usual tolerance each."""
        level = COARSE
        while (self.usual / level > tol / FINEST).any():
            yield level
            level *= 2
        yield level

    def grams(self, target: Table, tolerances: Mapping[str, float]) -> list[float | None]:
        """The fewest grams each frame needs for a target; None for one that cannot follow."""
        return [
            float(one.loads.grams[inside].min()) if len(inside) else None
            for one, inside in zip(self.reachable, self.inside(target, tolerances), strict=True)
        ]

    def inside(self, target: Table, tolerances: Mapping[str, float]) -> Iterator[Whole]:
        """Of each frame the columns of the loads that bring it inside."""
        import numpy as np

        tol = np.array([tolerances[name] for name in self.names])
        for one in self.reachable:
            off = abs(one.figures - target[:, None])
            yield np.flatnonzero((off <= tol[:, None] + EDGE).all(axis=0))

    def polished(self, met: Meeting, set_: Together) -> tuple[TargetGrid, Meeting]:
        """Where loads were left out, with lighter ones for this target found by exchanges."""
        import numpy as np

        if self.is_complete or met.out:
            return self, met
        found, moved = copy(self), 0.0
        found.reachable = []
        inside = self.inside(met.target, set_.tolerances)
        tol = np.array([set_.tolerances[name] for name in self.names])[:, None] + EDGE
        for body, ways, one, columns in zip(
            set_.bodies, set_.ways, self.reachable, inside, strict=True
        ):
            self.check()

            def is_inside(loads: Loads, body: Body = body) -> Whole:
                off = abs(loads.figures(body, self.names, self.axis) - met.target[:, None])
                return np.flatnonzero((off <= tol).all(axis=0))

            start = one.loads.chosen(int(columns[one.loads.grams[columns].argmin()]))
            lighter = lighten(ways, start, is_inside, set_.most_cuts) if start else None
            if lighter is not None:
                loads = one.loads.with_one(lighter)
                one = Reachable(loads, loads.figures(body, self.names, self.axis))
            moved += float(lighter.grams[0]) if lighter is not None else 0.0
            found.reachable.append(one)
        return found, replace(met, moved_g=moved)

    def _totals(self, axes: Sequence[Table], tol: Table) -> Table:
        """The fewest grams of all frames together for every target."""
        import numpy as np

        totals: Any = np.zeros(tuple(map(len, axes)), np.float32)
        for one in self.reachable:
            totals += _needed(one, axes, tol)
        found: Table = totals
        return found


def _targets(low: float, high: float, step: float) -> Table:
    """The whole multiples of a step between two ends; the middle where there is none."""
    import numpy as np

    first, last = math.ceil(low / step - EDGE), math.floor(high / step + EDGE)
    if first > last or high - low < EDGE:
        return np.array([(low + high) / 2])
    return np.arange(first, last + 1) * step


def _middle(axes: Sequence[Table], which: Any) -> Table:
    """Of some targets the one nearest to the middle of them all."""
    import numpy as np

    there = np.argwhere(which)
    nearest = there[((there - there.mean(axis=0)) ** 2).sum(axis=1).argmin()]
    return np.array([one[i] for one, i in zip(axes, nearest, strict=True)])


def _needed(one: Reachable, axes: Sequence[Table], tol: Table) -> Table:
    """The fewest grams one frame needs for every target: (targets of each figure)."""
    import numpy as np

    ends = np.array([[targets[0], targets[-1]] for targets in axes])
    low, high = ends[:, 0] - tol - EDGE, ends[:, 1] + tol + EDGE
    there = ((one.figures >= low[:, None]) & (one.figures <= high[:, None])).all(axis=0)
    grams = one.loads.grams[there]
    starts, widths = [], []
    for figures, targets, near in zip(one.figures[:, there], axes, tol, strict=True):
        step = targets[1] - targets[0] if len(targets) > 1 else 1.0
        first = np.ceil((figures - near - targets[0]) / step - EDGE).astype(int)
        last = np.floor((figures + near - targets[0]) / step + EDGE).astype(int)
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
    for widths_here in product(*(range(max(row.min(), 1), row.max() + 1) for row in wide)):
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
