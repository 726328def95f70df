"""Swing weight from a swing: the frame hangs from a pivot p mm from its butt.

A pin under a string near the tip, or a clamp at the swing axis; the axis of the pivot runs across
the face, so that the face swings to and fro. What swings along with the frame (a clamp, a jig) is
known as a Body and taken off before the last two steps.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import ClassVar, Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline, Racket
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
from kentrobar.core.numbers import Given, Number, nominal, number, value_of
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.reader import digits

from .method import Faults, Measurement, above_zero, no_negative_u, not_negative
from .surroundings import GRAVITY, STRING_MM, face_air_kgcm2, roll_mm
from .timing import Timed

JIG_U_G = 0.1
PIN_U_MM = 0.05
THIN_PIN_MM = 2.0
"""How thick a pin people find for it."""
THICKEST_PIN_MM = 20.0


def pin_at_mm(outline: Outline) -> float:
    """Where a frame hangs best: a racket under a cross string near the tip, a paddle by a clamp."""
    if isinstance(outline, Racket):
        return round(outline.length_mm - outline.rim_mm - 30)
    return 50.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Jig:
    """What swings along: its mass, the place of its centre of mass on the frame's axis, and its
    inertia about its own centre of mass."""

    mass_g: Given
    balance_mm: Given
    inertia_kgcm2: Given = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pendulum(Timed):
    """Passes or a period of a frame of known mass and balance, hung ``pivot_mm`` from the butt.

    Attributes:
        pivot_mm: butt to where it turns; on a pin, to the top of it, where string or rim touches.
        pin_mm: the thickness of a round pin it rolls on; 0 for an edge or an axle.
        air_kgcm2: the air that swings along, about the pivot, to be taken off.
    """

    label: ClassVar[str] = "pendulum"
    gives: ClassVar[tuple[str, ...]] = ("swing_kgcm2",)
    inputs: ClassVar[tuple[Input, ...]] = (
        mass_input(),
        balance_input(),
        Input(
            "pivot",
            "pivot_mm",
            "length",
            "pivot at",
            "643 mm",
            u=TAPE_U_MM,
            offered=lambda outline: pin_at_mm(outline),
        ),
        axis_input(),
    )
    more_label: ClassVar[str] = "clamp"
    more: ClassVar[tuple[Input, ...]] = (
        Input(
            "pin",
            "pin_mm",
            "length",
            "pin, how thick",
            "2 mm",
            is_needed=False,
            u=PIN_U_MM,
            offered=lambda outline: THIN_PIN_MM if isinstance(outline, Racket) else None,
            strung_only=True,
        ),
        Input(
            "rests_on",
            "rests_on",
            "choice",
            "on the pin rests",
            is_needed=False,
            choices=(("string", "a string"), ("rim", "the rim, flat")),
            strung_only=True,
        ),
        Input("jig_mass", "jig.mass_g", "mass", "clamp weighs", "84 g", is_needed=False, u=JIG_U_G),
        Input(
            "jig_balance",
            "jig.balance_mm",
            "length",
            "its middle from the butt",
            "92 mm",
            is_needed=False,
            u=TAPE_U_MM,
        ),
        Input(
            "jig_inertia", "jig.inertia_kgcm2", "inertia", "its own inertia", "0.9", is_needed=False
        ),
    )

    mass_g: Given
    balance_mm: Given
    pivot_mm: Given
    axis_mm: float | None = None
    jig: Jig | None = None
    pin_mm: Given = 0.0
    rests_on: Literal["string", "rim"] = "string"
    air_kgcm2: Given = 0.0
    method: Literal["pendulum"] = "pendulum"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        pin = mm(pin_at_mm(outline))
        hang = (
            f"Hang it butt down on a thin pin under a cross string near the tip, about {pin} from"
            " the butt; without strings by the inside of the rim at the tip."
            if isinstance(outline, Racket)
            else (
                f"Clamp a thin axle across the handle, about {pin} from the butt, and let it hang"
                " tip down."
            )
        )
        return [
            hang + " It swings face first.",
            "Measure from the butt end to where it turns: "
            + (
                "the top of the pin, where string or rim rests on it."
                if isinstance(outline, Racket)
                else "the middle of the axle."
            ),
            "Let it swing a hand’s breadth. Tap at every pass of the middle, forty times.",
        ]

    @classmethod
    def period_of(cls, given: Document, frame: Measured) -> float:
        recoil = nominal(frame.body().recoil_kgcm2)
        jig = given.get("jig")
        clamp = Jig(**{key: plain(value) for key, value in jig.items()}) if jig else None
        pivot = plain(given["pivot_mm"])
        roll = _rolled(plain(given.get("pin_mm", 0.0)), given.get("rests_on", "string"))
        return pendulum_period(
            nominal(frame.mass_g), nominal(frame.balance_mm),
            recoil + plain(given.get("air_kgcm2", 0.0)), pivot, clamp,
            nominal(roll), given.get("g_ms2", GRAVITY),
        )  # fmt: skip

    @classmethod
    def air_of(cls, outline: Outline, given: Document) -> float:
        return face_air_kgcm2(outline, plain(given["pivot_mm"]))

    @classmethod
    def settled(cls, given: Document) -> tuple[Document, list[tuple[str, str]]]:
        if "jig" in given and not {"mass_g", "balance_mm"} <= given["jig"].keys():
            return given, [("jig_mass", "A clamp counts by its mass and its place: write both.")]
        return given, []

    def faults(self) -> Faults:
        yield from above_zero({"mass_g": self.mass_g, "balance_mm": self.balance_mm})
        yield from no_negative_u({"pivot_mm": self.pivot_mm})
        yield from not_negative(
            {"axis_mm": self.axis_mm, "pin_mm": self.pin_mm, "air_kgcm2": self.air_kgcm2}
        )
        if value_of(self.pin_mm) > THICKEST_PIN_MM:
            yield "pin_mm", Refusal("outside", value_of(self.pin_mm), 0.0, THICKEST_PIN_MM)
        if abs(value_of(self.pivot_mm) - value_of(self.balance_mm)) < 5:
            yield (
                "pivot_mm",
                f"{digits(value_of(self.pivot_mm), 6)} lies at the balance point: nothing swings"
                " there",
            )
        if self.jig is not None:
            yield from _prefixed("jig", above_zero({"mass_g": self.jig.mass_g}))
            yield from _prefixed("jig", no_negative_u({"balance_mm": self.jig.balance_mm}))
            yield from _prefixed("jig", not_negative({"inertia_kgcm2": self.jig.inertia_kgcm2}))
        yield from self.timing_faults()

    def reduce(self) -> Measurement:
        """I_pivot = M g (d + roll) T²/4π² − air; recoil = I_pivot − M d²;
        SW(a) = recoil + M (b − a)²."""
        period, figures, notes = self.timed()
        mass, balance = number(self.mass_g, "mass"), number(self.balance_mm, "balance")
        pivot = number(self.pivot_mm, "pivot")
        below = 1 if nominal(balance) > nominal(pivot) else -1
        d = below * (balance - pivot)
        roll = _rolled(number(self.pin_mm, "pin"), self.rests_on)
        pull = mass * (d + roll)
        jig_second: Number = 0.0
        if self.jig is not None:
            jig_mass = number(self.jig.mass_g, "jig")
            # Above the pivot the clamp pulls the other way; its inertia adds wherever it is.
            jig_d = below * (number(self.jig.balance_mm, "jig") - pivot)
            pull = pull + jig_mass * (jig_d + roll)
            jig_second = number(self.jig.inertia_kgcm2, "jig") * KGCM2 + jig_mass * jig_d * jig_d
        swung = pull * (self.g_ms2 * 1000) * period * period / (4 * math.pi**2)
        air = number(self.air_kgcm2, "air")
        at_pivot = swung - jig_second - air * KGCM2
        recoil = at_pivot - mass * d * d
        figures |= {
            "distance_mm": d,
            "inertia_at_pivot_kgcm2": at_pivot / KGCM2,
            "recoil_kgcm2": recoil / KGCM2,
        }
        if nominal(roll):
            figures["roll_mm"] = roll
        if nominal(air):
            figures["air_kgcm2"] = air
            notes = (*notes, *without_air(air))
        if self.axis_mm is None:
            return Measurement("pendulum", "recoil_kgcm2", recoil / KGCM2, figures, notes)
        swing = recoil + mass * (balance - self.axis_mm) ** 2
        figures |= {"swing_kgcm2": swing / KGCM2, "axis_mm": self.axis_mm}
        return Measurement("pendulum", "swing_kgcm2", swing / KGCM2, figures, notes)


def _prefixed(name: str, faults: Faults) -> Faults:
    for path, reason in faults:
        yield f"{name}.{path}", reason


def _rolled(pin_mm: Number, rests_on: str) -> Number:
    return roll_mm(pin_mm, None if rests_on == "rim" else STRING_MM) if nominal(pin_mm) else 0.0


def pendulum_period(
    mass: float,
    balance: float,
    recoil_kgcm2: float,
    pivot: float,
    jig: Jig | None = None,
    roll: float = 0.0,
    g_ms2: float = GRAVITY,
) -> float:
    """The period in s of small swings: the formula turned round. ValueError where it would not
    swing."""
    below = 1 if balance > pivot else -1
    d = below * (balance - pivot)
    pull, second = mass * (d + roll), recoil_kgcm2 * KGCM2 + mass * d * d
    if jig is not None:
        jig_mass, jig_d = value_of(jig.mass_g), below * (value_of(jig.balance_mm) - pivot)
        pull += jig_mass * (jig_d + roll)
        second += value_of(jig.inertia_kgcm2) * KGCM2 + jig_mass * jig_d**2
    if pull <= 0:
        raise ValueError("the clamp outweighs the frame: it would turn over")
    return 2 * math.pi * math.sqrt(second / (pull * g_ms2 * 1000))
