"""A period from a motion recording: the CSV a phone's logger makes while it swings with the frame,
or while it watches a sensor on it.

Nothing is asked of the file but a column of time and one of motion. The swing is found as the peak
of a spectrum, the clean stretch by fitting two swings at a time, and the period by fitting a dying
sine with its first overtone to every sample of that stretch. NumPy is imported only here.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kentrobar.core.numbers import Number, nominal, ufloat
from kentrobar.core.reader import fixed
from kentrobar.core.words import Message, message

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]
from .recording import LEAST_RATE, NoSwingError, columns_of, in_order
from .sines import LEAST_SWINGS, let_go, swings_of

SLOWEST_S, FASTEST_S = 4.0, 0.25
PLOTTED = 240
CLOCK_U = 3e-4
"""Relative standard uncertainty of a logger's clock: most keep 50 parts in a million, some stamp
samples by a rate they only nearly keep. Our own guess."""
CLEAN = 0.6
"""Two swings count as clean where a sine explains so much of their movement, or so much of what it
explains of the recording's best: a weak signal is no worse than another for its noise."""
LEAST_CLEAN = 0.25
"""What it must explain of the best for anything to swing at all."""


@dataclass(frozen=True, slots=True)
class Motion:
    """A swing found in a recording.

    Attributes:
        period_s: carrying its uncertainty (tag ``period``).
        channel: the column it was found in. rate_hz: samples a second.
        start_s, end_s: the clean stretch, seconds from the beginning. swings: periods in it.
        decay_per_s: the amplitude dies as exp(−decay·t).
        plot: (seconds, measured, fitted) of some of the samples.
        notes: what the person should know.
    """

    period_s: Number
    channel: str
    rate_hz: float
    start_s: float
    end_s: float
    swings: float
    decay_per_s: float
    plot: tuple[tuple[float, float, float], ...]
    notes: tuple[Message, ...] = ()

    def amplitude_end(self, first_deg: float) -> float:
        """The amplitude at the end of the stretch, from the one at its beginning, degrees."""
        return first_deg * math.exp(-max(self.decay_per_s, 0.0) * (self.end_s - self.start_s))


def read_motion(text: str, expect_s: float | None = None) -> Motion:
    """Find the swing in a recording.

    Args:
        text: CSV with a column of time (seconds, or milliseconds and finer) and others of motion.
        expect_s: the period this frame should have, which tells a swing from its overtone.

    Raises:
        NoSwingError: nothing in it can be read as a swing.
    """
    times, channels = columns_of(text)
    times, channels, notes = in_order(times, channels)
    found = best_channel(times, channels, expect_s)
    if found is None:
        raise NoSwingError(
            "No column swings steadily: every one is flat or moves at random. Let the frame swing"
            f" freely for {LEAST_SWINGS} swings or more while it records."
        )
    name, values, frequency = found
    keep = clean_stretch(times, values, frequency)
    motion = fit_swing(times, values, keep, frequency, name, expect_s, notes)
    clock = ufloat(0.0, CLOCK_U * nominal(motion.period_s), "clock")
    return replace(motion, period_s=motion.period_s + clock)


# --- finding the swing ---------------------------------------------------------------------------


def best_channel(
    times: Array, channels: dict[str, Array], expect_s: float | None
) -> tuple[str, Array, float] | None:
    """(name, values, frequency) of the column that swings most clearly.

    A sensor that feels the pull along the frame sees two beats a swing: where another column swings
    clearly at half the frequency, that one is the swing.
    """
    found = []
    for name, values in channels.items():
        peak = spectrum_peak(times, values)
        if peak and peak[1] > 0.35:
            found.append((peak[1], peak[0], name, values))
    if not found:
        return None
    found.sort(key=lambda row: -row[0])
    best = found[0]
    if expect_s is not None:
        near = [row for row in found if abs(row[1] * expect_s - 1) < 0.15]
        if near:
            return near[0][2], near[0][3], near[0][1]
    for row in found[1:]:
        if abs(row[1] / best[1] - 0.5) < 0.03:
            best = row
    return best[2], best[3], best[1]


def spectrum_peak(times: Array, values: Array) -> tuple[float, float] | None:
    """(frequency in Hz, share of the movement at it) or None for a flat column."""
    import numpy as np

    middle = np.median(values)
    away = float(np.median(np.abs(values - middle)))
    if away == 0:
        return None
    # The knocks of taking hold and letting go are cut down to size.
    tame = np.clip(values - middle, -6 * away, 6 * away)
    rate = min(1 / float(np.median(np.diff(times))), 60.0)
    count = int((times[-1] - times[0]) * rate)
    if count < 2 * LEAST_RATE:
        return None
    even = np.linspace(times[0], times[-1], count)
    level = np.interp(even, times, tame)
    level = (level - level.mean()) * np.hanning(count)
    padded = 1 << (count - 1).bit_length() + 2
    power = np.abs(np.fft.rfft(level, padded)) ** 2
    frequencies = np.fft.rfftfreq(padded, 1 / rate)
    band = (frequencies >= 1 / SLOWEST_S) & (frequencies <= 1 / FASTEST_S)
    if not band.any():
        return None
    # A drift only grows towards the edge of the band: a swing stands up within it.
    stands = np.zeros(len(power), bool)
    stands[1:-1] = (power[1:-1] >= power[:-2]) & (power[1:-1] >= power[2:])
    if not (band & stands).any():
        return None
    at = int(np.argmax(np.where(band & stands, power, -1.0)))
    width = 3 * padded / count
    is_motion = frequencies > 0.1
    near = (np.abs(np.arange(len(power)) - at) <= width) & is_motion
    whole = float(power[is_motion].sum())
    return (float(frequencies[at]), float(power[near].sum()) / whole) if whole else None


def clean_stretch(times: Array, values: Array, frequency: float) -> Any:
    """The samples of the longest stretch in which every two swings look like a sine."""
    import numpy as np

    length, step = 2 / frequency, 0.5 / frequency
    starts = np.arange(times[0], times[-1] - length + 1e-9, step)
    fits = []
    for start in starts:
        first, last = np.searchsorted(times, [start, start + length])
        fits.append(_two_swings(times[first:last], values[first:last], frequency))
    strong, best_share = np.percentile(fits, 80, axis=0) if fits else (0.0, 0.0)
    least = CLEAN * min(best_share, 1.0) if best_share > LEAST_CLEAN else CLEAN
    clean = [share > least and size > 0.1 * strong for size, share in fits]
    best, run_start, longest = None, None, 0
    for i, good in enumerate([*clean, False]):
        if good and run_start is None:
            run_start = i
        if not good and run_start is not None:
            if i - run_start > longest:
                best, longest = (run_start, i - 1), i - run_start
            run_start = None
    span = (starts[best[1]] + length - starts[best[0]]) if best else 0.0
    if best is None or span * frequency < LEAST_SWINGS - 0.01:
        raise NoSwingError(
            f"The longest clean stretch is {fixed(span * frequency, 1)} swings; {LEAST_SWINGS} are"
            " the least. Let it swing longer, and keep hands and draughts away from it."
        )
    return (times >= starts[best[0]]) & (times <= starts[best[1]] + length)


def _two_swings(times: Array, values: Array, frequency: float) -> tuple[float, float]:
    """(amplitude, share of the movement a sine explains) of a short piece."""
    import numpy as np

    if len(times) < 12:
        return 0.0, 0.0
    angle = 2 * math.pi * frequency * (times - times[0])
    base = np.column_stack([np.ones_like(angle), times - times[0], np.cos(angle), np.sin(angle)])
    solved, *_ = np.linalg.lstsq(base, values, rcond=None)
    rest = values - base @ solved
    moved = values - base[:, :2] @ solved[:2]
    whole = float(moved @ moved)
    return math.hypot(solved[2], solved[3]), 1 - float(rest @ rest) / whole if whole else 0.0


# --- the fit -------------------------------------------------------------------------------------


def fit_swing(
    times: Array,
    values: Array,
    keep: Any,
    frequency: float,
    name: str,
    expect_s: float | None,
    notes: list[Message],
) -> Motion:
    """The motion from its clean stretch."""
    import numpy as np

    t, y, found = let_go(times[keep], values[keep], 2 * math.pi * frequency)
    found, second = swings_of(t, y, found)
    omega, u_omega, decay, left = found.omega, found.u_omega, found.decay, found.left
    if second:
        notes = [*notes, second]
    period = 2 * math.pi / omega
    if not FASTEST_S * 0.8 < period < SLOWEST_S * 1.2 or not 0.5 < period * frequency < 2:
        raise NoSwingError(
            "What swings in it does not keep one period. Let the frame swing freely, then record."
        )
    u = period * u_omega / omega
    if expect_s is not None and abs(2 * period / expect_s - 1) < 0.15:
        period, u = 2 * period, 2 * u
        notes = [*notes, message("two-beats")]
    every = max(len(t) // PLOTTED, 1)
    drawn = (t[::every].tolist(), y[::every].tolist(), (y - left)[::every].tolist())
    return Motion(
        ufloat(period, u, "period"),
        name,
        1 / float(np.median(np.diff(times))),
        float(t[0]),
        float(t[-1]),
        float(t[-1] - t[0]) / period,
        decay,
        tuple(zip(*drawn, strict=True)),
        tuple(notes),
    )
