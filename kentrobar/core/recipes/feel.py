"""What a player feels: where the face is strong, how a frame answers, and what changed, in words.

In an impact a frame is a free body. A ball at (x, y) on the face meets an effective mass m_e with
1/m_e = 1/M + (x − b)²/I_recoil + y²/I_twist, and keeps the share e_A = (e·m_e − m)/(m_e + m) of its
speed (e: bounce of ball and bed alone, m: the ball). See docs/physics.md, "What the player feels".
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from statistics import fmean, stdev

from kentrobar.core.geometry.kinds import FRAME_KINDS, kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.words import Message, message

G_MM = 9806.65
SWEET = 0.9
"""Share of the best rebound on the face that still counts as the sweet spot; our own choice."""


@dataclass(frozen=True, slots=True)
class Noticed:
    """Differences of swing weight a player notices, kg·cm²: below ``few`` most do not. Our own
    guess; a workshop sets its own."""

    few: float = 5.0
    serious: float = 10.0

    def by(self, difference: float) -> Message:
        """Who would notice such a difference."""
        if abs(difference) < self.few:
            return message("unnoticed")
        return message("some-notice" if abs(difference) < self.serious else "serious-notice")


def met_by_a_ball(body: Body) -> Callable[[float, float], float]:
    """(x, y) in mm → grams a ball meets there. Maps ask for hundreds of points of one frame.

    The function raises ValueError where twist weight is unknown and y ≠ 0.
    """
    light, balance, recoil, twist = 1 / body.mass, body.balance, body.recoil, body.twist

    def met(x_mm: float, y_mm: float) -> float:
        inverse = light + (x_mm - balance) ** 2 / recoil
        if y_mm:
            if not twist > 0:
                raise ValueError("off the centre line the twist weight must be known")
            inverse += y_mm**2 / twist
        return 1 / inverse

    return met


def effective_mass(body: Body, x_mm: float, y_mm: float) -> float:
    """Grams a ball meets at a point of the face. ValueError where twist weight is unknown and y ≠
    0."""
    return met_by_a_ball(body)(x_mm, y_mm)


def coming_back(
    body: Body, kind: str, bounce: float | None = None
) -> Callable[[float, float], float]:
    """(x, y) in mm → share of a ball's speed that comes back there from a frame at rest, e_A."""
    ball, met = FRAME_KINDS[kind].ball_g, met_by_a_ball(body)
    held_fast = FRAME_KINDS[kind].bounce if bounce is None else bounce

    def share(x_mm: float, y_mm: float) -> float:
        mass = met(x_mm, y_mm)
        return (held_fast * mass - ball) / (mass + ball)

    return share


def rebound(body: Body, x_mm: float, y_mm: float, kind: str, bounce: float | None = None) -> float:
    """Share of a ball's speed that comes back from a frame at rest, e_A."""
    return coming_back(body, kind, bounce)(x_mm, y_mm)


def percussion_mm(body: Body, axis_mm: float) -> float:
    """The centre of percussion for an axis, mm from the butt: hit there, the hand at the axis feels
    no jolt."""
    return axis_mm + body.swing(axis_mm) / (body.mass * (body.balance - axis_mm))


def polarisation(body: Body, length_mm: float) -> float:
    """Recoil weight over what it were with all mass at the two ends, 0…1."""
    return body.recoil / (body.mass * (length_mm / 2) ** 2)


def sync(body: Body) -> float:
    """M·g·b / I about the butt, s⁻²: how fast a frame swings by itself, hung from its butt."""
    return body.mass * G_MM * body.balance / body.second


@dataclass(frozen=True, slots=True)
class Hits:
    """Where balls wear a face: marks as (x, y) in mm, their centre and how far they scatter."""

    marks: tuple[tuple[float, float], ...]

    @property
    def centre(self) -> tuple[float, float]:
        return fmean(x for x, _ in self.marks), fmean(y for _, y in self.marks)

    @property
    def spread(self) -> tuple[float, float]:
        """One standard deviation along and across, mm; 0 for a single mark."""
        if len(self.marks) < 2:
            return 0.0, 0.0
        return stdev(x for x, _ in self.marks), stdev(y for _, y in self.marks)


@lru_cache(maxsize=512)
def face_span(outline: Outline) -> tuple[float, float]:
    """Where the inside of the face begins and ends along the frame, mm from the butt."""
    path = outline.path("inner")
    return path.point(path.arc_of_clock(6))[0], path.point(0.0)[0]


def sweet_spot_mm(body: Body, outline: Outline, bounce: float | None = None) -> float:
    """How long the stretch of the face's centre line is in which a ball comes back with at least
    ``SWEET`` of what comes back at the best point of it, mm."""
    kind = kind_of(outline)
    low, high = face_span(outline)
    best = min(max(body.balance, low), high)
    held_fast = kind.bounce if bounce is None else bounce
    share = SWEET * coming_back(body, kind.key, bounce)(best, 0.0)
    # The mass a ball must meet for that share, and how far from the balance point it meets it.
    least = kind.ball_g * (1 + share) / (held_fast - share)
    reach = math.sqrt(max(body.recoil * (1 / least - 1 / body.mass), 0.0))
    return max(min(body.balance + reach, high) - max(body.balance - reach, low), 0.0)


def is_on_face(outline: Outline, x_mm: float, y_mm: float) -> bool:
    """Whether a ball can meet the face there."""
    low, high = face_span(outline)
    if not low <= x_mm <= high:
        return False
    centre = outline.face_centre_mm
    hour = math.degrees(math.atan2(y_mm, x_mm - centre)) / 30 % 12
    path = outline.path("inner")
    edge_x, edge_y = path.point(path.arc_of_clock(hour))
    return math.hypot(x_mm - centre, y_mm) <= math.hypot(edge_x - centre, edge_y) + 1e-9


def changed(
    before: Body, after: Body, axis_mm: float, noticed: Noticed, twist_known: bool
) -> list[Message]:
    """What a change is felt as, most telling first; empty where nothing would be noticed."""
    felt = []
    swing = after.swing_kgcm2(axis_mm) - before.swing_kgcm2(axis_mm)
    if abs(swing) >= noticed.few:
        felt.append(message("felt-swing", change=swing, noticed=noticed.by(swing)))
    balance = after.balance - before.balance
    if abs(balance) >= 2:
        felt.append(message("felt-balance", change=balance))
    if twist_known and before.twist and abs(after.twist / before.twist - 1) >= 0.03:
        felt.append(message("felt-twist", share=after.twist / before.twist - 1))
    mass = after.mass - before.mass
    if abs(mass) >= 3:
        felt.append(message("felt-mass", change=mass))
    return felt
