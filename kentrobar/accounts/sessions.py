"""Where somebody is signed in: noted at sign-in, listed, and ended."""

from __future__ import annotations

import re
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import AnonymousUser, User
from django.contrib.auth.signals import user_logged_in, user_logged_out
from django.contrib.sessions.models import Session
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from .models import SignedIn

SEEN = "seen"
SEEN_EVERY = timedelta(hours=1)
"""How fine it is known when somebody was last here; every page would be a write."""
SYSTEMS = ("Android", "iPhone", "iPad", "Windows", "Macintosh", "CrOS", "Linux")
BROWSERS = ("Firefox", "Edg", "OPR", "Chrome", "Safari")


def follow() -> None:
    """Take note of every sign-in and sign-out from now on."""
    user_logged_in.connect(_came, dispatch_uid="accounts-came")
    user_logged_out.connect(_went, dispatch_uid="accounts-went")


def _came(sender: Any, request: HttpRequest, user: User, **_: Any) -> None:
    note(request, user)


def note(request: HttpRequest, user: User | AnonymousUser) -> None:
    """The session of this request is this person's."""
    if request.session.session_key is None:
        request.session.save()
    facts = {
        "user": user,
        "seen_at": timezone.now(),
        "address": request.META.get("REMOTE_ADDR") or None,
        "device": device(request.META.get("HTTP_USER_AGENT", "")),
    }
    request.session[SEEN] = timezone.now().timestamp()
    SignedIn.objects.update_or_create(session_key=request.session.session_key, defaults=facts)


def moved(before: str | None, request: HttpRequest) -> None:
    """The session goes on under another key, as after a new password."""
    SignedIn.objects.filter(session_key=before).delete()
    note(request, request.user)


def _went(sender: Any, request: HttpRequest, **_: Any) -> None:
    SignedIn.objects.filter(session_key=request.session.session_key).delete()


def device(agent: str) -> str:
    """A browser and a system as people call them, from what a browser says of itself."""
    system = next((one for one in SYSTEMS if one in agent), "")
    browser = next((one for one in BROWSERS if re.search(rf"\b{one}/", agent)), "")
    return ", ".join(filter(None, (browser, system))) or agent[:60]


def seen(request: HttpRequest) -> None:
    """This session is in use: written down once an hour."""
    now = timezone.now()
    if now.timestamp() - request.session.get(SEEN, 0) < SEEN_EVERY.total_seconds():
        return
    request.session[SEEN] = now.timestamp()
    key = request.session.session_key
    if not SignedIn.objects.filter(session_key=key).update(seen_at=now):
        # One from before sign-ins were noted.
        note(request, request.user)


def places_of(user: User) -> list[SignedIn]:
    """Where somebody is signed in still; what ended by itself is cleared away."""
    rows = list(SignedIn.objects.filter(user=user))
    kept = set(
        Session.objects.filter(
            session_key__in=[one.session_key for one in rows], expire_date__gt=timezone.now()
        ).values_list("session_key", flat=True)
    )
    return [one for one in rows if one.session_key in kept]


def end(user: User, pk: int | None = None, but: str | None = None) -> int:
    """End one of somebody's sessions, or all ``but`` one; how many."""
    with transaction.atomic():
        rows = SignedIn.objects.select_for_update().filter(user=user).exclude(session_key=but or "")
        keys = [one.session_key for one in (rows.filter(pk=pk) if pk is not None else rows)]
        Session.objects.filter(session_key__in=keys).delete()
        SignedIn.objects.filter(session_key__in=keys).delete()
    return len(keys)
