"""What each frame of a set would take for a target, told at once while somebody moves it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from hashlib import sha256

from .frame_set import FrameSet
from .meeting import TargetGrid
from .set_search import SetSearch
from .solve import Search

KEPT = 4
"""Sets whose loads stay at hand between two questions."""


def reach(frames: FrameSet, target: Mapping[str, float]) -> dict[str, float | None]:
    """The fewest grams that bring each frame inside the tolerances of these figures of a target,
    by its name; None for one that cannot follow. Other figures stay as they come."""
    import numpy as np

    grid = _grid(_kept(frames))
    names = grid.names
    place = np.array([target.get(name, 0.0) for name in names])
    tolerances = {name: frames.tol(name) if name in target else np.inf for name in names}
    grams = grid.grams(place, tolerances)
    return {member.name: one for member, one in zip(frames.frames, grams, strict=True)}


@dataclass(frozen=True, slots=True)
class _Kept:
    """A set by what decides what its frames can become."""

    digest: str
    frames: FrameSet = field(compare=False)


def _kept(frames: FrameSet) -> _Kept:
    # Whatever is asked of them, the same list serves.
    free = replace(frames, target="least-mass", targets=None)
    decides = free.frames, sorted(free.tolerances), free.materials, free.sites, free.weights
    return _Kept(sha256(repr(decides).encode()).hexdigest(), free)


@lru_cache(maxsize=KEPT)
def _grid(kept: _Kept) -> TargetGrid:
    return SetSearch(kept.frames, Search()).grid
