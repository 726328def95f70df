"""The shop's logo, made small and kept as a plain picture."""

from __future__ import annotations

import base64
import io

from django.contrib import messages
from django.core.files.uploadedfile import UploadedFile
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from kentrobar.core.errors import UnreadableError
from kentrobar.ui.pictures import made_small
from kentrobar.ui.request import Request

from .models import Logo

LARGEST_PX = (600, 200)
MOST_BYTES = 10_000_000


@require_POST
def logo(request: Request) -> HttpResponse:
    """Take a picture as the shop's logo, or put the one there is away."""
    if "drop" in request.POST:
        Logo.objects.all().delete()
        messages.success(request, "No mark on paper any more.")
        return redirect("settings")
    file = request.FILES.get("logo")
    if not isinstance(file, UploadedFile):
        messages.error(request, "Choose the picture first.")
        return redirect("settings")
    try:
        png = small(file)
    except UnreadableError as error:
        messages.error(request, str(error))
    else:
        Logo.objects.update_or_create(pk=1, defaults={"png": png})
        messages.success(request, "Cards, sheets and tickets carry it from now on.")
    return redirect("settings")


def small(file: UploadedFile) -> bytes:
    """A picture as a PNG no larger than paper needs. Raises UnreadableError where it is none."""
    out = io.BytesIO()
    made_small(file, LARGEST_PX, MOST_BYTES).convert("RGBA").save(out, "PNG", optimize=True)
    return out.getvalue()


def address() -> str:
    """The mark as an address that holds it; empty where there is none."""
    found = Logo.objects.first()
    if found is None:
        return ""
    return "data:image/png;base64," + base64.b64encode(bytes(found.png)).decode()
