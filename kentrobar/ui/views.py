"""What belongs to no single app: the reader's units, and pages that are not there."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import Http404, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.errors import UnreadableError
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.units import offered, read_axis
from kentrobar.ui.request import Request

from . import undo
from .models import Preferences
from .understood import answer


@require_safe
def understood(request: Request) -> HttpResponse:
    """What is typed in a box of a plain form, as it is read."""
    try:
        text = answer(request.GET.dict())
    except UnreadableError as error:
        return render(request, "_understood.html", {"fault": str(error)})
    except (KeyError, TypeError, ValueError):
        raise Http404("no such box") from None
    return render(request, "_understood.html", {"text": text})


@require_POST
def units(request: Request) -> HttpResponse:
    """One click in the bar: a unit of mass, length or balance, or the axis shown for a kind."""
    chosen: dict[str, object] = {}
    if request.POST.get("mass") in offered("mass"):
        chosen["mass"] = request.POST["mass"]
    if request.POST.get("length") in offered("length"):
        chosen |= {"length": request.POST["length"], "balance": "length"}
    if request.POST.get("balance") in ("pt", "%"):
        chosen["balance"] = request.POST["balance"]
    kind = request.POST.get("kind")
    if kind in FRAME_KINDS and request.POST.get("axis"):
        try:
            axis = round(read_axis(request.POST["axis"]).value, 3)
        except UnreadableError as error:
            messages.error(request, str(error))
        else:
            chosen["axes_mm"] = {**_axes_mm(request), kind: axis}
    if chosen:
        Preferences.objects.update_or_create(user=request.user, defaults=chosen)
    return HttpResponseRedirect(_back(request))


def _axes_mm(request: Request) -> dict[str, float]:
    found = Preferences.objects.filter(user=request.user).first()
    return found.axes_mm if found else {}


def _back(request: Request) -> str:
    back = request.POST.get("next", "")
    safe = url_has_allowed_host_and_scheme(back, {request.get_host()}, request.is_secure())
    return back if safe else "/"


@login_not_required
def not_found(request: Request, exception: Exception) -> HttpResponse:
    return render(request, "404.html", status=404)


@require_safe
def removed(request: Request) -> HttpResponse:
    """What was removed lately, each with its way back."""
    rows = [
        {
            "name": str(one),
            "kind": one._meta.verbose_name,
            "word": one.removed_word,
            "at": one.removed_at,
            "address": one.undo_address,
        }
        for one in undo.removed_lately()
    ]
    return render(request, "removed.html", {"removed": rows})


@require_POST
def restore(request: Request, label: str, pk: int) -> HttpResponse:
    """Put back what was removed, and go where it is."""
    model = next((one for one in undo.removables() if one._meta.label_lower == label), None)
    if model is None:
        raise Http404("nothing of this kind can be removed")
    found = get_object_or_404(model._base_manager, pk=pk)
    if not found.can_be_restored:
        raise Http404("what it belongs to is gone")
    found.restore()
    messages.success(request, f"{found} is back.")
    return redirect(found.get_absolute_url())
