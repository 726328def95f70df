"""What is on a frame for good: plans that were carried out and signed off at the bench.

The workshop keeps the bench sheets and stands above the plans, so it tells them here (``told_by``, once, at start).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime

from kentrobar.core.body import Body
from kentrobar.core.outline import Outline
from kentrobar.core.pieces import Piece, body_of
from kentrobar.frames.models import Frame


@dataclass(frozen=True, slots=True)
class Fitting:
    """The pieces of one plan (its key), when they were put on and, where they were, taken off again."""

    plan: int
    name: str
    pieces: tuple[Piece, ...]
    on_at: datetime
    off_at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Since:
    """A frame now, against when it was read: what is on it, and what changed since, in words."""

    on: tuple[Piece, ...] = ()
    put_on: tuple[Piece, ...] = ()
    taken_off: tuple[Piece, ...] = ()
    said: str = ""

    def fitted(self, outline: Outline) -> tuple[Piece, ...]:
        """What was put on and fits the outline as it is known now."""
        return tuple(piece for piece in self.on if piece.mass_g > 0 and not any(piece.faults(outline)))

    def change(self, outline: Outline) -> Body:
        """What must be added to the figures as read to have the frame as it is."""
        on = sum((body_of(piece, outline) for piece in self.put_on), Body())
        return on - sum((body_of(piece, outline) for piece in self.taken_off), Body())


_tellers: list[Callable[[Frame], Iterable[Fitting]]] = []


def told_by(teller: Callable[[Frame], Iterable[Fitting]]) -> None:
    """From now on, ask this for the fittings of a frame."""
    _tellers.append(teller)


def since(frame: Frame, read_at: datetime | None) -> Since:
    """What is on a frame, and what was put on or taken off after ``read_at`` (None: nothing was read)."""
    on: list[Piece] = []
    put_on: list[Piece] = []
    taken_off: list[Piece] = []
    words: list[str] = []
    for fitting in (one for teller in _tellers for one in teller(frame)):
        was_on = read_at is not None and fitting.on_at <= read_at
        was_on = was_on and (fitting.off_at is None or fitting.off_at > read_at)  # type: ignore[operator]
        is_on = fitting.off_at is None
        if is_on:
            on += fitting.pieces
        if read_at is not None and is_on != was_on:
            (put_on if is_on else taken_off).extend(fitting.pieces)
            words.append(f"{fitting.name} {'on' if is_on else 'off'} since")
    return Since(tuple(on), tuple(put_on), tuple(taken_off), ", ".join(words))
