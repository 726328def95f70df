"""Pages of HTML as PDF: bench sheets and cards. Made by a worker, so that what draws them is not
loaded by those who answer pages."""

from __future__ import annotations

import hashlib
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.text import slugify

from kentrobar import __version__
from kentrobar.core.recipes.solve import Watch
from kentrobar.shop.models import Settings
from kentrobar.ui import background
from kentrobar.ui.request import Request

from .models import Paper

SIZES = {"a4": ("A4", (210.0, 297.0)), "letter": ("letter", (215.9, 279.4))}
"""Paper sizes by setting: CSS name, (width, height) in mm."""


def size_name() -> str:
    """The sheet of paper this workshop prints on."""
    return SIZES[Settings.load().paper][0]


def size_mm() -> tuple[float, float]:
    """Its width and height, upright, mm."""
    return SIZES[Settings.load().paper][1]


MADE_WITH = f"Kentrobar {__version__}"


PATIENCE_S = 5.0
"""How long a page waits for its paper before it says that it is being made, and asks again."""


def paper(request: Request, html: str, name: str) -> HttpResponse:
    """A page of HTML as PDF; a page that asks again by itself where it takes long."""
    digest = hashlib.sha256(html.encode()).hexdigest()
    row, _ = Paper.objects.get_or_create(digest=digest, defaults={"content": {"html": html}})
    if not row.pdf and not row.is_working:
        background.start(row, draw, PATIENCE_S)
    if row.pdf:
        named = f'inline; filename="{slugify(name) or "kentrobar"}.pdf"'
        return HttpResponse(
            bytes(row.pdf), content_type="application/pdf", headers={"Content-Disposition": named}
        )
    is_broken = row.status == Paper.Status.FAILED
    answer = render(
        request, "workshop/paper.html", {"row": row, "name": name, "is_broken": is_broken},
        status=500 if is_broken else 202,
    )  # fmt: skip
    if not is_broken:
        answer["Refresh"] = "1"
    return answer


@background.work("paper", Paper, background.PAPER)
def draw(row: Paper) -> background.Prepared:
    def drawn(watch: Watch) -> dict[str, Any]:
        Paper.objects.filter(pk=row.pk).update(pdf=_pdf(row.content["html"]))
        return {}

    return drawn, background.nothing_yet


def _pdf(html: str) -> bytes:
    # Loaded where it is needed: commands that print nothing start without it.
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher

    html = html.replace("<head>", f'<head><meta name="generator" content="{MADE_WITH}">', 1)
    # Paper is made of what the page itself holds; the shop's logo stands in its address.
    held = URLFetcher(allowed_protocols=("data",), allow_redirects=False)
    made: bytes = HTML(string=html, base_url=None, url_fetcher=held).write_pdf(
        pdf_tags=True  # headings, lists and tables are read aloud as such
    )
    return made
