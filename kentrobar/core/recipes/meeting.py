"""Where a set of frames meets with the fewest grams: a grid of targets.

For every target of a fixed grid over the figures that should agree, each frame needs the fewest
grams of whatever brings it inside the tolerances. A load brings it inside for a box of targets
about its own figures, as wide as the tolerances: its grams are written into the corner of that box,
and a moving minimum as wide as the box spreads them. The grams of all frames add up, and the least
target is where they meet. Coarse grids with wider boxes bound what finer ones can find, so that
these are only laid where the least may lie. The grid is the same for any tolerance, and the work is
counted, not timed: a looser tolerance never costs more, and the same set meets at the same place on
any machine.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from copy import copy
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.quantities import FIGURES

from .loads import Changes, Check, Loads, all_loads, exchanges, forms_of
from .programme import sums_of
from .relaxed import Relaxed, Together
from .target_table import EDGE, OUT_G, cells_of, grams_needed, middle_of, targets_between

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.floating[Any]]
    Whole = NDArray[np.int64]

COARSE = 2
"""Steps a usual tolerance is divided into by the first grid; each has twice those before it."""
FINEST = 16
"""Steps a tolerance is divided into by the last grid: a tolerance wider by one of them never costs
more."""
MARGINS = (5.0, 15.0)
"""Targets are looked for so many usual tolerances about where frames are, and where they would meet
were tape cut anywhere; further off where they do not meet there."""
MORE_SHARE, MORE_G = 1.5, 3.0
"""A frame moves at most so many times, and so many grams more than, what it would were tape cut
anywhere."""
NEARLY_G = 2.0
"""Frames that need less have a list of their own, of lighter loads and finer: they hold the others
where they are."""
MOST_CELLS = 4_000_000
"""Cells of all tables of a grid, or of one about a target; above that, the grid before it stands.
"""
FINER = (1, 2, 4)
"""Times the last grid's steps of those laid about a target to refine it."""
NEAR_STEPS = 8
"""Steps to each side of a target that such a grid reaches."""
EXCHANGE_G = 0.2
"""Grams by which a load may be heavier than a frame's lightest to be tried with the others'."""
EXCHANGE_TOLS = 1.6
"""Tolerances about a target within which such loads are kept."""
EDGE_G = 1e-3
"""Grams below which two targets cost the same."""
FAR_MM = 8.0
"""How far from the usual balance frames lie, before and after."""


@dataclass(frozen=True, slots=True)
class Meeting:
    """Where the frames meet.

    Attributes:
        target: (figures,). out: frames that cannot follow. moved_g: by the others.
        bound_g: no target moves less; None where that is not known. is_proven: whether it is known
            that not all can meet.
    """

    target: Table
    out: int
    moved_g: float
    bound_g: float | None
    is_proven: bool


@dataclass(frozen=True, slots=True)
class Reachable:
    """What one frame can become: ``figures`` (figures, n) with each of its loads."""

    loads: Loads
    figures: Table

    def untouched(self) -> Reachable:
        """The same with nothing put on it."""
        import numpy as np

        nothing = np.flatnonzero(~(self.loads.choice >= 0).any(axis=0))
        return Reachable(self.loads.only(nothing), self.figures[:, nothing])


class TargetGrid:
    """A set with everything its frames can become; asked for any tolerances and targets."""

    def __init__(
        self, set_: Together, parts: Relaxed, check: Check, margin: float = MARGINS[0]
    ) -> None:
        """``parts``: where they would meet were tape cut anywhere, as nearly as can be. Targets are
        looked for about there, about the frames, and where one is held."""
        import numpy as np

        self.names, self.check, self.axis = list(set_.tolerances), check, set_.axis
        self.usual = np.array([FIGURES[name].tol for name in self.names])
        are = np.array([[FIGURES[name].of(body, set_.axis) for name in self.names]
                        for body in set_.bodies])  # fmt: skip
        held = [[set_.held.get(name, (parts.target[name],) * 2)[end] for name in self.names]
                for end in (0, 1)]  # fmt: skip
        places = np.vstack([are, [parts.target[name] for name in self.names], *held])
        self.low = places.min(axis=0) - margin * self.usual
        self.high = places.max(axis=0) + margin * self.usual
        self.reachable = [
            Reachable(one, one.figures(body, self.names, self.axis))
            for body, one in zip(set_.bodies, self._loads(set_, parts), strict=True)
        ]

    def _loads(self, set_: Together, parts: Relaxed) -> Iterator[Loads]:
        """The loads of each frame; those that may use the same share one list."""

        masses = [float(body.mass) for body in set_.bodies]
        mass, middle = sum(masses) / len(masses), sum(b.balance for b in set_.bodies) / len(masses)
        forms = forms_of(self.names, self.axis, middle, mass)
        are = forms.rows @ sums_of(set_.bodies)
        made: dict[tuple[int, bool], Loads] = {}
        keys = [(id(ways), moved > NEARLY_G)
                for ways, moved in zip(set_.ways, parts.moved_g, strict=True)]  # fmt: skip
        for key, ways in zip(keys, set_.ways, strict=True):
            if key not in made:
                same = [k for k, other in enumerate(keys) if other == key]
                most = MORE_SHARE * max(parts.moved_g[k] for k in same) + MORE_G
                slack = forms.scale * self._slack(most + max(masses) - min(masses), mass)
                changes = Changes(
                    forms.rows, forms.scale * self.usual,
                    forms.of(self.low) - are[:, same].max(axis=1) - slack,
                    forms.of(self.high) - are[:, same].min(axis=1) + slack, most, set_.most_cuts,
                )  # fmt: skip
                made[key] = all_loads(ways, changes, self.check)
            yield made[key]

    def _slack(self, heavier: float, mass: float) -> Table:
        """By how much a figure may differ from what its sum says: a frame is ``heavier`` than the
        usual one, and balances elsewhere."""
        import numpy as np

        far = {"balance_mm": heavier / mass * FAR_MM, "recoil_kgcm2": mass * FAR_MM**2 / KGCM2}
        return np.array([far.get(name, 0.0) for name in self.names])

    def only(self, frames: Sequence[int], still: Collection[int] = ()) -> TargetGrid:
        """The same of some of the frames, of which those that stay ``still`` get nothing."""
        found = copy(self)
        found.reachable = [
            self.reachable[k].untouched() if k in still else self.reachable[k] for k in frames
        ]
        return found

    @property
    def is_complete(self) -> bool:
        """Whether everything the frames can become is known."""
        return all(one.loads.is_complete for one in self.reachable)

    def least(
        self, tolerances: Mapping[str, float], held: Mapping[str, tuple[float, float]]
    ) -> Meeting:
        """Where the most frames meet, and of such targets where the fewest grams are moved.

        Args:
            tolerances: how far from the target each figure may lie. held: (low, high) of a target.
        """
        import numpy as np

        tol = np.array([tolerances[name] for name in self.names])
        free = zip(self.names, self.low, self.high, strict=True)
        low, high = np.array([held.get(name, (least, most)) for name, least, most in free]).T
        best, bound, place = math.inf, -math.inf, (low + high) / 2
        for level in self._levels(tol):
            step = self.usual / level
            axes = [targets_between(*one) for one in zip(low, high, step, strict=True)]
            cells = cells_of(axes, tol, step)
            if cells * len(self.reachable) > MOST_CELLS and best < math.inf:
                break
            self.check()
            half = np.array([s / 2 if len(one) > 1 else 0.0
                             for s, one in zip(step, axes, strict=True)])  # fmt: skip
            inside = self._totals(axes, tol)
            least = float(inside.min())
            if least < best:
                best, place = least, middle_of(axes, inside <= least + EDGE_G)
            wide = self._totals(axes, tol + half)
            bound = max(bound, float(wide.min()))
            if bound >= OUT_G and best >= OUT_G:
                break  # not all can meet: no finer grid has them do
            there = np.argwhere(wide <= best + EDGE_G)
            low = np.array([one[i] for one, i in zip(axes, there.min(axis=0), strict=True)]) - half
            high = np.array([one[i] for one, i in zip(axes, there.max(axis=0), strict=True)]) + half
        out = round(best / OUT_G)
        return Meeting(
            place, out, best - out * OUT_G, bound if self.is_complete and out == 0 else None,
            self.is_complete and bound >= OUT_G,
        )  # fmt: skip

    def _levels(self, tol: Table) -> Iterator[int]:
        """Steps of the grids, a usual tolerance each."""
        level = COARSE
        while (self.usual / level > tol / FINEST).any():
            yield level
            level *= 2
        yield level

    def grams(self, target: Table, tolerances: Mapping[str, float]) -> list[float | None]:
        """The fewest grams each frame needs for a target; None for one that cannot follow."""
        return [
            float(one.loads.grams[inside].min()) if len(inside) else None
            for one, inside in zip(self.reachable, self.inside(target, tolerances), strict=True)
        ]

    def inside(self, target: Table, tolerances: Mapping[str, float]) -> Iterator[Whole]:
        """Of each frame the columns of the loads that bring it inside."""
        import numpy as np

        tol = np.array([tolerances[name] for name in self.names])
        for one in self.reachable:
            off = abs(one.figures - target[:, None])
            yield np.flatnonzero((off <= tol[:, None] + EDGE).all(axis=0))

    def refined(self, met: Meeting, set_: Together) -> tuple[TargetGrid, Meeting]:
        """Where loads were left out: with those that differ from the lightest in two sites, on
        finer grids about the target, as long as that saves grams."""
        if self.is_complete or met.out:
            return self, met
        import numpy as np

        tol = np.array([set_.tolerances[name] for name in self.names])
        *_, finest = self._levels(tol)
        levels = [finest * finer for finer in FINER]
        free = (-math.inf, math.inf)
        held = np.array([set_.held.get(name, free) for name in self.names])
        tried = self._with_exchanges(met.target, set_)
        while levels:
            step = self.usual / levels[0]
            low = np.maximum(met.target - NEAR_STEPS * step, held[:, 0])
            high = np.minimum(met.target + NEAR_STEPS * step, held[:, 1])
            axes = [targets_between(*one) for one in zip(low, high, step, strict=True)]
            if cells_of(axes, tol, step) > MOST_CELLS:
                break
            grams = tried._totals(axes, tol)
            fewest = float(grams.min())
            if fewest < met.moved_g - EDGE_G:
                met = replace(met, target=middle_of(axes, grams <= fewest + EDGE_G), moved_g=fewest)
                tried = tried._with_exchanges(met.target, set_)
            else:
                levels.pop(0)
        return tried, met

    def _with_exchanges(self, target: Table, set_: Together) -> TargetGrid:
        """About a target, with the loads that differ in two sites from each frame's lightest."""
        import numpy as np

        found, tol = copy(self), np.array([set_.tolerances[name] for name in self.names])
        found.reachable = []
        inside = self.inside(target, set_.tolerances)
        for body, ways, one, columns in zip(
            set_.bodies, set_.ways, self.reachable, inside, strict=True
        ):
            self.check()
            start = one.loads.chosen(int(columns[one.loads.grams[columns].argmin()]))
            more = exchanges(ways, start, EXCHANGE_G, set_.most_cuts) if start else ()
            near = []
            for loads in (one.loads, *more):
                off = abs(loads.figures(body, self.names, self.axis) - target[:, None])
                near.append(loads.only((off <= EXCHANGE_TOLS * tol[:, None]).all(axis=0)))
            whole = near[0].and_more(near[1:])
            found.reachable.append(Reachable(whole, whole.figures(body, self.names, self.axis)))
        return found

    def _totals(self, axes: Sequence[Table], tol: Table) -> Table:
        """The fewest grams of all frames together for every target."""
        import numpy as np

        totals: Any = np.zeros(tuple(map(len, axes)), np.float32)
        for one in self.reachable:
            totals += grams_needed(one.figures, one.loads.grams, axes, tol)
        found: Table = totals
        return found
