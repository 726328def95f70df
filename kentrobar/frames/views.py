"""Frames: the list, one frame's page, its outline, its readings."""

from __future__ import annotations

import logging
from dataclasses import dataclass

from django.core.paginator import Paginator
from django.db import transaction
from django.db.models import Prefetch
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.core.geometry.kinds import FIRST_KIND, FRAME_KINDS, default_outline
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.ui import undo
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.search import Found, wanted_of
from kentrobar.ui.stale import changed_meanwhile

from . import above, fitted
from .choices import Condition, Quantity
from .figures import Figures
from .fitted import fittings_of
from .forms import FrameForm, ReadingForm, dimension_texts, follow
from .models import Frame, Reading, newest_readings
from .reported import keep_reported
from .shown import contradiction_text, frame_row, shown_figures, typed_sizes

log = logging.getLogger(__name__)
FRAMES_A_PAGE = 25


@dataclass(frozen=True, slots=True)
class FramePage:
    """What the slots of a frame's page are about: the frame, and what must still be read before a
    plan."""

    frame: Frame
    missing: list[str]


@require_safe
def index(request: Request) -> HttpResponse:
    """Frames with their newest figures, found by model, maker, serial or owner."""
    wanted = wanted_of(request.GET.get("q"))
    frames = Frame.live.named(wanted)
    if request.GET.get("kind") in FRAME_KINDS:
        frames = frames.filter(kind=request.GET["kind"])
    newest = Prefetch("readings", newest_readings().defer("entry"), "newest")
    # An annotated query forgets the model's own order.
    frames = above.rooms().counted(frames).order_by("model", "serial", "pk")
    listed = frames.select_related("player").prefetch_related(newest, "parts")
    pages = (Found if wanted else Paginator)(listed, FRAMES_A_PAGE)
    page = pages.get_page(request.GET.get("page"))
    common = request.GET.get("as", "")
    common = common if common in Condition.values else ""
    carried_out = fittings_of([one.pk for one in page])
    context = {
        "page": page,
        "rows": [frame_row(one, common, carried_out.get(one.pk, ())) for one in page],
        "wanted": wanted,
        "only": request.GET.get("kind", ""),
        "kinds": list(FRAME_KINDS.values()),
        "common": common,
        "conditions": Condition.choices,
    }
    return render(request, "frames/index.html", context)


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def show(request: Request, pk: int) -> HttpResponse:
    """One frame. POST keeps a set of readings."""
    frame = get_object_or_404(Frame.live, pk=pk)
    figures = frame.figures()
    form = ReadingForm(frame, known=figures)
    status = 200
    if request.method == "POST":
        form = ReadingForm(frame, request.POST, known=figures)
        if form.is_valid():
            keep_reported(
                frame, form.readings(), form.cleaned_data["condition"], request.user,
                {doubt.field for doubt in form.doubts}, form.cleaned_data["is_told"],
            )  # fmt: skip
            return redirect(_next(request) or frame)
        status = 422
    missing = _missing(figures)
    context = {
        "frame": frame,
        "page": FramePage(frame, missing),
        "outline": frame.outline(),
        "kind": frame.kind,
        "figures": [shown_figures(frame, fitted.brought(frame, one)) for one in figures],
        "contradictions": [contradiction_text(one, frame) for one in frame.contradictions()],
        "typed_sizes": typed_sizes(frame),
        "form": form,
        "missing": missing,
    }
    return render(request, "frames/frame.html", context, status=status)


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def edit(request: Request, pk: int | None = None) -> HttpResponse:
    """A new frame, or the outline and names of one that is there."""
    frame = get_object_or_404(Frame.live, pk=pk) if pk else None
    kind = frame.kind if frame else _kind(request.POST.get("kind") or request.GET.get("kind"))
    data = follow(kind, request.POST) if request.method == "POST" else None
    form = FrameForm(kind, data, frame)
    fault = ""
    if request.method == "POST" and form.is_valid():
        with transaction.atomic():
            fault = changed_meanwhile(request, frame)
            if not fault:
                return redirect(form.save())
    context = _form_context(form, kind) | {"frame": frame, "fault": fault}
    is_at_fault = bool(form.errors or fault)
    return render(request, "frames/edit.html", context, status=422 if is_at_fault else 200)


@require_POST
def outline(request: Request) -> HttpResponse:
    """The boxes and the drawing again, as typed so far or filled from a preset."""
    data = request.POST.copy()
    preset = PRESETS.get(data.get("preset", ""))
    kind = _kind(data.get("kind"))
    if preset and request.htmx.trigger_name == "preset":
        kind = preset[1].kind
        texts = dimension_texts(preset[1])
        for name, text in texts.items():
            data[name] = text
        data["followed"] = "|".join(f"{name}={text}" for name, text in texts.items())
    else:
        data = follow(kind, data)
    form = FrameForm(kind, data)
    form.is_valid()
    return render(request, "frames/_outline.html", _form_context(form, kind))


@require_POST
def withdraw(request: Request, pk: int) -> HttpResponse:
    """Take a reading back; the one before it counts again."""
    reading = get_object_or_404(Reading.objects.select_related("frame"), pk=pk, removed_at=None)
    undo.remove(request, reading, reading.said)
    return redirect(_next(request) or reading.frame)


@require_POST
def delete(request: Request, pk: int) -> HttpResponse:
    frame = get_object_or_404(Frame.live, pk=pk)
    undo.remove(request, frame, f"{frame} with its plans")
    return redirect("frames")


def _next(request: Request) -> str:
    """Where the form was opened from, if that is a page of ours."""
    there = request.POST.get("next", "")
    is_ours = url_has_allowed_host_and_scheme(there, {request.get_host()}, request.is_secure())
    return there if is_ours and there.startswith("/") else ""


# --- helpers -------------------------------------------------------------------------------------


def _kind(text: str | None) -> str:
    if text and text not in FRAME_KINDS:
        raise Http404("no such kind of frame")
    return text or FIRST_KIND


def _form_context(form: FrameForm, kind: str) -> dict:
    presets = [(key, label) for key, (label, one) in PRESETS.items() if one.kind == kind]
    outline = getattr(form, "outline", None)
    if not form.is_bound:
        outline = form.frame.outline() if form.frame else default_outline(kind)
    faults = [error for name in FRAME_KINDS[kind].dimensions for error in form.errors.get(name, ())]
    return {
        "form": form,
        "kind": kind,
        "other_kinds": [one for key, one in FRAME_KINDS.items() if key != kind and not form.frame],
        "presets": presets,
        "preset": form.data.get("preset", "" if form.frame else FRAME_KINDS[kind].preset),
        "outline": None if faults else outline,
        "faults": faults,
    }


def _missing(figures: list[Figures]) -> list[str]:
    """What must still be read before a plan can start; all three where nothing was read."""
    if not figures:
        return [Quantity.MASS.label, Quantity.BALANCE.label, Quantity.SWING.label]
    return figures[0].missing
