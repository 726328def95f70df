"""Recipes: which candidates reach the targets, best first and really different from each other.

What comes first is settled first: misses in the order of the school, then how much a hand's errors
and the readings' uncertainty may undo, then grams, pieces, looks, price and poison as the workshop
weighs them. Few enough combinations are gone through (``join``); for more, HiGHS solves the
mixed-integer programme.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import plain_figures
from kentrobar.core.words import Message, message

from .brief import Brief, plain_body
from .candidates import Candidate, candidates_of
from .chance import Sureness, sureness
from .highs import best_in_turn, least_misses
from .join import TooMany, best_by_support
from .programme import Chosen, Programme, Stop, as_light

TIME_LIMIT_S = 20.0
BALANCE_SETTLES_MM = 0.3
NEARLY = 0.25
"""By how many tolerances more than the nearest a recipe may miss that is offered beside it."""


@dataclass(frozen=True, slots=True)
class Recipe:
    """One answer.

    Attributes:
        pieces: what is put on, and (negative) taken off. after: the frame with them.
        misses: value − target of every target. added_g: may be negative. cuts: strips to cut.
        price: of the material. gap: by how many grams' worth a better recipe of this kind might
            exist; 0 where none does. least_g: what the lightest that comes as near moves.
    """

    pieces: tuple[Piece, ...]
    after: Body
    misses: dict[str, float]
    added_g: float
    cuts: int
    price: float
    is_ok: bool
    gap: float
    sure: Sureness
    least_g: float

    @property
    def moved_g(self) -> float:
        """Grams put on and taken off, all counted."""
        return sum(abs(piece.mass_g) for piece in self.pieces)

    @property
    def is_proven(self) -> bool:
        return self.gap < 0.05


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a search has come."""

    step: Message | str
    recipes: tuple[Recipe, ...] = ()


Watch = Callable[[Progress], bool]
"""Told how far a search has come; gives back whether to go on."""


@dataclass(frozen=True, slots=True)
class SearchResult:
    """``status`` is ``ok`` where the first recipe meets every target, ``nearest`` where none can,
    and ``impossible`` where nothing may be put on at all. ``is_whole`` is false where the search
    was stopped."""

    status: str
    recipes: tuple[Recipe, ...]
    is_whole: bool = True


class Search:
    """A search with an end: a time limit, and a watch that may stop it."""

    def __init__(self, time_limit_s: float = TIME_LIMIT_S, watch: Watch | None = None) -> None:
        self.deadline = time.monotonic() + time_limit_s
        self.watch = watch
        self.recipes: list[Recipe] = []
        self.step = message("laying-out")

    def time_left(self) -> float:
        return self.deadline - time.monotonic()

    def say(self, code: str, **figures: object) -> None:
        self.step = message(code, **figures)
        self.check()

    def check(self) -> None:
        if self.time_left() <= 0:
            raise Stop
        if self.watch and not self.watch(Progress(self.step, tuple(self.recipes))):
            raise Stop


def find(brief: Brief, search: Search) -> SearchResult:
    """The best recipes for a brief, at most ``brief.recipes``. The same brief gives the same
    recipes."""
    base = plain_body(brief.measured)
    ways = candidates_of(brief)
    if not ways:
        nothing = recipe_of(brief, base, [], Chosen((), 0.0, 0.0))
        return SearchResult("ok" if nothing.is_ok else "impossible", (nothing,))
    wanted = brief.wanted()
    reference = wanted["balance_mm"].value if "balance_mm" in wanted else base.balance
    is_whole = True
    found: list[Recipe] = []
    for _ in range(4):
        search.recipes = found = []
        is_whole = _fill(brief, base, ways, reference, search)
        if not found or "recoil_kgcm2" not in wanted or "balance_mm" in wanted or not is_whole:
            break
        # A recoil weight without a balance to hold is linear about where the balance comes to lie.
        if abs(found[0].after.balance - reference) < BALANCE_SETTLES_MM:
            break
        reference = found[0].after.balance
    if not found:
        found.append(recipe_of(brief, base, [], Chosen((), math.inf, 0.0)))
        is_whole = False
    found = _surest_first(found, brief.weights.near)
    return SearchResult("ok" if found[0].is_ok else "nearest", tuple(found), is_whole)


def _lightest_first(found: list[Recipe], near_g: float) -> list[Recipe]:
    """Of recipes that all come about as near, the lightest first where it saves more than a hand
    would notice: what lies inside the noise does not buy grams."""
    first = found[0]
    light = min(found, key=lambda recipe: recipe.moved_g)
    if first.moved_g <= as_light(light.moved_g, near_g):
        return found
    return [light] + [recipe for recipe in found if recipe is not light]


def _surest_first(found: list[Recipe], near_g: float) -> list[Recipe]:
    """Of the recipes that reach it with about as many grams as the lightest, the likeliest to end
    inside stands first; the others follow as they came."""
    reaching = [recipe for recipe in found if recipe.is_ok]
    if not reaching:
        return _lightest_first(found, near_g)
    least = min(recipe.least_g for recipe in reaching)
    near = [one for one in reaching if one.moved_g <= as_light(least, near_g)]
    near.sort(key=lambda recipe: -round(recipe.sure.chance, 2))
    return near + [recipe for recipe in found if all(recipe is not one for one in near)]


def _fill(
    brief: Brief, base: Body, ways: list[Candidate], reference: float, search: Search
) -> bool:
    """Put the recipes found into the search; whether it came to its end."""
    try:
        programme = Programme(brief, base, ways, reference, search.check)
        search.say("looking-inside")
        limits = dict.fromkeys(programme.names, 0.0)
        for is_near in (False, True):
            if is_near:
                search.say("looking-nearest")
                limits = least_misses(programme, search.time_left)
            _gather(brief, base, programme, limits, search)
            if is_near and search.recipes:
                # The nearest may be bought dearly, a handle full of putty for a tenth of a unit:
                # what is
                # nearly as near and lighter stands beside it.
                search.say("looking-as-near")
                nearly = {name: limit + NEARLY if limit else 0.0 for name, limit in limits.items()}
                _gather(brief, base, programme, nearly, search)
            if search.recipes:
                return True
    except Stop:
        return False
    return True


def _gather(
    brief: Brief, base: Body, programme: Programme, limits: dict[str, float], search: Search
) -> None:
    """Add recipes within ``limits`` to those found already, as many as are asked for in all."""
    for chosen in different(programme, limits, brief.recipes, search):
        recipe = recipe_of(brief, base, programme.ways, chosen)
        if recipe not in search.recipes and len(search.recipes) < brief.recipes:
            search.recipes.append(recipe)
        search.check()


def different(
    p: Programme, limits: dict[str, float], count: int, search: Search
) -> Iterator[Chosen]:
    """The best within ``limits``, each of other sites or materials; not the same with more, if it
    can be."""
    try:
        ranked = best_by_support(p, limits)
    except TooMany:
        search.say("solving")
        for i, chosen in enumerate(best_in_turn(p, limits, search.time_left)):
            yield chosen
            if i + 1 >= count:
                return
        return
    supports: list[frozenset[tuple[int, int]]] = []
    for holds_none_shown in (True, False):
        for chosen in ranked:
            support = p.support(chosen.ways)
            if len(supports) >= count or support in supports:
                continue
            if holds_none_shown and any(other <= support for other in supports):
                continue
            supports.append(support)
            yield chosen
        if not supports or not supports[0]:
            return


def reaches(brief: Brief, search: Search) -> Recipe | None:
    """The best recipe inside every tolerance, or None where there is none."""
    found = _first(replace(brief, recipes=1), search)
    return found if found and found.is_ok else None


def _first(brief: Brief, search: Search) -> Recipe | None:
    base, ways = plain_body(brief.measured), candidates_of(brief)
    wanted = brief.wanted()
    reference = wanted["balance_mm"].value if "balance_mm" in wanted else base.balance
    programme = Programme(brief, base, ways, reference, search.check)
    for chosen in different(programme, dict.fromkeys(programme.names, 0.0), 1, search):
        return recipe_of(brief, base, ways, chosen)
    return None


def recipe_of(brief: Brief, base: Body, ways: Sequence[Candidate], found: Chosen) -> Recipe:
    chosen = [ways[i] for i in found.ways]
    after = sum((way.body for way in chosen), base)
    wanted, axis = brief.wanted(), brief.measured.axis_mm
    misses = {
        name: plain_figures(after, goal.about(axis))[name] - goal.value
        for name, goal in wanted.items()
    }
    return Recipe(
        pieces=tuple(piece for way in chosen for piece in way.pieces),
        after=after,
        misses=misses,
        added_g=after.mass - base.mass,
        cuts=sum(way.cuts for way in chosen),
        price=sum(way.price for way in chosen),
        is_ok=all(abs(misses[name]) <= goal.tol + 1e-9 for name, goal in wanted.items()),
        gap=found.gap,
        sure=sureness(brief, after, chosen),
        least_g=found.least_g,
    )
