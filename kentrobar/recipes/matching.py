"""The Match view: a set of frames under one ruler, its target, a recipe for each, all plans at
once."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.geometry.kinds import FIRST_KIND
from kentrobar.core.numbers import nominal
from kentrobar.core.reader import the_reader
from kentrobar.core.recipes.brief import plain_body
from kentrobar.frames.models import Frame
from kentrobar.shop.models import Settings
from kentrobar.ui import background, undo
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.search import wanted_of

from . import lanes, sets, tasks
from .as_they_are import Line, as_they_are
from .asked import parts_of
from .kept import KeptMatch
from .match_forms import MOST_FRAMES, MatchForm
from .models import Match
from .refusing import refuse
from .sets import AskedSet, MatchFrame

SHOWN_FRAMES = 60


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
    return render(request, "recipes/matches.html", context)


@require_POST
@stored_once
def create(request: Request) -> HttpResponse:
    """A set of the ticked frames."""
    frames = _ticked(request)
    fault = _fault(frames)
    if fault:
        messages.error(request, fault)
        picked = "&".join(f"frame={frame.pk}" for frame in frames)
        return redirect(f"{reverse('matches')}?{picked}")
    with transaction.atomic():
        models = list(dict.fromkeys(frame.model for frame in frames))
        name = f"{len(frames)} × {models[0]}" if len(models) == 1 else " and ".join(models[:3])
        match = Match.objects.create(name=name[:80])
        match.frames.set(frames)
    _begin(request, match, _first(frames), frames)
    return redirect(match)


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    match = _match(pk)
    frames = match.at_hand()
    return _page(request, match, _form(request, match, frames), frames)


@require_POST
def ask(request: Request, pk: int) -> HttpResponse:
    """The set as it stands in the form: kept, and matched at once."""
    match = _match(pk)
    frames = match.at_hand()
    form = _form(request, match, frames, posted=True)
    is_valid = form is not None and form.is_valid()
    ticked = _ticked(request)
    fault = _fault(ticked)
    if form is None or not is_valid or fault:
        return _page(request, match, form, frames, 422, fault)
    name = request.POST.get("name", "").strip()[:80].replace("\0", "")
    with transaction.atomic():
        match.frames.set(ticked)
        Match.objects.filter(pk=pk).update(name=name or match.name)
    match = _match(pk)
    _begin(request, match, form.wish(), ticked)
    if not request.htmx:
        return redirect(match)
    return _page(request, match, _form(request, match, ticked), ticked)


@require_safe
def answer(request: Request, pk: int) -> HttpResponse:
    match = _match(pk)
    return render(request, "recipes/_matched.html", _answer(request, match, match.at_hand()))


@require_POST
def stop(request: Request, pk: int) -> HttpResponse:
    match = _match(pk)
    background.stop(match)
    if not request.htmx:
        return redirect(match)
    return render(request, "recipes/_matched.html", _answer(request, match, match.at_hand()))


@require_POST
def open_up(request: Request, pk: int) -> HttpResponse:
    """Allow what a frame would need that cannot follow, and match again."""
    match = _match(pk)
    frames = match.at_hand()
    openings = match.found.openings if match.found else ()
    index = request.POST.get("opening", "")
    if not frames or not index.isdecimal() or int(index) >= len(openings):
        messages.error(request, "The set was changed meanwhile. Here is how it stands.")
        return redirect(match)
    asked = sets.opened(_content(match, frames), openings[int(index)][1], frames[0].outline())
    _begin(request, match, asked, frames)
    return redirect(match)


@require_POST
@stored_once
def plans(request: Request, pk: int) -> HttpResponse:
    """A plan for every frame, all or none."""
    match = _match(pk)
    found = match.found
    if not found or request.POST.get("run") != str(match.run):
        messages.error(request, "The set was matched again meanwhile: look again.")
        return redirect(match)
    frames = {frame.pk: frame for frame in match.at_hand()}
    if found.frames != set(frames):
        messages.error(request, "A frame of this set is gone: match the others first.")
        return redirect(match)
    asked = _content(match, list(frames.values()))
    found_lanes = lanes.lanes(found, frames, asked.target)
    if _is_old(found, found_lanes, asked):
        messages.error(
            request, "A frame was read again since the set was matched: it was matched again. Look"
            " at it, then make the plans.",
        )  # fmt: skip
        _begin(request, match, asked, list(frames.values()))
        return redirect(match)
    with transaction.atomic():
        made = sets.make_plans(found, frames, asked.condition, match, request.user)
    messages.success(
        request,
        f"Made {len(made)} plans, one a frame, each with the common target.",
        extra_tags="plans-made",
    )
    return redirect(match)


@require_POST
def delete(request: Request, pk: int) -> HttpResponse:
    match = _match(pk)
    undo.remove(request, match, f"the set {match.name}")
    return redirect("matches")


# --- helpers -------------------------------------------------------------------------------------


def _match(pk: int) -> Match:
    return get_object_or_404(Match.objects.filter(removed_at=None), pk=pk)


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


def _first(frames: list[Frame]) -> AskedSet:
    """What is asked of a new set: the condition most frames were read in."""
    usual = AskedSet.parse({}, frames[0].kind)
    return AskedSet(condition=sets.common_condition(frames), sites=usual.sites)


def _content(match: Match, frames: list[Frame]) -> AskedSet:
    if not match.content and frames:
        return _first(frames)
    return AskedSet.parse(match.content, frames[0].kind if frames else FIRST_KIND)


def _parts(found: list[MatchFrame], asked: AskedSet) -> list[Any]:
    """Every way to make any of the frames lighter, once a name."""
    by_name = {part.name: part for one in found for part in parts_of(one.frame, asked.condition)}
    return sorted(by_name.values(), key=lambda part: part.last_resort)


def _form(
    request: Request, match: Match, frames: list[Frame], posted: bool = False
) -> MatchForm | None:
    if not frames:
        return None
    asked = _content(match, frames)
    found = sets.readied(frames, asked.condition)
    return MatchForm(asked, found, _parts(found, asked), request.POST if posted else None)


def _begin(request: Request, match: Match, asked: AskedSet, frames: list[Frame]) -> None:
    """Keep what is asked, and match where every frame has its figures."""
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


def _page(
    request: Request, match: Match, form: MatchForm | None, frames: list[Frame], status: int = 200,
    fault: str = "",
) -> HttpResponse:  # fmt: skip
    kind = frames[0].kind if frames else None
    beside = Frame.live.filter(kind=kind).exclude(pk__in=[frame.pk for frame in frames])
    others = list(beside[:200]) if frames else []
    if frames:
        models = {frame.model for frame in frames}
        others.sort(key=lambda frame: (frame.model not in models, str(frame)))
    context = {
        "form": form,
        "as_they_are": _as_they_are(match, frames),
        "kind": kind,
        "others": list(others)[:SHOWN_FRAMES],
        "fault": fault,
    } | _answer(request, match, frames)
    template = "recipes/_matching.html" if request.htmx else "recipes/match.html"
    return render(request, template, context, status=status)


def _as_they_are(match: Match, frames: list[Frame]) -> list[Line]:
    """The frames in the condition compared; at once, whatever is asked of them."""
    if not frames:
        return []
    found = sets.readied(frames, _content(match, frames).condition)
    return as_they_are(found, the_reader().axis_mm(frames[0].kind))


def _answer(request: Request, match: Match, frames: list[Frame]) -> dict[str, Any]:
    """What was found, or how far the search is."""
    answer = match.found
    context: dict[str, Any] = {"match": match, "frames": frames, "found": answer}
    if not answer or not frames:
        return context
    asked = _content(match, frames)
    by_key = {frame.pk: frame for frame in frames}
    found = lanes.lanes(answer, by_key, asked.target)
    if not found:
        return context
    return context | {
        "lanes": found,
        "predictions": [one.prediction for one in found],
        "apart": lanes.apart(answer, found, Settings.load().noticed()),
        "target": lanes.target_words(answer, found),
        "others_to_chase": lanes.others(answer),
        "without": answer.without,
        "openings": answer.openings,
        "length_mm": max(frame.length_mm for frame in frames),
        "axis": answer.axis_mm,
        "is_old": _is_old(answer, found, asked),
    }


def _is_old(answer: KeptMatch, found: list[lanes.LaneOf], asked: AskedSet) -> bool:
    """Whether a frame was read anew, or frames came and went, since the set was matched."""
    if answer.frames != {one.frame.pk for one in found}:
        return True
    for one in found:
        now, before = one.frame.figures_in(asked.condition), one.prediction.before
        measured = plain_body(sets.now_of(one.frame, now).measured)
        if (
            abs(measured.moment - nominal(before.moment)) > 1e-3
            or abs(measured.second - nominal(before.second)) > 1
        ):
            return True
    return False
