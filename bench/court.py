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

from kentrobar.core.court.preference import Answer, Said
from kentrobar.core.court.search import MOST, NOTICED, session, standing
from kentrobar.core.numbers import nominal
from tests.core.frames import READ

GRAMS = ((0.0, 1.5, 3.0, 4.5), (0.0, 2.0, 4.0, 6.0), (0.0, 3.0, 6.0, 9.0))
HEAVIEST = 12.0
LONGEST = 60
FELT = (1.0, 1.5, 2.2)
"""Liking lost a step, over the noise of one judgement: a step that is noticed is told by three of
four, and by nearly all."""


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


def searched(one: Player, at_once: int = 1) -> tuple[int, int, str, bool]:
    """(pairs to be near and stay so, pairs till it ended, verdict, near at the end), ``at_once``
    pairs tried in a session."""
    _, places = setups()
    answers: list[Answer] = []
    kept: list[bool] = []
    while True:
        now = standing(places, answers)
        kept.append(one.is_near(places[now.best]))
        pairs = session(places, answers, at_once)
        if now.next is None or not pairs:
            return stays(kept, at_once), len(answers), now.verdict, kept[-1]
        for a, b in pairs:
            answers.append(Answer(a, b, one.says(places[a], places[b])))


def stays(kept: list[bool], step: int = 1) -> int:
    """Pairs after which what is kept is near and stays so until the end; LONGEST where it is not at
    the end."""
    if not kept[-1]:
        return LONGEST
    first = len(kept) - 1
    while first > 0 and kept[first - 1]:
        first -= 1
    return first * step


def in_any_order(one: Player) -> int:
    """Pairs to be near and stay so: every set-up once, the winner staying on."""
    _, places = setups()
    best, kept = 0, []
    for other in one.rng.permutation(np.arange(1, len(places))):
        kept.append(one.is_near(places[best]))
        if one.says(places[other], places[best]) == "better":
            best = int(other)
    return stays([*kept, one.is_near(places[best])])


def site_by_site(one: Player) -> int:
    """Pairs to be near and stay so: a little more or less at one site after the other, until a
    round over all of them changes nothing."""
    grams, places = setups()
    number = {g: i for i, g in enumerate(grams)}
    kept: list[bool] = []
    best, is_changed = grams[0], True
    while is_changed and len(kept) < LONGEST:
        is_changed = False
        for site, way in itertools.product(range(3), (1, -1)):
            while True:
                at = GRAMS[site].index(best[site]) + way
                tried = (*best[:site], *GRAMS[site][max(at, 0) : at + 1], *best[site + 1 :])
                if at < 0 or tried not in number:
                    break
                kept.append(one.is_near(places[number[best]]))
                if one.says(places[number[tried]], places[number[best]]) != "better":
                    break
                best, is_changed = tried, True
    return stays([*kept, one.is_near(places[number[best]])])


def of_one(seed: int) -> tuple[Any, Any, Any, int, int]:
    return (
        searched(player(seed)), searched(player(seed), 2), searched(player(seed), 3),
        in_any_order(player(seed)), site_by_site(player(seed)),
    )  # fmt: skip


class Greedy(Player):
    """Likes whatever is heavier."""

    def likes(self, place: Any) -> float:
        return self.felt * float(place[0])


class Tiring(Player):
    """Likes the second of two better the longer it goes on, and errs twice as much."""

    said = 0

    def says(self, one: Any, other: Any) -> Said:
        self.said += 1
        d = self.likes(one) - self.likes(other) - 0.06 * self.said
        d += self.rng.normal(0, 2 * 2**0.5)
        return "same" if abs(d) < 0.5 else "better" if d > 0 else "worse"


class Ridge(Player):
    """Tells swing weight and balance alone."""

    def likes(self, place: Any) -> float:
        return -self.felt * float(np.linalg.norm((place - self.ideal)[1:3]))


class Torn(Player):
    """Likes two quite different set-ups as much as each other."""

    def likes(self, place: Any) -> float:
        other = -0.7 * self.ideal
        return -self.felt * float(min(np.linalg.norm(place - one) for one in (self.ideal, other)))

    def is_near(self, place: Any) -> bool:
        return bool(min(np.abs(place - one).max() for one in (self.ideal, -0.7 * self.ideal)) <= 1)


HARSHER = {
    "likes the heavier": Greedy,
    "errs twice, tires": Tiring,
    "tells two figures": Ridge,
    "has two ideals": Torn,
}


def of_harsher(task: tuple[str, int]) -> tuple[int, int, str, bool]:
    name, seed = task
    usual = player(seed)
    return searched(HARSHER[name](usual.ideal, usual.felt, usual.rng))


def of_nothing(seed: int) -> tuple[int, str]:
    _, pairs, verdict, _ = searched(player(seed, 0.0))
    return pairs, verdict


def main(count: int) -> None:
    started = time.perf_counter()
    print(f"{len(setups()[0])} set-ups, {count} players, at most {MOST} pairs")
    with Pool(2) as pool:
        rows = pool.map(of_one, range(count))
        nothing = pool.map(of_nothing, range(count))
        harsher = {
            name: pool.map(of_harsher, [(name, seed) for seed in range(count // 4)])
            for name in HARSHER
        }
    print("pairs until what is kept is within a step and stays so (median; share that gets there):")
    ours = [one[0] for one, *_ in rows]
    ways = {
        "searched, a pair at a time": ours, "searched, two a session": [r[1][0] for r in rows],
        "searched, three a session": [r[2][0] for r in rows],
        "every one, in any order": [r[3] for r in rows], "one site at a time": [r[4] for r in rows],
    }  # fmt: skip
    for name, found in ways.items():
        share = sum(pairs < LONGEST for pairs in found) / count
        print(f"  {name:28}{median(found):>6.1f}{share:>7.0%}")
    print(f"ended after {median(one[1] for one, *_ in rows)} pairs")
    for i, felt in enumerate(FELT):
        print(f"  liking lost {felt} a step: {median(ours[i :: len(FELT)])} pairs")
    said = [one[2] for one, *_ in rows]
    print("verdicts:", {one: said.count(one) for one in sorted(set(said))})
    false = sum(verdict == "better" for _, verdict in nothing) / count
    print(f"players who feel nothing: called better {false:.1%}, ", end="")
    told = sum(verdict == "cannot-tell" for _, verdict in nothing) / count
    print(f"found out {told:.0%}, after {median(pairs for pairs, _ in nothing)} pairs")
    for name, found in harsher.items():
        ends = [verdict for _, _, verdict, _ in found]
        said_at_the_end = {one: ends.count(one) for one in sorted(set(ends))}
        near = sum(is_near for *_, is_near in found) / len(found)
        pairs = median(pairs for _, pairs, *_ in found)
        print(f"  {name:20} after {pairs} pairs {said_at_the_end}, within a step {near:.0%}")
    print(f"{time.perf_counter() - started:.0f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
