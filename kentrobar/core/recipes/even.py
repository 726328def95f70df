"""Cuts of one length: where strips could as well be cut alike, they are. A hand sets its stop once,
and a strip put to the wrong site is still the right one.
"""

from __future__ import annotations

from itertools import combinations

from .programme import Programme

COSTS = 0.1
"""Miss, in tolerances, that may be added for it."""
COSTS_G = 0.1
"""Grams that may be added for it."""
MOST_STRIPS = 5


def evened(p: Programme, ways: tuple[int, ...], limits: dict[str, float]) -> tuple[int, ...]:
    """The same sites, materials and layers, with as many cuts of one length as cost under a tenth
    of a tolerance and ``COSTS_G``; the same where none do."""
    strips = [i for i in ways if p.ways[i].cuts]
    lengths = {round(p.ways[i].length_mm, 6) for i in strips}
    if len(lengths) < 2 or len(strips) > MOST_STRIPS:
        return ways
    was, most_g = p.beyond(ways), float(p.moved[list(ways)].sum()) + COSTS_G
    room = {name: max(limits[name], 0.0) for name in p.names}
    line = _lines(p, ways)
    alike = {i: _same_but_length(p, i) for i in strips}
    for count in range(len(strips), 1, -1):
        found: list[tuple[float, tuple[int, ...]]] = []
        for some in combinations(strips, count):
            common = set.intersection(*(set(alike[i]) for i in some))
            for length in common:
                others = tuple(i for i in ways if i not in some)
                tried = tuple(sorted((*others, *(alike[i][length] for i in some))))
                beyond, now = p.beyond(tried), _lines(p, tried)
                if any(beyond[name] > room[name] + 1e-6 for name in p.names):
                    continue
                worse = max(
                    max(abs(now[name]) - abs(line[name]), beyond[name] - was[name])
                    for name in p.names
                )
                moved = float(p.moved[list(tried)].sum())
                if worse <= COSTS and moved <= most_g and p.may_be(tried):
                    found.append((max(worse, 0.0) + moved / 100, tried))
        if found:
            return min(found)[1]
    return ways


def _lines(p: Programme, ways: tuple[int, ...]) -> dict[str, float]:
    """How far from the middle each target is, in tolerances."""
    whole = p.start + p.rows[:, list(ways)].sum(axis=1)
    return dict(zip(p.names, map(float, whole), strict=True))


def _same_but_length(p: Programme, i: int) -> dict[float, int]:
    """By length, the candidates that differ from this one in nothing else."""
    mine = p.ways[i]
    return {
        round(way.length_mm, 6): j
        for j, way in enumerate(p.ways)
        if (way.site, way.material, way.cuts, len(way.pieces))
        == (mine.site, mine.material, mine.cuts, len(mine.pieces))
    }
