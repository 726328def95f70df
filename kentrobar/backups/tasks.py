"""The backup of every night, and one somebody asks for, as workers take them from the queue."""

from __future__ import annotations

import logging
from datetime import datetime, timedelta

from django.conf import settings
from django.db import connection
from procrastinate.contrib.django import app

from kentrobar.ui.background import LONG

from . import store
from .tidy import tidy

NIGHT_HOUR = 3

log = logging.getLogger(__name__)


@app.task(name="kentrobar.backup", queue=LONG, lock="backup", queueing_lock="backup")
def back_up() -> None:
    """One backup now, and what no day, week or month needs any more dropped."""
    try:
        made = store.make(settings.DATABASE_ADDRESS, settings.BACKUPS)
        store.rotate(settings.BACKUPS)
        log.info("backup: %s, %d rows", made.path, made.rows)
    except (store.BackupError, OSError) as error:
        log.error("no backup was made: %s", error)


# Every ten minutes, so that a shop that is shut at night has its backup in the morning.
@app.periodic(cron="*/10 * * * *")
@app.task(name="kentrobar.nightly", queue=LONG, lock="backup", queueing_lock="nightly")
def nightly(timestamp: int) -> None:
    """What is done once a night: clear away, then back up."""
    if not is_due():
        return
    try:
        tidy()
    finally:
        connection.close()
    back_up()


def is_due(now: datetime | None = None) -> bool:
    """Whether the last three o'clock, by this machine's clock, has no backup after it. A demo needs
    none."""
    if settings.DEMO:
        return False
    now = now or datetime.now().astimezone()
    night = now.replace(hour=NIGHT_HOUR, minute=0, second=0, microsecond=0)
    night -= timedelta(days=now < night)
    newest = max((store.made_at(path) for path in store.kept(settings.BACKUPS)), default=None)
    return newest is None or newest < night
