"""What can be put on a frame or taken off it. Each kind of piece gives its Body.

``mass_g`` is the whole piece: both sides of a mirrored pair and both faces together. A negative
mass is something taken off. A run of tape is an integral along its curve, never a point.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from .body import Body
from .outline import Line, Outline, Paddle, Racket


@dataclass(frozen=True, slots=True, kw_only=True)
class Tag:
    """What a piece may carry that changes nothing in the sums."""

    id: str | None = None
    site: str | None = None
    material: str | None = None
    layers: int | None = None
    note: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip(Tag):
    """Tape along the rim: ``length_mm`` of path centred at a clock hour, even along its length.

    ``mirror`` puts half of the mass on the other side; on ``face`` half goes to each face.
    """

    mass_g: float
    clock: float
    length_mm: float
    line: Line = "face"
    mirror: bool = False
    kind: Literal["strip"] = "strip"

    def unit(self, outline: Outline) -> Body:
        path = outline.path(self.line)
        s = path.arc_of_clock(self.clock)
        sums = path.sums(s - self.length_mm / 2, s + self.length_mm / 2)
        zz = (outline.beam_mm / 2) ** 2 if self.line == "face" else 0.0
        n = sums.s
        lateral = 0.0 if self.mirror else sums.y / n
        return Body(1.0, sums.x / n, sums.xx / n + zz, sums.yy / n + zz, lateral)

    def faults(self, outline: Outline) -> Iterator[tuple[str, str]]:
        if not 0 <= self.clock <= 12:
            yield "clock", f"{self.clock:g} is outside 0…12"
        longest = outline.path(self.line).length
        if not 0 < self.length_mm <= longest:
            yield "length_mm", f"{self.length_mm:g} is outside 0…{longest:.1f}, once round this line"

    @property
    def runs(self) -> int:
        """How many equal strips are cut for one layer."""
        return (2 if self.mirror else 1) * (2 if self.line == "face" else 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Throat(Tag):
    """Tape along both shafts of a racket's throat, even along x, half on each shaft."""

    mass_g: float
    from_mm: float
    to_mm: float
    kind: Literal["throat"] = "throat"

    def unit(self, outline: Outline) -> Body:
        assert isinstance(outline, Racket)
        x0, y0, x1, y1 = outline.shaft()
        slope = (y1 - y0) / (x1 - x0)
        ya, yb = (y0 + slope * (x - x0) for x in (self.from_mm, self.to_mm))
        zz = (outline.beam_mm / 2) ** 2
        return _even(self.from_mm, self.to_mm, zz, (ya * ya + ya * yb + yb * yb) / 3 + zz)

    def faults(self, outline: Outline) -> Iterator[tuple[str, str]]:
        if isinstance(outline, Paddle):
            yield "kind", "a paddle has no throat"
            return
        low, _, high, _ = outline.shaft()
        yield from _span_faults(self.from_mm, self.to_mm, low, high, "the throat runs")


@dataclass(frozen=True, slots=True, kw_only=True)
class Point(Tag):
    """All mass in one place: a vibration dampener, a clip-on test module, a clamp."""

    mass_g: float
    x_mm: float
    y_mm: float = 0.0
    z_mm: float = 0.0
    kind: Literal["point"] = "point"

    def unit(self, outline: Outline) -> Body:
        x, y, z = self.x_mm, self.y_mm, self.z_mm
        return Body(1.0, x, x * x + z * z, y * y + z * z, y)

    def faults(self, outline: Outline) -> Iterator[tuple[str, str]]:
        half = outline.width_mm / 2
        if not 0 <= self.x_mm <= outline.length_mm:
            yield "x_mm", f"{self.x_mm:g} is outside 0…{outline.length_mm:g}, butt to tip"
        if not -half <= self.y_mm <= half:
            yield "y_mm", f"{self.y_mm:g} is outside {-half:g}…{half:g}, across the face"
        if not -outline.length_mm / 4 <= self.z_mm <= outline.length_mm / 4:
            yield "z_mm", f"{self.z_mm:g} is too far off the face"


@dataclass(frozen=True, slots=True, kw_only=True)
class Plug(Tag):
    """Mass on the centre line: putty or silicone in the handle, strips inside the butt cap."""

    mass_g: float
    from_mm: float
    to_mm: float
    kind: Literal["plug"] = "plug"

    def unit(self, outline: Outline) -> Body:
        return _even(self.from_mm, self.to_mm, 0.0, 0.0)

    def faults(self, outline: Outline) -> Iterator[tuple[str, str]]:
        yield from _span_faults(self.from_mm, self.to_mm, 0, outline.length_mm, "the frame runs")


@dataclass(frozen=True, slots=True, kw_only=True)
class Sleeve(Tag):
    """An even ring round the handle: a grip, an overgrip, tape round the handle, heat-shrink."""

    mass_g: float
    from_mm: float
    to_mm: float
    kind: Literal["sleeve"] = "sleeve"

    def unit(self, outline: Outline) -> Body:
        # A thin ring has half of its m·r² in each of two directions across: Σ m·z² = Σ m·y².
        half = outline.handle_radius_mm**2 / 2
        return _even(self.from_mm, self.to_mm, half, 2 * half)

    def faults(self, outline: Outline) -> Iterator[tuple[str, str]]:
        yield from _span_faults(self.from_mm, self.to_mm, 0, outline.length_mm, "the frame runs")


@dataclass(frozen=True, slots=True, kw_only=True)
class Strings(Tag):
    """A string bed: even over the inside of a racket's hoop, in the middle plane."""

    mass_g: float
    kind: Literal["strings"] = "strings"

    def unit(self, outline: Outline) -> Body:
        assert isinstance(outline, Racket)
        up, down, across = outline.hoop_axes("inner")
        cx = outline.widest_mm
        # Half an ellipse: its centroid lies 4a/3π from the widest line, its mean square is a²/4.
        # The halves share the mass in proportion to their semi-axes (equal width).
        share = up / (up + down)
        x = (up * share - down * (1 - share)) * 4 / (3 * math.pi)
        xx = (up * up * share + down * down * (1 - share)) / 4
        return Body(1.0, cx + x, cx * cx + 2 * cx * x + xx, across * across / 4)

    def faults(self, outline: Outline) -> Iterator[tuple[str, str]]:
        if isinstance(outline, Paddle):
            yield "kind", "a paddle has no strings"


Piece = Strip | Throat | Point | Plug | Sleeve | Strings
KINDS: dict[str, type[Piece]] = {
    "strip": Strip,
    "throat": Throat,
    "point": Point,
    "plug": Plug,
    "sleeve": Sleeve,
    "strings": Strings,
}

THROAT_RUNS = 4
"""Both shafts, both sides."""


@lru_cache(maxsize=8192)
def body_of(piece: Piece, outline: Outline) -> Body:
    """The Body of a piece on this outline (call ``faults`` first on anything a person typed).

    Remembered: of a plan's pieces only the one in the hand is another than a moment ago.
    """
    return piece.unit(outline) * piece.mass_g


def strips_of(piece: Piece) -> tuple[float, int]:
    """(length of each strip in mm, how many are cut) of a piece of tape; (0, 0) for anything else."""
    if piece.mass_g <= 0:
        return 0.0, 0
    layers = piece.layers or 1
    if isinstance(piece, Strip):
        return piece.length_mm, piece.runs * layers
    if isinstance(piece, Throat):
        return piece.to_mm - piece.from_mm, THROAT_RUNS * layers
    return 0.0, 0


def _even(x0: float, x1: float, zz: float, twist: float) -> Body:
    """One gram, even along x0…x1, with mean square height ``zz`` and given twist."""
    return Body(1.0, (x0 + x1) / 2, (x0 * x0 + x0 * x1 + x1 * x1) / 3 + zz, twist)


def _span_faults(x0: float, x1: float, low: float, high: float, what: str) -> Iterator[tuple[str, str]]:
    """Faults of a stretch x0…x1 that must lie within low…high."""
    for name, x in (("from_mm", x0), ("to_mm", x1)):
        if not low - 1e-9 <= x <= high + 1e-9:
            yield name, f"{x:g} is outside {low:.4g}…{high:.4g}, where {what}"
    if x1 < x0:
        yield "to_mm", f"{x1:g} is before the start, {x0:g}"
