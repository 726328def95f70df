"""A set of frames at work: where it meets, and the answer for a target.

Every frame gets the lightest load towards the target, of those as light the surest.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import FIGURES, plain_figures
from kentrobar.core.words import Message, message

from .brief import plain_body
from .candidates import Candidate, candidates
from .frame_set import MATCHED, FrameSet
from .matched import Matched
from .meeting import MARGINS, Meeting, TargetGrid
from .programme import Chosen, SearchStoppedError
from .relaxed import Together, relaxed
from .set_chance import ChosenRecipes, read_u
from .solve import Progress, Recipe, Search, Watch, find, recipe_of

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.floating[Any]]

CLOSE = 1 / 2
"""Share of the usual tolerances for which it is worked out about where a set meets: the same
whatever is asked."""
TIGHTER = 0.9
"""A surer set weighs no more than one whose tolerance is so much narrower: a looser wish never
costs more."""
HAND_U = {"mass_g": 0.08, "balance_mm": 0.1, "swing_kgcm2": 0.15, "recoil_kgcm2": 0.15}
"""About what cutting and placing leave open: to rank loads by, not to tell."""


@dataclass(slots=True)
class SetSearch:
    """A set at work: what its frames can become, and what is asked of them."""

    frames: FrameSet
    search: Search
    bodies: list[Body] = field(init=False)
    ways: list[Sequence[Candidate]] = field(init=False)
    axis: float = field(init=False)
    tolerances: dict[str, float] = field(init=False)
    margin: float = MARGINS[0]
    _grid: TargetGrid | None = None

    def __post_init__(self) -> None:
        frames = self.frames
        self.axis = frames.frames[0].measured.axis_mm
        self.bodies = [plain_body(member.measured) for member in frames.frames]
        made: dict[Any, Sequence[Candidate]] = {}
        self.ways = []
        for member in frames.frames:
            # Nothing goes on a followed frame, but it could be another that is followed.
            sites = frames.own_sites(member)
            key = (member.frame, repr(sites))
            if key not in made:
                made[key] = candidates(member.frame, frames.materials, sites, (), frames.weights)
            self.ways.append(made[key])
        self.tolerances = {name: frames.tol(name) for name in matched(frames)}

    # --- where they meet ---

    @property
    def grid(self) -> TargetGrid:
        if self._grid is None:
            self.search.say("common-target")
            usual = {name: CLOSE * FIGURES[name].tol for name in self.tolerances}
            parts = relaxed(self._together(usual))
            assert parts is not None
            self._grid = TargetGrid(self._together(usual), parts, self.search.check, self.margin)
        return self._grid

    def _together(self, tolerances: dict[str, float]) -> Together:
        return Together(
            self.bodies, self.ways, self.axis, tolerances,
            self._held(self.frames.target, tolerances), self.frames.weights.most_cuts,
        )  # fmt: skip

    def _held(self, target: str, tolerances: Mapping[str, float]) -> dict[str, tuple[float, float]]:
        """What the target of each figure must lie within: figures that are given, or, where a frame
        is followed, what leaves it among the others."""
        given = self.frames.given
        if given and target == self.frames.target:
            return {name: (goal.value, goal.value) for name, goal in given.items()
                    if goal.value is not None}  # fmt: skip
        followed = self._followed(target)
        if followed is None:
            return {}
        figures = plain_figures(self.bodies[followed], self.axis)
        apart = self.frames.judged == "spread"
        return {
            name: (figures[name] - apart * tol, figures[name] + apart * tol)
            for name, tol in tolerances.items()
        }

    def _followed(self, target: str) -> int | None:
        names = [f"frame:{member.name}" for member in self.frames.frames]
        return names.index(target) if target in names else None

    def meeting(self, target: str, tolerances: dict[str, float] | None = None) -> Meeting:
        asked = tolerances or self.tolerances
        return self.grid_of(target).least(asked, self._held(target, asked))

    def grid_of(self, target: str) -> TargetGrid:
        followed = self._followed(target)
        every = range(len(self.bodies))
        return self.grid.only(every, () if followed is None else (followed,))

    # --- the answer ---

    def answer(self) -> Matched:
        """The set on its target; where not all reach it, the others at their nearest."""
        try:
            met = self.meeting(self.frames.target)
            if met.out and not met.is_proven and self.margin < MARGINS[-1]:
                self.margin, self._grid = MARGINS[-1], None
                met = self.meeting(self.frames.target)
            grid, met = self.grid_of(self.frames.target).refined(
                met, self._together(self.tolerances)
            )
        except SearchStoppedError:
            nothing: list[tuple[int, ...] | None] = [()] * len(self.bodies)
            stopped = self._build_answer(nothing, self._between(self.bodies), None)
            return replace(stopped, is_whole=False, is_undecided=not stopped.is_ok)
        chosen = self._surest(grid, met)
        target = dict(zip(self.tolerances, map(float, met.target), strict=True))
        if not met.out:
            target = self._between([
                sum((self.ways[k][i].body for i in which or ()), body)
                for k, (body, which) in enumerate(zip(self.bodies, chosen, strict=True))
            ])  # fmt: skip
        found = self._build_answer(chosen, target, met)
        if met.out and not found.is_ok:
            found = self._nearer(found, met)
        if self.search.so_far is None:
            self.search.so_far = found
        return found

    def _nearer(self, found: Matched, met: Meeting) -> Matched:
        """Where not all meet: about where they would were tape cut anywhere, if that leaves them
        closer together."""
        parts = None if self.frames.given else relaxed(self._together(self.tolerances))
        if parts is None:
            return found
        nothing: list[tuple[int, ...] | None] = [None] * len(self.bodies)
        other = self._build_answer(nothing, parts.target, met)
        return min(found, other, key=lambda one: self._worst(one.after))

    def _surest(self, grid: TargetGrid, met: Meeting) -> list[tuple[int, ...] | None]:
        """For each frame the lightest load; of those as light together the surest, the least sure
        frame first."""
        import numpy as np

        inside = list(grid.inside(met.target, self.tolerances))
        spare = 0.0 if met.out else max(self._most_grams(met) - met.moved_g, 0.0) + 1e-6
        best: list[int | None] = []
        for one, columns in zip(grid.reachable, inside, strict=True):
            grams = one.loads.grams[columns]
            best.append(int(columns[grams.argmin()]) if len(columns) else None)
        scores = [
            self._sureness(k, one.figures[:, columns] - met.target[:, None])
            for k, (one, columns) in enumerate(zip(grid.reachable, inside, strict=True))
        ]
        at = [None if b is None else int(np.flatnonzero(columns == b)[0])
              for b, columns in zip(best, inside, strict=True)]  # fmt: skip
        able = [k for k, b in enumerate(best) if b is not None]
        for k in sorted(able, key=lambda k: float(scores[k][at[k]])):
            grams = grid.reachable[k].loads.grams[inside[k]]
            own = float(grams[at[k]])
            light = grams <= own + spare
            column = int(np.where(light, scores[k], -np.inf).argmax())
            if scores[k][column] > scores[k][at[k]] + 1e-9:
                spare -= float(grams[column]) - own
                best[k] = int(inside[k][column])
        return [
            None if b is None else grid.reachable[k].loads.chosen(b) for k, b in enumerate(best)
        ]

    def _most_grams(self, met: Meeting) -> float:
        """What the surest may weigh: a little more than the lightest, and no more than the lightest
        were one tolerance narrower."""
        try:
            tighter = [
                self.meeting(self.frames.target, self.tolerances | {name: TIGHTER * tol})
                for name, tol in self.tolerances.items()
            ]
        except SearchStoppedError:
            return met.moved_g
        return min(
            [
                met.moved_g + self.frames.weights.near,
                *(one.moved_g for one in tighter if not one.out),
            ]
        )

    def _sureness(self, k: int, off: Table) -> Table:
        """How sure loads are that lie so far ``off`` the target: (loads,), greater is surer."""
        import numpy as np

        member = self.frames.frames[k]
        read = read_u(self.frames.asked_of(member, {}, self.axis), list(self.tolerances))
        total = np.zeros(off.shape[1])
        for row, (name, tol) in zip(off, self.tolerances.items(), strict=True):
            u = math.hypot(read[name], HAND_U[name])
            # The chance of a normal error to stay below an edge, as a logistic curve has it.
            for edge in (tol - row, tol + row):
                total -= np.log1p(np.exp(np.minimum(-1.702 * edge / u, 50.0)))
        return total

    def _between(self, bodies: Sequence[Body]) -> dict[str, float]:
        """Halfway between the furthest two, as near as the target may be: the safest place."""
        held = self._held(self.frames.target, self.tolerances)
        figures = [plain_figures(body, self.axis, self.tolerances) for body in bodies]
        target = {}
        for name in self.tolerances:
            low, high = held.get(name, (-math.inf, math.inf))
            values = [one[name] for one in figures]
            target[name] = min(max((max(values) + min(values)) / 2, low), high)
        return target

    def _build_answer(
        self,
        chosen: Sequence[tuple[int, ...] | None],
        target: dict[str, float],
        met: Meeting | None,
    ) -> Matched:
        frames = self.frames
        briefs = [frames.asked_of(member, target, self.axis) for member in frames.frames]
        recipes: list[Recipe] = []
        for k, (brief, which) in enumerate(zip(briefs, chosen, strict=True)):
            if which is None:
                watch = _naming(frames.frames[k].name, self.search)
                recipes.append(find(brief, Search(watch, nodes=0)).recipes[0])
            else:
                load = Chosen(which, math.inf, math.nan)
                recipes.append(recipe_of(brief, self.bodies[k], self.ways[k], load))
        before = _spread(self.bodies, self.axis, target)
        after = _spread([recipe.after for recipe in recipes], self.axis, target)
        is_ok = all(recipe.is_ok for recipe in recipes)
        if not is_ok and self._is_worse(before, after):
            return self._build_answer([()] * len(recipes), target, met)
        chance, raised = 0.0, None
        if is_ok:
            ways = [[self.ways[k][i] for i in which or ()] for k, which in enumerate(chosen)]
            found = ChosenRecipes(frames, briefs, ways, target)
            chance = found.chance()
            raised = found.sharper(chance)
        bounds = [
            one for one in (met.bound_g if met else None, self._bound(met)) if one is not None
        ]
        return Matched(
            "ok" if is_ok else "nearest", target, self.axis,
            tuple(member.name for member in frames.frames), tuple(recipes), before, after,
            _why(frames, recipes), chance, raised,
            is_undecided=not is_ok and not (met and met.is_proven),
            bound_g=max(bounds, default=None),
        )  # fmt: skip

    def _bound(self, met: Meeting | None) -> float | None:
        """Grams the set moves at least, were tape cut anywhere."""
        if met is None or met.out:
            return None
        parts = relaxed(self._together(self.tolerances))
        return sum(parts.moved_g) if parts and parts.beyond < 1e-6 else None

    def _is_worse(self, before: dict[str, float], after: dict[str, float]) -> bool:
        """Whether frames that are judged by each other would end farther apart than they are."""
        if self.frames.judged != "spread" or self.frames.given:
            return False
        return self._worst(after) > self._worst(before) + 1e-9

    def _worst(self, spread: dict[str, float]) -> float:
        """The widest spread, in tolerances."""
        return max(spread[name] / tol for name, tol in self.tolerances.items())


def matched(frames: FrameSet) -> list[str]:
    """The figures that should agree: those given, and all with a tolerance."""
    return [name for name in MATCHED if name in frames.given or name in frames.tolerances]


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
