"""What a player likes, from which of two set-ups was better.

How much a set-up is liked is a Gaussian process over how it differs from the frame as it came, in
steps a player notices: a hill (straight and squared parts of each figure) and something smooth
beside it. An answer is *better*, *worse* or *same*: with d how much more the one is liked than the
other and unit noise in each judgement, better has the chance Φ((d − s)/√2) and same what is
between.
How strong any liking is, against that noise, is learned as well: strengths are weighed by how well
they explain the answers, none at all among them, so that a player who cannot tell is found out.

The posterior is Laplace's: a Gaussian at the mode of each strength. All of it is held in
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
STEPS = 60


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
    """

    belief: Array
    means: tuple[Array, ...]
    spreads: tuple[Array, ...]

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
        for weight, mean, spread in zip(self.belief, self.means, self.spreads, strict=True):
            apart = float(mean[one] - mean[other])
            var = float(spread[one, one] + spread[other, other] - 2 * spread[one, other])
            if var > 1e-12:
                found += float(weight) * float(below((apart - by) / var**0.5))
        return found

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
    logs, means, spreads = [], [], []
    for strength, prior in zip(STRENGTHS, BELIEFS, strict=True):
        k = strength**2 * whole
        log, mean, spread = _laplace(k, met, answers, same)
        logs.append(log + np.log(prior))
        means.append(mean)
        spreads.append(spread)
    belief = np.exp(np.array(logs) - max(logs))
    return Liking(belief / belief.sum(), tuple(means), tuple(spreads))


def below(z: Any) -> Any:
    """Φ(z), the chance of a standard normal to lie below; exact in its tails."""
    import numpy as np

    tails = np.frompyfunc(math.erfc, 1, 1)(-np.asarray(z, float) / 2**0.5)
    return 0.5 * np.asarray(tails, float)


def bell(z: Any) -> Any:
    """The density of a standard normal."""
    import numpy as np

    return np.exp(-np.square(np.asarray(z, float)) / 2) / (2 * math.pi) ** 0.5


def log_chance(d: Array, said: Array, same: float) -> tuple[Array, Array, Array]:
    """(log of the chance of each answer, its slope and its curvature by d); ``said`` is 1 for
    better, −1 for worse, 0 for same."""
    import numpy as np

    root = 2**0.5
    # Better: (−∞, (d − s)/√2]; same: between; worse mirrors better.
    high = np.where(said == 1, (d - same) / root, np.where(said == -1, (-d - same) / root, 0.0))
    upper, lower = (same - d) / root, (-same - d) / root
    is_same = said == 0
    p = np.where(is_same, below(upper) - below(lower), below(high))
    p = np.maximum(p, 1e-300)
    sign = np.where(said == -1, -1.0, 1.0)
    slope = np.where(is_same, (bell(lower) - bell(upper)) / p / root, sign * bell(high) / p / root)
    bend = np.where(
        is_same,
        (lower * bell(lower) - upper * bell(upper)) / p / 2,
        -high * bell(high) / p / 2,
    )
    return np.log(p), slope, bend - slope**2


def _laplace(
    k: Array, met: list[int], answers: Sequence[Answer], same: float
) -> tuple[float, Array, Array]:
    """(log evidence, mean, covariance) of all set-ups under a kernel."""
    import numpy as np

    said = np.array([{"better": 1, "worse": -1, "same": 0}[one.said] for one in answers])
    pairs = np.zeros((len(answers), len(met)))
    for row, one in enumerate(answers):
        pairs[row, met.index(one.first)] += 1
        pairs[row, met.index(one.second)] -= 1
    if not k.any() or not answers:
        log, *_ = log_chance(np.zeros(len(answers)), said, same)
        return float(log.sum()), np.zeros(len(k)), k
    prior = k[np.ix_(met, met)] + 1e-8 * np.eye(len(met))
    f = np.zeros(len(met))
    for _ in range(STEPS):
        log, slope, bend = log_chance(pairs @ f, said, same)
        w = pairs.T @ (np.maximum(-bend, 1e-9)[:, None] * pairs)
        inner = np.eye(len(met)) + w @ prior
        weights = np.linalg.solve(inner, w @ f + pairs.T @ slope)
        newer = prior @ weights
        step = float(np.abs(newer - f).max())
        f = newer if step < 2 else f + (newer - f) * 2 / step
        if step < 1e-9:
            break
    log, slope, bend = log_chance(pairs @ f, said, same)
    w = pairs.T @ (np.maximum(-bend, 1e-9)[:, None] * pairs)
    inner = np.eye(len(met)) + w @ prior
    _, size = np.linalg.slogdet(inner)
    alpha = np.linalg.solve(prior, f)
    evidence = float(log.sum() - 0.5 * f @ alpha - 0.5 * size)
    to_all = k[:, met]
    spread = k - to_all @ np.linalg.solve(inner, w) @ to_all.T
    return evidence, np.asarray(to_all @ alpha, float), np.asarray((spread + spread.T) / 2, float)
