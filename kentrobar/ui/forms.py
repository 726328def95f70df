"""Small helps every form here leans on, typed."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import Any

from django import forms


def choose(form: forms.BaseForm, name: str, choices: Iterable[tuple[Any, str]]) -> None:
    """Give a box of choices its choices."""
    field = form.fields[name]
    assert isinstance(field, forms.ChoiceField)
    field.choices = list(choices)


def with_commas(form: forms.BaseForm) -> None:
    """Let the plain numbers of a form be written with a decimal comma or a point."""
    for field in form.fields.values():
        if isinstance(field, (forms.FloatField, forms.DecimalField)):
            field.to_python = partial(_read_number, field.to_python)  # type: ignore[method-assign]
            field.widget = forms.TextInput(attrs={"inputmode": "decimal", "autocomplete": "off"})


def _read_number(read: Callable[[Any], Any], value: Any) -> Any:
    return read(value.strip().replace(",", ".") if isinstance(value, str) else value)


def first_fault(form: forms.BaseForm, name: str) -> str:
    """The first thing wrong with a box, in words; '' where nothing is."""
    return str(next(iter(form.errors.get(name, ())), ""))
