"""What is on a frame for good: plans that were carried out and signed off at the bench.

The workshop keeps the bench sheets and stands above the frames, so it tells of them here
(``told_by``, once, at start).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from datetime import datetime

from kentrobar.core.frame.condition import is_on
from kentrobar.core.frame.predict import Measured, as_it_is
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.piece import Piece
from kentrobar.ui.looking import once_a_look

from .figures import Figures
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


_tellers: list[Callable[[Frame], Iterable[Fitting]]] = []


def told_by(teller: Callable[[Frame], Iterable[Fitting]]) -> None:
    """From now on, ask this for the fittings of a frame."""
    _tellers.append(teller)


@once_a_look
def fittings(frame: Frame) -> list[Fitting]:
    """Everything that was ever signed off for a frame."""
    return [one for teller in _tellers for one in teller(frame)]


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
    outline = frame.outline()
    since: dict[str, Body] = {}
    words: dict[str, None] = {}
    on: list[Piece] = []
    for fitting in fittings(frame):
        is_own = fitting.plan in without
        stays = fitting.off_at is None and not is_own
        pieces = [piece for piece in fitting.pieces if _counts(piece, figures.condition)]
        if stays:
            on += pieces
        body = sum((body_of(piece, outline) for piece in pieces), Body())
        for name, found in figures.found.items():
            sign = stays - fitting.was_on(found.reading.read_at)
            if sign:
                since[name] = since.get(name, Body()) + body * sign
            if sign and not is_own:
                words[f"{fitting.name} {'on' if stays else 'off'} since"] = None
    return Now(as_it_is(read, since) if since else read, tuple(on), ", ".join(words))


def _counts(piece: Piece, condition: str) -> bool:
    """Whether a piece is on in a condition: a string bed or an overgrip that a plan put on is off
    in some."""
    kind = piece.kind if piece.kind in PARTS else piece.material or ""
    return kind not in PARTS or is_on(kind, condition)
