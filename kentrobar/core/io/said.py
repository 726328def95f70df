"""A wish as customers put it: ``3 points more head-light, 10 % steadier``, ``as no. 07``, ``sweet
spot 1 cm up, no slower at the net``; or as the bench does: ``sw 330, keep balance``."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from kentrobar.core.errors import UnreadableError
from kentrobar.core.quantities import FIGURES
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.recipes.player_words import STEP_TOL
from kentrobar.core.units import LENGTH, MASS, POINT_MM

from .wishes import UNREAD, read_goal

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
    r"(?:no|not) heavier.*|(?:just )?as (?:heavy|light).*": "mass_g",
}
NAMED = {
    r"(?:static )?weight|mass": "mass_g", "balance": "balance_mm",
    r"swing ?weight|swing|sw": "swing_kgcm2", r"twist ?weight|twist|tw": "twist_kgcm2",
    r"recoil ?weight|recoil": "recoil_kgcm2",
}  # fmt: skip
"""Figures by name, which say where they should be as a box of the wish does: `sw 330 ± 1`."""
_NAME = "|".join(NAMED)
_NEXT = rf"(?i)(\d ?(?:g|oz|mm|cm|%)?)\s+(?=(?:{_NAME})\b[ :=]*[+−-]? ?\d)"
_KEEP = r"keep(?: the| its)?|(?:the )?same"
_BEFORE = r"(?:(?:please|about|around|make it|bring it to|i(?:’d|'d| would) like|i want) )+"
_AFTER = r"(?: please| about| or so)+"
FAR = 0.5
"""A figure is not asked to change by more than this part of itself."""
EXAMPLES = (
    "3 points more head-light, 10 % steadier, as no. 07, sweet spot 1 cm up, no slower, "
    "swing weight 330, keep balance"
)


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
        UnreadableError: a clause is not understood, or two of them pull one figure two ways.
    """
    goals: dict[str, Goal] = {}
    meant = _Meant(now, length_mm, axis_mm, named)
    for clause in _clauses(text):
        for figure, goal in _clause(clause, meant).items():
            if goals.get(figure, goal) != goal:
                raise UnreadableError(f"“{clause}” and what was said before it both say where the"
                                 f" {FIGURES[figure].label} should be: leave one out.")  # fmt: skip
            goals[figure] = goal
    if not goals:
        raise UnreadableError(f"Say what is wanted: {EXAMPLES}.")
    return goals


@dataclass(frozen=True, slots=True)
class _Meant:
    """What a clause is about."""

    now: Figures
    length_mm: float
    axis_mm: float
    named: Callable[[str], Figures | None]


def _clauses(text: str) -> list[str]:
    """What is said one after the other; `sw 330 twist 15` are two as well."""
    parts = re.split(r",(?!\d)|[;\n]|\s(?:and|but)\s", re.sub(_NEXT, r"\1;", text))
    parts = [re.sub(rf"(?i)^\s*{_BEFORE}|{_AFTER}[ .!]*$", "", one).strip(" .!") for one in parts]
    return [one for one in parts if one]


def _clause(clause: str, meant: _Meant) -> dict[str, Goal]:
    low, axis_mm = clause.lower(), meant.axis_mm
    if found := re.fullmatch(rf"{_N}(?P<unit>points?|pts?|mm|cm|in)\.?\s+{_HEAD}", low):
        unit = found["unit"]
        by = _number(found) * (POINT_MM if unit[0] == "p" else LENGTH[unit])
        towards_tip = (found["side"] == "heavy") != ((found["more"] or "").strip() == "less")
        return {"balance_mm": _change("balance_mm", by if towards_tip else -by)}
    if found := re.fullmatch(
        rf"(?:{_KEEP}) (?P<figure>{_NAME})|(?P<kept>{_NAME}):? (?:same|kept)", low
    ):
        return _kept(_figure(found["figure"] or found["kept"]), axis_mm)
    if goal := _of_a_figure(clause, meant):
        return goal
    if found := re.fullmatch(rf"{_N}(?P<unit>%|g|oz)\s*(?P<how>[a-z ]+)", low):
        return _by_adjective(clause, found, meant.now, axis_mm)
    if found := re.fullmatch(
        rf"sweet ?spot\s+{_N}(?P<unit>mm|cm|in)\s+(?P<way>up|higher|down|lower)", low
    ):
        by = _number(found) * LENGTH[found["unit"]]
        return _sweet_spot(by if found["way"] in ("up", "higher") else -by, meant.now, axis_mm)
    found = re.fullmatch(r"(?:just )?(?:as|like) (?:my )?(?P<name>.+)", clause, re.IGNORECASE)
    if found and (figures := meant.named(found["name"].strip())):
        return {
            name: Goal(value=round(value, 6), tol=FIGURES[name].tol,
                       axis_mm=axis_mm if name == "swing_kgcm2" else None)
            for name, value in figures.items()
            if name in meant.now
        }  # fmt: skip
    if re.fullmatch(rf"{_N}(?:points?|pts?)\.? (?:hl|hh)", low):
        raise UnreadableError(
            f"“{clause}”: say “balance {clause}” for where it should be, or “3 points more"
            " head-light” for a change."
        )
    for pattern, figure in KEPT.items():
        if re.fullmatch(pattern, low):
            return _kept(figure, axis_mm)
    raise UnreadableError(f"“{clause}” is not understood. Say it so: {EXAMPLES}.")


def _figure(name: str) -> str:
    return next(figure for names, figure in NAMED.items() if re.fullmatch(names, name))


def _kept(figure: str, axis_mm: float) -> dict[str, Goal]:
    axis = axis_mm if figure == "swing_kgcm2" else None
    return {figure: Goal(change=0.0, tol=STEP_TOL.get(figure, FIGURES[figure].tol), axis_mm=axis)}


def _of_a_figure(clause: str, meant: _Meant) -> dict[str, Goal] | None:
    """A figure by its name and what a box of the wish would hold, either first; grams alone are of
    the weight. None where it is none of these."""
    found = re.fullmatch(
        rf"(?i)(?P<figure>{_NAME})(?: to| of| =|=|:)? *(?P<box>[+\-−–±]? ?\d.*)"
        rf"|(?P<first>[+\-−–±]? ?\d.*?) *(?P<after>{_NAME})"
        r"|(?P<grams>[+\-−–]? ?\d+(?:[.,]\d+)? ?(?:g|oz))",
        clause,
    )
    if not found:
        return None
    name, box = found["figure"] or found["after"], found["box"] or found["first"] or found["grams"]
    if more := re.fullmatch(r"(?i)(\d.*?) (more|less)", box):
        box = ("+" if more[2].lower() == "more" else "−") + more[1]
    figure = _figure(name.lower()) if name else "mass_g"
    now = meant.now.get(figure)
    goal = read_goal(figure, box, meant.length_mm, meant.axis_mm, None, now)
    if goal.value is not None and figure == "twist_kgcm2" and now is None:
        raise UnreadableError(UNREAD)
    change = goal.change if goal.value is None else goal.value - (now or goal.value)
    if now and abs(change or 0.0) > FAR * now:
        raise UnreadableError(
            f"“{clause}” is far from what the {FIGURES[figure].label} is now,"
            f" {now:.{FIGURES[figure].places}f}: for a change, write + or − before it."
        )
    return {figure: goal}


def _by_adjective(
    clause: str, found: re.Match[str], now: Figures, axis_mm: float
) -> dict[str, Goal]:
    how, unit, number = found["how"].strip(), found["unit"], _number(found)
    if how not in ADJECTIVES or (unit != "%" and ADJECTIVES[how][0] != "mass_g"):
        raise UnreadableError(f"“{clause}” is not understood. Say it so: {EXAMPLES}.")
    figure, way = ADJECTIVES[how]
    if unit != "%":
        return {figure: _change(figure, way * number * MASS[unit])}
    if figure not in now:
        label = FIGURES[figure].label
        raise UnreadableError(f"“{clause}”: of what? The {label} was not measured.")
    axis = axis_mm if figure == "swing_kgcm2" else None
    return {figure: _change(figure, way * number / 100 * now[figure], axis)}


def _sweet_spot(by_mm: float, now: Figures, axis_mm: float) -> dict[str, Goal]:
    """Where a hit does not jar the hand lies at I/(m·r) from the axis, r the balance's distance
    from it: moved by ``by_mm`` with mass and balance kept, I must change by m·r times that."""
    if not {"mass_g", "balance_mm"} <= now.keys():
        raise UnreadableError("The sweet spot needs mass and balance read first.")
    inertia = now["mass_g"] * (now["balance_mm"] - axis_mm) * by_mm / 1e5
    return {
        "swing_kgcm2": _change("swing_kgcm2", inertia, axis_mm),
        "balance_mm": Goal(change=0.0, tol=STEP_TOL["balance_mm"]),
    }


def _change(figure: str, by: float, axis_mm: float | None = None) -> Goal:
    return Goal(change=round(by, 6), tol=FIGURES[figure].tol, axis_mm=axis_mm)


def _number(found: re.Match[str]) -> float:
    return float(found["n"].replace(",", "."))
