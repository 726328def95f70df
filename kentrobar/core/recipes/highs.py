"""The mixed-integer programme of a brief, solved by HiGHS: for any number of sites, and for least
misses.

Unknowns: a binary a candidate; for every target a miss beyond tolerance, an overrun by a hand's
errors, and one by a hand's errors and the readings' uncertainty together.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

from .join import TooMany, least_beyond
from .programme import ORDERS, Chosen, Programme, Stop, as_light

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

GAP = 5e-3
"""Share of its cost a recipe may be from the best when the search is called done."""

Support = frozenset[tuple[int, int]]


def least_misses(p: Programme, time_left: Any, slack: float = 0.0) -> dict[str, float]:
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
        beyond = _least(p, limits, names, time_left)
        if beyond is None:
            return limits
        for name in names:
            more = slack if beyond[name] > 1e-9 else 0.0
            limits[name] = beyond[name] + more + 1e-6 + 1e-6 * beyond[name]
    return limits


def least_of_one(p: Programme, name: str, time_left: Any) -> float | None:
    """How far beyond its tolerance one target must be missed for all others to be met, in
    tolerances.

    None where the others cannot be met at all.
    """
    beyond = _least(p, dict.fromkeys(p.names, 0.0) | {name: math.inf}, [name], time_left)
    return None if beyond is None else beyond[name]


def _least(
    p: Programme, limits: dict[str, float], names: list[str], time_left: Any
) -> dict[str, float] | None:
    """How far beyond its tolerance each target is missed where ``names`` are missed least: gone
    through where few enough combinations come near, solved for where there are more."""
    with contextlib.suppress(TooMany):
        found = least_beyond(p, limits, names)
        if found is not None:
            return found
    solved = _solve(p, limits, time_left(), "misses", [], names)
    return None if solved is None else p.beyond(solved.ways)


def best_in_turn(
    p: Programme, limits: dict[str, float], count: int, time_left: Any
) -> Iterator[Chosen]:
    """The best recipes within ``limits`` that are as light as the lightest, each unlike the others,
    then the best of all, up to ``count`` of either; then the lightest itself."""
    lightest = _solve(p, limits, time_left(), "grams", [])
    if lightest is None:
        return
    least = float(p.moved[list(lightest.ways)].sum())
    lightest = replace(lightest, least_g=least)
    try:
        for within in ([(p.moved, as_light(least, p.brief.weights.near))], []):
            for found in _in_turn(p, limits, count, within, time_left):
                yield replace(found, least_g=least)
    except Stop:
        yield lightest  # there was no time for sturdier ones
        raise
    yield lightest


def _in_turn(
    p: Programme, limits: dict[str, float], count: int, within: list[Any], time_left: Any
) -> Iterator[Chosen]:
    shown: list[Support] = []
    for holds_none_shown in (True, False):
        while len(shown) < count:
            p.check()
            rows = [*within, *(_unlike(p, support, holds_none_shown) for support in shown)]
            found = _solve(p, limits, time_left(), "cost", rows)
            if found is None:
                break
            yield found
            shown.append(p.support(found.ways))
            if not shown[-1]:
                return


def _solve(
    p: Programme,
    limits: dict[str, float],
    time_left: float,
    least: Literal["misses", "grams", "cost"],
    extra: list[Any],
    missed: Sequence[str] = (),
) -> Chosen | None:
    """Solve once: for the least misses of the targets ``missed``, for the least grams, or for the
    least cost with what a hand's errors may undo."""
    import numpy as np
    from scipy.optimize import Bounds, LinearConstraint, milp

    n, t = len(p.ways), len(p.names)
    if time_left <= 0:
        return None
    settles = least == "cost"
    # Where only a miss is asked for, grams would have to be proven least for nothing.
    each = {"misses": np.zeros(n), "grams": p.moved, "cost": p.cost}[least]
    cost = np.concatenate(
        [
            each,
            [float(name in missed) for name in p.names],
            np.full(t, p.overrun if settles else 0.0),
            np.full(t, p.unsure if settles else 0.0),
        ]
    )
    eye, none = np.eye(t), np.zeros((t, t))
    bound = np.concatenate([1 - p.start, 1 + p.start])
    above, below = p.rows - p.wider, -p.rows - p.wider
    met = np.vstack([np.hstack([side, -eye, none, none]) for side in (above, below)])
    constraints = [
        LinearConstraint(met, ub=bound),
        LinearConstraint(_one_a_site(p, n + 3 * t), ub=1.0),
    ]
    if settles:
        constraints.append(_sturdy(p, limits, bound))
    if p.brief.max_added_g is not None:
        heavy = np.concatenate([p.grams, np.zeros(3 * t)])
        constraints.append(LinearConstraint(heavy[None, :], ub=p.brief.max_added_g))
    for row, most in extra:
        constraints.append(
            LinearConstraint(np.concatenate([row, np.zeros(3 * t)])[None, :], ub=most)
        )
    upper = np.concatenate([np.ones(n), [limits[name] for name in p.names], np.full(2 * t, np.inf)])
    whole = np.concatenate([np.ones(n), np.zeros(3 * t)])
    found = milp(
        cost, constraints=constraints, bounds=Bounds(np.zeros(n + 3 * t), upper), integrality=whole,
        options={"time_limit": time_left, "mip_rel_gap": 1e-6 if missed else GAP},
    )  # fmt: skip
    if found.x is None:
        return None
    gap = (
        max(float(found.fun - found.mip_dual_bound), 0.0)
        if found.mip_dual_bound is not None
        else math.inf
    )
    return Chosen(tuple(i for i in range(n) if found.x[i] > 0.5), gap, math.nan)


def _sturdy(p: Programme, limits: dict[str, float], bound: NDArray[np.float64]) -> Any:
    """What a hand's errors may undo counts where it reaches beyond the tolerance (and its miss),
    with what the readings leave open on top."""
    import numpy as np
    from scipy.optimize import LinearConstraint

    t = len(p.names)
    eye, none = np.eye(t), np.zeros((t, t))
    above, below = p.rows - p.wider, -p.rows - p.wider
    allowed = np.array([limits[name] for name in p.names] * 2)
    # No limit on a miss, nothing to hold it to.
    rows = np.isfinite(allowed)
    held, upper = [], []
    for overruns, room in (([-eye, none], 0.0), ([none, -eye], np.tile(p.read, 2))):
        sides = [np.hstack([side + p.fragile, none, *overruns]) for side in (above, below)]
        held.append(np.vstack(sides)[rows])
        upper.append((bound + allowed - room)[rows])
    return LinearConstraint(np.vstack(held), ub=np.concatenate(upper))


def _one_a_site(p: Programme, width: int) -> Any:
    """At most one candidate a site."""
    from scipy.sparse import lil_matrix

    sites = sorted({way.site for way in p.ways})
    rows = lil_matrix((len(sites), width))
    place = {site: i for i, site in enumerate(sites)}
    for i, way in enumerate(p.ways):
        rows[place[way.site], i] = 1.0
    return rows.tocsr()


def _unlike(p: Programme, shown: Support, holds_none: bool) -> tuple[NDArray[np.float64], float]:
    """A row above its bound only for what was shown (and, ``holds_none``, for anything that holds
    it)."""
    import numpy as np

    other = 0.0 if holds_none else -1.0
    row = np.array([1.0 if (way.site, way.material) in shown else other for way in p.ways])
    return row, len(shown) - 1.0
