"""What a player likes, from which of two set-ups was better.

How much a set-up is liked is a Gaussian process over how it differs from the frame as it came, in
steps a player notices: a hill (straight and squared parts of each figure) and something smooth
beside it. An answer is *better*, *worse* or *same*: with d how much more the one is liked than the
other and unit noise in each judgement, better has the chance Φ((d − s)/√2) and same what is
between.
How strong any liking is, against that noise, is learned as well: strengths are weighed by how well
they explain the answers, none at all among them, so that a player who cannot tell is found out.

The posterior of each strength is a Gaussian found by expectation propagation (T. Minka, 2001): a
Gaussian at the mode is far off where answers agree. The chance that one is liked more than another
they were held against is then integrated over what was said of the two. All of it is held in
``docs/court.md`` and tested against numerical integration.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

Said = Literal["better", "worse", "same"]
STRENGTHS = (0.0, 1.0, 2.0, 4.0, 7.0)
"""How much the likings of set-ups some steps apart differ, over the noise of one judgement."""
BELIEFS = (0.30, 0.15, 0.20, 0.20, 0.15)
"""Prior probability of each strength."""
SAME = 0.5
"""Nearer than this a player says same."""
REACH = 2.5
"""Steps over which liking changes."""
SQUARED, SMOOTH = 0.3, 1.0
SWEEPS, SETTLED = 200, 1e-5
DAMPING = 0.7
GRID = 801
"""Points a difference of liking is integrated over."""


@dataclass(frozen=True, slots=True)
class Answer:
    """Which set-up was held against which (their numbers), and what was said of the first."""

    first: int
    second: int
    said: Said


def kernel(a: Array, b: Array) -> Array:
    """How likings of set-ups go together, at strength 1: (set-ups × figures) × the same."""
    import numpy as np

    x, y = a / REACH, b / REACH
    apart = ((x[:, None, :] - y[None, :, :]) ** 2).sum(axis=2)
    smooth = np.exp(-apart / 2)
    return np.asarray(x @ y.T + SQUARED * (x**2) @ (y**2).T + SMOOTH * smooth, float)


@dataclass(frozen=True)
class Liking:
    """What is known of how much each set-up is liked, over the noise of a judgement.

    Attributes:
        belief: of each of STRENGTHS, after the answers.
        means: by strength, of each set-up. spreads: by strength, covariances.
        answers: what was said. sites: by strength, (ν, τ) of the Gaussian each answer counts as.
    """

    belief: Array
    means: tuple[Array, ...]
    spreads: tuple[Array, ...]
    answers: tuple[Answer, ...] = ()
    sites: tuple[tuple[Array, Array], ...] = ()
    same: float = SAME

    @cached_property
    def mean(self) -> Array:
        """Of each set-up, whatever the strength."""
        import numpy as np

        return np.asarray(sum(w * m for w, m in zip(self.belief, self.means, strict=True)), float)

    @property
    def tells_nothing(self) -> float:
        """The chance that this player likes all of them alike."""
        return float(self.belief[0])

    def chance(self, one: int, other: int, by: float = 0.0) -> float:
        """The chance that ``one`` is liked more than ``other``, by so much at least."""
        found = 0.0
        between = [
            (i, 1.0 if answer.first == one else -1.0)
            for i, answer in enumerate(self.answers)
            if {answer.first, answer.second} == {one, other}
        ]
        for k, (weight, mean, spread) in enumerate(
            zip(self.belief, self.means, self.spreads, strict=True)
        ):
            apart = float(mean[one] - mean[other])
            var = float(spread[one, one] + spread[other, other] - 2 * spread[one, other])
            if var > 1e-12:
                found += float(weight) * self._above(k, apart, var, between, by)
        return found

    def _above(
        self, k: int, apart: float, var: float, between: list[tuple[int, float]], by: float
    ) -> float:
        """The chance under one strength that a difference of this mean and variance is above
        ``by``: what was said of these two is not a Gaussian, and is integrated."""
        import numpy as np

        if between:
            nu, tau = self.sites[k]
            precision = 1 / var - sum(float(tau[i]) for i, _ in between)
            if precision > 1e-12:
                middle = (apart / var - sum(sign * float(nu[i]) for i, sign in between)) / precision
                d = np.linspace(-9, 9, GRID) / precision**0.5 + middle
                log = -precision * (d - middle) ** 2 / 2
                for i, sign in between:
                    said = np.full(GRID, SIGN[self.answers[i].said])
                    log = log + log_chance(sign * d, said, self.same)[0]
                weight = np.exp(log - log.max())
                return float(weight[d > by].sum() / weight.sum())
        return float(below((apart - by) / var**0.5))

    def gain(self, best: int) -> Array:
        """How much more each is expected to be liked than ``best``, where it is."""
        import numpy as np

        found = np.zeros(len(self.mean))
        for weight, mean, spread in zip(self.belief, self.means, self.spreads, strict=True):
            apart = mean - mean[best]
            var = np.diag(spread) + spread[best, best] - 2 * spread[best]
            deviation = np.sqrt(np.maximum(var, 1e-12))
            z = apart / deviation
            found += weight * np.where(var > 1e-10, apart * below(z) + deviation * bell(z), 0.0)
        return np.asarray(found, float)


def liking(places: Array, answers: Sequence[Answer], same: float = SAME) -> Liking:
    """What answers say of set-ups.

    Args:
        places: set-ups × figures, how each differs from the frame as it came, in noticed steps.
    """
    import numpy as np

    whole = kernel(places, places)
    met = sorted({one for answer in answers for one in (answer.first, answer.second)})
    logs, means, spreads, sites = [], [], [], []
    for strength, prior in zip(STRENGTHS, BELIEFS, strict=True):
        k = strength**2 * whole
        log, mean, spread, site = _propagated(k, met, answers, same)
        logs.append(log + np.log(prior))
        means.append(mean)
        spreads.append(spread)
        sites.append(site)
    belief = np.exp(np.array(logs) - max(logs))
    return Liking(
        belief / belief.sum(), tuple(means), tuple(spreads), tuple(answers), tuple(sites), same
    )


def below(z: Any) -> Any:
    """Φ(z), the chance of a standard normal to lie below; exact in its tails."""
    import numpy as np

    tails = np.frompyfunc(math.erfc, 1, 1)(-np.asarray(z, float) / 2**0.5)
    return 0.5 * np.asarray(tails, float)


def bell(z: Any) -> Any:
    """The density of a standard normal."""
    import numpy as np

    return np.exp(-np.square(np.asarray(z, float)) / 2) / (2 * math.pi) ** 0.5


def log_chance(d: Array, said: Array, same: float, var: Any = 0.0) -> tuple[Array, Array, Array]:
    """(log of the chance of each answer, its slope and its curvature by d), d known to ``var``;
    ``said`` is 1 for better, −1 for worse, 0 for same."""
    import numpy as np

    root = np.sqrt(2 + np.asarray(var, float))
    # Better: (−∞, (d − s)/√(2 + var)]; same: between; worse mirrors better.
    high = np.where(said == 1, (d - same) / root, np.where(said == -1, (-d - same) / root, 0.0))
    # As far to either side, counted in the tail that keeps its digits.
    side, away = np.where(d < 0, -1.0, 1.0), np.abs(d)
    upper, lower = (same - away) / root, (-same - away) / root
    is_same = said == 0
    p = np.where(is_same, below(upper) - below(lower), below(high))
    p = np.maximum(p, 1e-300)
    sign = np.where(said == -1, -1.0, 1.0)
    middle = side * (bell(lower) - bell(upper))
    slope = np.where(is_same, middle, sign * bell(high)) / p / root
    bend = np.where(
        is_same,
        (lower * bell(lower) - upper * bell(upper)) / p / root**2,
        -high * bell(high) / p / root**2,
    )
    return np.log(p), slope, bend - slope**2


SIGN = {"better": 1, "worse": -1, "same": 0}


def _propagated(
    k: Array, met: list[int], answers: Sequence[Answer], same: float
) -> tuple[float, Array, Array, tuple[Array, Array]]:
    """(log evidence, mean, covariance, sites) of all set-ups under a kernel: every answer counts as
    the Gaussian exp(ν·d − τ·d²/2) that leaves the difference d it tells of with the mean and the
    variance which the answer itself would."""
    import numpy as np

    n, m = len(answers), len(met)
    said = np.array([SIGN[one.said] for one in answers])
    pairs = np.zeros((n, m))
    for row, one in enumerate(answers):
        pairs[row, met.index(one.first)] += 1
        pairs[row, met.index(one.second)] -= 1
    nu, tau = np.zeros(n), np.zeros(n)
    if not k.any() or not n:
        log, *_ = log_chance(np.zeros(n), said, same)
        return float(log.sum()), np.zeros(len(k)), k, (nu, tau)
    prior = k[np.ix_(met, met)] + 1e-8 * np.eye(m)

    def now() -> tuple[Array, Array, Array]:
        """(I + W·prior, mean and variance of every difference)."""
        inner = np.eye(m) + pairs.T @ (tau[:, None] * pairs) @ prior
        toward = np.linalg.solve(inner.T, prior @ pairs.T)  # the covariance beside each difference
        return inner, toward.T @ (pairs.T @ nu), (pairs @ toward).diagonal()

    for _ in range(SWEEPS):
        inner, mean, var = now()
        alone = 1 / np.maximum(1 / var - tau, 1e-10)  # without the answer itself
        middle = alone * (mean / var - nu)
        log, slope, bend = log_chance(middle, said, same, alone)
        told = np.maximum(alone + alone**2 * bend, 1e-10)
        newer_tau = np.maximum(1 / told - 1 / alone, 0.0)
        newer_nu = (middle + alone * slope) / told - middle / alone
        step = float(np.abs(newer_tau - tau).max() + np.abs(newer_nu - nu).max())
        tau += DAMPING * (newer_tau - tau)
        nu += DAMPING * (newer_nu - nu)
        if step < SETTLED:
            break
    inner, mean, var = now()
    # What each answer's Gaussian must be weighed by to come to as much as the answer.
    both = 1 / alone + tau
    at = (middle / alone + nu) / both
    weigh = log + 0.5 * np.log(alone * both) - 0.5 * (both * at**2 - middle**2 / alone)
    _, size = np.linalg.slogdet(inner)
    evidence = float(weigh.sum() - 0.5 * size + 0.5 * nu @ mean)
    to_all, w = k[:, met], pairs.T @ (tau[:, None] * pairs)
    all_mean = to_all @ np.linalg.solve(inner, pairs.T @ nu)
    spread = k - to_all @ np.linalg.solve(inner, w) @ to_all.T
    return evidence, np.asarray(all_mean, float), (spread + spread.T) / 2, (nu, tau)
