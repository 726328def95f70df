"""The common target of a set that moves the fewest grams: every frame's whole steps and the target
solved for at once, by HiGHS.

Unknowns: a binary for every candidate of every frame, the target of every figure, and by how much a
frame lies beyond its tolerance of it. A balance is linear as the moment about the target; where the
target is free, it is solved for about the last one found until it stands still.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, NamedTuple

from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import plain_figures

from .candidates import Candidate
from .programme import as_light
from .programmes import solved

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Row = NDArray[np.float64]

BEYOND = 1000.0
"""Grams that one tolerance beyond the target counts as: a frame is left outside only where nothing
brings it in."""
ROUNDS = 4
QUICK_S = 2.0
"""Seconds at most for a target as if tape could be cut anywhere."""
SNUG = 0.5
"""Share of the tolerances that counts as well inside: room for hands and readings."""
SNUG_GAP = 0.1
SNUG_S = 1.5
"""Seconds at most for looking there."""
SETTLED_MM = 1e-3
GAP = 0.02
"""Share of its grams the set may be from the lightest when the search is called done."""


@dataclass(frozen=True, slots=True)
class Common:
    """``target`` of each figure; ``chosen`` candidates of each frame, by index. ``is_proven`` where
    no lighter set was left unlooked at, ``is_met`` where what is chosen brings every frame inside;
    ``moved_g`` are grams put on and taken off, ``light_g`` those up to which the set counts as
    light as the lightest; ``beyond`` is how far outside the frames lie in all, in tolerances;
    ``masses`` is how heavy each is then."""

    target: dict[str, float]
    chosen: tuple[tuple[int, ...], ...]
    is_proven: bool
    is_met: bool = True
    moved_g: float = 0.0
    light_g: float = 0.0
    beyond: float = 0.0
    masses: tuple[float, ...] = ()


class About(NamedTuple):
    """What balances are linear about: one near the target, and how heavy each frame is then."""

    middle: float
    masses: tuple[float, ...]


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


def were_tape_cut_anywhere(set_: Together, inside: float) -> Common | None:
    """The target that would move the fewest grams if candidates could be taken in parts, every
    frame within ``inside`` of its tolerances: quick, and whole steps fall either side of it. What
    is ``beyond`` then, whole steps do not reach either."""
    snug = replace(set_, tolerances={n: tol * inside for n, tol in set_.tolerances.items()})
    found = _settled(snug, lambda about: _solve(snug, about, QUICK_S, are_whole=False))
    return found and replace(found, chosen=((),) * len(set_.bodies), is_met=False)


def common_target(
    set_: Together, near_g: float, time_left: Callable[[], float], most_g: float | None = None
) -> Common | None:
    """The target and whole steps that move the fewest grams, and of those about as light the ones
    well inside the tolerances; None where no time was left.

    Figures whose tolerance no frame can be brought into are missed by as little as can be. With
    ``most_g`` only what moves no more is looked at.
    """
    found = _lightest(set_, lambda: time_left() - SNUG_S, most_g)
    if found is None or not found.is_met:
        return found and centred(set_, found)
    light = as_light(found.moved_g, near_g)
    about = _about(set_, found)
    surer = _solve(set_, about, min(time_left(), SNUG_S), light, is_snug=True)
    if surer and all(_is_inside(set_, surer.chosen, name) for name in set_.tolerances):
        found = replace(surer, is_proven=found.is_proven)
    return replace(centred(set_, found), light_g=light)


def _lightest(
    set_: Together, time_left: Callable[[], float], most_g: float | None
) -> Common | None:
    return _settled(set_, lambda about: _solve(set_, about, time_left(), most_g))


def _settled(set_: Together, solve: Callable[[About], Common | None]) -> Common | None:
    """The target solved for about the last one found, until it stands still; the last there was
    time for."""
    about, found = _begin(set_), None
    for _ in range(ROUNDS):
        solved = solve(about)
        if solved is None:
            break
        found, before = solved, about
        about = _about(set_, found)
        if "balance_mm" not in found.target or abs(about.middle - before.middle) < SETTLED_MM:
            break
    return found


def _begin(set_: Together) -> About:
    """The balance to solve about first, and how heavy the frames are."""
    middle = sum(body.balance for body in set_.bodies) / len(set_.bodies)
    if "balance_mm" in set_.held:
        middle = sum(set_.held["balance_mm"]) / 2
    return About(middle, tuple(body.mass for body in set_.bodies))


def _about(set_: Together, found: Common) -> About:
    """The balance to solve about next, and how heavy the frames are with what is chosen."""
    return About(found.target.get("balance_mm", _begin(set_).middle), found.masses)


def centred(set_: Together, found: Common) -> Common:
    """The same set, its target in the middle of the frames where all can be held to it: the safest
    place between them."""
    middle = middle_of(set_, found.chosen)
    inside = {
        name: middle.target[name]
        for name in set_.tolerances
        if _is_inside(set_, found.chosen, name)
    }
    return replace(found, target=found.target | inside)


def middle_of(set_: Together, chosen: tuple[tuple[int, ...], ...]) -> Common:
    """Halfway between the furthest two of the frames with what is chosen, as near as it may be."""
    target = {}
    for name in set_.tolerances:
        values = _figures(set_, chosen, name)
        low, high = set_.held.get(name, (-math.inf, math.inf))
        target[name] = min(max((max(values) + min(values)) / 2, low), high)
    return Common(target, chosen, False, is_met=False)


def _is_inside(set_: Together, chosen: tuple[tuple[int, ...], ...], name: str) -> bool:
    """Whether all frames lie within their tolerance of one figure that may be aimed at."""
    values, tol = _figures(set_, chosen, name), set_.tolerances[name]
    low, high = set_.held.get(name, (-math.inf, math.inf))
    return max(max(values) - tol, low) <= min(min(values) + tol, high) + 1e-9


def _figures(set_: Together, chosen: tuple[tuple[int, ...], ...], name: str) -> list[float]:
    return [
        plain_figures(sum((ways[i].body for i in which), body), set_.axis)[name]
        for body, ways, which in zip(set_.bodies, set_.ways, chosen, strict=True)
    ]


def _forms(axis: float, middle: float) -> dict[str, Callable[[Body], float]]:
    return {
        "mass_g": lambda body: body.mass,
        "balance_mm": lambda body: body.moment - middle * body.mass,
        "swing_kgcm2": lambda body: body.swing_kgcm2(axis),
    }


def _solve(
    set_: Together,
    about: About,
    time_left: float,
    most_g: float | None = None,
    is_snug: bool = False,
    are_whole: bool = True,
) -> Common | None:
    """Solve once: for the fewest grams or, ``is_snug``, for what lies least beyond ``SNUG`` of the
    tolerances; with ``most_g`` grams at most."""
    import numpy as np

    if time_left <= 0:
        return None
    f, names = len(set_.bodies), list(set_.tolerances)
    starts = np.concatenate([[0], np.cumsum([len(ways) for ways in set_.ways])]).astype(int)
    n, t, grams = int(starts[-1]), len(names), _grams(set_)
    rows, upper = _rows(set_, starts, about, SNUG if is_snug else 1.0)
    if most_g is not None:
        heavy = np.concatenate([grams, np.zeros(t + f * t)])
        rows, upper = np.vstack([rows, heavy]), np.append(upper, most_g + 1e-6)
    low, high = _bounds(set_, names, about.middle)
    found = solved(
        np.concatenate([
            grams / 100 if is_snug else grams,
            np.zeros(t),
            np.full(f * t, 1.0 if is_snug else BEYOND),
        ]),
        rows, upper,
        np.concatenate([np.zeros(n), low, np.zeros(f * t)]),
        np.concatenate([np.ones(n), high, np.full(f * t, 1 - SNUG if is_snug else np.inf)]),
        np.concatenate([np.full(n, float(are_whole)), np.zeros(t + f * t)]),
        time_left, SNUG_GAP if is_snug else GAP,
    )  # fmt: skip
    if found is None:
        return None
    target = dict(zip(names, map(float, found.x[n : n + t]), strict=True))
    if "balance_mm" in target:
        target["balance_mm"] += about.middle
    chosen = tuple(
        tuple(int(i) for i in np.flatnonzero(found.x[starts[k] : starts[k + 1]] > 0.5))
        for k in range(f)
    )
    moved = sum(
        abs(ways[i].body.mass) for ways, which in zip(set_.ways, chosen, strict=True) for i in which
    )
    if not are_whole:
        moved = float(grams @ found.x[:n])
    added = [
        sum(x * way.body.mass for x, way in zip(found.x[starts[k] :], ways, strict=False))
        for k, ways in enumerate(set_.ways)
    ]
    masses = (body.mass + float(more) for body, more in zip(set_.bodies, added, strict=True))
    beyond = 0.0 if is_snug else float(found.x[n + t :].sum())
    return Common(
        target, chosen, found.is_done, beyond <= 1e-6, moved, beyond=beyond, masses=tuple(masses)
    )


def _rows(set_: Together, starts: Any, about: About, share: float) -> tuple[Any, Row]:
    """What holds every figure of every frame to ``share`` of its tolerance, and one candidate to a
    site: rows over (candidates, targets, beyond), and what each is at most."""
    import numpy as np

    names, forms = list(set_.tolerances), _forms(set_.axis, about.middle)
    n, t, f = int(starts[-1]), len(names), len(set_.bodies)
    sites = [sorted({way.site for way in ways}) for ways in set_.ways]
    limits = f if set_.most_cuts else 0
    rows = np.zeros((2 * f * t + sum(map(len, sites)) + limits, n + t + f * t))
    upper: list[float] = []
    for k, (body, ways) in enumerate(zip(set_.bodies, set_.ways, strict=True)):
        at = slice(starts[k], starts[k + 1])
        for j, name in enumerate(names):
            tol, unit = set_.tolerances[name], about.masses[k] if name == "balance_mm" else 1.0
            line = np.array([forms[name](way.body) for way in ways]) / unit
            room, wider, start = share * tol, np.zeros(len(ways)), forms[name](body) / unit
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


def _bounds(set_: Together, names: Sequence[str], middle: float) -> tuple[Row, Row]:
    """What each target must lie within; a balance counted from ``middle``."""
    import numpy as np

    free = (-math.inf, math.inf)
    away = [middle if name == "balance_mm" else 0.0 for name in names]
    ends = np.array([set_.held.get(name, free) for name in names]) - np.array(away)[:, None]
    return ends[:, 0], ends[:, 1]


def _grams(set_: Together) -> Any:
    """Grams of every candidate; taking a part off is work, counted as the workshop does."""
    import numpy as np

    every = (way for ways in set_.ways for way in ways)
    return np.array([way.body.mass if way.body.mass > 0 else way.cost for way in every])
