"""The face as a map: how fast a stroke's ball leaves each place of it, and where balls wear it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from django.utils.safestring import SafeString, mark_safe

from kentrobar.core.geometry.kinds import Stroke
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.recipes.feel import Hits, face_span, is_on_face
from kentrobar.core.recipes.strokes import leaving

from . import bench as drawing

GRID_MM = 13.0
STEPS = 10
"""Shades from the slowest place of the face to the fastest."""


@dataclass(frozen=True, slots=True)
class Place:
    """A place of the face, mm, and whether the map tells its figure."""

    x: float
    y: float
    is_told: bool


@dataclass(frozen=True, slots=True)
class Word:
    """A figure on the map."""

    x: float
    y: float
    text: str


@dataclass(frozen=True, slots=True)
class FaceMap:
    """The face, shaded by how fast a ball leaves it; marks of balls with their centre and
    spread."""

    bench: drawing.BenchDrawing
    view: str
    cells: SafeString
    words: list[Word]
    marks: list[tuple[float, float]]
    centre: tuple[float, float, float, float] | None


def face_map(
    outline: Outline,
    body: Body,
    stroke: Stroke,
    bounce: float,
    hits: Hits,
    twist_known: bool,
    slowed: float = 1.0,
) -> FaceMap:
    """
    Args:
        body: the frame the balls meet. bounce: of a ball on it held fast.
        twist_known: else only the centre line can be shaded. slowed: what is left of the stroke's
            turning speed.
    """
    bench = drawing.bench(outline)
    paper = bench.paper
    places = _places(outline, twist_known)
    speed = leaving(body, stroke, outline.kind, bounce, slowed)
    told = [speed(one.x, one.y) for one in places]
    slowest, fastest = min(told), max(told)
    words = [
        Word(paper.x(one.x), paper.y(one.y) + 4.5, f"{kmh:.0f}")
        for one, kmh in zip(places, told, strict=True)
        if one.is_told
    ]
    shades = [round((kmh - slowest) / ((fastest - slowest) or 1.0) * STEPS) / STEPS for kmh in told]
    left = paper.x(face_span(outline)[0]) - 46
    view = f"{left:.0f} 22 {paper.x(outline.length_mm) + 22 - left:.0f} 390"
    return FaceMap(
        bench, view, _cells(places, told, shades, paper), words,
        [(paper.x(x), paper.y(y)) for x, y in hits.marks], _centre(hits, paper),
    )  # fmt: skip


@lru_cache(maxsize=256)
def _places(outline: Outline, twist_known: bool) -> tuple[Place, ...]:
    """A grid over the face; of one whose twist weight nobody knows only its centre line."""
    low, high = face_span(outline)
    rows = math.floor(outline.width_mm / 2 / GRID_MM) if twist_known else 0
    columns = math.floor((high - low) / GRID_MM)
    start = low + (high - low - columns * GRID_MM) / 2
    return tuple(
        Place(x, y, i % 5 == 2 and j % 4 == 0)
        for i, x in ((i, start + i * GRID_MM) for i in range(columns + 1))
        for j, y in ((j, j * GRID_MM) for j in range(-rows, rows + 1))
        if is_on_face(outline, x, y)
    )


def _cells(
    places: Sequence[Place], told: Sequence[float], shades: Sequence[float], paper: drawing.Paper
) -> SafeString:
    """A circle a place, written straight: there are hundreds."""
    r = f"{round(GRID_MM / 2 * paper.k, 1):g}"
    return mark_safe(
        "".join(
            f'<circle cx="{paper.x(one.x):g}" cy="{paper.y(one.y):g}" r="{r}"'
            f' fill-opacity="{shade:g}">'
            f"<title>{kmh:.0f} km/h</title></circle>"
            for one, kmh, shade in zip(places, told, shades, strict=True)
        )
    )  # numbers alone


def _centre(hits: Hits, paper: drawing.Paper) -> tuple[float, float, float, float] | None:
    """(x, y, reach along, reach across) of the marks' spread."""
    if not hits.marks:
        return None
    (x, y), (along, across) = hits.centre, hits.spread
    return paper.x(x), paper.y(y), round(along * paper.k, 1), round(across * paper.k, 1)


@dataclass(frozen=True, slots=True)
class GramChart:
    """A frame over its ruler, and under it what some grams do to swing weight at every distance."""

    bench: drawing.BenchDrawing
    path: str
    dots: list[Word]
    axis: float
    lines: list[tuple[float, str]]
    base: float
    height: float


def gram_chart(
    outline: Outline,
    curve: Sequence[tuple[float, float]],
    dots: Sequence[tuple[float, float, str]],
    axis_mm: float,
) -> GramChart:
    """
    Args:
        curve: (mm from the butt, kg·cm²). dots: the same of sites, with their numbers.
    """
    bench = drawing.bench(outline)
    paper = bench.paper
    top, base = 436.0, 640.0
    ends = [value for _, value in curve] + [value for _, value, _ in dots]
    most = max(abs(value) for value in ends) or 1.0
    sign = 1.0 if sum(ends) >= 0 else -1.0
    k = (base - top) / most

    def y(value: float) -> float:
        return round(base - k * value * sign, 1)

    step = _round_step(most)
    lines = [
        (y(sign * i * step), f"{'−' if sign < 0 and i else ''}{i * step:.3g}")
        for i in range(int(most / step) + 1)
    ]
    path = "M" + "L".join(f"{paper.x(x):g} {y(value):g}" for x, value in curve)
    marks = [Word(paper.x(x), y(value), text) for x, value, text in dots]
    return GramChart(bench, path, marks, paper.x(axis_mm), lines, base, base + 26)


def _round_step(most: float) -> float:
    """A round step that gives three to seven lines."""
    power = 10.0 ** math.floor(math.log10(most))
    return next(f * power for f in (0.1, 0.2, 0.5, 1.0, 2.0) if most / (f * power) <= 6.5)
