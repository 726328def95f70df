"""Blind trials: two set-ups under coded covers, a drawn order, and the exact chance of doing as
well by guessing."""

from __future__ import annotations

from collections.abc import Sequence
from math import comb
from random import Random

from kentrobar.core.words import Message, message


def drawn(rounds: int, rng: Random) -> str:
    """An order of ``A`` and ``B``, as many of each as can be, that nobody can foresee."""
    half = rounds // 2
    order = list("A" * half + "B" * half + (rng.choice("AB") if rounds % 2 else ""))
    rng.shuffle(order)
    return "".join(order)


def at_least(right: int, rounds: int) -> float:
    """The chance to get at least so many right by guessing, each round even: Σ C(n, i) / 2ⁿ."""
    return float(sum(comb(rounds, i) for i in range(max(right, 0), rounds + 1)) / 2**rounds)


def as_uneven(first: int, rounds: int) -> float:
    """The chance that a choice without a preference falls at least so unevenly, to either side."""
    more = max(first, rounds - first)
    return min(1.0, 2 * at_least(more, rounds)) if 2 * more != rounds else 1.0


def verdict(chance: float) -> Message:
    """What such a chance makes of an outcome."""
    if chance <= 0.05:
        return message("hardly-chance")
    return message("perhaps" if chance <= 0.2 else "guessing")


def right_answers(order: str, answers: Sequence[str]) -> int:
    return sum(truth == said for truth, said in zip(order, answers, strict=False))
