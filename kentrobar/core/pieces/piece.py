"""What every piece has in common: what it carries, what a hand can do to it, what a page can ask of
it.

A kind of piece is one class in a file of its own beside this one, and a row in ``kinds.py``. It
says
everything about itself: its Body, its faults, how it moves, what it is called, how it is drawn,
    what
is cut for it, how it is put on. A part left out is found by the type checker.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Literal, Self

from kentrobar.core.errors import Refusal
from kentrobar.core.geometry.outline import Outline, RimLine
from kentrobar.core.reader import length_number, length_text, short_length, the_reader, translated

from . import cautions
from .body import Body
from .materials import is_lead
from .work import Task, WorkPlace

SLIDE_MM = 5.0
FINE_MM = 1.0
SNAP_MM = 3.0
CUT_MM = 6.35
"""A quarter of an inch: the step tape is cut in."""
LONGEST_TEXT = 200
MOST_G = 1000.0
MOST_LAYERS = 20

Verb = Literal["Slide", "Cut", "Mirror", "Move"]
"""What a hand did to a piece, as undo names it."""
Faults = Iterator[tuple[str, str]]
"""(field, what is wrong) of everything that cannot be."""
Cover = Mapping[str, tuple[tuple[float, float], ...]]
"""Stretches (start, end) by the name of the line they lie on."""
Spot = tuple[float, float]
"""A place on the frame: x from the butt, y across the face, mm."""


@dataclass(frozen=True, slots=True)
class Box:
    """One thing a person may type of a piece: its field, its label, and what it holds."""

    field: str
    label: str
    holds: Literal["length", "clock", "line", "flag", "layers", "count", "hole"]


@dataclass(frozen=True, slots=True)
class Shape:
    """A piece as it is seen from above, in mm.

    Attributes:
        runs: what is drawn, each a row of spots; closed areas where ``width_mm`` is 0.
        width_mm: of the stroke along the runs.
        badges: where its number stands: a spot, and the direction it stands aside in.
        ends: spots a hand may drag, by name: ``start``, ``end``.
    """

    runs: tuple[tuple[Spot, ...], ...]
    width_mm: float
    badges: tuple[tuple[Spot, Spot], ...]
    ends: tuple[tuple[str, Spot], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece(ABC):
    """Something put on a frame, or taken off it where its mass is negative.

    ``mass_g`` is the whole piece: both sides of a mirrored pair and both faces together. ``id``,
    ``site``, ``material``, ``layers``, ``note``, ``weighed`` and ``wanted_g`` change nothing in the
    sums.
    """

    boxes: ClassVar[tuple[Box, ...]] = ()
    places: ClassVar[tuple[Box, ...]] = ()
    """Other ways a hand finds where it lies; each is worked out from its fields, and may be
    typed."""
    is_tape: ClassVar[bool] = False
    """Whether it is cut off a roll or a sheet, in strips."""
    is_at_the_hand: ClassVar[bool] = False
    """Whether it is fitted in or round the handle."""
    is_dosed: ClassVar[bool] = False
    """Whether it is put on until the scale reads right."""

    can_lie_elsewhere: ClassVar[bool] = True
    """Whether it may have been laid away from where it was noted."""
    place_u_mm: ClassVar[float] = 1.0
    """One standard uncertainty of where a hand lays it along the frame: a cut strip along a mark,
    or a part where it belongs."""

    kind: str
    mass_g: float
    id: str | None = None
    site: str | None = None
    material: str | None = None
    layers: int | None = None
    note: str | None = None
    weighed: bool | None = None
    """Whether ``mass_g`` is what a scale said of this very piece, not what its roll says of its
    cut."""
    wanted_g: float | None = None
    """The grams asked for, where the cut nearest to them weighs something else."""

    likely_g: ClassVar[float] = 60.0
    """A heavier one is asked about."""

    # --- the sums --------------------------------------------------------------------------------

    @abstractmethod
    def unit(self, outline: Outline) -> Body:
        """The Body of one gram of it on this outline."""

    @abstractmethod
    def faults(self, outline: Outline) -> Faults:
        """What cannot be about its place on this outline."""

    @property
    def is_doubled(self) -> bool:
        """Whether it is meant for both sides and lies where they are one place."""
        return False

    def cover(self, outline: Outline) -> Cover:
        """What it lies on, by line: stretches along it, mm. Empty for what others may lie on."""
        return {}

    # --- what hands do to it: each gives a new piece, kept on its frame --------------------------

    @abstractmethod
    def slid(self, outline: Outline, mm: float) -> Self:
        """Moved by ``mm``: along the rim (clockwise positive) or along x (towards the tip
        positive)."""

    @abstractmethod
    def dragged(self, outline: Outline, x: float, y: float) -> Self:
        """With its middle as near to (x, y) as it can go."""

    def cut(self, outline: Outline, mm: float) -> Self:
        """``mm`` longer, or shorter where negative: with the same grams per length."""
        return self

    def dragged_end(self, outline: Outline, end: str, x: float, y: float) -> Self:
        """With one end (``start`` or ``end``) brought to (x, y)."""
        return self

    def mirrored(self) -> Self:
        """On both sides with the same tape, or on one again."""
        return self

    def on_next_line(self, outline: Outline) -> Self:
        """Edge → face → inside → edge, with the same cut: twice the strips on the faces."""
        return self

    def place_of(self, outline: Outline, name: str, holes_mm: Sequence[float] = ()) -> float | None:
        """One of ``places``: mm, or for ``hole`` a number; None where it lies beside none."""
        raise KeyError(name)

    def placed(
        self, outline: Outline, name: str, value: float, holes_mm: Sequence[float] = ()
    ) -> Self:
        """Laid so that one of ``places`` has that value. ValueError where it cannot be."""
        raise KeyError(name)

    def room_mm(self, outline: Outline) -> float:
        """The longest strip that is usual where it lies, mm; 0 for what is no tape."""
        return 0.0

    def cut_to(self, outline: Outline, mm: float) -> Self:
        """With strips of this length, as far as its place allows, the grams as they are."""
        return self

    # --- what it is called -----------------------------------------------------------------------

    @abstractmethod
    def words(self, outline: Outline) -> str:
        """What it is, at the head of a line: `Sides, both faces`."""

    @abstractmethod
    def where(self) -> str:
        """Where it lies: `3 & 9 o'clock · 76.2 mm × 4`, `8.0–32.0 mm from the butt`."""

    def name(self, outline: Outline) -> str:
        """``words``; something taken off says so."""
        words = self.words(outline)
        return f"{words}, {translated('taken off')}" if self.mass_g < 0 else words

    def moved_to(self, verb: Verb) -> str:
        """Where a move has led, for the list of what can be undone: ` to 108–120 mm`; '' for
        nothing to say."""
        return ""

    # --- how it is drawn, cut and fitted ---------------------------------------------------------

    @abstractmethod
    def shape(self, outline: Outline) -> Shape:
        """What is seen of it from above."""

    @property
    def sides_alike(self) -> bool:
        """Whether it weighs the same on both sides of the centre line."""
        return True

    def tape(self) -> tuple[float, int]:
        """(length of each strip in mm, how many are cut), layers included; (0, 0) for what is not
        tape."""
        return 0.0, 0

    def strips(self) -> tuple[float, int]:
        """``tape`` of what is put on; nothing is cut for what is taken off."""
        return self.tape() if self.mass_g > 0 else (0.0, 0)

    def spread(self) -> str:
        """Where its strips go: `both sides, both faces, 2 layers`."""
        words = [*self._spread(), f"{self.layers} layers" if (self.layers or 1) > 1 else ""]
        return ", ".join(word for word in words if word) or "one strip"

    def _spread(self) -> Iterator[str]:
        yield from ()

    def is_under_bumper(self, outline: Outline) -> bool:
        """Whether it lies under the bumper or the grommet strip, which come off only without
        strings."""
        return False

    @property
    def order(self) -> tuple[int, float]:
        """In which order of work it is put on: the handle first, then tape from the tip down, then
        the rest."""
        return 9, 0.0

    @abstractmethod
    def put_on(self, at: WorkPlace) -> Task:
        """How a hand puts it on."""

    def taken_off(self, at: WorkPlace) -> Task:
        """How a hand takes it off."""
        what = self.material or self.site or self.words(at.outline)
        line = f"{at.mass(-self.mass_g)} must come off; weigh what came off and write it down."
        care = (cautions.LEAD,) if is_lead(self.material) else ()
        return Task(f"Take off: {what}", (line,), care, minutes=4)

    def cautions(self) -> tuple[str, ...]:
        """The cautions that stand beside it, most pressing first."""
        return (cautions.LEAD,) if self.mass_g > 0 and is_lead(self.material) else ()

    def with_tape_of(self, old: Piece, per_mm: float = 1.0) -> Self:
        """The same piece with the grams of another's tape, as its strips are longer, more or of a
        heavier roll.

        Args:
            per_mm: grams per mm of its roll over those of the other's.
        """
        before, after = (length * count for length, count in (old.tape(), self.tape()))
        factor = after / before * per_mm if before and after else 1.0
        return self if factor == 1.0 else replace(self, mass_g=round(old.mass_g * factor, 4))


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch(Piece):
    """A piece that lies along x from ``from_mm`` to ``to_mm``, mm from the butt."""

    boxes: ClassVar[tuple[Box, ...]] = (
        Box("from_mm", "from the butt", "length"),
        Box("to_mm", "to", "length"),
    )

    from_mm: float
    to_mm: float

    is_round_the_handle: ClassVar[bool] = False
    """Whether it makes the handle thicker."""
    keeps_grams: ClassVar[bool] = False
    """Whether stretching it keeps its grams (putty packed longer) or its grams per length (a
    wrap)."""

    def span(self, outline: Outline) -> tuple[float, float]:
        """How far along x it may lie: low and high, mm from the butt."""
        return 0.0, outline.length_mm

    def faults(self, outline: Outline) -> Faults:
        low, high = self.span(outline)
        for name, x in (("from_mm", self.from_mm), ("to_mm", self.to_mm)):
            if not low - 1e-9 <= x <= high + 1e-9:
                yield name, Refusal("outside", x, low, high, f"where {self._runs()}")
        if self.to_mm < self.from_mm:
            yield "to_mm", Refusal("before-start", self.to_mm, self.from_mm)

    def _runs(self) -> str:
        return "the frame runs"

    def slid(self, outline: Outline, mm: float) -> Self:
        low, high = self.span(outline)
        mm = min(max(mm, low - self.from_mm), high - self.to_mm)
        return replace(
            self,
            from_mm=within(self.from_mm + mm, low, high),
            to_mm=within(self.to_mm + mm, low, high),
        )

    def dragged(self, outline: Outline, x: float, y: float) -> Self:
        return self.slid(outline, x - (self.from_mm + self.to_mm) / 2)

    def cut(self, outline: Outline, mm: float) -> Self:
        end = within(max(self.to_mm + mm, self.from_mm + FINE_MM), *self.span(outline))
        return self._stretched(self.from_mm, end)

    def dragged_end(self, outline: Outline, end: str, x: float, y: float) -> Self:
        low, high = self.span(outline)
        x = min(max(x, low), high)
        if end == "start":
            return self._stretched(within(min(x, self.to_mm - FINE_MM), low, high), self.to_mm)
        return self._stretched(self.from_mm, within(max(x, self.from_mm + FINE_MM), low, high))

    def _stretched(self, x0: float, x1: float) -> Self:
        old, mass = self.to_mm - self.from_mm, self.mass_g
        if not self.keeps_grams and old > 0:
            mass = tidy(mass * (x1 - x0) / old, 4)
        return replace(self, from_mm=x0, to_mm=x1, mass_g=mass)

    def where(self) -> str:
        x0, x1 = length_number(self.from_mm), length_text(self.to_mm)
        return translated("{stretch} from the butt", stretch=f"{x0}–{x1}")

    def moved_to(self, verb: Verb) -> str:
        return f" to {short_length(self.from_mm)}–{short_length(self.to_mm)} {the_reader().length}"

    def even(self, zz: float, twist: float) -> Body:
        """One gram, even along the stretch, with mean square height ``zz`` and given twist."""
        x0, x1 = self.from_mm, self.to_mm
        return Body(1.0, (x0 + x1) / 2, (x0 * x0 + x0 * x1 + x1 * x1) / 3 + zz, twist)


def piece_faults(piece: Piece, outline: Outline) -> Faults:
    """Faults of one piece on this frame, its mass and free texts included."""
    if abs(piece.mass_g) > MOST_G:
        yield "mass_g", Refusal("outside", piece.mass_g, -MOST_G, MOST_G)
    for name in ("id", "site", "material", "note"):
        text = getattr(piece, name)
        if text is not None and len(text) > LONGEST_TEXT:
            yield name, Refusal("too-long", len(text), high=LONGEST_TEXT)
        elif text is not None and not text.isprintable():
            yield name, "holds a control character"
    if piece.layers is not None and not 1 <= piece.layers <= MOST_LAYERS:
        yield "layers", Refusal("outside", piece.layers, 1, MOST_LAYERS)
    yield from piece.faults(outline)


LINE_WORDS: dict[RimLine, str] = {"edge": "on the edge", "face": "both faces", "inner": "inside"}


def within(x: float, low: float, high: float) -> float:
    """``x`` in whole tenths within low…high; rounded first, so that rounding never leads
    outside."""
    return min(max(tidy(x), low), high)


def tidy(value: float, places: int = 1) -> float:
    return round(value, places)
