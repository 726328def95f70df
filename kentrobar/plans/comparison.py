"""Two plans side by side: what the second has more of, or less."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import figures, known
from kentrobar.ui.formatting import share_text

from .board import Board


@dataclass(frozen=True, slots=True)
class Difference:
    """One figure of two plans, and the second less the first."""

    label: str
    a: str
    b: str
    difference: str


def differences(a: Board, b: Board) -> list[Difference]:
    """A row for each figure, swing weights about the axis shown for each plan's kind of frame."""
    units = {"mass_g": a.shown.mass, "balance_mm": a.balance_unit}
    then = figures(a.prediction.after, a.axis, known(a.twist_known))
    now = figures(b.prediction.after, b.axis, known(b.twist_known))
    rows = []
    for one, two in zip(a.vials, b.vials, strict=True):
        first, second = then.get(one.name), now.get(one.name)
        if first is None or second is None:
            change = "–"
        else:
            change = share_text(one.name, nominal(second - first), a.shown)
            change += f" {units.get(one.name, 'kg·cm²')}"
        rows.append(
            Difference(one.label, f"{one.value} {one.unit}", f"{two.value} {two.unit}", change)
        )
    return rows
