"""``{% places form as at %}``: where things stand in a method's set-up, as far as its form says."""

import contextlib
from datetime import datetime

from django import template
from django.utils import timezone
from django.utils.html import format_html
from django.utils.safestring import SafeString
from django.utils.timesince import timesince

from kentrobar.core import reader
from kentrobar.core.errors import UnreadableError
from kentrobar.core.numbers import nominal
from kentrobar.core.reader import the_reader
from kentrobar.core.units import read_length
from kentrobar.frames.models import Reading
from kentrobar.measuring.forms import MeasureForm
from kentrobar.measuring.outcome import result

register = template.Library()


@register.simple_tag
def places(form: MeasureForm) -> dict[str, float]:
    found: dict[str, float] = {}
    for one in form.method.inputs:
        if one.holds == "length":
            with contextlib.suppress(UnreadableError):
                found[one.name] = read_length(form.text_of(one.name), the_reader().length).value
    if "spacing_top" in found:
        found["spacing"] = found["spacing_top"]
    if form.figures and "balance_mm" in form.figures.found:
        found["balance"] = nominal(form.figures.found["balance_mm"].value)
    if form.text_of("hangs") == "level":
        found["level"] = 1
    return found


@register.filter
def as_read(reading: Reading) -> SafeString:
    """`11.284 ± 0.004 oz`: as it was written, else in the reader's unit."""
    if reading.typed:
        return format_html("<b>{}</b>", reading.typed)
    told = result(reading.quantity, reading.number())
    u = f"± {told.u} " if told.u else ""
    return format_html("<b>{}</b> <small>{}{}</small>", told.value, u, told.unit)


@register.filter
def digits(value: float, count: int = 3) -> str:
    """A number to so many digits, without zeros behind, with a true minus sign."""
    return reader.digits(value, count)


@register.filter
def signed(value: float, count: int = 2) -> str:
    return reader.digits(value, count, signed=True)


@register.filter
def age(when: datetime) -> str:
    """`3 days old`, `read just now`."""
    if (timezone.now() - when).total_seconds() < 90:
        return "read just now"
    return f"{timesince(when, depth=1)} old"
