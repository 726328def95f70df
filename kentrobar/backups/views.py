"""How old the newest backup is, and one made now."""

from __future__ import annotations

from contextlib import suppress
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_POST
from procrastinate.exceptions import AlreadyEnqueued

from kentrobar.ui.request import Request

from . import store
from .tasks import back_up

OLD = timedelta(hours=36)
"""A night was missed."""


def standing() -> dict[str, Any]:
    """Of the newest backup: when, how big, and whether it is time to worry."""
    kept = store.kept(settings.BACKUPS)
    newest = kept[0] if kept else None
    at = store.made_at(newest) if newest else None
    return {
        "at": at,
        "megabytes": newest.stat().st_size / 1e6 if newest else 0.0,
        "count": len(kept),
        "is_old": at is None or timezone.now() - at > OLD,
        "where": settings.BACKUPS,
        "is_demo": settings.DEMO,
    }


@require_POST
def now(request: Request) -> HttpResponse:
    """Begin a backup beside the page: it takes seconds to minutes, and counts once it is there."""
    with suppress(AlreadyEnqueued):
        back_up.defer()
    messages.success(request, "A backup is being made and checked. Load this page again to see it.")
    return redirect("settings")
