"""What rooms above know of a frame and a page of it needs: they say so once, at start.

``frames`` may not ask them (plans stand above it), so they hand in a function: how to count them on
the list, whether any of them needs a figure that frames can do without, what a product on the shelf
weighs, and what was asked for at the counter.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from django.db import models

from .models import Frame

Product = tuple[str, float]
"""Its name, and the grams of one piece."""
Counter = Callable[["models.QuerySet[Frame]"], "models.QuerySet[Frame]"]


@dataclass(frozen=True, slots=True)
class Spoken:
    """What the player of a frame asked for: the words that were ticked, and all of it as text."""

    who: str
    keys: tuple[str, ...]
    text: str


_spoken: list[Callable[[Frame], Spoken | None]] = []
_counters: list[Counter] = []
_wants_twist: list[Callable[[Frame], bool]] = []
_shelves: list[Callable[[], list[Product]]] = []


def counts_with(counter: Counter) -> None:
    """From now on, annotate lists of frames with this."""
    _counters.append(counter)


def asks_for_twist(asker: Callable[[Frame], bool]) -> None:
    """From now on, ask this whether a frame's twist weight is needed."""
    _wants_twist.append(asker)


def lies_on(shelf: Callable[[], list[Product]]) -> None:
    """From now on, ask this what is on the shelf by the piece."""
    _shelves.append(shelf)


def hears(ear: Callable[[Frame], Spoken | None]) -> None:
    """From now on, ask this what the player of a frame asked for."""
    _spoken.append(ear)


def spoken_of(frame: Frame) -> Spoken | None:
    """What was asked for at the counter, else what is written down with the frame; None where
    nothing was said."""
    heard = next((found for ear in _spoken if (found := ear(frame))), None)
    if heard is None and frame.note:
        return Spoken(str(frame.player or ""), (), frame.note)
    return heard


def counted_products() -> list[Product]:
    return [product for shelf in _shelves for product in shelf()]


def each_g(name: str) -> float | None:
    """What one piece of a product on the shelf weighs, as written there; None where it is not."""
    known = {one.lower(): grams for one, grams in counted_products()}
    return known.get(name.lower())


def counted(frames: models.QuerySet[Frame]) -> models.QuerySet[Frame]:
    for counter in _counters:
        frames = counter(frames)
    return frames


def wants_twist(frame: Frame) -> bool:
    return any(asker(frame) for asker in _wants_twist)
