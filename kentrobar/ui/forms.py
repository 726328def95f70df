"""Small helps every form here leans on, typed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django import forms


def choose(form: forms.BaseForm, name: str, choices: Iterable[tuple[Any, str]]) -> None:
    """Give a box of choices its choices."""
    field = form.fields[name]
    assert isinstance(field, forms.ChoiceField)
    field.choices = list(choices)


def first_fault(form: forms.BaseForm, name: str) -> str:
    """The first thing wrong with a box, in words; '' where nothing is."""
    return str(next(iter(form.errors.get(name, ())), ""))
