"""Where tape can lie: the outlines of rackets and paddles, and the closed paths along their rims.

Arc length ``s`` starts at the tip and runs clockwise, through 3 o'clock. A clock hour ``h`` is
the point of the path on the ray that leaves the face centre at h·30° from the tip. ``line`` says
where across the rim a path runs: on its outer edge, on its flat faces, or inside.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Literal

from kentrobar.core.errors import Refusal

from .curve import EllipticArc, Path
from .paddle_face import half_width, ring, rise_mm

RimLine = Literal["edge", "face", "inner"]
LINES: tuple[RimLine, ...] = ("edge", "face", "inner")


@dataclass(frozen=True, slots=True, kw_only=True)
class Racket:
    """What a customizer tape-measures on a racket, all in mm.

    Attributes:
        length_mm: butt to tip. width_mm: greatest, outside. widest_mm: butt to the widest point.
        hoop_base_mm: butt to the bottom of the hoop. rim_mm: depth of the hoop tube in the face
        plane. beam_mm: thickness. handle_length_mm, handle_radius_mm (mean radius).
    """

    length_mm: float
    width_mm: float
    widest_mm: float
    hoop_base_mm: float
    rim_mm: float
    beam_mm: float
    handle_length_mm: float
    handle_radius_mm: float
    kind: Literal["racket"] = "racket"

    @property
    def is_strung(self) -> bool:
        """Whether it has a hoop with strings."""
        return True

    @property
    def face_centre_mm(self) -> float:
        return self.widest_mm

    def faults(self) -> Iterator[tuple[str, str]]:
        """(dimension, what is wrong) for dimensions that cannot belong to one racket."""
        sizes = list(_size_faults(self))
        if sizes:
            yield from sizes
            return
        if self.hoop_base_mm <= self.handle_length_mm:
            yield (
                "hoop_base_mm",
                Refusal("hoop-in-handle", self.hoop_base_mm, self.handle_length_mm),
            )
        if not self.hoop_base_mm < self.widest_mm:
            yield "widest_mm", Refusal("widest-in-throat", self.widest_mm, self.hoop_base_mm)
        if not self.widest_mm < self.length_mm:
            yield "widest_mm", Refusal("widest-above-tip", self.widest_mm, high=self.length_mm)
        least = min(
            self.length_mm - self.widest_mm, self.widest_mm - self.hoop_base_mm, self.width_mm / 2
        )
        if self.rim_mm >= least > 0:
            yield "rim_mm", Refusal("rim-fills-hoop", self.rim_mm, high=least)
        if self.handle_radius_mm * 2 > self.width_mm:
            yield "handle_radius_mm", _wide_handle(self)

    def path(self, line: RimLine) -> Path:
        return _racket_path(self, line)

    def hoop_axes(self, line: RimLine) -> tuple[float, float, float]:
        """Semi-axes towards the tip, towards the hand and across, mm, of the path on ``line``."""
        inset = inset_mm(self, line)
        return (
            self.length_mm - self.widest_mm - inset,
            self.widest_mm - self.hoop_base_mm - inset,
            self.width_mm / 2 - inset,
        )

    def shaft(self) -> tuple[float, float, float, float]:
        """One throat shaft as x0, y0, x1, y1 in mm: handle top to the hoop at 5 o'clock."""
        return _shaft(self)


@dataclass(frozen=True, slots=True, kw_only=True)
class Paddle:
    """What a customizer tape-measures on a paddle, all in mm.

    Attributes:
        length_mm: butt to tip. width_mm: of the face. handle_mm: butt to where the face begins.
        corner_top_mm, corner_bottom_mm: corner radii. rim_mm: width of the edge guard.
        beam_mm: thickness. handle_radius_mm: mean radius of the handle.
        top_rise_mm: how far below the tip its curve begins, where it is an ellipse as wide each
        side as corner_top_mm. width_high_mm, width_middle_mm, width_low_mm: where the sides lean,
        at three, two and one quarters of the face. neck_mm: how long the neck is over which a face
        tapers to the handle, instead of bottom corners.
    """

    length_mm: float
    width_mm: float
    handle_mm: float
    corner_top_mm: float
    corner_bottom_mm: float
    rim_mm: float
    beam_mm: float
    handle_radius_mm: float
    top_rise_mm: float | None = None
    width_high_mm: float | None = None
    width_middle_mm: float | None = None
    width_low_mm: float | None = None
    neck_mm: float | None = None
    kind: Literal["paddle"] = "paddle"

    @property
    def is_strung(self) -> bool:
        return False

    @property
    def face_centre_mm(self) -> float:
        return (self.length_mm + self.handle_mm) / 2

    @property
    def handle_length_mm(self) -> float:
        return self.handle_mm

    def faults(self) -> Iterator[tuple[str, str]]:
        """(dimension, what is wrong) for dimensions that cannot belong to one paddle."""
        sizes = list(_size_faults(self))
        if sizes:
            yield from sizes
            return
        face = self.length_mm - self.handle_mm
        if face <= 0:
            yield "handle_mm", Refusal("face-above-tip", self.handle_mm, high=self.length_mm)
            return
        for name in ("corner_top_mm", "corner_bottom_mm"):
            if (radius := getattr(self, name)) * 2 > self.width_mm:
                yield name, Refusal("corners-wider", radius, high=self.width_mm / 2)
        low = self.neck_mm or self.corner_bottom_mm
        if (both := rise_mm(self) + low) > face:
            curved = "corner_top_mm" if self.top_rise_mm is None else "top_rise_mm"
            yield curved, Refusal("corners-longer", both, high=face)
        top, rise = self.corner_top_mm, self.top_rise_mm
        if rise is not None and not top / 4 <= rise <= top * 4:
            yield "top_rise_mm", Refusal("outside", rise, top / 4, top * 4, "of such a top corner")
        for name in ("width_high_mm", "width_middle_mm", "width_low_mm"):
            width, least = getattr(self, name), self.width_mm / 2
            if width is not None and not least <= width <= self.width_mm:
                yield name, Refusal("outside", width, least, self.width_mm, "the greatest width")
                return
        if (wide := half_width(self, self.length_mm - rise_mm(self))) < self.corner_top_mm:
            yield "corner_top_mm", Refusal("corners-wider", self.corner_top_mm, high=wide)
        if self.rim_mm * 2 >= (least := min(face, self.width_mm)):
            yield "rim_mm", Refusal("rim-fills-face", self.rim_mm, high=least / 2)
        if self.handle_radius_mm * 2 > self.width_mm:
            yield "handle_radius_mm", _wide_handle(self)

    def path(self, line: RimLine) -> Path:
        return _paddle_path(self, line)


Outline = Racket | Paddle


LONGEST_MM = 1200.0


def _size_faults(outline: Outline) -> Iterator[tuple[str, str]]:
    for field in fields(outline):
        if not field.name.endswith("_mm"):
            continue
        size = getattr(outline, field.name)
        if size is None:
            continue
        sharp = field.name.startswith("corner_") and size == 0
        if not (0 < size <= LONGEST_MM or sharp):
            yield field.name, Refusal("outside", size, 0.0, LONGEST_MM)


def _wide_handle(outline: Outline) -> Refusal:
    return Refusal("handle-wider", outline.handle_radius_mm, high=outline.width_mm / 2)


def inset_mm(outline: Outline, line: RimLine) -> float:
    """How far inside the outer edge a line of tape runs."""
    return {"edge": 0.0, "face": outline.rim_mm / 2, "inner": outline.rim_mm}[line]


@lru_cache(maxsize=512)
def _racket_path(racket: Racket, line: RimLine) -> Path:
    up, down, across = racket.hoop_axes(line)
    quarter = math.pi / 2
    axes = (up, down, down, up)
    return Path(
        racket.widest_mm,
        tuple(
            EllipticArc(racket.widest_mm, 0.0, a, across, i * quarter, (i + 1) * quarter)
            for i, a in enumerate(axes)
        ),
    )


@lru_cache(maxsize=512)
def _shaft(racket: Racket) -> tuple[float, float, float, float]:
    path = racket.path("face")
    return racket.handle_length_mm, racket.handle_radius_mm, *path.point(path.arc_of_clock(5))


@lru_cache(maxsize=512)
def _paddle_path(paddle: Paddle, line: RimLine) -> Path:
    return Path(paddle.face_centre_mm, ring(paddle, inset_mm(paddle, line)))
