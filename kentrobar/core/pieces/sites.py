"""The places people put tape on a racket or a paddle: one table for the palette's first strips and
for recipes."""

from __future__ import annotations

from kentrobar.core.geometry.kinds import UsualSite, kind_of
from kentrobar.core.geometry.outline import Outline

THROAT, HANDLE = "Throat", "Inside the handle"
CAP, UNDER_GRIP = "Inside the cap", "Under the grip"


def usual_places(outline: Outline) -> tuple[UsualSite, ...]:
    """Where tape usually goes on the rim of this frame, the commonest first."""
    return kind_of(outline).sites
