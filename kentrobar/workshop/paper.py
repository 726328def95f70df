"""Pages of HTML as PDF: bench sheets and cards."""

from __future__ import annotations

from threading import Thread
from typing import Any

from django.http import HttpResponse
from django.utils.text import slugify

from kentrobar import __version__
from kentrobar.shop.models import Settings

SIZES = {"a4": ("A4", (210.0, 297.0)), "letter": ("letter", (215.9, 279.4))}
"""By key of the setting: the name printers know, and width and height in mm."""


def size_name() -> str:
    """The sheet of paper this workshop prints on."""
    return SIZES[Settings.load().paper][0]


def size_mm() -> tuple[float, float]:
    """Its width and height, upright, mm."""
    return SIZES[Settings.load().paper][1]


MADE_WITH = f"Kentrobar {__version__}"


def paper(html: str, name: str) -> HttpResponse:
    """A page of HTML as PDF."""
    return HttpResponse(
        _pdf(html),
        content_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="{slugify(name) or "kentrobar"}.pdf"'},
    )


def get_ready() -> None:
    """Load what makes paper beside a worker's first pages: it takes a second, which nobody should
    wait for."""
    Thread(
        target=_pdf, args=('<html lang="en"><p>Kentrobar</p></html>',), name="paper", daemon=True
    ).start()


def _pdf(html: str) -> bytes:
    # Loaded where it is needed: commands that print nothing start without it.
    from weasyprint import HTML

    html = html.replace("<head>", f'<head><meta name="generator" content="{MADE_WITH}">', 1)
    made: bytes = HTML(string=html, base_url=None, url_fetcher=_nothing).write_pdf(
        pdf_tags=True  # headings, lists and tables are read aloud as such
    )
    return made


def _nothing(url: str, *_: Any, **__: Any) -> dict[str, Any]:
    """Paper is made of what the page itself holds: nothing is fetched."""
    raise ValueError(f"{url} is not fetched for paper")
