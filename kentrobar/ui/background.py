"""Work beside the page: a worker's process does it, the database holds how far it is.

A page puts work into the queue and waits a moment for the answer; where it takes longer it shows
the progress and asks again. The row of the work is all that is shared: a newer run or a stop, from
any process, ends the one at work. The queue is PostgreSQL's own (`procrastinate`), so a row and its
place in the queue are kept together or not at all, and what a worker held when it was killed is
taken up by another.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext, suppress
from dataclasses import dataclass
from threading import Event, Thread
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection, transaction
from django.db.models import F
from django.utils import timezone

from kentrobar.core.recipes.solve import Progress, Watch

from .models import Work

AT_ONCE_S = 0.4
"""How long a page waits for an answer before it shows progress instead."""
LOOK_EVERY_S = 0.25
FIRST_LOOK_S, SLOWEST_LOOK_S = 0.005, 0.04
"""How often a page that waits looks: at first, and in the end."""
SIGN_S = 10.0
BEAT_S = 2.0
SILENT_S = 10.0
"""A worker that gave no sign for so long is dead; what it held is taken up again."""
MOST_TRIES = 4
"""Work that so many workers broke down on is given up."""

WORK, PAPER, LONG = "work", "paper", "long"
LANES = {PAPER: 1, WORK: 3, LONG: 1}
"""Queues, and what a worker does of each at once: long work keeps no search waiting, and no search
a sheet."""

Job = Callable[[Watch], dict[str, Any]]
Partial = Callable[[Progress], dict[str, Any]]
Prepared = tuple[Job, Partial]
"""What does the work and gives the answer's document, told whether to go on; and the document of
what was found so far."""

log = logging.getLogger(__name__)

going: set[int] = set()
"""What this process is at work on."""
has_worked = Event()
"""Set once it was at work on anything."""


class WorkInterruptedError(Exception):
    """The worker must end; the work goes back into the queue."""


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of work: what it is called in the queue, the rows it is for, and how a row is made
    ready, by a worker that knows nothing of the page that asked."""

    name: str
    model: type[Work]
    prepare: Callable[..., Prepared]
    lane: str = WORK


KINDS: dict[str, Kind] = {}


def work(
    name: str, model: type[Work], lane: str = WORK
) -> Callable[[Callable[..., Prepared]], Kind]:
    """Make a function of a row (and what can be written as JSON) a kind of work."""

    def known(prepare: Callable[..., Prepared]) -> Kind:
        KINDS[name] = Kind(name, model, prepare, lane)
        return KINDS[name]

    return known


around: Callable[[], AbstractContextManager[Any]] = nullcontext
"""What holds around work as it does around a page: the shop puts its clock here."""


def nothing_yet(progress: Progress) -> dict[str, Any]:
    """For work whose answer is shown when it is whole."""
    return {}


def start(row: Work, kind: Kind, patience_s: float = AT_ONCE_S, **arguments: Any) -> None:
    """Begin work for a row and wait a moment for it; the row holds what there is then."""
    from .tasks import do  # the queue is ready when all apps are

    with transaction.atomic():
        _rows(row).update(
            run=F("run") + 1, status=Work.Status.WAITING, progress="Waiting for its turn",
            answer={}, took_s=None, seen_at=timezone.now(), changed_at=timezone.now(),
        )  # fmt: skip
        row.refresh_from_db()
        if not settings.WORK_AT_ONCE:
            # Long work is done one after the other: two films would take both cores.
            placed = do.configure(queue=kind.lane, lock=LONG if kind.lane == LONG else None)
            placed.defer(kind=kind.name, key=row.pk, run=row.run, arguments=arguments)
    if settings.WORK_AT_ONCE:
        AtWork(kind, row.pk, row.run).go(arguments)
    else:
        _wait(row, patience_s)
    row.refresh_from_db()


def _wait(row: Work, patience_s: float) -> None:
    until, look = time.monotonic() + patience_s, FIRST_LOOK_S
    going = _rows(row).filter(run=row.run, status__in=Work.GOING)
    while time.monotonic() < until and going.exists():
        time.sleep(look)
        look = min(1.5 * look, SLOWEST_LOOK_S)


def stop(row: Work) -> None:
    """End the work; what it had found stays."""
    _rows(row).filter(status__in=Work.GOING).update(
        status=Work.Status.STOPPED, run=F("run") + 1, changed_at=timezone.now()
    )
    row.refresh_from_db()


def forget(row: Work) -> None:
    """Nothing is asked any more: end the work and drop what was found."""
    _settle(row, Work.Status.IDLE, "")


def refuse(row: Work, why: str) -> None:
    """What is asked cannot be searched for."""
    _settle(row, Work.Status.FAILED, why)


def _settle(row: Work, status: str, words: str) -> None:
    _rows(row).update(
        run=F("run") + 1, status=status, progress=words[:1000], answer={}, took_s=None,
        changed_at=timezone.now(),
    )  # fmt: skip
    row.refresh_from_db()


def _rows(row: Work) -> Any:
    return type(row)._default_manager.filter(pk=row.pk)


class AtWork:
    """One run of a row's work: writes how far it is, and looks whether it is still wanted."""

    def __init__(
        self, kind: Kind, key: int, run: int, must_end: Callable[[], bool] = lambda: False
    ) -> None:
        self.kind = kind
        self.rows = kind.model._default_manager.filter(pk=key, run=run, status__in=Work.GOING)
        self.must_end = must_end
        self.started = self.looked = time.monotonic()
        self.so_far: object = None

    def go(self, arguments: dict[str, Any], is_last: bool = True) -> None:
        """Do it, if it is still wanted. A database that is away, and a worker that must end, are
        raised unless this try is the last."""
        self.partial: Partial = nothing_yet
        if not self.rows.update(
            status=Work.Status.WORKING, progress="Laying out what is asked", seen_at=timezone.now()
        ):
            return
        try:
            with around():
                job, self.partial = self.kind.prepare(self.rows.get(), **arguments)
                answer = job(self.watch)
        except self.kind.model.DoesNotExist:
            return  # nobody wants it any more
        except Exception as error:
            if isinstance(error, WorkInterruptedError | DatabaseError) and not is_last:
                raise
            log.exception("work beside the page failed: %s", self.kind.name)
            self.give_up()
        else:
            self.rows.update(
                status=Work.Status.DONE, answer=answer, progress="", changed_at=timezone.now(),
                took_s=round(time.monotonic() - self.started, 3),
            )  # fmt: skip

    @contextmanager
    def beating(self) -> Iterator[None]:
        """A sign now and then, from a thread of its own: some work says nothing for long, or writes
        where its own words would not be seen before it ends."""
        is_over = Event()

        def beat() -> None:
            while not is_over.wait(SIGN_S):
                with suppress(DatabaseError):
                    self.rows.update(seen_at=timezone.now())
            connection.close()

        thread = Thread(target=beat, name="sign", daemon=True)
        thread.start()
        going.add(id(self))
        has_worked.set()
        try:
            yield
        finally:
            going.discard(id(self))
            is_over.set()
            thread.join(SIGN_S)

    def give_up(self) -> None:
        self.rows.update(
            status=Work.Status.FAILED, progress="This broke down; it was written into the log.",
            changed_at=timezone.now(),
        )  # fmt: skip

    def watch(self, progress: Progress) -> bool:
        if self.must_end():
            raise WorkInterruptedError
        now, is_news = time.monotonic(), progress.so_far is not self.so_far
        if now - self.looked < LOOK_EVERY_S and not is_news:
            return True
        self.looked, self.so_far = now, progress.so_far
        found = self.partial(progress)
        answer = {"answer": found} if found else {}
        return bool(
            self.rows.update(progress=str(progress.step)[:1000], seen_at=timezone.now(), **answer)
        )
