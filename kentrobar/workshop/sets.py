"""The views of a set: its board, what was read after, a frame corrected, the pair card."""

from __future__ import annotations

from dataclasses import dataclass, replace

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import mass_text, the_reader
from kentrobar.core.recipes.brief import Brief
from kentrobar.core.recipes.solve import Search, find
from kentrobar.frames.reported import keep_reported
from kentrobar.recipes import asked as asking
from kentrobar.recipes.asked import Asked, Base
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.sets import limited_by_set, set_of_plan
from kentrobar.shop.middleware import to_customer
from kentrobar.shop.models import Settings
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .models import Job
from .paper import paper
from .players import language_of
from .set_board import AfterRow, BoardRow, rows, spreads


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def board(request: Request, pk: int) -> HttpResponse:
    """The board. POST keeps what was read after: every frame by itself, one at fault holds up no
    other."""
    job = _job(pk)
    found = rows(job)
    is_refused = False
    for row in found:
        data = request.POST if request.method == "POST" else None
        row.form = AfterRow(
            data, prefix=f"after-{row.frame.pk}", frame=row.frame,
            condition=row.condition,
        )  # fmt: skip
        if data is None:
            continue
        if not row.form.is_valid():
            is_refused = True
        elif row.form.given:
            keep_reported(row.frame, row.form.given, row.condition, request.user, row.form.doubted)
    if request.method == "POST" and not is_refused:
        return redirect("job-set", pk)
    if is_refused:
        # What was kept of the others stands on the board now, and their boxes are empty again.
        forms = {row.frame.pk: row.form for row in found if row.form and row.form.errors}
        found = rows(_job(pk))
        for row in found:
            row.form = forms.get(row.frame.pk) or AfterRow(
                prefix=f"after-{row.frame.pk}", frame=row.frame,
                condition=row.condition,
            )  # fmt: skip
    context = {
        "job": job,
        "rows": found,
        "heads": [(name, FIGURES[name].label) for name in READ],
        "spreads": spreads(job, found),
        "is_pair": len(found) == 2,
        "is_refused": is_refused,
    }
    return render(request, "workshop/set.html", context, status=422 if is_refused else 200)


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
    job = _job(pk)
    row = _missed(job, frame_pk, request)
    found = _correction(row, request)
    context = {"job": job, "row": row, "found": found}
    return render(request, "workshop/_correction.html", context)


@require_POST
@stored_once
def correct(request: Request, pk: int, frame_pk: int) -> HttpResponse:
    """That correction as a plan, on its bench sheet."""
    row = _missed(_job(pk), frame_pk, request)
    found = _correction(row, request)
    if not found.pieces or row.plan is None:
        return redirect("job-set", pk)
    name = f"{row.plan.name}, corrected"[:80]
    made = asking.plan_from(
        row.frame, found.base, found.brief.wanted(), found.pieces, name, request.user,
        "Corrected on the set board", row.plan.state().of_set,
    )  # fmt: skip
    return redirect("sheet", made.pk)


def _missed(job: Job, frame_pk: int, request: Request) -> BoardRow:
    found = next((one for one in rows(job) if one.frame.pk == frame_pk), None)
    if found is None or found.plan is None or not found.is_missed:
        raise Http404("that frame did not miss")
    return found


def _correction(row: BoardRow, request: Request) -> Correction:
    frame = row.frame
    bases = [one for one in asking.bases(frame) if not one.is_plan]
    base = next((one for one in bases if one.state.condition == row.condition), bases[0])
    asked = Asked(goals=dict(row.targets), sites=FRAME_KINDS[frame.kind].wish_sites, base=base.key)
    of_set = set_of_plan(row.plan.state()) if row.plan else None
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
    job = _job(pk)
    with to_customer(language_of(job.person)):
        found = rows(job)
        if len(found) != 2:
            raise Http404("no pair")
        apart = spreads(job, found)
        read = [row.read if row.read else row.predicted for row in found]
        swing = [one["swing_kgcm2"] for one in read if "swing_kgcm2" in one]
        noticed = Settings.load().noticed()
        context = {
            "job": job,
            "rows": found,
            "heads": [(name, FIGURES[name].label) for name in READ],
            "spreads": apart,
            "noticed": noticed.by(nominal(swing[0] - swing[1])) if len(swing) == 2 else "",
            "few": noticed.few,
            "is_read": all(row.read for row in found),
        }
        html = render_to_string("workshop/pair_paper.html", context, request)
    return paper(request, html, f"pair {job.person}")


def _job(pk: int) -> Job:
    jobs = Job.live.select_related("person").prefetch_related("taken_in__frame__plans__sheet")
    return get_object_or_404(jobs, pk=pk)
