"""The numbers of a brief: what every candidate does to every target, in tolerances.

Bodies add, so a target is linear in what is put on (a balance as moment − target × mass): it is met
where its line, ``start + Σ rows``, lies within ± (1 + Σ wider). Two searches read these numbers:
``join`` goes through all combinations where there are few enough, ``highs`` solves the
mixed-integer programme.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property
from operator import attrgetter
from typing import TYPE_CHECKING

from kentrobar.core.frame.condition import shifted
from kentrobar.core.frame.targets import Target
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import DERIVED, FIGURES

from .brief import Brief
from .candidates import Candidate
from .chance import read_changes

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.float64]

NEAR_SHARE = 0.1
"""Recipes are as heavy as the lightest within so much of its grams, or within the workshop's own
``Weights.near``."""
OFF_MM = 2.0
"""How far off a hand cuts or places, where a recipe should still hold."""

ORDERS: dict[str, tuple[tuple[str, ...], ...]] = {
    "swing": (("swing_kgcm2",), ("twist_kgcm2", *DERIVED), ("balance_mm",), ("mass_g",)),
    "balance": (("balance_mm",), ("mass_g",), ("swing_kgcm2", "twist_kgcm2", *DERIVED)),
    "inertia": (("mass_g", "balance_mm", "swing_kgcm2", *DERIVED), ("twist_kgcm2",)),
}
"""Which misses are made small first, by school. Those in one step count alike."""


class SearchStoppedError(Exception):
    """The search was stopped."""


SUMS = attrgetter("mass", "moment", "second", "twist", "lateral")
ONE_OF_EACH = tuple(Body(*(float(i == k) for i in range(5))) for k in range(5))
"""A Body of each of the five sums alone."""


@dataclass(frozen=True, slots=True)
class TargetLine:
    """A target as a linear form of a Body, in tolerances."""

    name: str
    start: float
    form: Callable[[Body], float]


@dataclass(frozen=True, slots=True)
class Chosen:
    """Candidates that make a recipe, by index. ``least_g`` is what the lightest found within the
    same limits moves, ``gap`` by how many grams another might be lighter still: 0 where that is
    proven."""

    ways: tuple[int, ...]
    gap: float
    least_g: float


def as_light(least_g: float, near_g: float) -> float:
    """Grams up to which a recipe is as light as one of ``least_g``, the lightest there is."""
    return least_g + max(near_g, NEAR_SHARE * least_g) + 1e-6


class Programme:
    """A brief in numbers.

    Attributes:
        start (t,), rows, wider, fragile (t, n), grams, moved, cost, cuts (n,): for t targets and n
            candidates; ``moved`` are grams put on or taken off alike.
        most_cuts: strips that may be cut for one frame; None for any number.
        fragile: how far a line moves when a candidate is cut or placed ``OFF_MM`` off.
        read (t,): one standard uncertainty of each line from the frame's readings. Both take
            longer to know than all others, and only what is to be sturdy asks for them.
        check: called between steps of a search; raises SearchStoppedError.
    """

    def __init__(
        self,
        brief: Brief,
        base: Body,
        ways: list[Candidate],
        reference_mm: float,
        check: Callable[[], None],
    ) -> None:
        import numpy as np

        self.brief, self.ways, self.check = brief, ways, check
        wanted = brief.wanted()
        self.names = list(wanted)
        lines = [
            _line(name, goal, base, reference_mm, brief.measured.axis_mm)
            for name, goal in wanted.items()
        ]
        self.start = np.array([line.start for line in lines])
        self.lines = lines
        # A line is linear in the sums of a Body, so what it makes of one of each is all of it.
        self.each = np.array([[line.form(one) for one in ONE_OF_EACH] for line in lines])
        self.rows = self.each @ sums_of(way.body for way in ways)
        # A balance band widens with the mass put on.
        self.wider = np.array(
            [
                [way.body.mass / base.mass if name == "balance_mm" else 0.0 for way in ways]
                for name in self.names
            ]
        )
        self.grams = np.array([way.body.mass for way in ways])
        self.moved = abs(self.grams)
        self.cost = np.array([way.cost for way in ways])
        self.cuts = np.array([float(way.cuts) for way in ways])
        self.most_cuts = brief.weights.most_cuts or None
        self.overrun, self.unsure = brief.weights.tolerance, brief.weights.unsure

    @cached_property
    def fragile(self) -> Table:
        import numpy as np

        moved = sums_of(shifted(way.body, OFF_MM) - way.body for way in self.ways)
        lengths = np.array([way.length_mm for way in self.ways])
        shaken: Table = np.hypot(self.rows * OFF_MM / lengths, self.each @ moved)
        return np.where(self.grams < 0, 0.0, shaken)  # taking off is exact

    @cached_property
    def read(self) -> NDArray[np.float64]:
        import numpy as np

        changes = list(read_changes(self.brief.measured))
        return np.array(
            [math.hypot(*(line.form(change) for change in changes)) for line in self.lines]
        )

    def beyond(self, chosen: tuple[int, ...]) -> dict[str, float]:
        """How far beyond its tolerance each target is missed, in tolerances."""
        index = list(chosen)
        line = self.start + self.rows[:, index].sum(axis=1)
        over = abs(line) - 1 - self.wider[:, index].sum(axis=1)
        return {name: max(float(one), 0.0) for name, one in zip(self.names, over, strict=True)}

    def may_be(self, chosen: tuple[int, ...]) -> bool:
        """Whether candidates keep the limits on grams put on and on cuts."""
        index, most_g = list(chosen), self.brief.max_added_g
        is_light = most_g is None or float(self.grams[index].sum()) <= most_g + 1e-6
        return is_light and (
            self.most_cuts is None or float(self.cuts[index].sum()) <= self.most_cuts
        )

    def support(self, chosen: tuple[int, ...]) -> frozenset[tuple[int, int]]:
        """Which sites with which materials."""
        return frozenset((self.ways[i].site, self.ways[i].material) for i in chosen)


def _line(name: str, goal: Target, base: Body, reference_mm: float, axis_mm: float) -> TargetLine:
    def made(form: Callable[[Body], float], wanted: float, unit: float = 1.0) -> TargetLine:
        scale = 1 / (goal.tol * unit)
        return TargetLine(name, (form(base) - wanted) * scale, lambda body: form(body) * scale)

    if name == "balance_mm":
        return made(lambda body: body.moment - goal.value * body.mass, 0.0, base.mass)
    if name == "recoil_kgcm2":
        # About a fixed point the recoil weight is linear; it is off by M (b − b₀)², a hair near the
        # balance.
        return made(lambda body: body.swing_kgcm2(reference_mm), goal.value)
    # Every other figure is a sum over the pieces.
    return made(lambda body: FIGURES[name].of(body, goal.about(axis_mm)), goal.value)


def sums_of(bodies: Iterable[Body]) -> Table:
    """The five sums of every body, one body a column."""
    import numpy as np

    return np.array([SUMS(body) for body in bodies]).reshape(-1, len(ONE_OF_EACH)).T
