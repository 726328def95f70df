"""What is printed at the counter: a job's ticket, and a label for each frame. Their codes open the
page of the job, or of the frame, in whatever camera looks at them."""

from __future__ import annotations

from typing import Any

import segno
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe
from django.views.decorators.http import require_safe

from kentrobar.frames.models import Frame
from kentrobar.shop.middleware import to_customer
from kentrobar.ui.request import Request

from .models import Job
from .paper import paper, size_mm, size_name
from .players import language_of

LABEL_MM = (70.0, 37.0)


def code(request: Request, address: str) -> SafeString:
    """A code that opens a page of this workshop, as a drawing in the page."""
    link = request.build_absolute_uri(address)
    drawn: str = segno.make(link, error="m", micro=False).svg_inline(
        omitsize=True, border=2, svgclass="code", lineclass=None
    )
    return mark_safe(drawn)  # drawn by the library out of squares alone


@require_safe
def ticket(request: Request, pk: int) -> HttpResponse:
    """A job on paper, to go with the frames."""
    job = get_object_or_404(Job.live.select_related("person"), pk=pk)
    context = {
        "job": job,
        "taken_in": job.taken_in.select_related("frame"),
        "code": code(request, job.get_absolute_url()),
    }
    with to_customer(language_of(job.person)):
        html = render_to_string("workshop/ticket_paper.html", context, request)
    return paper(request, html, f"ticket {job.person}")


@require_safe
def of_job(request: Request, pk: int) -> HttpResponse:
    """A label for every frame of a job, several a sheet."""
    job = get_object_or_404(Job.live.select_related("person"), pk=pk)
    taken = job.taken_in.select_related("frame__player")
    return _sheet(request, [one.frame for one in taken], f"labels {job.person}")


@require_safe
def of_frame(request: Request, pk: int) -> HttpResponse:
    frame = get_object_or_404(Frame.live, pk=pk)
    return _sheet(request, [frame], f"label {frame}")


def _sheet(request: Request, frames: list[Frame], name: str) -> HttpResponse:
    """Labels begin after those that were used of the sheet already: ``?after=4``."""
    text = request.GET.get("after", "")
    width, height = size_mm()
    by_page = int(width // LABEL_MM[0]) * int(height // LABEL_MM[1])
    after = int(text) % by_page if text.isdecimal() and len(text) < 4 else 0
    labels: list[dict[str, Any] | None] = [None] * after
    labels += [
        {"frame": frame, "code": code(request, frame.get_absolute_url())} for frame in frames
    ]
    pages = [labels[at : at + by_page] for at in range(0, len(labels), by_page)]
    context = {"pages": pages, "paper_size": size_name()}
    html = render_to_string("workshop/labels_paper.html", context, request)
    return paper(request, html, name)
