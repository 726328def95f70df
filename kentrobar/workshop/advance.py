"""Jobs go on by themselves: what is done at its own place is a step done, and nobody says so twice.

Nothing here is asked by a page that is only looked at. What was kept, in whichever room, is told to
``advanced`` (see ``apps.py``), which marks the steps of the open jobs the frame is in.
"""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from .lacks import LOOKED_AT, lacking
from .models import Job, JobStep

Kind = JobStep.Kind
BY_FACTS = (Kind.BEFORE, Kind.TARGET, Kind.PLAN, Kind.TRIAL, Kind.PERMANENT, Kind.AFTER)
"""Steps that are done when their figures and facts are there. Handing over is said by a person."""
PASSED = {
    Kind.TARGET: (Kind.PLAN, "planned without a target"),
    Kind.TRIAL: (Kind.PERMANENT, "fitted for good without a trial"),
}
"""Steps that are passed over when a later one is done, and why."""
LONGEST = timedelta(hours=8)
"""What a clock can tell of a step: one begun longer ago was put aside in between."""


def open_jobs(frames: Collection[int]) -> QuerySet[Any, Any]:
    """Keys of the open jobs that frames are in, the one that came in last first."""
    jobs = Job.live.filter(taken_in__frame__in=frames, closed_at=None)
    return jobs.order_by("-taken_in_at").values_list("pk")


def advanced(frames: Collection[int], user: Any = None) -> None:
    """Mark what is done now of every open job these frames, by their keys, are in."""
    # Most frames are in none: every moved piece asks.
    keys = {job for (job,) in open_jobs(frames)}
    for job in Job.objects.filter(pk__in=keys).prefetch_related(*LOOKED_AT) if keys else ():
        go_on(job, user)


def go_on(job: Job, user: Any = None) -> None:
    """Mark the steps of one job that are done."""
    # Looked at first without a lock: many work in one job, and seldom is a step done by it.
    due = {step.kind for step in _unmarked(job) if not lacking(job, step.kind)}
    if not due and not _passed(job):
        return
    with transaction.atomic():
        # Whoever changes steps holds their job, so that two of them wait for each other in one
        # order.
        Job.objects.select_for_update().get(pk=job.pk)
        for step in _unmarked(job):
            if step.kind in due:
                finish(step, timezone.now(), user)
                step.save()
        for step in _passed(job):
            step.status, step.reason = JobStep.Status.SKIPPED, PASSED[Kind(step.kind)][1]
            step.done_at, step.done_by = timezone.now(), user
            step.save()


def _unmarked(job: Job) -> list[JobStep]:
    """Steps that figures and facts can mark, and did not yet."""
    steps = JobStep.objects.filter(job=job, kind__in=BY_FACTS, is_by_hand=False)
    return [one for one in steps if one.status == "open" or _was_passed(one)]


def _passed(job: Job) -> list[JobStep]:
    """Open steps whose later one is done."""
    steps = {step.kind: step for step in JobStep.objects.filter(job=job)}
    return [
        steps[kind] for kind, (later, _) in PASSED.items()
        if kind in steps and steps[kind].status == "open" and not steps[kind].is_by_hand
        and later in steps and steps[later].status == "done"
    ]  # fmt: skip


def _was_passed(step: JobStep) -> bool:
    """Whether nobody but a later step skipped it: it is done after all once its facts are there."""
    why = PASSED.get(Kind(step.kind))
    return step.status == "skipped" and why is not None and step.reason == why[1]


def finish(step: JobStep, now: datetime, user: Any, minutes: float | None = None) -> None:
    """A step done, its minutes by the clock where they are not told. Not saved yet."""
    if minutes is None and step.begun_at and now - step.begun_at <= LONGEST:
        minutes = max(1.0, round((now - step.begun_at).total_seconds() / 60))
    step.minutes, step.status, step.reason = minutes, JobStep.Status.DONE, ""
    step.done_at, step.done_by = now, user
    step.waits_for, step.waits_until = "", None
