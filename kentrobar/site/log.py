"""What goes into the log: the id of its request with every line, a database that is away once a
minute. Read before any app is there."""

from __future__ import annotations

import json
import logging
import time
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

import psycopg
from django.db import InterfaceError, OperationalError

from kentrobar.accounts.passwords import PasswordBusyError

BUSY = ("57014", "55P03", "25P03", "40P01", "53300", "57P01", "57P03", "08006")
"""PostgreSQL's codes for what may work a moment later: took too long, locked by others, a deadlock,
too many at once, just starting or stopping."""
AWAY = ("53300", "57P01", "57P02", "57P03", "08006", "08001")
"""Those of a server that is stopping, starting, full of connections, or not reached."""
QUIET_S = 60.0
request_id: ContextVar[str] = ContextVar("request_id", default="-")


def is_busy(error: BaseException) -> bool:
    """Whether the database would answer a moment later."""
    cause = error.__cause__
    code = getattr(cause, "sqlstate", None)
    if isinstance(error, InterfaceError | PasswordBusyError):
        return True
    return isinstance(error, OperationalError) and (code is None or code in BUSY)


class DatabaseAway(logging.Filter):
    """Limits lines about a database that cannot be reached to one a minute, without a traceback:
    every thread and worker would write its own again and again."""

    quiet_until = -QUIET_S

    def filter(self, record: logging.LogRecord) -> bool:
        told = record.args if isinstance(record.args, tuple) else ()
        errors = [one for one in told if isinstance(one, BaseException)]
        error = record.exc_info[1] if record.exc_info else next(iter(errors), None)
        if not record.name.startswith("psycopg.pool") and not _is_away(error):
            return True
        if time.monotonic() < self.quiet_until:
            return False
        self.quiet_until = time.monotonic() + QUIET_S
        words = str(error or record.getMessage()).strip().partition("\n")[0]
        record.msg, record.args = "the database does not answer: %s", (words,)
        record.exc_info = record.exc_text = None
        return True


def _is_away(error: BaseException | None) -> bool:
    """Whether a lost or refused connection stands behind an error, however it was wrapped. A slow
    statement or a full disk is another thing, and has its own line."""
    while error is not None:
        code = getattr(error, "sqlstate", None)
        if isinstance(error, psycopg.OperationalError | psycopg.InterfaceError):
            return code is None or code in AWAY
        if isinstance(error, OperationalError | InterfaceError) and error.__cause__ is None:
            return True
        error = error.__cause__
    return False


class WithId(logging.Filter):
    """Puts the request's id into what is logged meanwhile."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_id = request_id.get()
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
