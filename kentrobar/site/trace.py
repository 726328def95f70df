"""Every request has an id: in its answer, in the log (``log.py``), on the page that says something
broke."""

from __future__ import annotations

import logging
import re
import secrets
import sys
from collections.abc import Callable

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.contrib.sessions.middleware import SessionMiddleware
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse, HttpResponseBadRequest
from django.shortcuts import render

from . import disk
from .health import health
from .log import is_busy, request_id

GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")
DISK_IS_FULL = (
    "The disk of the server is full: nothing more can be saved. What you typed is still here."
)


class Traced:
    """Gives a request its id, and says which it was. What no page can mean is refused before any
    view reads it; what nobody but the reader may keep is not kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-ID", "") if settings.PROXY else ""
        token = request_id.set(given if GIVEN.fullmatch(given) else secrets.token_hex(6))
        try:
            # Who watches over a server asks by any name, and when the database is away as well.
            is_health = request.path_info == "/health/"
            answer = refused(request) or (health if is_health else self.get_response)(request)
            answer["X-Request-ID"] = request_id.get()
            return answer
        finally:
            request_id.reset(token)


class KeptSessions(SessionMiddleware):
    """A session that cannot be written (the disk is full) does not turn what was saved into an
    error: the answer stands, the session is as it was before."""

    def process_response(self, request: HttpRequest, response: HttpResponse) -> HttpResponse:
        try:
            return super().process_response(request, response)
        except DatabaseError:
            logging.getLogger(__name__).exception("a session was not written")
            return response


class NotStored:
    """Pages show customers and their frames: nobody on the way keeps one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.get_response(request)
        if request.user.is_authenticated and not answer.has_header("Cache-Control"):
            answer["Cache-Control"] = "no-store"
        return answer


def not_now(request: HttpRequest, error: BaseException, is_full: bool) -> HttpResponse:
    """The page for a database that is away or busy for a moment, or for a full disk. A view may
    have saved something before: look first, then send again."""
    log = logging.getLogger(__name__)
    log.log(logging.ERROR if is_full else logging.WARNING, "%s: %s", request.path, error)
    context = {"request_id": request_id.get(), "is_full": is_full}
    answer = render(None, "not_now.html", context, status=507 if is_full else 503)
    answer["Retry-After"] = "60" if is_full else "5"
    if is_full:
        answer["Kentrobar-Says"] = DISK_IS_FULL
    return answer


def refused(request: HttpRequest) -> HttpResponse | None:
    """An answer to what holds a NUL, which no text of ours can and no database takes."""
    if "\0" in request.path_info or "%00" in request.META.get("QUERY_STRING", ""):
        return HttpResponseBadRequest("There is a character in this address that cannot be.")
    return None


@login_not_required
def broken(request: HttpRequest) -> HttpResponse:
    """Something broke on our side, told with the id under which the log has it; or the database was
    busy, in a view or before any."""
    error = sys.exc_info()[1]
    if error is not None:
        is_full = disk.is_full(error) or (is_busy(error) and disk.standing() == "full")
        if is_full or is_busy(error):
            return not_now(request, error, is_full)
    return render(None, "500.html", {"request_id": request_id.get()}, status=500)
