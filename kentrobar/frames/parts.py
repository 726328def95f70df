"""What is on a frame: putting on, taking off, and what the frame reads with other things on."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.grip_size import MUCH_SIZES, SIZE_MM, girth_mm
from kentrobar.core.pieces.parts import PARTS, usual_piece
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.reader import fixed
from kentrobar.core.words.amounts import told
from kentrobar.ui import undo
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import fitted
from .figures import figures_in, not_noted
from .models import FittedPart, Frame
from .part_forms import PartForm
from .products import UNNOTED, products
from .shown import shown_figures


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def index(request: Request, pk: int) -> HttpResponse:
    """What is on a frame. POST puts something on."""
    frame = get_object_or_404(Frame.live, pk=pk)
    form = PartForm(frame, request.POST or None)
    if request.method == "POST" and form.is_valid():
        part = form.save()
        address = reverse("part-forget", args=[part.pk])
        off = ", ".join(f"{old}, {told('mass_g', old.mass_g, 1)}" for old in part.replaces.all())
        instead = f" Off: {off}." if off else ""
        grip = _grip(part, frame)
        undo.offer(
            request, f"On it: {part}, {told('mass_g', part.mass_g, 1)}.{instead}{grip}", address
        )
        return redirect("frame-parts", pk)
    latest, parts = frame.latest(), frame.all_parts()
    figures = [
        fitted.brought(frame, figures_in(frame, condition, latest, parts))
        for condition, _ in frame.conditions()
    ]
    context = {
        "frame": frame,
        "kind": frame.kind,
        "form": form,
        "on": [part for part in parts if part.taken_off_at is None],
        "off": [part for part in parts if part.taken_off_at is not None][-8:],
        "conditions": [shown_figures(frame, one) for one in figures if one.found],
        "not_known": [
            (one.label, [PARTS[kind].label for kind in lacking])
            for one in figures
            if not one.found and latest and (lacking := not_noted(frame, one.condition, parts))
        ],
        "outline": frame.outline(),
        "products": products(),
    }
    return render(request, "frames/parts.html", context, status=422 if form.errors else 200)


def _wound(part: FittedPart, outline: Outline) -> float:
    """What a part adds round the handle, mm; 0 of one that is not wound there."""
    piece = usual_piece(part.kind, outline, part.mass_g)
    if not isinstance(piece, Sleeve):
        return 0.0
    length = (part.to_mm or piece.to_mm) - (part.from_mm or piece.from_mm)
    return girth_mm(PARTS[part.kind].label, part.mass_g, length, outline)


def _grip(part: FittedPart, frame: Frame) -> str:
    """What a part does to the size of the grip, less what it took the place of; '' where
    nothing."""
    outline = frame.outline()
    added = _wound(part, outline) - sum(_wound(old, outline) for old in part.replaces.all())
    sizes = added / SIZE_MM
    if abs(sizes) < 0.1:
        return ""
    much = ": more than half a size" if abs(sizes) > MUCH_SIZES else ""
    wider = told("length", added, 1, signed=True)
    return f" The handle is {wider} round, {fixed(sizes, 1, True)} of a grip size{much}."


@require_POST
def take_off(request: Request, pk: int) -> HttpResponse:
    part = get_object_or_404(FittedPart, pk=pk, taken_off_at=None)
    FittedPart.objects.filter(pk=pk).update(taken_off_at=timezone.now())
    undo.offer(request, f"Taken off: {part}.", reverse("part-back-on", args=[pk]))
    return redirect("frame-parts", part.frame_id)


@require_POST
def forget(request: Request, pk: int) -> HttpResponse:
    """Take back a putting on: the part is forgotten, what it replaced is on again."""
    part = get_object_or_404(FittedPart, pk=pk)
    with transaction.atomic():
        # What was noted only because it came off is as unknown again as it was.
        part.replaces.filter(name=UNNOTED, put_on_at=None).delete()
        part.replaces.update(taken_off_at=None, replaced_by=None)
        part.delete()
    return redirect("frame-parts", part.frame_id)


@require_POST
def back_on(request: Request, pk: int) -> HttpResponse:
    """Take back a taking off."""
    part = get_object_or_404(FittedPart, pk=pk)
    FittedPart.objects.filter(pk=pk).update(taken_off_at=None, replaced_by=None)
    return redirect("frame-parts", part.frame_id)
