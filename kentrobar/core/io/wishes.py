"""A wish for one figure as people write it: ``326 ± 1``, ``+8``, ``keep``, ``322 ± 2 at 101.6
mm``."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from functools import partial

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import as_typed, fixed, marked, the_reader, trimmed
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import told, unit_of

from .clauses import as_box, by_adjective, of_a_side, slots_of

HIGHEST = 3000.0
UNREAD = "Twist weight was not measured: wish a change of it, +0.5, or measure it."


def read_goal(
    figure: str,
    text: str,
    length_mm: float,
    axis_mm: float,
    tol: float | None,
    now: float | None = None,
) -> Goal:
    """The goal somebody wrote.

    Args:
        axis_mm: what a swing weight is meant about where the text names no axis of its own.
        tol: the tolerance where the text names none (None: the usual one of this figure).
        now: the figure as it is, which `+10 %` is ten hundredths of; None where nobody read it.

    Raises:
        UnreadableError: with words for the person at the bench.
    """
    wish, axis = _axis(figure, text.strip(), length_mm, axis_mm)
    typed, is_change = _read(figure, wish, length_mm, now)
    own = axis if figure == "swing_kgcm2" else None
    held = typed.u if typed.u is not None else tol or FIGURES[figure].tol
    if not held > 0:
        raise UnreadableError("A tolerance is above 0: write ± 1.")
    if is_change:
        return Goal(change=round(typed.value, 6), tol=round(held, 6), axis_mm=own)
    highest = length_mm if figure == "balance_mm" else HIGHEST
    if not 0 < typed.value < highest:
        raise UnreadableError(f"{told(figure, typed.value)} cannot be reached by any frame.")
    return Goal(value=round(typed.value, 6), tol=round(held, 6), axis_mm=own)


def say_goal(figure: str, goal: Goal, axis_mm: float) -> str:
    """The goal as it would be typed again."""
    unit_here = unit_of(figure)
    factor, unit = unit_here.size, "" if figure.endswith("kgcm2") else unit_here.key
    places = FIGURES[figure].places + (1 if factor > 5 else 0)
    tol = f"± {trimmed(goal.tol / factor, places + 1)}"
    about = f"at {marked(f'{goal.axis_mm:g}')} mm" if goal.axis_mm not in (None, axis_mm) else ""
    unit = about or unit
    if goal.value is not None:
        return f"{as_typed(goal.value / factor, places)} {tol} {unit}".strip()
    change = (goal.change or 0.0) / factor
    # A change too small for the usual decimals is still a change, and is said with more of them.
    said = next(
        (text for more in range(3) if (text := fixed(change, places + more, True))[0] in "+−"),
        "keep",
    )
    return (
        f"{said.removesuffix(f'{the_reader().decimal_mark}0')} {tol} {unit}".strip()
        if said != "keep"
        else f"keep {tol} {about}".strip()
    )


def _axis(figure: str, text: str, length_mm: float, axis_mm: float) -> tuple[str, float]:
    """(the text without its axis, the axis in mm it is meant about)."""
    wish, at, axis = text.partition(" at ")
    if figure != "swing_kgcm2" or not at:
        return text, axis_mm
    return wish.strip(), units.read_axis(axis, length_mm=length_mm).value


def _read(figure: str, text: str, length_mm: float, now: float | None) -> tuple[Typed, bool]:
    """(what was typed, whether it is a change from as measured), written short or as one speaks."""
    try:
        return _short(figure, text, length_mm, now)
    except UnreadableError:
        if (found := _said(figure, text, length_mm, now)) is None:
            raise
        return found


def _short(figure: str, text: str, length_mm: float, now: float | None) -> tuple[Typed, bool]:
    """Of `326 ± 1`, `+8`, `−3 %`, `keep`."""
    readers: dict[str, Callable[[str], Typed]] = {
        "mass_g": partial(units.read_mass, default=the_reader().mass),
        "balance_mm": partial(
            units.read_balance, length_mm=length_mm, default=the_reader().balance_unit
        ),
    }
    reader = readers.get(figure, units.read_inertia)
    kept = re.fullmatch(
        r"(?:keep|same|as measured)\s*(?:(?:±|\+/-|\+-)\s*(\S+.*))?", text, re.IGNORECASE
    )
    if kept:
        tol = _tolerance(figure, kept[1]) if kept[1] else None
        return Typed(0.0, tol, "", text), True
    if re.match(r"[+\-−–±]", text):
        share = re.fullmatch(r"([+\-−–])\s*(\d+(?:[.,]\d+)?)\s*%\s*((?:±|\+/-|\+-).*)?", text)
        if share:
            return _by_share(figure, share, length_mm, now), True
        return _change(figure, text.lstrip("+")), True
    return reader(text), False


def _said(figure: str, text: str, length_mm: float, now: float | None) -> tuple[Typed, bool] | None:
    """A box of a figure written in as one speaks: `10 points more`, `no slower`, `add 10 grams`;
    None for what says nothing of it."""
    slots = slots_of(text)
    if len(slots) != 1 or slots[0].unknown:
        return None
    said = slots[0]
    about = said.figure or (said.adjective or (figure, 0))[0]
    if about != figure:
        return None
    if said.number is None and (said.stays or (said.is_not and said.adjective)):
        return Typed(0.0, None, "", text), True
    if said.side and (found := of_a_side(said, length_mm)):
        return Typed(found[0], None, "pt", text), found[1]
    if said.number is None or said.side or said.is_not or said.stays:
        return None
    box, _ = as_box(text, replace(by_adjective(text, said), figure=figure))
    return None if box == text else _short(figure, box, length_mm, now)


def _tolerance(figure: str, text: str) -> float:
    """A tolerance by itself: of a balance it is a length, whatever the balance is shown in."""
    if figure == "balance_mm":
        return units.read_length(text, the_reader().length).value
    return _change(figure, text).value


def _by_share(figure: str, share: re.Match[str], length_mm: float, now: float | None) -> Typed:
    """`+10 %` of a figure as it is; of a balance, hundredths of the length."""
    whole = length_mm if figure == "balance_mm" else now
    if whole is None:
        raise UnreadableError(
            f"{share[0].strip()} of what? It was not measured: write a value or +0.5."
        )
    change = float(share[2].replace(",", ".")) / 100 * whole * (1 if share[1] == "+" else -1)
    tol = _tolerance(figure, share[3].lstrip("±+/-− ")) if share[3] else None
    return Typed(change, tol, "%", share[0])


def _change(figure: str, text: str) -> Typed:
    """A difference of a figure; one of balance is a length, or points: `+3 pts` is three more
    head-light."""
    if figure == "mass_g":
        return units.read_mass(text, the_reader().mass)
    if figure == "balance_mm":
        points = _POINTS.fullmatch(text)
        if points or (the_reader().balance == "pt" and not re.search(r"[a-z]", text)):
            number = f"{points['number']} {points['tol'] or ''}" if points else text
            count = units.read_length(number, "mm")
            is_heavy = bool(points and (points["side"] or "").lower().startswith(("hh", "head-h")))
            u = None if count.u is None else count.u * units.POINT_MM
            change = count.value * units.POINT_MM * (1 if is_heavy else -1)
            return Typed(change, u, "pt", text)
        return units.read_length(text, the_reader().length)
    return units.read_inertia(text)


_POINTS = re.compile(
    r"(?P<number>.*?)\s*(?:pts?|points?|p)\.?\s*(?P<side>hl|hh|head-light|head-heavy)?"
    r"\s*(?P<tol>(?:±|\+/-|\+-).*)?",
    re.IGNORECASE,
)
