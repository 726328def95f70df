"""Mass on a scale: one reading, repeats, or a batch of equal things weighed together."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from kentrobar.core.numbers import Given, number

from .method import Faults, Measurement, apart_notes, no_negative_u, not_negative, readings_faults
from .sample import SetAside, sample


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale:
    """Readings in g; ``count`` equal things lie on the scale. ``drift_g`` is what the scale reads too
    much, from its last check."""

    readings_g: list[float]
    resolution_g: float = 0.0
    count: int = 1
    repeatability_g: float | None = None
    drift_g: Given = 0.0
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["scale"] = "scale"

    def faults(self) -> Faults:
        yield from readings_faults("readings_g", self.readings_g, self.set_aside)
        yield from not_negative({"resolution_g": self.resolution_g, "repeatability_g": self.repeatability_g})
        yield from no_negative_u({"drift_g": self.drift_g})
        if not 1 <= self.count <= 10_000:
            yield "count", f"{self.count} is outside 1…10000"

    def reduce(self) -> Measurement:
        """mass = (mean reading − drift) / count, u alike divided by count."""
        seen = sample(self.readings_g, self.resolution_g, self.repeatability_g, self.set_aside)
        mass = (seen.result() - number(self.drift_g, "drift")) / self.count
        figures = {"mean_g": seen.mean, "readings": seen.n, "mass_g": mass}
        if seen.spread is not None:
            figures["spread_g"] = seen.spread
        apart = seen.apart()
        return Measurement(
            "scale", "mass_g", mass, figures, apart_notes(apart, self.readings_g), tuple(apart)
        )
