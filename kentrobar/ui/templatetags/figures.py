"""Core values in the reader's units: ``{{ mm|length:shown }}``, ``{% shown_axis shown kind %}``."""

from django import template

from kentrobar.core import units
from kentrobar.core.units import Shown

register = template.Library()


@register.filter
def length(mm: float, shown: Shown) -> str:
    return f"{units.show_length(mm, shown.length)} {shown.length}"


@register.simple_tag
def shown_axis(shown: Shown, kind: str) -> float | int:
    """The axis this kind of frame is shown about, mm; a whole number without its decimal."""
    mm = shown.axis_mm(kind)
    return int(mm) if mm == int(mm) else mm
