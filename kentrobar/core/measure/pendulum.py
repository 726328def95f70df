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
)
from kentrobar.core.numbers import Given, Number, nominal, number, value_of
from kentrobar.core.pieces.body import KGCM2

from .method import GRAVITY, Faults, Measurement, above_zero, no_negative_u, not_negative
from .timing import Timed

JIG_U_G = 0.1


def pin_mm(outline: Outline) -> float:
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
    """Passes or a period of a frame of known mass and balance, hung ``pivot_mm`` from the butt."""

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
            offered=lambda outline: pin_mm(outline),
        ),
        axis_input(),
    )
    more: ClassVar[tuple[Input, ...]] = (
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
    method: Literal["pendulum"] = "pendulum"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        pin = mm(pin_mm(outline))
        hang = (
            f"Hang it butt down on a thin pin under a cross string near the tip, about {pin} from"
            " the butt; without strings by the inside of the rim at the tip. Measure to the pin."
            if isinstance(outline, Racket)
            else (
                f"Clamp a thin axle across the handle, about {pin} from the butt, and let it hang"
                " tip down."
            )
        )
        return [
            hang + " It swings face first.",
            "Measure from the butt end to where it turns.",
            "Let it swing a hand’s breadth. Tap at every pass of the middle, forty times.",
        ]

    @classmethod
    def period_of(cls, given: Document, frame: Measured) -> float:
        recoil = nominal(frame.body().recoil_kgcm2)
        jig = given.get("jig")
        clamp = Jig(**{key: plain(value) for key, value in jig.items()}) if jig else None
        pivot = plain(given["pivot_mm"])
        return pendulum_period(
            nominal(frame.mass_g), nominal(frame.balance_mm), recoil, pivot, clamp
        )

    @classmethod
    def settled(cls, given: Document) -> tuple[Document, list[tuple[str, str]]]:
        if "jig" in given and not {"mass_g", "balance_mm"} <= given["jig"].keys():
            return given, [("jig_mass", "A clamp counts by its mass and its place: write both.")]
        return given, []

    def faults(self) -> Faults:
        yield from above_zero({"mass_g": self.mass_g, "balance_mm": self.balance_mm})
        yield from no_negative_u({"pivot_mm": self.pivot_mm})
        yield from not_negative({"axis_mm": self.axis_mm})
        if abs(value_of(self.pivot_mm) - value_of(self.balance_mm)) < 5:
            yield (
                "pivot_mm",
                f"{value_of(self.pivot_mm):g} lies at the balance point: nothing swings there",
            )
        if self.jig is not None:
            yield from _prefixed("jig", above_zero({"mass_g": self.jig.mass_g}))
            yield from _prefixed("jig", no_negative_u({"balance_mm": self.jig.balance_mm}))
            yield from _prefixed("jig", not_negative({"inertia_kgcm2": self.jig.inertia_kgcm2}))
        yield from self.timing_faults()

    def reduce(self) -> Measurement:
        """I_pivot = M g d T²/4π²; recoil = I_pivot − M d²; SW(a) = recoil + M (b − a)²."""
        period, figures, notes = self.timed()
        mass, balance = number(self.mass_g, "mass"), number(self.balance_mm, "balance")
        pivot = number(self.pivot_mm, "pivot")
        below = 1 if nominal(balance) > nominal(pivot) else -1
        d = below * (balance - pivot)
        pull = mass * d
        jig_second: Number = 0.0
        if self.jig is not None:
            jig_mass = number(self.jig.mass_g, "jig")
            # Above the pivot the clamp pulls the other way; its inertia adds wherever it is.
            jig_d = below * (number(self.jig.balance_mm, "jig") - pivot)
            pull = pull + jig_mass * jig_d
            jig_second = number(self.jig.inertia_kgcm2, "jig") * KGCM2 + jig_mass * jig_d * jig_d
        swung = pull * (self.g_ms2 * 1000) * period * period / (4 * math.pi**2)
        at_pivot = swung - jig_second
        recoil = at_pivot - mass * d * d
        figures |= {
            "distance_mm": d,
            "inertia_at_pivot_kgcm2": at_pivot / KGCM2,
            "recoil_kgcm2": recoil / KGCM2,
        }
        if self.axis_mm is None:
            return Measurement("pendulum", "recoil_kgcm2", recoil / KGCM2, figures, notes)
        swing = recoil + mass * (balance - self.axis_mm) ** 2
        figures |= {"swing_kgcm2": swing / KGCM2, "axis_mm": self.axis_mm}
        return Measurement("pendulum", "swing_kgcm2", swing / KGCM2, figures, notes)


def _prefixed(name: str, faults: Faults) -> Faults:
    for path, reason in faults:
        yield f"{name}.{path}", reason


def pendulum_period(
    mass: float, balance: float, recoil_kgcm2: float, pivot: float, jig: Jig | None = None
) -> float:
    """The period in s of small swings: the formula turned round. ValueError where it would not
    swing."""
    below = 1 if balance > pivot else -1
    d = below * (balance - pivot)
    pull, second = mass * d, recoil_kgcm2 * KGCM2 + mass * d * d
    if jig is not None:
        jig_mass, jig_d = value_of(jig.mass_g), below * (value_of(jig.balance_mm) - pivot)
        pull += jig_mass * jig_d
        second += value_of(jig.inertia_kgcm2) * KGCM2 + jig_mass * jig_d**2
    if pull <= 0:
        raise ValueError("the clamp outweighs the frame: it would turn over")
    return 2 * math.pi * math.sqrt(second / (pull * GRAVITY * 1000))
