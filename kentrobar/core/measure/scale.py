"""Mass on a scale: one reading, repeats, or a batch of equal things weighed together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import ClassVar, Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import IMAGINED, Document, InstrumentKind, Kit, Method
from kentrobar.core.numbers import Given, nominal, number

from .method import Faults, Measurement, apart_notes, no_negative_u, not_negative, readings_faults
from .sample import KNOWN_DOF, SetAside, sample


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale(Method):
    """Readings in g; ``count`` equal things lie on the scale. ``drift_g`` is what the scale reads
    too much, from its last check."""

    label: ClassVar[str] = "scale"
    gives: ClassVar[tuple[str, ...]] = ("mass_g",)
    instrument: ClassVar[InstrumentKind] = "scale"
    readings: ClassVar[tuple[str, str, str] | None] = ("readings_g", "g", "318.4 318.3 318.4")
    usual_kit: ClassVar[Kit] = Kit(0.1, 0.05)

    readings_g: list[float]
    resolution_g: float = 0.0
    count: int = 1
    repeatability_g: float | None = None
    repeatability_freedom: float = KNOWN_DOF
    drift_g: Given = 0.0
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["scale"] = "scale"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            "Let the scale warm up and set it to zero.",
            "Lay the frame across it, clear of the table on all sides.",
            "Read, lift off, put back: three to five times. Write all of them down.",
        ]

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        return {"readings_g": [nominal(frame.mass_g) * given.get("count", 1)] * IMAGINED}

    @classmethod
    def of_kit(cls, kit: Kit | None) -> Document:
        known = cls.of_display(kit)
        drift = kit.drift if kit else None
        return known | ({"drift_g": {"value": drift[0], "u": drift[1]}} if drift else {})

    def faults(self) -> Faults:
        yield from readings_faults("readings_g", self.readings_g, self.set_aside)
        yield from not_negative(
            {
                "resolution_g": self.resolution_g,
                "repeatability_g": self.repeatability_g,
                "repeatability_freedom": self.repeatability_freedom,
            }
        )
        yield from no_negative_u({"drift_g": self.drift_g})
        if not 1 <= self.count <= 10_000:
            yield "count", Refusal("outside", self.count, 1, 10000)

    def reduce(self) -> Measurement:
        """mass = (mean reading − drift) / count, u alike divided by count."""
        seen = sample(
            self.readings_g, self.resolution_g, self.repeatability_g, self.set_aside,
            self.repeatability_freedom,
        )  # fmt: skip
        mass = (seen.result() - number(self.drift_g, "drift")) / self.count
        figures = {"mean_g": seen.mean, "readings": seen.n, "mass_g": mass}
        if seen.spread is not None:
            figures["spread_g"] = seen.spread
        apart = seen.apart()
        return Measurement(
            "scale", "mass_g", mass, figures, apart_notes(apart, self.readings_g), tuple(apart)
        )
