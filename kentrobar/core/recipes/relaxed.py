"""Where a set would come together were tape cut anywhere: a linear programme in mass, first and
second moment.

Unknowns: the part of every candidate that is used, the target of every figure, and by how much a
frame lies beyond its tolerance of it. Whole cuts need more grams, so its grams are a lower bound;
what is beyond a tolerance here cannot be reached with whole cuts either. A balance is linear as the
moment about the target; where the target is free, it is solved for about the last one found until
it stands still.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from kentrobar.core.pieces.body import Body

from .candidates import Candidate
from .programmes import solved

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Row = NDArray[np.float64]

BEYOND_G = 1000.0
"""Grams that one tolerance beyond the target counts as: a frame is left outside only where nothing
brings it in."""
ROUNDS = 4
SETTLED_MM = 1e-3


@dataclass(frozen=True, slots=True)
class Together:
    """Frames to bring together.

    Attributes:
        bodies: as read. ways: candidates of each. axis: of swing weights, mm.
        tolerances: how far from the target each figure may lie. held: (low, high) the target
            of a figure must lie within; a figure without is free.
        most_cuts: strips to be cut for one frame, 0 for any number.
    """

    bodies: Sequence[Body]
    ways: Sequence[Sequence[Candidate]]
    axis: float
    tolerances: Mapping[str, float]
    held: Mapping[str, tuple[float, float]]
    most_cuts: int = 0


@dataclass(frozen=True, slots=True)
class Relaxed:
    """``target`` of each figure; ``moved_g`` by each frame; ``beyond``: how far outside the frames
    lie in all, in tolerances."""

    target: dict[str, float]
    moved_g: tuple[float, ...]
    beyond: float


def relaxed(set_: Together) -> Relaxed | None:
    """The target that moves the fewest grams if candidates could be used in parts; None where the
    target's own limits leave none."""
    masses = tuple(float(body.mass) for body in set_.bodies)
    middle = sum(body.balance for body in set_.bodies) / len(set_.bodies)
    if "balance_mm" in set_.held:
        middle = sum(set_.held["balance_mm"]) / 2
    found = None
    for _ in range(ROUNDS):
        solution = _solve(set_, middle, masses)
        if solution is None:
            break
        found, masses = solution
        before, middle = middle, found.target.get("balance_mm", middle)
        if abs(middle - before) < SETTLED_MM:
            break
    return found


def _solve(
    set_: Together, middle: float, masses: Sequence[float]
) -> tuple[Relaxed, tuple[float, ...]] | None:
    """Solve once, for balances about ``middle`` of frames as heavy as ``masses``; with how heavy
    they are then."""
    import numpy as np

    f, names = len(set_.bodies), list(set_.tolerances)
    starts = np.concatenate([[0], np.cumsum([len(ways) for ways in set_.ways])]).astype(int)
    n, t = int(starts[-1]), len(names)
    every = [way for ways in set_.ways for way in ways]
    added = np.array([way.body.mass for way in every])
    grams = abs(added)
    rows, upper = _rows(set_, starts, middle, masses)
    away = np.array([middle if name == "balance_mm" else 0.0 for name in names])
    free = (-math.inf, math.inf)
    ends = np.array([set_.held.get(name, free) for name in names]) - away[:, None]
    found = solved(
        np.concatenate([grams, np.zeros(t), np.full(f * t, BEYOND_G)]), rows, upper,
        np.concatenate([np.zeros(n), ends[:, 0], np.zeros(f * t)]),
        np.concatenate([np.ones(n), ends[:, 1], np.full(f * t, np.inf)]),
        np.zeros(n + t + f * t),
    )  # fmt: skip
    if found is None:
        return None
    target = dict(zip(names, map(float, found.x[n : n + t] + away), strict=True))
    parts = [slice(starts[k], starts[k + 1]) for k in range(f)]
    moved = tuple(float(grams[part] @ found.x[part]) for part in parts)
    heavy = tuple(
        float(body.mass + added[part] @ found.x[part])
        for body, part in zip(set_.bodies, parts, strict=True)
    )
    return Relaxed(target, moved, float(found.x[n + t :].sum())), heavy


def _rows(set_: Together, starts: Any, middle: float, masses: Sequence[float]) -> tuple[Any, Row]:
    """What holds every figure of every frame to its tolerance, and one candidate to a site: rows
    over (candidates, targets, beyond), and what each is at most."""
    import numpy as np

    names, forms = list(set_.tolerances), _forms(set_.axis, middle)
    n, t, f = int(starts[-1]), len(names), len(set_.bodies)
    sites = [sorted({way.site for way in ways}) for ways in set_.ways]
    limits = f if set_.most_cuts else 0
    rows = np.zeros((2 * f * t + sum(map(len, sites)) + limits, n + t + f * t))
    upper: list[float] = []
    for k, (body, ways) in enumerate(zip(set_.bodies, set_.ways, strict=True)):
        at = slice(starts[k], starts[k + 1])
        for j, name in enumerate(names):
            tol, unit = set_.tolerances[name], masses[k] if name == "balance_mm" else 1.0
            line = np.array([forms[name](way.body) for way in ways]) / unit
            room, wider, start = tol, np.zeros(len(ways)), forms[name](body) / unit
            if name == "balance_mm":
                # A balance band widens with the mass put on.
                wider = room / unit * np.array([way.body.mass for way in ways])
                room *= body.mass / unit
            for sign in (1.0, -1.0):
                row = len(upper)
                rows[row, at] = sign * line - wider
                rows[row, n + j] = -sign
                rows[row, n + t + k * t + j] = -tol
                upper.append(room - sign * start)
        for site in sites[k]:
            rows[len(upper), at] = [float(way.site == site) for way in ways]
            upper.append(1.0)
        if set_.most_cuts:
            rows[len(upper), at] = [float(way.cuts) for way in ways]
            upper.append(set_.most_cuts)
    return rows, np.array(upper)


def _forms(axis: float, middle: float) -> dict[str, Callable[[Body], float]]:
    return {
        "mass_g": lambda body: body.mass,
        "balance_mm": lambda body: body.moment - middle * body.mass,
        "swing_kgcm2": lambda body: body.swing_kgcm2(axis),
        # Linear about a fixed point: off by M (b − middle)², a hair near the balance.
        "recoil_kgcm2": lambda body: body.swing_kgcm2(middle),
    }
