"""Swing weight read off a machine at the machine's own axis."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import ClassVar, Literal

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import (
    IMAGINED,
    Document,
    Input,
    InstrumentKind,
    Kit,
    Method,
    axis_input,
    plain,
    without_air,
)
from kentrobar.core.numbers import Given, nominal, number

from .method import Faults, Measurement, apart_notes, no_negative_u, not_negative, readings_faults
from .sample import KNOWN_DOF, SetAside, sample
from .surroundings import face_air_kgcm2


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine(Method):
    """Readings in kg·cm² about ``axis_mm``. ``drift_kgcm2`` is what the machine reads too much,
    from its last check against a reference bar, ``air_kgcm2`` the air a paddle's face carries."""

    label: ClassVar[str] = "machine"
    gives: ClassVar[tuple[str, ...]] = ("swing_kgcm2",)
    instrument: ClassVar[InstrumentKind] = "machine"
    inputs: ClassVar[tuple[Input, ...]] = (
        axis_input(),
        Input("drift", "drift_kgcm2", "inertia", "reads over by", "0", is_needed=False),
    )
    readings: ClassVar[tuple[str, str, str] | None] = (
        "readings_kgcm2",
        "kg·cm²",
        "314.2 314.6 314.3",
    )
    usual_kit: ClassVar[Kit] = Kit(1.0, 0.5)
    is_by_hand: ClassVar[bool] = False
    caution: ClassVar[str] = "Clamped face-flat it reads high by the twist weight."

    readings_kgcm2: list[float]
    axis_mm: float
    drift_kgcm2: Given = 0.0
    air_kgcm2: Given = 0.0
    resolution_kgcm2: float = 0.0
    repeatability_kgcm2: float | None = None
    repeatability_freedom: float = KNOWN_DOF
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["machine"] = "machine"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            (
                "Clamp the butt end against the stop with the face upright: it swings strings"
                " first, as in a stroke. Edge first it would read swing and twist weight together."
            ),
            "Start it gently and let it finish.",
            "Take out, put back, read again: three times.",
        ]

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        swing = nominal(frame.body().swing_kgcm2(plain(given["axis_mm"])))
        swing += plain(given.get("air_kgcm2", 0.0)) + plain(given.get("drift_kgcm2", 0.0))
        return {"readings_kgcm2": [swing] * IMAGINED}

    @classmethod
    def air_of(cls, outline: Outline, given: Document) -> float:
        return face_air_kgcm2(outline, plain(given["axis_mm"]))

    def faults(self) -> Faults:
        yield from readings_faults("readings_kgcm2", self.readings_kgcm2, self.set_aside)
        yield from no_negative_u({"drift_kgcm2": self.drift_kgcm2})
        yield from not_negative(
            {
                "axis_mm": self.axis_mm,
                "air_kgcm2": self.air_kgcm2,
                "resolution_kgcm2": self.resolution_kgcm2,
                "repeatability_kgcm2": self.repeatability_kgcm2,
                "repeatability_freedom": self.repeatability_freedom,
            }
        )

    def reduce(self) -> Measurement:
        """swing weight = mean reading − drift − air, about the machine's axis."""
        seen = sample(
            self.readings_kgcm2, self.resolution_kgcm2, self.repeatability_kgcm2, self.set_aside,
            self.repeatability_freedom,
        )  # fmt: skip
        air = number(self.air_kgcm2, "air")
        swing = seen.result() - number(self.drift_kgcm2, "drift") - air
        figures = {
            "mean_kgcm2": seen.mean,
            "readings": seen.n,
            "swing_kgcm2": swing,
            "axis_mm": self.axis_mm,
        }
        if nominal(air):
            figures["air_kgcm2"] = air
        if seen.spread is not None:
            figures["spread_kgcm2"] = seen.spread
        apart = seen.apart()
        return Measurement(
            "machine",
            "swing_kgcm2",
            swing,
            figures,
            (*apart_notes(apart, self.readings_kgcm2), *without_air(air)),
            tuple(apart),
        )
