"""What is drawn at its true size for paper: strips to lay tape on, and marks to lay along a rim."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from kentrobar.core.bench.sheet import CutLine, SheetStep
from kentrobar.core.reader import length_text

PAPER_MM = 240.0
"""How long a straight mark fits on a sheet of paper, A4 or Letter laid across, at 1:1."""
OVERLAP_MM = 15.0
"""Overlap of the parts of a long template, mm."""


@dataclass(frozen=True, slots=True)
class Template:
    """A strip at its true size, or one part of it where it is longer than paper. ``joins`` are
    where the part before and the part after are laid on it, mm from its own start."""

    label: str
    length_mm: float
    width_mm: float
    joins: list[float]


def templates(cuts: Sequence[CutLine]) -> list[Template]:
    """Every strip of a cut list."""
    return [tile for line in cuts for tile in _tiles(line)]


def _tiles(line: CutLine) -> Iterator[Template]:
    """The parts of one strip, each overlapping the next."""
    pieces = ", ".join(map(str, line.pieces))
    label = f"{line.count} × {length_text(line.length_mm)}, piece {pieces}"
    length, width = line.length_mm, line.width_mm or 6.0
    if length <= PAPER_MM:
        yield Template(label, length, width, [])
        return
    step = PAPER_MM - OVERLAP_MM
    count = math.ceil((length - OVERLAP_MM) / step - 1e-9)
    for i in range(count):
        start, end = i * step, min(i * step + PAPER_MM, length)
        joins = ([OVERLAP_MM] if i else []) + ([step] if i < count - 1 else [])
        span = f"{length_text(start)} to {length_text(end)}"
        yield Template(f"{label}: part {i + 1} of {count}, {span}", end - start, width, joins)


@dataclass(frozen=True, slots=True)
class RimStrip:
    """A strip of paper to lay along the rim from the tip's centre: marks at true distance, in
    pieces that fit paper."""

    label: str
    start_mm: float
    length_mm: float
    marks: list[tuple[float, str]]
    ticks: list[int]


def rim_strips(steps: Sequence[SheetStep]) -> list[RimStrip]:
    """Marks of all strips of one line on common paper strips, each ``PAPER_MM`` long."""
    by_line: dict[str, list[tuple[float, str]]] = {}
    for step in steps:
        if step.place:
            start, end = step.place.arc_mm
            marks = by_line.setdefault(step.place.line, [])
            if start < 0 < end:
                # Across the tip: the strip of paper is laid down one side, then the other.
                marks += (
                    [(end, f"{step.piece} ends")]
                    if abs(start + end) < 0.1
                    else [
                        (end, f"{step.piece}, 3 o’clock side"),
                        (-start, f"{step.piece}, 9 o’clock side"),
                    ]
                )
            else:
                marks += [(abs(start), f"{step.piece} begins"), (abs(end), f"{step.piece} ends")]
    found = []
    for line, marks in by_line.items():
        for part in range(math.ceil(max(arc for arc, _ in marks) / PAPER_MM + 1e-9)):
            start = part * PAPER_MM
            here = [
                (arc - start, word)
                for arc, word in sorted(marks)
                if start <= arc < start + PAPER_MM
            ]
            if here or part == 0:
                words = {"edge": "edge", "face": "middle of the rim", "inner": "inside of the rim"}[
                    line
                ]
                label = f"{words}, {start:.0f} to {start + PAPER_MM:.0f} mm from the tip’s centre"
                found.append(
                    RimStrip(label, start, PAPER_MM, here, list(range(0, int(PAPER_MM) + 1, 10)))
                )
    return found
