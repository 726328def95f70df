"""Swing weight from a swing: the frame hangs from a pivot p mm from its butt.

A pin under a string near the tip, or a clamp at the swing axis; the axis of the pivot runs across the
face, so that the face swings to and fro. What swings along with the frame (a clamp, a jig) is known
as a Body and taken off before the last two steps.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from kentrobar.core.numbers import Given, Number, nominal, number, value_of
from kentrobar.core.pieces.body import KGCM2

from .method import GRAVITY, Faults, Measurement, above_nought, no_negative_u, not_negative
from .timing import Timed


@dataclass(frozen=True, slots=True, kw_only=True)
class Jig:
    """What swings along: its mass, the place of its centre of mass on the frame's axis, and its inertia
    about its own centre of mass."""

    mass_g: Given
    balance_mm: Given
    inertia_kgcm2: Given = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pendulum(Timed):
    """Passes or a period of a frame of known mass and balance, hung ``pivot_mm`` from the butt."""

    mass_g: Given
    balance_mm: Given
    pivot_mm: Given
    axis_mm: float | None = None
    jig: Jig | None = None
    method: Literal["pendulum"] = "pendulum"

    def faults(self) -> Faults:
        yield from above_nought({"mass_g": self.mass_g, "balance_mm": self.balance_mm})
        yield from no_negative_u({"pivot_mm": self.pivot_mm})
        yield from not_negative({"axis_mm": self.axis_mm})
        if abs(value_of(self.pivot_mm) - value_of(self.balance_mm)) < 5:
            yield "pivot_mm", f"{value_of(self.pivot_mm):g} lies at the balance point: nothing swings there"
        if self.jig is not None:
            yield from _prefixed("jig", above_nought({"mass_g": self.jig.mass_g}))
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
    """The period in s of small swings: the formula turned round. ValueError where it would not swing."""
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
