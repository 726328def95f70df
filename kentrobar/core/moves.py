"""What hands do to a piece: slide it, cut it, mirror it, drag it. Each gives a new piece.

Cutting a strip longer or shorter keeps its grams per length; sliding keeps its grams. A piece is
kept on its frame: a slide past the end stops at the end.
"""

from __future__ import annotations

from dataclasses import replace

from .outline import LINES, Outline, Racket
from .pieces import Piece, Plug, Point, Sleeve, Strip, Throat

SLIDE_MM = 5.0
FINE_MM = 1.0
SNAP_MM = 3.0
CUT_MM = 6.35
"""A quarter of an inch: the step tape is cut in."""


def span(piece: Piece, outline: Outline) -> tuple[float, float]:
    """How far along x a piece may lie: low and high, mm from the butt."""
    if isinstance(piece, Throat) and isinstance(outline, Racket):
        low, _, high, _ = outline.shaft()
        return low, high
    return 0.0, outline.length_mm


def slide(piece: Piece, outline: Outline, mm: float) -> Piece:
    """Move by ``mm``: along the rim (clockwise positive) or along x (towards the tip positive)."""
    if isinstance(piece, Strip):
        path = outline.path(piece.line)
        s = path.arc_of_clock(piece.clock) + mm
        return replace(piece, clock=_tidy(path.clock_of_arc(s), 4))
    if isinstance(piece, Point):
        return replace(piece, x_mm=_inside(piece.x_mm + mm, 0.0, outline.length_mm))
    if isinstance(piece, (Throat, Plug, Sleeve)):
        low, high = span(piece, outline)
        mm = min(max(mm, low - piece.from_mm), high - piece.to_mm)
        return replace(
            piece,
            from_mm=_inside(piece.from_mm + mm, low, high),
            to_mm=_inside(piece.to_mm + mm, low, high),
        )
    return piece


def cut(piece: Piece, outline: Outline, mm: float) -> Piece:
    """Make ``mm`` longer (or shorter where negative): a strip at both ends, a stretch at its far end."""
    if isinstance(piece, Strip):
        return _cut_to(piece, outline, piece.length_mm + mm)
    if isinstance(piece, (Throat, Plug, Sleeve)):
        end = _inside(max(piece.to_mm + mm, piece.from_mm + FINE_MM), *span(piece, outline))
        return _stretch(piece, piece.from_mm, end)
    return piece


def mirror(piece: Piece) -> Piece:
    """Put a one-sided piece on both sides with the same tape, or the reverse.

    A mirrored strip is twice the tape, so its grams double; a point crosses to the other side.
    """
    if isinstance(piece, Strip):
        mass = piece.mass_g / 2 if piece.mirror else piece.mass_g * 2
        return replace(piece, mirror=not piece.mirror, mass_g=_tidy(mass, 3))
    if isinstance(piece, Point):
        return replace(piece, y_mm=-piece.y_mm)
    return piece


def next_line(piece: Piece, outline: Outline) -> Piece:
    """Edge → face → inside → edge, with the same grams, not longer than the new line."""
    if not isinstance(piece, Strip):
        return piece
    line = LINES[(LINES.index(piece.line) + 1) % len(LINES)]
    return replace(piece, line=line, length_mm=min(piece.length_mm, outline.path(line).length))


def drag(piece: Piece, outline: Outline, x: float, y: float) -> Piece:
    """Bring the middle of a piece as near to (x, y) as it can go."""
    if isinstance(piece, Strip):
        path = outline.path(piece.line)
        s = path.nearest(x, y)
        hour = path.clock_of_arc(s)
        # Hands aim at hours and half hours: a piece let go beside one snaps to it.
        mark = round(hour * 2) / 2
        away = abs(path.arc_of_clock(mark) - s)
        near = min(away, path.length - away) <= SNAP_MM
        return replace(piece, clock=(mark or 12.0) if near else _tidy(hour, 4))
    if isinstance(piece, Point):
        half = outline.width_mm / 2
        return replace(
            piece,
            x_mm=_inside(x, 0.0, outline.length_mm),
            y_mm=_inside(y, -half, half) if abs(y) > 4 else 0.0,
        )
    if isinstance(piece, (Throat, Plug, Sleeve)):
        return slide(piece, outline, x - (piece.from_mm + piece.to_mm) / 2)
    return piece


def drag_end(piece: Piece, outline: Outline, end: str, x: float, y: float) -> Piece:
    """Bring one end (``start`` or ``end``) of a piece to (x, y).

    A strip keeps its centre and grows or shrinks at both ends alike, so a site stays a site.
    """
    if isinstance(piece, Strip):
        path = outline.path(piece.line)
        reach = abs(path.nearest(x, y) - path.arc_of_clock(piece.clock))
        return _cut_to(piece, outline, 2 * min(reach, path.length - reach))
    if isinstance(piece, (Throat, Plug, Sleeve)):
        low, high = span(piece, outline)
        x = min(max(x, low), high)
        if end == "start":
            return _stretch(piece, _inside(min(x, piece.to_mm - FINE_MM), low, high), piece.to_mm)
        return _stretch(piece, piece.from_mm, _inside(max(x, piece.from_mm + FINE_MM), low, high))
    return piece


def _cut_to(piece: Strip, outline: Outline, length: float) -> Strip:
    longest = outline.path(piece.line).length
    length = _tidy(min(max(length, FINE_MM * 5), longest), 2)
    length = min(length, longest)
    return replace(piece, length_mm=length, mass_g=_tidy(piece.mass_g * length / piece.length_mm, 4))


def _stretch(piece: Throat | Plug | Sleeve, x0: float, x1: float) -> Piece:
    """Throat tape and wraps keep grams per length; putty keeps its grams and is packed longer."""
    old = piece.to_mm - piece.from_mm
    mass = piece.mass_g
    if not isinstance(piece, Plug) and old > 0:
        mass = _tidy(mass * (x1 - x0) / old, 4)
    return replace(piece, from_mm=x0, to_mm=x1, mass_g=mass)


def _inside(x: float, low: float, high: float) -> float:
    """``x`` in whole tenths within low…high; rounded first, so that rounding never leads outside."""
    return min(max(_tidy(x), low), high)


def _tidy(value: float, places: int = 1) -> float:
    return round(value, places)
