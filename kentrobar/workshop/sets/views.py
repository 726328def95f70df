"""The Set page: frames under one ruler, their target, a recipe for each, all plans at once."""

from __future__ import annotations

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.reader import the_reader
from kentrobar.core.recipes.reach import reach
from kentrobar.frames.models import Frame
from kentrobar.recipes import sets, tasks
from kentrobar.recipes.models import Match
from kentrobar.recipes.refusing import refuse
from kentrobar.recipes.sets import AskedSet
from kentrobar.shop.models import Settings
from kentrobar.ui import background, undo
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.search import wanted_of

from ..lacks import set_of_job
from ..models import Job
from .forms import MOST_FRAMES
from .page import SHOWN_FRAMES, asked_of, first_asked, form_of, is_old, page, set_at
from .page import answer as answer_of


@require_safe
def index(request: Request) -> HttpResponse:
    """Sets that were put together, and the frames a new one can be made of."""
    wanted = wanted_of(request.GET.get("q"))
    context = {
        "matches": Match.objects.filter(removed_at=None).prefetch_related("frames")[:30],
        "frames": Frame.live.named(wanted)[:SHOWN_FRAMES],
        "wanted": wanted,
        "ticked": {
            int(pk) for pk in request.GET.getlist("frame") if pk.isdecimal() and len(pk) < 10
        },
    }
    return render(request, "workshop/set/index.html", context)


@require_POST
@stored_once
def create(request: Request) -> HttpResponse:
    """A set of the ticked frames."""
    frames = _ticked(request)
    fault = _fault(frames)
    if fault:
        messages.error(request, fault)
        picked = "&".join(f"frame={frame.pk}" for frame in frames)
        return redirect(f"{reverse('sets')}?{picked}")
    with transaction.atomic():
        models = list(dict.fromkeys(frame.model for frame in frames))
        name = f"{len(frames)} × {models[0]}" if len(models) == 1 else " and ".join(models[:3])
        match = Match.objects.create(name=name[:80])
        match.frames.set(frames)
    _begin(match, first_asked(frames), frames)
    return redirect(match)


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    match = set_at(pk)
    return page(request, match, match.at_hand())


@require_safe
def of_job(request: Request, pk: int) -> HttpResponse:
    """The set of a job, where its frames were put together; else the job."""
    job = get_object_or_404(Job.live, pk=pk)
    return redirect(set_of_job(job) or job)


@require_POST
def ask(request: Request, pk: int) -> HttpResponse:
    """The set as it stands in the form: kept, and searched at once."""
    match = set_at(pk)
    frames = match.at_hand()
    form = form_of(match, frames, request.POST)
    ticked = _ticked(request)
    fault = _fault(ticked)
    if form is None or not form.is_valid() or fault:
        return page(request, match, frames, form, fault)
    name = request.POST.get("name", "").strip()[:80].replace("\0", "")
    with transaction.atomic():
        match.frames.set(ticked)
        Match.objects.filter(pk=pk).update(name=name or match.name)
    match = set_at(pk)
    _begin(match, form.wish(), ticked)
    if not request.htmx:
        return redirect(match)
    return page(request, match, ticked)


@require_safe
def answer(request: Request, pk: int) -> HttpResponse:
    match = set_at(pk)
    return _answer(request, match)


@require_POST
def stop(request: Request, pk: int) -> HttpResponse:
    match = set_at(pk)
    background.stop(match)
    return _answer(request, match) if request.htmx else redirect(match)


def _answer(request: Request, match: Match) -> HttpResponse:
    return render(request, "workshop/set/_answer.html", answer_of(match, match.at_hand()))


@require_POST
def open_up(request: Request, pk: int) -> HttpResponse:
    """Allow what the set would need to meet, and search again."""
    match = set_at(pk)
    frames = match.at_hand()
    openings = match.found.openings if match.found else ()
    index = request.POST.get("opening", "")
    if not frames or not index.isdecimal() or int(index) >= len(openings):
        messages.error(request, "The set was changed meanwhile. Here is how it stands.")
        return redirect(match)
    asked = sets.opened(asked_of(match, frames), openings[int(index)], frames[0].outline())
    _begin(match, asked, frames)
    return redirect(match)


@require_POST
def reaches(request: Request, pk: int) -> HttpResponse:
    """What each frame would take for the band as it stands while somebody moves it; nothing is
    kept."""
    match = set_at(pk)
    frames = match.at_hand()
    form = form_of(match, frames, request.POST)
    if form is None or not form.is_valid():
        return HttpResponse(status=204)
    asked = form.wish()
    found = sets.readied(frames, asked.condition)
    if not asked.values or sets.lacking(found, asked):
        return HttpResponse(status=204)
    axis = the_reader().axis_mm(frames[0].kind)
    asked_set = sets.set_of(found, asked, Settings.load(), axis)
    if next(asked_set.faults(), None):
        return HttpResponse(status=204)
    told = reach(asked_set, asked.values)
    context = {"reaches": [(one.frame.pk, told[one.name] or 0.0, told[one.name] is None)
                           for one in found]}  # fmt: skip
    return render(request, "workshop/set/_reaches.html", context)


@require_POST
@stored_once
def plans(request: Request, pk: int) -> HttpResponse:
    """A plan for every frame, all or none."""
    match = set_at(pk)
    found = match.found
    if not found or request.POST.get("run") != str(match.run):
        messages.error(request, "The set was searched again meanwhile: look again.")
        return redirect(match)
    frames = {frame.pk: frame for frame in match.at_hand()}
    if found.frames != set(frames):
        messages.error(request, "A frame of this set is gone: match the others first.")
        return redirect(match)
    asked = asked_of(match, list(frames.values()))
    if is_old(found, list(frames.values()), asked):
        messages.error(
            request, "A frame was read again since the set was searched: it was searched again."
            " Look at it, then make the plans.",
        )  # fmt: skip
        _begin(match, asked, list(frames.values()))
        return redirect(match)
    with transaction.atomic():
        made = sets.make_plans(found, frames, asked, match, request.user)
    messages.success(
        request,
        f"Made {len(made)} plans, each with the common target.",
        extra_tags="plans-made",
    )
    return redirect(match)


@require_POST
def delete(request: Request, pk: int) -> HttpResponse:
    match = set_at(pk)
    undo.remove(request, match, f"the set {match.name}")
    return redirect("sets")


# --- helpers -------------------------------------------------------------------------------------


def _ticked(request: Request) -> list[Frame]:
    keys = [int(pk) for pk in request.POST.getlist("frame") if pk.isdecimal() and len(pk) < 10]
    return list(Frame.live.filter(pk__in=keys[:100]))


def _fault(frames: list[Frame]) -> str:
    """Why these frames make no set, '' where they do."""
    if not 2 <= len(frames) <= MOST_FRAMES:
        ticked = "1 frame" if len(frames) == 1 else f"{len(frames) or 'No'} frames"
        return f"{ticked} ticked: a set has 2 to {MOST_FRAMES}."
    if len({frame.kind for frame in frames}) > 1:
        return "Frames of different kinds are not matched with one another: tick one kind."
    return ""


def _begin(match: Match, asked: AskedSet, frames: list[Frame]) -> None:
    """Keep what is asked, and search where every frame has its figures."""
    Match.objects.filter(pk=match.pk).update(content=asked.dump())
    match.content = asked.dump()
    found = sets.readied(frames, asked.condition)
    missing = [
        f"{one.name} (no {', no '.join(labels)})" for one, labels in sets.lacking(found, asked)
    ]
    if missing:
        label = found[0].figures.label
        background.refuse(
            match,
            f"Not known {label}: {'; '.join(missing)}. Read it, or compare in another condition.",
        )
        return
    axis = the_reader().axis_mm(frames[0].kind)
    asked_set = sets.set_of(found, asked, Settings.load(), axis)
    fault = next(asked_set.faults(), None)
    if fault:
        refuse(match, *fault)
        return
    background.start(match, tasks.match, axis_mm=axis)
