"""Small helps of the workshop's templates."""

from __future__ import annotations

from typing import Any

from django import forms, template
from django.utils.safestring import SafeString

register = template.Library()


@register.filter
def split(text: str) -> list[str]:
    return text.split()


@register.filter
def get(form: forms.Form, name: str) -> forms.BoundField:
    """One box of a form by its name."""
    return form[name]


@register.filter
def add_key(name: str, key: object) -> str:
    """The name of a box that belongs to one row: `photo-` and 12."""
    return f"{name}{key}"


@register.filter
def of_keys(known: dict[str, Any], keys: list[str]) -> list[Any]:
    """Those of a table that are asked for and there."""
    return [known[key] for key in keys if key in known]


@register.filter
def named(box: forms.BoundField, label: str) -> SafeString:
    """A box in a grid, where a column’s head says for the eye what a reader must be told."""
    return box.as_widget(attrs={"aria-label": label})
