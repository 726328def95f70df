"""Form boxes written straight into HTML.

A page of sixty boxes is two hundred small templates for Django, a third of the time it takes. What
stands most often on pages here is written by a function instead, to the same HTML as its template
(held by ``tests/web/test_drawing.py``); everything else still comes from its template.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any

from django.forms.renderers import TemplatesSetting
from django.utils.html import conditional_escape, escape
from django.utils.safestring import SafeString, mark_safe

from .understood import beside

Context = Mapping[str, Any]


def _attributes(attrs: Context) -> str:
    parts = []
    for name, value in attrs.items():
        if value is True:
            parts.append(f" {conditional_escape(name)}")
        elif value is not False:
            parts.append(f' {conditional_escape(name)}="{conditional_escape(str(value))}"')
    return "".join(parts)


_remembered = lru_cache(maxsize=4096)(escape)


def _escaped(text: str) -> str:
    """Escaped unless it is said to be safe; plain text once, as a list of hundreds says the same at
    each look."""
    return _remembered(text) if type(text) is str else conditional_escape(text)


def _input(context: Context) -> str:
    widget = context["widget"]
    kind, name, value = widget["type"], conditional_escape(widget["name"]), widget["value"]
    stands = "" if value is None else f' value="{conditional_escape(str(value))}"'
    return f'<input type="{kind}" name="{name}"{stands}{_attributes(widget["attrs"])}>'


def _textarea(context: Context) -> str:
    widget = context["widget"]
    name, text = conditional_escape(widget["name"]), conditional_escape(widget["value"] or "")
    return f'<textarea name="{name}"{_attributes(widget["attrs"])}>\n{text}</textarea>'


def _select(context: Context) -> str:
    widget = context["widget"]
    parts = [f'<select name="{conditional_escape(widget["name"])}"{_attributes(widget["attrs"])}>']
    for group, options, _ in widget["optgroups"]:
        if group:
            parts.append(f'<optgroup label="{conditional_escape(group)}">')
        for option in options:
            value, label = _escaped(str(option["value"])), _escaped(str(option["label"]))
            attrs = _attributes(option["attrs"]) if option["attrs"] else ""
            parts.append(f'<option value="{value}"{attrs}>{label}</option>')
        if group:
            parts.append("</optgroup>")
    return "".join([*parts, "</select>"])


def _field(context: Context) -> str:
    """A box with its label over it, what is understood and its hint under it, and what is wrong
    with it beside it."""
    field = context["field"]
    errors = field.errors
    marks = "field has-fault" if errors else "field"
    marks += " is-check" if field.widget_type == "checkbox" else ""
    label = f'<label for="{field.id_for_label}">{conditional_escape(field.label)}</label>'
    parts = [label, str(field)]
    heard = beside(field)
    if heard is not None:
        parts.append(
            f'<span class="understood" aria-live="polite">{conditional_escape(heard)}</span>'
        )
    if field.help_text:
        hint = conditional_escape(field.help_text)
        parts.append(f'<span class="hint" id="{field.auto_id}_helptext">{hint}</span>')
    if errors:
        fault, key = conditional_escape(errors[0]), field.id_for_label
        parts.append(f'<span class="fault" role="alert" id="{key}_error">{fault}</span>')
    inside = "".join(parts)
    if field.use_fieldset:
        inside = f"<fieldset>{inside}</fieldset>"
    return f'<div class="{marks}">{inside}</div>'


_INPUTS = ("input", "text", "number", "hidden", "email", "password", "checkbox", "file", "date")
WRITTEN: dict[str, Callable[[Context], str]] = {
    **{f"django/forms/widgets/{name}.html": _input for name in _INPUTS},
    "django/forms/widgets/textarea.html": _textarea,
    "django/forms/widgets/select.html": _select,
    "django/forms/field.html": _field,
}
"""By the name of the template each stands for."""


class Written(TemplatesSetting):
    """Boxes by a function where there is one, else by their template."""

    def render(
        self, template_name: str, context: dict[str, Any], request: Any = None
    ) -> SafeString:
        write = WRITTEN.get(template_name)
        if write is None:
            return mark_safe(super().render(template_name, context, request))
        return mark_safe(write(context))  # every part is escaped where it is put in
