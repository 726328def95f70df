"""Plans side by side: what each has more of than the first, or less."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kentrobar.core.frame.predict import Prediction
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import figures, known
from kentrobar.core.words.amounts import change_of

from .board import Board
from .models import Plan

MOST_COMPARED = 6


@dataclass(frozen=True, slots=True)
class Compared:
    """What a slot of the page is about: the plans, and what each comes to."""

    plans: Sequence[Plan]
    predictions: Sequence[Prediction]


@dataclass(frozen=True, slots=True)
class Difference:
    """One figure of every plan: its value, and how far it is from the first plan's ('' there)."""

    label: str
    cells: list[tuple[str, str]]


def differences(boards: Sequence[Board]) -> list[Difference]:
    """A row for each figure, swing weights about the axis shown for each plan's kind of frame."""
    first = boards[0]
    found = [figures(one.prediction.after, one.axis, known(one.twist_known)) for one in boards]
    rows = []
    for i, vial in enumerate(first.vials):
        cells = []
        for board, values in zip(boards, found, strict=True):
            own = board.vials[i]
            told = ""
            if board is not first:
                both = vial.name in found[0] and vial.name in values
                by = nominal(values[vial.name] - found[0][vial.name]) if both else 0.0
                told = change_of(vial.name, by).told() if both else "–"
            cells.append((f"{own.value} {own.unit}", told))
        rows.append(Difference(vial.label, cells))
    return rows
