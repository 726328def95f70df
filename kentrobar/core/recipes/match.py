"""One target for a set of frames, and a recipe for each.

The target may be a frame of the set, given figures, or the common one that adds least mass. The
last is
found in two steps: a linear programme in which tape may be cut anywhere settles the target, then
    every
frame gets the best recipe in whole steps towards it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import NEEDED, plain_figures
from kentrobar.core.words import Message, message

from .brief import (
    Brief,
    Goal,
    Goals,
    PartSite,
    Priority,
    RecipeMaterial,
    Site,
    Weights,
    kit_faults,
    plain_body,
)
from .candidates import candidates
from .programme import Stop
from .solve import Progress, Recipe, Search, Watch, find

MATCHED = NEEDED
TIME_LIMIT_S = 20.0
INSIDE = (0.7, 0.4, 0.9)
"""Shares of the tolerances a common target is settled within, one after another until whole steps
fit."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """A frame of a set, the parts on it that may come off or be lighter, and its own ``sites``
    where they differ from the set's: posts and grommets to keep free, a handle filled with foam."""

    name: str
    frame: Outline
    measured: Measured
    parts: tuple[PartSite, ...] = ()
    sites: tuple[Site, ...] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameSet:
    """Frames to be made alike. ``target`` is ``frame:NAME``, ``least-mass``, or empty with
    ``targets``."""

    frames: tuple[Member, ...]
    tolerances: dict[str, float]
    materials: tuple[RecipeMaterial, ...]
    sites: tuple[Site, ...]
    target: str = "least-mass"
    targets: Goals | None = None
    priority: Priority = "inertia"
    weights: Weights = Weights()

    def faults(self) -> Iterator[tuple[str, str]]:
        """(path, reason) of everything that cannot be in a set whose structure is right."""
        if not 2 <= len(self.frames) <= 12:
            yield "frames", f"{len(self.frames)} frames; a set has 2 to 12"
            return
        names = [member.name for member in self.frames]
        if len(set(names)) < len(names):
            yield "frames", "two frames have one name"
        for name, goal in (self.targets.given() if self.targets else {}).items():
            if goal.value is None:
                yield f"targets.{name}.value", "missing: a set needs one figure for all"
        for name, tol in self.tolerances.items():
            if name not in MATCHED:
                yield f"tolerances.{name}", f"not one of {', '.join(MATCHED)}"
            elif not tol > 0:
                yield f"tolerances.{name}", Refusal("not-above", tol, 0)
        if not self.tolerances:
            yield "tolerances", "at least one figure must be matched"
        if self.target.startswith("frame:") and self.target[6:] not in names:
            yield "target", f"no frame is called {self.target[6:]}"
        elif self.target not in ("", "least-mass") and not self.target.startswith("frame:"):
            yield "target", f"{self.target}: write frame:NAME or least-mass, or give targets"
        elif self.target == "" and self.targets is None:
            yield "targets", "missing"
        for i, member in enumerate(self.frames):
            for name, reason in self.brief(member, _own(member, self)).faults():
                if member.parts or member.sites or not name.startswith(("materials", "sites")):
                    yield f"frames[{i}].{name}", reason
                    return
        yield from kit_faults(self.materials, self.sites, self.frames[0].frame)

    def sites_of(self, member: Member) -> tuple[Site, ...]:
        """Where something may go on a member, its parts included."""
        return (self.sites if member.sites is None else member.sites) + member.parts

    def brief(self, member: Member, goals: Goals) -> Brief:
        """What one member is asked for."""
        return Brief(
            frame=member.frame, measured=member.measured, targets=goals, materials=self.materials,
            sites=self.sites_of(member), priority=self.priority, recipes=1, weights=self.weights,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Matched:
    """``status`` is ``ok`` where every frame lies within the tolerances of the common target.

    Attributes:
        names: of the frames, in the order of ``recipes``. before, after: the spread of each figure.
        without: the best common target of the others, where some frames cannot reach this one.
        others: (what to chase instead, grams in all) of every other target all frames can reach.
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
    is_whole: bool = True

    @property
    def added_g(self) -> float:
        return sum(recipe.added_g for recipe in self.recipes)

    @property
    def left_out(self) -> tuple[str, ...]:
        """The frames that cannot reach the target."""
        return tuple(
            name for name, recipe in zip(self.names, self.recipes, strict=True) if not recipe.is_ok
        )


def match(
    frames: FrameSet, time_limit_s: float = TIME_LIMIT_S, watch: Watch | None = None
) -> Matched:
    """A common target and a recipe for each frame. Swing weights are about the first frame's axis.

    Where frames are left out, the best target without them is found too, and what else could be
    chased.
    """
    search = Search(time_limit_s, watch)
    found = _match(frames, search)
    if found.status == "ok" or not found.is_whole:
        return found
    try:
        return replace(
            found, without=_without(frames, found, search), others=tuple(_others(frames, search))
        )
    except Stop:
        return replace(found, is_whole=False)


def _match(frames: FrameSet, search: Search) -> Matched:
    axis = frames.frames[0].measured.axis_mm
    bodies = [plain_body(member.measured) for member in frames.frames]
    best: Matched | None = None
    for target in _targets(frames, bodies, axis):
        found = _towards(frames, bodies, axis, target, search)
        if best is None or _rank(found) < _rank(best):
            best = found
        if best.status == "ok" or not best.is_whole:
            break
    assert best is not None
    return best


def _without(frames: FrameSet, found: Matched, search: Search) -> Matched | None:
    """The set without the frames that cannot reach its target, on what then adds least."""
    able = tuple(member for member in frames.frames if member.name not in found.left_out)
    if not 2 <= len(able) < len(frames.frames):
        return None
    search.say("without", names=found.left_out)
    return _match(_towards_least(replace(frames, frames=able)), search)


def _towards_least(frames: FrameSet) -> FrameSet:
    """The same set on the target that adds least, with a tolerance for every figure."""
    tolerances = {name: _tol(frames, name) for name in _matched(frames)}
    return replace(frames, target="least-mass", targets=None, tolerances=tolerances)


def _matched(frames: FrameSet) -> list[str]:
    given = frames.targets.given() if frames.targets else {}
    return [name for name in MATCHED if name in frames.tolerances or name in given]


def _others(frames: FrameSet, search: Search) -> Iterator[tuple[str, float]]:
    """Other targets that every frame can reach."""
    search.say("other-targets")
    for target in ("least-mass", *(f"frame:{member.name}" for member in frames.frames)):
        if target == frames.target:
            continue
        found = _match(replace(_towards_least(frames), target=target), search)
        if found.status == "ok":
            yield target, found.added_g


def _rank(found: Matched) -> tuple[int, float]:
    return sum(not recipe.is_ok for recipe in found.recipes), found.added_g


def _targets(frames: FrameSet, bodies: list[Body], axis: float) -> Iterator[dict[str, float]]:
    """Targets to try, the likeliest first; only the least mass has more than one."""
    if frames.target == "least-mass":
        for inside in INSIDE:
            yield _least_mass(frames, bodies, axis, inside)
    elif frames.target.startswith("frame:"):
        chosen = next(
            i for i, member in enumerate(frames.frames) if member.name == frames.target[6:]
        )
        yield {name: plain_figures(bodies[chosen], axis)[name] for name in frames.tolerances}
    else:
        assert frames.targets is not None
        yield {
            name: goal.value
            for name, goal in frames.targets.given().items()
            if goal.value is not None
        }


def _towards(
    frames: FrameSet, bodies: list[Body], axis: float, target: dict[str, float], search: Search
) -> Matched:
    """A recipe for each frame towards one target."""
    goals = Goals(
        **{name: Goal(value=value, tol=_tol(frames, name)) for name, value in target.items()}
    )
    recipes, is_whole = [], True
    for member, body in zip(frames.frames, bodies, strict=True):
        about = replace(member.measured, axis_mm=axis, swing_kgcm2=body.swing_kgcm2(axis))
        brief = replace(frames.brief(member, goals), measured=_uncertain(member.measured, about))
        one = find(brief, Search(max(search.time_left(), 0.5), _naming(member.name, search.watch)))
        is_whole &= one.is_whole
        recipes.append(one.recipes[0])
    status = "ok" if all(recipe.is_ok for recipe in recipes) else "nearest"
    return Matched(
        status, target, axis, tuple(member.name for member in frames.frames), tuple(recipes),
        _spread(bodies, axis, target), _spread([recipe.after for recipe in recipes], axis, target),
        _why(frames, recipes), is_whole=is_whole,
    )  # fmt: skip


def _naming(name: str, watch: Watch | None) -> Watch | None:
    """A watch that is told which frame the search is at; recipes of one frame are no answer for a
    set."""
    if watch is None:
        return None
    return lambda progress: watch(Progress(message("of-frame", name=name, progress=progress.step)))


def _uncertain(read: Measured, about: Measured) -> Measured:
    """Figures about the set's axis, with the uncertainty of the swing weight as read."""
    u = uncertainty(read.swing_kgcm2)
    return replace(about, swing_kgcm2=ufloat(nominal(about.swing_kgcm2), u)) if u else about


def _tol(frames: FrameSet, name: str) -> float:
    goals = frames.targets.given() if frames.targets else {}
    return frames.tolerances.get(name) or goals[name].tol


def _own(member: Member, frames: FrameSet) -> Goals:
    """Goals that are met already, to check a member by."""
    figures = plain_figures(plain_body(member.measured), member.measured.axis_mm)
    return Goals(
        **{name: Goal(value=figures[name], tol=1.0) for name in MATCHED if figures[name] > 0}
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
            if (beyond := abs(miss) - _tol(frames, name)) > 1e-9
        ]
        if missed:
            blocked.append((member.name, missed))
    return message("set-missed", frames=blocked)


def _least_mass(
    frames: FrameSet, bodies: list[Body], axis: float, inside: float
) -> dict[str, float]:
    """The common target that adds least mass, were tape cut to any length.

    A linear programme: the candidates in parts, the target as unknowns beside them, every frame
    within ``inside`` of its tolerances, so that whole steps have room to fall either side.
    """
    import numpy as np
    from scipy.optimize import linprog
    from scipy.sparse import lil_matrix

    ways = [
        candidates(member.frame, frames.materials, frames.sites_of(member), (), frames.weights)
        for member in frames.frames
    ]
    most_sites = max(len(frames.sites_of(member)) for member in frames.frames)
    count, names = sum(len(one) for one in ways), list(frames.tolerances)
    slacks = len(bodies) * len(names)
    width = count + len(names) + slacks
    middle = sum(body.balance for body in bodies) / len(bodies)
    heavy = max(body.mass for body in bodies)
    forms: dict[str, tuple[Callable[[Body], float], float]] = {
        "mass_g": (lambda body: body.mass, 1.0),
        # A balance as the moment about the middle of the set, over a mass like the target's.
        "balance_mm": (lambda body: body.moment - middle * body.mass, heavy),
        "swing_kgcm2": (lambda body: body.swing_kgcm2(axis), 1.0),
    }
    rows, upper = lil_matrix((2 * slacks + len(bodies) * most_sites, width)), []
    at = row = 0
    for f, (body, own) in enumerate(zip(bodies, ways, strict=True)):
        for t, name in enumerate(names):
            form, unit = forms[name]
            tol = _tol(frames, name) * inside * unit
            for sign in (1.0, -1.0):
                rows[row, at : at + len(own)] = [sign * form(way.body) / tol for way in own]
                rows[row, count + t] = -sign * unit / tol
                rows[row, count + len(names) + f * len(names) + t] = -1.0
                upper.append(1.0 - sign * form(body) / tol)
                row += 1
        for s in range(most_sites):
            rows[row, at : at + len(own)] = [float(way.site == s) for way in own]
            upper.append(1.0)
            row += 1
        at += len(own)
    # Taking a part off is work, and what is taken off must not be put on again for nothing.
    grams = [way.body.mass if way.body.mass > 0 else way.cost for own in ways for way in own]
    cost = np.concatenate([grams, np.zeros(len(names)), np.full(slacks, 1000.0)])
    bounds = [(0.0, 1.0)] * count + [(None, None)] * len(names) + [(0.0, None)] * slacks
    found = linprog(cost, A_ub=rows.tocsr(), b_ub=np.array(upper), bounds=bounds, method="highs")
    target = dict(zip(names, map(float, found.x[count : count + len(names)]), strict=True))
    if "balance_mm" in target:
        target["balance_mm"] = middle + target["balance_mm"] * heavy / target.get("mass_g", heavy)
    return target
