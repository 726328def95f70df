"""``{% places form as at %}``: where things stand in a method's set-up, as far as its form says."""

from django import template

from kentrobar.core.units import Unreadable, nominal, read_length
from kentrobar.measuring.forms import BOXES, MeasureForm

register = template.Library()


@register.simple_tag
def places(form: MeasureForm) -> dict[str, float]:
    found: dict[str, float] = {}
    for name in form.method.fields:
        if name in BOXES and BOXES[name][0] == "length":
            try:
                found[name] = read_length(form._text(name), form.shown.length).value
            except Unreadable:
                continue
    if "spacing_top" in found:
        found["spacing"] = found["spacing_top"]
    if form.figures and "balance_mm" in form.figures.found:
        found["balance"] = nominal(form.figures.found["balance_mm"].value)
    if form._text("hangs") == "level":
        found["level"] = 1
    return found
