"""From the pictures of a film to its period, and how wide it swung where that can be seen."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kentrobar.core.measure.motion import (
    FASTEST_S,
    Motion,
    best_channel,
    clean_stretch,
    fit_swing,
    spectrum_peak,
)
from kentrobar.core.measure.recording import NoSwingError, in_order
from kentrobar.core.measure.sines import calm, power_beside
from kentrobar.core.numbers import nominal, ufloat, uncertainty
from kentrobar.core.reader import digits
from kentrobar.core.words import Message, message

from .decode import Far, Pictures
from .places import agreeing
from .sight import (
    components,
    evened,
    going_with,
    pattern,
    steadied,
    through,
)
from .swung import one_swing, straightened, swings, where
from .width import seen_width

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

SLOWED = (1, 2, 4, 8)
"""How many times slower than it was a film may run."""
RATES = (24, 25, 30, 50, 60)
"""Pictures a second that are usual."""
EVEN_S = 2e-5
"""Seconds by which stamps of a program are uneven at most; a phone's own are more."""
DOUBTED = 0.08
"""A period so much, of itself, from what is expected is doubted where stamps are even."""
CLOCK = 5e-5
"""A phone's clock goes wrong by less, of itself."""
LIKE = 0.2
"""A period this near to another may be the same."""
HELD_TWICE = 4
"""What is handled is found by what a fit leaves, which is better without it: tried so often."""
CLEAN_LINE = 0.35
"""Minimum share of a movement's power at one frequency."""
SHAKEN = 0.05
"""Points a picture shifts by that count."""
OWN = (0.03, 0.2)
"""Minimum share of a shift independent of the swing: to accept it, and below which it is
doubted."""
TRACE_HZ = 60.0
WIDEST_DEG, NARROWEST_DEG = 45.0, 0.2
WIDTH_U = 0.15
"""How well a width is seen, of itself: nobody films quite along the axis it turns about."""


class SlowedFilm(NoSwingError):
    """It swings so many times slower than such a frame can: slow motion, which is asked about."""

    def __init__(self, times: int) -> None:
        super().__init__(
            f"It swings about {times} times slower than such a frame does: was it filmed in slow"
            f" motion? Then say {times}×, and read it again."
        )
        self.times = times


class OtherRateError(NoSwingError):
    """It would swing as expected had it been filmed at another rate than its even stamps say."""

    def __init__(self, stamped_hz: float, filmed_hz: float) -> None:
        super().__init__(
            f"Its stamps are exactly even, {digits(stamped_hz, 4)} pictures a second, as a program"
            f" writes them, and such a frame would swing so had it been filmed at"
            f" {filmed_hz:g} a second. How many pictures a second was it?"
        )
        self.stamped_hz, self.filmed_hz = stamped_hz, filmed_hz


@dataclass(frozen=True, slots=True)
class Seen:
    """What a film showed.

    Attributes:
        motion: the swing. beats: pulses of the picture in one swing.
        times_s, trace: the clean stretch, as it was fitted.
        width_deg: half the width of its first and last swing and one standard uncertainty of the
            first; None where it cannot be seen.
        apart: by how much, of itself, places of the picture are apart about the period.
        notes: what to know about it, beside the motion's own.
    """

    motion: Motion
    beats: int
    times_s: Array
    trace: Array
    width_deg: tuple[float, float, float] | None
    apart: float = 0.0
    notes: tuple[Message, ...] = ()


def seen(
    pictures: Pictures,
    expect_s: float | None = None,
    slowed: int = 1,
    far: Far = lambda share: None,
    filmed_hz: float | None = None,
) -> Seen:
    """Find the swing in a film.

    Args:
        expect_s: the period this frame should have.
        slowed: how many times slower than it was the film runs.
        far: told how far it is; what it raises ends the work.
        filmed_hz: pictures a second it was filmed at, where that is known; else by its stamps.

    Raises:
        NoSwingError: nothing in it swings, with the reason; SlowedFilm where that is slow motion,
            OtherRateError where its stamps are doubted.
    """
    import numpy as np

    which = {"i": np.arange(len(pictures.times_s), dtype=float)}
    stamped_hz = pictures.stamped_hz
    times_s = pictures.times_s * (stamped_hz / filmed_hz if filmed_hz else 1) / slowed
    times, which, notes = in_order(times_s, which)
    grey = evened(pictures.grey[which["i"].astype(int)])
    still, shifts = steadied(grey)
    far(0.3)
    found = _found(times, still, expect_s)
    if expect_s is not None and (found is None or _is_off(found[1], expect_s)):
        _ask_if_slowed(times, still, expect_s)
    far(0.5)
    if found is None:
        raise NoSwingError(
            "Nothing in the picture swings steadily. Let the frame swing freely for half a minute,"
            " the phone propped up, the whole swing in the picture."
        )
    values, frequency = found
    is_even = filmed_hz is None and slowed == 1 and _is_even(pictures.times_s)
    if is_even and expect_s is not None:
        _ask_for_the_rate(stamped_hz, frequency, expect_s)
    keep = clean_stretch(times, values, frequency)
    times, grey, still, shifts = times[keep], grey[keep], still[keep], shifts[keep]
    turned = 2 * math.pi * frequency
    along = pattern(times, still, turned)
    trace = through(still, along) if along.any() else values[keep]
    free = let_free(times, trace, turned)
    times, grey, shifts, still = times[free], grey[free], shifts[free], still[free]
    trace, apart = _of_all_places(times, still, along, shifts, turned, trace[free])
    far(0.7)
    motion = _motion(times, trace, frequency, expect_s, notes, apart)
    beats = 2 if nominal(motion.period_s) * frequency > 1.5 else 1
    omega = 2 * math.pi * beats / nominal(motion.period_s)
    width = None if beats == 2 else _width(times, grey, omega, motion, trace)
    every = max(int(len(times) / ((times[-1] - times[0]) * TRACE_HZ)), 1)
    doubts = (message("even-stamps", rate=stamped_hz),) if is_even else ()
    return Seen(motion, beats, times[::every], trace[::every], width, apart, doubts)


def _of_all_places(
    times: Array, still: Any, along: Array, shifts: Array, omega: float, trace: Array
) -> tuple[Array, float]:
    """(the trace of all places that agree, one standard uncertainty of its period, of itself, by
    how far they are apart), without what a shift of the picture makes of it.

    What swings takes part in a shift. All of the shift is believed, unless only half as much is
    left open where what is nearly all swing is not.
    """
    x = times - times.mean()
    tries = []
    for own in OWN:

        def quiet(points: Array, place: Array | None = None, own: float = own) -> Array:
            seen = through(still, points) if along.any() else trace
            if place is None:
                place = swings(x, one_swing(x, seen, omega).x)[0]
            return unshaken(seen, shifts, place, own)

        agreed, apart = along, 0.0
        if along.any():
            agreed, apart = agreeing(
                times, lambda points: straightened(times, quiet(points), omega)[0], along,
                still.shape[1:], omega,
            )  # fmt: skip
        place = where(times, through(still, agreed) if along.any() else trace, omega)
        found = quiet(agreed, place)
        straight, left = straightened(times, found, omega, place)
        restless = restless_u(times, straight, left, omega) / omega
        tries.append((max(apart, restless), found, apart))
    believed, doubted = tries
    _, found, apart = doubted if doubted[0] < believed[0] / 2 else believed
    return found, apart


def of_trace(times: Array, trace: Array, beats: int = 1, apart: float = 0.0) -> Motion:
    """The swing of a film again, from the trace that was kept of it, and by how much, of itself,
    the places of its picture were apart. Raises NoSwingError."""
    found = best_channel(times, {"film": trace}, None)
    if found is None:
        raise NoSwingError("The trace of this film does not swing steadily.")
    motion = _motion(times, trace, found[2], None, [], apart)
    if beats == 2:
        twice = 2 * nominal(motion.period_s)
        u = 2 * (uncertainty(motion.period_s) or 0.0)
        motion = replace(motion, period_s=ufloat(twice, u, "period"), swings=motion.swings / 2)
    return motion


def _motion(
    times: Array, trace: Array, frequency: float, expect_s: float | None, notes: list[Message],
    apart: float,
) -> Motion:  # fmt: skip
    import numpy as np

    omega = 2 * math.pi * frequency
    straight, left = straightened(times, trace, omega, where(times, trace, omega))
    everything = np.ones(len(times), bool)
    motion = fit_swing(times, straight, everything, frequency, "film", expect_s, notes)
    period = nominal(motion.period_s)
    share = max(
        (uncertainty(motion.period_s) or 0.0) / period,
        restless_u(times, straight, left, omega) / omega,
        apart,
    )
    return replace(motion, period_s=ufloat(period, math.hypot(share, CLOCK) * period, "period"))


def restless_u(times: Array, straight: Array, left: Array, omega: float) -> float:
    """One standard uncertainty of the angular frequency, from how restless what is left is near it:
    a shaken table moves slowly, and errs alike for longer than neighbouring samples tell.

    Of a sine of amplitude A through T seconds of noise of density S there: u² = 24 S / (A² T³).
    """
    import numpy as np

    span = float(times[-1] - times[0])
    step = span / (len(times) - 1)
    density = power_beside(times, left, omega) * step**2 / span
    amplitude = math.sqrt(2) * float(np.std(straight))
    return math.sqrt(24 * density / (amplitude**2 * span**3)) if amplitude else 0.0


def let_free(times: Array, trace: Array, omega: float) -> Any:
    """Which samples are of the frame swinging freely, without a hand at either end."""
    import numpy as np

    keep = np.arange(len(times))
    for _ in range(HELD_TWICE):
        _, left = straightened(times[keep], trace[keep], omega)
        free = calm(times[keep], left, omega, float(np.std(trace)))
        if free.all():
            break
        keep = keep[free]
    return keep


def unshaken(trace: Array, shifts: Array, place: Array, own: float) -> Array:
    """The trace without what a shift of the picture makes of it, alone and with the swing: a point
    of the picture sees where the frame is and where the camera is, added up. Of a shift so much
    must be its ``own``, beside the swing, for it to tell what a shift does to the trace."""
    import numpy as np

    shifts = shifts - shifts.mean(axis=0)
    if float(shifts.std()) < SHAKEN:
        return trace
    s = place[:, None]
    a, b = shifts[:, :1], shifts[:, 1:]
    shaken = np.hstack([shifts, s * shifts, s**2 * shifts, s**3 * shifts, a * a, a * b, b * b])
    swung = np.hstack([np.ones_like(s), s, s**2, s**3, s**4, s**5])
    shaken = shaken / np.maximum(np.linalg.norm(shaken - shaken.mean(axis=0), axis=0), 1e-9)
    basis, _ = np.linalg.qr(swung)
    beside = shaken - basis @ (basis.T @ shaken)
    left, sizes, right = np.linalg.svd(beside, full_matrices=False)
    told = sizes > own
    solved = right[told].T @ ((left[:, told].T @ trace) / sizes[told])
    return np.asarray(trace - shaken @ solved, float)


def _found(times: Array, grey: Any, expect_s: float | None) -> tuple[Array, float] | None:
    """(a trace of the whole film, frequency in Hz) of what swings; looked for in the whole, and
    then without the hand of its beginning or end."""
    last = len(times)
    for start, stop in ((0, 1), (0.3, 1), (0, 0.7), (0.5, 1)):
        part = slice(int(start * last), int(stop * last))
        if times[part][-1] - times[part][0] < 3.0:
            continue
        frequency = _clearest(times[part], components(grey[part]), expect_s)
        if frequency is not None:
            return going_with(times, grey, 2 * math.pi * frequency), frequency
    return None


def _clearest(times: Array, traces: dict[str, Array], expect_s: float | None) -> float | None:
    """The frequency in Hz of the largest movement that swings; one near what is expected before
    others, unless it is only the overtone of a larger one."""
    clear = []
    for trace in traces.values():
        peak = spectrum_peak(times, trace)
        if peak and peak[1] > CLEAN_LINE:
            clear.append((float(trace.std()) * peak[1], peak[0]))
    if not clear:
        return None
    size, frequency = max(clear)
    near = [one for one in clear if expect_s and abs(one[1] * expect_s - 1) < LIKE]
    if not near:
        return frequency
    size, frequency = max(near)
    is_overtone = any(
        other > size and any(abs(frequency / at / k - 1) < 0.03 for k in (2, 3, 4))
        for other, at in clear
    )
    return max(clear)[1] if is_overtone else frequency


def _is_off(frequency: float, expect_s: float) -> bool:
    return all(abs(expect_s * frequency / k - 1) > LIKE for k in (1, 2))


def _ask_if_slowed(times: Array, grey: Any, expect_s: float) -> None:
    """Raises SlowedFilm where it would swing as expected if it were some times faster."""
    for slowed in SLOWED[:0:-1]:
        if (times[-1] - times[0]) / slowed < 4 * FASTEST_S:
            continue
        frequency = _clearest(times / slowed, components(grey), None)
        if frequency is not None and abs(expect_s * frequency - 1) < LIKE:
            raise SlowedFilm(slowed)


def _is_even(times: Array) -> bool:
    import numpy as np

    steps = np.diff(times)
    return bool(np.percentile(np.abs(steps - np.median(steps)), 95) < EVEN_S)


def _ask_for_the_rate(stamped_hz: float, frequency: float, expect_s: float) -> None:
    """Raises OtherRateError where it swings as expected at another usual rate, and not at that of
    its stamps."""
    off = min((expect_s * frequency, expect_s * frequency / 2), key=lambda one: abs(one - 1))
    if abs(off - 1) < DOUBTED:
        return
    near = min(RATES, key=lambda rate: abs(off * rate / stamped_hz - 1))
    if abs(off * near / stamped_hz - 1) < DOUBTED / 2:
        raise OtherRateError(stamped_hz, near)


def _width(
    times: Array, grey: Any, omega: float, motion: Motion, trace: Array
) -> tuple[float, float, float] | None:
    first = seen_width(times, grey, omega, motion.decay_per_s, trace)
    if not NARROWEST_DEG < first < WIDEST_DEG:
        return None
    last = first * math.exp(-max(motion.decay_per_s, 0.0) * float(times[-1] - times[0]))
    return first, last, max(WIDTH_U * first, 0.2)
