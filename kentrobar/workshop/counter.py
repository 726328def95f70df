"""The counter: checking a job in, and changing what was checked in."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.db.models import Q
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods

from kentrobar.core.geometry.kinds import FIRST_KIND, default_outline
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.frames.models import Frame, Person
from kentrobar.recipes import asked as asking
from kentrobar.recipes import hearing
from kentrobar.recipes.hearing import LONGEST_SAID
from kentrobar.recipes.places import sites_of
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.search import wanted_of

from .counter_forms import Arrival, JobForm, keep_photos, posted_arrivals
from .counter_rows import LIKE, NewFrames, Rows, shapes
from .models import Job, Photo

SHOWN_FRAMES, SHOWN_PEOPLE, LIKELY = 20, 6, 30
"""In a list at once; frames that a new one may be like."""


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def take_in(request: Request) -> HttpResponse:
    """A new job. ``find`` only looks for people and frames: what is ticked and typed stays."""
    return _counter(request, Job())


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def edit(request: Request, pk: int) -> HttpResponse:
    """A job's words, day, price and frames, changed."""
    return _counter(request, get_object_or_404(Job.live.select_related("person"), pk=pk))


@require_http_methods(["GET", "HEAD"])
def heard(request: Request) -> HttpResponse:
    """What is understood of what the customer says, clause by clause: of the first frame that is
    ticked, else of one of its shape, read as such frames usually are."""
    text = request.GET.get("said", "").replace("\0", "")[:LONGEST_SAID]
    frame = Frame.live.filter(pk__in=_ticked(request)).first()
    if frame:
        outline = frame.outline()
        found = hearing.heard_of(frame, asking.base(frame), text)
    else:
        like = next((one for name, one in request.GET.items() if name.endswith("-like")), "")
        outline = PRESETS.get(str(like), ("", default_outline(FIRST_KIND)))[1]
        found = hearing.heard_of_any(outline, text)
    sites = sites_of(outline, [one.place for one in found if one.place])
    context: dict[str, Any] = {"chips": hearing.chips(found, outline, sites)}
    if "less" in request.GET:
        context["box"] = JobForm(initial={"said": text})["said"].as_widget(
            attrs={"hx-swap-oob": "true"}
        )
    return render(request, "workshop/_heard.html", context)


def _ticked(request: Request) -> list[int]:
    return [int(pk) for pk in request.GET.getlist("frame") if pk.isdecimal() and len(pk) < 10]


def _counter(request: Request, job: Job) -> HttpResponse:
    finds = "find" in request.POST or "more" in request.POST
    data = request.POST.copy() if request.method == "POST" else None
    photo_faults = keep_photos(request, data) if data is not None else []
    if data is not None:
        request.POST = data  # type: ignore[assignment] # with the keys of the photos just kept
    rows = _rows(request, data, job)
    if data is None or finds:
        form = JobForm(instance=job, initial=_initial(job) | (data.dict() if data else {}))
        if data is not None:
            form.initial["words"] = data.getlist("words")
    else:
        form = JobForm(data, instance=job, initial=_initial(job))
    ticked = len(request.POST.getlist("frame"))
    form.with_frames(_arrivals(job) if data is None else posted_arrivals(request), rows, ticked)
    if data is not None and not finds:
        is_sound = rows.is_valid()
        if form.is_valid() and is_sound and not photo_faults:
            return redirect(form.save_job(request.user))
    for fault in photo_faults:
        messages.error(request, fault)
    is_refused = data is not None and not finds
    context = _context(request, job, form, rows) | {"is_refused": is_refused}
    return render(request, "workshop/take_in.html", context, status=422 if is_refused else 200)


def _initial(job: Job) -> dict[str, Any]:
    if job.pk:
        return {"who": job.person.name}
    return {"due": timezone.localdate() + timedelta(days=7)}


def _rows(request: Request, data: Any, job: Job) -> Rows:
    """The grid: as typed, with one more row where one was asked for."""
    choices = shapes(_likely(data.get("who", ""), _named(data)) if data else _likely("", set()))
    told = {"choices": choices}
    if data is None:
        return NewFrames(prefix="new", form_kwargs=told)
    for name in ("new-TOTAL_FORMS", "new-INITIAL_FORMS"):
        # No page of ours makes a grid of a thousand.
        if not data.get(name, "").isdecimal() or len(data[name]) > 3:
            data[name] = "0"
    more = data.get("more", "")
    if more:
        count = int(data["new-TOTAL_FORMS"])
        # The first row in which nothing stands yet; another one where there is none.
        blank = (i for i in range(count) if not data.get(f"new-{i}-model"))
        at = next(blank, count) if more.startswith(LIKE) else count
        data["new-TOTAL_FORMS"] = str(max(count, at + 1))
        if more.startswith(LIKE):
            _fill_like(data, more, at)
    return NewFrames(data, prefix="new", form_kwargs=told)


def _fill_like(data: Any, more: str, at: int) -> None:
    """Another like one that is here: its shape, maker and model in a new row."""
    for one in Frame.live.filter(pk__in=_named({"more": more})):
        data[f"new-{at}-like"] = more
        data[f"new-{at}-maker"], data[f"new-{at}-model"] = one.maker, one.model


def _named(data: Any) -> set[int]:
    """Keys of the frames that a row is like already, or is about to be."""
    texts = [data.get("more", "")]
    texts += [text for name, text in data.items() if name.endswith("-like")]
    keys = (text.removeprefix(LIKE) for text in texts if text.startswith(LIKE))
    return {int(key) for key in keys if key.isdecimal() and len(key) < 10}


def _likely(who: str, named: set[int]) -> list[Frame]:
    """Frames that a new one may be like: those that are named, the person's own, the newest
    here."""
    first = Q(pk__in=named)
    if who.strip():
        first |= Q(player__name__iexact=who.strip())
    found = list(Frame.live.filter(first)[: LIKELY + len(named)])
    newest = Frame.live.exclude(pk__in=[one.pk for one in found]).order_by("-created_at")
    return [*found, *newest[: max(LIKELY - len(found), 0)]]


def _arrivals(job: Job) -> list[Arrival]:
    if not job.pk:
        return []
    taken = job.taken_in.select_related("frame__player").prefetch_related("photos")
    return [Arrival(one.frame, one.arrived, one.refused) for one in taken]


def _last(person: Person, job: Job) -> Job | None:
    """What somebody came with before: of a job that is changed, before it."""
    jobs = person.jobs.filter(removed_at=None)
    if job.pk:
        jobs = jobs.filter(taken_in_at__lt=job.taken_in_at)
    return jobs.order_by("-taken_in_at").first()


def _context(request: Request, job: Job, form: JobForm, rows: Rows) -> dict[str, Any]:
    wanted = wanted_of(request.POST.get("q") or request.GET.get("q"))
    who = wanted_of(str(form["who"].value() or ""))
    person = Person.objects.filter(name__iexact=who).first() if who else None
    ticked = [one.frame.pk for one in form.frames]
    own = Q(player=person) if person else Q(pk=None)
    found = Frame.live.named(wanted) if wanted else Frame.live.filter(own)
    others = list(found.exclude(pk__in=ticked)[: SHOWN_FRAMES + 1])
    if not others and not wanted and not form.frames:
        others = list(Frame.live.order_by("-created_at")[:6])
    near = Person.objects.filter(
        Q(name__icontains=who) | Q(phone__icontains=who) | Q(email__icontains=who)
    )
    if person:
        near = near.exclude(pk=person.pk)
    keys = [key for row in rows.forms for key in row.photo_keys if key.isdecimal()]
    return {
        "form": form,
        "job": job,
        "rows": rows,
        "frames": [
            *((one, True) for one in form.frames),
            *((Arrival(frame), False) for frame in others[:SHOWN_FRAMES]),
        ],
        "more": len(others) > SHOWN_FRAMES,
        "person": person,
        "last": _last(person, job) if person else None,
        "near": near[:SHOWN_PEOPLE] if len(who) > 1 else [],
        "wanted": wanted,
        "is_like": request.POST.get("more", "").startswith(LIKE),
        "row_photos": {
            str(one.pk): one
            for one in Photo.objects.filter(pk__in=keys[:200], kept_by=request.user).defer("jpeg")
        },
    }
