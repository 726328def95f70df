"""What a box of a quantity was read as, said beside it: `12 7/8` → `= 327.0 mm`.

A page that is answered while one types draws it with its boxes; the boxes of a plain form ask for
it when they are left (``let_ask``).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.urls import reverse

from kentrobar.core import units
from kentrobar.core.pieces import stringing
from kentrobar.core.reader import fixed
from kentrobar.core.units import LENGTH, MASS, Typed
from kentrobar.core.words.amounts import unit_of

from .fields import QuantityField, Reads, parts_of
from .forms import mark_examples

READERS: dict[str, Callable[..., Any]] = {
    one.__name__: one
    for one in (
        units.read_mass, units.read_length, units.read_axis, units.read_balance, units.read_inertia,
        units.read_seconds, units.read_degrees, units.read_hole,
        stringing.read_gauge,
    )
}  # fmt: skip
NUMBER = re.compile(r"[-+−]?\s*(?:\d+(?:[.,]\d+)?|[.,]\d+)\s*(?P<unit>[^\d.,±/+-]*)")
LONGEST = 4000
DEFAULTS = {*MASS, *LENGTH, "pt", "%"}


def said(typed: Any, reader: Reads) -> str:
    """`= 327.0 mm`, `= 305.3 ± 0.3 g, the mean of 3`; '' where that is what was typed."""
    if not isinstance(typed, Typed):
        return ""
    base, default, _ = parts_of(reader)
    factor, unit, places = _unit(base)
    if base == "read_inertia" and abs(typed.value) < 100:
        places = 2  # a twist weight
    plain = NUMBER.fullmatch(typed.text.split("±")[0].strip())
    written = (plain["unit"].strip().lower() or default or unit) if plain else ""
    if written == unit and typed.count == 1:
        return ""
    spread = f" ± {fixed(typed.u / factor, places)}" if typed.u else ""
    mean = f", the mean of {typed.count}" if typed.count > 1 else ""
    return f"= {fixed(typed.value / factor, places)}{spread} {unit}".rstrip() + mean


def _unit(base: str) -> tuple[float, str, int]:
    """(what a figure in the core's unit is divided by, the unit it is said in, decimals)."""
    match base:
        case "read_mass" | "read_length" | "read_axis" | "read_balance":
            unit = unit_of("mass_g" if base == "read_mass" else "length")
            return unit.size, unit.key, unit.places
        case "read_inertia":
            return 1.0, "kg·cm²", 1
        case "read_seconds":
            return 1.0, "s", 4
        case "read_degrees":
            return 1.0, "°", 1
        case "read_gauge":
            return 1.0, "mm", 2
        case _:
            return 1.0, "", 2


def _is_of_many(reader: Reads) -> bool:
    return isinstance(reader, partial) and reader.func is units.read_many


def beside(bound: forms.BoundField) -> str | None:
    """What is said beside a box of a form that was sent; '' before, and None where it holds no
    quantity."""
    field, form = bound.field, bound.form
    if not isinstance(field, QuantityField):
        return None
    if not form.is_bound or bound.errors or bound.name not in form.changed_data:
        return ""
    typed = form.cleaned_data.get(bound.name)
    return said(typed, field.reader)


def let_ask(form: forms.BaseForm) -> None:
    """Let the boxes of a plain form ask what they are read as; not those of many figures, which a
    page shows one by one."""
    mark_examples(form)
    for field in form.fields.values():
        if not isinstance(field, QuantityField) or _is_of_many(field.reader):
            continue
        base, _, given = parts_of(field.reader)
        if base in READERS:
            query = urlencode({"reads": base} | dict(given))
            field.widget.attrs |= {
                "hx-get": f"{reverse('understood')}?{query}", "hx-trigger": "change",
                "hx-target": "next .understood", "hx-swap": "innerHTML", "hx-sync": "this:replace",
            }  # fmt: skip


def answer(asked: Mapping[str, str]) -> str:
    """What the text of a box that asks is read as. Raises KeyError for a reader there is not, and
    UnreadableError."""
    reader: Reads = READERS[asked["reads"]]
    given: dict[str, Any] = {}
    if asked.get("default") in DEFAULTS:
        given["default"] = asked["default"]
    if "length_mm" in asked:
        given["length_mm"] = float(asked["length_mm"])
    reader = partial(reader, **given)
    if "repeats" in asked:
        reader = partial(units.read_repeats, reader=reader)
    known = ("reads", "default", "length_mm", "repeats")
    text = next((one for name, one in asked.items() if name not in known), "")[:LONGEST].strip()
    return said(reader(text), reader) if text else ""
