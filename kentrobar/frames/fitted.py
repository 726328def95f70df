"""What is on a frame for good: plans that were carried out and signed off at the bench.

The workshop keeps the bench sheets and stands above the frames, so they are asked for through
``above.rooms``.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import TYPE_CHECKING

from kentrobar.core.frame.condition import is_on
from kentrobar.core.frame.predict import Measured, as_it_is
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.piece import Piece
from kentrobar.ui.looking import cached_per_request

from . import above
from .figures import Figures

if TYPE_CHECKING:
    # A frame asks for what was carried out on it; here only its facts are read.
    from .models import Frame


@dataclass(frozen=True, slots=True)
class Fitting:
    """The pieces of one plan (its key), when they were put on and, where they were, taken off
    again."""

    plan: int
    name: str
    pieces: tuple[Piece, ...]
    on_at: datetime
    off_at: datetime | None = None

    def was_on(self, when: datetime) -> bool:
        return self.on_at <= when and (self.off_at is None or self.off_at > when)


@dataclass(frozen=True, slots=True)
class Now:
    """A frame now, against when it was read: its figures brought to now, what is on it, what
    changed, in words."""

    measured: Measured
    on: tuple[Piece, ...] = ()
    said: str = ""

    def fitted(self, outline: Outline) -> tuple[Piece, ...]:
        """What was put on and fits the outline as it is known now."""
        return tuple(
            piece for piece in self.on if piece.mass_g > 0 and not any(piece.faults(outline))
        )


@cached_per_request
def fittings(frame: Frame) -> list[Fitting]:
    """Everything that was ever signed off for a frame."""
    return [one for _, one in above.rooms().fittings([frame.pk])]


def fittings_of(frames: Collection[int]) -> dict[int, list[Fitting]]:
    """The same of many frames at once; none of those that have none."""
    found: dict[int, list[Fitting]] = {}
    for frame, one in above.rooms().fittings(frames) if frames else ():
        found.setdefault(frame, []).append(one)
    return found


def now(
    frame: Frame, figures: Figures, measured: Measured | None = None, without: Collection[int] = ()
) -> Now:
    """A frame's figures as read, with what was fitted or taken off since each of them was read.

    Args:
        measured: the figures whole, where some were never read and stand at what is usual.
        without: keys of plans: what was fitted of them counts as off, so that a plan with their
            pieces can stand on it.
    """
    read = measured or figures.measured()
    found = _since(frame, figures, fittings(frame), without)
    words = dict.fromkeys(one for own in found.words.values() for one in own)
    return Now(
        as_it_is(read, found.bodies) if found.bodies else read, tuple(found.on), ", ".join(words)
    )


def brought(frame: Frame, figures: Figures, known: Iterable[Fitting] | None = None) -> Figures:
    """Figures as read, each brought to now and marked as computed where something was carried out
    on the frame since; as they are where not all that are needed were read.

    Args:
        known: the frame's fittings, where they were asked for already.
    """
    found = _since(frame, figures, fittings(frame) if known is None else known)
    if not found.bodies or not figures.is_complete:
        return figures
    now = as_it_is(figures.measured(), found.bodies)
    figure_now = {
        name: replace(
            figures.found[name], value=getattr(now, name), is_now=True,
            computed=", ".join(filter(None, (figures.found[name].computed, *words))),
        )
        for name, words in found.words.items()
    }  # fmt: skip
    return replace(figures, found=figures.found | figure_now)


def figures_now(frame: Frame, condition: str) -> Figures:
    """A frame in any condition, as it is now: what somebody would read who wants another like
    it."""
    return brought(frame, frame.figures_in(condition))


def is_as_it_was(frame: Frame, one: datetime, other: datetime) -> bool:
    """Whether nothing was put on for good or taken off again between two times."""
    first, last = sorted((one, other))
    times = (at for fitting in fittings(frame) for at in (fitting.on_at, fitting.off_at))
    return not any(at is not None and first < at <= last for at in times)


@dataclass(frozen=True, slots=True)
class _Since:
    """By figure, what was put on since it was read and how that is said; and what is on."""

    bodies: dict[str, Body] = field(default_factory=dict)
    words: dict[str, list[str]] = field(default_factory=dict)
    on: list[Piece] = field(default_factory=list)


def _since(
    frame: Frame, figures: Figures, known: Iterable[Fitting], without: Collection[int] = ()
) -> _Since:
    since = _Since()
    for fitting in known:
        is_own = fitting.plan in without
        stays = fitting.off_at is None and not is_own
        pieces = [piece for piece in fitting.pieces if _counts(piece, figures.condition)]
        if stays:
            since.on.extend(pieces)
        outline = frame.outline()
        body = sum((body_of(piece, outline) for piece in pieces), Body())
        for name, found in figures.found.items():
            sign = 0 if found.is_now else stays - fitting.was_on(found.reading.read_at)
            if sign:
                since.bodies[name] = since.bodies.get(name, Body()) + body * sign
            if sign and not is_own:
                words = since.words.setdefault(name, [])
                words.append(f"{fitting.name} {'on' if stays else 'off'} since")
    return since


def _counts(piece: Piece, condition: str) -> bool:
    """Whether a piece is on in a condition: a string bed or an overgrip that a plan put on is off
    in some."""
    kind = piece.kind if piece.kind in PARTS else piece.material or ""
    return kind not in PARTS or is_on(kind, condition)
