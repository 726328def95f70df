"""Closed plane curves, measured along their length: what a path of tape is made of.

A path is a ring of segments (elliptic arcs, straight sides). A segment answers a few questions: how
long it is, where its point at arc length ``s`` lies, where a ray meets it, and the sums Σx, Σx²,
Σy, Σy² along a stretch of it. Pieces of tape need nothing else.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate
from typing import NamedTuple, Protocol

from kentrobar.core.errors import PlacementError, Refusal

MOST_ROUNDS = 10
"""No stretch goes round a closed line more often."""


class Sums(NamedTuple):
    """∫ ds, ∫ x ds, ∫ x² ds, ∫ y ds, ∫ y² ds along a stretch of path; mm to the power that
    follows."""

    s: float
    x: float
    xx: float
    y: float
    yy: float

    def plus(self, other: Sums) -> Sums:
        return Sums(
            self.s + other.s,
            self.x + other.x,
            self.xx + other.xx,
            self.y + other.y,
            self.yy + other.yy,
        )


# Gauss-Legendre nodes and weights on −1…1. Ten points hold a quarter of any hoop people play
# with to 1e-6 mm; bench/core.py holds them against 100 000 points.
_HALF_GAUSS = (
    (0.1488743389816312, 0.2955242247147529),
    (0.4333953941292472, 0.2692667193099963),
    (0.6794095682990244, 0.2190863625159820),
    (0.8650633666889845, 0.1494513491505806),
    (0.9739065285171717, 0.0666713443086881),
)
_GAUSS = tuple((sign * x, w) for x, w in _HALF_GAUSS for sign in (-1.0, 1.0))


class Segment(Protocol):
    """One smooth part of a path; ``s`` is measured from its own start."""

    @property
    def length(self) -> float: ...
    def point(self, s: float) -> tuple[float, float]: ...
    def sums(self, s0: float, s1: float) -> Sums: ...
    def trace(self, s0: float, s1: float, step: float) -> list[tuple[float, float]]:
        """Points after s0 up to s1, about ``step`` apart, as many as its curve needs to be
        drawn."""

    def arc_at(self, angle: float, cx: float) -> float | None:
        """Arc length where the ray at ``angle`` (radians from the tip) from (cx, 0) meets it."""

    def nearest(self, x: float, y: float) -> float: ...


@dataclass(frozen=True)
class EllipticArc:
    """(cx + a·cos t, cy + b·sin t) for t from ``start`` to ``end``, at most a quarter, t rising.

    A circle's corner is the arc with a = b. Arc length has no closed form, so it is integrated,
    and inverted by Newton's method from a guess in proportion.
    """

    cx: float
    cy: float
    a: float
    b: float
    start: float
    end: float

    @cached_property
    def length(self) -> float:
        return self._arc(self.start, self.end)

    def _speed(self, t: float) -> float:
        return math.hypot(self.a * math.sin(t), self.b * math.cos(t))

    @cached_property
    def _panels(self) -> int:
        """Into how many parts a stretch is cut to be summed: one, but for a flat ellipse."""
        low, high = sorted((self.a, self.b))
        return 1 if high <= 2 * low or not low else math.ceil(high / low)

    def _halves(self, t0: float, t1: float) -> Iterator[tuple[float, float]]:
        """(middle, half width) of every panel between two angles."""
        step = (t1 - t0) / self._panels
        for k in range(self._panels):
            yield t0 + (k + 0.5) * step, step / 2

    def _arc(self, t0: float, t1: float) -> float:
        return sum(
            half * sum(w * self._speed(middle + half * g) for g, w in _GAUSS)
            for middle, half in self._halves(t0, t1)
        )

    def _angle(self, s: float) -> float:
        if self.a == self.b:
            return self.start + s / self.a if self.a else self.start
        if s <= 0:
            return self.start
        if s >= self.length:
            return self.end
        t = self.start + (self.end - self.start) * s / self.length
        at, low, high = self._arc(self.start, t), self.start, self.end
        for _ in range(40):
            error = s - at
            if abs(error) < 1e-9:
                break
            low, high = (t, high) if error > 0 else (low, t)
            step = error / self._speed(t)
            # A flat ellipse turns so fast at its end that a step can lead out of it.
            step = step if low <= t + step <= high else (low + high) / 2 - t
            at += self._arc(t, t + step)
            t += step
        return t

    def point(self, s: float) -> tuple[float, float]:
        t = self._angle(s)
        return self.cx + self.a * math.cos(t), self.cy + self.b * math.sin(t)

    def trace(self, s0: float, s1: float, step: float) -> list[tuple[float, float]]:
        t0, t1 = self._angle(s0), self._angle(s1)
        count = max(1, math.ceil((s1 - s0) / step))
        # Even in angle, not in length: good enough to draw, and no arc length to invert.
        angles = (t0 + (t1 - t0) * i / count for i in range(1, count + 1))
        return [(self.cx + self.a * math.cos(t), self.cy + self.b * math.sin(t)) for t in angles]

    def sums(self, s0: float, s1: float) -> Sums:
        a, b = self.a, self.b
        n = sx = sxx = sy = syy = 0.0
        halves = self._halves(self._angle(s0), self._angle(s1))
        for middle, half, g, w in ((*one, *node) for one in halves for node in _GAUSS):
            t = middle + half * g
            cos, sin = math.cos(t), math.sin(t)
            x, y = self.cx + a * cos, self.cy + b * sin
            w *= half * math.hypot(a * sin, b * cos)
            n += w
            sx += w * x
            sxx += w * x * x
            sy += w * y
            syy += w * y * y
        return Sums(n, sx, sxx, sy, syy)

    def arc_at(self, angle: float, cx: float) -> float | None:
        dx, dy = math.cos(angle), math.sin(angle)
        if self.cx == cx and self.cy == 0:
            t = math.atan2(self.a * dy, self.b * dx) % math.tau
            # A ray along a seam belongs to both arcs; rounding must not lose it to neither.
            for candidate in (t, t + math.tau, t - math.tau):
                if self.start - 1e-12 <= candidate <= self.end + 1e-12:
                    return self._arc(self.start, min(max(candidate, self.start), self.end))
            return None
        # Off-centre arcs are corners: in half axes they are circles, |o + r·u| = 1, outer root.
        if self.a == 0 or self.b == 0:
            return None
        ox, oy = (cx - self.cx) / self.a, -self.cy / self.b
        ux, uy = dx / self.a, dy / self.b
        square, along = ux * ux + uy * uy, ox * ux + oy * uy
        root = along * along - square * (ox * ox + oy * oy - 1)
        if root < 0:
            return None
        r = (-along + math.sqrt(root)) / square
        t = math.atan2(oy + r * uy, ox + r * ux) % math.tau
        for candidate in (t, t + math.tau, t - math.tau):
            if self.start - 1e-9 <= candidate <= self.end + 1e-9:
                return self._arc(self.start, min(max(candidate, self.start), self.end))
        return None

    def nearest(self, x: float, y: float) -> float:
        best = min(
            (self.start + (self.end - self.start) * i / 24 for i in range(25)),
            key=lambda t: self._square(t, x, y),
        )
        low, high = best - (self.end - self.start) / 24, best + (self.end - self.start) / 24
        for _ in range(30):
            third = (high - low) / 3
            if self._square(low + third, x, y) < self._square(high - third, x, y):
                high -= third
            else:
                low += third
        return self._arc(self.start, min(max((low + high) / 2, self.start), self.end))

    def _square(self, t: float, x: float, y: float) -> float:
        dx = self.cx + self.a * math.cos(t) - x
        dy = self.cy + self.b * math.sin(t) - y
        return dx * dx + dy * dy


@dataclass(frozen=True)
class Side:
    """A straight side from (x0, y0) to (x1, y1)."""

    x0: float
    y0: float
    x1: float
    y1: float

    @cached_property
    def length(self) -> float:
        return math.hypot(self.x1 - self.x0, self.y1 - self.y0)

    def point(self, s: float) -> tuple[float, float]:
        share = s / self.length if self.length else 0.0
        return self.x0 + (self.x1 - self.x0) * share, self.y0 + (self.y1 - self.y0) * share

    def trace(self, s0: float, s1: float, step: float) -> list[tuple[float, float]]:
        return [self.point(s1)]

    def sums(self, s0: float, s1: float) -> Sums:
        (xa, ya), (xb, yb) = self.point(s0), self.point(s1)
        n = s1 - s0
        return Sums(
            n,
            n * (xa + xb) / 2,
            n * (xa * xa + xa * xb + xb * xb) / 3,
            n * (ya + yb) / 2,
            n * (ya * ya + ya * yb + yb * yb) / 3,
        )

    def arc_at(self, angle: float, cx: float) -> float | None:
        if not self.length:
            return None
        dx, dy = math.cos(angle), math.sin(angle)
        ux, uy = (self.x1 - self.x0) / self.length, (self.y1 - self.y0) / self.length
        cross = ux * dy - uy * dx
        if cross == 0:
            return None
        ox, oy = self.x0 - cx, self.y0
        s = (dx * oy - dy * ox) / cross
        r = (ux * oy - uy * ox) / cross
        if r > 0 and -1e-9 <= s <= self.length + 1e-9:
            return min(max(s, 0.0), self.length)
        return None

    def nearest(self, x: float, y: float) -> float:
        if not self.length:
            return 0.0
        along = (x - self.x0) * (self.x1 - self.x0) + (y - self.y0) * (self.y1 - self.y0)
        return min(max(along / self.length, 0.0), self.length)


@dataclass(frozen=True)
class Path:
    """A closed ring of segments from the tip clockwise round the face centre (cx, 0)."""

    cx: float
    segments: tuple[Segment, ...]

    @cached_property
    def _starts(self) -> tuple[float, ...]:
        return tuple(accumulate((seg.length for seg in self.segments), initial=0.0))

    @property
    def length(self) -> float:
        """Once round, mm."""
        return self._starts[-1]

    def _at(self, s: float) -> tuple[Segment, float]:
        s %= self.length
        i = min(bisect_right(self._starts, s) - 1, len(self.segments) - 1)
        return self.segments[i], s - self._starts[i]

    def point(self, s: float) -> tuple[float, float]:
        """(x, y) in mm at arc length ``s``; ``s`` may run past either end."""
        segment, along = self._at(s)
        return segment.point(along)

    def arc_of_clock(self, hour: float) -> float:
        """Arc length of a clock hour, 0…length (12 and 0 are the tip)."""
        angle = math.radians(hour % 12 * 30)
        if angle == 0:
            return 0.0
        for start, segment in zip(self._starts, self.segments, strict=False):
            along = segment.arc_at(angle, self.cx)
            if along is not None:
                return start + along
        raise PlacementError(Refusal("not-met", hour))

    def clock_of_arc(self, s: float) -> float:
        """Clock hour 0 < h ≤ 12 of arc length ``s``."""
        x, y = self.point(s)
        hour = math.degrees(math.atan2(y, x - self.cx)) / 30 % 12
        return hour if hour > 1e-12 else 12.0

    def sums(self, s0: float, s1: float) -> Sums:
        """The integrals over s0…s1 (s0 ≤ s1, at most once round)."""
        total = Sums(0, 0, 0, 0, 0)
        for segment, a, b in self._stretches(s0, s1):
            total = total.plus(segment.sums(a, b))
        return total

    def run(self, s0: float, s1: float, step: float = 4.0) -> list[tuple[float, float]]:
        """Points along s0…s1, about ``step`` mm apart, ends and seams exact, for drawing."""
        points = [self.point(s0)]
        for segment, a, b in self._stretches(s0, s1):
            points += segment.trace(a, b, step)
        return points

    def nearest(self, x: float, y: float) -> float:
        """Arc length of the point of the path nearest to (x, y)."""
        best = 0.0
        distance = math.inf
        for start, segment in zip(self._starts, self.segments, strict=False):
            along = segment.nearest(x, y)
            px, py = segment.point(along)
            square = (px - x) ** 2 + (py - y) ** 2
            if square < distance - 1e-12:
                best, distance = start + along, square
        return best

    def _stretches(self, s0: float, s1: float) -> Iterator[tuple[Segment, float, float]]:
        left = s1 - s0
        if not left <= MOST_ROUNDS * self.length:
            # What lies so often round is no strip: laying it out would take all there is.
            raise ValueError(f"{left:.4g} mm is more than {MOST_ROUNDS} times round this line")
        s = s0 % self.length
        i = min(bisect_right(self._starts, s) - 1, len(self.segments) - 1)
        while left > 1e-12:
            segment, start = self.segments[i], self._starts[i]
            end = min(self._starts[i + 1], s + left)
            if end > s:
                yield segment, s - start, end - start
                left -= end - s
            i = (i + 1) % len(self.segments)
            s = self._starts[i]
