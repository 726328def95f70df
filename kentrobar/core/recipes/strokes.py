"""What a stroke makes of a frame: where it hits best, how fast the ball leaves, what a change is
worth, and what it costs in time.

A frame turns at Ω about a pivot behind the hand, and a ball comes at v: it leaves a point x of the
face at e_A·v + (1 + e_A)·Ω·(x − pivot), with e_A as in ``feel``. Heavier frames are swung slower,
as a power of their swing weight. Mass, balance, swing and twist weight are measured; the rest is a
model. See docs/physics.md, "Strokes".
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from statistics import fmean

from kentrobar.core.geometry.kinds import Stroke, StrokeKey
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body

from .feel import coming_back, face_span

KMH = 3.6


OF_STYLE: dict[str, StrokeKey] = {"net": "volley", "spin": "groundstroke", "flat": "groundstroke"}
"""The stroke a player of that style lives by; a groundstroke where nobody said."""


@dataclass(frozen=True, slots=True)
class SwingLaw:
    """Ω ∝ (swing weight)^−``power``, the power known to ± ``band``: strokes at full speed lie
    between 0.15 and 0.35. Our own guess of what swing tests spread over; a workshop sets its
    own."""

    power: float = 0.25
    band: float = 0.10

    def slowed(
        self, before: Body, after: Body, axis_mm: float, power: float | None = None
    ) -> float:
        """What is left of the turning speed, 1 for as fast as before."""
        heavier = after.swing(axis_mm) / before.swing(axis_mm)
        return float(heavier ** -(self.power if power is None else power))


USUAL_LAW = SwingLaw()


@dataclass(frozen=True, slots=True)
class BestHit:
    """Where on the centre line a stroke hits best, mm from the butt, and how fast the ball leaves
    there."""

    x_mm: float
    kmh: float


@dataclass(frozen=True, slots=True)
class Worth:
    """What a change is worth in a stroke: by how much faster the ball leaves where the player hits,
    and how much longer the frame takes to swing round, as a share; each with the band, give or
    take, that the law of swinging leaves open."""

    gain_kmh: float
    band_kmh: float
    later: float
    later_band: float


@dataclass(frozen=True, slots=True)
class StrokeChange:
    """What a change does to a stroke: the best point before and after, and what it is worth."""

    stroke: Stroke
    before: BestHit
    after: BestHit
    worth: Worth


def leaving(
    body: Body, stroke: Stroke, kind: str, bounce: float | None = None, slowed: float = 1.0
) -> Callable[[float, float], float]:
    """(x, y) in mm → how fast a ball leaves that point of the face, km/h. The function raises
    ValueError where twist weight is unknown and y ≠ 0."""
    share_at = coming_back(body, kind, bounce)
    turn_kmh = KMH * stroke.turn * slowed / 1000
    ball_kmh, pivot_mm = stroke.ball_kmh, stroke.pivot_mm

    def kmh(x_mm: float, y_mm: float) -> float:
        share = share_at(x_mm, y_mm)
        return share * ball_kmh + (1 + share) * turn_kmh * (x_mm - pivot_mm)

    return kmh


def leaves_kmh(
    body: Body,
    stroke: Stroke,
    x_mm: float,
    y_mm: float,
    kind: str,
    bounce: float | None = None,
    slowed: float = 1.0,
) -> float:
    """How fast a ball leaves a point of the face. ValueError where twist weight is unknown and y ≠
    0."""
    return leaving(body, stroke, kind, bounce, slowed)(x_mm, y_mm)


@lru_cache(maxsize=1024)
def best_hit(
    body: Body, outline: Outline, stroke: Stroke, bounce: float | None = None, slowed: float = 1.0
) -> BestHit:
    """The best point of the face's centre line, to a quarter of a mm."""
    speed = leaving(body, stroke, outline.kind, bounce, slowed)

    def kmh(x: float) -> float:
        return speed(x, 0.0)

    low, high = face_span(outline)
    best, step = low, (high - low) / 30
    while step > 0.05:
        near = (
            # A little more than to the neighbours of the best of before.
            (best + step * i for i in range(-6, 7))
            if step < (high - low) / 30
            else (low + step * i for i in range(31))
        )
        best = max((x for x in near if low <= x <= high), key=kmh)
        step /= 5
    return BestHit(best, kmh(best))


def stroke_change(
    before: Body,
    after: Body,
    outline: Outline,
    stroke: Stroke,
    axis_mm: float,
    law: SwingLaw = USUAL_LAW,
    bounce: float | None = None,
    marks: Sequence[tuple[float, float]] = (),
) -> StrokeChange:
    """What a change does to a stroke, where the player hits: at ``marks``, else at the best point
    as it was."""
    was = best_hit(before, outline, stroke, bounce)
    now = best_hit(after, outline, stroke, bounce, law.slowed(before, after, axis_mm))
    hit = tuple(marks) or ((was.x_mm, 0.0),)
    return StrokeChange(
        stroke, was, now, worth(before, after, outline.kind, stroke, axis_mm, hit, law, bounce)
    )


def worth(
    before: Body,
    after: Body,
    kind: str,
    stroke: Stroke,
    axis_mm: float,
    hit: Sequence[tuple[float, float]],
    law: SwingLaw = USUAL_LAW,
    bounce: float | None = None,
) -> Worth:
    """What a change is worth where the player hits."""

    def mean(body: Body, slowed: float) -> float:
        speed = leaving(body, stroke, kind, bounce, slowed)
        return fmean(speed(x, y) for x, y in hit)

    was = mean(before, 1.0)

    def by(power: float) -> tuple[float, float]:
        slowed = law.slowed(before, after, axis_mm, power)
        return mean(after, slowed) - was, (1 / slowed - 1 if stroke.turn else 0.0)

    gain, later = by(law.power)
    least, most = (by(law.power + sign * law.band) for sign in (-1, 1))
    return Worth(gain, abs(most[0] - least[0]) / 2, later, abs(most[1] - least[1]) / 2)
