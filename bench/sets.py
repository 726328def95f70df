"""What sets cost: how long, how far above what is proven, and whether a looser tolerance ever costs
more.

    .venv/bin/python -m bench.sets [--prove]

With ``--prove``, HiGHS bounds the last two by whole cuts as well, for some minutes. Prints figures
beside their targets; it judges nothing.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from dataclasses import replace

from kentrobar.core.recipes.frame_set import FrameSet
from kentrobar.core.recipes.match import match
from kentrobar.core.recipes.programmes import solved
from kentrobar.core.recipes.relaxed import _rows, relaxed
from kentrobar.core.recipes.set_search import SetSearch
from kentrobar.core.recipes.solve import Search

from .recipes import EIGHT, MANY, SITES, a_set

THREE_SITES = (SITES[0], SITES[1], SITES[3])
BRANCHES = 6000
TOLERANCES = (0.5, 0.75, 1.0, 1.5, 2.5)


def main() -> None:
    match(a_set(2))  # loads what is loaded once
    for name, frames in sets():
        started = time.perf_counter()
        found = match(frames)
        took = time.perf_counter() - started
        bound = found.bound_g
        # The surest within half a gram is taken: the lightest is what a bound is held against.
        least = match(replace(frames, weights=replace(frames.weights, near=0.0))).moved_g
        over = (
            f"the lightest {least:.2f} g, {100 * (least / bound - 1):.1f} % over {bound:.2f} g"
            if bound else "no bound"
        )  # fmt: skip
        print(
            f"{name}: {took:.2f} s, {found.status}, {found.moved_g:.2f} g, {over},"
            f" {100 * found.chance:.0f} % sure",
            flush=True,
        )
    looser()
    if "--prove" in sys.argv:
        prove()


def sets() -> Iterator[tuple[str, FrameSet]]:
    three = a_set(5, sites=THREE_SITES)
    many = a_set(12, MANY, EIGHT, 4.5)
    yield "five frames, three sites, two materials (under 2 s)", replace(three, judged="spread")
    yield "the same by their distance from a target", three
    yield "twelve frames, four sites, two materials", replace(a_set(12), judged="spread")
    yield "twelve, eight sites, four materials (under 6 s, 2 %)", replace(many, judged="spread")
    yield "the same by their distance from a target", many


def prove() -> None:
    """What whole cuts come to at least, as far as HiGHS proves it in so many branches: sets with
    too many loads to list."""
    import numpy as np

    for name, frames in list(sets())[-2:]:
        search = SetSearch(frames, Search(None))
        set_ = search._together(search.tolerances)
        parts = relaxed(set_)
        assert parts is not None
        middle = parts.target["balance_mm"]
        heavy = [body.mass + g for body, g in zip(set_.bodies, parts.moved_g, strict=True)]
        ways = [way for ways in set_.ways for way in ways]
        starts = np.cumsum([0, *map(len, set_.ways)])
        rows, most = _rows(set_, starts, middle, heavy)
        n, more = len(ways), rows.shape[1] - len(ways)
        targets = np.array([np.inf] * len(set_.tolerances))
        beyond = np.zeros(more - len(targets))
        found = solved(
            np.array([way.body.mass for way in ways] + [0.0] * more), rows, most,
            np.concatenate([np.zeros(n), -targets, beyond]),
            np.concatenate([np.ones(n), targets, beyond]),
            np.array([1.0] * n + [0.0] * more), BRANCHES,
        )  # fmt: skip
        print(f"{name}: by whole cuts at least {found.least if found else 0:.2f} g", flush=True)


def looser() -> None:
    """Nineteen sets at five tolerances: how often a looser one costs more, or is out of reach."""
    dearer, lost, worst = 0, 0, 0.0
    for i in range(19):
        frames = a_set(2 + i % 4, seed=i, sites=SITES if i % 2 else THREE_SITES)
        frames = replace(frames, judged="spread" if i % 3 else "distance")
        before: float | None = None
        for tol in TOLERANCES:
            found = match(replace(frames, tolerances=dict.fromkeys(frames.tolerances, tol)))
            if found.is_ok:
                more = found.moved_g - (found.moved_g if before is None else before)
                dearer, worst = dearer + (more > 1e-3), max(worst, more)
                before = found.moved_g
            elif before is not None:
                lost += 1
    print(
        f"19 sets at 5 tolerances: a looser one dearer {dearer} times (0), at worst by"
        f" {worst:.2f} g; out of reach where a tighter one was met {lost} times (0)"
    )


if __name__ == "__main__":
    main()
