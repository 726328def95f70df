"""Swing weight read off a machine at the machine's own axis."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from kentrobar.core.numbers import Given, number

from .method import Faults, Measurement, apart_notes, no_negative_u, not_negative, readings_faults
from .sample import SetAside, sample


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine:
    """Readings in kg·cm² about ``axis_mm``. ``drift_kgcm2`` is what the machine reads too much, from its
    last check against a reference bar."""

    readings_kgcm2: list[float]
    axis_mm: float
    drift_kgcm2: Given = 0.0
    resolution_kgcm2: float = 0.0
    repeatability_kgcm2: float | None = None
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["machine"] = "machine"

    def faults(self) -> Faults:
        yield from readings_faults("readings_kgcm2", self.readings_kgcm2, self.set_aside)
        yield from no_negative_u({"drift_kgcm2": self.drift_kgcm2})
        yield from not_negative(
            {
                "axis_mm": self.axis_mm,
                "resolution_kgcm2": self.resolution_kgcm2,
                "repeatability_kgcm2": self.repeatability_kgcm2,
            }
        )

    def reduce(self) -> Measurement:
        """swing weight = mean reading − drift, about the machine's axis."""
        seen = sample(self.readings_kgcm2, self.resolution_kgcm2, self.repeatability_kgcm2, self.set_aside)
        swing = seen.result() - number(self.drift_kgcm2, "drift")
        figures = {
            "mean_kgcm2": seen.mean,
            "readings": seen.n,
            "swing_kgcm2": swing,
            "axis_mm": self.axis_mm,
        }
        if seen.spread is not None:
            figures["spread_kgcm2"] = seen.spread
        apart = seen.apart()
        return Measurement(
            "machine", "swing_kgcm2", swing, figures, apart_notes(apart, self.readings_kgcm2), tuple(apart)
        )
