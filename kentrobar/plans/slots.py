"""What plans show on pages of the rooms below: see ``ui/slots.py``."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, OuterRef, QuerySet, Subquery
from django.db.models.functions import Coalesce

from kentrobar.frames.models import Frame
from kentrobar.ui.request import Request

from .models import NEWEST, Plan, newest_of

SHOWN_PLANS = 30


def of_frame_page(request: Request, page: Any) -> dict[str, Any]:
    """The plans of a frame, and the way to a new one."""
    plans = newest_of(page.frame)
    if len(plans) == NEWEST:
        plans = list(Plan.live.filter(frame=page.frame)[:SHOWN_PLANS])
    return {"frame": page.frame, "missing": page.missing, "plans": plans}


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
