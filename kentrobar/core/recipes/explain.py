"""Why a wish cannot be reached, what is nearest, and what would open it, tried out on this very
frame."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from kentrobar.core.words import Message, message

from .brief import Brief, Goals, PartSite, plain_body
from .candidates import candidates_of
from .highs import least_of_one
from .programme import Programme, SearchStoppedError
from .solve import Recipe, Search, SearchResult, Watch, find, reaches


@dataclass(frozen=True, slots=True)
class Block:
    """A target that is missed: by how much (value − target), and how far beyond its tolerance."""

    figure: str
    miss: float
    beyond: float


@dataclass(frozen=True, slots=True)
class Opening:
    """Something that makes the wish reachable, tried: ``tolerance``, ``limit``, ``target``,
    ``site``, ``material``, ``part``, ``last-resort``, ``together``.

    Attributes:
        name: the figure to widen, the frame to chase, or the spare sites and materials to bring in.
        to: the tolerance or limit that opens it. recipe: the best there is then.
    """

    kind: str
    message: Message
    name: str
    to: float | None = None
    recipe: Recipe | None = None

    @property
    def text(self) -> str:
        return str(self.message)


@dataclass(frozen=True, slots=True)
class Answer:
    """``status`` as ``Found``. ``why`` says which target blocks, and by how much; ``is_undecided``
    where it was stopped before it was known that none is reached."""

    status: str
    recipes: tuple[Recipe, ...]
    why: Message
    blocks: tuple[Block, ...] = ()
    openings: tuple[Opening, ...] = ()
    is_whole: bool = True
    is_undecided: bool = False


def solve(brief: Brief, watch: Watch | None = None) -> Answer:
    """The best recipes for a brief, and where none reaches it, why and what would open it.

    The same brief gives the same answer, unless the watch stops it: then the best so far is given,
    each recipe with its proven gap.
    """
    search = Search(watch)
    found = find(brief, search)
    blocks = _blocks(brief, found)
    if found.status == "ok":
        return Answer("ok", found.recipes, message("reached"), is_whole=found.is_whole)
    openings: list[Opening] = []
    is_whole = found.is_whole
    try:
        for opening in openings_of(brief, search) if is_whole else ():
            openings.append(opening)
    except SearchStoppedError:
        is_whole = False
    if found.status == "impossible":
        why = message("no-site")
    elif found.is_whole:
        why = message("missed", blocks=[(b.figure, b.miss, b.beyond) for b in blocks])
    elif found.recipes[0].pieces:
        why = message("missed-so-far", blocks=[(b.figure, b.miss, b.beyond) for b in blocks])
    else:
        why = message("stopped-early")
    return Answer(
        found.status, found.recipes, why, blocks, tuple(openings), is_whole,
        is_undecided=not found.is_whole,
    )  # fmt: skip


def _blocks(brief: Brief, found: SearchResult) -> tuple[Block, ...]:
    nearest = found.recipes[0]
    blocks = (
        Block(name, nearest.misses[name], abs(nearest.misses[name]) - goal.tol)
        for name, goal in brief.wanted().items()
    )
    return tuple(block for block in blocks if block.beyond > 1e-9)


def openings_of(brief: Brief, search: Search) -> Iterator[Opening]:
    """Everything that alone would make the wish reachable, tried. Raises SearchStoppedError."""
    search.say("opening")
    yield from _wider(brief, search)
    if brief.max_added_g is not None:
        recipe = reaches(replace(brief, max_added_g=None), search)
        if recipe:
            to = math.ceil(recipe.added_g * 10) / 10
            yield Opening("limit", message("open-limit", to=to), "max_added_g", to, recipe)
    for name, goals in brief.spare_targets.items():
        search.check()
        recipe = reaches(replace(brief, targets=goals), search)
        if recipe:
            yield _opening("target", name, recipe)
    yielded = False
    tried: list[Brief] = []
    for kind, name, opened in _spares(brief):
        search.check()
        recipe = reaches(opened, search)
        if kind != "last-resort":
            tried.append(opened)
        if recipe is None:
            continue
        if kind == "last-resort" and yielded:
            return  # the rim stays whole where anything else will do
        yielded = True
        yield _opening(kind, name, recipe)
    if not yielded and len(tried) > 1:
        gentle = tuple(site for site in brief.spare_sites if not is_last_resort(site))
        every = replace(
            brief, sites=brief.sites + gentle, materials=brief.materials + brief.spare_materials
        )
        recipe = reaches(every, search)
        if recipe:
            used = {piece.site for piece in recipe.pieces} | {
                piece.material for piece in recipe.pieces
            }
            spares = [one.name for one in (*gentle, *brief.spare_materials) if one.name in used]
            yield _opening("together", "; ".join(spares), recipe)


def _wider(brief: Brief, search: Search) -> Iterator[Opening]:
    """For each target alone: the tolerance that would do, were the others kept."""
    base, ways = plain_body(brief.measured), candidates_of(brief)
    if not ways:
        return
    for name, goal in brief.wanted().items():
        search.check()
        reference = (
            base.balance
            if "balance_mm" not in brief.wanted()
            else brief.wanted()["balance_mm"].value
        )
        programme = Programme(brief, base, ways, reference, search.check)
        beyond = least_of_one(programme, name, search.nodes)
        if beyond is None or beyond <= 0:
            continue
        # The band of a balance is as wide as the mass is great; a hair more keeps the promise.
        for spare in (1.0, 1.02, 1.1):
            to = math.ceil(goal.tol * (1 + beyond) * spare * 100 + 0.5) / 100
            given = brief.targets.given()[name]
            wider = Goals(**(brief.targets.given() | {name: replace(given, tol=to)}))
            recipe = reaches(replace(brief, targets=wider), search)
            if recipe:
                allow = message("open-tolerance", figure=name, to=to, tol=goal.tol)
                yield Opening("tolerance", allow, name, to, recipe)
                break


def _spares(brief: Brief) -> Iterator[tuple[str, str, Brief]]:
    """(kind, name, the brief with it) of everything that could be brought in, last resorts last."""
    for site in brief.spare_sites:
        if not isinstance(site, PartSite):
            yield "site", site.name, replace(brief, sites=(*brief.sites, site))
    for material in brief.spare_materials:
        yield "material", material.name, replace(brief, materials=(*brief.materials, material))
    for wants_last in (False, True):
        for site in brief.spare_sites:
            if isinstance(site, PartSite) and site.last_resort == wants_last:
                kind = "last-resort" if wants_last else "part"
                yield kind, site.name, replace(brief, sites=(*brief.sites, site))


def is_last_resort(site: object) -> bool:
    """Whether a site is a part that comes off only where nothing else does."""
    return isinstance(site, PartSite) and site.last_resort


def _opening(kind: str, name: str, recipe: Recipe) -> Opening:
    return Opening(
        kind, message(f"open-{kind}", name=name, added=recipe.added_g), name, None, recipe
    )
