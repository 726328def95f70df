"""Everything frames of a set can be loaded with: every combination of the ways to use their sites.

Frames of one outline with the same sites share one list. Of combinations that do the same to the
figures in question, as finely as the list allows, the lightest is kept; what is kept depends on the
frames, sites and materials alone, not on what is asked of them, so that a looser wish finds
whatever a tighter one found.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING, Any

from kentrobar.core.pieces.body import KGCM2, Body
from kentrobar.core.quantities import FIGURES

from .candidates import Candidate
from .programme import sums_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.floating[Any]]
    Whole = NDArray[np.int64]

FINE = 1 / 16
"""Width of a cell in usual tolerances: combinations in one cell do the same."""
MOST_LOADS = 1_000_000
"""Combinations kept after each site, times the sites to the power of 2.5: more sites take longer.
Above that, cells are made wider."""
WIDENING = 1.26
"""Least factor by which cells are made wider: twice the volume of three figures."""
BLOCK = 400_000
"""Combinations looked at at a time: what memory holds."""

Check = Callable[[], None]


@dataclass(frozen=True, slots=True)
class Loads:
    """Ways to load a frame, one a column.

    Attributes:
        sums: (5, n) of a Body. grams, cuts: (n,). choice: (sites, n) of candidates, −1 for none.
        is_complete: whether nothing that differs was left out.
    """

    sums: Table
    grams: Table
    cuts: Whole
    choice: Whole
    is_complete: bool = True

    def only(self, columns: Any) -> Loads:
        return Loads(
            self.sums[:, columns], self.grams[columns], self.cuts[columns],
            self.choice[:, columns], self.is_complete,
        )  # fmt: skip

    def chosen(self, column: int) -> tuple[int, ...]:
        return tuple(int(i) for i in self.choice[:, column] if i >= 0)

    def and_more(self, others: Sequence[Loads]) -> Loads:
        """The same and others."""
        import numpy as np

        every = (self, *others)
        sites = max(len(one.choice) for one in every)
        choices = [
            np.pad(one.choice, ((0, sites - len(one.choice)), (0, 0)), constant_values=-1)
            for one in every
        ]
        return Loads(
            np.hstack([one.sums for one in every]), np.concatenate([one.grams for one in every]),
            np.concatenate([one.cuts for one in every]), np.hstack(choices), self.is_complete,
        )  # fmt: skip

    def figures(self, body: Body, names: Sequence[str], axis: float) -> Table:
        """(figures, n) of a frame with each of them."""
        import numpy as np

        whole = Body(*self.sums) + body
        return np.array([FIGURES[name].of(whole, axis) for name in names])


@dataclass(frozen=True, slots=True)
class Changes:
    """What is looked for: the changes of the figures that matter, as sums that add.

    Attributes:
        forms: (forms, 5), each a sum of the five; cells: (forms,) width of a cell of each.
        low, high: (forms,) what a combination may come to. most_g, most_cuts: of one combination;
            0 cuts for any number.
    """

    forms: Table
    cells: Table
    low: Table
    high: Table
    most_g: float
    most_cuts: int


@dataclass(frozen=True, slots=True)
class Forms:
    """What a change does to each figure, as sums that add: of a figure v, ``scale`` times
    (v − ``from_``). Each (figures,); ``rows`` (figures, 5)."""

    rows: Table
    scale: Table
    from_: Table

    def of(self, figures: Table) -> Table:
        return self.scale * (figures - self.from_)


def forms_of(names: Sequence[str], axis: float, middle: float, mass: float) -> Forms:
    """For frames of about such a ``mass`` that balance at about ``middle``."""
    import numpy as np

    def second(about: float) -> list[float]:
        return [about * about, -2 * about, 1.0, 0.0, 0.0]

    known = {
        "mass_g": ([1.0, 0.0, 0.0, 0.0, 0.0], 1.0, 0.0),
        "balance_mm": ([-middle, 1.0, 0.0, 0.0, 0.0], mass, middle),
        "swing_kgcm2": (second(axis), KGCM2, 0.0),
        # About the balance, a swing weight is the recoil weight but for the balance's own shift.
        "recoil_kgcm2": (second(middle), KGCM2, 0.0),
    }
    rows, scale, from_ = zip(*(known[name] for name in names), strict=True)
    return Forms(np.array(rows), np.array(scale), np.array(from_))


def all_loads(ways: Sequence[Candidate], changes: Changes, check: Check) -> Loads:
    """Every combination, site after site, those first that move the figures furthest."""
    import numpy as np

    sites = [
        _lightest(_one_site(ways, site), changes, FINE) for site in sorted({w.site for w in ways})
    ]
    spans = [changes.forms @ one.sums for one in sites]
    order = sorted(
        range(len(sites)), key=lambda k: -float((np.ptp(spans[k], axis=1) / changes.cells).sum())
    )
    found, none = _one_site((), 0), np.zeros(len(changes.cells))
    for n, k in enumerate(order):
        check()
        later = [spans[j] for j in order[n + 1 :]]
        low = changes.low - sum((one.max(axis=1) for one in later), none)
        high = changes.high - sum((one.min(axis=1) for one in later), none)
        found = _joined(found, sites[k], changes, low, high, int(MOST_LOADS / len(sites) ** 2.5))
    return found


def _one_site(ways: Sequence[Candidate], site: int) -> Loads:
    """The ways to use one site, none first."""
    import numpy as np

    here = [(i, way) for i, way in enumerate(ways) if way.site == site]
    sums = sums_of([Body(), *(way.body for _, way in here)])
    return Loads(
        sums, abs(sums[0]), np.array([0, *(way.cuts for _, way in here)]),
        np.array([[-1, *(i for i, _ in here)]]),
    )  # fmt: skip


def _joined(
    found: Loads, site: Loads, changes: Changes, low: Table, high: Table, most: int
) -> Loads:
    """Every combination with every use of one more site, as far as it may end within what is
    looked for."""
    import numpy as np

    m = len(site.grams)
    mine, theirs = changes.forms @ found.sums, changes.forms @ site.sums
    pairs: list[Whole] = []
    rows = max(BLOCK // m, 1)
    for start in range(0, len(found.grams), rows):
        some = slice(start, start + rows)
        keep = (found.grams[some, None] + site.grams) <= changes.most_g
        for k in range(len(low)):
            sums = mine[k, some, None] + theirs[k]
            keep &= (sums >= low[k]) & (sums <= high[k])
        if changes.most_cuts:
            keep &= (found.cuts[some, None] + site.cuts) <= changes.most_cuts
        pairs.append(np.flatnonzero(keep) + start * m)
    i, j = np.divmod(np.concatenate(pairs), m)
    whole = Loads(
        found.sums[:, i] + site.sums[:, j], found.grams[i] + site.grams[j],
        found.cuts[i] + site.cuts[j], np.vstack([found.choice[:, i], site.choice[:, j]]),
        found.is_complete and site.is_complete,
    )  # fmt: skip
    wider = FINE
    whole = _lightest(whole, changes, wider)
    while len(whole.grams) > most:
        wider *= max(WIDENING, (len(whole.grams) / most) ** (0.5 / len(low)))
        thinned = _lightest(whole, changes, wider)
        whole = Loads(thinned.sums, thinned.grams, thinned.cuts, thinned.choice, False)
    return whole


def _lightest(found: Loads, changes: Changes, wide: float) -> Loads:
    """The lightest of every cell ``wide`` tolerances wide, of them the one in the fewest cuts;
    where cuts are limited, of every number of them."""
    import numpy as np

    if not len(found.grams):
        return found
    cells = np.floor(changes.forms @ found.sums / (wide * changes.cells[:, None]))
    if changes.most_cuts:
        cells = np.vstack([cells, found.cuts])
    cells -= cells.min(axis=1, keepdims=True)
    spans = cells.max(axis=1) + 1
    key = np.zeros(len(found.grams))
    for row, span in zip(cells, spans, strict=True):
        key = key * span + row
    order = np.lexsort((found.cuts, found.grams, key))
    first = np.concatenate([[True], np.diff(key[order]) > 0])
    return found.only(order[first])


def exchanges(
    ways: Sequence[Candidate], start: Sequence[int], more_g: float, most_cuts: int
) -> Iterator[Loads]:
    """Every load that uses two sites otherwise than one does, two sites at a time.

    Args:
        start: the candidates of the load. more_g: grams by which others may be heavier.
    """
    import numpy as np

    sites = {site: _one_site(ways, site) for site in sorted({w.site for w in ways})}
    used = dict.fromkeys(sites, 0)
    for i in start:
        used[ways[i].site] = int(np.flatnonzero(sites[ways[i].site].choice[0] == i)[0])
    now = {site: sites[site].only([k]) for site, k in used.items()}
    most_g = sum(float(one.grams[0]) for one in now.values()) + more_g
    for one, other in combinations(sites, 2):
        rest = [load for site, load in now.items() if site not in (one, other)]
        grams = sum(float(load.grams[0]) for load in rest)
        cuts = sum(int(load.cuts[0]) for load in rest)
        a, b = sites[one], sites[other]
        keep = grams + a.grams[:, None] + b.grams <= most_g
        if most_cuts:
            keep &= cuts + a.cuts[:, None] + b.cuts <= most_cuts
        mine, theirs = np.nonzero(keep)
        choices = [np.repeat(load.choice, len(mine), axis=1) for load in rest]
        yield Loads(
            sum((load.sums for load in rest), a.sums[:, mine] + b.sums[:, theirs]),
            grams + a.grams[mine] + b.grams[theirs],
            cuts + a.cuts[mine] + b.cuts[theirs],
            np.vstack([*choices, a.choice[:, mine], b.choice[:, theirs]]), False,
        )  # fmt: skip
