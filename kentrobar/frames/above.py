"""What rooms above know of a frame and a page of it needs: they say so once, at start.

``frames`` may not ask them (plans stand above it), so they hand in a function: how to count them on
the list, and whether any of them needs a figure that frames can do without.
"""

from __future__ import annotations

from collections.abc import Callable

from django.db import models

from .models import Frame

Counter = Callable[["models.QuerySet[Frame]"], "models.QuerySet[Frame]"]

_counters: list[Counter] = []
_wants_twist: list[Callable[[Frame], bool]] = []


def counts_with(counter: Counter) -> None:
    """From now on, annotate lists of frames with this."""
    _counters.append(counter)


def asks_for_twist(asker: Callable[[Frame], bool]) -> None:
    """From now on, ask this whether a frame's twist weight is needed."""
    _wants_twist.append(asker)


def counted(frames: models.QuerySet[Frame]) -> models.QuerySet[Frame]:
    for counter in _counters:
        frames = counter(frames)
    return frames


def wants_twist(frame: Frame) -> bool:
    return any(asker(frame) for asker in _wants_twist)
