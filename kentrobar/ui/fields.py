"""Form fields that read what people write: `11.3 oz`, `12 7/8 in`, `6 pts HL`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.reader import the_reader
from kentrobar.core.units import Typed
from kentrobar.core.written import unit_word

Reads = Callable[[str], Any]


class QuantityField(forms.CharField):
    """A text box read by one of the core's readers. Its clean value is a ``Typed``, or None if
    empty."""

    def __init__(self, reader: Reads, **kwargs: Any) -> None:
        kwargs.setdefault("max_length", 60)
        super().__init__(**kwargs)
        self.reader = reader
        # All keys: a fraction, a sign and a unit are typed here too.
        keys = {"inputmode": "text", "autocomplete": "off", "spellcheck": "false"}
        _, unit, _ = parts_of(reader)
        self.widget.attrs |= keys | ({"data-unit": unit_word(unit)} if unit else {})

    def clean(self, value: str) -> Typed | None:
        text = super().clean(value)
        if not text:
            return None
        try:
            return self.reader(text)
        except UnreadableError as error:
            raise forms.ValidationError(str(error)) from None


def mass_reader() -> Reads:
    """What reads a mass, a bare number in the reader's unit."""
    return partial(units.read_mass, default=the_reader().mass)


def length_reader() -> Reads:
    """What reads a length, a bare number in the reader's unit."""
    return partial(units.read_length, default=the_reader().length)


def balance_reader(length_mm: float) -> Reads:
    """What reads a balance on a frame, a bare number in the reader's unit, points or percent."""
    unit = the_reader().balance_unit
    return partial(units.read_balance, length_mm=length_mm, default=unit)


def axis_reader(length_mm: float) -> Reads:
    """What reads a swing axis of a frame, a bare number in the reader's unit."""
    return partial(units.read_axis, length_mm=length_mm, default=the_reader().length)


def parts_of(reader: Reads) -> tuple[str, str, Mapping[str, Any]]:
    """(name of the innermost reader, its unit of a bare number, all it was given)."""
    given: dict[str, Any] = {}
    while isinstance(reader, partial):
        given |= {name: one for name, one in reader.keywords.items() if name != "reader"}
        given |= {"repeats": 1} if reader.func is units.read_repeats else {}
        reader = reader.keywords.get("reader", reader.func)
    return getattr(reader, "__name__", ""), given.get("default", ""), given
