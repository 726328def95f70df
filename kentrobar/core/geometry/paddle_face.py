"""The ring of a paddle's face: a top that may be an ellipse, sides that may lean through three
stations, round corners or a tapered neck at the hand."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import TYPE_CHECKING

from .curve import EllipticArc, Segment, Side

if TYPE_CHECKING:
    from .outline import Paddle

STATIONS = (0.75, 0.5, 0.25)
"""Where widths are told, as shares of the face from the hand to the tip: high, middle, low."""
SHARP_MM = 1e-6
FLATTEST = 8.0
"""What is flatter than this where the inset has cut into it is taken as sharp."""
Point = tuple[float, float]


def half_width(face: Paddle, x_mm: float) -> float:
    """Half the width of the sides at a distance from the butt: straight between the stations and on
    beyond them."""
    told = stations(face)
    above = next((i for i, (x, _) in enumerate(told) if x_mm >= x), len(told) - 1)
    (x1, y1), (x0, y0) = told[max(above - 1, 0)], told[max(above, 1)]
    return y0 + (y1 - y0) * (x_mm - x0) / (x1 - x0)


def stations(face: Paddle) -> list[Point]:
    """(distance from the butt, half the width) at the three stations, the highest first."""
    deep = face.length_mm - face.handle_mm
    widths = (face.width_high_mm, face.width_middle_mm, face.width_low_mm)
    return [
        (face.handle_mm + share * deep, (face.width_mm if width is None else width) / 2)
        for share, width in zip(STATIONS, widths, strict=True)
    ]


def rise_mm(face: Paddle) -> float:
    """How far below the tip the top begins to curve."""
    return face.corner_top_mm if face.top_rise_mm is None else face.top_rise_mm


def ring(face: Paddle, inset: float) -> tuple[Segment, ...]:
    """Once round, ``inset`` mm inside the outer edge, clockwise from the tip."""
    up, across = rise_mm(face) - inset, face.corner_top_mm - inset
    if min(up, across) < max(SHARP_MM, max(up, across) / FLATTEST):
        up = across = 0.0  # there was none, or the inset cuts it off
    top, bottom = face.length_mm - inset, face.handle_mm + inset
    low = 0.0 if face.neck_mm else max(face.corner_bottom_mm - inset, 0.0)
    side = _side(face, inset, top - up, bottom + low)
    (xt, yt), (xb, yb) = side[0], side[-1]
    q = math.pi / 2
    right: list[Segment] = [
        Side(top, 0.0, top, yt - across),
        EllipticArc(xt, yt - across, up, across, 0.0, q),
        *(Side(*a, *b) for a, b in pairwise(side)),
        EllipticArc(xb, yb - low, low, low, q, 2 * q),
        Side(bottom, yb - low, bottom, low - yb),
    ]
    mirrored = [(x, -y) for x, y in reversed(side)]
    left: list[Segment] = [
        EllipticArc(xb, low - yb, low, low, 2 * q, 3 * q),
        *(Side(*a, *b) for a, b in pairwise(mirrored)),
        EllipticArc(xt, across - yt, up, across, 3 * q, 4 * q),
        Side(top, across - yt, top, 0.0),
    ]
    return tuple(segment for segment in (*right, *left) if segment.length > 0)


def _side(face: Paddle, inset: float, from_mm: float, to_mm: float) -> list[Point]:
    """The 3 o'clock side from where the top's curve ends to where the bottom's begins, or down the
    neck, moved inwards by ``inset``."""
    neck = face.neck_mm or 0.0
    end = face.handle_mm + neck if neck else to_mm
    is_straight = all(
        width is None for width in (face.width_high_mm, face.width_middle_mm, face.width_low_mm)
    )
    between = [] if is_straight else [(x, y) for x, y in stations(face) if end < x < from_mm]
    ends = [(x, half_width(face, x)) for x in (from_mm, end)]
    outer = [ends[0], *between, ends[1]]
    if neck:
        outer.append((face.handle_mm, face.handle_radius_mm))
    if not inset:
        return outer
    lines = [_moved_in(a, b, inset) for a, b in pairwise(outer)]
    found = [(from_mm, _at(lines[0], from_mm))]
    found += [_crossing(one, other) for one, other in pairwise(lines)]
    last = face.handle_mm + inset if neck else to_mm
    return [*found, (last, _at(lines[-1], last))]


Line = tuple[float, float, float, float]


def _moved_in(a: Point, b: Point, inset: float) -> Line:
    """(x, y, along x, along y) of a side moved towards the centre line."""
    (x0, y0), (x1, y1) = a, b
    long = math.hypot(x1 - x0, y1 - y0)
    ux, uy = (x1 - x0) / long, (y1 - y0) / long
    # It runs towards the hand, so the centre line lies on this side of it.
    return x0 - uy * inset, y0 + ux * inset, ux, uy


def _at(line: Line, x_mm: float) -> float:
    x, y, ux, uy = line
    return y + uy * (x_mm - x) / ux


def _crossing(one: Line, other: Line) -> Point:
    x0, y0, ux, uy = one
    x1, y1, vx, vy = other
    cross = ux * vy - uy * vx
    if abs(cross) < 1e-12:
        return x1, y1
    t = ((x1 - x0) * vy - (y1 - y0) * vx) / cross
    return x0 + t * ux, y0 + t * uy
