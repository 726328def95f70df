"""Figures, changes and uncertainties as texts, in the units a reader has chosen."""

from __future__ import annotations

from kentrobar.core.errors import PlacementError, Refusal
from kentrobar.core.frame.targets import Level
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.quantities import FIGURES
from kentrobar.core.units import (
    LENGTH,
    MASS,
    POINT_MM,
    Shown,
    digits,
    fixed,
    show_length,
    show_mass,
    show_percent,
    show_points,
)


def figure_text(name: str, value: float, shown: Shown, outline: Outline) -> tuple[str, str]:
    if name == "mass_g":
        return show_mass(value, shown.mass), shown.mass
    if name == "balance_mm":
        if shown.balance == "pt":
            words = show_points(value, outline.length_mm)
            number, _, rest = words.partition(" ")
            return number, rest or "balance"
        if shown.balance == "%":
            return show_percent(value, outline.length_mm).split(" ")[0], "% of length"
        return show_length(value, shown.length), shown.length
    return fixed(value, FIGURES[name].places), "kg·cm²"


def share_text(name: str, value: float, shown: Shown) -> str:
    """A signed change in the unit of its column."""
    if name == "mass_g":
        return fixed(value / MASS[shown.mass], 3 if shown.mass == "oz" else 2, True)
    if name == "balance_mm":
        if shown.balance == "pt":
            # Fewer millimetres are more points head-light.
            return fixed(-value / POINT_MM, 2, True)
        return fixed(value / LENGTH[shown.length], {"mm": 1, "cm": 2, "in": 3}[shown.length], True)
    return fixed(value, 2, True)


def share_unit(name: str, shown: Shown) -> str:
    """What changes of a figure are told in: % of length serves a balance, not a change of one."""
    if name == "mass_g":
        return shown.mass
    if name == "balance_mm":
        return "pt" if shown.balance == "pt" else shown.length
    return FIGURES[name].unit


def grams_text(grams: float, shown: Shown) -> str:
    """What a piece weighs, as finely as its row in a table; with its sign where it comes off."""
    return share_text("mass_g", grams, shown).lstrip("+")


def tolerance_text(name: str, tol: float, shown: Shown) -> str:
    """A tolerance in the unit its figure is shown in, no finer than it is and no coarser than it
    was written."""
    text = share_text(name, abs(tol), shown).lstrip("+−")
    if name == "balance_mm" and shown.balance != "pt":
        text = fixed(abs(tol) / LENGTH[shown.length], {"mm": 2, "cm": 3, "in": 3}[shown.length])
    return text.rstrip("0").rstrip(".") if "." in text else text


def change_text(
    name: str, now: float, was: float, shown: Shown, outline: Outline, is_assumed: bool
) -> str:
    if abs(now - was) < 1e-9:
        return "assumed, not read" if is_assumed else "as measured"
    old, _ = figure_text(name, was, shown, outline)
    if is_assumed:
        old = f"an assumed {old}"
    if name == "balance_mm" and shown.balance == "%":
        return f"{fixed((now - was) / outline.length_mm * 100, 1, True)} from {old}"
    return f"{share_text(name, now - was, shown)} from {old}"


def u_text(name: str, u: float, shown: Shown, outline: Outline) -> str:
    """One standard uncertainty in the unit its figure is shown in, '' where it is below the last
    digit of that."""
    if name == "mass_g":
        u, least = u / MASS[shown.mass], 0.005 if shown.mass == "oz" else 0.05
    elif name == "balance_mm":
        whole = {"pt": POINT_MM, "%": outline.length_mm / 100}
        u /= whole.get(shown.balance, LENGTH[shown.length])
        least = 0.05 if shown.balance_unit in ("mm", "pt", "%") else 0.005
    else:
        least = 0.005 if name == "twist_kgcm2" else 0.05
    return digits(u) if u >= least else ""


def level_word(name: str, standing: Level, shown: Shown) -> str:
    if standing.is_level:
        return "on target"
    if name == "balance_mm":
        amount = f"{show_length(abs(standing.off), shown.length)} {shown.length}"
        return f"{amount} too {'far up' if standing.off > 0 else 'far back'}"
    if name == "mass_g":
        return f"{show_mass(abs(standing.off), shown.mass)} {shown.mass} {_side(standing)}"
    return f"{fixed(abs(standing.off), 2 if name == 'twist_kgcm2' else 1)} {_side(standing)}"


def _side(standing: Level) -> str:
    return "over" if standing.off > 0 else "under"


def under(label: str, reason: str) -> str:
    """`mass: at most 5`, away from its box; a reason that begins with the label says it already."""
    return reason if reason.lower().startswith(label.lower()) else f"{label}: {reason}"


def refusal_text(name: str, reason: str, shown: Shown) -> str:
    """Why a box is refused, its lengths and masses in the reader's unit."""
    if isinstance(reason, Refusal) and name.endswith("_mm"):
        return reason.said(lambda mm: f"{show_length(mm, shown.length)} {shown.length}")
    if isinstance(reason, Refusal) and name.endswith("_g"):
        return reason.said(lambda g: f"{show_mass(g, shown.mass)} {shown.mass}")
    return reason


def placed_text(holds: str, error: PlacementError, shown: Shown) -> str:
    """Why nothing can lie at a place that was typed into a box, by what the box ``holds``."""
    name = "place_mm" if holds == "length" else holds
    said = refusal_text(name, error.refusal, shown)
    return said[0].upper() + said[1:]


def length_text(mm: float, shown: Shown) -> str:
    """A length with the reader's unit."""
    return f"{show_length(mm, shown.length)} {shown.length}"


def mass_text(grams: float, shown: Shown) -> str:
    """A small mass with the reader's unit, as fine as a bench scale tells it."""
    places = 3 if shown.mass == "oz" else 2
    return f"{fixed(grams / MASS[shown.mass], places)} {shown.mass}"
