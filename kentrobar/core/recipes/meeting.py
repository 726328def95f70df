"""Where a set of frames meets with the fewest grams: a grid of targets.

For each frame everything it can become is listed, site after site. On a grid over the figures that
should agree, each cell keeps its fewest grams; a moving minimum as wide as the tolerances turns
that into the grams this frame needs for a target in each cell. The grams of all frames add up, and
the least cell is where they meet. A finer grid about the best cells settles it in the true figures.
The work is counted, not timed: the same set meets at the same place on any machine.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import FIGURES

from .candidates import Candidate
from .programme import sums_of
from .relaxed import Relaxed, Together

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.float64]
    Whole = NDArray[np.int64]

WIDE, NARROW = 8.0, 0.75
"""Half the width of the first grid and of the finer ones, in tolerances."""
COARSE_CELLS, FINE_CELLS = 4, 16
"""Cells a tolerance is divided into on each."""
FINE_GRIDS = 2
"""Best cells of the first grid looked at more finely."""
PLACES = 40
"""Best cells of a finer grid judged in the true figures."""
MOST_STATES = 3_000
"""Ways kept of a frame after each site; above that, cells are made wider. A frame with more ways
than this has one near any target."""
WIDENING = 1.26
"""Factor by which cells are made wider: twice the volume of three figures."""
BLOCK = 600_000
"""Ways compared at a time: what memory holds."""
REACH = 1.15
"""Reach of the sites still to come is counted so much wider: a balance is not quite linear."""
MORE_SHARE, MORE_G = 1.5, 3.0
"""A frame moves at most so many times, and so many grams more than, what it would were tape cut
anywhere."""
OUT_G = 1e6
"""Grams that a frame which cannot follow counts as on a grid: fewer frames out come first."""

Check = Callable[[], None]


@dataclass(frozen=True, slots=True)
class Meeting:
    """``target`` of each figure; ``chosen`` candidates of each frame, by index, None for a frame
    that cannot follow; ``moved_g``: grams put on and taken off."""

    target: dict[str, float]
    chosen: tuple[tuple[int, ...] | None, ...]
    moved_g: float

    @property
    def out(self) -> int:
        """Frames that cannot follow."""
        return self.chosen.count(None)


@dataclass(frozen=True, slots=True)
class States:
    """Ways to load a frame, one a column.

    Attributes:
        sums: (5, n) of a Body. grams, cuts: (n,). choice: (sites, n) of candidates, −1 for none.
        figures: (figures, n) of the frame with them.
    """

    sums: Table
    grams: Table
    cuts: Whole
    choice: Whole
    figures: Table

    def only(self, columns: Any) -> States:
        return States(*(getattr(self, name)[..., columns] for name in self.__dataclass_fields__))


@dataclass(frozen=True, slots=True)
class Region:
    """Targets in question: (figures,) each."""

    low: Table
    high: Table


def meeting(set_: Together, parts: Relaxed, check: Check) -> Meeting | None:
    """Where the most frames meet, and of such places where the fewest grams are moved; None where
    none lies inside any tolerance.

    Args:
        parts: where they would meet were tape cut anywhere; it is looked for about there.
        check: called between steps; may raise SearchStoppedError.
    """
    import numpy as np

    middle = np.array([parts.target[name] for name in set_.tolerances])
    wide = _Grid(set_, parts, middle, WIDE, COARSE_CELLS, check)
    best: Meeting | None = None
    for place in wide.best(FINE_GRIDS, apart=0.5):
        fine = _Grid(set_, parts, place, NARROW, FINE_CELLS, check)
        for target in fine.best(PLACES):
            found = fine.at(target)
            if best is None or (found.out, found.moved_g) < (best.out, best.moved_g):
                best = found
    return best if best and best.out < len(set_.bodies) else None


class _Grid:
    """Targets about a middle, each with the grams every frame needs for it.

    Attributes:
        tol, cell: (figures,). region: of targets. tables: what each frame can become about there.
    """

    def __init__(
        self, set_: Together, parts: Relaxed, middle: Table, share: float, cells: int, check: Check
    ) -> None:
        import numpy as np

        self.names, self.check = list(set_.tolerances), check
        self.tol = np.array(list(set_.tolerances.values()))
        self.cell = self.tol / cells
        held = np.array([set_.held.get(name, (-math.inf, math.inf)) for name in self.names])
        half = share * self.tol
        self.region = Region(
            np.maximum(middle - half, held[:, 0]), np.minimum(middle + half, held[:, 1])
        )
        self.tables = [
            _Ways(self, set_, body, MORE_SHARE * moved + MORE_G).states(ways)
            for body, ways, moved in zip(set_.bodies, set_.ways, parts.moved_g, strict=True)
        ]

    def best(self, count: int, apart: float = 0.0) -> Iterator[Table]:
        """The best cells of all, each ``apart`` tolerances from those before it in one figure."""
        import numpy as np

        totals = self._totals()
        ranked = totals.ravel()
        first = np.argsort(ranked, kind="stable")[: 1000 * count if apart else count]
        places = self.region.low + np.array(np.unravel_index(first, totals.shape)).T * self.cell
        taken: list[Table] = []
        for place in np.minimum(places, self.region.high):
            if all((abs(place - other) >= apart * self.tol).any() for other in taken):
                taken.append(place)
                yield place
            if len(taken) == count:
                return

    def at(self, place: Table) -> Meeting:
        """What every frame gets for one target."""
        import numpy as np

        chosen: list[tuple[int, ...] | None] = []
        moved = 0.0
        for states in self.tables:
            off = abs(states.figures - place[:, None])
            inside = np.flatnonzero((off <= self.tol[:, None] + 1e-9).all(axis=0))
            if not len(inside):
                chosen.append(None)
                continue
            at = inside[int(states.grams[inside].argmin())]
            moved += float(states.grams[at])
            chosen.append(tuple(int(i) for i in states.choice[:, at] if i >= 0))
        target = dict(zip(self.names, map(float, place), strict=True))
        return Meeting(target, tuple(chosen), moved)

    def _totals(self) -> Table:
        """The grams of every target, all frames together."""
        import numpy as np

        region, cell = self.region, self.cell
        count = np.ceil((region.high - region.low) / cell - 1e-9).astype(int) + 1
        # Half a cell less than the tolerance: whatever lies in a cell is inside.
        around = np.floor(self.tol / cell - 0.5 + 1e-9).astype(int)
        totals: Any = 0.0
        for states in self.tables:
            self.check()
            place = (states.figures - region.low[:, None]) / cell[:, None]
            at = np.rint(place).astype(int) + around[:, None]
            inside = ((at >= 0) & (at < (count + 2 * around)[:, None])).all(axis=0)
            at, grams = at[:, inside], states.grams[inside]
            order = np.argsort(-grams, kind="stable")  # the lightest is written last, and stays
            table = np.full(tuple(count + 2 * around), OUT_G, np.float32)
            table[tuple(at[:, order])] = grams[order]
            for axis, radius in enumerate(around):
                table = _moving_least(table, axis, 2 * int(radius) + 1)
            totals = totals + table
        found: Table = totals
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


class _Ways:
    """Everything one frame can become that lies within a tolerance of a grid's targets."""

    def __init__(self, grid: _Grid, set_: Together, body: Body, most_g: float) -> None:
        self.grid, self.body, self.axis, self.most_g = grid, body, set_.axis, most_g
        self.most_cuts = set_.most_cuts

    def states(self, ways: Sequence[Candidate]) -> States:
        """Site after site, those first that move the figures furthest."""
        import numpy as np

        grid, none = self.grid, np.zeros(len(self.grid.tol))
        sites = [
            self._lightest(self._one_site(ways, site)) for site in sorted({w.site for w in ways})
        ]
        nothing = self._one_site((), 0)
        spans = [(one.figures - nothing.figures) for one in sites]
        order = sorted(
            range(len(sites)), key=lambda k: -float((np.ptp(spans[k], axis=1) / grid.tol).sum())
        )
        states = nothing
        for n, k in enumerate(order):
            grid.check()
            later = [spans[j] for j in order[n + 1 :]]
            low = grid.region.low - grid.tol - REACH * sum((s.max(axis=1) for s in later), none)
            high = grid.region.high + grid.tol - REACH * sum((s.min(axis=1) for s in later), none)
            states = self._joined(states, sites[k], Region(low, high))
        return states

    def _one_site(self, ways: Sequence[Candidate], site: int) -> States:
        """The ways to use one site, none first."""
        import numpy as np

        here = [(i, way) for i, way in enumerate(ways) if way.site == site]
        sums = sums_of([Body(), *(way.body for _, way in here)])
        return States(
            sums,
            abs(sums[0]),
            np.array([0, *(way.cuts for _, way in here)]),
            np.array([[-1, *(i for i, _ in here)]]),
            self._figures(sums),
        )

    def _figures(self, sums: Any) -> Table:
        import numpy as np

        whole = Body(*sums) + self.body
        return np.array([FIGURES[name].of(whole, self.axis) for name in self.grid.names])

    def _joined(self, states: States, site: States, within: Region) -> States:
        """Every way with every use of one more site, as far as it may end ``within``; of those in
        one cell the lightest."""
        import numpy as np

        m = len(site.grams)
        rows = max(BLOCK // m, 1)
        parts = []
        for start in range(0, max(len(states.grams), 1), rows):
            some = states.only(slice(start, start + rows))
            sums = (some.sums[:, :, None] + site.sums[:, None, :]).reshape(5, -1)
            grams = (some.grams[:, None] + site.grams).ravel()
            cuts = (some.cuts[:, None] + site.cuts).ravel()
            figures = self._figures(sums)
            keep = grams <= self.most_g
            keep &= ((figures >= within.low[:, None]) & (figures <= within.high[:, None])).all(0)
            if self.most_cuts:
                keep &= cuts <= self.most_cuts
            at = np.flatnonzero(keep)
            i, j = np.divmod(at, m)
            choice = np.vstack([some.choice[:, i], site.choice[:, j]])
            parts.append(States(sums[:, at], grams[at], cuts[at], choice, figures[:, at]))
        whole = States(
            *(
                np.concatenate([getattr(one, name) for one in parts], axis=-1)
                for name in States.__dataclass_fields__
            )
        )
        whole, wider = self._lightest(whole), 1.0
        while len(whole.grams) > MOST_STATES:
            wider *= WIDENING
            whole = self._lightest(whole, wider)
        return whole

    def _lightest(self, states: States, wider: float = 1.0) -> States:
        """The lightest way of every cell; where cuts are limited, of every number of them."""
        import numpy as np

        if not len(states.grams):
            return states
        cells = np.floor(states.figures / (wider * self.grid.cell[:, None])).astype(np.int64)
        if self.most_cuts:
            cells = np.vstack([cells, states.cuts])
        cells -= cells.min(axis=1, keepdims=True)
        key = np.ravel_multi_index(tuple(cells), tuple(cells.max(axis=1) + 1))
        order = np.lexsort((states.grams, key))
        first = np.concatenate([[True], np.diff(key[order]) > 0])
        return states.only(order[first])
