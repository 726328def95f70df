"""What plans show on pages of the rooms below: see ``ui/slots.py``."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

from django.db.models import Count, OuterRef, QuerySet, Subquery
from django.db.models.functions import Coalesce

from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.words.amounts import told
from kentrobar.frames.models import FittedPart, Frame
from kentrobar.ui.request import Request

from .models import NEWEST, Plan, newest_of

SHOWN_PLANS = 30


def in_words(usual: list[FittedPart]) -> str:
    """Parts that nobody noted, taken as usual: `usual strings and overgrip, ± 1.7 g`."""
    names = " and ".join(PARTS[part.kind].label for part in usual)
    return f"usual {names}, ± {told('mass_g', math.hypot(*(part.u_g for part in usual)), 1)}"


def of_frame_page(request: Request, page: Any) -> dict[str, Any]:
    """The plans of a frame, and the way to a new one."""
    plans = newest_of(page.frame)
    if len(plans) == NEWEST:
        plans = list(Plan.live.filter(frame=page.frame)[:SHOWN_PLANS])
    return {
        "frame": page.frame, "missing": page.missing, "plans": plans,
        "forms": list(_forms(page.frame)), "usual": page.frame.usual_condition(),
    }  # fmt: skip


def _forms(frame: Frame) -> Iterator[tuple[str, str]]:
    """(condition, in words with what is taken as usual) in which it could be planned."""
    for condition, label in frame.conditions():
        found, assumed = frame.with_usual(condition)
        if found.is_complete:
            yield condition, f"{label}, with {in_words(assumed)}" if assumed else label


def measured_action(request: Request, frame: Frame) -> dict[str, Any]:
    return {"frame": frame}


def counted(frames: QuerySet[Frame]) -> QuerySet[Frame]:
    """Frames with how many plans each has."""
    # Counted for the frames of a page only, where a join would count those of all.
    own = Plan.objects.filter(frame=OuterRef("pk"), removed_at=None).order_by()
    count = own.values("frame").annotate(count=Count("pk")).values("count")
    return frames.annotate(plan_count=Coalesce(Subquery(count), 0))


def wants_twist(frame: Frame) -> bool:
    """Whether a plan of this frame has a target for twist weight."""
    found = newest_of(frame)
    if any("twist_kgcm2" in (plan.part("targets") or ()) for plan in found):
        return True
    wanting = Plan.live.filter(frame=frame, content__targets__has_key="twist_kgcm2")
    return len(found) == NEWEST and wanting.exists()
