"""A wish as customers put it: ``3 points more head-light, 10 % steadier``, ``as no. 07``, ``sweet
spot 1 cm up, no slower at the net``."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping

from kentrobar.core.errors import Unreadable
from kentrobar.core.quantities import FIGURES
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.recipes.player_words import STEP_TOL
from kentrobar.core.units import LENGTH, MASS, POINT_MM

Figures = Mapping[str, float]
_N = r"(?P<n>\d+(?:[.,]\d+)?)\s*"
_HEAD = r"(?P<more>more\s+|less\s+)?head[ -]?(?P<side>light|heavy)"
ADJECTIVES = {
    "steadier": ("twist_kgcm2", 1), "stabler": ("twist_kgcm2", 1),
    "more stable": ("twist_kgcm2", 1), "more forgiving": ("twist_kgcm2", 1),
    "heavier": ("mass_g", 1), "lighter": ("mass_g", -1),
    "quicker": ("swing_kgcm2", -1), "faster": ("swing_kgcm2", -1), "whippier": ("swing_kgcm2", -1),
    "heavier to swing": ("swing_kgcm2", 1), "more plow": ("swing_kgcm2", 1),
    "more power": ("swing_kgcm2", 1),
}  # fmt: skip
KEPT = {
    r"(?:no|not) slower.*|(?:just )?as (?:quick|fast).*": "swing_kgcm2",
    r"no heavier.*|(?:just )?as (?:heavy|light).*": "mass_g",
    r"(?:same|keep the) balance": "balance_mm",
}
NAMED = {
    "mass": "mass_g", "static weight": "mass_g", "balance": "balance_mm",
    "swing weight": "swing_kgcm2", "swing": "swing_kgcm2", "twist weight": "twist_kgcm2",
    "twist": "twist_kgcm2",
}  # fmt: skip
"""Figures by name, changed by a number in the core's unit: `swing weight +6`."""
EXAMPLES = "3 points more head-light, 10 % steadier, as no. 07, sweet spot 1 cm up, no slower"


def read_said(
    text: str,
    now: Figures,
    length_mm: float,
    axis_mm: float,
    named: Callable[[str], Figures | None],
) -> dict[str, Goal]:
    """Goals of what somebody said, clause by clause.

    Args:
        now: the figures as they are, by key, in g, mm and kg·cm² about ``axis_mm``; one nobody
            read is left out.
        named: the figures of a frame by its name or mark, None where there is no such frame.

    Raises:
        Unreadable: a clause is not understood, or two of them pull one figure two ways.
    """
    goals: dict[str, Goal] = {}
    clauses = [one.strip(" .") for one in re.split(r",(?!\d)|[;\n]|\s(?:and|but)\s", text)]
    for clause in filter(None, clauses):
        for figure, goal in _clause(clause, now, axis_mm, named).items():
            if goals.get(figure, goal) != goal:
                raise Unreadable(f"“{clause}” and what was said before it both say where the"
                                 f" {FIGURES[figure].label} should be: leave one out.")  # fmt: skip
            goals[figure] = goal
    if not goals:
        raise Unreadable(f"Say what is wanted: {EXAMPLES}.")
    return goals


def _clause(
    clause: str, now: Figures, axis_mm: float, named: Callable[[str], Figures | None]
) -> dict[str, Goal]:
    low = clause.lower()
    if found := re.fullmatch(rf"{_N}(?P<unit>points?|pts?|mm|cm|in)\.?\s+{_HEAD}", low):
        unit = found["unit"]
        by = _number(found) * (POINT_MM if unit[0] == "p" else LENGTH[unit])
        towards_tip = (found["side"] == "heavy") != ((found["more"] or "").strip() == "less")
        return {"balance_mm": _change("balance_mm", by if towards_tip else -by)}
    if found := re.fullmatch(rf"(?P<figure>{'|'.join(NAMED)})\s*(?P<sign>[+−-])\s*{_N}", low):
        figure = NAMED[found["figure"]]
        by = _number(found) * (1 if found["sign"] == "+" else -1)
        return {figure: _change(figure, by, axis_mm if figure == "swing_kgcm2" else None)}
    if found := re.fullmatch(rf"{_N}(?P<unit>%|g|oz)\s*(?P<how>[a-z ]+)", low):
        return _by_adjective(clause, found, now, axis_mm)
    if found := re.fullmatch(
        rf"sweet ?spot\s+{_N}(?P<unit>mm|cm|in)\s+(?P<way>up|higher|down|lower)", low
    ):
        by = _number(found) * LENGTH[found["unit"]]
        return _sweet_spot(by if found["way"] in ("up", "higher") else -by, now, axis_mm)
    found = re.fullmatch(r"(?:just )?(?:as|like) (?:my )?(?P<name>.+)", clause, re.IGNORECASE)
    if found and (figures := named(found["name"].strip())):
        return {
            name: Goal(value=round(value, 6), tol=FIGURES[name].tol,
                       axis_mm=axis_mm if name == "swing_kgcm2" else None)
            for name, value in figures.items()
            if name in now
        }  # fmt: skip
    for pattern, figure in KEPT.items():
        if re.fullmatch(pattern, low):
            axis = axis_mm if figure == "swing_kgcm2" else None
            return {figure: Goal(change=0.0, tol=STEP_TOL[figure], axis_mm=axis)}
    raise Unreadable(f"“{clause}” is not understood. Say it so: {EXAMPLES}.")


def _by_adjective(
    clause: str, found: re.Match[str], now: Figures, axis_mm: float
) -> dict[str, Goal]:
    how, unit, number = found["how"].strip(), found["unit"], _number(found)
    if how not in ADJECTIVES or (unit != "%" and ADJECTIVES[how][0] != "mass_g"):
        raise Unreadable(f"“{clause}” is not understood. Say it so: {EXAMPLES}.")
    figure, way = ADJECTIVES[how]
    if unit != "%":
        return {figure: _change(figure, way * number * MASS[unit])}
    if figure not in now:
        label = FIGURES[figure].label
        raise Unreadable(f"“{clause}”: of what? The {label} was not measured.")
    axis = axis_mm if figure == "swing_kgcm2" else None
    return {figure: _change(figure, way * number / 100 * now[figure], axis)}


def _sweet_spot(by_mm: float, now: Figures, axis_mm: float) -> dict[str, Goal]:
    """Where a hit does not jar the hand lies at I/(m·r) from the axis, r the balance's distance
    from it: moved by ``by_mm`` with mass and balance kept, I must change by m·r times that."""
    if not {"mass_g", "balance_mm"} <= now.keys():
        raise Unreadable("The sweet spot needs mass and balance read first.")
    inertia = now["mass_g"] * (now["balance_mm"] - axis_mm) * by_mm / 1e5
    return {
        "swing_kgcm2": _change("swing_kgcm2", inertia, axis_mm),
        "balance_mm": Goal(change=0.0, tol=STEP_TOL["balance_mm"]),
    }


def _change(figure: str, by: float, axis_mm: float | None = None) -> Goal:
    return Goal(change=round(by, 6), tol=FIGURES[figure].tol, axis_mm=axis_mm)


def _number(found: re.Match[str]) -> float:
    return float(found["n"].replace(",", "."))
