"""Which pair to try next on court, and when more trying is not worth it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from math import ceil
from typing import TYPE_CHECKING

from .preference import SAME, Answer, Liking, Said, liking

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

NOTICED = {"mass_g": 4.0, "balance_mm": 4.0, "swing_kgcm2": 5.0, "twist_kgcm2": 0.5}
"""One step a player notices, of each figure: our own guess."""
SURE = 0.95
"""Probability from which the best set-up is called better than the frame as it came."""
PERHAPS = 0.75
CONFIRM = 7
"""From so many rounds on every other one holds the best against the frame as it came, until that is
known."""
WORTH = 0.15
"""Expected liking, over the noise of a judgement, that is still worth a round."""
SURER = 0.06
"""Usual gain in certainty a round."""
LEAST, MOST = 5, 14
"""Rounds before it may end, and after which it does."""
NEAR = 0.85
"""Share of the best pair's expected gain from which a pair counts as equal; the cheapest of them to
fit is taken."""
ORIGINAL = 0
HEAVIER = 0.2
"""Noticed steps of mass by which one of two counts as heavier."""
ONE_SLIP_IN = 8
"""Answers of somebody who always likes more, of which one may be the other way round."""
TOP = 0.95
"""Of the heaviest set-up's mass, from which the best lies at the end of what may be tried."""


@dataclass(frozen=True, slots=True)
class Standing:
    """How a search stands.

    Attributes:
        best: the set-up liked most so far. chance: that it is liked more than the frame as it came.
        next: the pair to try, the one on the frame first; None where it is over.
        verdict: ``going``, ``better`` or ``perhaps`` (the best is), ``beyond`` (the heavier one was
            always liked more: the best lies beyond these), ``as-it-was`` (nothing is liked more)
            or ``cannot-tell``.
        more: rounds that would still be needed to be sure, at a guess.
    """

    best: int
    chance: float
    next: tuple[int, int] | None
    verdict: str
    more: int
    liking: Liking

    @property
    def region(self) -> Array:
        """How likely each set-up is the one liked most; drawn anew each time it is asked."""
        return _region(self.liking)


def standing(
    places: Array,
    answers: Sequence[Answer],
    cost: Callable[[int, int], float] = lambda fitted, wanted: 0.0,
    most: int = MOST,
) -> Standing:
    """How it stands after some answers.

    Args:
        places: set-ups × figures in noticed steps; the first is the frame as it came.
        cost: of fitting one where another is on, in moves.
    """
    known = liking(places, answers)
    met = {ORIGINAL} | {one for a in answers for one in (a.first, a.second)}
    best = max(met, key=lambda one: (float(known.mean[one]), -one))
    chance = 0.0 if best == ORIGINAL else known.chance(best, ORIGINAL)
    gain = known.gain(best)
    gain[best] = 0.0
    promise = float(gain.max()) if len(gain) > 1 else 0.0
    rounds = len(answers)
    if rounds >= LEAST and chance >= 0.5 and _wants_more(places, answers, best):
        return Standing(best, chance, None, "beyond", 0, known)
    is_over = rounds >= most or (
        rounds >= LEAST
        and (
            (promise < WORTH and (chance >= SURE or best == ORIGINAL)) or known.tells_nothing > 0.8
        )
    )
    if is_over:
        return Standing(best, chance, None, _verdict(known, best, chance), 0, known)
    pair = _next(known, places, answers, best, gain, cost)
    to_be_sure = ceil((SURE - chance) / SURER) if best != ORIGINAL else 1
    more = max(LEAST - rounds, ceil(promise / WORTH), to_be_sure, 1)
    return Standing(best, chance, pair, "going", min(more, most - rounds), known)


def session(
    places: Array,
    answers: Sequence[Answer],
    count: int,
    cost: Callable[[int, int], float] = lambda fitted, wanted: 0.0,
    most: int = MOST,
) -> list[tuple[int, int]]:
    """The next few pairs, to be tried without asking in between: after each it is supposed that the
    player says what is expected of them. No pair comes twice; none where it is over."""
    supposed = list(answers)
    found: list[tuple[int, int]] = []
    for _ in range(count):
        now = standing(places, supposed, cost, most)
        if now.next is None:
            break
        first, second = now.next
        if {first, second} in [set(pair) for pair in found]:
            break
        found.append(now.next)
        apart = float(now.liking.mean[first] - now.liking.mean[second])
        said: Said = "same" if abs(apart) < SAME else "better" if apart > 0 else "worse"
        supposed.append(Answer(first, second, said))
    return found


def _wants_more(places: Array, answers: Sequence[Answer], best: int) -> bool:
    """Whether the heavier of two was always liked more, up to the heaviest there is."""
    mass = places[:, 0]
    apart = [(float(mass[a.first] - mass[a.second]), a.said) for a in answers]
    told = [(said == "better") == (heavier > 0) for heavier, said in apart
            if said != "same" and abs(heavier) > HEAVIER]  # fmt: skip
    is_at_top = float(mass[best]) >= TOP * float(mass.max())
    return is_at_top and len(told) >= LEAST - 1 and told.count(False) <= len(told) // ONE_SLIP_IN


def _verdict(known: Liking, best: int, chance: float) -> str:
    if best != ORIGINAL and chance >= PERHAPS:
        return "better" if chance >= SURE else "perhaps"
    return "cannot-tell" if known.tells_nothing > 0.5 else "as-it-was"


def _next(
    known: Liking,
    places: Array,
    answers: Sequence[Answer],
    best: int,
    gain: Array,
    cost: Callable[[int, int], float],
) -> tuple[int, int]:
    """The best so far against the one that promises most; the best against the frame as it came
    where that is what is not known yet."""
    import numpy as np

    last = answers[-1] if answers else None
    fitted = ORIGINAL if last is None else last.second
    most = float(gain.max())
    is_unsure = PERHAPS <= known.chance(best, ORIGINAL) < SURE
    if best != ORIGINAL and (
        most < WORTH or (is_unsure and len(answers) >= CONFIRM and len(answers) % 2)
    ):
        return _cheaper(best, ORIGINAL, fitted, cost)
    near = [int(i) for i in np.flatnonzero(gain >= NEAR * most)]
    chosen = min(near, key=lambda one: (cost(fitted, one), -float(gain[one])))
    return _cheaper(best, chosen, fitted, cost)


def _cheaper(
    one: int, other: int, fitted: int, cost: Callable[[int, int], float]
) -> tuple[int, int]:
    """In the order that takes fewer moves from what is on."""
    ways = [(cost(fitted, a) + cost(a, b), a, b) for a, b in ((one, other), (other, one))]
    return min(ways)[1:]


def _region(known: Liking, draws: int = 400) -> Array:
    """How often each set-up is the one liked most, of likings drawn at random."""
    import numpy as np

    rng = np.random.default_rng(7)
    found = np.zeros(len(known.mean))
    for weight, mean, spread in zip(known.belief, known.means, known.spreads, strict=True):
        count = round(draws * float(weight))
        if not count:
            continue
        if not spread.any():
            found += count / len(found)
            continue
        values, vectors = np.linalg.eigh(spread)
        root = vectors * np.sqrt(np.maximum(values, 0.0))
        drawn = mean + rng.normal(size=(count, len(mean))) @ root.T
        found += np.bincount(drawn.argmax(axis=1), minlength=len(found))
    return np.asarray(found / max(found.sum(), 1e-9), float)
