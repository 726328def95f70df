"""Room on the disks of the database and of the shop's files."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from django.conf import settings

FULL = 40_000_000
"""Bytes: PostgreSQL's log of changes grows by 16 MB at a time."""
LOW = 500_000_000
LOW_SHARE, LOW_AT_MOST = 0.05, 5_000_000_000
"""A twentieth of a disk is little, but not of a large one."""
DISK_FULL = "53100"
"""PostgreSQL's code."""


def standing() -> str:
    """``ok``, ``low`` or ``full``; ``failing`` where it cannot be read."""
    try:
        found = [_room(path) for path in (Path(settings.LOCAL), Path(settings.LOCAL) / "postgres")]
    except OSError:
        return "failing"
    return min(found, key=["full", "low", "ok"].index)


def _room(path: Path) -> str:
    if not path.exists():  # the database is elsewhere
        return "ok"
    usage = shutil.disk_usage(path)
    if usage.free < FULL:
        return "full"
    is_low = usage.free < max(LOW, min(LOW_SHARE * usage.total, LOW_AT_MOST))
    return "low" if is_low else "ok"


def is_full(error: BaseException) -> bool:
    """Whether this came of a full disk, as the database or the machine said."""
    if getattr(error.__cause__, "sqlstate", None) == DISK_FULL:
        return True
    return getattr(error, "errno", None) == errno.ENOSPC
