"""A film of a swing, as a reading keeps it: how the light of some points went with it, and when."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Literal

from kentrobar.core.errors import DocumentError, Refusal
from kentrobar.core.numbers import Given, value_of

from .method import Faults, Measurement, Note, RawReading, no_negative_u
from .swinging import PENDULUM, lengthening, mean_square

if TYPE_CHECKING:
    from .motion import Motion

LEAST_SAMPLES, MOST_SAMPLES = 40, 40_000
LONGEST_S, LARGEST = 620.0, 1e9


@dataclass(frozen=True, slots=True, kw_only=True)
class Film:
    """What is kept of a film: no picture, only how light went with the swing.

    Attributes:
        times_s: rising, of each sample. trace: the samples. beats: of them in one swing, two where
            it was filmed from the front. apart: by how much, of itself, places of the picture were
            apart about its period, one standard uncertainty.
    """

    times_s: list[float]
    trace: list[float]
    beats: int = 1
    apart: float = 0.0

    def faults(self) -> Faults:
        if len(self.times_s) != len(self.trace):
            yield "trace", f"{len(self.trace)} samples at {len(self.times_s)} times"
            return
        if not LEAST_SAMPLES <= len(self.times_s) <= MOST_SAMPLES:
            yield "times_s", Refusal("outside", len(self.times_s), LEAST_SAMPLES, MOST_SAMPLES)
            return
        for i, (a, b) in enumerate(pairwise(self.times_s), 1):
            if not b > a:
                yield f"times_s[{i}]", Refusal("not-after", b, a, where="times rise")
                return
        if not self.times_s[-1] - self.times_s[0] <= LONGEST_S:
            yield "times_s", Refusal("outside", self.times_s[-1] - self.times_s[0], 0, LONGEST_S)
        if not all(abs(one) < LARGEST for one in self.trace):
            yield "trace", "a sample is no size that light can have"
        if self.beats not in (1, 2):
            yield "beats", Refusal("outside", self.beats, 1, 2)
        if not 0 <= self.apart < 1:
            yield "apart", Refusal("outside", self.apart, 0, 1)

    def motion(self) -> Motion:
        """The swing in it. Raises DocumentError."""
        import numpy as np

        from .film.reading import of_trace
        from .recording import NoSwingError

        try:
            return of_trace(np.array(self.times_s), np.array(self.trace), self.beats, self.apart)
        except (NoSwingError, np.linalg.LinAlgError) as error:
            raise DocumentError("film.trace", f"nothing swings steadily in it: {error}") from None


@dataclass(frozen=True, slots=True, kw_only=True)
class Filmed(RawReading):
    """A film of whatever swings: the period of its small swings, and nothing of the frame."""

    film: Film
    amplitude_deg: Given | None = None
    amplitude_end_deg: Given | None = None
    method: Literal["film"] = "film"

    def faults(self) -> Faults:
        for path, reason in self.film.faults():
            yield f"film.{path}", reason
        wide = {"amplitude_deg": self.amplitude_deg, "amplitude_end_deg": self.amplitude_end_deg}
        yield from no_negative_u(wide)
        for name, given in wide.items():
            if given is not None and not 0 <= value_of(given) <= 60:
                yield name, Refusal("outside", value_of(given), 0, 60)

    def reduce(self) -> Measurement:
        """The period of a pendulum's small swings: T = T_seen / (1 + θ²/16 …)."""
        motion = self.film.motion()
        first = 0.0 if self.amplitude_deg is None else self.amplitude_deg
        square = mean_square(first, self.amplitude_end_deg, "samples")
        period = motion.period_s / lengthening(square, *PENDULUM)
        figures = {
            "measured_period_s": motion.period_s, "period_s": period, "swings": motion.swings,
        }  # fmt: skip
        notes = tuple(Note(one) for one in motion.notes)
        return Measurement("film", "period_s", period, figures, notes)
