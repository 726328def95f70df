"""What is on a frame: putting on, taking off, and what the frame reads with other things on."""

from __future__ import annotations

from functools import partial
from statistics import fmean, stdev
from typing import Any

from django import forms
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from kentrobar.core import units
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.units import Shown, show_mass
from kentrobar.ui import undo
from kentrobar.ui.fields import QuantityField
from kentrobar.ui.forms import choose
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .choices import Condition
from .figures import figures_in
from .models import FittedPart, Frame
from .shown import shown_figures

ONE_OF = (
    {"grip", "leather-grip"},
    {"strings"},
    {"overgrip"},
    {"dampener"},
    {"cap"},
    {"guard"},
    {"wrapper"},
)
"""Kinds of which a frame carries one: a new one takes the place of the old."""
SCALE_U = 0.1


def own_weighings(kind: str, name: str = "") -> tuple[float, float] | None:
    """(mean mass, one standard uncertainty of the next one) of parts of this kind weighed here, of
    the same type where there are any; None where none was."""
    weighed = FittedPart.objects.filter(kind=kind, is_weighed=True)
    same = weighed.filter(name__iexact=name) if name else weighed
    masses = list((same if same.exists() else weighed).values_list("mass_g", flat=True)[:50])
    if not masses:
        return None
    spread = stdev(masses) if len(masses) > 1 else 0.0
    # A few weighings of the same roll do not tell how much the next may differ.
    return fmean(masses), max(spread, 0.15 * PARTS[kind].mass_u, SCALE_U)


def _usually(kind: str) -> str:
    own = own_weighings(kind)
    low, _, high = PARTS[kind].grams
    return f"{own[0]:.1f} g as weighed here" if own else f"usually {low:g}–{high:g} g"


class PartForm(forms.Form):
    """Something put on a frame. Left empty, its mass is the usual one with a usual doubt."""

    kind = forms.ChoiceField(label="what")
    name = forms.CharField(label="type", max_length=60, required=False)
    since = forms.ChoiceField(
        label="since",
        choices=[("now", "just now"), ("before", "before it was read")],
        initial="now",
    )

    def __init__(self, frame: Frame, shown: Shown, data: Any = None) -> None:
        self.frame, self.shown = frame, shown
        super().__init__(data, auto_id="part-%s")
        choose(
            self,
            "kind",
            [
                (key, f"{kind.label}, {_usually(key)}")
                for key, kind in PARTS.items()
                if frame.kind in kind.frames
            ],
        )
        self.fields["name"].widget.attrs["placeholder"] = "multifilament, tacky, leather…"
        mass = partial(units.read_mass, default=shown.mass)
        length = partial(units.read_length, default=shown.length)
        self.fields["gauge"] = QuantityField(units.read_length, label="gauge, mm", required=False)
        self.fields["mass"] = QuantityField(mass, label="weighs", required=False)
        self.fields["pieces"] = forms.IntegerField(
            label="that many weighed together",
            required=False,
            min_value=1,
            max_value=1000,
            initial=1,
        )
        self.fields["from_mm"] = QuantityField(length, label="from", required=False)
        self.fields["to_mm"] = QuantityField(length, label="to", required=False)
        hints = {
            "gauge": "1.25",
            "mass": "as usual",
            "from_mm": "where it usually sits",
            "to_mm": "the same",
        }
        for name, hint in hints.items():
            self.fields[name].widget.attrs["placeholder"] = hint

    @property
    def boxes(self) -> list[forms.BoundField]:
        names = ("kind", "name", "gauge", "mass", "pieces", "from_mm", "to_mm", "since")
        return [self[name] for name in names]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        start, end, length = cleaned.get("from_mm"), cleaned.get("to_mm"), self.frame.length_mm
        for name, typed in (("from_mm", start), ("to_mm", end)):
            if typed is not None and not 0 <= typed.value <= length:
                self.add_error(
                    name, f"{typed.text} lies off the frame, 0…{length:g} mm from the butt."
                )
        if (start is None) != (end is None):
            self.add_error(
                "to_mm" if end is None else "from_mm", "Write where it begins and where it ends."
            )
        elif start is not None and end is not None and end.value < start.value:
            self.add_error("to_mm", f"{end.text} is before its beginning, {start.text}.")
        mass = cleaned.get("mass")
        if mass is not None and not 0 < mass.value / (cleaned.get("pieces") or 1) < 200:
            self.add_error(
                "mass", f"{mass.text}: a part weighs more than nothing and less than 200 g."
            )
        return cleaned

    def save(self) -> FittedPart:
        """Put it on; what it takes the place of comes off."""
        cleaned, now = self.cleaned_data, timezone.now()
        kind, typed = PARTS[cleaned["kind"]], cleaned["mass"]
        count = cleaned.get("pieces") or 1
        if typed:
            mass, u = typed.value / count, (SCALE_U if typed.u is None else typed.u) / count
        else:
            mass, u = own_weighings(cleaned["kind"], cleaned["name"]) or (
                kind.grams[1],
                kind.mass_u,
            )
        is_new = cleaned["since"] == "now"
        together = next((ones for ones in ONE_OF if cleaned["kind"] in ones), set())
        with transaction.atomic():
            old = self.frame.parts.filter(kind__in=together, taken_off_at=None)
            replaced = list(old.values_list("pk", flat=True)) if is_new else []
            part = FittedPart.objects.create(
                frame=self.frame,
                kind=cleaned["kind"],
                name=cleaned["name"],
                gauge_mm=cleaned["gauge"].value if cleaned["gauge"] else None,
                mass_g=mass,
                u_g=u,
                is_weighed=typed is not None,
                from_mm=cleaned["from_mm"].value if cleaned["from_mm"] else None,
                to_mm=cleaned["to_mm"].value if cleaned["to_mm"] else None,
                put_on_at=now if is_new else None,
            )
            FittedPart.objects.filter(pk__in=replaced).update(taken_off_at=now, replaced_by=part)
        return part


@require_http_methods(["GET", "POST"])
@stored_once
def index(request: Request, pk: int) -> HttpResponse:
    """What is on a frame. POST puts something on."""
    frame = get_object_or_404(Frame.live, pk=pk)
    form = PartForm(frame, request.shown, request.POST or None)
    if request.method == "POST" and form.is_valid():
        part = form.save()
        address = reverse("part-forget", args=[part.pk])
        undo.offer(request, f"On it: {part}, {show_mass(part.mass_g)} g.", address)
        return redirect("frame-parts", pk)
    latest, parts = frame.latest(), frame.all_parts()
    figures = [figures_in(frame, condition, latest, parts) for condition in Condition.values]
    context = {
        "frame": frame,
        "kind": frame.kind,
        "form": form,
        "on": [part for part in parts if part.taken_off_at is None],
        "off": [part for part in parts if part.taken_off_at is not None][-8:],
        "conditions": [shown_figures(frame, one, request.shown) for one in figures if one.found],
        "outline": frame.outline(),
    }
    return render(request, "frames/parts.html", context, status=422 if form.errors else 200)


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
        part.replaces.update(taken_off_at=None, replaced_by=None)
        part.delete()
    return redirect("frame-parts", part.frame_id)


@require_POST
def back_on(request: Request, pk: int) -> HttpResponse:
    """Take back a taking off."""
    part = get_object_or_404(FittedPart, pk=pk)
    FittedPart.objects.filter(pk=pk).update(taken_off_at=None, replaced_by=None)
    return redirect("frame-parts", part.frame_id)
