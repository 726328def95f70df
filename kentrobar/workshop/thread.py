"""The thread: a job at the head of every page about one of its frames, and what is next."""

from __future__ import annotations

from typing import Any

from kentrobar.frames.above import Spoken
from kentrobar.frames.models import Frame
from kentrobar.ui.looking import cached_per_request
from kentrobar.ui.request import Request

from .advance import open_jobs
from .lacks import LOOKED_AT, acts, lacking
from .models import Job


@cached_per_request
def job_of(frame: Frame) -> Job | None:
    """The open job a frame is in; of several the one that came in last."""
    there = open_jobs([frame.pk])  # most frames are in none
    if not there:
        return None
    jobs = Job.live.filter(pk=there[0][0]).select_related("person")
    return jobs.prefetch_related("steps", *LOOKED_AT).first()


def spoken(frame: Frame) -> Spoken | None:
    """What its player asked for at the counter."""
    job = job_of(frame)
    return Spoken(str(job.person), tuple(job.words), job.asked, job.said) if job else None


def at_head(request: Request, frame: Frame | None) -> dict[str, Any] | None:
    """A job as a line over the page: who, their words, until when, which step, what next."""
    job = job_of(frame) if frame else None
    if job is None:
        return None
    steps = list(job.steps.all())
    now = next((i for i, step in enumerate(steps) if step.status == "open"), None)
    step = steps[now] if now is not None else None
    found = acts(job, step.kind, lacking(job, step.kind), frame) if step else []
    here = request.path
    away = [act for act in found if act.href.partition("?")[0] != here]
    return {
        "job": job,
        "frame": frame,
        "step": step,
        "number": (now or 0) + 1,
        "of": len(steps),
        # Where the next thing is done on this very page, it is not asked for once more.
        "act": away[0] if away and len(away) == len(found) else None,
        "label": away[0].said_on(frame) if away else "",
        "is_here": len(away) < len(found),
    }
