"""Bench and jobs: today's board, the week, taking in, and a job's steps."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from django import forms
from django.contrib import messages
from django.db import transaction
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kentrobar.core.bench.schedule import Load
from kentrobar.frames.models import Frame, Person
from kentrobar.ui import undo
from kentrobar.ui.forms import with_commas
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.search import wanted_of

from . import progress
from .models import Job, JobStep, TakenIn

SHOWN_FRAMES, MOST_FRAMES = 60, 40
"""In the list at once; in one job."""


class JobForm(forms.ModelForm):
    """Taking in: who, what they said, until when, with which frames."""

    who = forms.CharField(label="who", max_length=60)
    hand = forms.ChoiceField(
        label="plays", required=False, choices=[("", "not said"), *Person.Hand.choices]
    )
    level = forms.ChoiceField(
        label="level", required=False, choices=[("", "not said"), *Person.Level.choices]
    )
    style = forms.ChoiceField(
        label="plays most", required=False, choices=[("", "not said"), *Person.Style.choices]
    )
    over_full = forms.BooleanField(label="promise it all the same", required=False)

    class Meta:
        model = Job
        fields = ("said", "due", "deposit", "price")
        labels = {
            "said": "asked, in their words",
            "due": "promised for",
            "deposit": "deposit",
            "price": "price agreed",
        }
        widgets = {"due": forms.DateInput(format="%Y-%m-%d", attrs={"type": "date"})}

    def __init__(self, data: Any = None, **kwargs: Any) -> None:
        super().__init__(data, **{"auto_id": "j-%s"} | kwargs)
        with_commas(self)
        about = ("who", "hand", "level", "style")
        self.order_fields([*about, "said", "due", "deposit", "price", "over_full"])
        self.fields["who"].widget.attrs |= {"list": "people", "autocomplete": "off"}
        self.fields["said"].widget.attrs["placeholder"] = "twists in my hand on returns"
        self.asks_over = False
        self.is_too_many = False
        self.frames: list[tuple[Frame, str, str]] = []

    def read_frames(self, request: Request) -> None:
        """The ticked frames, each with how it arrived and why it is refused."""
        keys = [int(pk) for pk in request.POST.getlist("frame") if pk.isdecimal() and len(pk) < 10]
        self.is_too_many = len(keys) > MOST_FRAMES
        for frame in Frame.live.filter(pk__in=keys):
            arrived = request.POST.get(f"arrived-{frame.pk}", "").strip()[:200].replace("\0", "")
            refused = request.POST.get(f"refused-{frame.pk}", "").strip()[:200].replace("\0", "")
            self.frames.append((frame, arrived, refused))

    def clean_due(self) -> date:
        due: date = self.cleaned_data["due"]
        today = timezone.localdate()
        if due < today:
            raise forms.ValidationError("That day is past.")
        if due > today + timedelta(days=366):
            raise forms.ValidationError("More than a year ahead: is the year right?")
        return due

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if not self.frames:
            self.add_error(
                None,
                "Tick the frames that were checked in; a new one is written down under Frames"
                " first.",
            )
        if self.is_too_many:
            self.add_error(None, f"A job holds {MOST_FRAMES} frames at most: make two of it.")
        due = cleaned.get("due")
        if due and self.frames and not cleaned.get("over_full"):
            per_frame = progress.usual()
            minutes = progress.whole_job(
                sum(not refused for _, _, refused in self.frames), per_frame
            )
            standings = progress.standings(progress.open_jobs(), per_frame)
            today = timezone.localdate()
            days = progress.coming(standings, today, Load("new", minutes, today, due))
            full = next((day for day in days if day.is_over), None)
            if full:
                self.asks_over = True
                words = f"{full.day:%A %-d %b} would be over-full by {full.over:.0f} minutes"
                self.add_error("due", f"{words}: promise a later day, or tick below.")
        return cleaned

    def save_job(self, user: Any) -> Job:
        cleaned = self.cleaned_data
        with transaction.atomic():
            person, _ = Person.objects.get_or_create(name=cleaned["who"].strip())
            for name in ("hand", "level", "style"):
                if cleaned[name]:
                    setattr(person, name, cleaned[name])
            person.save()
            job: Job = self.save(commit=False)
            job.person, job.taken_in_by = person, user
            job.save()
            for frame, arrived, refused in self.frames:
                TakenIn.objects.create(job=job, frame=frame, arrived=arrived, refused=refused)
                if frame.player_id is None:
                    Frame.objects.filter(pk=frame.pk).update(player=person)
            JobStep.objects.bulk_create(
                JobStep(
                    job=job, kind=kind, status="done" if kind == "take-in" else "open",
                    done_at=timezone.now() if kind == "take-in" else None,
                    done_by=user if kind == "take-in" else None,
                )
                for kind in JobStep.Kind.values
            )  # fmt: skip
        return job


@require_GET
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
        "said": job.said,
        "frames": ", ".join(map(str, one.frames)),
        "waits": one.waits and one.waits + until,
        "due": due,
        "is_late": one.is_late,
        "minutes": f"{one.minutes:.0f} min left",
    }


@require_http_methods(["GET", "POST"])
@stored_once
def take_in(request: Request) -> HttpResponse:
    """A new job. ``find`` only looks for frames: what is ticked and typed stays."""
    finds = "find" in request.POST
    due = timezone.localdate() + timedelta(days=7)
    form = (
        JobForm(initial=request.POST.dict())
        if finds
        else JobForm(request.POST or None, initial={"due": due})
    )
    if request.method == "POST":
        form.read_frames(request)
        if not finds and form.is_valid():
            return redirect(form.save_job(request.user))
    wanted = wanted_of(request.POST.get("q") or request.GET.get("q"))
    ticked = [frame.pk for frame, _, _ in form.frames]
    others = [
        (frame, False, "", "")
        for frame in Frame.live.named(wanted).exclude(pk__in=ticked)[: SHOWN_FRAMES + 1]
    ]
    context = {
        "form": form,
        "frames": (
            [(frame, True, arrived, refused) for frame, arrived, refused in form.frames]
            + others[:SHOWN_FRAMES]
        ),
        "more": len(others) > SHOWN_FRAMES,
        "people": Person.objects.all()[:200],
        "wanted": wanted,
    }
    return render(request, "workshop/take_in.html", context, status=422 if form.errors else 200)


@require_GET
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
        row = JobStep.objects.select_for_update().get(job=job, kind=kind)
        fault = _ACTS[act](request, job, row, reason)
        if fault:
            messages.error(request, fault)
        else:
            row.save()
            is_open = JobStep.objects.filter(job=job, status="open").exists()
            Job.objects.filter(pk=pk).update(closed_at=None if is_open else timezone.now())
    return redirect("job", pk)


def _done(request: Request, job: Job, row: JobStep, reason: str) -> str:
    missing = progress.missing(job, row.kind)
    if missing and "override" not in request.POST:
        return f"Not done yet: {'; '.join(missing[:3])}. Or override it, with a reason."
    if missing and not reason:
        return "Why is it done without? Write the reason."
    minutes = request.POST.get("minutes", "").strip().replace(",", ".")
    try:
        row.minutes = float(minutes) if minutes else None
    except ValueError:
        return f"“{minutes}” is no number of minutes."
    if row.minutes is not None and not 0 < row.minutes <= 6000:
        return "It took between a minute and a hundred hours."
    row.status, row.reason = JobStep.Status.DONE, reason
    row.done_at, row.done_by = timezone.now(), request.user
    row.waits_for, row.waits_until = "", None
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
    row.status, row.reason, row.done_at, row.done_by, row.minutes = (
        JobStep.Status.OPEN,
        reason,
        None,
        None,
        None,
    )
    return ""


def _waits(request: Request, job: Job, row: JobStep, reason: str) -> str:
    until: datetime | None = None
    text = request.POST.get("until", "").strip()
    if text:
        until = parse_datetime(text)
        if until is None:
            return f"“{text}” is no day and time."
        if timezone.is_naive(until):
            until = timezone.make_aware(until)
        if until <= timezone.now():
            return "That time is past: nothing waits for it."
    if not reason and not until:
        row.waits_for, row.waits_until = "", None
        return ""
    row.waits_for, row.waits_until = reason[:120] or "waiting", until
    return ""


_ACTS = {"done": _done, "skip": _skipped, "again": _again, "wait": _waits}


@require_POST
def verdict(request: Request, pk: int) -> HttpResponse:
    """What the player says afterwards."""
    words = request.POST.get("verdict", "").strip()[:300].replace("\0", "")
    Job.objects.filter(pk=_job(pk).pk).update(verdict=words)
    return redirect("job", pk)


@require_POST
def delete(request: Request, pk: int) -> HttpResponse:
    job = _job(pk)
    undo.remove(request, job, f"the job of {job.person}")
    return redirect("bench")


@require_http_methods(["GET", "POST"])
def person(request: Request, pk: int) -> HttpResponse:
    """A player: hand, level, notes, frames, jobs."""
    found = get_object_or_404(Person, pk=pk)
    form = forms.modelform_factory(Person, fields=("name", "hand", "level", "style", "notes"))(
        request.POST or None, instance=found, auto_id="p-%s"
    )
    if request.method == "POST" and form.is_valid():
        form.save()
        return redirect("person", pk)
    # The form has put what was typed into its person; the page shows the one that is saved.
    saved = get_object_or_404(Person, pk=pk)
    context = {"person": saved, "frames": Frame.live.filter(player=saved), "form": form}
    return render(request, "workshop/person.html", context, status=422 if form.errors else 200)


# --- helpers --------------------------------------------------------------------------------------


def _job(pk: int) -> Job:
    jobs = Job.live.select_related("person", "taken_in_by")
    return get_object_or_404(
        jobs.prefetch_related("steps__done_by", "taken_in__frame__plans"), pk=pk
    )


def _page(request: Request, job: Job) -> HttpResponse:
    per_frame = progress.usual()
    frames = len(progress.sound(job)) or 1
    rows = []
    for one in job.steps.all():
        lacks = progress.missing(job, one.kind) if one.status == "open" else []
        rows.append((one, lacks, per_frame[one.kind] * frames))
    context = {
        "job": job,
        "rows": rows,
        "standing": progress.standings([progress.OnBench.of(job)], per_frame)[0],
        "price": progress.price(job, per_frame),
        "taken_in": [
            (
                one,
                [
                    p
                    for p in one.frame.plans.all()
                    if p.removed_at is None and p.created_at >= job.taken_in_at
                ],
            )
            for one in job.taken_in.all()
        ],
    }
    return render(request, "workshop/job.html", context)
