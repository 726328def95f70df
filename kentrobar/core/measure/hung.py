"""Twist weight of a frame hung level below a straight axis along its handle. Weakly determined: the
difference of two large numbers. It serves where nothing else is at hand; two threads do better.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, Literal

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import TAPE_U_MM, Document, Input, Note, mass_input, plain
from kentrobar.core.numbers import Given, nominal, number
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.words import message

from .method import Faults, Measurement, above_zero
from .surroundings import GRAVITY
from .timing import Timed


@dataclass(frozen=True, slots=True, kw_only=True)
class HungFlat(Timed):
    """The centre line hangs ``hang_mm`` below the axis and parallel to it."""

    label: ClassVar[str] = "swung flat"
    gives: ClassVar[tuple[str, ...]] = ("twist_kgcm2",)
    inputs: ClassVar[tuple[Input, ...]] = (
        mass_input(),
        Input(
            "hang", "hang_mm", "length", "axis to centre line", "180 mm", u=TAPE_U_MM,
            usual=lambda outline, frame: (180.0, TAPE_U_MM),
        ),
    )  # fmt: skip
    is_weak: ClassVar[bool] = True
    caution: ClassVar[str] = (
        "Weakly determined: the difference of two large numbers. Two-thread (bifilar) tells it"
        " better."
    )

    mass_g: Given
    hang_mm: Given
    method: Literal["hung-flat"] = "hung-flat"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            "Hang the frame level, centre line below a straight axis and along it.",
            "Measure from the axis down to the centre line.",
            "Let it rock sideways. Tap at every pass of the middle, forty times.",
        ]

    @classmethod
    def period_of(cls, given: Document, frame: Measured) -> float:
        twist = nominal(frame.twist_kgcm2 or 0.0)
        g = given.get("g_ms2", GRAVITY)
        return hung_period(nominal(frame.mass_g), twist, plain(given["hang_mm"]), g)

    def faults(self) -> Faults:
        yield from above_zero({"mass_g": self.mass_g, "hang_mm": self.hang_mm})
        yield from self.timing_faults()

    def reduce(self) -> Measurement:
        """I = M g h T²/4π² − M h²."""
        period, figures, notes = self.timed()
        mass, hang = number(self.mass_g, "mass"), number(self.hang_mm, "hang")
        swung = mass * (self.g_ms2 * 1000) * hang * period * period / (4 * math.pi**2) / KGCM2
        carried = mass * hang * hang / KGCM2
        twist = swung - carried
        figures |= {
            "swung_kgcm2": swung,
            "carried_kgcm2": carried,
            "inertia_kgcm2": twist,
            "twist_kgcm2": twist,
        }
        share = nominal(swung) / max(abs(nominal(twist)), 1e-9)
        weak = message("weak", swung=nominal(swung), carried=nominal(carried), times=2 * share)
        return Measurement("hung-flat", "twist_kgcm2", twist, figures, (Note(weak), *notes))


def hung_period(mass: float, twist_kgcm2: float, hang: float, g_ms2: float = GRAVITY) -> float:
    """The period in s of small swings: the formula turned round."""
    second = twist_kgcm2 * KGCM2 + mass * hang * hang
    return 2 * math.pi * math.sqrt(second / (mass * g_ms2 * 1000 * hang))
