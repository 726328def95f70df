"""Every request has an id: in its answer, in the log, on the page that says something broke."""

from __future__ import annotations

import json
import logging
import re
import secrets
import sys
import time
from collections.abc import Callable
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

import psycopg
from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.contrib.sessions.middleware import SessionMiddleware
from django.db import DatabaseError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, HttpResponseBadRequest
from django.shortcuts import render

from kentrobar.accounts.passwords import PasswordBusyError

from . import disk

GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")
BUSY = ("57014", "55P03", "25P03", "40P01", "53300", "57P01", "57P03", "08006")
"""PostgreSQL's codes for what may work a moment later: took too long, locked by others, a deadlock,
too many at once, just starting or stopping."""
DISK_IS_FULL = (
    "The disk of the server is full: nothing more can be saved. What you typed is still here."
)
QUIET_S = 60.0
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


def is_busy(error: BaseException) -> bool:
    """Whether the database would answer a moment later."""
    cause = error.__cause__
    code = getattr(cause, "sqlstate", None)
    if isinstance(error, InterfaceError | PasswordBusyError):
        return True
    return isinstance(error, OperationalError) and (code is None or code in BUSY)


def busy(request: HttpRequest) -> HttpResponse:
    """A database that is away for a moment, or has more to do than it can: nothing was kept, and
    trying again helps."""
    logging.getLogger(__name__).warning("busy: %s", request.path)
    answer = render(None, "busy.html", {"request_id": _id.get()}, status=503)
    answer["Retry-After"] = "5"
    return answer


def full(request: HttpRequest) -> HttpResponse:
    """There is no room on the disk: nothing can be saved until there is."""
    logging.getLogger(__name__).error("the disk is full: %s", request.path)
    answer = render(None, "full.html", {"request_id": _id.get()}, status=507)
    answer["Retry-After"], answer["Kentrobar-Says"] = "60", DISK_IS_FULL
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
    if error is not None and (
        disk.is_full(error) or (is_busy(error) and disk.standing() == "full")
    ):
        return full(request)
    if error is not None and is_busy(error):
        return busy(request)
    return render(None, "500.html", {"request_id": _id.get()}, status=500)


class DatabaseAway(logging.Filter):
    """Where the database is away everybody who works with it says so, again and again: one line a
    minute is enough."""

    quiet_until = -QUIET_S

    def filter(self, record: logging.LogRecord) -> bool:
        error = record.exc_info[1] if record.exc_info else None
        if not record.name.startswith("psycopg.pool") and not _is_of_database(error):
            return True
        if time.monotonic() < self.quiet_until:
            return False
        self.quiet_until = time.monotonic() + QUIET_S
        words = str(error or record.getMessage()).strip().partition("\n")[0]
        record.msg, record.args = "the database does not answer: %s", (words,)
        record.exc_info = record.exc_text = None
        return True


def _is_of_database(error: BaseException | None) -> bool:
    """Whether a failed connection stands behind it, however it was wrapped."""
    while error is not None:
        if isinstance(error, psycopg.OperationalError | OperationalError | InterfaceError):
            return is_busy(error) or isinstance(error, psycopg.OperationalError)
        error = error.__cause__ or error.__context__
    return False


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
