"""Repeated readings of one thing: their mean, their spread, and which of them stands apart."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from statistics import fmean, median

from kentrobar.core.numbers import Number, ufloat

STANDS_APART = 3.5
"""The modified z-score from which a reading is pointed out."""

KNOWN_DOF = 20.0
"""Degrees of freedom an instrument's known repeatability counts for beside the readings at hand."""
GUESSED_DOF = 3.0
"""The same of a scatter that is only usual of such an instrument: it may be half or twice as
much."""
HIDDEN = 1.5
"""Scatter that equal readings on a display may hide, in standard uncertainties of its resolution:
not quite half a step."""
FAR = 4.0
"""Uncertainties of one reading by which two must differ before both are doubted."""
FEW = 5
"""Number of readings from which the scatter of an unknown instrument is used as it is; of fewer it
is widened by Student's t."""
WITHIN_TWO = (13.97, 4.53, 3.31, 2.87, 2.65, 2.52, 2.43, 2.37, 2.32, 2.28)
"""How many standard deviations hold 95.45 % with 1, 2, 3 … degrees of freedom: Student's t, where
a known spread takes two."""


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
        freedom: the degrees of freedom that stand behind it.
    """

    values: tuple[float, ...]
    kept: tuple[int, ...]
    resolution: float = 0.0
    repeatability: float | None = None
    freedom: float = KNOWN_DOF

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
        squares = self.freedom * self.repeatability**2 + (self.n - 1) * (s or 0.0) ** 2
        return math.sqrt(squares / (self.freedom + self.n - 1))

    @property
    def scatter_u(self) -> float:
        """One standard uncertainty of the mean from scatter: σ/√n, widened where it is little known
        so that ± 2u with the display's share hold as much as with a known one: Student's t.

        With nothing known of the instrument the two have their degrees of freedom together (Welch
        and Satterthwaite). Another reading
        never leaves more open than one alone does, unless they lie further apart than that would
        let them.
        """
        u, exact = self.sigma / math.sqrt(self.n), display_u(self.resolution)
        if self._is_known:
            return u
        if self.repeatability is None:
            u = max(u, HIDDEN * exact / math.sqrt(self.n))
        if not u:
            return 0.0
        if self.repeatability is None:
            both = u**2 + exact**2
            wide = within_two((self.n - 1.0) * (both / u**2) ** 2) / 2
            return math.sqrt(wide**2 * both - exact**2)
        found = u * within_two(self.n - 1.0 + self.freedom) / 2
        if self.n < 2:
            return found
        alone = replace(self, kept=self.kept[:1]).scatter_u
        counted = [self.values[i] for i in self.kept]
        if max(counted) - min(counted) <= FAR * math.hypot(alone, exact):
            return min(found, alone)
        # Repeats that scatter more than could be guessed speak for themselves.
        return max(found, replace(self, repeatability=None).scatter_u)

    @property
    def _is_known(self) -> bool:
        """Whether its scatter is known as well as is usual, or there is nothing to widen it by."""
        if self.repeatability is None:
            return self.n >= FEW or self.n < 2
        return self.freedom >= KNOWN_DOF

    def result(self) -> Number:
        """The mean, carrying what its scatter (tag ``scatter``) and its display, resolution/√12
        (tag ``display``), leave open."""
        value: Number = self.mean
        if scatter_u := self.scatter_u:
            value = value + ufloat(0.0, scatter_u, "scatter")
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
    freedom: float = KNOWN_DOF,
) -> Sample:
    out = {aside.index for aside in set_aside}
    kept = tuple(i for i in range(len(values)) if i not in out)
    return Sample(tuple(values), kept, resolution, repeatability, freedom)


def within_two(freedom: float) -> float:
    """Standard deviations that hold 95.45 % of a Student's t with that many degrees of freedom."""
    whole = int(freedom)
    if whole <= len(WITHIN_TWO):
        return WITHIN_TWO[whole - 1]
    # The first terms of its expansion about the normal law, at 2.
    return 2 + 2.5 / freedom + 3.0625 / freedom**2


NEVER_CHECKED = 1.5
"""Share of its time between two checks that counts as over for an instrument nobody checked."""


def wander_u(band: float, share: float) -> float:
    """One standard uncertainty of what an instrument wandered since its check: even over its band,
    ±band/√3, when the next check is due. It may come in one knock, so that it grows faster at first
    than a random walk would.

    Args:
        share: how much of its time or use between two checks is over, 1 when it is due.
    """
    return band / math.sqrt(3) * math.sqrt(math.sqrt(max(share, 0.0)))


APART = 0.2
"""Of the heavier of two references, by which they differ at least to tell a zero from a span."""


def error_at(
    value: float, last: tuple[float, float, float], other: tuple[float, float, float]
) -> Number | None:
    """What an instrument reads too much at a value, along the line through two checks (what each
    reference should have read, what it read too much, one standard uncertainty): its zero and its
    span. None where the references are too near to tell them apart."""
    (at, off, u), (beyond, off_there, u_there) = last, other
    if abs(beyond - at) < APART * max(abs(at), abs(beyond)):
        return None
    share = (value - at) / (beyond - at)
    line: Number = (1 - share) * ufloat(off, u, "drift") + share * ufloat(
        off_there, u_there, "drift"
    )
    return line


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
