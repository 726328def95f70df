"""A good recipe at once: from what is chosen, the best exchange at any two sites, until none is
better.

Bodies add, so what two sites put on is a sum of two rows, and all pairs of their candidates are
looked at in one stroke. What comes out is light (or sturdy) and inside wherever anything near is,
and most often the best there is, but nothing says so: ``highs`` proves how much lighter another
could be.
"""

from __future__ import annotations

import random
from collections.abc import Collection, Iterator
from itertools import combinations
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from .programme import Programme

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.float64]

BEYOND_G = 300.0
"""Grams that one tolerance, one gram or one cut beyond counts as: nothing light stays outside where
anything comes in."""
STARTS = 3
MOST_SWEEPS = 12
SEED = "exchange"

Least = Literal["grams", "cost"]
Support = frozenset[tuple[int, int]]


def exchanged(
    p: Programme,
    limits: dict[str, float],
    least: Least = "grams",
    most_g: float | None = None,
    without: Collection[tuple[int, int]] = (),
    starts: int = STARTS,
) -> tuple[int, ...]:
    """The lightest candidates found that come within ``limits``, or come nearest, by index; always
    the same for the same brief.

    Args:
        limits: how far beyond its tolerance each target may be missed, in tolerances.
        least: grams moved, or all that counts against a recipe, what hands and readings may undo
            among it.
        most_g: grams that may be moved. without: (site, material) that is not to be used.
    """
    return _settled(p, limits, least, most_g, without, starts)[1]


def unlike(
    p: Programme, limits: dict[str, float], count: int, most_g: float | None = None
) -> Iterator[tuple[int, ...]]:
    """The sturdiest candidates found within ``limits``, then what comes next without one of their
    sites or materials: up to ``count``, none of which holds another."""
    first = exchanged(p, limits, "cost", most_g)
    if not is_within(p, first, limits):
        return
    yield first
    shown = [p.support(first)]
    others = [
        (score, ways)
        for used in sorted(shown[0])
        for score, ways in [_settled(p, limits, "cost", most_g, (used,), 1)]
        if is_within(p, ways, limits)
    ]
    for _, ways in sorted(others):
        support = p.support(ways)
        heavy = most_g is not None and float(p.moved[list(ways)].sum()) > most_g
        if len(shown) < count and not heavy and not any(one <= support for one in shown):
            shown.append(support)
            yield ways


def is_within(p: Programme, ways: tuple[int, ...], limits: dict[str, float]) -> bool:
    """Whether candidates keep every limit, those on grams and cuts among them."""
    beyond = p.beyond(ways)
    return all(beyond[name] <= limits[name] + 1e-6 for name in p.names) and p.may_be(ways)


def _settled(
    p: Programme,
    limits: dict[str, float],
    least: Least,
    most_g: float | None,
    without: Collection[tuple[int, int]],
    starts: int,
) -> tuple[float, tuple[int, ...]]:
    """(score, candidates) of the best of some starts."""
    board = _Board(p, limits, least, most_g, frozenset(without))
    rng = random.Random(SEED)
    best = board.settle([0] * len(board.ways))
    for _ in range(starts - 1):
        p.check()
        best = min(best, board.settle(board.anything(rng)))
    return best


class _Rows(NamedTuple):
    """What candidates add, one a column: the tables (targets, n), the rest (n,). Nothing is fragile
    where only grams count."""

    line: Any
    wider: Any
    fragile: Any
    moved: Any
    cost: Any
    grams: Any
    cuts: Any


class _Board:
    """The candidates site by site, the first of each being none."""

    def __init__(
        self,
        p: Programme,
        limits: dict[str, float],
        least: Least,
        most_g: float | None,
        without: frozenset[tuple[int, int]],
    ) -> None:
        import numpy as np

        self.p, self.least, self.most_g = p, least, most_g
        self.room = 1 + np.array([limits[name] for name in p.names])
        usable = [i for i, way in enumerate(p.ways) if (way.site, way.material) not in without]
        sites = sorted({p.ways[i].site for i in usable})
        self.ways = [
            np.array([-1, *(i for i in usable if p.ways[i].site == site)]) for site in sites
        ] or [np.array([-1])]
        fragile = np.zeros((0, len(p.ways))) if least == "grams" else p.fragile
        whole = _Rows(p.rows, p.wider, fragile, p.moved, p.cost, p.grams, p.cuts)
        # A last column of nothing, which −1 finds.
        padded = [np.concatenate([one, np.zeros((*one.shape[:-1], 1))], axis=-1) for one in whole]
        self.rows = [_Rows(*(one[..., ways] for one in padded)) for ways in self.ways]

    def anything(self, rng: random.Random) -> list[int]:
        """Any candidate at about every other site."""
        return [rng.randrange(len(ways)) if rng.random() < 0.5 else 0 for ways in self.ways]

    def settle(self, chosen: list[int]) -> tuple[float, tuple[int, ...]]:
        """(score, candidates) where no exchange at two sites betters it."""
        score = float("inf")
        pairs = list(combinations(range(len(self.ways)), 2)) or [(0, 0)]
        for _ in range(MOST_SWEEPS):
            before = score
            for a, b in pairs:
                score = self._best_of_two(chosen, a, b)
            if score > before - 1e-9:
                break
        found = (int(self.ways[site][c]) for site, c in enumerate(chosen))
        return score, tuple(way for way in found if way >= 0)

    def _best_of_two(self, chosen: list[int], a: int, b: int) -> float:
        """Put the best pair of candidates to two sites, the others standing as they do."""
        others = [self.rows[site] for site in range(len(chosen)) if site not in (a, b)]
        picks = [c for site, c in enumerate(chosen) if site not in (a, b)]

        def pairs(name: str, start: Any = 0.0) -> Any:
            base = start + sum(
                getattr(one, name)[..., c] for one, c in zip(others, picks, strict=True)
            )
            mine = getattr(self.rows[a], name)[..., :, None]
            if a == b:
                return mine + _column(base)
            return mine + (getattr(self.rows[b], name)[..., None, :] + _column(base))

        score = self._score(pairs)
        at = int(score.argmin())
        chosen[a], other = divmod(at, score.shape[1])
        if a != b:
            chosen[b] = other
        return float(score.flat[at])

    def _score(self, pairs: Any) -> Table:
        """Grams or cost of every pair, and what is beyond a limit."""
        import numpy as np

        p = self.p
        beyond = pairs("line", p.start)
        np.abs(beyond, out=beyond)
        beyond -= pairs("wider")
        beyond -= self.room[:, None, None]
        score = BEYOND_G * _over(beyond)
        if self.least == "grams":
            score += pairs("moved")
        else:
            beyond += pairs("fragile")
            score += pairs("cost")
            score += p.overrun * _over(beyond)
            beyond += p.read[:, None, None]
            score += p.unsure * _over(beyond)
        for name, most in (
            ("moved", self.most_g), ("grams", p.brief.max_added_g), ("cuts", p.most_cuts),
        ):  # fmt: skip
            if most is not None:
                score += BEYOND_G * np.maximum(pairs(name) - most - 1e-9, 0.0)
        return score


def _over(beyond: Table) -> Table:
    """What is beyond, of all targets together: rows added up are quicker than their sum."""
    import numpy as np

    over: Table = np.maximum(beyond, 0.0)
    for one in over[1:]:
        over[0] += one
    summed: Table = over[0]
    return summed


def _column(base: Any) -> Any:
    """A sum over the other sites beside a table of pairs."""
    return base[:, None, None] if getattr(base, "ndim", 0) else base
