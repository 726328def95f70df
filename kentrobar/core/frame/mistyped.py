"""Slips of the fingers: what may have been meant by a number as it was typed."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import Literal

TypingSlip = Literal["digits-swapped", "digit-left-over", "digit-wrong"]


def mistyped(value: float) -> Iterator[tuple[float, TypingSlip]]:
    """(what may have been meant, the slip): two neighbours swapped, a digit too many, one digit
    that should be another. How likely each is, is for the asker to weigh."""
    text = f"{value:.10g}"
    if "e" in text:
        return
    places = [i for i, sign in enumerate(text) if sign.isdigit()]
    for i, j in pairwise(places):
        if text[i] != text[j]:
            swapped = list(text)
            swapped[i], swapped[j] = swapped[j], swapped[i]
            yield float("".join(swapped)), "digits-swapped"
    for i in range(len(text)):
        shorter = text[:i] + text[i + 1 :]
        if len(shorter.strip(".")) >= 2 and not shorter.startswith("."):
            yield float(shorter), "digit-left-over"
    for i in places:
        for other in "0123456789":
            if other != text[i] and (i or other != "0"):
                yield float(text[:i] + other + text[i + 1 :]), "digit-wrong"
