"""Figures that were read together stay together.

A swing weight that a pendulum told was computed with the mass and the balance of the frame: are
they wrong, so is it, and in the same direction. What follows from all three, the recoil weight, the
swing weight about another axis, a plan, is then much surer than their three uncertainties by
themselves would have it.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import combinations
from typing import Any

from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.quantities import READ

from .predict import Measured

TIED = ("mass_g", "balance_mm", "swing_kgcm2")
PAIRS = {
    f"{one.split('_')[0]}-{other.split('_')[0]}": (one, other)
    for one, other in combinations(TIED, 2)
}
"""Names of the pairs in documents: ``mass-balance``, ``mass-swing``, ``balance-swing``."""
LEAST = 1e-6
ROUNDED = 2e-5
"""Rounding error of a correlation written with six decimals."""


TAGS = {"mass": "mass_g", "balance": "balance_mm"}
"""The sources of a reading's uncertainty that are figures themselves."""


def slopes(value: Number, document: Collection[str]) -> dict[str, float]:
    """How much a figure that was computed with mass and balance changes with each, by name.

    Args:
        document: of its reading, whose keys say whether it was computed with them.
    """
    found: dict[str, float] = {}
    for source, slope in (getattr(value, "derivatives", None) or {}).items():
        name = TAGS.get(source.tag, "")
        if name in document and source.std_dev:
            found[name] = found.get(name, 0.0) + slope
    return found


def computed_with(
    value: float,
    u: float,
    by: Mapping[str, float],
    used: Mapping[str, Number],
    known: Mapping[str, Number],
) -> Number:
    """A figure tied to those it was computed with.

    Args:
        value, u: of the figure. by: its slopes. used: what it was computed with.
        known: the frame's figures; one that was read again since is not what was used, and ties
            nothing.
    """
    own, moved = u**2, 0.0
    for name, slope in by.items():
        then, now = used.get(name), known.get(name)
        if then is None or now is None:
            continue
        u_then, u_now = uncertainty(then) or 0.0, uncertainty(now) or 0.0
        if not u_now or abs(nominal(now) - nominal(then)) > u_then:
            continue
        own -= (slope * u_then) ** 2
        moved = moved + slope * u_then / u_now * (now - nominal(now))
    return value + moved + ufloat(0.0, math.sqrt(max(own, (LEAST * u) ** 2)))


def covariance(one: Number, other: Number) -> float:
    """Of two numbers, from the sources of uncertainty they share."""
    mine, theirs = _by_source(one), _by_source(other)
    return sum(mine[source] * theirs[source] for source in mine.keys() & theirs.keys())


def correlations(measured: Measured) -> dict[str, float]:
    """The pairs of figures that are tied, by their names in documents."""
    found = {}
    for name, pair in PAIRS.items():
        one, other = (getattr(measured, figure) for figure in pair)
        scale = (uncertainty(one) or 0.0) * (uncertainty(other) or 0.0)
        tie = covariance(one, other) / scale if scale else 0.0
        if abs(tie) > LEAST:
            found[name] = max(-1.0, min(1.0, tie))
    return found


def tied(measured: Measured, ties: Mapping[str, float]) -> Measured:
    """The same figures, tied to one another. Raises ValueError where no three figures can be."""
    values = [getattr(measured, name) for name in TIED]
    rows = nearest_triangle([[_tie(ties, i, k) for k in range(3)] for i in range(3)])
    sources = [ufloat(0.0, 1.0) for _ in TIED]
    joined: dict[str, Any] = {}
    for name, value, row in zip(TIED, values, rows, strict=True):
        u = uncertainty(value)
        if u:
            moved = sum(share * source for share, source in zip(row, sources, strict=True))
            joined[name] = nominal(value) + u / math.hypot(*row) * moved
    return replace(measured, **joined)


def triangle(square: Sequence[Sequence[float]]) -> list[list[float]]:
    """The lower triangle L of a symmetric L·Lᵀ (Cholesky). Raises ValueError where there is none;
    what is only known twice over, a tie of 1, is let be."""
    size = len(square)
    rows = [[0.0] * size for _ in range(size)]
    for i in range(size):
        for k in range(i + 1):
            left = square[i][k] - sum(rows[i][j] * rows[k][j] for j in range(k))
            if i == k:
                if left < -1e-6 * max(square[i][i], 1e-300):
                    raise ValueError("these cannot all be tied so")
                rows[i][i] = math.sqrt(max(left, 0.0))
            elif rows[k][k]:
                rows[i][k] = left / rows[k][k]
            elif abs(left) > 1e-6 * math.sqrt(square[i][i] * square[k][k]):
                raise ValueError("these cannot all be tied so")
    return rows


def nearest_triangle(square: Sequence[Sequence[float]]) -> list[list[float]]:
    """The triangle of a square whose ties were rounded: where they say a hair too much, of ties a
    hair less. Raises ValueError where that does not help."""
    try:
        return triangle(square)
    except ValueError:
        less = [
            [one if i == k else one * (1 - ROUNDED) for k, one in enumerate(row)]
            for i, row in enumerate(square)
        ]
        return triangle(less)


def moves(measured: Measured) -> Iterator[dict[str, float]]:
    """Changes of the figures, by name, that are independent of one another: one standard
    uncertainty each, all together what the readings leave open."""
    known = [name for name in READ if _u(measured, name)]
    numbers = [getattr(measured, name) for name in known]
    rows = nearest_triangle([[covariance(one, other) for other in numbers] for one in numbers])
    for column in range(len(known)):
        yield {name: row[column] for name, row in zip(known, rows, strict=True) if row[column]}


def _u(measured: Measured, name: str) -> float:
    value = getattr(measured, name)
    return (uncertainty(value) or 0.0) if value is not None else 0.0


def _tie(ties: Mapping[str, float], i: int, k: int) -> float:
    if i == k:
        return 1.0
    pair = (TIED[min(i, k)], TIED[max(i, k)])
    return next((ties.get(name, 0.0) for name, figures in PAIRS.items() if figures == pair), 0.0)


def _by_source(value: Number) -> dict[object, float]:
    """What one standard uncertainty of each of its sources changes it by."""
    derivatives = getattr(value, "derivatives", None)
    return {source: slope * source.std_dev for source, slope in (derivatives or {}).items()}
