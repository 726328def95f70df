"""What pendulum, bifilar and hung-flat share: a period, tapped or given, freed from its
amplitude."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import ClassVar

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.measure.method import Document, InstrumentKind, Method, Note, plain
from kentrobar.core.measure.taps import HAND_JITTER_S, u_of_taps
from kentrobar.core.numbers import Given, Number, nominal, number, value_of
from kentrobar.core.reader import fixed
from kentrobar.core.words import message

from .filmed import Film
from .method import Faults, above_zero, aside_faults, no_negative_u, not_negative
from .sample import SetAside
from .surroundings import GRAVITY
from .swinging import (
    PENDULUM,
    USUAL_DECAY,
    USUAL_DEG,
    TimedBy,
    lengthening,
    mean_square,
    usual_mean_square,
)
from .taps import TooFewTapsError, fit

Figures = dict[str, Number]
TAPS = 40
"""Taps a patient hand gives, to expect by."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Timed(Method):
    """What every method with a swing is given: passes, a period or a film, and how wide it swung.

    Attributes:
        tap_times_s: rising times of passes; or else ``period_s``, or what a film showed.
        is_fitted: whether the period is of a dying sine through a recording's samples.
        taps_per_period: passes in one swing there and back.
        amplitude_deg, amplitude_end_deg: half the width of the first and of the last swing.
        usual_swing: whether what nobody said of how wide it swung is taken as usual, and carried as
            not quite known; else it swung hardly at all, or as wide at last as at first.
        tap_jitter_s: how unevenly passes are told, where that is known (a sensor's).
        g_ms2: gravity.
    """

    instrument: ClassVar[InstrumentKind] = "timer"
    usual_deg: ClassVar[tuple[float, float]] = USUAL_DEG
    """How wide it swings in the mean where nobody looked, with one standard uncertainty."""
    is_timed: ClassVar[bool] = True

    tap_times_s: list[float] | None = None
    period_s: Given | None = None
    film: Film | None = None
    is_fitted: bool = False
    taps_per_period: int = 2
    amplitude_deg: Given | None = None
    amplitude_end_deg: Given | None = None
    usual_swing: bool = False
    tap_jitter_s: float | None = None
    g_ms2: float = GRAVITY
    set_aside: list[SetAside] = field(default_factory=list)

    @classmethod
    @abstractmethod
    def period_of(cls, given: Document, frame: Measured) -> float:
        """The period in s of small swings of this frame in this set-up."""

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        jitter = given.get("tap_jitter_s")
        per_period = given.get("taps_per_period", 2)
        u = per_period * u_of_taps(TAPS, HAND_JITTER_S if jitter is None else jitter)
        small = cls.period_of(given, frame)
        # As wide as it will swing: what is taken off again when it is read.
        wide = given.get("amplitude_deg"), given.get("amplitude_end_deg")
        first, last = (None if one is None else plain(one) for one in wide)
        square = nominal(mean_square(first or 0.0, last))
        if last is None and given.get("usual_swing"):
            square = nominal(usual_mean_square(first, TAPS / per_period, cls.usual_deg))
        longer = lengthening(square, nominal(cls.c2_of(given, small)), PENDULUM[1])
        return {"period_s": {"value": small * longer, "u": u}}

    @classmethod
    def c2_of(cls, given: Document, period_s: Number) -> Number:
        """How a wide swing lengthens the period, by its angle squared; of a pendulum unless a
        method knows its own."""
        return PENDULUM[0]

    def timing_faults(self) -> Faults:
        """A period or taps, one of the two, and an amplitude that can be."""
        given = (self.tap_times_s, self.period_s, self.film)
        if sum(one is not None for one in given) != 1:
            yield "period_s", "give tap_times_s, period_s or film, one of them"
            return
        if self.film is not None:
            for path, reason in self.film.faults():
                yield f"film.{path}", reason
        yield from above_zero({"period_s": self.period_s, "g_ms2": self.g_ms2})
        yield from not_negative({"tap_jitter_s": self.tap_jitter_s})
        yield from no_negative_u(
            {"amplitude_deg": self.amplitude_deg, "amplitude_end_deg": self.amplitude_end_deg}
        )
        if not 1 <= self.taps_per_period <= 4:
            yield "taps_per_period", Refusal("outside", self.taps_per_period, 1, 4)
        start = 0.0 if self.amplitude_deg is None else value_of(self.amplitude_deg)
        if not 0 <= start <= 60:
            yield "amplitude_deg", Refusal("outside", start, 0, 60)
        end = self.amplitude_end_deg
        if end is not None and not 0 < value_of(end) <= start:
            yield (
                "amplitude_end_deg",
                Refusal("outside", value_of(end), 0, start, "the first swing"),
            )
        if self.tap_times_s is not None:
            yield from _tap_faults(self.tap_times_s, self.set_aside)

    def timed(self) -> tuple[Number, Figures, tuple[Note, ...]]:
        """(period of small swings in s, intermediate figures, notes)."""
        figures: Figures = {}
        notes: list[Note] = []
        period: Number
        if self.tap_times_s is not None:
            found = fit(
                self.tap_times_s, {aside.index for aside in self.set_aside}, self.tap_jitter_s
            )
            period = found.period(self.taps_per_period)
            figures |= {"taps": len(found.kept), "tap_scatter_s": found.s}
            for i, count in found.missed:
                notes.append(Note(message("missed-pass", tap=i + 1, count=count), i))
            if found.creep:
                creep = 1000 * found.creep * self.taps_per_period
                notes.append(Note(message("creep", ms=creep)))
            notes += [Note(message("stray-tap", tap=i + 1), i) for i in found.stray]
        elif self.film is not None:
            motion = self.film.motion()
            period = motion.period_s
            figures["swings"] = motion.swings
            notes += [Note(one) for one in motion.notes]
        else:
            assert self.period_s is not None
            period = number(self.period_s, "period")
        figures["measured_period_s"] = period
        swings = figures.get("swings", TAPS / 2)
        if "taps" in figures:
            swings = figures["taps"] / self.taps_per_period
        square, note = self._square(swings)
        period = period / lengthening(square, self.c2(period), PENDULUM[1])
        figures["period_s"] = period
        return period, figures, (*notes, *note)

    def c2(self, period_s: Number) -> Number:
        """How this reading's wide swings lengthen its period."""
        return PENDULUM[0]

    @property
    def timed_by(self) -> TimedBy:
        if self.tap_times_s is not None:
            return "taps"
        return "samples" if self.film is not None or self.is_fitted else "clock"

    def _square(self, swings: float) -> tuple[Number, tuple[Note, ...]]:
        """Mean θ² over the swings that were timed, rad², and what was taken as usual in it."""
        first, last = self.amplitude_deg, self.amplitude_end_deg
        if not self.usual_swing or last is not None:
            return mean_square(0.0 if first is None else first, last, self.timed_by), ()
        if first is None:
            usual = message("usual-swing", degrees=self.usual_deg[0], u=self.usual_deg[1])
            return usual_mean_square(None, swings, self.usual_deg), (Note(usual),)
        usual = message("usual-decay", share=USUAL_DECAY[0], u=USUAL_DECAY[1])
        by = self.timed_by
        return usual_mean_square(first, swings, by=by), (Note(usual),)


def _tap_faults(times: Sequence[float], set_aside: list[SetAside]) -> Faults:
    yield from aside_faults(max(len(times), 1), set_aside)
    for i, (a, b) in enumerate(pairwise(times), 1):
        if not b > a:
            yield f"tap_times_s[{i}]", Refusal("not-after", b, a, where="tap times rise")
            return
    try:
        found = fit(times, {aside.index for aside in set_aside})
    except TooFewTapsError as error:
        yield "tap_times_s", str(error)
        return
    for i in found.doubles:
        gap = times[i] - times[i - 1]
        yield (
            f"tap_times_s[{i}]",
            f"a double tap, {fixed(gap, 3)} s after the one before: set it aside",
        )
        return
