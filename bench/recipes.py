"""What recipes cost: random briefs and sets, beside the plain enumeration of small cases.

    .venv/bin/python -m bench.recipes

Prints figures beside their targets; it judges nothing.
"""

from __future__ import annotations

import random
import time

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.presets import racket_by_head
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.quantities import plain_figures
from kentrobar.core.recipes.brief import (
    Brief,
    Goal,
    Goals,
    PlugSite,
    Putty,
    StripSite,
    Tape,
)
from kentrobar.core.recipes.candidates import candidates
from kentrobar.core.recipes.explain import solve
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.match import match
from tests.core.plain import cost_of, enumerated

RACKET = racket_by_head(98)
READ = Measured(mass_g=316.8, balance_mm=323.5, swing_kgcm2=314.6, axis_mm=100, twist_kgcm2=13.4)
TAPE = Tape(name="tape", g_per_mm=0.0098, step_mm=6.35, max_layers=2)
PUTTY = Putty(name="putty", step_g=0.5, max_g=30)
SITES = (
    StripSite(name="3 & 9", clock=3, mirror=True, line="face", max_length_mm=150),
    StripSite(name="tip", clock=12, line="edge", max_length_mm=150, keep_out_mm=[(-8.0, 8.0)]),
    StripSite(name="10 & 2", clock=2, mirror=True, line="inner", max_length_mm=100),
    PlugSite(name="handle", from_mm=5, to_mm=40),
)
BRIEFS = 200


def main() -> None:
    started = time.perf_counter()
    import scipy.optimize  # noqa: F401  HiGHS, loaded once in a process, by the first wish out of reach

    print(f"loading HiGHS, once: {time.perf_counter() - started:.2f} s")
    solve(brief(random.Random(0)))
    times, reached, short = [], 0, 0
    for seed in range(BRIEFS):
        asked = brief(random.Random(seed))
        started = time.perf_counter()
        answer = solve(asked)
        reached += answer.status == "ok"
        short += not answer.is_whole
        times.append(time.perf_counter() - started)
    times.sort()
    print(
        f"{BRIEFS} random briefs, 4 sites, 3 recipes: median {times[BRIEFS // 2]:.2f} s (under"
        f" 0.3), worst {times[-1]:.2f} s (under 2); {reached} reached,"
        f" {short / BRIEFS:.1%} cut short"
    )
    for count, limit in ((8, 3), (12, 8)):
        started = time.perf_counter()
        found = match(a_set(count))
        print(
            f"a set of {count}: {time.perf_counter() - started:.2f} s (under {limit}),"
            f" {found.status}, {found.added_g:.1f} g in all"
            f"{'' if found.is_whole else ', cut short: a lighter set may exist'}"
        )
    enumeration()


def brief(rng: random.Random) -> Brief:
    """Half ask for what a hidden plan gives, half for anything near."""
    ways = candidates(RACKET, (TAPE, PUTTY), SITES)
    body = READ.body()
    for site in range(len(SITES)):
        if rng.random() < 0.6:
            body = body + rng.choice([way for way in ways if way.site == site]).body
    figures = plain_figures(body, 100)
    if rng.random() < 0.5:
        figures["swing_kgcm2"] += rng.uniform(-4, 4)
    names = ("mass_g", "balance_mm", "swing_kgcm2")
    goals = Goals(**{name: Goal(value=figures[name], tol=1.0) for name in names})
    priority = rng.choice(("swing", "balance", "inertia"))
    return Brief(
        frame=RACKET,
        measured=READ,
        targets=goals,
        materials=(TAPE, PUTTY),
        sites=SITES,
        priority=priority,
    )


def a_set(count: int) -> FrameSet:
    rng = random.Random(1)
    members = []
    for i in range(count):
        mass, balance = rng.uniform(313, 319), rng.uniform(319, 324)
        swing = rng.gauss(156, 0.8) + mass * (balance - 100) ** 2 / KGCM2
        read = Measured(mass_g=mass, balance_mm=balance, swing_kgcm2=swing, axis_mm=100)
        members.append(Member(name=f"no. {i}", frame=RACKET, measured=read))
    tolerances = {"mass_g": 1.0, "balance_mm": 1.0, "swing_kgcm2": 1.0}
    return FrameSet(
        frames=tuple(members), tolerances=tolerances, materials=(TAPE, PUTTY), sites=SITES
    )


def enumeration() -> None:
    """Small cases gone through plainly, one combination after the other, beside what is found."""
    for seed in range(5):
        rng = random.Random(seed)
        sites = (SITES[0], SITES[3])
        ways = candidates(RACKET, (TAPE, PUTTY), sites)
        hidden = READ.body() + rng.choice(ways[:40]).body + ways[-rng.randrange(1, 30)].body
        figures = plain_figures(hidden, 100)
        goals = Goals(
            **{
                name: Goal(value=figures[name], tol=1.0)
                for name in ("mass_g", "balance_mm", "swing_kgcm2")
            }
        )
        asked = Brief(
            frame=RACKET,
            measured=READ,
            targets=goals,
            materials=(TAPE, PUTTY),
            sites=sites,
            recipes=1,
        )
        started = time.perf_counter()
        best, _, tried = enumerated(asked) or (float("nan"), 0, 0)
        plain = time.perf_counter() - started
        started = time.perf_counter()
        found = cost_of(asked, solve(asked).recipes[0])
        took = time.perf_counter() - started
        same = "the same optimum" if abs(found - best) < 1e-6 else "NOT THE SAME"
        print(
            f"plain enumeration of {tried}: {best:.4f} in {plain:.2f} s; "
            f"the search: {found:.4f} in {took:.3f} s, {same}"
        )


if __name__ == "__main__":
    main()
