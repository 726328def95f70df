"""Small helps every form here leans on, typed."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from decimal import Decimal
from functools import partial
from typing import Any

from django import forms

from kentrobar.core.errors import UnreadableError
from kentrobar.core.reader import marked, the_reader
from kentrobar.core.units import Typed, read_length, read_mass

_POINT = re.compile(r"(?<=\d)\.(?=\d)")


def choose(form: forms.BaseForm, name: str, choices: Iterable[tuple[Any, Any]]) -> None:
    """Give a box of choices its choices, or groups of them."""
    field = form.fields[name]
    assert isinstance(field, forms.ChoiceField)
    field.choices = list(choices)


class NumberBox(forms.TextInput):
    """A box that holds a number as the reader writes it."""

    def format_value(self, value: Any) -> str | None:
        text = super().format_value(value)
        return marked(text) if text and isinstance(value, int | float | Decimal) else text


def mark_examples(form: forms.BaseForm) -> None:
    """Write the numbers in hints and placeholders of a form, which are texts of ours, with the
    reader's decimal mark."""
    for field in form.fields.values():
        field.help_text = _POINT.sub(the_reader().decimal_mark, str(field.help_text))
        if placeholder := field.widget.attrs.get("placeholder"):
            field.widget.attrs["placeholder"] = _POINT.sub(
                the_reader().decimal_mark, str(placeholder)
            )


def with_commas(form: forms.BaseForm) -> None:
    """Let the plain numbers of a form be written with a decimal comma or a point, and those in mm
    or g in any unit: `1/4 in` of a box that says mm."""
    mark_examples(form)
    for name, field in form.fields.items():
        if isinstance(field, (forms.FloatField, forms.DecimalField)):
            reader = partial(_read_number, field.to_python, _in_unit_of(name))
            if name == "price":
                field.error_messages["invalid"] = "Write an amount: 45 or 45,50."
                reader = partial(_read_price, field.to_python)
            field.to_python = reader  # type: ignore[method-assign]
            # No keys of numbers alone: a fraction and a unit are typed here too.
            keys = {"inputmode": "text" if _in_unit_of(name) else "decimal"}
            named = {k: v for k, v in field.widget.attrs.items() if k == "aria-label"}
            field.widget = NumberBox(attrs=named | keys | {"autocomplete": "off"})


def _in_unit_of(name: str) -> Callable[[str], Typed] | None:
    """What reads a box by the unit its name ends in; None where it is a number of something
    else."""
    if name.endswith("_per_mm"):
        return None
    return {"mm": read_length, "g": read_mass}.get(name.rpartition("_")[2])


def _read_number(
    read: Callable[[Any], Any], in_unit: Callable[[str], Typed] | None, value: Any
) -> Any:
    if not isinstance(value, str):
        return read(value)
    try:
        return read(value.strip().replace(",", "."))
    except forms.ValidationError:
        if in_unit is None:
            raise
    try:
        return in_unit(value).value
    except UnreadableError as error:
        raise forms.ValidationError(str(error)) from None


def _read_price(read: Callable[[Any], Any], value: Any) -> Any:
    """`45`, `45,50`, `45 kr`, `1 234,50`, `1.234,50`: of two kinds of marks the last is the
    decimal one."""
    if not isinstance(value, str):
        return read(value)
    plain = re.sub(r"[^\d.,-]", "", value).rstrip(".,-")
    if "," in plain and "." in plain:
        plain = plain.replace("." if plain.rindex(".") < plain.rindex(",") else ",", "")
    return read(plain.replace(",", ".") if plain else value.strip())


def first_fault(form: forms.BaseForm, name: str) -> str:
    """The first thing wrong with a box, in words; '' where nothing is."""
    return str(next(iter(form.errors.get(name, ())), ""))
