"""The dimensions of an outline as arrows on its drawing, none over another."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.geometry.paddle_face import rise_mm, stations
from kentrobar.core.reader import length_number

from .bench import Paper


@dataclass(frozen=True, slots=True)
class Dimension:
    """One dimension on the outline drawing: an arrow from (x0, y0) to (x1, y1) and its words."""

    name: str
    label: str
    x0: float
    y0: float
    x1: float
    y1: float
    text_x: float
    text_y: float
    anchor: str = "middle"


class _Arrows:
    """Arrows on the paper of one outline, lengths written in the reader's unit."""

    def __init__(self, outline: Outline) -> None:
        self.outline = outline
        self.paper = Paper.of(outline)
        self.half = outline.width_mm / 2

    def text(self, what: str, mm: float) -> str:
        return f"{what} {length_number(mm)}"

    def along(self, name: str, what: str, to: float, row: int) -> Dimension:
        """From the butt, in a row below the frame."""
        x, at = self.paper.x, self.paper.y(self.half) + 22 + 23 * row
        return Dimension(
            name, self.text(what, to), x(0.0), at, x(to), at, (x(0.0) + x(to)) / 2, at - 4
        )

    def span(self, name: str, what: str, at: float, size: float) -> Dimension:
        """Along the frame from ``at``, above it."""
        x, y = self.paper.x, self.paper.y(-self.half) - 8
        text = self.text(what, size)
        return Dimension(name, text, x(at), y, x(at + size), y, (x(at) + x(at + size)) / 2, y - 4)

    def beside(self, name: str, what: str, at: float, size: float) -> Dimension:
        """Across the frame, from the edge inwards."""
        x, y = self.paper.x(at), self.paper.y
        text = self.text(what, size)
        end = y(size - self.half)
        return Dimension(name, text, x, y(-self.half), x, end, x - 6, end + 4, "end")

    def across(self, name: str, what: str, at: float, size: float) -> Dimension:
        x, y = self.paper.x(at), self.paper.y
        text = self.text(what, size)
        return Dimension(name, text, x, y(-size / 2), x, y(size / 2), x + 6, y(0) + 18, "start")

    def rim(self) -> Dimension:
        rim, length, x, y = self.outline.rim_mm, self.outline.length_mm, self.paper.x, self.paper.y
        start = x(length - rim)
        text = self.text("rim", rim)
        return Dimension("rim_mm", text, start, y(0), x(length), y(0), start - 6, y(0) - 8, "end")

    def beam(self) -> Dimension:
        """It does not show from above: a short bar of its size stands in the free corner."""
        beam = self.outline.beam_mm
        x, y = self.paper.x(0) + 30, self.paper.y(-self.half) + 22
        end = round(y + self.paper.k * beam, 1)
        text = self.text("beam", beam)
        return Dimension("beam_mm", text, x, y, x, end, x + 12, y + 18, "start")

    def handle_radius(self) -> Dimension:
        r, x, y = self.outline.handle_radius_mm, self.paper.x(60), self.paper.y
        text = self.text("handle radius", r)
        return Dimension("handle_radius_mm", text, x, y(0), x, y(-r), x, y(-r) - 8)

    def corner(self, name: str, what: str, radius: float, at: float) -> Dimension:
        """From the centre of a corner's arc to its middle, up and towards the tip or the hand."""
        x, y = self.paper.x, self.paper.y
        out = radius * math.sqrt(0.5) * (1 if at > self.outline.face_centre_mm else -1)
        cy = radius - self.half
        text = self.text(what, radius)
        return Dimension(name, text, x(at), y(cy), x(at + out), y(cy - abs(out)), x(at), y(cy) + 18)


def dimensions(outline: Outline) -> list[Dimension]:
    """An arrow for every dimension of the outline, none over another."""
    arrows = _Arrows(outline)
    length = outline.length_mm
    found = [
        arrows.along("length_mm", "length", length, 2),
        arrows.across("width_mm", "width", outline.face_centre_mm, outline.width_mm),
        arrows.rim(),
        arrows.beam(),
        arrows.handle_radius(),
    ]
    if isinstance(outline, Racket):
        return [
            *found,
            arrows.along("handle_length_mm", "handle", outline.handle_length_mm, -3),
            arrows.along("hoop_base_mm", "butt to hoop", outline.hoop_base_mm, 0),
            arrows.along("widest_mm", "butt to widest", outline.widest_mm, 1),
        ]
    top, bottom = outline.corner_top_mm, outline.corner_bottom_mm
    found += [
        arrows.along("handle_mm", "butt to face", outline.handle_mm, 0),
        arrows.corner("corner_top_mm", "top corner", top, length - top)
        if outline.top_rise_mm is None
        else arrows.beside("corner_top_mm", "top corner", length - rise_mm(outline), top),
    ]
    if outline.neck_mm:
        found.append(arrows.span("neck_mm", "neck", outline.handle_mm, outline.neck_mm))
    else:
        found.append(
            arrows.corner("corner_bottom_mm", "bottom corner", bottom, outline.handle_mm + bottom)
        )
    if outline.top_rise_mm is not None:
        rise = outline.top_rise_mm
        found.append(arrows.span("top_rise_mm", "top rises over", length - rise, rise))
    for (name, what), (x, half) in zip(_STATIONS, stations(outline), strict=True):
        if getattr(outline, name) is not None:
            found.append(arrows.across(name, what, x, 2 * half))
    return found


_STATIONS = (("width_high_mm", "high"), ("width_middle_mm", "middle"), ("width_low_mm", "low"))
