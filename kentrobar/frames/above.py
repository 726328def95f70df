"""What rooms above know of a frame and a page of it needs: they say so once, at start.

``frames`` may not ask them (plans stand above it), so they hand in a function: how to count them on
the list, whether any of them needs a figure that frames can do without, and what a product on the
shelf weighs.
"""

from __future__ import annotations

from collections.abc import Callable

from django.db import models

from .models import Frame

Product = tuple[str, float]
"""Its name, and the grams of one piece."""
Counter = Callable[["models.QuerySet[Frame]"], "models.QuerySet[Frame]"]

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
