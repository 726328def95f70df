"""Plans side by side: what each has more of than the first, or less."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kentrobar.core.frame.predict import Prediction
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, READ, figure
from kentrobar.core.words.amounts import Amount, change_of

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


COMPARED = (*READ, "recoil_kgcm2")


def differences(boards: Sequence[Board]) -> list[Difference]:
    """A row for each figure, swing weights about the axis shown for each plan's kind of frame; of
    one nobody read, what the pieces change it by."""
    return [
        Difference(FIGURES[name].title, [_cell(name, boards[0], board) for board in boards])
        for name in COMPARED
    ]


def _cell(name: str, first: Board, board: Board) -> tuple[str, str]:
    value, added = _after(name, board)
    if board is first:
        return _told(name, board), ""
    then, then_added = _after(name, first)
    if value is not None and then is not None:
        return _told(name, board), change_of(name, value - then).told()
    if value is None and then is None:
        return _told(name, board), change_of(name, added - then_added).told()
    return _told(name, board), "–"


def _after(name: str, board: Board) -> tuple[float | None, float]:
    """(the figure after the plan, None where nobody read it before; what its pieces change it
    by)."""
    prediction = board.prediction
    after, before = (
        nominal(figure(name, body, board.axis)) for body in (prediction.after, prediction.before)
    )
    is_known = board.twist_known or name != "twist_kgcm2"
    return (after if is_known else None), after - before


def _told(name: str, board: Board) -> str:
    value, added = _after(name, board)
    if value is None:
        return f"not measured, {change_of(name, added).told()} by its pieces"
    told = Amount(name, value, length_mm=board.outline.length_mm).told()
    is_assumed = name in board.state.assumed or (name not in READ and board.state.assumed)
    return f"{told}, start assumed" if is_assumed else told
