"""``{% slot "frame-plans" frame %}``, ``{% strip %}`` and ``{{ "balance"|meaning }}``."""

from __future__ import annotations

from typing import Any

from django import template
from django.template.loader import render_to_string
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from kentrobar.core.reader import duration, fixed, length_text, mass_text, the_reader, trimmed
from kentrobar.core.words.amounts import told
from kentrobar.ui import regions, stale, undo, words
from kentrobar.ui.slots import fillings
from kentrobar.ui.understood import beside

register = template.Library()


@register.filter
def number(value: float | None, places: int) -> str:
    """A number as the reader writes it: with ``places`` decimals, of a negative count at most so
    many."""
    if value is None or value == "":
        return ""
    return fixed(float(value), places) if places >= 0 else trimmed(float(value), -places)


@register.simple_tag
def reader_axis(kind: str) -> float | int:
    """The swing axis of this kind of frame, mm; a whole number without its decimal."""
    mm = the_reader().axis_mm(kind)
    return int(mm) if mm == int(mm) else mm


@register.simple_tag(takes_context=True)
def slot(context: template.Context, name: str, about: Any = None) -> SafeString:
    """Everything that fills a slot, about one thing."""
    request = context["request"]
    parts = []
    for filling in fillings(name):
        found = filling.context(request, about)
        if found is not None:
            parts.append(render_to_string(filling.template, found, request))
    return mark_safe("".join(parts))  # each part comes out of a template, which has escaped it


register.simple_tag(regions.drawn)


@register.simple_tag
def seen(row: Any) -> SafeString:
    """The box that says what a row was like when its form was shown (``stale.py``)."""
    if row is None or row.pk is None:
        return mark_safe("")
    now = type(row)._base_manager.filter(pk=row.pk).first()
    if now is None:
        return mark_safe("")
    box = '<input type="hidden" name="{}" value="{}">'
    return mark_safe(format_html(box, stale.FIELD, stale.seen(now)))  # escaped by format_html


register.filter("meaning", words.meaning)
register.filter("understood", beside)
register.filter("duration", duration)
register.filter("in_length", length_text)
register.filter("in_mass", mass_text)


@register.filter
def weighs(grams: float, u: float | None = None) -> str:
    """What a thing weighs, and how surely: `16.6 ± 0.3 g`."""
    if u is None:
        return told("mass_g", grams, 1)
    return f"{told('mass_g', grams, 1, bare=True)} ± {told('mass_g', float(f'{u:.2g}'))}"


@register.filter
def to(start_mm: float, end_mm: float) -> str:
    """A stretch along the frame: `8–38 mm`."""
    return f"{told('length', start_mm, bare=True)}–{told('length', end_mm)}"


@register.inclusion_tag("_strip.html", takes_context=True)
def strip(context: template.Context) -> dict[str, Any]:
    """Over every page about one frame: the job it is in, and its views in working order."""
    plan, frame = context.get("plan"), context.get("frame")
    if plan is not None and getattr(plan, "frame_id", None) and plan.pk:
        frame = plan.frame
    else:
        plan = None
    if not getattr(frame, "pk", None) or not hasattr(frame, "serial"):
        return {}
    tabs = context["frame_views"].tabs(frame, plan)
    # What is missing first in the order of the work; where that has no page yet, where it begins.
    lacking = next((i for i, tab in enumerate(tabs) if tab.lacks), None)
    shown = [tab for tab in tabs[: (lacking or 0) + 1] if tab.href]
    return {
        "request": context["request"],
        "frame": frame,
        "tabs": tabs,
        "next": shown[-1] if lacking is not None and not shown[-1].is_here else None,
    }


@register.filter
def undo_address(message: Any) -> str:
    """Where a message's Undo posts to; '' where it has none."""
    return undo.address_of(message)
