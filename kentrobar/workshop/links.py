"""Links players are given: to a card, to the questions of a blind trial. Each ends when its frame
goes, on its day, or when somebody ends it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.db.models import QuerySet
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils import timezone
from django.views.decorators.http import require_POST

from kentrobar.frames.models import Frame
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .models import BlindTrial, Card, PlayersLink, SetupSearch

KINDS: dict[str, type[PlayersLink]] = {
    "card": Card, "blind": BlindTrial, "setup-search": SetupSearch,
}  # fmt: skip
LASTS = {"30": timedelta(days=30), "365": timedelta(days=365)}
"""How long a link may last from now, in days; for ever where nothing is said."""


@require_POST
@stored_once
def end(request: Request, kind: str, pk: int) -> HttpResponse:
    """End a link now, on a day, or never by itself."""
    if kind not in KINDS:
        raise Http404("no such link")
    found = get_object_or_404(KINDS[kind], pk=pk)
    lasts = request.POST.get("lasts", "now")
    if lasts == "now":
        if found.revoked_at is None:
            found.revoked_at = timezone.now()
        messages.success(request, "Revoked: the link shows nothing any more.")
    else:
        found.ends_at = timezone.now() + LASTS[lasts] if lasts in LASTS else None
        until = f"until {timezone.localtime(found.ends_at):%-d %b %Y}" if found.ends_at else ""
        messages.success(request, f"The link shows {until or 'until you end it'}.")
    found.save(update_fields=["revoked_at", "ends_at"])
    return redirect(kind, pk)


def _kinds(frame: int) -> tuple[QuerySet[Any], ...]:
    cards = Card.objects.filter(plan__frame=frame).defer("content").select_related("plan")
    trials, searches = (kind.objects.filter(frame=frame) for kind in (BlindTrial, SetupSearch))
    return cards, trials, searches


def of_frame(frame: Frame) -> list[dict[str, Any]]:
    """Every link there is to a frame, the open ones first, each with its page."""
    given, blind, searches = _kinds(frame.pk)
    rows: list[tuple[str, str, PlayersLink]] = [("card", f"Card, {c.plan.name}", c) for c in given]
    rows += [("blind", f"{t.first} or {t.second}", t) for t in blind]
    rows += [("setup-search", str(one), one) for one in searches]
    found = [
        {"kind": kind, "label": label, "link": link, "is_open": link.is_open}
        for kind, label, link in rows
    ]
    return sorted(found, key=lambda one: (not one["is_open"], -one["link"].made_at.timestamp()))
