"""What figures are usually read with, where nobody names an instrument: a row for each, with what
one reading of it leaves open."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kentrobar.core.quantities import FigureKey
from kentrobar.core.units import POINT_MM


@dataclass(frozen=True, slots=True)
class UsualInstrument:
    """``step`` is its last digit, ``scatter`` how much a single reading wanders; in the figure's
    unit."""

    key: str
    label: str
    figure: FigureKey
    step: float
    scatter: float = 0.0

    @property
    def u(self) -> float:
        return math.hypot(self.step / math.sqrt(12), self.scatter)


USUAL = (
    UsualInstrument("scale-1", "kitchen scale, 1 g", "mass_g", 1.0),
    UsualInstrument("scale-0.1", "scale, 0.1 g", "mass_g", 0.1, 0.05),
    UsualInstrument("scale-0.01", "fine scale, 0.01 g", "mass_g", 0.01, 0.02),
    UsualInstrument("board-pt", "balance board, ½ pt", "balance_mm", POINT_MM / 2, 0.3),
    UsualInstrument("board-mm", "balance board, 1 mm", "balance_mm", 1.0, 0.3),
    UsualInstrument("ruler", "edge and ruler", "balance_mm", 1.0, 1.0),
    UsualInstrument("machine-1", "machine, whole units", "swing_kgcm2", 1.0, 0.3),
    UsualInstrument("machine-0.1", "machine, 0.1", "swing_kgcm2", 0.1, 0.3),
    UsualInstrument("timed", "pendulum by hand", "swing_kgcm2", 0.1, 1.0),
    UsualInstrument("twist-1", "machine, whole units", "twist_kgcm2", 1.0, 0.1),
    UsualInstrument("twist-0.1", "machine, 0.1", "twist_kgcm2", 0.1, 0.1),
    UsualInstrument("twist-timed", "two threads by hand", "twist_kgcm2", 0.01, 0.1),
)
BY_KEY = {one.key: one for one in USUAL}


def choices(figure: str) -> list[tuple[str, str]]:
    """(key, label) of what a figure may usually be read with."""
    return [(one.key, one.label) for one in USUAL if one.figure == figure]
