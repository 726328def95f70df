"""Work at the bench on one piece: where it is done, and what a hand does, in order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.reader import length_number, mass_text, the_reader

from .rolls import PerLength

CUT = ("tape", "sheet", "strip")
"""Kinds of material that strips are cut from: a roll has its width, a sheet is cut to one, a strip
that comes ready cut is halved or quartered."""
QUARTERS = 4


@dataclass(frozen=True, slots=True)
class OnShelf:
    """What the bench must know of a material: its kind on the shelf, what its strips weigh and how
    wide they are, how long it cures."""

    kind: str
    per_length: PerLength | None = None
    toxicity: float = 0.0
    cure_hours: int = 0
    width_mm: float | None = None
    each_mm: float | None = None
    """The length of a strip that comes ready cut."""


@dataclass(frozen=True, slots=True)
class Place:
    """Where a run of tape lies, in every way a hand can find it, on the 3 o'clock side.

    Attributes:
        x_mm: (nearest, furthest) from the butt. arc_mm: (start, end) along its line from the tip's
            centre; a run across the tip starts below zero, on the 9 o'clock side. clock: in
            words, both sides.
        holes: the grommet holes its start and end lie next to, counted from the tip; None where
            they are not known.
    """

    line: str
    x_mm: tuple[float, float]
    arc_mm: tuple[float, float]
    clock: str
    holes: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class WorkPlace:
    """The frame on the bench, what is on the shelf, by name, where the frame's grommet holes are,
    whether its handle is filled with foam, and the units its hands read."""

    outline: Outline
    shelf: Mapping[str, OnShelf] = field(default_factory=dict)
    holes_mm: Sequence[float] = ()
    is_foam: bool = False

    def mass(self, grams: float, places: int = 1) -> str:
        """Grams with their unit, ``places`` decimals where that is g."""
        return mass_text(grams, places)

    def length(self, *mm: float, places: int = 0) -> str:
        """A length, or from one to another."""
        numbers = [length_number(one, places) for one in mm]
        return f"{' to '.join(numbers)} {the_reader().length}"


@dataclass(frozen=True, slots=True)
class Task:
    """What a hand does with one piece: a title, lines in order, short cautions, usual minutes."""

    title: str
    lines: tuple[str, ...]
    cautions: tuple[str, ...] = ()
    place: Place | None = None
    minutes: float = 2.0
