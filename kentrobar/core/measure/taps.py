"""A period from passes: tapped by hand or told by a sensor.

The period is the slope of pass time against pass number, by least squares over all passes, so each
tap's own lateness counts little. A missed pass is a gap of two (or more) and is counted as such; a
double tap is two where one belongs, and must be set aside before anything is reduced.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import fmean, linear_regression, median

from kentrobar.core.numbers import Number, ufloat

from .sample import STANDS_APART, modified_z

HAND_JITTER_S = 0.02
"""How unevenly a hand taps, where nothing better is known."""
JITTER_DOF = 4
"""How much that prior counts beside the residuals at hand: it steadies short runs only."""
TIRES_S, TIRES_OVER = 0.009, 13.0
"""By how much a hand taps later and later, one standard uncertainty, and over how many taps: our
own guess."""
FEWEST = 3
MOST_TOGETHER = 0.95
HALVES = 4.0
"""Ratio of the difference between halves to the standard uncertainty of the whole run, for even
taps."""
EVEN = 2.25
"""Squared half of that ratio beyond which a run counts as uneven (``bench/trueness.py``)."""


class TooFewTapsError(ValueError):
    """Not enough passes for a period; the message says how many more."""


@dataclass(frozen=True, slots=True)
class TapFit:
    """A line through passes.

    Attributes:
        interval: s between passes, and its standard uncertainty ``u``.
        together: how far neighbouring taps err alike, 0…0.95: a hand that keeps its own beat.
        creep: s, by how much the gap of the second half is longer than that of the first, where
            that is more than a hand's unevenness makes; else 0.
        start: s, where the line meets pass 0.
        kept: indexes of the taps that count; ``numbers`` the pass number of each of them.
        residuals: s, of each kept tap, late is positive. s: their standard deviation.
        missed: (index of the tap before the gap, how many passes were missed).
        doubles: indexes of taps that follow the one before too soon.
        stray: indexes of taps far off the line, by modified z-score.
    """

    interval: float
    u: float
    together: float
    creep: float
    start: float
    kept: tuple[int, ...]
    numbers: tuple[int, ...]
    residuals: tuple[float, ...]
    s: float
    missed: tuple[tuple[int, int], ...]
    doubles: tuple[int, ...]
    stray: tuple[int, ...]

    def period(self, taps_per_period: int) -> Number:
        """Seconds for one swing there and back, carrying the uncertainty of the taps."""
        return ufloat(self.interval * taps_per_period, self.u * taps_per_period, "taps")


def fit(
    times: Sequence[float], set_aside: Collection[int] = (), jitter_s: float | None = None
) -> TapFit:
    """Fit a line through passes.

    Args:
        times: s, rising, of each tap.
        set_aside: indexes that do not count.
        jitter_s: standard deviation of one tap where it is known (a sensor's); else a hand's is
            assumed, lightly.

    Raises:
        TooFewTapsError: fewer than three taps are left.
    """
    kept = [i for i in range(len(times)) if i not in set_aside]
    if len(kept) < FEWEST:
        taps = "1 tap" if len(kept) == 1 else f"{len(kept)} taps"
        raise TooFewTapsError(f"{taps}: a period needs {FEWEST} at least, and 20 make a good one.")
    usual = _usual_gap([times[b] - times[a] for a, b in pairwise(kept)])
    counted, numbers, missed, doubles = _counted(times, kept, usual)
    if len(counted) < FEWEST:
        raise TooFewTapsError(f"{len(counted)} single taps: a period needs {FEWEST} at least.")
    start, interval, sxx = _line(numbers, [times[i] for i in counted])
    residuals = [times[i] - start - interval * k for i, k in zip(counted, numbers, strict=True)]
    squares = sum(r * r for r in residuals)
    freedom = len(counted) - 2
    s = math.sqrt(squares / freedom)
    prior = HAND_JITTER_S if jitter_s is None else jitter_s
    pooled = math.sqrt((squares + JITTER_DOF * prior**2) / (freedom + JITTER_DOF))
    # Passes come on time within a few ms at best; a thousandth of the gap is no stray.
    together = _together(residuals)
    u = pooled * math.sqrt((1 + together) / (1 - together) / sxx)
    creep = _creep(numbers, [times[i] for i in counted])
    # Half of how far the halves part may be in the whole, but for what even taps part them by.
    widened = math.sqrt(max(creep**2 / 2 - 2 * EVEN * u**2, 0.0))
    scores = modified_z(residuals, resolution=2e-3)
    far = [i for i, z, r in zip(counted, scores, residuals, strict=True) if _is_stray(z, r, usual)]
    tired = (
        0.0
        if jitter_s is not None
        else TIRES_S * abs(_line(numbers, [_late(k) for k in numbers])[1])
    )
    return TapFit(
        interval,
        math.hypot(u, widened, tired),
        together,
        creep if abs(creep) > 2 * HALVES * u else 0.0,
        start,
        tuple(counted),
        tuple(numbers),
        tuple(residuals),
        s,
        tuple(missed),
        tuple(doubles),
        tuple(far),
    )


def _late(number: int) -> float:
    """Share of its lateness that a tiring hand has come to."""
    return 1 - math.exp(-number / TIRES_OVER)


def _counted(
    times: Sequence[float], kept: Sequence[int], usual: float
) -> tuple[list[int], list[int], list[tuple[int, int]], list[int]]:
    """(indexes of the taps that count, the pass number of each, what was missed, what came too
    soon), by the usual gap in s."""
    counted, numbers = [kept[0]], [0]
    missed: list[tuple[int, int]] = []
    doubles: list[int] = []
    for i in kept[1:]:
        step = round((times[i] - times[counted[-1]]) / usual)
        if step < 1:
            doubles.append(i)
            continue
        if step > 1:
            missed.append((counted[-1], step - 1))
        numbers.append(numbers[-1] + step)
        counted.append(i)
    return counted, numbers, missed, doubles


def _creep(numbers: Sequence[int], times: Sequence[float]) -> float:
    """By how much the gap of the later half is longer, s; 0 for too few taps to have halves."""
    half = len(numbers) // 2
    if half < FEWEST:
        return 0.0
    first, last = (_line(numbers[at], times[at]) for at in (slice(half), slice(-half, None)))
    return last[1] - first[1]


def _together(residuals: Sequence[float]) -> float:
    """How far neighbours err alike (first autocorrelation), where it is more than chance: fewer
    taps count then than were tapped."""
    whole, count = sum(r * r for r in residuals), len(residuals)
    if not whole:
        return 0.0
    found = sum(a * b for a, b in pairwise(residuals)) / whole
    # A line through few points takes some of it away.
    found += (1 + 4 * max(found, 0.0)) / count
    if found <= 1 / math.sqrt(count):
        return 0.0
    # How well a short run tells it: one standard error more.
    return min(found + math.sqrt(max(1 - found**2, 0.0) / count), MOST_TOGETHER)


def _is_stray(z: float, residual: float, usual: float) -> bool:
    return abs(z) > STANDS_APART and abs(residual) > 0.09 * usual


def _usual_gap(gaps: Sequence[float]) -> float:
    """The ordinary gap: the median, taken again without what is far from it (doubles halve
    some)."""
    middle = median(gaps)
    near = [gap for gap in gaps if 0.6 * middle < gap < 1.5 * middle]
    return fmean(near) if near else middle


def _line(numbers: Sequence[int], times: Sequence[float]) -> tuple[float, float, float]:
    """(start, slope, Σ (k − mean)²) of the straight line through passes."""
    slope, start = linear_regression(numbers, times)
    mean = fmean(numbers)
    return start, slope, sum((k - mean) ** 2 for k in numbers)


def u_of_taps(taps: int, jitter_s: float = HAND_JITTER_S) -> float:
    """What ``taps`` even taps would leave uncertain of the gap between two, s."""
    return jitter_s / math.sqrt(taps * (taps * taps - 1) / 12)
