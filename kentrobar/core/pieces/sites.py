"""The places people put tape on a racket or a paddle, and what a hand can get at: one table for the
palette's first strips and for recipes."""

from __future__ import annotations

from dataclasses import dataclass, replace

from kentrobar.core.geometry.kinds import UsualSite, kind_of
from kentrobar.core.geometry.outline import Outline

THROAT, HANDLE = "Throat", "Inside the handle"
CAP, UNDER_GRIP = "Inside the cap", "Under the grip"


@dataclass(frozen=True, slots=True)
class Access:
    """What a hand can get at on a frame.

    Attributes:
        strings_in: whether the strings stay in: bumper and grommet strip come off only without
            them. bumper_stays: whether the bumper stays on all the same. is_foam: whether the
            handle has no cavity. holes_mm: arcs of its grommet holes from the tip along the edge.
    """

    strings_in: bool = True
    bumper_stays: bool = False
    is_foam: bool = False
    holes_mm: tuple[float, ...] = ()

    @property
    def is_under_bumper(self) -> bool:
        """Whether tape can go under the bumper and the grommet strip."""
        return not (self.strings_in or self.bumper_stays)


STRINGS_IN = Access()
"""What a hand can get at where nobody said otherwise: what can be done to any frame."""


def usual_places(outline: Outline, access: Access = STRINGS_IN) -> tuple[UsualSite, ...]:
    """Where tape usually goes on the rim of this frame, the commonest first."""
    sites = kind_of(outline).sites
    if access.is_under_bumper:
        return sites
    return tuple(replace(one, line=one.line_bumper_on or one.line) for one in sites)
