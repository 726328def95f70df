"""Inertia from two parallel threads: the frame turns to and fro about a vertical line through its
balance point. Long axis vertical gives twist weight; long axis level and the face upright gives
recoil weight. (Level with the face flat it would be recoil and twist weight together.)
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import (
    TAPE_U_MM,
    Document,
    Input,
    axis_input,
    balance_input,
    mass_input,
    plain,
    without_air,
)
from kentrobar.core.measure.swinging import THREADS_DEG
from kentrobar.core.numbers import Given, Number, nominal, number, value_of
from kentrobar.core.pieces.body import KGCM2

from .method import Faults, Measurement, above_zero, not_negative
from .surroundings import GRAVITY, face_air_kgcm2, face_air_twist_kgcm2
from .swinging import thread_height, two_thread_c2
from .timing import Timed

SPACING_U_MM = 1.0
"""One standard uncertainty of how far apart two threads are: knots and holes are wide."""


def _spacing(name: str, label: str) -> Input:
    return Input(
        name, f"{name}_mm", "length", label, "236 mm", u=SPACING_U_MM,
        usual=lambda outline, frame: (outline.width_mm - 20, SPACING_U_MM),
    )  # fmt: skip


QUANTITY = {None: "inertia_kgcm2", "vertical": "twist_kgcm2", "level": "recoil_kgcm2"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Bifilar(Timed):
    """Two threads ``thread_mm`` long, ``spacing_top_mm`` and ``spacing_bottom_mm`` apart.

    ``long_axis`` says how the frame hangs; with it level, balance and axis turn the recoil weight
    into a swing weight. ``air_kgcm2`` is the air that turns with it, to be taken off.
    """

    label: ClassVar[str] = "two-thread (bifilar)"
    usual_deg: ClassVar[tuple[float, float]] = THREADS_DEG
    gives: ClassVar[tuple[str, ...]] = ("twist_kgcm2", "swing_kgcm2")
    inputs: ClassVar[tuple[Input, ...]] = (
        Input(
            "hangs", "long_axis", "choice", "hangs",
            choices=(("vertical", "handle down: twist"), ("level", "level, face upright: recoil")),
        ),
        mass_input(),
        _spacing("spacing_top", "thread spacing, top"),
        _spacing("spacing_bottom", "thread spacing, bottom"),
        Input(
            "thread", "thread_mm", "length", "thread", "640 mm", u=TAPE_U_MM,
            usual=lambda outline, frame: (800.0, 1.0),
        ),
    )  # fmt: skip
    more_label: ClassVar[str] = "swing weight"
    more: ClassVar[tuple[Input, ...]] = (
        balance_input(is_needed=False),
        axis_input(is_needed=False),
    )

    mass_g: Given
    spacing_top_mm: Given
    spacing_bottom_mm: Given
    thread_mm: Given
    long_axis: Literal["vertical", "level"] | None = None
    balance_mm: Given | None = None
    axis_mm: float | None = None
    air_kgcm2: Given = 0.0
    method: Literal["bifilar"] = "bifilar"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            (
                f"Two threads of the same length, parallel, about {mm(outline.width_mm - 20)} apart"
                " above and below."
            ),
            (
                "For twist weight the handle hangs straight down; for recoil weight the frame hangs"
                " level, face upright."
            ),
            (
                "Turn it a little about the vertical and let go. Tap at every pass of the middle,"
                " forty times."
            ),
        ]

    @classmethod
    def period_of(cls, given: Document, frame: Measured) -> float:
        is_level = given.get("long_axis") == "level"
        inertia = nominal(frame.body().recoil_kgcm2 if is_level else frame.twist_kgcm2 or 0.0)
        top, bottom = plain(given["spacing_top_mm"]), plain(given["spacing_bottom_mm"])
        inertia += plain(given.get("air_kgcm2", 0.0))
        return bifilar_period(
            nominal(frame.mass_g), inertia, top, bottom, plain(given["thread_mm"]),
            given.get("g_ms2", GRAVITY),
        )  # fmt: skip

    @classmethod
    def air_of(cls, outline: Outline, given: Document) -> float:
        if given.get("long_axis") != "level":
            return face_air_twist_kgcm2(outline)
        # Without a balance read, the middle of the face is near enough: it is least there.
        return face_air_kgcm2(outline, plain(given.get("balance_mm", outline.face_centre_mm)))

    @classmethod
    def c2_of(cls, given: Document, period_s: Number) -> Number:
        top, bottom = plain(given["spacing_top_mm"]), plain(given["spacing_bottom_mm"])
        g = given.get("g_ms2", GRAVITY)
        return two_thread_c2(top, bottom, plain(given["thread_mm"]), period_s, g)

    @classmethod
    def settled(cls, given: Document) -> tuple[Document, list[tuple[str, str]]]:
        if given.get("long_axis") != "level":
            return {k: v for k, v in given.items() if k not in ("balance_mm", "axis_mm")}, []
        lacks = [one.name for one in cls.more if one.key not in given]
        return given, [
            (name, "Hung level it needs balance and axis for a swing weight.") for name in lacks
        ]

    def faults(self) -> Faults:
        yield from above_zero(
            {
                "mass_g": self.mass_g,
                "spacing_top_mm": self.spacing_top_mm,
                "spacing_bottom_mm": self.spacing_bottom_mm,
                "thread_mm": self.thread_mm,
                "balance_mm": self.balance_mm,
            }
        )
        yield from not_negative({"axis_mm": self.axis_mm, "air_kgcm2": self.air_kgcm2})
        lean = abs(value_of(self.spacing_top_mm) - value_of(self.spacing_bottom_mm)) / 2
        if lean >= value_of(self.thread_mm) > 0:
            yield "thread_mm", Refusal("not-above", value_of(self.thread_mm), lean)
        if self.axis_mm is not None and (self.long_axis != "level" or self.balance_mm is None):
            yield "axis_mm", "a swing weight needs the long axis level and balance_mm"
        yield from self.timing_faults()

    def reduce(self) -> Measurement:
        """I = M g r₁ r₂ T²/(4π² h) with 2r₁ and 2r₂ the spacings above and below, h the height of
        the threads: their length, where they hang parallel."""
        period, figures, notes = self.timed()
        mass = number(self.mass_g, "mass")
        top, bottom, thread = self._threads()
        height = thread_height(top, bottom, thread)
        pull = mass * (self.g_ms2 * 1000) * top * bottom / 4
        turning = pull * period * period / (4 * math.pi**2 * height)
        air = number(self.air_kgcm2, "air")
        inertia = turning / KGCM2 - air
        if nominal(air):
            figures["air_kgcm2"] = air
            notes = (*notes, *without_air(air))
        quantity = QUANTITY[self.long_axis]
        figures |= {"inertia_kgcm2": inertia, quantity: inertia}
        if self.axis_mm is not None and self.balance_mm is not None:
            balance = number(self.balance_mm, "balance")
            swing: Number = inertia + mass * (balance - self.axis_mm) ** 2 / KGCM2
            figures |= {"swing_kgcm2": swing, "axis_mm": self.axis_mm}
            return Measurement("bifilar", "swing_kgcm2", swing, figures, notes)
        return Measurement("bifilar", quantity, inertia, figures, notes)

    def c2(self, period_s: Number) -> Number:
        return two_thread_c2(*self._threads(), period_s, self.g_ms2)

    def _threads(self) -> tuple[Number, Number, Number]:
        """How far apart above and below, and how long, mm."""
        return (
            number(self.spacing_top_mm, "spacing"),
            number(self.spacing_bottom_mm, "spacing"),
            number(self.thread_mm, "thread"),
        )


def bifilar_period(
    mass: float,
    inertia_kgcm2: float,
    top: float,
    bottom: float,
    thread: float,
    g_ms2: float = GRAVITY,
) -> float:
    """The period in s of small turns: the formula turned round."""
    pull = mass * g_ms2 * 1000 * top * bottom / 4
    height = thread_height(top, bottom, thread)
    return 2 * math.pi * math.sqrt(inertia_kgcm2 * KGCM2 * height / pull)
