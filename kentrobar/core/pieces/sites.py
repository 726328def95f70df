"""The places people put tape on a racket or a paddle: one table for the palette's first strips and
for recipes."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline, Racket, RimLine


@dataclass(frozen=True, slots=True)
class UsualSite:
    """A usual place for tape on the rim.

    Attributes:
        clock, mirror, line: as of a strip. first_mm: the strip to begin with. share: the longest
            strip, as a share of its line.
    """

    key: str
    name: str
    clock: float
    mirror: bool
    line: RimLine
    first_mm: float
    share: float


OF_A_RACKET = (
    UsualSite("sides", "Sides, 3 & 9", 3, True, "face", 76.2, 0.10),
    UsualSite("tip", "Tip", 12, False, "edge", 101.6, 0.14),
    UsualSite("shoulders", "Shoulders, 10 & 2", 2, True, "inner", 50.8, 0.08),
    UsualSite("lower-sides", "Lower sides, 4 & 8", 4, True, "inner", 50.8, 0.08),
)
OF_A_PADDLE = (
    UsualSite("sides", "Sides, 3 & 9", 3, True, "edge", 101.6, 0.13),
    UsualSite("high-corners", "High corners", 1.2, True, "edge", 76.2, 0.09),
    UsualSite("low-corners", "Low corners", 4.9, True, "edge", 76.2, 0.09),
    UsualSite("tip", "Tip", 12, False, "edge", 76.2, 0.12),
)
THROAT, HANDLE = "Throat", "Inside the handle"
CAP, UNDER_GRIP = "Inside the cap", "Under the grip"


def usual_places(outline: Outline) -> tuple[UsualSite, ...]:
    """Where tape usually goes on the rim of this frame, the commonest first."""
    return OF_A_RACKET if isinstance(outline, Racket) else OF_A_PADDLE
