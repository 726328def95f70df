"""Recipes: which candidates reach the targets, best first and really different from each other.

Bodies add, so every target is linear in what is put on (a balance as moment − target × mass), and the
choice is a small mixed-integer programme, solved by HiGHS. What comes first is settled first: misses in
the order of the priority, then how much a hand's errors may undo, then grams and pieces.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..body import KGCM2, Body
from ..condition import shifted
from ..pieces import Piece
from ..predict import Measured
from ..units import nominal
from .brief import Brief, Goal
from .candidates import Candidate, candidates

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Row = NDArray[np.float64]

ORDERS: dict[str, tuple[tuple[str, ...], ...]] = {
    "swing": (("swing_kgcm2",), ("twist_kgcm2", "recoil_kgcm2"), ("balance_mm",), ("mass_g",)),
    "balance": (("balance_mm",), ("mass_g",), ("swing_kgcm2", "twist_kgcm2", "recoil_kgcm2")),
    "inertia": (("mass_g", "balance_mm", "swing_kgcm2", "recoil_kgcm2"), ("twist_kgcm2",)),
}
"""Which misses are made small first, by school. Those in one step count alike."""

OFF_MM = 2.0
"""How far off a hand cuts or places, where a recipe should still hold."""
A_TOLERANCE, A_GRAM, A_PIECE = 30.0, 1.0, 0.4
"""What one tolerance of fragility, one gram and one piece weigh against each other."""
TIME_LIMIT_S = 8.0


@dataclass(frozen=True, slots=True)
class Recipe:
    """One answer: its pieces, the frame after them, and how far each target is missed (value − target)."""

    pieces: tuple[Piece, ...]
    after: Body
    misses: dict[str, float]
    added_g: float
    cuts: int
    is_ok: bool
    is_proven: bool


@dataclass(frozen=True, slots=True)
class Answer:
    """``status`` is ``ok`` where the first recipe meets every target, ``nearest`` where none can, and
    ``impossible`` where nothing may be put on at all. ``why`` says which target blocks, and by how much."""

    status: str
    recipes: tuple[Recipe, ...]
    why: str


@dataclass(frozen=True, slots=True)
class Line:
    """A target as a linear form: ``base + form(Σ bodies)`` lies within ± 1 where it is met.

    A balance also has ``per_gram``: its band is as wide as the whole mass is great.
    """

    name: str
    base: float
    form: Callable[[Body], float]


def solve(brief: Brief, time_limit_s: float = TIME_LIMIT_S) -> Answer:
    """The best recipes for a brief, at most ``brief.recipes``.

    The same brief gives the same answer. Past the time limit the best so far is given, marked unproven.
    """
    ways = candidates(brief.frame, brief.materials, brief.sites)
    base = plain_body(brief.measured)
    if not ways:
        nothing = _recipe(brief, base, [], True)
        status = "ok" if nothing.is_ok else "impossible"
        return Answer(
            status, (nothing,), "" if nothing.is_ok else "Nothing can be put on: no site takes a material."
        )
    deadline = time.monotonic() + time_limit_s
    reference = brief.targets.balance_mm.value if brief.targets.balance_mm else base.balance
    programme = Programme(brief, base, ways, reference)
    found: list[Recipe] = []
    for chosen, proven in programme.best(brief.recipes, deadline):
        recipe = _recipe(brief, base, [ways[i] for i in chosen], proven)
        if found and found[0].is_ok and not recipe.is_ok:
            break
        found.append(recipe)
    if not found:
        return Answer(
            "impossible", (), "No recipe was found in the time allowed: fewer sites or coarser steps."
        )
    status = "ok" if found[0].is_ok else "nearest"
    return Answer(status, tuple(found), "" if status == "ok" else _why(brief, found[0]))


def plain_body(measured: Measured) -> Body:
    """The Body of measured figures without their uncertainties."""
    body = measured.body()
    return Body(*(nominal(getattr(body, name)) for name in ("mass", "moment", "second", "twist", "lateral")))


def figures_of(body: Body, axis_mm: float) -> dict[str, float]:
    """Every figure a target can name, in its unit."""
    return {
        "mass_g": body.mass,
        "balance_mm": body.balance,
        "swing_kgcm2": body.swing(axis_mm) / KGCM2,
        "twist_kgcm2": body.twist / KGCM2,
        "recoil_kgcm2": body.recoil / KGCM2,
    }


def _recipe(brief: Brief, base: Body, chosen: Sequence[Candidate], proven: bool) -> Recipe:
    after = sum((way.body for way in chosen), base)
    figures = figures_of(after, brief.measured.axis_mm)
    wanted = brief.targets.wanted()
    misses = {name: figures[name] - goal.value for name, goal in wanted.items()}
    return Recipe(
        pieces=tuple(piece for way in chosen for piece in way.pieces),
        after=after,
        misses=misses,
        added_g=after.mass - base.mass,
        cuts=sum(way.cuts for way in chosen),
        is_ok=all(abs(misses[name]) <= goal.tol + 1e-9 for name, goal in wanted.items()),
        is_proven=proven,
    )


class Programme:
    """The mixed-integer programme of a brief: one binary a candidate, one slack a target.

    Rows are in tolerances: a target is met where its line lies within ± 1.
    """

    def __init__(self, brief: Brief, base: Body, ways: list[Candidate], reference_mm: float) -> None:
        import numpy as np

        self.brief, self.base, self.ways = brief, base, ways
        self.names = list(brief.targets.wanted())
        lines = [
            _line(name, goal, brief, base, reference_mm) for name, goal in brief.targets.wanted().items()
        ]
        self.start = np.array([line.base for line in lines])
        self.rows = np.array([[line.form(way.body) for way in ways] for line in lines])
        # A balance band widens with the mass put on.
        self.wider = np.array(
            [
                [way.body.mass / base.mass if line.name == "balance_mm" else 0.0 for way in ways]
                for line in lines
            ]
        )
        self.fragile = np.array([[_fragility(line, way) for way in ways] for line in lines])
        self.grams = np.array([way.body.mass for way in ways])
        self.used = sorted({(way.site, way.material) for way in ways})
        self.seen: list[frozenset[tuple[int, int]]] = []

    def best(self, count: int, deadline: float) -> Iterator[tuple[list[int], bool]]:
        """(chosen candidates, proven best) of different recipes, best first."""
        limits: dict[str, float] = dict.fromkeys(self.names, 0.0)
        first = self._choose(limits, deadline)
        if first is None:
            limits = self._least_misses(deadline)
            first = self._choose(limits, deadline)
        found = first
        for _ in range(count):
            if found is None:
                return
            chosen, proven = found
            yield chosen, proven
            if time.monotonic() > deadline:
                return
            self.seen.append(frozenset((self.ways[i].site, self.ways[i].material) for i in chosen))
            found = self._choose(limits, deadline)

    def _least_misses(self, deadline: float) -> dict[str, float]:
        """How far beyond its tolerance each target must be missed, the first of the priority first."""
        limits: dict[str, float] = dict.fromkeys(self.names, math.inf)
        for step in ORDERS[self.brief.priority]:
            names = [name for name in step if name in self.names]
            if not names:
                continue
            solved = self._milp(limits, deadline, slack_weights=dict.fromkeys(names, 1.0), grams=1e-4)
            if solved is None:
                return limits
            for name in names:
                beyond = self._beyond(solved[0])[name]
                limits[name] = beyond + 1e-6 + 1e-6 * beyond
        return limits

    def _beyond(self, chosen: list[int]) -> dict[str, float]:
        import numpy as np

        x = np.zeros(len(self.ways))
        x[chosen] = 1.0
        off = np.abs(self.start + self.rows @ x) - 1 - self.wider @ x
        return {name: max(float(beyond), 0.0) for name, beyond in zip(self.names, off, strict=True)}

    def _choose(self, limits: dict[str, float], deadline: float) -> tuple[list[int], bool] | None:
        """The sturdiest, lightest recipe whose misses stay within ``limits``."""
        return self._milp(limits, deadline, slack_weights={}, grams=A_GRAM)

    def _milp(
        self, limits: dict[str, float], deadline: float, slack_weights: dict[str, float], grams: float
    ) -> tuple[list[int], bool] | None:
        """Solve once. Unknowns: a binary a candidate, a miss beyond tolerance a target, a fragility a target."""
        import numpy as np
        from scipy.optimize import Bounds, LinearConstraint, milp

        n, t = len(self.ways), len(self.names)
        left = deadline - time.monotonic()
        if left <= 0:
            return None
        settles = not slack_weights
        cost = np.concatenate(
            [
                grams * np.abs(self.grams) + (A_PIECE if settles else 0.0),
                [slack_weights.get(name, 0.0) for name in self.names],
                np.full(t, A_TOLERANCE if settles else 0.0),
            ]
        )
        eye, none = np.eye(t), np.zeros((t, t))
        above = np.hstack([self.rows - self.wider, -eye, none])
        below = np.hstack([-self.rows - self.wider, -eye, none])
        constraints = [
            LinearConstraint(np.vstack([above, below]), ub=np.concatenate([1 - self.start, 1 + self.start])),
            LinearConstraint(self._one_a_site(n + 2 * t), ub=1.0),
        ]
        if settles:
            # What a hand's errors may undo counts where it reaches beyond the tolerance (and its miss).
            above = np.hstack([self.rows - self.wider + self.fragile, -eye, -eye])
            below = np.hstack([-self.rows - self.wider + self.fragile, -eye, -eye])
            bound = np.concatenate([1 - self.start, 1 + self.start])
            constraints.append(LinearConstraint(np.vstack([above, below]), ub=bound))
        if self.brief.max_added_g is not None:
            heavy = np.concatenate([self.grams, np.zeros(2 * t)])
            constraints.append(LinearConstraint(heavy[None, :], ub=self.brief.max_added_g))
        for seen in self.seen:
            row, most = self._unlike(seen, n + 2 * t)
            constraints.append(LinearConstraint(row[None, :], ub=most))
        upper = np.concatenate([np.ones(n), [limits[name] for name in self.names], np.full(t, np.inf)])
        whole = np.concatenate([np.ones(n), np.zeros(2 * t)])
        found = milp(
            cost, constraints=constraints, bounds=Bounds(np.zeros(n + 2 * t), upper), integrality=whole,
            options={"time_limit": left, "mip_rel_gap": 1e-6},
        )  # fmt: skip
        if found.x is None:
            return None
        return [i for i in range(n) if found.x[i] > 0.5], bool(found.status == 0)

    def _one_a_site(self, width: int) -> Any:
        """At most one candidate a site."""
        from scipy.sparse import lil_matrix

        sites = sorted({way.site for way in self.ways})
        rows = lil_matrix((len(sites), width))
        place = {site: i for i, site in enumerate(sites)}
        for i, way in enumerate(self.ways):
            rows[place[way.site], i] = 1.0
        return rows.tocsr()

    def _unlike(self, seen: frozenset[tuple[int, int]], width: int) -> tuple[Row, float]:
        """A row that is above its bound only for the same sites with the same materials."""
        import numpy as np

        row = np.zeros(width)
        for i, way in enumerate(self.ways):
            row[i] = 1.0 if (way.site, way.material) in seen else -1.0
        return row, len(seen) - 1.0


def _line(name: str, goal: Goal, brief: Brief, base: Body, reference_mm: float) -> Line:
    """A target in tolerances, as a linear form of what is put on."""

    def made(form: Callable[[Body], float], wanted: float, unit: float) -> Line:
        scale = 1 / (goal.tol * unit)
        return Line(name, (form(base) - wanted) * scale, lambda body: form(body) * scale)

    if name == "mass_g":
        return made(lambda body: body.mass, goal.value, 1.0)
    if name == "swing_kgcm2":
        axis = brief.measured.axis_mm
        return made(lambda body: body.swing(axis), goal.value * KGCM2, KGCM2)
    if name == "twist_kgcm2":
        return made(lambda body: body.twist, goal.value * KGCM2, KGCM2)
    if name == "recoil_kgcm2":
        # About a fixed point the recoil weight is linear; it is off by M (b − b₀)², a hair near the balance.
        return made(lambda body: body.swing(reference_mm), goal.value * KGCM2, KGCM2)
    return made(lambda body: body.moment - goal.value * body.mass, 0.0, base.mass)


def _fragility(line: Line, way: Candidate) -> float:
    """How far a line moves, in tolerances, when a candidate is cut or placed 2 mm off."""
    cut = abs(line.form(way.body)) * OFF_MM / way.length_mm
    placed = abs(line.form(shifted(way.body, OFF_MM)) - line.form(way.body))
    return math.hypot(cut, placed)


def _why(brief: Brief, nearest: Recipe) -> str:
    """Which targets the nearest recipe misses, and by how much."""
    words = {
        "mass_g": ("mass", "g"),
        "balance_mm": ("balance", "mm"),
        "swing_kgcm2": ("swing weight", "kg·cm²"),
        "twist_kgcm2": ("twist weight", "kg·cm²"),
        "recoil_kgcm2": ("recoil weight", "kg·cm²"),
    }
    missed = []
    for name, goal in brief.targets.wanted().items():
        beyond = abs(nearest.misses[name]) - goal.tol
        if beyond > 1e-9:
            label, unit = words[name]
            side = "above" if nearest.misses[name] > 0 else "below"
            missed.append(
                f"{label} stays {abs(nearest.misses[name]):.3g} {unit} {side} its target, "
                f"{beyond:.3g} beyond the tolerance"
            )
    return (
        f"With these sites and materials the {'; the '.join(missed)}. That is the nearest." if missed else ""
    )
