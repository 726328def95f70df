"""A wish as customers put it: ``3 points more head-light, 10 % steadier``, ``as no. 07``, ``sweet
spot 1 cm up, no slower at the net``; or as the bench does: ``sw 330, keep balance``."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from types import MappingProxyType

from kentrobar.core.errors import UnreadableError
from kentrobar.core.quantities import FIGURES
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.recipes.player_words import STEP_TOL
from kentrobar.core.units import LENGTH, POINT_MM

from .clauses import (
    EXAMPLES,
    Clause,
    as_box,
    by_adjective,
    clauses_of,
    not_understood,
    of_a_side,
    slots_of,
)
from .wishes import UNREAD, read_goal

Figures = Mapping[str, float]
FAR = 0.5
"""A figure is not asked to change by more than this part of itself."""
FEW_POINTS, NEAR_POINTS = 3.0, 5.0
"""So many points head-light may be where the balance should be or by how much it should change,
where it lies no farther from there."""
NAMED = re.compile(
    r"(?:just )?(?:make it )?(?:as|like|match|same as|wie) (?:my |the )?(?P<name>.+)", re.IGNORECASE
)
FEELINGS = {
    "power": "more power|no pop|mehr power", "dead": "dead|no feel|kein gefühl|tot",
    "old": "like my old|like the old|as my old|wie mein alter", "unlike": "unlike my other",
    "pops": "pops up|pop up|popping up|floats",
    "spin": "more spin|mehr spin",
    "forgiving": "more stable|more stability|more forgiving|mehr stabilität",
    "slow": "maneuverable|manoeuvrable|slow at the net|sluggish",
    "light": "bit light|too light|zu leicht", "twists": "twists|volleys twist",
    "arm": "arm hurts|sore arm|arm tut weh|elbow", "friendly": "on the arm|arm friendly",
    "whippy": "whippier", "depth": "no depth|land short", "hefty": "plow through|plough through",
}  # fmt: skip
"""By the key of a player's word (``recipes/player_words.py``), what it sounds like."""


class AskedError(UnreadableError):
    """A clause may mean two things, or is a feeling.

    Attributes:
        answers: the clause again, as each of them would be said. advice: keys of players' words
            that Advice knows first steps for.
    """

    def __init__(
        self, said: str, answers: tuple[str, ...] = (), advice: tuple[str, ...] = ()
    ) -> None:
        super().__init__(said)
        self.answers, self.advice = answers, advice


@dataclass(frozen=True, slots=True)
class _Meant:
    """What a clause is about."""

    now: Figures
    length_mm: float
    axis_mm: float
    named: Callable[[str], Figures | None]
    assumed: Figures


@dataclass(frozen=True, slots=True)
class Heard:
    """One clause as it was heard: what it wishes, or why not.

    Attributes:
        answers: the clause again, as each of two meanings would be said. advice: keys of players'
            words. sites: where something may go, by the keys of their places, as ``place`` names
            them. is_hidden: only where nobody sees it. assumed: figures nobody read that per cent
            were counted of.
    """

    clause: str
    goals: Mapping[str, Goal]
    why: str = ""
    answers: tuple[str, ...] = ()
    advice: tuple[str, ...] = ()
    sites: tuple[str, ...] = ()
    place: str = ""
    is_hidden: bool = False
    assumed: Mapping[str, float] = field(default_factory=dict)

    @property
    def is_taken(self) -> bool:
        """Whether it was understood and wishes something."""
        return not self.why and bool(self.goals or self.sites or self.is_hidden)


def hear(
    text: str,
    now: Figures,
    length_mm: float,
    axis_mm: float,
    named: Callable[[str], Figures | None],
    places: Callable[[str], Mapping[str, object]] | None = None,
    assumed: Figures = MappingProxyType({}),
) -> tuple[Heard, ...]:
    """What somebody said, clause by clause; nothing of it is passed over.

    Args:
        now: the figures as they are, by key, in g, mm and kg·cm² about ``axis_mm``; one nobody
            read is left out.
        named: the figures of a frame by its name or mark, None where there is no such frame.
        places: the sites a text names, by key, raising UnreadableError for what is no place; no
            places are heard where None. assumed: what is usual of figures nobody read, which per
            cent are counted of.
    """
    goals: dict[str, Goal] = {}
    meant = _Meant(now, length_mm, axis_mm, named, assumed)
    found: list[Heard] = []
    for clause in clauses_of(text):
        if places and (place := _place(clause, found, places)):
            found.append(place)
            continue
        try:
            wished = _clause(clause, meant)
        except AskedError as asked:
            found.append(Heard(clause, {}, str(asked), asked.answers, asked.advice))
            continue
        except UnreadableError as error:
            found.append(Heard(clause, {}, str(error)))
            continue
        against = next((f for f, goal in wished.items() if goals.get(f, goal) != goal), None)
        why = "" if against is None else (
            f"“{clause}” and what was said before it both say where the"
            f" {FIGURES[against].label} should be: leave one out."
        )  # fmt: skip
        goals |= {} if why else wished
        if wished:
            share = {f: assumed[f] for f in wished if f in assumed and "%" in clause}
            found.append(Heard(clause, {} if why else wished, why, assumed=share))
    return tuple(found)


HIDDEN = (
    "all hidden|hidden|hidden only|hidden places only|only hidden|out of sight|nothing visible"
    "|nobody should see it|invisible|unsichtbar|nichts sichtbares"
)
HANDLE_ONLY = (
    "nothing on the hoop|not on the hoop|keep the hoop clean|leave the hoop alone"
    "|no tape on the hoop|nothing on the face|only in the handle|handle only|just the handle"
    "|just in the handle|nur im griff"
)
ENDS = "polarized|polarised|polarisiert|polarize it|polarise it|tip and tail"
"""The school that puts mass at the two ends and none between."""


def _place(
    clause: str, before: list[Heard], places: Callable[[str], Mapping[str, object]]
) -> Heard | None:
    """A clause that says where something may go; None for one that says something else."""
    low = " ".join(re.sub(r"[’']", "", clause.lower()).split())
    if low in HIDDEN.split("|"):
        return Heard(clause, {}, is_hidden=True)
    if low in HANDLE_ONLY.split("|"):
        return Heard(clause, {}, sites=("handle", "cap", "under-grip"))
    if low in ENDS.split("|"):
        return Heard(clause, {}, sites=("tip", "handle"))
    if not re.search(r"[^\W\d_]|[&:]", low):
        return None  # a number by itself
    if before and before[-1].sites:
        # `21 inches up, inside` is one place, said in two.
        with suppress(UnreadableError):
            whole = f"{before[-1].clause}, {clause}"
            more = places(whole)
            if len(more) == len(before[-1].sites):
                before.pop()
                return Heard(whole, {}, sites=tuple(more), place=whole)
    text = re.sub(r"^(?:only|just|nur) ", "", clause)
    try:
        return Heard(clause, {}, sites=tuple(places(text)), place=text)
    except UnreadableError:
        return None


def _clause(clause: str, meant: _Meant) -> dict[str, Goal]:
    if (found := NAMED.fullmatch(clause)) and (figures := meant.named(found["name"].strip())):
        return {
            name: Goal(value=round(value, 6), tol=FIGURES[name].tol,
                       axis_mm=meant.axis_mm if name == "swing_kgcm2" else None)
            for name, value in figures.items()
            if name in meant.now
        }  # fmt: skip
    if not re.search(r"\d", clause) and (feeling := _feeling(clause)):
        raise AskedError(
            f"“{clause}” is a feeling: Advice has first steps for it.", advice=(feeling,)
        )
    goals: dict[str, Goal] = {}
    for slots in slots_of(clause):
        wished = _goals(clause, slots, meant)
        if against := next((f for f, goal in wished.items() if goals.get(f, goal) != goal), None):
            raise UnreadableError(f"“{clause}” says twice where the {FIGURES[against].label} is.")
        goals |= wished
    return goals


def _feeling(clause: str) -> str | None:
    low = clause.lower()
    return next(
        (key for key, words in FEELINGS.items() if any(word in low for word in words.split("|"))),
        None,
    )


def _goals(clause: str, said: Clause, meant: _Meant) -> dict[str, Goal]:
    """What one clause wishes. Raises UnreadableError."""
    if said.unknown:
        raise UnreadableError(not_understood(clause, said.unknown))
    if said.is_not and said.adjective and said.number is None:
        return _kept(said.adjective[0], meant.axis_mm)
    if said.stays and said.figure and said.number is None:
        return _kept(said.figure, meant.axis_mm)
    if said.is_not or said.stays:
        raise UnreadableError(not_understood(clause))
    if said.side:
        return _of_a_side(clause, said, meant)
    if said.number is None:
        if said.adjective or said.figure:
            raise UnreadableError(f"“{clause}”: by how much? Say it so: {EXAMPLES}.")
        raise UnreadableError(not_understood(clause))
    if said.figure == "sweet spot":
        if not said.way or said.unit not in LENGTH:
            raise UnreadableError(f"“{clause}”: how far, and which way? Sweet spot 1 cm up.")
        return _sweet_spot(said.way * said.number * LENGTH[said.unit], meant.now, meant.axis_mm)
    return _of_a_figure(clause, by_adjective(clause, said), meant)


def _of_a_side(clause: str, said: Clause, meant: _Meant) -> dict[str, Goal]:
    """Head-light and head-heavy, asked about where few points may be either."""
    found = of_a_side(said, meant.length_mm)
    if found is None:
        raise UnreadableError(not_understood(clause))
    mm, is_change = found
    if is_change:
        return {"balance_mm": _change("balance_mm", mm)}
    is_plain = not (said.is_to or said.is_by or said.figure or said.side == "even")
    now = meant.now.get("balance_mm")
    few = abs(mm - meant.length_mm / 2) <= FEW_POINTS * POINT_MM
    if is_plain and few and now and abs(mm - now) <= NEAR_POINTS * POINT_MM:
        side = "head-light" if said.side == "HL" else "head-heavy"
        much = f"{said.number:g} {said.unit if said.unit in LENGTH else 'points'}"
        raise AskedError(
            f"“{clause}”: is that where the balance should be, or by how much it should change?",
            (f"balance {much} {side}", f"{much} more {side}"),
        )
    return {"balance_mm": Goal(value=round(mm, 6), tol=FIGURES["balance_mm"].tol)}


def _of_a_figure(clause: str, said: Clause, meant: _Meant) -> dict[str, Goal]:
    """A figure and a number, as a box of the wish would hold them."""
    figure = said.figure
    if not figure or (said.unit == "pt" and figure == "mass_g"):
        raise UnreadableError(f"“{clause}”: of what? Say it so: {EXAMPLES}.")
    box, unit = as_box(clause, said)
    now = meant.now.get(figure)
    if now is None and unit == "%":
        now = meant.assumed.get(figure)
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


def _kept(figure: str, axis_mm: float) -> dict[str, Goal]:
    if figure not in FIGURES:
        raise UnreadableError(f"The {figure} is no figure of its own: keep the swing weight.")
    axis = axis_mm if figure == "swing_kgcm2" else None
    return {figure: Goal(change=0.0, tol=STEP_TOL.get(figure, FIGURES[figure].tol), axis_mm=axis)}


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
