"""Making a frame lighter: what could come off it, and what would have to be noted first."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.frame.condition import is_on
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.recipes.usual import LIGHTER
from kentrobar.core.words.amounts import change_of
from kentrobar.frames.models import Frame

from .asked import Asked, Base, parts_of
from .kept import KeptAnswer

ASKED_ABOUT = ("strings", "grip", "overgrip")
"""Parts most frames carry, whether they were noted or not."""
ORDER = (
    "old-tape", "strings", "grip", "leather-grip", "overgrip", "dampener", "edge-tape", "bumper",
    "guard",
)  # fmt: skip
"""What is let go of first: a thinner string and a lighter grip before anything is trimmed."""


@dataclass(frozen=True, slots=True)
class CouldComeOff:
    """A way to be lighter: ``box`` is the number of its tick in the wish's form."""

    name: str
    less: str
    box: int
    is_ticked: bool
    is_last_resort: bool


@dataclass(frozen=True, slots=True)
class Lighter:
    """What could come off, the gentlest first, and kinds of parts nobody noted."""

    rows: list[CouldComeOff]
    unnoted: list[str]


def lighter(frame: Frame, base: Base, asked: Asked, found: KeptAnswer | None) -> Lighter | None:
    """None unless the frame is asked to be lighter than it reads, and cannot be yet."""
    target = found.wanted.get("mass_g") if found else None
    if found is None or target is None or found.status == "ok":
        return None
    if target.value + target.tol >= nominal(found.measured.mass_g):
        return None
    condition = base.state.condition
    kinds = {name: kind for kind, (name, _, _) in LIGHTER.items()}
    parts = parts_of(frame, condition)
    rows = [
        (
            ORDER.index(kinds[part.name]),
            CouldComeOff(
                part.name,
                change_of("mass_g", -part.less_g[0]).number(),
                box,
                part.name in asked.parts,
                part.last_resort,
            ),
        )
        for box, part in enumerate(parts)
    ]
    noted = {part.kind for part in frame.all_parts() if part.was_on(None)}
    noted |= {"grip"} if "leather-grip" in noted else set()
    unnoted = [
        PARTS[kind].label
        for kind in ASKED_ABOUT
        if (frame.is_strung or not PARTS[kind].strung_only)
        and is_on(kind, condition)
        and kind not in noted
    ]
    return Lighter([row for _, row in sorted(rows, key=lambda row: row[0])], unnoted)
