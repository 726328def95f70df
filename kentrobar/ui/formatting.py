"""Sentences about one figure beside its box or vial."""

from __future__ import annotations

from kentrobar.core.errors import PlacementError, Refusal
from kentrobar.core.frame.targets import Level
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import fixed, length_text, the_reader
from kentrobar.core.words.amounts import Amount, change_of, mass_number


def change_text(name: str, now: float, was: float, outline: Outline, is_assumed: bool) -> str:
    """How far a figure is from what was read: `+4.2 from 318.1`."""
    if abs(now - was) < 1e-9:
        return "assumed, not read" if is_assumed else "as measured"
    old = Amount(name, was, length_mm=outline.length_mm).number()
    if is_assumed:
        old = f"an assumed {old}"
    if name == "balance_mm" and the_reader().balance == "%":
        return f"{fixed((now - was) / outline.length_mm * 100, 1, True)} from {old}"
    return f"{change_of(name, now - was).number()} from {old}"


def level_word(name: str, standing: Level) -> str:
    """Where a figure stands beside its target: `1.3 over`, `on target`."""
    if standing.is_level:
        return "on target"
    off, is_over = abs(standing.off), standing.off > 0
    if name == "balance_mm":
        return f"{length_text(off)} too {'far up' if is_over else 'far back'}"
    side = "over" if is_over else "under"
    if name == "mass_g":
        return f"{Amount(name, off).told()} {side}"
    return f"{fixed(off, FIGURES[name].places)} {side}"


def under(label: str, reason: str) -> str:
    """`mass: at most 5`, away from its box; a reason that begins with the label says it already."""
    return reason if reason.lower().startswith(label.lower()) else f"{label}: {reason}"


def refusal_text(name: str, reason: str) -> str:
    """Why a box is refused, its lengths and masses in the reader's unit."""
    if isinstance(reason, Refusal) and name.endswith("_mm"):
        return reason.said(length_text)
    if isinstance(reason, Refusal) and name.endswith("_g"):
        return reason.said(lambda grams: f"{mass_number(grams)} {the_reader().mass}")
    return reason


def placed_text(holds: str, error: PlacementError) -> str:
    """Why nothing can lie at a place that was typed into a box, by what the box ``holds``."""
    said = refusal_text("place_mm" if holds == "length" else holds, error.refusal)
    return said[0].upper() + said[1:]
