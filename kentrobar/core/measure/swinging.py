"""How wide a frame swings, and what that does to its period.

A small swing takes T₀ however wide it is; a wide one takes T = T₀ (1 + c₂θ² + c₄θ⁴). Swings die
away, so what counts is a mean over all that were timed, of θ² e^−2xt where the amplitude falls from
θ by e^−x: even, where a clock ran for all of them; the middle most, as a line through taps weighs
them; the early, wide ones most, as a dying sine through samples does. See docs/physics.md, "Wide
swings".
"""

from __future__ import annotations

import math
from itertools import accumulate
from typing import Literal

from kentrobar.core.numbers import Given, Number, number, ufloat, value_of

USUAL_DEG = (11.0, 7.0)
"""How wide a frame swings in the mean where nobody looked, ± one standard uncertainty: a hand lets
go anywhere from a hand's breadth to 25°. Our own guess."""
THREADS_DEG = (25.0, 9.0)
"""The same of one that turns on threads, which a hand turns further."""
USUAL_DECAY = (0.02, 0.01)
"""What share of its width a swing loses, ± one standard uncertainty: air and a thin pin."""
PENDULUM = (1 / 16, 11 / 3072)
"""c₂, c₄ of whatever is pulled back by the sine of its angle."""
PARTS = 200
"""Steps of time in which a weighed mean is added up."""
_RADIANS = math.pi / 180

TimedBy = Literal["clock", "taps", "samples"]


def mean_square(first_deg: Given, last_deg: Given | None = None, by: TimedBy = "clock") -> Number:
    """Mean θ² in rad² over swings that die away evenly from the first amplitude to the last; as
    wide at last as at first where nothing is said of it."""
    first = number(first_deg, "amplitude") * _RADIANS
    if last_deg is None or value_of(last_deg) >= value_of(first_deg) * 0.999:
        return first * first
    last = number(last_deg, "amplitude") * _RADIANS
    lost = math.log(value_of(first_deg) / value_of(last_deg))
    mean = (first * first - last * last) / (2 * lost)
    return mean * (_share(lost, by) / _share(lost, "clock"))


def _share(lost: float, by: TimedBy) -> float:
    """The mean of e^−2xt, t from 0 to 1, as a line through what was timed weighs it."""
    if by == "clock":
        return -math.expm1(-2 * lost) / (2 * lost)
    middles = [(i + 0.5) / PARTS for i in range(PARTS)]
    square = [math.exp(-2 * lost * t) for t in middles]
    weights = square if by == "samples" else [1.0] * PARTS
    behind = list(accumulate(one / PARTS for one in square))
    at = sum(w * t for w, t in zip(weights, middles, strict=True)) / sum(weights)
    away = [w * (t - at) for w, t in zip(weights, middles, strict=True)]
    slope = sum(w * one for w, one in zip(away, behind, strict=True))
    return slope / sum(w * t for w, t in zip(away, middles, strict=True))


def usual_mean_square(
    first_deg: Given | None,
    swings: float,
    usual_deg: tuple[float, float] = USUAL_DEG,
    by: TimedBy = "clock",
) -> Number:
    """The same where the last amplitude, or neither, was looked at: it died away, or swung, as is
    usual, give or take."""
    if first_deg is None:
        degrees, u = usual_deg
        # The mean of a square is more than the square of the mean.
        return ufloat((degrees**2 + u**2) * _RADIANS**2, 2 * degrees * u * _RADIANS**2, "amplitude")
    first = number(first_deg, "amplitude") * _RADIANS
    decay, u = USUAL_DECAY

    def left(share: float) -> float:
        return _share(share * swings, by)

    slope = (left(decay + u) - left(decay - u / 2)) / (1.5 * u)
    return first * first * (left(decay) + slope * ufloat(0.0, u, "amplitude"))


def lengthening(square: Number, c2: Number, c4: float) -> Number:
    """T/T₀ of swings of this mean θ², rad²."""
    return 1 + c2 * square + c4 * square * square


def two_thread_c2(
    top_mm: Number, bottom_mm: Number, thread_mm: Number, period_s: Number, g_ms2: float
) -> Number:
    """c₂ of a frame that turns on two threads.

    It rises as it turns: that pulls it back more than a sine would, by 3p/16h², and its moving up
    and down slows it by π²p/(g h T₀²), with p = r₁r₂ and h the height of the threads. Short threads
    set far apart make both large.
    """
    product = top_mm * bottom_mm / 4
    height = thread_height(top_mm, bottom_mm, thread_mm)
    rises = math.pi**2 * product / (g_ms2 * 1000 * height * period_s * period_s)
    return PENDULUM[0] + rises - 3 * product / (16 * height * height)


def thread_height(top_mm: Number, bottom_mm: Number, thread_mm: Number) -> Number:
    """How far the frame hangs below the threads' upper ends: less than their length where they are
    not parallel. mm."""
    lean = (top_mm - bottom_mm) / 2
    height: Number = (thread_mm * thread_mm - lean * lean) ** 0.5
    return height
