"""The list of frames: each row made once for what the database holds of its frame."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.contrib.postgres.expressions import ArraySubquery
from django.db.models import OuterRef, Prefetch, QuerySet

from kentrobar.core.reader import the_reader
from kentrobar.ui.stamps import Stamp

from . import above
from .fitted import fittings_of
from .models import FittedPart, Frame, Reading, newest_readings
from .shown import FrameRow, frame_row

MOST = 4000
"""Rows that are remembered, of all who look."""

_made: dict[tuple[Any, ...], FrameRow] = {}


def in_order(frames: QuerySet[Frame]) -> QuerySet[Any]:
    """Of each frame in the order of the list: its key, what rooms above count of it, and the stamps
    of all its row is made of, with those of what was carried out on it."""
    of_frame = OuterRef("pk")
    read = Reading.objects.filter(frame=of_frame).order_by("pk").values_list(Stamp("pk"))
    fitted = FittedPart.objects.filter(frame=of_frame).order_by("pk").values_list(Stamp("pk"))
    stamped = above.counted(frames).values_list(
        "pk", "plan_count", Stamp("pk"), Stamp("player__name"), ArraySubquery(read),
        ArraySubquery(fitted), "sheets_signed",
    )  # fmt: skip
    # An annotated query forgets the model's own order.
    return stamped.order_by("model", "serial", "pk")


def rows(stamped: Iterable[tuple[Any, ...]], common: str) -> list[FrameRow]:
    """The rows of frames as ``in_order`` tells of them, in a ``common`` condition where one is
    asked for."""
    who = the_reader()
    wanted = {
        key: (key, count, own, player, tuple(read), tuple(fitted), tuple(sheets), common, who)
        for key, count, own, player, read, fitted, sheets in stamped
    }
    made = {about: _made.get(about) for about in wanted.values()}
    absent = [about[0] for about, row in made.items() if row is None]
    if absent:
        newest = Prefetch("readings", newest_readings().defer("entry"), "newest")
        frames = above.counted(Frame.live.filter(pk__in=absent))
        carried_out = fittings_of([about[0] for about in wanted.values() if about[6]])
        for frame in frames.prefetch_related(newest, "parts"):
            known = carried_out.get(frame.pk, ())
            made[wanted[frame.pk]] = frame_row(frame, common, known)
        if len(_made) > MOST:
            _made.clear()
        _made.update((about, row) for about, row in made.items() if row)
    return [row for row in made.values() if row]
