"""What figures are usually read with, where nobody names an instrument: a row for each, with what
one reading of it leaves open."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kentrobar.core.quantities import FigureKey
from kentrobar.core.units import POINT_MM, Typed

from .sample import GUESSED_DOF, display_u, sample


@dataclass(frozen=True, slots=True)
class UsualInstrument:
    """``step`` is its last digit, ``scatter`` how much a single reading wanders, ``off`` one
    standard uncertainty of what all its readings are off by, never checked; in the figure's unit.
    The figures are our own guess, from instruments of hobby shops."""

    key: str
    label: str
    figure: FigureKey
    step: float
    scatter: float
    off: float

    def u_of(self, typed: Typed) -> float:
        """One standard uncertainty of a figure read with it, one reading or repeats; what was
        written with its ± says so itself."""
        if typed.u is not None:
            return typed.u
        values = typed.values or (typed.value,)
        step = max(self.step, typed.step)
        seen = sample(values, step, self.scatter, freedom=GUESSED_DOF)
        return math.hypot(seen.scatter_u, display_u(step), self.off)


USUAL = (
    UsualInstrument("scale-1", "kitchen scale, 1 g", "mass_g", 1.0, 0.2, 0.2),
    UsualInstrument("scale-0.1", "scale, 0.1 g", "mass_g", 0.1, 0.05, 0.2),
    UsualInstrument("scale-0.01", "fine scale, 0.01 g", "mass_g", 0.01, 0.02, 0.05),
    UsualInstrument("board-pt", "balance board, ½ pt", "balance_mm", POINT_MM / 2, 0.3, 0.5),
    UsualInstrument("board-mm", "balance board, 1 mm", "balance_mm", 1.0, 0.3, 0.5),
    UsualInstrument("ruler", "edge and ruler", "balance_mm", 1.0, 1.0, 0.3),
    UsualInstrument("machine-1", "machine, whole units", "swing_kgcm2", 1.0, 0.5, 0.5),
    UsualInstrument("machine-0.1", "machine, 0.1", "swing_kgcm2", 0.1, 0.5, 0.5),
    UsualInstrument("timed", "pendulum by hand", "swing_kgcm2", 0.1, 1.0, 0.5),
    UsualInstrument("twist-1", "machine, whole units", "twist_kgcm2", 1.0, 0.1, 0.1),
    UsualInstrument("twist-0.1", "machine, 0.1", "twist_kgcm2", 0.1, 0.1, 0.1),
    UsualInstrument("twist-timed", "two threads by hand", "twist_kgcm2", 0.01, 0.1, 0.1),
)
BY_KEY = {one.key: one for one in USUAL}
COMMON = {
    "mass_g": "scale-0.1", "balance_mm": "ruler", "swing_kgcm2": "machine-1",
    "twist_kgcm2": "twist-0.1",
}  # fmt: skip
"""What a figure is taken to be read with where the shop has not said."""
TOLD: dict[str, UsualInstrument] = {
    one.figure: one
    for one in (
        UsualInstrument("told-mass", "told by the customer", "mass_g", 0.1, 0.3, 1.0),
        UsualInstrument("told-balance", "told by the customer", "balance_mm", 1.0, 1.0, 1.5),
        UsualInstrument("told-swing", "told by the customer", "swing_kgcm2", 1.0, 0.5, 2.0),
        UsualInstrument("told-twist", "told by the customer", "twist_kgcm2", 0.1, 0.1, 0.3),
    )
}
"""Figures of another shop's instruments, or of a sheet."""


def choices(figure: str) -> list[tuple[str, str]]:
    """(key, label) of what a figure may usually be read with."""
    return [(one.key, one.label) for one in USUAL if one.figure == figure]


def instrument(figure: str, key: str = "") -> UsualInstrument:
    """What a figure is usually read with, by the shop's own choice if it made one."""
    return BY_KEY[key] if key in BY_KEY else BY_KEY[COMMON[figure]]
