"""The boxes a method asks for: what each reads, in which unit, and what it offers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, assert_never

from django import forms

from kentrobar.core import units
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import Input, Method
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.reader import axis_text, digits, fixed, length_number, the_reader
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import Amount, told, unit_of
from kentrobar.frames.figures import Figures
from kentrobar.ui.fields import (
    QuantityField,
    axis_reader,
    balance_reader,
    length_reader,
    mass_reader,
)

from .models import Instrument

OF_AN_INSTRUMENT = ("offset", "axis", "drift")
"""Boxes an instrument fills in (``of_instrument``)."""


def boxes_of(method: type[Method], outline: Outline) -> dict[str, forms.Field]:
    """Every box of a method, by name."""
    found: dict[str, forms.Field] = {}
    if method.readings is not None:
        _, unit, example = method.readings
        rows = forms.Textarea(attrs={"rows": 2, "placeholder": example})
        found["readings"] = _box(readings_reader(unit), "readings", widget=rows)
    for one in method.all_inputs():
        if one.strung_only and not outline.is_strung:
            continue
        if one.choices:
            found[one.name] = forms.ChoiceField(
                choices=one.choices, label=one.label, required=one.is_needed
            )
            continue
        is_needed = one.is_needed and one in method.inputs
        box = _box(reader_of(one, outline), one.label, is_needed)
        box.widget.attrs["placeholder"] = one.hint
        found[one.name] = box
    return found | (timing_boxes() if method.is_timed else {})


def timing_boxes() -> dict[str, forms.Field]:
    """Taps, or a period, and how wide it swings."""
    text = partial(QuantityField, required=False)
    found: dict[str, forms.Field] = {
        "tap_times": forms.CharField(
            label="taps, s",
            required=False,
            max_length=60_000,
            widget=forms.Textarea(attrs={"rows": 1}),
        ),
        "period": text(units.read_seconds, label="or the period"),
        "taps_per_period": forms.ChoiceField(
            label="tapped at",
            choices=[("2", "every pass"), ("1", "every other pass")],
            required=False,
        ),
        "amplitude": text(units.read_degrees, label="swing at first"),
        "amplitude_end": text(units.read_degrees, label="and at last"),
        "goal": forms.FloatField(label="Stop when within ±", required=False, min_value=0.001),
        "recording": forms.IntegerField(required=False, widget=forms.HiddenInput),
    }
    hints = {"period": "1.382 ± 0.001 s", "amplitude": "how wide? 8°", "amplitude_end": "5°"}
    for name, hint in hints.items():
        found[name].widget.attrs["placeholder"] = hint
    return found


def _box(
    reader: Any, label: str, is_needed: bool = True, widget: forms.Widget | None = None
) -> QuantityField:
    box = QuantityField(reader, label=label, required=is_needed, max_length=4000, widget=widget)
    box.error_messages["required"] = f"{capital(label)}: still to be written."
    return box


def reader_of(one: Input, outline: Outline) -> Callable[[str], Typed]:
    """What reads an input's box, in the reader's unit. Raises UnreadableError."""
    if one.key == "axis_mm":
        return axis_reader(outline.length_mm)
    match one.holds:
        case "mass":
            return mass_reader()
        case "length":
            return length_reader()
        case "balance":
            return balance_reader(outline.length_mm)
        case "inertia" | "choice":
            return units.read_inertia
        case _:
            assert_never(one.holds)


def readings_reader(unit: str) -> Callable[[str], list[Typed]]:
    reader: Callable[[str], Typed] = {
        "g": mass_reader(),
        "mm": length_reader(),
    }.get(unit, units.read_inertia)
    return partial(units.read_many, reader=reader)


def offered(
    method: type[Method],
    outline: Outline,
    figures: Figures | None,
    instrument: Instrument | None,
) -> dict[str, Any]:
    """What the boxes say before anything was written."""
    values, length = figures.values if figures else {}, the_reader().length
    found: dict[str, Any] = {
        one.name: f"{length_number(mm)} {length}"
        for one in method.all_inputs()
        if one.offered and (mm := one.offered(outline)) is not None
    }
    found |= {
        "condition": figures.condition if figures else "",
        "axis": axis_text(the_reader().axis_mm(outline.kind)),
        "taps_per_period": "2",
        "hangs": "vertical",
        "goal": "0.1" if "twist_kgcm2" in method.gives else "1",
    }
    if "mass_g" in values:
        found["mass"] = _with_u("mass_g", values["mass_g"])
    if "balance_mm" in values:
        found["balance"] = _with_u("length", values["balance_mm"])
    if instrument is not None and not method.is_timed:
        found |= {"instrument": instrument.pk, "filled_for": str(instrument.pk)}
        found |= of_instrument(instrument)
    return found


def of_instrument(instrument: Instrument) -> dict[str, str]:
    """What an instrument fills in: a machine its axis and drift, a board its zero."""
    found = {}
    if instrument.axis_mm is not None:
        found["axis"] = axis_text(instrument.axis_mm)
    if instrument.offset_mm is not None:
        zero = told("length", instrument.offset_mm, bare=True)
        found["offset"] = f"{zero} ± {told('length', float(f'{instrument.zero_u():.2g}'))}"
    if instrument.kind == "machine":
        drift = instrument.drift()
        found["drift"] = (
            f"{fixed(drift.value, 2)} ± {digits(drift.u)}"
            if drift.value
            else f"0 ± {digits(drift.u)}"
        )
    return found


def _with_u(figure: str, value: Number) -> str:
    u, unit = uncertainty(value), unit_of(figure)
    text = Amount(figure, nominal(value)).number()
    if not u:
        return f"{text} {unit.key}"
    # Two digits where the first is small; a box is no place for more.
    two = digits(u / unit.size)
    short = two if two.lstrip("0.,")[:1] in "123" else digits(u / unit.size, 1)
    return f"{text} ± {short} {unit.key}"


def capital(text: str) -> str:
    return text[:1].upper() + text[1:]
