"""Stored once, however often it is sent: a double click, a page sent again, an impatient finger.

A view that makes something is wrapped in ``stored_once``. What was sent is remembered by its
digest; the same once more is led to where the first one led.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable
from datetime import timedelta
from functools import wraps
from typing import Any

from django.contrib import messages
from django.db import IntegrityError, transaction
from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils import timezone

from .models import Sent
from .request import Request

FORGOTTEN = timedelta(hours=1)
"""The same form of the same page counts as sent again for so long."""
HASTY = timedelta(seconds=10)
"""The same words without the token of a page, with nothing else done since, count as sent again for
so long."""
PATIENCE_S = 20.0
"""How long a second request waits for what the first one comes to."""

View = Callable[..., HttpResponse]


def stored_once(view: View) -> View:
    """A view that answers the same form twice as it did once. Only what led somewhere counts: a
    refused form may be sent again."""

    @wraps(view)
    def once(request: Request, *args: Any, **kwargs: Any) -> HttpResponse:
        if request.method != "POST" or request.htmx:
            return view(request, *args, **kwargs)
        sent = _noted(request)
        if isinstance(sent, str):
            return redirect(sent)
        try:
            answer = view(request, *args, **kwargs)
        except BaseException:
            sent.delete()
            raise
        if answer.status_code == 302 and not _is_refused(request):
            Sent.objects.filter(pk=sent.pk).update(led_to=answer["Location"])
        else:
            sent.delete()
        return answer

    return once


def _is_refused(request: Request) -> bool:
    """Whether the page it leads to says that nothing was done."""
    queued = getattr(messages.get_messages(request), "_queued_messages", ())
    return any(one.level >= messages.ERROR for one in queued)


def _noted(request: Request) -> Sent | str:
    """This request, noted as the first of its kind; or where the first one led."""
    form, words = _digests(request)
    Sent.objects.filter(at__lt=timezone.now() - FORGOTTEN).delete()
    earlier = _earlier(request, form, words)
    if earlier is None:
        try:
            with transaction.atomic():
                return Sent.objects.create(form=form, words=words, user=request.user)
        except IntegrityError:
            # Both at the same moment: the other was first.
            earlier = Sent.objects.filter(form=form).first()
    until = time.monotonic() + PATIENCE_S
    while earlier is not None and not earlier.led_to and time.monotonic() < until:
        time.sleep(0.05)
        earlier = Sent.objects.filter(pk=earlier.pk).first()
    # Refused meanwhile, or still at it: the page itself knows how it stands.
    return earlier.led_to if earlier and earlier.led_to else request.get_full_path()


def _earlier(request: Request, form: str, words: str) -> Sent | None:
    """The same, sent before. A page's forms carry its token, so that the same words from a page
    that was opened again are meant again; without one nothing tells them apart but time and what
    was done since."""
    same = Sent.objects.filter(form=form)
    if request.POST.get("csrfmiddlewaretoken"):
        return same.first()
    # Looked up before: one that comes in between is no older one, and is not put away.
    older = list(same.values_list("pk", flat=True))
    newest = Sent.objects.filter(user=request.user).order_by("-at").first()
    if newest and newest.words == words and newest.at > timezone.now() - HASTY:
        return newest
    Sent.objects.filter(pk__in=older).delete()
    return None


def _digests(request: Request) -> tuple[str, str]:
    """(of the very form of the very page, of the words alone). A page's forms carry its own
    token."""
    words = [str(request.user.pk), request.get_full_path()]
    words += [f"{key}={value}" for key, given in sorted(request.POST.lists()) for value in given
              if key != "csrfmiddlewaretoken"]  # fmt: skip
    files = (file for key in sorted(request.FILES) for file in request.FILES.getlist(key))
    words += [f"{file.name}:{file.size}" for file in files]
    page = [*words, request.POST.get("csrfmiddlewaretoken", "")]
    first, second = ("\0".join(given).encode(errors="replace") for given in (page, words))
    return hashlib.sha256(first).hexdigest(), hashlib.sha256(second).hexdigest()
