"""The bench sheet: drawn up from a plan, ticked off on a phone with dirty hands, signed off,
printed, taken along."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from django.utils.text import slugify
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.bench.sheet import BenchSheet, SheetStep, ShelfUse, StringsAre, bench_sheet
from kentrobar.core.frame.condition import strings_in
from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.io.plans import dump_piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.work import Place
from kentrobar.core.reader import length_number, the_reader
from kentrobar.frames import above
from kentrobar.frames.models import Frame
from kentrobar.plans import desk, edits
from kentrobar.plans.edits import EditError
from kentrobar.plans.hand import Hand
from kentrobar.plans.models import Plan
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.sets import limited_by_set, set_of_plan
from kentrobar.stock import shelf
from kentrobar.stock.models import Material
from kentrobar.ui import undo
from kentrobar.ui.request import Request

from .fitted import carried
from .models import Sheet
from .paper import paper, size_name
from .sets.sheets import sheets_beside
from .true_size import rim_strips, templates


@dataclass(frozen=True, slots=True)
class ShownStep:
    """A step as the page shows it."""

    step: SheetStep
    number: int
    done_at: Any
    place: tuple[tuple[str, str], ...]
    needs_cavity: bool = False


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    context = _context(request, plan, sheet_of(plan)) | {"of_set": sheets_beside(plan)}
    return render(request, "workshop/sheet.html", context)


@require_POST
def tick(request: Request, pk: int) -> HttpResponse:
    """One step done, or not yet after all."""
    plan = _plan(pk)
    key = request.POST.get("step", "")
    with transaction.atomic():
        sheet = drawn_up(plan)
        steps = {step.key: step for step in _core(plan, sheet).steps}
        if key not in steps:
            raise Http404("no such step")
        if sheet.signed_off_at is None:
            now = timezone.now()
            if key in sheet.ticks:
                del sheet.ticks[key]
            else:
                sheet.ticks[key] = now.isoformat()
            wait = steps[key].wait_hours
            if wait:
                sheet.waits_until = now + timedelta(hours=wait) if key in sheet.ticks else None
            sheet.save(update_fields=["ticks", "waits_until"])
    if not request.htmx:
        return redirect("sheet", pk)
    return render(request, "workshop/_steps.html", _context(request, plan, sheet))


@require_POST
def foam(request: Request, pk: int) -> HttpResponse:
    """The handle turned out to be filled with foam: what was to go into it lies under the grip."""
    plan, hand = _plan(pk), Hand()
    with transaction.atomic():
        Frame.objects.filter(pk=plan.frame_id).update(is_foam=True)
        try:
            desk.change(
                pk, plan.version, lambda state, outline: edits.found_foam(state, outline, {}, hand),
                request.user,
            )  # fmt: skip
        except EditError as refused:
            messages.error(request, str(refused))
    return redirect("sheet", pk)


@require_POST
def sign_off(request: Request, pk: int) -> HttpResponse:
    """The pieces are on for good: the stock falls, and the frame carries them from now on."""
    plan = _plan(pk)
    with transaction.atomic():
        sheet = drawn_up(plan)
        if sheet.signed_off_at:
            messages.error(request, "Signed off already: nothing is taken from the stock twice.")
            return redirect("sheet", pk)
        core = _core(plan, sheet)
        missing = [step.title for step in core.steps if step.key not in sheet.ticks]
        if missing and "override" not in request.POST:
            many = f"{len(missing)} steps are open, the first is “{missing[0]}”. Tick them"
            one = f"“{missing[0]}” is open. Tick it"
            left = one if len(missing) == 1 else many
            messages.error(request, f"Not signed off: {left}, or sign off with open steps.")
            return redirect("sheet", pk)
        used = ((use.material, use.amount) for use in core.uses)
        short = shelf.take(used, f"{plan.frame}, {plan.name}"[:90], request.user)
        before = carried(sheet).sheets
        now = timezone.now()
        Sheet.objects.filter(pk__in=[one.pk for one in before]).update(
            taken_off_at=now, counted_with=sheet
        )
        sheet.signed_off_at, sheet.signed_off_by, sheet.taken_off_at = now, request.user, None
        sheet.save(update_fields=["signed_off_at", "signed_off_by", "taken_off_at"])
    names = ", ".join(one.plan.name for one in before)
    closed = f" What {names} put on is counted with this one from now on." if names else ""
    counted = f" {'; '.join(short)}: count again." if short else ""
    messages.success(request, f"Signed off: the stock is less by what was cut.{counted}{closed}")
    return redirect("sheet", pk)


@require_POST
def take_off(request: Request, pk: int) -> HttpResponse:
    """Everything this sheet put on comes off the frame again."""
    sheets = Sheet.objects.filter(plan=_plan(pk), signed_off_at__isnull=False)
    if sheets.update(taken_off_at=timezone.now()):
        undo.offer(request, "Taken off again, all of it.", reverse("sheet-back-on", args=[pk]))
    return redirect("sheet", pk)


@require_POST
def back_on(request: Request, pk: int) -> HttpResponse:
    """Take back a taking off: it was on after all."""
    sheets = Sheet.objects.filter(plan=_plan(pk), signed_off_at__isnull=False)
    sheets.update(taken_off_at=None, counted_with=None)
    return redirect("sheet", pk)


@require_safe
def pdf(request: Request, pk: int) -> HttpResponse:
    """The sheet with its 1:1 templates, for paper."""
    plan = _plan(pk)
    spoken = above.spoken_of(plan.frame)
    context = _context(request, plan, sheet_of(plan)) | {
        "asked": spoken.text if spoken else "",
        "paper_size": size_name(),
        "is_spare": "spare" in request.GET,
    }
    html = render_to_string("workshop/sheet_paper.html", context, request)
    return paper(request, html, f"{plan.frame} {plan.name}")


@require_safe
def drawing(request: Request, pk: int) -> HttpResponse:
    """The plan's drawing as an SVG file of its own."""
    plan = _plan(pk)
    state, outline = plan.state(), plan.frame.outline()
    prediction = predict(LadenFrame(frame=outline, measured=state.measured, pieces=state.pieces))
    context = {
        "outline": outline, "prediction": prediction, "plan": plan,
        "axis": the_reader().axis_mm(outline.kind),
    }  # fmt: skip
    text = render_to_string("workshop/drawing.svg", context, request)
    name = slugify(f"{plan.frame} {plan.name}") or "plan"
    return HttpResponse(
        text, content_type="image/svg+xml",
        headers={"Content-Disposition": f'attachment; filename="{name}.svg"'},
    )  # fmt: skip


# --- helpers --------------------------------------------------------------------------------------


def _plan(pk: int) -> Plan:
    return get_object_or_404(Plan.live.select_related("frame"), pk=pk)


def sheet_of(plan: Plan) -> Sheet:
    """The plan's sheet as it is now, with the pieces the plan has now; nothing is written."""
    pieces = [dump_piece(piece) for piece in plan.state().pieces]
    sheet = Sheet.objects.filter(plan=plan).first() or Sheet(plan=plan, pieces=pieces)
    if sheet.signed_off_at is None and sheet.pieces != pieces:
        before = {step.key: step for step in _core(plan, sheet).steps}
        sheet.pieces = pieces
        # What was done for a piece that stays as it was stays done.
        now = {step.key: step for step in _core(plan, sheet).steps}
        sheet.ticks = {
            key: at for key, at in sheet.ticks.items() if now.get(key) == before.get(key)
        }
    return sheet


def drawn_up(plan: Plan) -> Sheet:
    """The plan's sheet, written down as it is now; it and its plan are held until the transaction
    ends."""
    plan.refresh_from_db(from_queryset=Plan.objects.select_for_update())
    Sheet.objects.get_or_create(plan=plan, defaults={"pieces": sheet_of(plan).pieces})
    Sheet.objects.select_for_update().get(plan=plan)
    sheet = sheet_of(plan)
    sheet.save(update_fields=["pieces", "ticks"])
    return sheet


def _core(plan: Plan, sheet: Sheet) -> BenchSheet:
    over = carried(sheet)
    return bench_sheet(
        plan.frame.outline(),
        sheet.core_pieces(),
        shelf.on_shelf([*sheet.core_pieces(), *over.leaves_out]),
        plan.frame.holes_mm,
        over.already,
        over.leaves_out,
        _strings(plan),
        plan.frame.is_foam,
    )


def _strings(plan: Plan) -> StringsAre:
    """Where the strings are as the work on a plan begins."""
    if not strings_in(plan.frame.outline(), plan.state().condition):
        return StringsAre.OUT
    limited = limited_by_set(Limited.of(plan.frame), set_of_plan(plan))
    return StringsAre.COME_OUT if limited.strings_out else StringsAre.IN


def _context(request: Request, plan: Plan, sheet: Sheet) -> dict[str, Any]:
    core = _core(plan, sheet)
    outline = plan.frame.outline()
    in_cavity = {
        number
        for number, piece in enumerate(sheet.core_pieces(), 1)
        if isinstance(piece, Plug) and piece.needs_cavity
    }
    steps = [
        ShownStep(
            step,
            number,
            parse_datetime(sheet.ticks.get(step.key, "") or ""),
            _place(step.place),
            step.piece in in_cavity,
        )
        for number, step in enumerate(core.steps, 1)
    ]
    known = {
        one.name: one for one, _, _ in shelf.needed((use.material, use.amount) for use in core.uses)
    }
    measured = plan.state().measured
    return {
        "plan": plan,
        "frame": plan.frame,
        "kind": outline.kind,
        "outline": outline,
        "sheet": sheet,
        "core": core,
        "steps": steps,
        "open": sum(one.done_at is None for one in steps),
        "totals": [_total(use, known.get(use.material)) for use in core.uses],
        "prediction": predict(
            LadenFrame(frame=outline, measured=measured, pieces=sheet.core_pieces())
        ),
        "axis": the_reader().axis_mm(outline.kind),
        "templates": templates(core.cuts),
        "rim": rim_strips(core.steps),
        "ruler": list(range(0, 101, 10)),
        "is_changed": (
            sheet.signed_off_at
            and sheet.pieces != [dump_piece(piece) for piece in plan.state().pieces]
        ),
        "is_waiting": sheet.waits_until is not None and sheet.waits_until > timezone.now(),
    }


def _place(place: Place | None) -> tuple[tuple[str, str], ...]:
    """Every way to find a place, in words."""
    if place is None:
        return ()
    unit = the_reader().length

    def span(ends: Sequence[float]) -> str:
        return f"{length_number(ends[0])} to {length_number(ends[1])} {unit}"

    where = {"edge": "edge", "face": "middle of the rim", "inner": "inside of the rim"}[place.line]
    found = [("clock", place.clock), ("from the butt", span(place.x_mm))]
    if place.arc_mm[0] < 0 < place.arc_mm[1] and abs(place.arc_mm[0] + place.arc_mm[1]) < 0.1:
        found.append(
            (
                f"along the {where}",
                f"{length_number(place.arc_mm[1])} {unit} either side of the tip",
            )
        )
    else:
        found.append((f"from the tip’s centre, along the {where}", span(place.arc_mm)))
    if place.holes:
        first, last = place.holes
        across = place.arc_mm[0] < 0 < place.arc_mm[1]
        words = (
            f"to hole {last} on either side" if across and first == last else f"{first} to {last}"
        )
        found.append(("holes, counted from the tip", words))
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Total:
    material: str
    amount: float
    unit: str
    stays: float | None
    """What is left afterwards; None where it was never counted."""
    is_short: bool


def _total(use: ShelfUse, material: Material | None) -> Total:
    is_short = material is not None and material.lacks(use.amount)
    stays = material.left - use.amount if material and material.is_counted else None
    return Total(use.material, use.amount, use.unit, stays, is_short)
