"""The bench as a drawing: a frame on its side, butt left, to scale, above its ruler.

Geometry comes from the core in mm; this room places it on the paper in drawing units (about a CSS
pixel at full width) and hands the templates plain shapes. ``Paper`` holds the one conversion, which
the script reads back from the SVG to tell the server where a hand is, in mm.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from kentrobar.core.frame.predict import Prediction
from kentrobar.core.geometry.curve import Path
from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.reader import axis_text, length_number, mass_text, the_reader
from kentrobar.core.words.amounts import told

WIDTH = 920.0
FACE_HEIGHT = 306.0
MIDDLE = 190.0
RULER_TOP = 378.0
RULER_HEIGHT = 19.0
HEIGHT = 486.0
MARGIN = 46.0
TAPE_MM = 6.0
BADGE, ASIDE = 10.0, 20.0
"""Radius of a piece's number, and how far it stands aside of its piece."""
BOB_GRAM, BOB_MOST = 4.6, 13.0
"""Half the width of a one-gram bob, and of the largest; areas are as the grams within one
drawing."""


@dataclass(frozen=True, slots=True)
class Paper:
    """Drawing units of mm: x = x0 + k·mm, y = y0 + k·mm."""

    x0: float
    y0: float
    k: float

    @classmethod
    def of(cls, outline: Outline) -> Paper:
        k = min((WIDTH - 2 * MARGIN) / outline.length_mm, FACE_HEIGHT / outline.width_mm)
        return cls((WIDTH - k * outline.length_mm) / 2, MIDDLE, k)

    def x(self, mm: float) -> float:
        return round(self.x0 + self.k * mm, 1)

    def y(self, mm: float) -> float:
        return round(self.y0 + self.k * mm, 1)

    def line(self, points: Sequence[tuple[float, float]], close: bool = False) -> str:
        steps = (f"{self.x(x):g} {self.y(y):g}" for x, y in points)
        return "M" + "L".join(steps) + ("Z" if close else "")


@dataclass(frozen=True, slots=True)
class Mark:
    """One piece on the bench: the stroke of its tape or its shape, and where its number stands."""

    id: str
    number: int
    kind: str
    path: str
    width: float
    badges: tuple[tuple[float, float], ...]
    ends: tuple[tuple[str, float, float], ...]
    is_off: bool
    is_picked: bool
    label: str

    @property
    def halo(self) -> float:
        return self.width + 8


@dataclass(frozen=True, slots=True)
class Bob:
    """A plumb bob: hangs from the ruler at ``x``, ``size`` is half its width, its area the
    grams."""

    number: int
    id: str
    x: float
    top: float
    bottom: float
    size: float
    label: str
    is_off: bool
    is_picked: bool

    shift: float = 0.0
    """How far its label stands aside for another's."""

    @property
    def label_is_left(self) -> bool:
        """Near the right edge the label stands before its bob."""
        return self.x + self.size > WIDTH - 64

    @property
    def label_x(self) -> float:
        return round(self.x + (self.size + 4) * (-1 if self.label_is_left else 1) + self.shift, 1)

    @property
    def path(self) -> str:
        return bob_path(self.x, self.bottom, self.size)


def bob_path(x: float, y: float, s: float) -> str:
    """A bob whose neck is at (x, y), ``s`` half its width."""
    return (
        f"M{x:g} {y:g}l{0.8 * s:.1f} {0.55 * s:.1f}q{0.35 * s:.1f} {0.4 * s:.1f} 0 {0.9 * s:.1f}"
        f"l{-0.8 * s:.1f} {1.1 * s:.1f}l{-0.8 * s:.1f} {-1.1 * s:.1f}"
        f"q{-0.35 * s:.1f} {-0.5 * s:.1f} 0 {-0.9 * s:.1f}z"
    )


@dataclass(frozen=True, slots=True)
class Ruler:
    """A ruler from ``x``, ``width`` long: all its ticks as one path, and a number at some of
    them."""

    x: float
    width: float
    unit: str
    ticks: str
    numbers: list[tuple[float, int]]


@dataclass(frozen=True, slots=True)
class BenchDrawing:
    """Everything the bench template draws."""

    paper: Paper
    outline: Outline
    body: dict[str, str | float]
    hours: list[tuple[float, float, int]]
    ruler: Ruler
    marks: list[Mark] = field(default_factory=list)
    bobs: list[Bob] = field(default_factory=list)
    axis: tuple[float, str] | None = None
    measured: tuple[float, str] | None = None
    planned: tuple[float, str] | None = None
    is_assumed: bool = False
    """Whether nobody read the balance before."""
    height: float = HEIGHT

    @property
    def planned_is_left(self) -> bool:
        """Which of the two balance labels stands left of its wedge."""
        return bool(self.measured and self.planned and self.planned[0] <= self.measured[0])


def bench(
    outline: Outline,
    prediction: Prediction | None = None,
    axis: float | None = None,
    pick: str | None = None,
) -> BenchDrawing:
    """The drawing of a frame, with pieces, bobs and balance where there is a prediction."""
    plain = empty_bench(outline, the_reader().length == "in")
    paper = plain.paper
    if prediction is None:
        return plain
    unit = the_reader().length
    before, after = nominal(prediction.before.balance), nominal(prediction.after.balance)
    pieces = [share.piece for share in prediction.shares]
    return replace(
        plain,
        height=HEIGHT,
        marks=_apart([_mark(i, piece, outline, paper, pick) for i, piece in enumerate(pieces, 1)]),
        bobs=_bobs(prediction, paper, pick),
        axis=None if axis is None else (paper.x(axis), axis_text(axis)),
        measured=(paper.x(before), length_number(before)),
        planned=(paper.x(after), f"{length_number(after)} {unit}"),
        is_assumed="balance_mm" in prediction.assumed,
    )


@lru_cache(maxsize=256)
def empty_bench(outline: Outline, in_inches: bool) -> BenchDrawing:
    """The frame on its ruler with nothing on it; the same for every plan of this outline."""
    paper = Paper.of(outline)
    return BenchDrawing(
        paper=paper,
        outline=outline,
        body=_body(outline, paper),
        hours=_hours(outline, paper),
        ruler=_ruler(outline, paper, in_inches),
        height=RULER_TOP + RULER_HEIGHT + 14,
    )


# --- the frame -----------------------------------------------------------------------------------


def _ring(path: Path) -> list[tuple[float, float]]:
    return path.run(0, path.length, 5.0)[:-1]


def _body(outline: Outline, paper: Paper) -> dict[str, str | float]:
    edge, inner = _ring(outline.path("edge")), _ring(outline.path("inner"))
    r, end = outline.handle_radius_mm, outline.handle_length_mm
    turns = [
        [(x, r), (x + 9, -r)] for x in _steps(16.0, end - 12, max(14.0, end / 12)) if x + 9 < end
    ]
    body: dict[str, str | float] = {
        "ring": paper.line(edge, True) + paper.line(inner, True),
        "inside": paper.line(inner, True),
        "handle_x": paper.x(0),
        "handle_y": paper.y(-r),
        "handle_w": round(paper.k * end, 1),
        "handle_h": round(paper.k * 2 * r, 1),
        "cap_y": round(paper.y(-r) - 2, 1),
        "cap_h": round(paper.k * 2 * r + 4, 1),
        "cap_w": round(paper.k * 9, 1),
        "wrap": "".join(paper.line(turn) for turn in turns),
    }
    if isinstance(outline, Racket):
        x0, y0, x1, y1 = outline.shaft()
        body["shafts"] = paper.line([(x0 - 2, y0 - 3), (x1, y1)]) + paper.line(
            [(x0 - 2, 3 - y0), (x1, -y1)]
        )
        body["shaft_w"] = round(paper.k * outline.rim_mm * 1.15, 1)
        body["bed"] = _string_bed(outline, paper)
    return body


def _string_bed(racket: Racket, paper: Paper) -> str:
    up, down, across = racket.hoop_axes("inner")
    cx = racket.widest_mm
    lines = []
    for y in _steps(-across + 10, across - 5, 15):
        reach = math.sqrt(1 - (y / across) ** 2)
        lines.append([(cx - down * reach, y), (cx + up * reach, y)])
    for x in _steps(-down + 12, up - 5, 16):
        a = up if x > 0 else down
        reach = across * math.sqrt(1 - (x / a) ** 2)
        lines.append([(cx + x, -reach), (cx + x, reach)])
    return "".join(paper.line(points) for points in lines)


def _steps(start: float, stop: float, step: float) -> Iterator[float]:
    while start < stop:
        yield start
        start += step


def _hours(outline: Outline, paper: Paper) -> list[tuple[float, float, int]]:
    path = outline.path("inner")
    marks = []
    for hour in (12, 3, 6, 9):
        x, y = path.point(path.arc_of_clock(hour))
        cx = outline.face_centre_mm
        reach = max(math.hypot(x - cx, y), 1)
        inwards = 1 - 16 / paper.k / reach
        marks.append((paper.x(cx + (x - cx) * inwards), paper.y(y * inwards) + 4.5, hour))
    return marks


def _ruler(outline: Outline, paper: Paper, in_inches: bool) -> Ruler:
    """In cm with 5 mm ticks and a number every 10 cm, or in inches with quarters and every two."""
    step, a_number, a_half = (6.35, 8, 4) if in_inches else (5.0, 20, 2)
    ticks, numbers = [], []
    for i in range(int(outline.length_mm / step + 1e-9) + 1):
        mm = i * step
        height = 11 if i % a_number == 0 else 7 if i % a_half == 0 else 4
        ticks.append(f"M{paper.x(mm):g} {RULER_TOP:g}v{height}")
        if i % a_number == 0:
            numbers.append((paper.x(mm), round(mm / (25.4 if in_inches else 10))))
    width = round(paper.k * outline.length_mm, 1)
    return Ruler(paper.x(0), width, "in" if in_inches else "cm", "".join(ticks), numbers)


# --- pieces --------------------------------------------------------------------------------------


def _mark(number: int, piece: Piece, outline: Outline, paper: Paper, pick: str | None) -> Mark:
    drawn = shape(piece, outline, paper)
    return Mark(
        id=piece.id or "",
        number=number,
        kind=piece.kind,
        path=drawn.path,
        width=round(drawn.width_mm * paper.k, 1),
        badges=drawn.badges,
        ends=drawn.ends,
        is_off=piece.mass_g < 0,
        is_picked=piece.id == pick,
        label=f"Piece {number}, {told('mass_g', piece.mass_g, 2)}",
    )


def _apart(marks: list[Mark]) -> list[Mark]:
    """Move numbers that would hide one another, two grips say, side by side."""
    taken: list[tuple[float, float]] = []
    found = []
    for mark in marks:
        first = len(taken)
        for x, y in mark.badges:
            while any(math.dist((x, y), other) < 2 * BADGE for other in taken):
                x += 2 * BADGE + 2
            taken.append((x, y))
        badges = tuple((round(x, 1), round(y, 1)) for x, y in taken[first:])
        found.append(mark if badges == mark.badges else replace(mark, badges=badges))
    return found


@lru_cache(maxsize=4096)
def shape(piece: Piece, outline: Outline, paper: Paper) -> Drawn:
    """A piece on the paper; remembered, so not to be changed."""
    seen = piece.shape(outline)
    return Drawn(
        "".join(paper.line(run, close=not seen.width_mm) for run in seen.runs),
        seen.width_mm,
        tuple(
            (round(paper.x(x) + ASIDE * dx, 1), round(paper.y(y) + ASIDE * dy, 1))
            for (x, y), (dx, dy) in seen.badges
        ),
        tuple((end, paper.x(x), paper.y(y)) for end, (x, y) in seen.ends),
    )


@dataclass(frozen=True, slots=True)
class Drawn:
    """A piece in drawing units: its stroke and the stroke's width in mm, badge places, end
    handles."""

    path: str
    width_mm: float
    badges: tuple[tuple[float, float], ...]
    ends: tuple[tuple[str, float, float], ...]


def _bobs(prediction: Prediction, paper: Paper, pick: str | None) -> list[Bob]:
    """Bobs from left to right; one that would touch its neighbour hangs on a longer line."""
    rows = []
    for number, share in enumerate(prediction.shares, 1):
        grams = nominal(share.body.mass)
        if grams:
            rows.append((paper.x(nominal(share.body.balance)), number, share.piece, grams))
    rows.sort(key=lambda row: (row[0], row[1]))
    heaviest = max((abs(row[3]) for row in rows), default=1.0)
    scale = min(BOB_GRAM, BOB_MOST / math.sqrt(heaviest))
    room = [-math.inf] * 3
    bobs = []
    top = RULER_TOP + RULER_HEIGHT
    for x, number, piece, grams in rows:
        size = scale * math.sqrt(abs(grams))
        width = size + 58
        level = next(
            (i for i in range(3) if room[i] + size <= x), min(range(3), key=lambda i: room[i])
        )
        # With every line taken, the label at least stands clear of its neighbour's.
        shift = max(0.0, room[level] - x - size) if room[level] > x else 0.0
        room[level] = max(room[level], x + size) + width - size
        bobs.append(
            Bob(
                number,
                piece.id or "",
                x,
                top,
                top + 18 + 18 * level,
                round(size, 1),
                mass_text(grams),
                grams < 0,
                piece.id == pick,
                round(shift, 1),
            )
        )
    return bobs
