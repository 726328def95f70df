"""The searches, as workers take them from the queue: for a wish, and for a set."""

from __future__ import annotations

from kentrobar.shop.models import Settings
from kentrobar.ui import background

from . import asked as asking
from . import sets
from .asked import Asked
from .models import Match, Wish
from .sets import AskedSet


@background.work("wish", Wish)
def wish(row: Wish, axis_mm: float) -> background.Prepared:
    asked = Asked.parse(row.content, row.frame.kind)
    base = asking.base(row.frame, asked.base)
    brief = asking.brief_of(row.frame, asked, base, Settings.load(), axis_mm)
    return (
        lambda watch: asking.answered(brief, base, watch),
        lambda progress: asking.answered_so_far(brief, base, progress),
    )


@background.work("match", Match)
def match(row: Match, axis_mm: float) -> background.Prepared:
    frames = row.at_hand()
    asked = AskedSet.parse(row.content, frames[0].kind)
    found = sets.readied(frames, asked.condition)
    wanted = sets.set_of(found, asked, Settings.load(), axis_mm)
    return (
        lambda watch: sets.matched(wanted, found, watch),
        lambda progress: sets.matched_so_far(wanted, found, progress),
    )
