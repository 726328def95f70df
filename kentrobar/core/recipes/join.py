"""The exact search: all combinations, found by joining two halves of the sites.

Every combination of one half is a row of sums, and so is every one of the other. A pair meets the
targets where its two rows come to zero within the tolerances, so the second half is sorted into
cells by one target and by another within each, and every row of the first looks up only the few it
can pair with. What is found is the best recipe for every choice of sites and materials at once.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

from .programme import Chosen, Programme, as_light

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.float64]
    Index = NDArray[np.int64]

MOST_ROWS = 200_000
MOST_PAIRS = 12_000_000
BLOCK = 200_000
SLACK = 1e-7
FURTHER = (0.25, 1.0, 4.0, 16.0)
"""How far beyond their tolerances the nearest is looked for, step by step."""


class TooManyStatesError(Exception):
    """More combinations than are worth going through one by one."""


@dataclass(frozen=True, slots=True)
class Half:
    """Combinations of some of the sites, one a row.

    Attributes:
        line, wider, fragile: (rows, targets). cost, grams, moved, cuts: (rows,).
        support: a number for the sites and materials used. choice: (rows, sites) of candidates, −1
            for none.
    """

    line: Table
    wider: Table
    fragile: Table
    cost: Table
    grams: Table
    moved: Table
    cuts: Table
    support: Index
    choice: Index

    def only(self, rows: Any) -> Half:
        return Half(*(getattr(self, name)[rows] for name in self.__dataclass_fields__))


class Ranked(NamedTuple):
    """The best combination for every choice of sites and materials, best first: of those as light
    as the lightest (``light``) and of all (``every``); and the ``lightest`` itself."""

    light: list[Chosen]
    every: list[Chosen]
    lightest: list[Chosen]


def best_by_support(p: Programme, limits: dict[str, float]) -> Ranked:
    """The best combinations within ``limits``.

    Args:
        limits: how far beyond its tolerance each target may be missed, in tolerances.

    Raises:
        TooManyStatesError: the search would be long. SearchStoppedError: it was stopped.
    """
    import numpy as np

    limit = np.array([limits[name] for name in p.names])
    first, second, reach = _within(p, limit)
    least, lightest = math.inf, (-1, -1)
    for i, j, _ in _meeting(p, first, second, limit, reach):
        moved = first.moved[i] + second.moved[j]
        at = int(moved.argmin())
        if moved[at] < least - SLACK:
            least, lightest = float(moved[at]), (int(i[at]), int(j[at]))
    if lightest == (-1, -1):
        return Ranked([], [], [])
    light = as_light(least, p.brief.weights.near)
    best: dict[int, tuple[bool, float, int, int]] = {}
    for i, j, off in _meeting(p, first, second, limit, reach):
        shaken = off + first.fragile[i] + second.fragile[j] - limit
        shaken[:, np.isinf(limit)] = -math.inf
        cost = first.cost[i] + second.cost[j] + p.overrun * np.maximum(shaken, 0.0).sum(axis=1)
        cost += p.unsure * np.maximum(shaken + p.read, 0.0).sum(axis=1)
        heavy = first.moved[i] + second.moved[j] > light
        # Twice the support, one more where it is heavy: one number for both.
        kind = 2 * (first.support[i] + second.support[j]) + heavy
        order = np.lexsort((j, i, cost, kind))
        _, heads = np.unique(kind[order], return_index=True)
        for at in order[heads]:
            one = (bool(heavy[at]), float(cost[at]), int(i[at]), int(j[at]))
            known = best.get(int(kind[at]))
            if known is None or one < known:
                best[int(kind[at])] = one
    ranked = [
        (is_heavy, number // 2, Chosen(_ways(first, second, mine, other), 0.0, least))
        for number, (is_heavy, _, mine, other) in sorted(best.items(), key=lambda item: item[1][1:])
    ]
    every: dict[int, Chosen] = {}
    for _, used, chosen in ranked:
        every.setdefault(used, chosen)
    return Ranked(
        [chosen for is_heavy, _, chosen in ranked if not is_heavy],
        list(every.values()),
        [Chosen(_ways(first, second, *lightest), 0.0, least)],
    )


def _ways(first: Half, second: Half, i: int, j: int) -> tuple[int, ...]:
    return tuple(int(c) for c in (*first.choice[i], *second.choice[j]) if c >= 0)


def least_beyond(
    p: Programme, limits: dict[str, float], names: list[str]
) -> dict[str, float] | None:
    """How far beyond its tolerance each target is missed where the ``names`` are missed least in
    all, others within ``limits``; None where none was found as far as is looked (``FURTHER``).

    Raises:
        TooManyStatesError: the search would be long. SearchStoppedError: it was stopped.
    """
    import numpy as np

    missed = [p.names.index(name) for name in names]
    for reach_for in FURTHER:
        limit = np.array([reach_for if name in names else limits[name] for name in p.names])
        first, second, reach = _within(p, limit)
        least, found = math.inf, None
        for _, _, off in _meeting(p, first, second, limit, reach):
            beyond = np.maximum(off, 0.0)
            total = beyond[:, missed].sum(axis=1)
            at = int(total.argmin())
            if total[at] < least - 1e-12:
                least, found = float(total[at]), beyond[at]
        # Whatever is missed by less in all is within reach too, so nothing better was passed over.
        if found is not None and least <= reach_for:
            return {name: float(one) for name, one in zip(p.names, found, strict=True)}
    return None


def _within(p: Programme, limit: Table) -> tuple[Half, Half, Table]:
    """The halves without the rows that nothing of the other could bring within ``limit``, and their
    reach."""
    first, second = _halves(p)
    reach = 1 + limit + SLACK
    first = first.only(_can_meet(p.start, first, second, reach))
    if len(first.cost):
        second = second.only(_can_meet(p.start, second, first, reach))
    return first, second, reach


def _meeting(
    p: Programme, first: Half, second: Half, limit: Table, reach: Table
) -> Iterator[tuple[Index, Index, Table]]:
    """Blocks of pairs that meet every ``limit``, with how far beyond its tolerance each misses each
    target."""
    import numpy as np

    if not len(first.cost) or not len(second.cost):
        return
    for i, j in _pairs(p, first, second, reach):
        wider = first.wider[i] + second.wider[j]
        off = np.abs(p.start + first.line[i] + second.line[j]) - 1 - wider
        keep = (off <= limit + SLACK).all(axis=1)
        if p.brief.max_added_g is not None:
            keep &= first.grams[i] + second.grams[j] <= p.brief.max_added_g + SLACK
        if p.most_cuts is not None:
            keep &= first.cuts[i] + second.cuts[j] <= p.most_cuts
        if keep.any():
            yield i[keep], j[keep], off[keep]


def _halves(p: Programme) -> tuple[Half, Half]:
    """The sites in two halves with about as many combinations each."""
    sites: dict[int, list[int]] = {}
    for i, way in enumerate(p.ways):
        sites.setdefault(way.site, []).append(i)
    split: tuple[list[int], list[int]] = ([], [])
    size = [1, 1]
    for site in sorted(sites, key=lambda site: (-len(sites[site]), site)):
        into = 0 if size[0] <= size[1] else 1
        split[into].append(site)
        size[into] *= len(sites[site]) + 1
    if max(size) > MOST_ROWS:
        raise TooManyStatesError
    materials = len(p.brief.materials) + 2
    halves = [_combined(p, [sites[site] for site in part], materials) for part in split]
    return halves[0], halves[1]


def _combined(p: Programme, groups: list[list[int]], materials: int) -> Half:
    """Every combination of one candidate or none from each group."""
    import numpy as np

    t = len(p.names)
    nothing, none = np.zeros((1, t)), np.zeros(1)
    half = Half(
        nothing, nothing, nothing, none, none, none, none, np.zeros(1, int), np.zeros((1, 0), int)
    )  # fmt: skip
    for group in groups:
        n = len(half.cost)
        pick = np.array([-1, *group])

        def spread(mine: Any, theirs: Any, n: int = n, m: int = len(pick)) -> Any:
            """Each of mine with each of theirs, none of theirs first."""
            none = np.zeros((1, *theirs.shape[1:]), theirs.dtype)
            return np.repeat(mine, m, axis=0) + np.tile(
                np.concatenate([none, theirs]), (n,) + (1,) * (theirs.ndim - 1)
            )

        ways = [p.ways[i] for i in group]
        used = np.array([(way.material + 2) * materials**way.site for way in ways], dtype=np.int64)
        half = Half(
            spread(half.line, p.rows[:, group].T),
            spread(half.wider, p.wider[:, group].T),
            spread(half.fragile, p.fragile[:, group].T),
            spread(half.cost, p.cost[group]),
            spread(half.grams, p.grams[group]),
            spread(half.moved, p.moved[group]),
            spread(half.cuts, p.cuts[group]),
            spread(half.support, used),
            np.hstack([np.repeat(half.choice, len(pick), axis=0), np.tile(pick, n)[:, None]]),
        )
    return half


def _can_meet(start: Table, mine: Half, other: Half, reach: Table) -> Any:
    """Which of mine lie near enough to what any of the others could make up."""
    reach = reach + mine.wider.max(axis=0) + other.wider.max(axis=0)
    low, high = other.line.min(axis=0), other.line.max(axis=0)
    line = start + mine.line
    return ((line + low <= reach) & (line + high >= -reach)).all(axis=1)


def _pairs(p: Programme, first: Half, second: Half, reach: Table) -> Iterator[tuple[Index, Index]]:
    """Blocks of pairs, by row, that lie within reach on the two most telling targets."""
    import numpy as np

    n, m = len(first.cost), len(second.cost)
    width = reach + first.wider.max(axis=0) + second.wider.max(axis=0)
    spread = np.ptp(second.line, axis=0) / width
    telling = sorted(
        (i for i in range(len(p.names)) if math.isfinite(width[i])), key=lambda i: -spread[i]
    )
    if not telling:
        if n * m > MOST_PAIRS:
            raise TooManyStatesError
        lows = np.zeros((1, n), int)
        highs = np.full((1, n), m)
        order = np.arange(m)
    else:
        cell_by, within = telling[0], telling[1] if len(telling) > 1 else telling[0]
        lows, highs, order = _looked_up(p, first, second, width, cell_by, within)
    counts = np.maximum(highs - lows, 0)
    if counts.sum() > MOST_PAIRS:
        raise TooManyStatesError
    for low, count in zip(lows, counts, strict=True):
        ends = np.cumsum(count)
        at = 0
        while at < n:
            p.check()
            done = ends[at - 1] if at else 0
            until = max(int(np.searchsorted(ends, done + BLOCK, side="right")), at + 1)
            some = count[at:until]
            i = np.repeat(np.arange(at, until), some)
            behind = np.arange(len(i)) - np.repeat(np.cumsum(some) - some, some)
            yield i, order[low[i] + behind]
            at = until


def _looked_up(
    p: Programme, first: Half, second: Half, width: Table, cell_by: int, within: int
) -> tuple[Index, Index, Index]:
    """For each row of the first half, where its partners begin and end in the order of the second.

    A window is as wide as a cell, so it lies in two cells at most: two ranges a row.
    """
    import numpy as np

    cells, values = second.line[:, cell_by], second.line[:, within]
    side, base = 2 * width[cell_by], cells.min()
    values = values - values.min()
    stride = values.max() + 3.0
    keys = np.floor((cells - base) / side) * stride + values
    order = np.argsort(keys, kind="stable")
    keys = keys[order]
    cell = np.floor((-p.start[cell_by] - first.line[:, cell_by] - width[cell_by] - base) / side)
    middle = -p.start[within] - first.line[:, within] - second.line[:, within].min()
    low = np.clip(middle - width[within], 0.0, stride - 2.0) - SLACK
    high = np.clip(middle + width[within], -0.5, stride - 2.0) + SLACK
    lows = np.array([np.searchsorted(keys, (cell + k) * stride + low) for k in (0, 1)])
    highs = np.array(
        [np.searchsorted(keys, (cell + k) * stride + high, side="right") for k in (0, 1)]
    )
    return lows, highs, order
