"""What somebody said of a frame, clause by clause, as chips: what was said, what is wished."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.said import Heard, hear
from kentrobar.core.io.wishes import say_goal
from kentrobar.core.quantities import FIGURES, NEEDED, READ, plain_figures
from kentrobar.core.reader import the_reader
from kentrobar.core.recipes.brief import Goal, Site, plain_body
from kentrobar.core.words.amounts import Amount
from kentrobar.frames.models import Frame

from . import likeness
from .asked import Asked, Base
from .limited import Limited
from .places import as_said

LONGEST_SAID = 200


@dataclass(frozen=True, slots=True)
class Chip:
    """One clause as a page shows it.

    Attributes:
        clause: as it was said. wishes: what is wished, '' for what is not understood; ``why`` then.
        answers: (the clause as each of two meanings would be said, the whole text with it). advice:
            keys of players' words. rest: the text without it.
    """

    clause: str
    wishes: str
    why: str
    answers: list[tuple[str, str]]
    advice: tuple[str, ...]
    rest: str

    @property
    def short(self) -> str:
        """Why it is asked about, without the examples."""
        return self.why.partition(" Say it so")[0]


def heard_of(frame: Frame, base: Base, text: str) -> tuple[Heard, ...]:
    """What somebody said about this frame, clause by clause."""
    axis = the_reader().axis_mm(frame.kind)
    access = Limited.of(frame).access(base.state.condition)

    def named(name: str) -> dict[str, float] | None:
        return likeness.figures_of_named(name, frame, base.state.condition, axis)

    def places(said: str) -> Mapping[str, Site]:
        return as_said(said, frame.outline(), access)

    return _heard(text, frame.outline(), base.measured, named, places)


def heard_of_any(outline: Outline, text: str) -> tuple[Heard, ...]:
    """What somebody said of a frame of which nothing is known yet but its shape."""
    usual = typical(outline, {}, the_reader().axis_mm(outline.kind))

    def places(said: str) -> Mapping[str, Site]:
        return as_said(said, outline)

    return _heard(text, outline, usual, lambda name: None, places)


def _heard(
    text: str, outline: Outline, measured: Measured, named: Any, places: Any
) -> tuple[Heard, ...]:
    axis = the_reader().axis_mm(outline.kind)
    names = READ if measured.twist_kgcm2 is not None else NEEDED
    now = plain_figures(plain_body(measured), axis, names)
    known = {name: getattr(measured, name) for name in names if name != "swing_kgcm2"}
    usual = plain_figures(plain_body(typical(outline, known, axis)), axis, READ)
    assumed = {name: usual[name] for name in READ if name not in now or name in measured.assumed}
    return hear(text, now, outline.length_mm, axis, named, places, assumed)


def chips(heard: Sequence[Heard], outline: Outline, sites: Mapping[str, Site]) -> list[Chip]:
    """What was heard, as a page shows it."""
    clauses = [one.clause for one in heard]
    found = []
    for i, one in enumerate(heard):
        others = [*clauses[:i], *clauses[i + 1 :]]
        answers = [
            (said, ", ".join([*clauses[:i], said, *clauses[i + 1 :]])) for said in one.answers
        ]
        wishes = "" if one.why else _wishes(one, outline, sites)
        found.append(Chip(one.clause, wishes, one.why, answers, one.advice, ", ".join(others)))
    return found


def _wishes(one: Heard, outline: Outline, sites: Mapping[str, Site]) -> str:
    """`swing weight kept`, `only Shoulders, Inside the handle`."""
    axis = the_reader().axis_mm(outline.kind)
    wished = []
    for name, goal in one.goals.items():
        text = "kept" if goal.change == 0 else say_goal(name, goal, axis)
        if name == "balance_mm" and goal.change != 0 and the_reader().balance != "length":
            by = goal.change is not None
            amount = goal.change if goal.value is None else goal.value
            text = Amount(name, amount or 0.0, length_mm=outline.length_mm, is_change=by).told()
        if share := one.assumed.get(name):
            text += f", of an assumed {Amount(name, share).told()}"
        wished.append(f"{FIGURES[name].label} {text}")
    if one.sites:
        names = (sites[key].name for key in one.sites if key in sites)
        wished.append(f"at {', '.join(names)}")
    if one.is_hidden:
        wished.append("hidden places only")
    return "; ".join(wished)


def goals_of(heard: Sequence[Heard]) -> dict[str, Goal]:
    return {figure: goal for one in heard for figure, goal in one.goals.items()}


def stands(one: Heard, asked: Asked) -> bool:
    """Whether what a clause wished is wished still, not changed since in a box."""
    return all(asked.goals.get(name) == goal for name, goal in one.goals.items()) and (
        set(one.sites) <= set(asked.sites)
    )


def without(asked: Asked, heard: Sequence[Heard]) -> Asked:
    """A wish without what a sentence wished, as far as that still stands."""
    said = goals_of(heard)
    goals = {name: goal for name, goal in asked.goals.items() if said.get(name) != goal}
    return replace(asked, goals=goals, said="")


def with_it(asked: Asked, heard: Sequence[Heard], text: str) -> Asked:
    """A wish with what a sentence wishes."""
    sites = tuple(dict.fromkeys(key for one in heard for key in one.sites))
    places = (one.place for one in heard if one.place)
    return replace(
        asked, goals={**asked.goals, **goals_of(heard)}, sites=sites or asked.sites, said=text,
        places=tuple(dict.fromkeys((*asked.places, *places))),
    )  # fmt: skip
