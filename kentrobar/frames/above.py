"""What rooms above know of a frame and a page of it needs.

``frames`` may not ask them, as plans stand above it: ``site/apps.py`` hands their functions in, in
one place, when the application starts.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from kentrobar.core.frame.targets import Target

if TYPE_CHECKING:
    from django.db.models import QuerySet

    from .fitted import Fitting
    from .models import Frame

Product = tuple[str, float]
"""Its name, and the grams of one piece."""


@dataclass(frozen=True, slots=True)
class Spoken:
    """What the player of a frame asked for: the words that were ticked, all of it as text, and what
    of that was written down."""

    who: str
    keys: tuple[str, ...]
    text: str
    written: str


@dataclass(frozen=True, slots=True)
class SetTargets:
    """What the other frames of a set leave a plan to aim at: ``href`` of the set, a target for each
    figure it decides."""

    href: str = ""
    targets: Mapping[str, Target] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RoomsAbove:
    """The functions of the rooms above.

    Attributes:
        counted: frames annotated with ``plan_count``. wants_twist: whether a frame's plans need its
            twist weight. products: what is on the shelf by the piece. spoken: what was asked for at
            the counter. fittings: what was signed off for frames, each with the key of its frame.
        set_targets: what the set of a plan decides, if anything.
    """

    counted: Callable[[QuerySet[Frame]], QuerySet[Frame]]
    wants_twist: Callable[[Frame], bool]
    products: Callable[[], list[Product]]
    spoken: Callable[[Frame], Spoken | None]
    fittings: Callable[[Collection[int]], Iterable[tuple[int, Fitting]]]
    set_targets: Callable[[Any], SetTargets]


_rooms: list[RoomsAbove] = []


def register(rooms: RoomsAbove) -> None:
    """Use these from now on."""
    _rooms[:] = [rooms]


def rooms() -> RoomsAbove:
    """The functions of the rooms above."""
    return _rooms[0]


def spoken_of(frame: Frame) -> Spoken | None:
    """What was asked for at the counter, else what is written down with the frame; None where
    nothing was said."""
    heard = rooms().spoken(frame)
    if heard is None and frame.note:
        return Spoken(str(frame.player or ""), (), frame.note, frame.note)
    return heard


def each_g(name: str) -> float | None:
    """What one piece of a product on the shelf weighs, as written there; None where it is not."""
    known = {one.lower(): grams for one, grams in rooms().products()}
    return known.get(name.lower())
