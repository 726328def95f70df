"""Every request has an id: in its answer, in the log, on the page that says something broke."""

from __future__ import annotations

import json
import logging
import re
import secrets
import sys
from collections.abc import Callable
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, HttpResponseBadRequest
from django.shortcuts import render

GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")
BUSY = ("57014", "55P03", "25P03", "40P01", "53300", "57P01", "57P03", "08006")
"""PostgreSQL's codes for what may work a moment later: took too long, locked by others, a deadlock,
too many at once, just starting or stopping."""
MOST_BODY = 40 << 20
LARGE = (
    (re.compile(r"/data/restore/"), 1 << 30),  # a whole workshop, photos and all
    (re.compile(r"/frames/\d+/film/$"), 305 << 20),
)
"""Where more may come in, and how much."""
_id: ContextVar[str] = ContextVar("request_id", default="-")


class Traced:
    """Gives a request its id, and says which it was. What no page can mean is refused before any
    view reads it; what nobody but the reader may keep is not kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-ID", "") if settings.PROXY else ""
        token = _id.set(given if GIVEN.fullmatch(given) else secrets.token_hex(6))
        try:
            answer = refused(request) or self.get_response(request)
            answer["X-Request-ID"] = _id.get()
            return answer
        finally:
            _id.reset(token)


class NotStored:
    """Pages show customers and their frames: nobody on the way keeps one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        answer = self.get_response(request)
        if request.user.is_authenticated and not answer.has_header("Cache-Control"):
            answer["Cache-Control"] = "no-store"
        return answer


def is_busy(error: BaseException) -> bool:
    """Whether the database would answer a moment later."""
    cause = error.__cause__
    code = getattr(cause, "sqlstate", None)
    if isinstance(error, InterfaceError):
        return True
    return isinstance(error, OperationalError) and (code is None or code in BUSY)


def busy(request: HttpRequest) -> HttpResponse:
    """A database that is away for a moment, or has more to do than it can: nothing was kept, and
    trying again helps."""
    logging.getLogger(__name__).warning("busy: %s", request.path)
    answer = render(None, "busy.html", {"request_id": _id.get()}, status=503)
    answer["Retry-After"] = "5"
    return answer


def refused(request: HttpRequest) -> HttpResponse | None:
    """An answer to what holds a NUL, which no text of ours can and no database takes."""
    if "\0" in request.path_info or "%00" in request.META.get("QUERY_STRING", ""):
        return HttpResponseBadRequest("There is a character in this address that cannot be.")
    said = request.META.get("CONTENT_LENGTH") or "0"
    most = next((most for at, most in LARGE if at.match(request.path_info)), MOST_BODY)
    if not said.isdecimal() or len(said) > 15 or int(said) > most:
        # Before a byte of it is read or written anywhere.
        return HttpResponse(f"This is more than {most >> 20} MB, which is too much.", status=413)
    return None


@login_not_required
def broken(request: HttpRequest) -> HttpResponse:
    """Something broke on our side, told with the id under which the log has it; or the database was
    busy, in a view or before any."""
    error = sys.exc_info()[1]
    if error is not None and is_busy(error):
        return busy(request)
    return render(None, "500.html", {"request_id": _id.get()}, status=500)


class WithId(logging.Filter):
    """Puts the request's id into what is logged meanwhile."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_id = _id.get()
        return True


class Lines(logging.Formatter):
    """One JSON object a line, for whatever collects logs."""

    def format(self, record: logging.LogRecord) -> str:
        told: dict[str, Any] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            "request": getattr(record, "request_id", "-"),
            "says": record.getMessage(),
        }
        if record.exc_info:
            told["trace"] = self.formatException(record.exc_info)
        return json.dumps(told, ensure_ascii=False)
