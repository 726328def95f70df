"""Bench and jobs: today's board, the week, taking in, and a job's steps."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib import messages
from django.db import transaction
from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.errors import UnreadableError
from kentrobar.core.reader import duration
from kentrobar.ui import undo
from kentrobar.ui.moments import read_moment
from kentrobar.ui.request import Request

from . import progress
from .advance import finish, go_on
from .cards import make_card
from .lacks import acts, lacking, plans_of, said_once, set_act, sound
from .models import BlindTrial, Card, Job, JobStep

ASK_AFTER = timedelta(weeks=3)
"""After which a player knows how it plays."""


@require_safe
def bench(request: Request) -> HttpResponse:
    """Today's board and the week."""
    per_frame = progress.usual()
    standings = progress.standings(progress.open_jobs(), per_frame)
    today = timezone.localdate()
    days = progress.coming(standings, today)
    names = {str(one.job.pk): str(one.job.person) for one in standings}
    lines = [_line(one) for one in standings if one.next]
    context = {
        "now": [line for line in lines if not line["waits"]],
        "waiting": [line for line in lines if line["waits"]],
        "late": sum(one.is_late for one in standings),
        "week": [(day, [names[key] for key, _ in day.work]) for day in days],
        "today": today,
        "ask": Job.live.filter(ask_on__lte=today, verdict="").select_related("person"),
        "closed": (
            Job.live.exclude(closed_at=None).select_related("person").order_by("-closed_at")[:8]
        ),
    }
    return render(request, "workshop/bench.html", context)


def _line(one: progress.Standing) -> dict[str, str | bool]:
    """A job as the board shows it, in words: sixty of them are many lookups for a template."""
    job, step = one.job, one.next
    assert step is not None
    until = f" until {timezone.localtime(one.ready_at):%A %H:%M}" if one.ready_at else ""
    due = f"late, was due {job.due:%-d %b}" if one.is_late else f"due {job.due:%a %-d %b}"
    return {
        "url": job.get_absolute_url(),
        "step": step.get_kind_display().capitalize(),
        "who": str(job.person),
        "said": job.asked,
        "frames": ", ".join(map(str, one.frames)),
        "waits": one.waits and one.waits + until,
        "due": due,
        "is_late": one.is_late,
        "minutes": f"{duration(one.minutes)} left",
    }


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    return _page(request, _job(pk))


@require_POST
def step(request: Request, pk: int) -> HttpResponse:
    """A step done, skipped with a reason, opened again, or made to wait."""
    job = _job(pk)
    kind, act = request.POST.get("step", ""), request.POST.get("act", "")
    if kind not in JobStep.Kind.values or act not in _ACTS:
        raise Http404("no such step")
    reason = request.POST.get("reason", "").strip()[:200].replace("\0", "")
    with transaction.atomic():
        Job.objects.select_for_update().get(pk=pk)
        row = JobStep.objects.get(job=job, kind=kind)
        fault = _ACTS[act](request, job, row, reason)
        if fault:
            messages.error(request, fault)
        else:
            row.save()
            go_on(job, request.user)
            is_open = JobStep.objects.filter(job=job, status="open").exists()
            Job.objects.filter(pk=pk).update(closed_at=None if is_open else timezone.now())
    return redirect("job", pk)


@require_POST
def begin(request: Request, pk: int) -> HttpResponse:
    """Off to the place where the next act is done; from now on the clock runs for its step."""
    kind, to = request.POST.get("step", ""), request.POST.get("to", "")
    is_ours = url_has_allowed_host_and_scheme(to, {request.get_host()}, request.is_secure())
    if not (is_ours and to.startswith("/")):
        raise Http404("no such place")
    steps = JobStep.objects.filter(job=_job(pk), kind=kind, status="open", begun_at=None)
    steps.update(begun_at=timezone.now())
    return HttpResponseRedirect(to)


def _handed_over(request: Request, job: Job, row: JobStep, reason: str) -> str:
    """The frames are given back, each with its card."""
    for lack in lacking(job, row.kind):
        if lack.code == "no-card" and lack.plan:
            make_card(lack.plan, lack.plan.sheet, request.user)
    fault = _done(request, job, row, reason)
    if not fault and job.ask_on is None and not job.verdict:
        Job.objects.filter(pk=job.pk).update(ask_on=timezone.localdate() + ASK_AFTER)
    return fault


def _done(request: Request, job: Job, row: JobStep, reason: str) -> str:
    try:
        minutes = _minutes(request)
    except UnreadableError as error:
        return str(error)
    missing = [lack for lack in lacking(job, row.kind) if not lack.is_soft]
    if missing and not reason:
        lacks = "; ".join(said_once(missing, len(sound(job)))[:3])
        return f"Not done yet: {lacks}. To mark it done anyway, write why."
    finish(row, timezone.now(), request.user, minutes)
    row.reason = reason
    return ""


def _minutes(request: Request) -> float | None:
    """What was written as minutes; None where nothing was."""
    text = request.POST.get("minutes", "").strip().replace(",", ".")
    try:
        minutes = float(text) if text else None
    except ValueError:
        raise UnreadableError(f"“{text}” is no number of minutes.") from None
    if minutes is not None and not 0 < minutes <= 6000:
        raise UnreadableError("It took between a minute and a hundred hours.")
    return minutes


def _took(request: Request, job: Job, row: JobStep, reason: str) -> str:
    """The minutes of a step that is done, corrected by hand."""
    try:
        row.minutes = _minutes(request)
    except UnreadableError as error:
        return str(error)
    return ""


def _skipped(request: Request, job: Job, row: JobStep, reason: str) -> str:
    if not reason:
        return "Why is it skipped? Write the reason."
    row.status, row.reason, row.done_at, row.done_by = (
        JobStep.Status.SKIPPED,
        reason,
        timezone.now(),
        request.user,
    )
    return ""


def _again(request: Request, job: Job, row: JobStep, reason: str) -> str:
    row.status, row.reason, row.is_by_hand = JobStep.Status.OPEN, reason, True
    row.done_at = row.done_by = row.minutes = row.begun_at = None
    return ""


def _waits(request: Request, job: Job, row: JobStep, reason: str) -> str:
    until: datetime | None = None
    text = request.POST.get("until", "").strip()
    if text:
        until = read_moment(text)
        if until is None:
            return f"“{text[:40]}” is no day and time of the next ten years."
        if until <= timezone.now():
            return "That time is past: nothing waits for it."
    if not reason and not until:
        row.waits_for, row.waits_until = "", None
        return ""
    row.waits_for, row.waits_until = reason[:120] or "waiting", until
    return ""


_ACTS = {"done": _done, "skip": _skipped, "again": _again, "wait": _waits, "took": _took,
         "hand-over": _handed_over}  # fmt: skip


@require_POST
def verdict(request: Request, pk: int) -> HttpResponse:
    """What the player says afterwards."""
    words = request.POST.get("verdict", "").strip()[:300].replace("\0", "")
    Job.objects.filter(pk=_job(pk).pk).update(verdict=words, ask_on=None)
    return redirect("job", pk)


@require_POST
def ask_later(request: Request, pk: int) -> HttpResponse:
    """Put the player on the Bench again: to be asked in so many days, or not at all."""
    text = request.POST.get("days", "")
    days = int(text) if text.isdecimal() and len(text) < 4 else 0
    on = timezone.localdate() + timedelta(days=days) if days else None
    Job.objects.filter(pk=_job(pk).pk).update(ask_on=on)
    return redirect("job", pk)


@require_POST
def delete(request: Request, pk: int) -> HttpResponse:
    job = _job(pk)
    undo.remove(request, job, f"the job of {job.person}")
    return redirect("bench")


# --- helpers --------------------------------------------------------------------------------------


def _job(pk: int) -> Job:
    jobs = Job.live.select_related("person", "taken_in_by")
    return get_object_or_404(
        jobs.prefetch_related(
            "steps__done_by", "taken_in__photos", "taken_in__frame__plans__sheet"
        ),
        pk=pk,
    )


def _page(request: Request, job: Job) -> HttpResponse:
    per_frame = progress.usual()
    frames = len(sound(job)) or 1
    steps = list(job.steps.all())
    step = next((one for one in steps if one.status == "open"), None)
    lacks = lacking(job, step.kind) if step else []
    found = acts(job, step.kind, lacks) if step else []
    to_set = set_act(job)
    # Of frames that could be a set the rest is folded: each would be named again and again.
    shown = 1 if to_set in found else 4
    context = {
        "job": job,
        "rows": [(one, per_frame[one.kind] * frames) for one in steps],
        "step": step,
        "lacks": lacks,
        "lacking": said_once(lacks, len(sound(job))),
        "set_act": None if to_set in found else to_set,
        "needs_reason": any(not one.is_soft for one in lacks),
        "first": next(iter(found), None),
        "others": found[1:shown],
        "folded": found[shown:],
        "standing": progress.standings([progress.OnBench.of(job)], per_frame)[0],
        "cards": Card.objects.filter(
            plan__frame__jobs__job=job, made_at__gte=job.taken_in_at
        ).select_related("plan__frame"),
        "blind": BlindTrial.objects.filter(frame__jobs__job=job, made_at__gte=job.taken_in_at),
        "price": progress.price(job, per_frame),
        "taken_in": [(one, plans_of(job, one.frame)) for one in job.taken_in.all()],
    }
    return render(request, "workshop/job.html", context)
