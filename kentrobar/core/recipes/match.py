"""One target for a set of frames, and a recipe for each.

The target may be a frame of the set, given figures, or the one that moves the fewest grams
(``meeting``). Frames are judged by their distance from the target, or by their spread: how far the
furthest two are apart.
"""

from __future__ import annotations

from dataclasses import replace

from .frame_set import FrameSet
from .matched import Matched
from .programme import SearchStoppedError
from .set_openings import additions, others, wider, without
from .set_search import SetSearch
from .solve import Search, Watch

LEFT_TO_THE_SEARCH = ("material", "site")
"""What is brought in unasked; parts come off only where somebody says so."""


def match(frames: FrameSet, watch: Watch | None = None) -> Matched:
    """A common target and a recipe for each frame, with no more cuts than a hand likes to make
    where that can be. Swing weights are about the first frame's axis.

    Where the frames cannot meet, what would let them is found too, and what else could be followed;
    where sites and materials are left to the search, the least that does is brought in.
    """
    search = Search(watch)
    found = SetSearch(frames, search)
    answer = found.answer()
    if not answer.is_ok and frames.weights.most_cuts and answer.is_whole:
        loose = SetSearch(replace(frames, weights=replace(frames.weights, most_cuts=0)), search)
        in_more_cuts = loose.answer()
        if in_more_cuts.is_ok:
            found, answer = loose, in_more_cuts
    if answer.is_ok or not answer.is_whole:
        return answer
    search.so_far = answer
    try:
        more = list(additions(found))
        least = next((one for one in more if one.kind in LEFT_TO_THE_SEARCH), None)
        if least and frames.may_add:
            return replace(SetSearch(least.frames, search).answer(), also=least.names)
        answer = replace(
            answer, openings=(*(one.opening for one in more), *wider(found)),
            without=without(found, answer),
        )  # fmt: skip
        return replace(answer, others=tuple(others(found)))
    except SearchStoppedError:
        return replace(answer, is_whole=False)
