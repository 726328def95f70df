"""What recipes cost: random briefs, beside the plain enumeration of small cases.

    .venv/bin/python -m bench.recipes

Prints figures beside their targets; it judges nothing.
"""

from __future__ import annotations

import random
import time
from typing import Any

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.presets import racket_by_head
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import plain_figures
from kentrobar.core.recipes.brief import (
    Brief,
    Goal,
    Goals,
    PlugSite,
    Putty,
    RecipeMaterial,
    Site,
    StripSite,
    Tape,
    ThroatSite,
    Weights,
)
from kentrobar.core.recipes.candidates import candidates
from kentrobar.core.recipes.explain import solve
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.solve import Progress, Search, find
from tests.core.plain import cost_of, enumerated

RACKET = racket_by_head(98)
READ = Measured(mass_g=316.8, balance_mm=323.5, swing_kgcm2=314.6, axis_mm=100, twist_kgcm2=13.4)
TAPE = Tape(name="tape", g_per_mm=0.0098, step_mm=6.35, max_layers=2)
PUTTY = Putty(name="putty", step_g=0.5, max_g=30)
HEAVY = Tape(name="heavy", g_per_mm=0.0161, step_mm=6.35, max_layers=2)
LIGHT = Tape(name="light", g_per_mm=0.0074, step_mm=6.35, max_layers=2)
MANY = (TAPE, HEAVY, LIGHT, PUTTY)
SITES = (
    StripSite(name="3 & 9", clock=3, mirror=True, line="face", max_length_mm=150),
    StripSite(name="tip", clock=12, line="edge", max_length_mm=150, keep_out_mm=((-8.0, 8.0),)),
    StripSite(name="10 & 2", clock=2, mirror=True, line="inner", max_length_mm=100),
    PlugSite(name="handle", from_mm=5, to_mm=40),
)
EIGHT = (
    *SITES,
    StripSite(name="4 & 8", clock=4, mirror=True, line="face", max_length_mm=120),
    StripSite(name="5 & 7", clock=5, mirror=True, line="face", max_length_mm=100),
    StripSite(name="1 & 11", clock=1, mirror=True, line="inner", max_length_mm=80),
    ThroatSite(name="throat", from_mm=215, to_mm=300),
)
BRIEFS = 200
SIX_CUTS = Weights(most_cuts=6)


def main() -> None:
    started = time.perf_counter()
    import highspy  # noqa: F401  loaded once in a process, by the first wish out of reach

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
    many_sites()
    enumeration()


def many_sites() -> None:
    """Eight sites, four materials, three targets: the first answer, the proof, the cuts."""
    for weights, name in ((Weights(), "any cuts"), (SIX_CUTS, "six cuts where they do")):
        firsts, times, gaps, cuts, alike, several = [], [], [], [], 0, 0
        for seed in range(12):
            asked = brief(random.Random(seed), MANY, EIGHT, weights)
            started = time.perf_counter()
            seen: list[float] = []

            def watch(progress: Progress, started: float = started, seen: Any = seen) -> bool:
                if progress.recipes:
                    seen.append(time.perf_counter() - started)
                return True

            found = find(asked, Search(watch))
            times.append(time.perf_counter() - started)
            firsts.append(seen[0] if seen else times[-1])
            for recipe in found.recipes if found.status == "ok" else ():
                gaps.append(recipe.gap)
                cuts.append(recipe.cuts)
                lengths = [one.length_mm for one in recipe.pieces if isinstance(one, Strip)]
                several += len(lengths) > 1
                alike += len(lengths) > 1 and len({round(one, 3) for one in lengths}) < len(lengths)
        print(
            f"8 sites, 4 materials, {name}: first answer {max(firsts):.2f} s at worst (0.5), whole"
            f" search {max(times):.2f} s (6), gap {max(gaps):.2f} g at worst; {max(cuts)} cuts at"
            f" most; {alike} of {several} recipes with several strips cut alike"
        )


def brief(
    rng: random.Random,
    materials: tuple[RecipeMaterial, ...] = (TAPE, PUTTY),
    sites: tuple[Site, ...] = SITES,
    weights: Weights = Weights(),  # noqa: B008  (frozen)
) -> Brief:
    """Half ask for what a hidden plan gives, half for anything near."""
    ways = candidates(RACKET, materials, sites)
    body = READ.body()
    for site in range(len(sites)):
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
        materials=materials,
        sites=sites,
        priority=priority,
        weights=weights,
    )


def a_set(
    count: int,
    materials: tuple[RecipeMaterial, ...] = (TAPE, PUTTY),
    sites: tuple[Site, ...] = SITES,
    apart: float = 3.0,
    seed: int = 1,
) -> FrameSet:
    """Frames up to twice ``apart`` g and nearly as many mm apart."""
    rng = random.Random(seed)
    members = []
    for i in range(count):
        mass = rng.uniform(316 - apart, 316 + apart)
        balance = rng.uniform(321.5 - apart * 5 / 6, 321.5 + apart * 5 / 6)
        swing = rng.gauss(156, 0.8) + mass * (balance - 100) ** 2 / KGCM2
        read = Measured(mass_g=mass, balance_mm=balance, swing_kgcm2=swing, axis_mm=100)
        members.append(Member(name=f"no. {i}", frame=RACKET, measured=read))
    tolerances = {"mass_g": 1.0, "balance_mm": 1.0, "swing_kgcm2": 1.0}
    return FrameSet(frames=tuple(members), tolerances=tolerances, materials=materials, sites=sites)


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
