"""Work beside the page: a thread does the work, the database holds how far it is.

A page waits a moment for the answer; where it takes longer it shows the progress and asks again.
The row
of the search is all that is shared: a new search or a stop, from any process, ends the one at work.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from threading import Thread
from typing import Any

from django.conf import settings
from django.db import connection
from django.db.models import F
from django.utils import timezone

from kentrobar.core.recipes.solve import Progress, Watch

from .models import Work

AT_ONCE_S = 0.4
"""How long a page waits for an answer before it shows progress instead."""
LOOK_EVERY_S = 0.25

Job = Callable[[Watch], dict[str, Any]]
Partial = Callable[[Progress], dict[str, Any]]

log = logging.getLogger(__name__)


def start(row: Work, job: Job, partial: Partial) -> None:
    """Begin a search for a row and wait a moment for it; the row holds what there is then.

    Args:
        job: does the search and gives the answer's document; is told whether to go on.
        partial: the document of what was found so far.
    """
    rows = type(row)._default_manager.filter(pk=row.pk)
    rows.update(
        run=F("run") + 1,
        status=Work.Status.WORKING,
        progress="Laying out what could be cut",
        answer={},
        took_s=None,
        seen_at=timezone.now(),
        changed_at=timezone.now(),
    )
    row.refresh_from_db()
    at_work = _AtWork(row, partial)
    if settings.WORK_IN_THREADS:
        thread = Thread(target=at_work.go, args=(job, True), daemon=True)
        thread.start()
        thread.join(AT_ONCE_S)
    else:
        at_work.go(job, False)
    row.refresh_from_db()


def stop(row: Work) -> None:
    """End the search at work; what it had found stays."""
    type(row)._default_manager.filter(pk=row.pk, status=Work.Status.WORKING).update(
        status=Work.Status.STOPPED, run=F("run") + 1, changed_at=timezone.now()
    )
    row.refresh_from_db()


def forget(row: Work) -> None:
    """Nothing is asked any more: end the search at work and drop what was found."""
    _settle(row, Work.Status.IDLE, "")


def refuse(row: Work, why: str) -> None:
    """What is asked cannot be searched for."""
    _settle(row, Work.Status.FAILED, why)


def _settle(row: Work, status: str, words: str) -> None:
    type(row)._default_manager.filter(pk=row.pk).update(
        run=F("run") + 1,
        status=status,
        progress=words[:1000],
        answer={},
        took_s=None,
        changed_at=timezone.now(),
    )
    row.refresh_from_db()


class _AtWork:
    """One search while it runs: writes how far it is, and looks whether it is still wanted."""

    def __init__(self, row: Work, partial: Partial) -> None:
        self.rows = type(row)._default_manager.filter(pk=row.pk, run=row.run)
        self.partial = partial
        self.started = self.looked = time.monotonic()
        self.so_far: object = None

    def go(self, job: Job, closes: bool) -> None:
        try:
            answer = job(self.watch)
        except Exception:
            log.exception("a search failed")
            self.rows.update(
                status=Work.Status.FAILED,
                progress="The search broke down.",
                changed_at=timezone.now(),
            )
        else:
            self.rows.update(
                status=Work.Status.DONE, answer=answer, progress="", changed_at=timezone.now(),
                took_s=round(time.monotonic() - self.started, 3),
            )  # fmt: skip
        finally:
            if closes:
                connection.close()

    def watch(self, progress: Progress) -> bool:
        now, is_news = time.monotonic(), progress.so_far is not self.so_far
        if now - self.looked < LOOK_EVERY_S and not is_news:
            return True
        self.looked, self.so_far = now, progress.so_far
        found = self.partial(progress)
        answer = {"answer": found} if found else {}
        return bool(
            self.rows.update(progress=str(progress.step)[:1000], seen_at=timezone.now(), **answer)
        )
