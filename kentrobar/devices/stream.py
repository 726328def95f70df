"""Live figures as one stream of server-sent events: a page is told when there is news, and does not
ask.

Each stream holds a thread and a connection to the database, on which the reader's news come. Where
as many are open as a process bears, the page is refused one and asks now and then instead.
"""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Iterator

import psycopg
from django.db import DatabaseError, connection
from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.template.loader import render_to_string
from django.views.decorators.http import require_safe

from kentrobar.measuring.models import Instrument
from kentrobar.shop.middleware import in_shop
from kentrobar.ui.reading import chosen_units
from kentrobar.ui.request import Request

from .models import NEWS
from .views import said_now

MOST = 8
"""Open in one process at once."""
LASTS_S = 75.0
"""Then the browser opens it again: no request is older than the server bears."""
QUIET_S = 2.0
"""Without news it is looked so often whether the reader is still there, and whether the page is."""
TELL_EVERY_S = 0.08
RETRY_MS = 500

log = logging.getLogger(__name__)

_free = threading.BoundedSemaphore(MOST)


@require_safe
def stream(request: Request) -> HttpResponse | StreamingHttpResponse:
    """What the instruments of ``of`` (keys, comma separated) say, as it is said."""
    asked = {int(key) for key in request.GET.get("of", "").split(",") if _is_key(key)}
    keys = list(Instrument.live.filter(pk__in=asked).values_list("pk", flat=True))
    if not keys:
        return HttpResponse("no such instrument", status=404, content_type="text/plain")
    if not _free.acquire(blocking=False):
        return HttpResponse("as many streams as there may be", status=429)
    told = _Told(request, keys)
    answer = StreamingHttpResponse(told, content_type="text/event-stream")
    answer["X-Accel-Buffering"] = "no"  # a proxy before us must not keep it back
    answer["Content-Encoding"] = "identity"
    return answer


def _is_key(text: str) -> bool:
    return text.isdecimal() and len(text) < 10


class _Told:
    """The events. Its place is given back when the server closes it, however it ends."""

    def __init__(self, request: Request, keys: list[int]) -> None:
        self.events = _events(request, keys)
        self.is_open = True

    def __iter__(self) -> Iterator[str]:
        return self.events

    def close(self) -> None:
        if self.is_open:
            self.is_open = False
            self.events.close()  # type: ignore[attr-defined]  # a generator
            connection.close()
            _free.release()


def _events(request: Request, keys: list[int]) -> Iterator[str]:
    last: dict[int, str] = {}
    until = time.monotonic() + LASTS_S
    yield f"retry: {RETRY_MS}\n\n"
    with connection.cursor() as cursor:
        cursor.execute(f"listen {NEWS}")
    news = set(keys)
    while time.monotonic() < until:
        said = ""
        for key in news:
            try:
                # The answer is on its way: the reader of the request is gone.
                with in_shop(chosen_units(request)):
                    html = render_to_string("devices/_live.html", said_now(request, key), request)
            except Http404:
                return  # it was put away meanwhile
            if last.get(key) != html:
                last[key] = html
                said += f"event: line\ndata: {json.dumps({'line': key, 'html': html})}\n\n"
        # A word that means nothing finds out whether anybody is there still.
        yield said or ": \n\n"
        time.sleep(TELL_EVERY_S)
        try:
            news = _heard(keys) or set(keys)
        except (DatabaseError, psycopg.Error) as error:
            log.warning("A stream ended, the database went: %s", str(error).partition("\n")[0])
            return  # the browser asks again


def _heard(keys: list[int]) -> set[int]:
    """Which of them have news; nothing where it was quiet for a while."""
    connection.ensure_connection()
    raw = connection.connection
    found: set[int] = set()
    until = time.monotonic() + QUIET_S
    while not found and time.monotonic() < until:
        for note in raw.notifies(timeout=until - time.monotonic(), stop_after=1):
            found.add(int(note.payload))
        # What came together is told together.
        found |= {int(note.payload) for note in raw.notifies(timeout=0)}
        found &= set(keys)
    return found
