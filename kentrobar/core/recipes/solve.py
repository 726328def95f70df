"""Recipes: which candidates reach the targets, best first and really different from each other.

What comes first is settled first: misses in the order of the school, then how much a hand's errors
and the readings' uncertainty may undo, then grams, pieces, looks, price and poison as the workshop
weighs them. Few enough combinations are gone through (``join``); for more, HiGHS solves the
mixed-integer programme.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import plain_figures
from kentrobar.core.words import Message, message

from .brief import Brief, plain_body
from .candidates import Candidate, candidates_of
from .chance import Sureness, sureness
from .even import evened
from .highs import best_in_turn, least_misses
from .join import TooManyStatesError, best_by_support
from .programme import NEAR_SHARE, Chosen, Programme, SearchStoppedError, as_light

NODES = 2_000
"""Most branch-and-bound nodes of a mixed-integer programme: a second or two."""
BALANCE_SETTLES_MM = 0.3
LIKELY = 0.6
"""A recipe that ends inside less often is a gamble, however light."""
SURER = 0.1
"""Gain in success probability that is worth a card of its own, and more grams."""
LIGHTER_G = 0.2
"""Grams saved that are worth a card of its own."""
IDEAS = 3
"""Cards that are each another idea; whoever asks for more gets what comes next as well."""
NEARLY = 0.25
"""Miss, in tolerances beyond that of the nearest recipe, up to which a recipe may rank before
it."""


@dataclass(frozen=True, slots=True)
class Recipe:
    """One answer.

    Attributes:
        pieces: what is put on, and (negative) taken off. after: the frame with them.
        misses: value − target of every target. added_g: may be negative. cuts: strips to cut.
        price: of the material. least_g: what the lightest found that comes as near moves; gap: by
            how many grams another might be lighter than that, 0 where none is.
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
    so_far: object = None
    """What a search of more than recipes has found already."""


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
    """A search with an end: its work is counted, so that its answer is the same however busy the
    machine is; and a watch may stop it. Without ``nodes`` nothing lighter is looked for than what
    exchanges find."""

    def __init__(self, watch: Watch | None = None, nodes: int = NODES) -> None:
        self.watch, self.nodes = watch, nodes
        self.recipes: list[Recipe] = []
        self.so_far: object = None
        self.step = message("laying-out")

    def say(self, code: str, **figures: object) -> None:
        self.step = message(code, **figures)
        self.check()

    def check(self) -> None:
        if self.watch and not self.watch(Progress(self.step, tuple(self.recipes), self.so_far)):
            raise SearchStoppedError


def find(brief: Brief, search: Search) -> SearchResult:
    """The best recipes for a brief, at most ``brief.recipes``, with no more cuts than a hand likes
    to make where that can be. The same brief gives the same recipes."""
    if brief.weights.most_cuts:
        for asked in (brief, any_cuts(brief)):
            inside = _find(asked, search, is_nearest_too=False)
            if inside.status == "ok":
                return inside
    return _find(brief, search)


def any_cuts(brief: Brief) -> Brief:
    """The same with any number of strips to cut."""
    return replace(brief, weights=replace(brief.weights, most_cuts=0))


def _find(brief: Brief, search: Search, is_nearest_too: bool = True) -> SearchResult:
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
        is_whole = _fill(brief, base, ways, reference, search, is_nearest_too)
        if not found or "recoil_kgcm2" not in wanted or "balance_mm" in wanted or not is_whole:
            break
        # A recoil weight without a balance to hold is linear about where the balance comes to lie.
        if abs(found[0].after.balance - reference) < BALANCE_SETTLES_MM:
            break
        reference = found[0].after.balance
    if not found:
        found.append(recipe_of(brief, base, [], Chosen((), math.inf, 0.0)))
        is_whole = False
    found = _cards(found, brief.recipes, brief.weights.near)
    return SearchResult("ok" if found[0].is_ok else "nearest", tuple(found), is_whole)


def _cards(found: list[Recipe], count: int, near_g: float) -> list[Recipe]:
    """The first, and beside it what is another idea: the lightest of all, fewer places, the surest.
    None weighs more than the first unless it is surer. More than ``IDEAS`` are filled up with the
    others, the likely ones and the lighter before."""
    reaching = [recipe for recipe in found if recipe.is_ok]
    if not reaching:
        return found[:count]
    likely = [one for one in reaching if one.sure.chance >= LIKELY] or reaching
    light = as_light(min(one.moved_g for one in likely), near_g)
    first = max(
        (one for one in likely if one.moved_g <= light),
        # Of those as sure the simpler: a gram saved is not worth a third strip.
        key=lambda one: (round(one.sure.chance, 2), -len(one.pieces), -one.moved_g),
    )
    lightest = min(reaching, key=lambda one: (one.moved_g, -one.sure.chance))
    fewest = min(likely, key=lambda one: (len(one.pieces), one.moved_g))
    surest = max(reaching, key=lambda one: (round(one.sure.chance, 2), -one.moved_g))
    cards = [first]
    for card, is_another in (
        (lightest, lightest.moved_g < first.moved_g - LIGHTER_G),
        (fewest, len(fewest.pieces) < len(first.pieces)),
        (surest, surest.sure.chance >= first.sure.chance + SURER),
    ):
        is_paid = card.moved_g <= first.moved_g + LIGHTER_G or (
            card.sure.chance >= first.sure.chance + SURER
        )
        if is_another and is_paid and all(card is not one for one in cards):
            cards.append(card)
    if count > IDEAS:
        rest = sorted(found, key=lambda one: (one not in likely, one.moved_g))
        cards += [one for one in rest if not any(_is_no_better(one, card) for card in cards)]
    return cards[:count]


def _is_no_better(one: Recipe, other: Recipe) -> bool:
    """Whether a recipe is another one over again: the same sites and materials, hardly lighter and
    hardly surer."""
    same = _laid(one) == _laid(other)
    lighter = one.moved_g < other.moved_g * (1 - NEAR_SHARE)
    return same and not lighter and one.sure.chance < other.sure.chance + SURER


def _laid(recipe: Recipe) -> frozenset[tuple[str | None, str | None]]:
    return frozenset((piece.site, piece.material) for piece in recipe.pieces)


def _fill(
    brief: Brief,
    base: Body,
    ways: list[Candidate],
    reference: float,
    search: Search,
    is_nearest_too: bool,
) -> bool:
    """Put the recipes found into the search, those that come nearest where none comes inside;
    whether it came to its end."""
    try:
        programme = Programme(brief, base, ways, reference, search.check)
        search.say("looking-inside")
        _gather(brief, base, programme, dict.fromkeys(programme.names, 0.0), search)
        if search.recipes or not is_nearest_too:
            return True
        # The very nearest may be bought dearly, a handle full of putty for a tenth of a unit: what
        # is as near but for what lies inside the noise, and nearer in the rest, stands first.
        for code, slack in (("looking-nearest", NEARLY), ("looking-as-near", 0.0)):
            search.say(code)
            limits = least_misses(programme, search.nodes, slack)
            _gather(brief, base, programme, limits, search)
    except SearchStoppedError:
        return False
    return True


def _gather(
    brief: Brief, base: Body, programme: Programme, limits: dict[str, float], search: Search
) -> None:
    """Add recipes within ``limits`` to those found already, as many as are asked for in all."""
    for found in different(programme, limits, brief.recipes, search):
        chosen = replace(found, ways=evened(programme, found.ways, limits))
        recipe = recipe_of(brief, base, programme.ways, chosen)
        same = [i for i, one in enumerate(search.recipes) if one.pieces == recipe.pieces]
        if not same:
            search.recipes.append(recipe)
        for i in same:
            # The same, known to be nearer to the lightest than when it was found.
            search.recipes[i] = min(recipe, search.recipes[i], key=lambda one: one.gap)
        search.check()


def different(
    p: Programme, limits: dict[str, float], count: int, search: Search
) -> Iterator[Chosen]:
    """The best within ``limits`` of those as light as the lightest, then of all, ``count`` of
    either, each of other sites or materials."""
    try:
        light, every, lightest = best_by_support(p, limits)
    except TooManyStatesError:
        search.say("solving")
        yield from best_in_turn(p, limits, count, search.nodes)
        return
    yield from _unlike(p, light, count)
    yield from _unlike(p, every, count)
    yield from lightest


def _unlike(p: Programme, ranked: list[Chosen], count: int) -> Iterator[Chosen]:
    """Up to ``count`` of them, none the same as another with more if it can be."""
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
    """The best recipe inside every tolerance, with more cuts than a hand likes where it takes them;
    None where there is none."""
    for asked in (brief, any_cuts(brief)) if brief.weights.most_cuts else (brief,):
        found = _first(replace(asked, recipes=1), search)
        if found and found.is_ok:
            return found
    return None


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
