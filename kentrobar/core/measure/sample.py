"""Repeated readings of one thing: their mean, their spread, and which of them stands apart."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from statistics import fmean, median

from kentrobar.core.numbers import Number, ufloat

STANDS_APART = 3.5
"""The modified z-score from which a reading is pointed out."""

KNOWN_DOF = 20
"""Degrees of freedom an instrument's known repeatability counts for beside the readings at hand."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SetAside:
    """A reading that stays on record and does not count, and why."""

    index: int
    reason: str


@dataclass(frozen=True, slots=True)
class Sample:
    """Readings of one thing, in the order taken.

    Attributes:
        values: every reading, those set aside included.
        kept: indexes of those that count.
        resolution: the display's last step (0 where there is none).
        repeatability: the instrument's own standard deviation from earlier readings, or None.
    """

    values: tuple[float, ...]
    kept: tuple[int, ...]
    resolution: float = 0.0
    repeatability: float | None = None

    @property
    def n(self) -> int:
        return len(self.kept)

    @property
    def mean(self) -> float:
        return fmean(self.values[i] for i in self.kept)

    @property
    def spread(self) -> float | None:
        """Standard deviation of the readings that count (n − 1), None for a single one."""
        if self.n < 2:
            return None
        mean = self.mean
        return math.sqrt(sum((self.values[i] - mean) ** 2 for i in self.kept) / (self.n - 1))

    @property
    def sigma(self) -> float:
        """The standard deviation to count with: the readings' own spread, steadied by the
        instrument's known repeatability where there is one (pooled variances)."""
        s = self.spread
        if self.repeatability is None:
            return s or 0.0
        squares = KNOWN_DOF * self.repeatability**2 + (self.n - 1) * (s or 0.0) ** 2
        return math.sqrt(squares / (KNOWN_DOF + self.n - 1))

    def result(self) -> Number:
        """The mean, carrying σ/√n (tag ``scatter``) and resolution/√12 (tag ``display``)."""
        value: Number = self.mean
        if self.sigma:
            value = value + ufloat(0.0, self.sigma / math.sqrt(self.n), "scatter")
        if self.resolution:
            value = value + ufloat(0.0, display_u(self.resolution), "display")
        return value

    def apart(self) -> list[tuple[int, float]]:
        """(index, modified z-score) of readings far from their fellows, among those that count."""
        if self.n < 3:
            return []
        scores = modified_z([self.values[i] for i in self.kept], self.resolution)
        return [(i, z) for i, z in zip(self.kept, scores, strict=True) if abs(z) > STANDS_APART]


def sample(
    values: Sequence[float],
    resolution: float = 0.0,
    repeatability: float | None = None,
    set_aside: Collection[SetAside] = (),
) -> Sample:
    out = {aside.index for aside in set_aside}
    kept = tuple(i for i in range(len(values)) if i not in out)
    return Sample(tuple(values), kept, resolution, repeatability)


def display_u(resolution: float) -> float:
    """Standard uncertainty of a display with steps of ``resolution``: an even spread over one
    step."""
    return resolution / math.sqrt(12)


def modified_z(values: Sequence[float], resolution: float = 0.0) -> list[float]:
    """Modified z-scores: 0.6745 (x − median) / median absolute deviation.

    More than half of all readings may be equal on a coarse display; then the mean absolute
    deviation serves, and one step of the display is never far.
    """
    middle = median(values)
    away = [abs(value - middle) for value in values]
    scale = 1.4826 * median(away) or 1.2533 * fmean(away)
    scale = max(scale, resolution / 2)
    return [(value - middle) / scale if scale else 0.0 for value in values]
