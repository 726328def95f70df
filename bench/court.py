"""Finding a set-up on court: .venv/bin/python -m bench.court [PLAYERS]

Players (1 000) with a hidden ideal among set-ups of tip, sides and butt, whose judgements err as
people's do, search as the court page has them search; beside them the same players try set-ups one
after the other in any order (the winner stays), or change one site at a time. Counted is the first
pair after which what is kept lies within one noticed step of the ideal in every figure. Then as
many players who feel nothing: how often something is called better all the same.
"""

from __future__ import annotations

import itertools
import sys
import time
from dataclasses import dataclass
from functools import cache
from multiprocessing import Pool
from statistics import median
from typing import Any

import numpy as np

from kentrobar.core import Frame, Strip, predict
from kentrobar.core.court.preference import Answer, Said
from kentrobar.core.court.search import MOST, NOTICED, standing
from kentrobar.core.numbers import nominal
from tests.core.frames import READ, TERN

GRAMS = ((0.0, 1.5, 3.0, 4.5), (0.0, 2.0, 4.0, 6.0), (0.0, 3.0, 6.0, 9.0))
HEAVIEST = 12.0
LONGEST = 60
FELT = (0.7, 1.2, 2.0)
"""Liking lost a step, over the noise of one judgement."""


@cache
def setups() -> tuple[tuple[tuple[float, ...], ...], Any]:
    """(grams at tip, sides and butt of each, places in noticed steps)."""
    grams = [one for one in itertools.product(*GRAMS) if sum(one) <= HEAVIEST]
    body = READ.body()
    places = []
    for tip, sides, butt in grams:
        changed = body + _point(tip, 680.0) + _point(sides, 525.0, 118.0) + _point(butt, 15.0)
        axis = READ.axis_mm or 100.0
        places.append([
            (nominal(changed.mass) - nominal(body.mass)) / NOTICED["mass_g"],
            (nominal(changed.balance) - nominal(body.balance)) / NOTICED["balance_mm"],
            (nominal(changed.swing(axis)) - nominal(body.swing(axis))) / 1e5
            / NOTICED["swing_kgcm2"],
            (nominal(changed.twist) - nominal(body.twist)) / 1e5 / NOTICED["twist_kgcm2"],
        ])  # fmt: skip
    return tuple(grams), np.array(places)


def _point(grams: float, x: float, y: float = 0.0) -> Any:
    from kentrobar.core.pieces.body import Body

    return Body(grams, grams * x, grams * x * x, grams * y * y)


@dataclass
class Player:
    ideal: Any
    felt: float
    rng: np.random.Generator

    def likes(self, place: Any) -> float:
        return -self.felt * float(np.linalg.norm(place - self.ideal))

    def says(self, one: Any, other: Any) -> Said:
        noise = self.rng.normal(0, 2**0.5)
        d = self.likes(one) - self.likes(other) + noise
        return "same" if abs(d) < 0.5 else "better" if d > 0 else "worse"

    def is_near(self, place: Any) -> bool:
        return bool(np.abs(place - self.ideal).max() <= 1)


def player(seed: int, felt: float | None = None) -> Player:
    rng = np.random.default_rng(seed)
    _, places = setups()
    ideal = places[rng.integers(len(places))] + rng.normal(0, 0.3, places.shape[1])
    return Player(ideal, FELT[seed % len(FELT)] if felt is None else felt, rng)


def searched(one: Player) -> tuple[int | None, int, str, bool]:
    """(pairs to be near, pairs till it ended, verdict, near at the end)."""
    _, places = setups()
    answers: list[Answer] = []
    near = None
    while True:
        now = standing(places, answers)
        if near is None and one.is_near(places[now.best]):
            near = len(answers)
        if now.next is None:
            return near, len(answers), now.verdict, one.is_near(places[now.best])
        a, b = now.next
        answers.append(Answer(a, b, one.says(places[a], places[b])))


def in_any_order(one: Player) -> int:
    """Pairs to be near, the winner staying on."""
    _, places = setups()
    best = 0
    order = one.rng.permutation(np.arange(1, len(places)))
    for pairs, other in enumerate(order):
        if one.is_near(places[best]):
            return pairs
        if one.says(places[other], places[best]) == "better":
            best = int(other)
    return LONGEST


def site_by_site(one: Player) -> int:
    grams, places = setups()
    number = {g: i for i, g in enumerate(grams)}
    best, pairs = grams[0], 0
    while pairs < LONGEST:
        for site in range(3):
            for way in (1, -1):
                while pairs < LONGEST:
                    if one.is_near(places[number[best]]):
                        return pairs
                    at = GRAMS[site].index(best[site]) + way
                    if not 0 <= at < len(GRAMS[site]):
                        break
                    tried = (*best[:site], GRAMS[site][at], *best[site + 1 :])
                    if tried not in number:
                        break
                    pairs += 1
                    if one.says(places[number[tried]], places[number[best]]) != "better":
                        break
                    best = tried
    return LONGEST


def of_one(seed: int) -> tuple[Any, int, int]:
    return searched(player(seed)), in_any_order(player(seed)), site_by_site(player(seed))


def of_nothing(seed: int) -> tuple[int, str]:
    _, pairs, verdict, _ = searched(player(seed, 0.0))
    return pairs, verdict


def main(count: int) -> None:
    started = time.perf_counter()
    print(f"{len(setups()[0])} set-ups, {count} players, at most {MOST} pairs")
    with Pool(2) as pool:
        rows = pool.map(of_one, range(count))
        nothing = pool.map(of_nothing, range(count))
    ours = [near if near is not None else LONGEST for (near, *_), _, _ in rows]
    print(f"pairs to be within a step: searched {median(ours)}, ", end="")
    print(
        f"in any order {median(b for _, b, _ in rows)}, site by site {median(c for *_, c in rows)}"
    )
    print(f"ended after {median(one[1] for one, _, _ in rows)} pairs, ", end="")
    print(f"near then {sum(one[3] for one, _, _ in rows) / count:.0%}")
    for felt in FELT:
        some = [near for near, i in zip(ours, range(count), strict=True) if FELT[i % 3] == felt]
        print(f"  {felt} a step: {median(some)}")
    said = [one[2] for one, _, _ in rows]
    print("verdicts:", {one: said.count(one) for one in sorted(set(said))})
    false = sum(verdict == "better" for _, verdict in nothing) / count
    print(f"players who feel nothing: called better {false:.1%}, ", end="")
    told = sum(verdict == "cannot-tell" for _, verdict in nothing) / count
    print(f"found out {told:.0%}, after {median(pairs for pairs, _ in nothing)} pairs")
    print(f"{time.perf_counter() - started:.0f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
