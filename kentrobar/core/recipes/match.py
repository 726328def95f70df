"""One target for a set of frames, and a recipe for each.

The target may be a frame of the set, given figures, or the common one that moves the fewest grams
(``joint``). Then every frame gets the surest of the lightest recipes towards it. Frames are judged
by their distance from the target, or by their spread: how far the furthest two are apart.
"""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import plain_figures
from kentrobar.core.words import Message, message

from .brief import plain_body
from .candidates import candidates
from .explain import Opening, openings_of
from .frame_set import MATCHED, FrameSet
from .joint import Common, Together, centred, common_target, middle_of, were_tape_cut_anywhere
from .programme import Chosen, SearchStoppedError, as_light
from .settling import settled
from .solve import TIME_LIMIT_S, Progress, Recipe, Search, Watch, find, recipe_of

HOPELESS = 0.1
"""Tolerances beyond that the frames lie in all were tape cut anywhere, from which on no whole steps
are looked for that bring them inside."""
MEMBER_S = 0.2
"""Seconds at least to look for what is surer for one frame."""
SETTLING = 0.2
"""Largest share of a search's time for settling on a target, and as much for a lighter one, which
saves a tenth of a gram a frame, or nothing."""


IsEnough = Callable[["Matched"], bool]


@dataclass(frozen=True, slots=True)
class Matched:
    """``status`` is ``ok`` where every frame lies within the tolerances of the common target.

    Attributes:
        names: of the frames, in the order of ``recipes``. before, after: the spread of each figure.
        without: the best common target of the others, where some frames cannot reach this one.
        others: (what to chase instead, grams at most) of every other target all frames can reach.
        openings: (frame, what would let it follow) of the frames that cannot.
        is_undecided: the time was up before it was known that not all can reach one target.
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


def match(
    frames: FrameSet, time_limit_s: float = TIME_LIMIT_S, watch: Watch | None = None
) -> Matched:
    """A common target and a recipe for each frame, with no more cuts than a hand likes to make
    where that can be. Swing weights are about the first frame's axis.

    Where frames are left out, the best target without them is found too, and what else could be
    chased.
    """
    search = Search(time_limit_s, watch)
    found = _match(frames, search)
    if not found.is_ok and frames.weights.most_cuts:
        any_cuts = replace(frames, weights=replace(frames.weights, most_cuts=0))
        more = _match(any_cuts, search, lambda quick: not quick.is_ok)
        found = more if more.is_ok else replace(found, is_undecided=more.is_undecided)
    if found.is_ok:
        return found
    search.so_far = found
    try:
        found = replace(found, openings=tuple(_openings(frames, found, search)))
        found = replace(found, without=_without(frames, found, search))
        return replace(found, others=tuple(_others(frames, search)))
    except SearchStoppedError:
        return replace(found, is_whole=False)


def _match(frames: FrameSet, search: Search, is_enough: IsEnough | None = None) -> Matched:
    """``is_enough``: whether the quick target will do, and no lighter one is looked for."""
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
    nothing: tuple[tuple[int, ...], ...] = ((),) * len(bodies)
    fixed = {name: low for name, (low, high) in set_.held.items() if low == high}
    if fixed.keys() == set_.tolerances.keys():
        common = Common(fixed, nothing, True, is_met=False)
        return _towards(frames, bodies, set_, common, search)
    try:
        return _least(frames, bodies, set_, search, is_enough)
    except SearchStoppedError:
        middle = _towards(frames, bodies, set_, middle_of(set_, nothing), search)
        return replace(middle, is_whole=False, is_undecided=not middle.is_ok)


def _least(
    frames: FrameSet, bodies: list[Body], set_: Together, search: Search, is_enough: IsEnough | None
) -> Matched:
    """On the target that moves the fewest grams: the one settled on at once, or a lighter one."""
    search.say("common-target")
    bound = were_tape_cut_anywhere(set_, 1.0)
    is_hopeless = bound is not None and bound.beyond > HOPELESS
    quick = _quick(frames, bodies, set_, search, bound, is_enough is not None, is_hopeless)
    is_known = is_hopeless
    if quick and is_enough and (is_hopeless or is_enough(quick)):
        best = quick
    else:
        try:
            best = _lighter(frames, bodies, set_, quick, search)
            is_known |= best.is_whole
        except SearchStoppedError:
            if quick is None:
                raise
            best = replace(quick, is_whole=False)
    is_undecided = not best.is_ok and not is_known
    return replace(best, is_undecided=is_undecided, bound_g=bound.moved_g if bound else None)


def _quick(
    frames: FrameSet, bodies: list[Body], set_: Together, search: Search, in_parts: Common | None,
    is_first_enough: bool, is_hopeless: bool,
) -> Matched | None:  # fmt: skip
    """The set on the target that is settled on at once; None where there was no time."""
    until = search.time_left() - SETTLING * search.limit_s

    def check() -> None:
        search.check()
        if search.time_left() < until:
            raise SearchStoppedError

    def towards(common: Common) -> Matched:
        found = _towards(frames, bodies, set_, centred(set_, common), search)
        if search.so_far is None:
            # A part of the set, or another target tried later, is no answer to what was asked.
            search.so_far = found
        return found

    common = first = quick = None
    with contextlib.suppress(SearchStoppedError):  # the best so far is settled on
        for common in settled(frames, set_, in_parts, check):
            if common.is_met and first is None:
                first, quick = common, towards(common)
            if is_hopeless or (common.is_met and is_first_enough):
                break
    return towards(common) if common and common is not first else quick


def _lighter(
    frames: FrameSet, bodies: list[Body], set_: Together, quick: Matched | None, search: Search
) -> Matched:
    """What moves fewer grams than the quick answer, or that, as far as there is time to look; of
    those about as light the surer."""
    most = quick.moved_g if quick and quick.is_ok else None
    search.say("common-target")
    # What it finds is laid on every frame once more: as much time as that takes is kept.
    until = max(search.time_left() - SETTLING * search.limit_s, MEMBER_S * len(bodies))
    common = common_target(set_, frames.weights.near, lambda: search.time_left() - until, most)
    lightest = _towards(frames, bodies, set_, common, search) if common else None
    answers = sorted((one for one in (quick, lightest) if one), key=lambda one: _rank(frames, one))
    if not answers:
        raise SearchStoppedError
    light = as_light(answers[0].moved_g, frames.weights.near)
    surest = [one for one in answers if one.is_ok and one.moved_g <= light]
    best = max(surest, key=lambda one: one.chance, default=answers[0])
    return replace(best, is_whole=best.is_whole and bool(common and common.is_proven))


def _rank(frames: FrameSet, found: Matched) -> tuple[bool, float]:
    """Sets that all come into first, then the lighter; where some stay outside, being further out
    weighs like grams: what lies inside the noise buys none."""
    beyond = (
        max(abs(miss) / frames.tol(name) - 1, 0.0)
        for recipe in found.recipes
        for name, miss in recipe.misses.items()
    )
    return not found.is_ok, found.moved_g + frames.weights.tolerance * sum(beyond)


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
    """What the target of a figure must lie within: itself, or, where frames are judged by each
    other, whatever leaves it among them."""
    apart = frames.tol(name) if frames.judged == "spread" else 0.0
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
    """The figures that should agree: those given, else all with a tolerance."""
    return [name for name in MATCHED if name in (frames.given or frames.tolerances)]


def _others(frames: FrameSet, search: Search) -> Iterator[tuple[str, float]]:
    """Other targets that every frame can reach. They are only offered: a lighter one than the quick
    is looked for when one is taken."""
    search.say("other-targets")
    for target in ("least-mass", *(f"frame:{member.name}" for member in frames.frames)):
        if target == frames.target:
            continue
        search.check()
        other = replace(_towards_least(frames), target=target)
        found = _match(other, search, lambda quick: True)
        if found.status == "ok":
            yield target, found.added_g


def _towards(
    frames: FrameSet, bodies: list[Body], set_: Together, common: Common, search: Search
) -> Matched:
    """A recipe for each frame towards the common target: as light as the one it was settled with,
    and of those the surest."""
    axis, target = set_.axis, common.target
    ways: list[tuple[Recipe, Sequence[Recipe]]] = []
    is_whole, is_undecided = True, False
    for k, (member, body) in enumerate(zip(frames.frames, bodies, strict=True)):
        brief = frames.asked_of(member, target, axis)
        watch = _naming(member.name, search)
        # A third of what is left, in even parts: the rest is for a lighter target.
        seconds = max(search.time_left() / 3 / (len(bodies) - k), MEMBER_S)
        one = find(brief, Search(seconds, watch))
        is_whole &= one.is_whole
        is_undecided |= one.status != "ok" and not one.is_whole
        settled = recipe_of(brief, body, set_.ways[k], Chosen(common.chosen[k], 0.0, math.nan))
        ways.append((settled, one.recipes))
    recipes = _surest(ways, common) if common.is_met else [found[0] for _, found in ways]
    status = "ok" if all(recipe.is_ok for recipe in recipes) else "nearest"
    return Matched(
        status, target, axis, tuple(member.name for member in frames.frames), tuple(recipes),
        _spread(bodies, axis, target), _spread([recipe.after for recipe in recipes], axis, target),
        _why(frames, recipes), is_whole=is_whole, is_undecided=is_undecided,
    )  # fmt: skip


def _surest(ways: Sequence[tuple[Recipe, Sequence[Recipe]]], common: Common) -> list[Recipe]:
    """For each frame what the target was settled with, or what is surer: the least sure first, as
    long as the whole set stays as light as its target promised."""
    chosen = [settled if settled.is_ok else found[0] for settled, found in ways]
    spare = common.light_g - sum(recipe.moved_g for recipe in chosen)
    for k in sorted(range(len(ways)), key=lambda k: chosen[k].sure.chance):
        within = [
            one for one in ways[k][1] if one.is_ok and one.moved_g <= chosen[k].moved_g + spare
        ]
        surest = max([chosen[k], *within], key=lambda one: (one.sure.chance, -one.moved_g))
        spare -= surest.moved_g - chosen[k].moved_g
        chosen[k] = surest
    return chosen


def _naming(name: str, search: Search) -> Watch | None:
    """A watch that is told which frame the search is at; recipes of one frame are no answer for a
    set."""
    watch = search.watch
    if watch is None:
        return None
    return lambda progress: watch(
        Progress(message("of-frame", name=name, progress=progress.step), (), search.so_far)
    )


def _spread(bodies: list[Body], axis: float, names: dict[str, float]) -> dict[str, float]:
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
