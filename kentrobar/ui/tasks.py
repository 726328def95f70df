"""What workers take from the queue: one task for every kind of work, and one that takes up what a
dead worker held."""

from __future__ import annotations

import logging
from typing import Any

from asgiref.sync import sync_to_async
from django.db import connection
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.jobs import Job, Status

from .background import KINDS, MOST_TRIES, SILENT_S, AtWork

log = logging.getLogger(__name__)


@app.task(
    name="kentrobar.work", queue="work", priority=0, pass_context=True,
    retry=RetryStrategy(max_attempts=MOST_TRIES, wait=1),
)  # fmt: skip
def do(context: JobContext, kind: str, key: int, run: int, arguments: dict[str, Any]) -> None:
    """One run of the work of a row."""
    is_last = context.job.attempts + 1 >= MOST_TRIES
    at_work = AtWork(KINDS[kind], key, run, context.should_abort)
    try:
        with at_work.beating():
            at_work.go(arguments, is_last)
    finally:
        connection.close()


# Every ten seconds. Any worker may do it: what one has taken up is no longer held by a dead one.
@app.periodic(cron="* * * * * */10")
@app.task(name="kentrobar.take_up", queue="work", priority=10, queueing_lock="take up")
async def take_up(timestamp: int) -> None:
    """Back into the queue with what dead workers held; what killed several is given up."""
    held = await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=SILENT_S)
    for job in held:
        if job.task_name == do.name and job.attempts + 1 >= MOST_TRIES:
            log.error("given up: %s killed %s workers", job.task_kwargs, job.attempts + 1)
            await app.job_manager.finish_job(job, Status.FAILED, delete_job=False)
            await _give_up(job)
        else:
            await app.job_manager.retry_job(job)


async def _give_up(job: Job) -> None:
    asked: Any = job.task_kwargs
    at_work = AtWork(KINDS[asked["kind"]], asked["key"], asked["run"])
    await sync_to_async(at_work.give_up)()
