"""Stock: what is on the shelf, what it weighs as weighed here, what it costs a gram, what is
left."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.ui import undo
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import shelf
from .forms import MaterialForm, MoveForm, WeighForm
from .models import Material, Weighing


@require_safe
def index(request: Request) -> HttpResponse:
    return render(request, "stock/index.html", {"materials": shelf.live()})


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    return _page(request, _material(pk))


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def edit(request: Request, pk: int | None = None) -> HttpResponse:
    material = _material(pk) if pk else None
    form = MaterialForm(request.POST or None, instance=material)
    if request.method == "POST" and form.is_valid():
        return redirect(form.save())
    context = {"form": form, "material": material}
    return render(request, "stock/edit.html", context, status=422 if form.errors else 200)


@require_POST
@stored_once
def weigh(request: Request, pk: int) -> HttpResponse:
    material = _material(pk)
    form = WeighForm(material, request.POST)
    if not form.is_valid():
        return _page(request, material, 422, weigh=form)
    form.save(request.user)
    return redirect(material)


@require_POST
@stored_once
def move(request: Request, pk: int) -> HttpResponse:
    material = _material(pk)
    form = MoveForm(material, request.POST)
    if not form.is_valid() or form.save(request.user) is None:
        return _page(request, material, 422, move=form)
    return redirect(material)


@require_POST
def archive(request: Request, pk: int) -> HttpResponse:
    """Archive a material; plans that name it stay as they are."""
    material = get_object_or_404(Material.live, pk=pk)
    undo.remove(request, material, str(material))
    return redirect("stock")


@require_POST
def drop(request: Request, pk: int) -> HttpResponse:
    """Take a weighing out again."""
    weighing = get_object_or_404(Weighing.objects.select_related("material"), pk=pk)
    weighing.delete()
    messages.success(request, f"Left out: {weighing}.")
    return redirect(weighing.material)


def _material(pk: int) -> Material:
    return get_object_or_404(Material.objects.prefetch_related("weighings"), pk=pk)


def _page(request: Request, material: Material, status: int = 200, **forms: object) -> HttpResponse:
    context = {
        "material": material,
        "per_length": material.per_length() if material.is_cut else None,
        "backing": material.backing_g_per_mm() if material.is_cut else None,
        "weigh": forms.get("weigh") or WeighForm(material),
        "move": forms.get("move") or MoveForm(material),
        "weighings": material.weighings.select_related("weighed_by")[:30],
        "movements": material.movements.select_related("moved_by")[:20],
    }
    return render(request, "stock/material.html", context, status=status)
