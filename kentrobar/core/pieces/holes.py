"""Grommet holes of a racket as a hand counts them, from 1 at the tip down one side.

``holes_mm`` are their arcs from the tip's centre along the edge, in mm, growing.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from kentrobar.core.errors import PlacementError, Refusal
from kentrobar.core.geometry.curve import Path
from kentrobar.core.geometry.outline import Outline


def on_edge(outline: Outline, path: Path, arc: float) -> float:
    """How far from the tip along the edge, on either side, the ray through a spot of a line meets
    it, mm."""
    edge = outline.path("edge")
    return abs(math.remainder(edge.arc_of_clock(path.clock_of_arc(arc)), edge.length))


def nearest(arc_mm: float, holes_mm: Sequence[float]) -> int:
    return min(range(len(holes_mm)), key=lambda i: abs(holes_mm[i] - arc_mm)) + 1


def hole_at(arc_mm: float, holes_mm: Sequence[float]) -> float | None:
    """6.25 a quarter of the way from hole 6 to hole 7; None before the first and past the last."""
    for number, (here, there) in enumerate(pairwise(holes_mm), 1):
        if here <= arc_mm <= there:
            return number + (arc_mm - here) / (there - here)
    return None


def arc_of(hole: float, holes_mm: Sequence[float]) -> float:
    """Where a hole, or a place between two, lies along the edge, mm. Raises PlacementError where
    there is none."""
    if not 1 <= hole <= len(holes_mm):
        raise PlacementError(Refusal("no-hole", hole, 1, len(holes_mm)))
    before = min(int(hole), len(holes_mm) - 1)
    here, there = holes_mm[before - 1], holes_mm[before]
    return here + (hole - before) * (there - here)
