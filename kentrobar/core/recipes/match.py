"""One target for a set of frames, and a recipe for each.

The target may be a frame of the set, given figures, or the one that moves the fewest grams
(``meeting``). Then every frame gets the surest of the lightest recipes towards it. Frames are
judged by their distance from the target, or by their spread: how far the furthest two are apart.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import plain_figures
from kentrobar.core.words import Message, message

from .brief import plain_body
from .candidates import candidates
from .explain import Opening, openings_of
from .frame_set import MATCHED, FrameSet
from .meeting import meeting
from .programme import Chosen, SearchStoppedError, as_light
from .relaxed import Relaxed, Together, relaxed
from .solve import Progress, Recipe, Search, Watch, find, recipe_of

HOPELESS = 0.1
"""Tolerances beyond that the frames lie in all were tape cut anywhere, from which on no whole steps
are looked for that bring them inside."""


@dataclass(frozen=True, slots=True)
class Matched:
    """``status`` is ``ok`` where every frame lies within the tolerances of the common target.

    Attributes:
        names: of the frames, in the order of ``recipes``. before, after: the spread of each figure.
        without: the best common target of the others, where some frames cannot reach this one.
        others: (what to chase instead, grams at most) of every other target all frames can reach.
        openings: (frame, what would let it follow) of the frames that cannot.
        is_undecided: it is not known whether all can reach one target.
        bound_g: grams that no set of these frames moves less than, were tape cut anywhere; None
            where the target is given.
    """

    status: str
    target: dict[str, float]
    axis_mm: float
    names: tuple[str, ...]
    recipes: tuple[Recipe, ...]
    before: dict[str, float]
    after: dict[str, float]
    why: Message
    without: Matched | None = None
    others: tuple[tuple[str, float], ...] = ()
    openings: tuple[tuple[str, Opening], ...] = ()
    is_whole: bool = True
    is_undecided: bool = False
    bound_g: float | None = None

    @property
    def is_ok(self) -> bool:
        return self.status == "ok"

    @property
    def added_g(self) -> float:
        return sum(recipe.added_g for recipe in self.recipes)

    @property
    def moved_g(self) -> float:
        """Grams put on and taken off, all counted."""
        return sum(recipe.moved_g for recipe in self.recipes)

    @property
    def chance(self) -> float:
        """That all frames come inside, each by itself."""
        return math.prod(recipe.sure.chance for recipe in self.recipes)

    @property
    def left_out(self) -> tuple[str, ...]:
        """The frames that cannot reach the target."""
        return tuple(
            name for name, recipe in zip(self.names, self.recipes, strict=True) if not recipe.is_ok
        )


def match(frames: FrameSet, watch: Watch | None = None) -> Matched:
    """A common target and a recipe for each frame, with no more cuts than a hand likes to make
    where that can be. Swing weights are about the first frame's axis.

    Where frames are left out, the best target without them is found too, and what else could be
    chased.
    """
    search = Search(watch)
    found = _match(frames, search)
    if not found.is_ok and frames.weights.most_cuts and found.is_whole:
        more = _match(replace(frames, weights=replace(frames.weights, most_cuts=0)), search)
        found = more if more.is_ok else found
    if found.is_ok or not found.is_whole:
        return found
    search.so_far = found
    try:
        found = replace(found, openings=tuple(_openings(frames, found, search)))
        found = replace(found, without=_without(frames, found, search))
        return replace(found, others=tuple(_others(frames, search)))
    except SearchStoppedError:
        return replace(found, is_whole=False)


def _match(frames: FrameSet, search: Search) -> Matched:
    axis = frames.frames[0].measured.axis_mm
    bodies = [plain_body(member.measured) for member in frames.frames]
    set_ = Together(
        bodies,
        [
            candidates(member.frame, frames.materials, frames.sites_of(member), (), frames.weights)
            for member in frames.frames
        ],
        axis,
        {name: frames.tol(name) for name in _matched(frames)},
        {name: _held(frames, name, value) for name, value in _aimed_at(frames, bodies).items()},
        frames.weights.most_cuts,
    )
    fixed = {name: low for name, (low, high) in set_.held.items() if low == high}
    if fixed.keys() == set_.tolerances.keys():
        return _towards(frames, set_, Common(fixed), search)
    parts = relaxed(set_)
    common = Common(_between(set_, bodies))
    is_hopeless = parts is not None and parts.beyond > HOPELESS
    try:
        search.say("common-target")
        common = _common(set_, parts, is_hopeless, search) if parts else common
    except SearchStoppedError:
        found = _towards(frames, set_, common, search)
        return replace(found, is_whole=False, is_undecided=not found.is_ok)
    found = _towards(frames, set_, common, search)
    return replace(
        found, is_undecided=not found.is_ok and not is_hopeless,
        bound_g=sum(parts.moved_g) if parts else None,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Common:
    """``target`` of each figure; ``chosen`` candidates that bring each frame there, by index, empty
    where none are known for all; ``moved_g`` by them together."""

    target: dict[str, float]
    chosen: tuple[tuple[int, ...], ...] = ()
    moved_g: float = 0.0


def _common(set_: Together, parts: Relaxed, is_hopeless: bool, search: Search) -> Common:
    """The target that moves the fewest grams, in the middle of what the frames become."""
    met = None if is_hopeless else meeting(set_, parts, search.check)
    if met is None:
        return Common(parts.target)
    if met.out:
        return Common(met.target)
    chosen = tuple(one for one in met.chosen if one is not None)
    after = [
        sum((ways[i].body for i in which), body)
        for body, ways, which in zip(set_.bodies, set_.ways, chosen, strict=True)
    ]
    return Common(_between(set_, after), chosen, met.moved_g)


def _between(set_: Together, bodies: Sequence[Body]) -> dict[str, float]:
    """Halfway between the furthest two, as near as the target may be: the safest place."""
    figures = [plain_figures(body, set_.axis, set_.tolerances) for body in bodies]
    target = {}
    for name in set_.tolerances:
        low, high = set_.held.get(name, (-math.inf, math.inf))
        values = [one[name] for one in figures]
        target[name] = min(max((max(values) + min(values)) / 2, low), high)
    return target


def _aimed_at(frames: FrameSet, bodies: list[Body]) -> dict[str, float]:
    """The figures given: of the frame that is chased, or as asked for; none for the least mass."""
    if frames.target == "least-mass":
        return {}
    if frames.given:
        return {n: goal.value for n, goal in frames.given.items() if goal.value is not None}
    names = [f"frame:{member.name}" for member in frames.frames]
    chased = bodies[names.index(frames.target)]
    figures = plain_figures(chased, frames.frames[0].measured.axis_mm)
    return {name: figures[name] for name in frames.tolerances}


def _held(frames: FrameSet, name: str, value: float) -> tuple[float, float]:
    """What the target of a figure must lie within: itself, or, where one frame is followed and all
    are judged by each other, whatever leaves it among them."""
    apart = frames.tol(name) if frames.judged == "spread" and not frames.given else 0.0
    return value - apart, value + apart


def _openings(frames: FrameSet, found: Matched, search: Search) -> Iterator[tuple[str, Opening]]:
    """What would let each frame follow that cannot: a wider tolerance, a site, a material, parts
    off."""
    for member in frames.frames:
        if member.name not in found.left_out:
            continue
        about = frames.asked_of(member, found.target, found.axis_mm)
        for opening in openings_of(about, search):
            if opening.kind == "tolerance" and frames.judged == "spread":
                # Frames twice as far apart lie as far from what is between them.
                name, to = opening.name, 2 * (opening.to or 0.0)
                allow = message("open-spread", figure=name, to=to, tol=2 * frames.tol(name))
                opening = replace(opening, message=allow, to=to)
            yield member.name, opening


def _without(frames: FrameSet, found: Matched, search: Search) -> Matched | None:
    """The set without the frames that cannot reach its target, on what then adds least."""
    able = tuple(member for member in frames.frames if member.name not in found.left_out)
    if not 2 <= len(able) < len(frames.frames):
        return None
    search.say("without", names=found.left_out)
    return _match(_towards_least(replace(frames, frames=able)), search)


def _towards_least(frames: FrameSet) -> FrameSet:
    """The same set on the target that adds least, with a tolerance for every figure."""
    given = frames.targets.given() if frames.targets else {}
    asked = {name: goal.tol for name, goal in given.items()} | frames.tolerances
    tolerances = {name: asked[name] for name in _matched(frames)}
    return replace(frames, target="least-mass", targets=None, tolerances=tolerances)


def _matched(frames: FrameSet) -> list[str]:
    """The figures that should agree: those given, and all with a tolerance."""
    return [name for name in MATCHED if name in frames.given or name in frames.tolerances]


def _others(frames: FrameSet, search: Search) -> Iterator[tuple[str, float]]:
    """Other targets that every frame can reach."""
    search.say("other-targets")
    for target in ("least-mass", *(f"frame:{member.name}" for member in frames.frames)):
        if target == frames.target:
            continue
        search.check()
        found = _match(replace(_towards_least(frames), target=target), search)
        if found.status == "ok":
            yield target, found.added_g


def _towards(frames: FrameSet, set_: Together, common: Common, search: Search) -> Matched:
    """A recipe for each frame towards the common target: as light as the one it was settled with,
    and of those the surest."""
    axis, target = set_.axis, common.target
    ways: list[Sequence[Recipe]] = []
    is_whole = True
    for k, (member, body) in enumerate(zip(frames.frames, set_.bodies, strict=True)):
        brief = frames.asked_of(member, target, axis)
        # Nothing lighter than exchanges find is looked for frame by frame: the grid did that.
        one = find(brief, Search(_naming(member.name, search), nodes=0))
        is_whole &= one.is_whole
        recipes = list(one.recipes)
        if common.chosen:
            chosen = Chosen(common.chosen[k], math.inf, math.nan)
            recipes.insert(0, recipe_of(brief, body, set_.ways[k], chosen))
        ways.append(recipes)
    recipes = _surest(frames, ways, common) if common.chosen else [found[0] for found in ways]
    is_ok = all(recipe.is_ok for recipe in recipes)
    found = Matched(
        "ok" if is_ok else "nearest", target, axis,
        tuple(member.name for member in frames.frames), tuple(recipes),
        _spread(set_.bodies, axis, target),
        _spread([recipe.after for recipe in recipes], axis, target),
        _why(frames, recipes), is_whole=is_whole, is_undecided=not is_ok and not is_whole,
    )  # fmt: skip
    if search.so_far is None:
        # A part of the set, or another target tried later, is no answer to what was asked.
        search.so_far = found
    return found


def _surest(frames: FrameSet, ways: Sequence[Sequence[Recipe]], common: Common) -> list[Recipe]:
    """For each frame what the target was settled with, or what is surer: the least sure first, as
    long as the whole set stays as light as its target promised."""
    chosen = [
        min((one for one in found if one.is_ok), key=_grams, default=found[0]) for found in ways
    ]
    least = min(sum(map(_grams, chosen)), common.moved_g)
    spare = as_light(least, frames.weights.near) - sum(map(_grams, chosen))
    for k in sorted(range(len(ways)), key=lambda k: chosen[k].sure.chance):
        within = [one for one in ways[k] if one.is_ok and one.moved_g <= chosen[k].moved_g + spare]
        surest = max([chosen[k], *within], key=lambda one: (one.sure.chance, -one.moved_g))
        spare -= surest.moved_g - chosen[k].moved_g
        chosen[k] = surest
    return chosen


def _grams(recipe: Recipe) -> float:
    return recipe.moved_g


def _naming(name: str, search: Search) -> Watch | None:
    """A watch that is told which frame the search is at; recipes of one frame are no answer for a
    set."""
    watch = search.watch
    if watch is None:
        return None
    return lambda progress: watch(
        Progress(message("of-frame", name=name, progress=progress.step), (), search.so_far)
    )


def _spread(bodies: Sequence[Body], axis: float, names: dict[str, float]) -> dict[str, float]:
    figures = [plain_figures(body, axis) for body in bodies]
    return {name: max(f[name] for f in figures) - min(f[name] for f in figures) for name in names}


def _why(frames: FrameSet, recipes: list[Recipe]) -> Message:
    blocked = []
    for member, recipe in zip(frames.frames, recipes, strict=True):
        missed = [
            (name, miss, beyond)
            for name, miss in recipe.misses.items()
            if (beyond := abs(miss) - frames.tol(name)) > 1e-9
        ]
        if missed:
            blocked.append((member.name, missed))
    return message("set-missed", frames=blocked)
