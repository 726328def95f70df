"""What is on a frame for good: plans that were carried out and signed off at the bench.

The workshop keeps the bench sheets and stands above the frames, so it tells of them here (``told_by``, once, at start).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime

from kentrobar.core.body import Body
from kentrobar.core.outline import Outline
from kentrobar.core.pieces import Piece, body_of
from kentrobar.core.predict import Measured, as_it_is

from .models import Figures, Frame


@dataclass(frozen=True, slots=True)
class Fitting:
    """The pieces of one plan (its key), when they were put on and, where they were, taken off again."""

    plan: int
    name: str
    pieces: tuple[Piece, ...]
    on_at: datetime
    off_at: datetime | None = None

    def changed_since(self, read_at: datetime) -> int:
        """1 where it was put on after that, −1 where it was on then and is off now, 0 where it is as it was."""
        was_on = self.on_at <= read_at and (self.off_at is None or self.off_at > read_at)
        return (self.off_at is None) - was_on


@dataclass(frozen=True, slots=True)
class Now:
    """A frame now, against when it was read: its figures brought to now, what is on it, what changed, in words."""

    measured: Measured
    on: tuple[Piece, ...] = ()
    said: str = ""

    def fitted(self, outline: Outline) -> tuple[Piece, ...]:
        """What was put on and fits the outline as it is known now."""
        return tuple(piece for piece in self.on if piece.mass_g > 0 and not any(piece.faults(outline)))


_tellers: list[Callable[[Frame], Iterable[Fitting]]] = []


def told_by(teller: Callable[[Frame], Iterable[Fitting]]) -> None:
    """From now on, ask this for the fittings of a frame."""
    _tellers.append(teller)


def fittings(frame: Frame) -> list[Fitting]:
    """Everything that was ever signed off for a frame."""
    return [one for teller in _tellers for one in teller(frame)]


def now(frame: Frame, figures: Figures, measured: Measured | None = None) -> Now:
    """A frame's figures as read, with what was fitted or taken off since each of them was read.

    Args:
        measured: the figures whole, where some were never read and stand at what is usual.
    """
    read = measured or figures.measured()
    outline = frame.outline()
    fitted = fittings(frame)
    since: dict[str, Body] = {}
    words: dict[str, None] = {}
    for name, found in figures.found.items():
        for fitting in fitted:
            sign = fitting.changed_since(found.reading.read_at)
            if sign:
                body = sum((body_of(piece, outline) for piece in fitting.pieces), Body())
                since[name] = since.get(name, Body()) + body * sign
                words[f"{fitting.name} {'on' if sign > 0 else 'off'} since"] = None
    on = tuple(piece for fitting in fitted if fitting.off_at is None for piece in fitting.pieces)
    return Now(as_it_is(read, since) if since else read, on, ", ".join(words))
