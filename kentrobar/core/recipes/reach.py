"""What each frame of a set would take for a target, told at once while somebody moves it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from hashlib import sha256

from .frame_set import FrameSet
from .meeting import Ground
from .set_search import SetSearch
from .solve import Search

KEPT = 4
"""Sets whose kits stay at hand between two questions."""


def reach(frames: FrameSet, target: Mapping[str, float]) -> dict[str, float | None]:
    """The fewest grams that bring each frame inside the tolerances of these figures of a target,
    by its name; None for one that cannot follow. Other figures stay as they come."""
    import numpy as np

    ground = _ground(_Kept(frames))
    names = ground.names
    place = np.array([target.get(name, 0.0) for name in names])
    tolerances = {name: frames.tol(name) if name in target else np.inf for name in names}
    grams = ground.grams(place, tolerances)
    return {member.name: one for member, one in zip(frames.frames, grams, strict=True)}


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """A set by what decides what its frames can become."""

    frames: FrameSet

    @property
    def print(self) -> str:
        one = self.frames
        decides = one.frames, sorted(one.tolerances), one.materials, one.sites, one.weights
        return sha256(repr(decides).encode()).hexdigest()

    def __hash__(self) -> int:
        return hash(self.print)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Kept) and self.print == other.print


@lru_cache(maxsize=KEPT)
def _ground(kept: _Kept) -> Ground:
    return SetSearch(kept.frames, Search()).ground
