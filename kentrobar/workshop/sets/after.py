"""What was read after on the frames of a set, a frame corrected or accepted, and the pair card."""

from __future__ import annotations

from dataclasses import dataclass, replace

from django.db import transaction
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.reader import mass_text, the_reader
from kentrobar.core.recipes.brief import Brief
from kentrobar.core.recipes.solve import Search, find
from kentrobar.frames.models import Frame
from kentrobar.frames.reported import keep_reported
from kentrobar.recipes import asked as asking
from kentrobar.recipes.asked import Asked, Base
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.models import Match
from kentrobar.recipes.sets import limited_by_set, set_of_plan
from kentrobar.shop.middleware import to_customer
from kentrobar.shop.models import Settings
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from ..advance import go_on
from ..lacks import set_of_job, sound
from ..models import Job
from ..paper import paper
from ..players import language_of
from .band import targets_of
from .lines import lines
from .page import asked_of, first_asked, page, set_at
from .rows import AfterBoxes, Row, rows


@require_POST
@stored_once
def read(request: Request, pk: int) -> HttpResponse:
    """Keep what was read after: every frame by itself, one at fault holds up no other."""
    match = set_at(pk)
    frames = match.at_hand()
    refused: dict[int, AfterBoxes] = {}
    for row in _rows(match, frames):
        form = AfterBoxes(request.POST, frame=row.frame, condition=row.condition)
        if not form.is_valid():
            refused[row.frame.pk] = form
        elif form.given:
            keep_reported(row.frame, form.given, row.condition, request.user, form.doubted)
    if refused:
        # What was kept of the others stands in their rows, and their boxes are empty again.
        match = set_at(pk)
        return page(request, match, match.at_hand(), after=refused)
    return redirect(match)


@require_POST
def accept(request: Request, pk: int, frame_pk: int) -> HttpResponse:
    """Take a frame as near as it came, or no longer."""
    with transaction.atomic():
        match = get_object_or_404(
            Match.objects.select_for_update().filter(removed_at=None), pk=pk, frames=frame_pk
        )
        asked = asked_of(match, match.at_hand())
        accepted = set(asked.accepted) - {frame_pk}
        if request.POST.get("accepted"):
            accepted.add(frame_pk)
        match.content = replace(asked, accepted=tuple(sorted(accepted))).dump()
        match.save(update_fields=["content"])
    for job in Job.live.filter(taken_in__frame=frame_pk, closed_at=None):
        go_on(job, request.user)
    return redirect(match)


@dataclass(frozen=True, slots=True)
class Correction:
    """What would bring a frame that missed to its targets, from how it reads now."""

    base: Base
    brief: Brief
    pieces: tuple[Piece, ...]
    lines: list[str]
    is_enough: bool


@require_safe
def correction(request: Request, pk: int, frame_pk: int) -> HttpResponse:
    """What is left to do on one frame, in its row."""
    match = set_at(pk)
    row = _missed(match, frame_pk)
    context = {"match": match, "row": row, "found": _correction(row)}
    return render(request, "workshop/set/_correction.html", context)


@require_POST
@stored_once
def correct(request: Request, pk: int, frame_pk: int) -> HttpResponse:
    """That correction as a plan, on its bench sheet."""
    match = set_at(pk)
    row = _missed(match, frame_pk)
    found = _correction(row)
    if not found.pieces or row.plan is None:
        return redirect(match)
    name = f"{row.plan.name}, corrected"[:80]
    made = asking.plan_from(
        row.frame, found.base, found.brief.wanted(), found.pieces, name, request.user,
        "Corrected in its set", row.plan.state().of_set or pk,
    )  # fmt: skip
    return redirect("sheet", made.pk)


def _rows(match: Match, frames: list[Frame]) -> list[Row]:
    if not frames:
        return []
    asked, found = asked_of(match, frames), match.found
    axis = found.axis_mm if found else the_reader().axis_mm(frames[0].kind)
    return rows(match, frames, asked, axis)


def _missed(match: Match, frame_pk: int) -> Row:
    frames = match.at_hand()
    row = next((one for one in _rows(match, frames) if one.frame.pk == frame_pk), None)
    if row is None or row.plan is None or not row.is_missed:
        raise Http404("that frame did not miss")
    return row


def _correction(row: Row) -> Correction:
    frame, plan = row.frame, row.plan
    assert plan is not None
    bases = [one for one in asking.bases(frame) if not one.is_plan]
    base = next((one for one in bases if one.state.condition == row.condition), bases[0])
    asked = Asked(goals=targets_of(plan), sites=FRAME_KINDS[frame.kind].wish_sites, base=base.key)
    of_set = set_of_plan(plan)
    if of_set:
        kit = {name: getattr(of_set, name) for name in ("sites", "places", "materials")}
        asked = replace(asked, **kit)
    limited = limited_by_set(Limited.of(frame), of_set)
    axis = the_reader().axis_mm(frame.kind)
    brief = asking.brief_of(frame, asked, base, Settings.load(), axis, limited)
    answer = find(brief, Search(nodes=0))  # what is asked at the bench is answered at once
    best = answer.recipes[0] if answer.recipes else None
    pieces = best.pieces if best else ()
    outline = frame.outline()
    lines = [f"{mass_text(one.mass_g)}, {one.name(outline)}, {one.where()}" for one in pieces]
    return Correction(base, brief, pieces, lines, answer.status == "ok")


@require_safe
def pair_card(request: Request, pk: int) -> HttpResponse:
    """Both frames of a pair for their player, and what is left between them."""
    job = get_object_or_404(Job.live.select_related("person"), pk=pk)
    match = set_of_job(job)
    frames = [one.frame for one in sound(job)]
    with to_customer(language_of(job.person)):
        if len(frames) != 2:
            raise Http404("no pair")
        asked = asked_of(match, frames) if match else first_asked(frames)
        settings = Settings.load()
        axis = the_reader().axis_mm(frames[0].kind)
        found = rows(match, frames, asked, axis)
        is_read = all(row.read for row in found)
        swing = [row.after["swing_kgcm2"] for row in found if "swing_kgcm2" in row.after]
        context = {
            "job": job,
            "names": [row.name for row in found],
            "lines": [
                (line, [row.told(row.after or row.before, line.name) for row in found])
                for line in lines(found, asked, None, settings.noticed())
            ],
            "noticed": settings.noticed().by(nominal(swing[0] - swing[1]))
            if len(swing) == 2
            else "",
            "few": settings.few,
            "is_read": is_read,
        }
        html = render_to_string("workshop/pair_paper.html", context, request)
    return paper(request, html, f"pair {job.person}")
