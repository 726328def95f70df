"""The mixed-integer programme of a brief, solved by HiGHS: for any number of sites, and for least
misses. It begins with what exchanges found and says how much lighter another could be.

Unknowns: a binary a candidate; for every target a miss beyond tolerance.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Any

from .exchange import exchanged, is_within, unlike
from .join import TooManyStatesError, least_beyond
from .programme import ORDERS, Chosen, Programme, as_light
from .programmes import Solved, solved

GAP_G = 0.04
"""Grams another may be lighter when the search is called done: less than any scale tells."""


def least_misses(p: Programme, nodes: int, slack: float = 0.0) -> dict[str, float]:
    """How far beyond its tolerance each target must be missed, the first of the priority first.

    With ``slack``, what is missed anyway may be missed by so many tolerances more, where that
    brings what comes later in the priority nearer.
    """
    limits: dict[str, float] = dict.fromkeys(p.names, math.inf)
    for step in ORDERS[p.brief.priority]:
        names = [name for name in step if name in p.names]
        if not names:
            continue
        p.check()
        beyond = _least(p, limits, names, nodes)
        if beyond is None:
            return limits
        for name in names:
            more = slack if beyond[name] > 1e-9 else 0.0
            limits[name] = beyond[name] + more + 1e-6 + 1e-6 * beyond[name]
    return limits


def least_of_one(p: Programme, name: str, nodes: int) -> float | None:
    """How far beyond its tolerance one target must be missed for all others to be met, in
    tolerances.

    None where the others cannot be met at all.
    """
    beyond = _least(p, dict.fromkeys(p.names, 0.0) | {name: math.inf}, [name], nodes)
    return None if beyond is None else beyond[name]


def _least(
    p: Programme, limits: dict[str, float], names: list[str], nodes: int
) -> dict[str, float] | None:
    """How far beyond its tolerance each target is missed where ``names`` are missed least: gone
    through where few enough combinations come near, solved for where there are more."""
    with contextlib.suppress(TooManyStatesError):
        found = least_beyond(p, limits, names)
        if found is not None:
            return found
    tried = [exchanged(p, limits | dict.fromkeys(names, 0.0))]
    best = _solve(p, limits, nodes, [], names) if nodes else None
    if best is not None:
        tried.append(best.ways)
    within = [p.beyond(ways) for ways in tried if is_within(p, ways, limits)]
    return min(within, key=lambda beyond: sum(beyond[name] for name in names), default=None)


def best_in_turn(
    p: Programme, limits: dict[str, float], count: int, nodes: int
) -> Iterator[Chosen]:
    """The lightest within ``limits`` that exchanges find; the sturdiest that are as light, each
    unlike the others, and the sturdiest of all, up to ``count`` of either; then all of them once
    more, with how much lighter another could be."""
    bound = _bound(p, limits)
    if bound is None:
        return  # nothing to exchange: not even parts of candidates come within
    ways = exchanged(p, limits)
    least = float(p.moved[list(ways)].sum()) if is_within(p, ways, limits) else math.inf
    found = [Chosen(ways, math.inf, least)] if math.isfinite(least) else []
    yield from found
    if found:
        found[0] = replace(found[0], gap=max(least - bound, 0.0))
        light = as_light(least, p.brief.weights.near)
        for most_g in (light, None) if nodes else (light,):
            for one in unlike(p, limits, count, most_g):
                if all(one != other.ways for other in found):
                    found.append(replace(found[0], ways=one))
                    yield found[-1]
    is_proven = least - bound <= GAP_G
    within = [(p.moved, least)] if found else []
    may_look = nodes and not is_proven
    lighter = _solve(p, limits, nodes, within, about_g=least) if may_look else None
    if lighter is None and not found:
        return
    if lighter is not None:
        moved = float(p.moved[list(lighter.ways)].sum())
        bound = max(bound, moved - lighter.gap)
        if moved < least - 1e-9:
            found.append(Chosen(lighter.ways, 0.0, moved))
            least = moved
    for known in found:
        yield replace(known, gap=max(least - bound, 0.0), least_g=least)


def _bound(p: Programme, limits: dict[str, float]) -> float | None:
    """Grams that no recipe within ``limits`` is lighter than, were candidates taken in parts; None
    where not even parts come within."""
    found = _milp(p, limits, 0, [], (), are_whole=False)
    return None if found is None else found.cost


def _solve(
    p: Programme,
    limits: dict[str, float],
    nodes: int,
    extra: list[Any],
    missed: Sequence[str] = (),
    about_g: float = math.inf,
) -> Chosen | None:
    """Solve once: for the least misses of the targets ``missed``, or for the least grams, which are
    ``about_g``."""
    # A share of few grams is nothing, of many it is more than it takes to tell.
    gap = 1e-6 if missed else min(max(GAP_G / max(about_g, 1.0), 1e-4), GAP_G)
    found = _milp(p, limits, nodes, extra, missed, gap)
    if found is None:
        return None
    lighter = max(found.cost - found.least, 0.0)
    return Chosen(tuple(i for i in range(len(p.ways)) if found.x[i] > 0.5), lighter, math.nan)


def _milp(
    p: Programme,
    limits: dict[str, float],
    nodes: int,
    extra: list[Any],
    missed: Sequence[str],
    gap: float = 0.0,
    are_whole: bool = True,
) -> Solved | None:
    """What HiGHS finds; None where that is nothing."""
    import numpy as np

    n, t = len(p.ways), len(p.names)
    # Where only a miss is asked for, grams would have to be proven least for nothing.
    each = np.zeros(n) if missed else p.moved
    cost = np.concatenate([each, [float(name in missed) for name in p.names]])
    above, below = p.rows - p.wider, -p.rows - p.wider
    met = np.vstack([np.hstack([side, -np.eye(t)]) for side in (above, below)])
    once = _one_a_site(p, n + t)
    more = [*extra]
    if p.brief.max_added_g is not None:
        more.append((p.grams, p.brief.max_added_g))
    if p.most_cuts is not None:
        more.append((p.cuts, p.most_cuts))
    rows = [met, once, *(np.concatenate([row, np.zeros(t)])[None, :] for row, _ in more)]
    most = np.concatenate([
        1 - p.start, 1 + p.start, np.ones(len(once)), [most + 1e-9 for _, most in more],
    ])  # fmt: skip
    upper = np.concatenate([np.ones(n), [limits[name] for name in p.names]])
    is_whole = np.concatenate([np.full(n, float(are_whole)), np.zeros(t)])
    return solved(cost, np.vstack(rows), most, np.zeros(n + t), upper, is_whole, nodes, gap)


def _one_a_site(p: Programme, width: int) -> Any:
    """At most one candidate a site."""
    import numpy as np

    sites = sorted({way.site for way in p.ways})
    rows = np.zeros((len(sites), width))
    place = {site: i for i, site in enumerate(sites)}
    for i, way in enumerate(p.ways):
        rows[place[way.site], i] = 1.0
    return rows
