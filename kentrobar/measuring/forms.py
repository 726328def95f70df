"""The form of one measurement: what a method asks for, read into a ``kentrobar-reading/1``
document."""

from __future__ import annotations

import contextlib
import math
import re
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any, assert_never

from django import forms
from django.utils import timezone

from kentrobar.core import units
from kentrobar.core.errors import Fault, Unreadable
from kentrobar.core.frame.plausibility import Doubt
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.typical import typical
from kentrobar.core.io.readings import READING_FORMAT, expected, reading_of, reduced
from kentrobar.core.measure.method import Input, Measurement, Method, RawReading
from kentrobar.core.measure.registry import REPORTED, key_of
from kentrobar.core.measure.sample import SetAside
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.units import Shown, Typed, show_length, show_mass
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Condition, Figures, Frame, Reading
from kentrobar.ui.fields import QuantityField

from .models import Instrument, Recording

LEAST_JITTER_S = 1e-4
AMPLITUDE_U = 0.2
"""Share of itself an amplitude judged by eye is uncertain by."""
AMPLITUDES = {"amplitude": "amplitude_deg", "amplitude_end": "amplitude_end_deg"}
TIMING_KEYS = {"tap_times": "tap_times_s", "period": "period_s"} | AMPLITUDES


class MeasureForm(forms.Form):
    """One measurement of a frame by one method.

    Valid, it holds ``document`` (the raw reading), ``reading`` and ``measurement``; ``doubts`` are
    what its figures raise beside what is known of the frame.
    """

    condition = forms.ChoiceField(choices=Condition.choices, label="read")
    instrument = forms.ModelChoiceField(Instrument.live.none(), label="with", required=False)
    set_aside = forms.CharField(
        label="set aside",
        required=False,
        max_length=1000,
        widget=forms.Textarea(attrs={"rows": 1, "placeholder": "3 the door slammed"}),
    )
    read_at = forms.DateTimeField(
        label="read at",
        required=False,
        widget=forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M"),
    )
    confirm = forms.BooleanField(required=False, label="it is right, keep it")
    reason = forms.CharField(label="why it is corrected", max_length=100, required=False)

    def __init__(
        self,
        frame: Frame,
        method: type[Method],
        shown: Shown,
        data: Any = None,
        figures: Figures | None = None,
        entry: dict[str, str] | None = None,
        instruments: list[Instrument] | None = None,
        recording: Recording | None = None,
        is_correction: bool = False,
    ) -> None:
        self.frame, self.method, self.shown = frame, method, shown
        self.method_key = key_of(method)
        self.outline, self.figures, self.recording = frame.outline(), figures, recording
        self.is_correction = is_correction
        self.document: dict[str, Any] = {}
        self.reading: RawReading | None = None
        self.measurement: Measurement | None = None
        self.doubts: list[Doubt] = []
        self.instruments = instruments or []
        super().__init__(data, auto_id="m-%s")
        self._make_fields()
        self.initial = self._defaults() | {
            k: v for k, v in (entry or {}).items() if k in self.fields
        }

    # --- the boxes ---

    def _make_fields(self) -> None:
        if self.method.readings is not None:
            _, _, example = self.method.readings
            self.fields["readings"] = self._box(self._readings_reader(), "readings", 4000)
            self.fields["readings"].widget = forms.Textarea(
                attrs={"rows": 2, "autocomplete": "off", "placeholder": example}
            )
        for one in self.method.all_inputs():
            if one.choices:
                self.fields[one.name] = forms.ChoiceField(choices=one.choices, label=one.label)
                continue
            is_needed = one.is_needed and one in self.method.inputs
            box = self._box(self._reader(one), one.label, 4000, is_needed)
            box.widget.attrs["placeholder"] = one.hint
            self.fields[one.name] = box
        if self.method.is_timed:
            self._make_timing()
        parts = [part for part in self.frame.all_parts() if part.was_on(None)]
        if parts:
            self.fields["without"] = forms.MultipleChoiceField(
                label="was off this time",
                required=False,
                choices=[(str(part.pk), str(part)) for part in parts],
                widget=forms.CheckboxSelectMultiple,
            )
        field = self.fields["instrument"]
        assert isinstance(field, forms.ModelChoiceField)
        field.queryset = Instrument.live.filter(kind=self.method.instrument)
        field.empty_label = "a hand and an eye" if self.method.is_timed else "none of mine"
        if not self.is_correction:
            del self.fields["reason"]

    def _box(self, reader: Any, label: str, longest: int, is_needed: bool = True) -> QuantityField:
        box = QuantityField(reader, label=label, required=is_needed, max_length=longest)
        box.error_messages["required"] = f"{_capital(label)}: still to be written."
        return box

    def _make_timing(self) -> None:
        text = partial(QuantityField, required=False)
        self.fields["tap_times"] = forms.CharField(
            label="taps, s",
            required=False,
            max_length=60_000,
            widget=forms.Textarea(attrs={"rows": 1}),
        )
        self.fields["period"] = text(units.read_seconds, label="or the period")
        self.fields["period"].widget.attrs["placeholder"] = "1.382 ± 0.001 s"
        self.fields["taps_per_period"] = forms.ChoiceField(
            label="tapped at",
            choices=[("2", "every pass"), ("1", "every other pass")],
            required=False,
        )
        self.fields["amplitude"] = text(units.read_degrees, label="swing at first")
        self.fields["amplitude_end"] = text(units.read_degrees, label="and at last")
        self.fields["amplitude"].widget.attrs["placeholder"] = "8°"
        self.fields["amplitude_end"].widget.attrs["placeholder"] = "5°"
        self.fields["goal"] = forms.FloatField(
            label="good enough at ±", required=False, min_value=0.001
        )
        self.fields["recording"] = forms.IntegerField(required=False, widget=forms.HiddenInput)

    def _reader(self, one: Input) -> Callable[[str], Typed]:
        match one.holds:
            case "mass":
                return partial(units.read_mass, default=self.shown.mass)
            case "length":
                return partial(units.read_length, default=self.shown.length)
            case "balance":
                return partial(
                    units.read_balance,
                    length_mm=self.outline.length_mm,
                    default=self.shown.balance_unit,
                )
            case "inertia" | "choice":
                return units.read_inertia
            case _:
                assert_never(one.holds)

    def _readings_reader(self) -> Callable[[str], list[Typed]]:
        assert self.method.readings is not None
        reader: Callable[[str], Typed] = {
            "g": partial(units.read_mass, default=self.shown.mass),
            "mm": partial(units.read_length, default=self.shown.length),
        }.get(self.method.readings[1], units.read_inertia)
        return partial(units.read_many, reader=reader)

    def _defaults(self) -> dict[str, Any]:
        values = self.figures.values if self.figures else {}
        length = self.shown.length
        found: dict[str, Any] = {
            one.name: f"{show_length(one.offered(self.outline), length)} {length}"
            for one in self.method.all_inputs()
            if one.offered
        }
        found |= {
            "condition": self.figures.condition if self.figures else "",
            "axis": f"{self.shown.axis_mm(self.frame.kind):g} mm",
            "taps_per_period": "2",
            # A hand's breadth of swing lengthens the period by more than forty taps leave
            # uncertain.
            "amplitude": "6 ± 2°",
            "amplitude_end": "4 ± 2°",
            "hangs": "vertical",
            "goal": "0.1" if "twist_kgcm2" in self.method.gives else "1",
        }
        if "mass_g" in values:
            found["mass"] = _with_u(values["mass_g"], self.shown.mass, show_mass)
        if "balance_mm" in values:
            found["balance"] = _with_u(values["balance_mm"], length, show_length)
        instrument = next((i for i in self.instruments if i.kind == self.method.instrument), None)
        if instrument is not None and not self.method.is_timed:
            found |= {"instrument": instrument.pk} | instrument_defaults(instrument, self.shown)
        return found

    # --- reading them ---

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.is_correction and not cleaned.get("reason"):
            self.add_error("reason", "A correction keeps what was there: say why it is made.")
        if self.errors:
            return cleaned
        self.document = self._document(cleaned)
        if self.errors:
            return cleaned
        try:
            self.reading = reading_of(self.document)
            self.measurement = reduced(self.reading)
        except Fault as fault:
            self.add_error(self._box_of(fault.path), f"{_capital(fault.reason)}.")
            return cleaned
        self._judge(cleaned)
        return cleaned

    def _document(self, cleaned: dict[str, Any]) -> dict[str, Any]:
        """The raw reading, as a document; faults that concern a box are put to it."""
        instrument = cleaned.get("instrument")
        found = self._inputs(
            {one.name: cleaned.get(one.name) for one in self.method.all_inputs()}, instrument
        )
        found, lacking = self.method.settled(found)
        for name, reason in lacking:
            self.add_error(name, reason)
        if self.method.readings is not None:
            found[self.method.readings[0]] = [typed.value for typed in cleaned["readings"]]
            finest = f"resolution_{self.method.readings[0].removeprefix('readings_')}"
            written = min(typed.step for typed in cleaned["readings"])
            # As finely as it was written down; an instrument never shows more than it can.
            found[finest] = max(found.get(finest, 0.0) if instrument else 0.0, written)
            found["set_aside"] = self.asides(cleaned)
        if self.method.is_timed:
            self._timing(found, cleaned)
        return {"format": READING_FORMAT, "method": self.method_key} | found

    def _inputs(self, written: Mapping[str, Any], instrument: Instrument | None) -> dict[str, Any]:
        """What was written into the boxes, as a document holds it, with what its instrument
        adds."""
        found: dict[str, Any] = dict(self.method.of_kit(instrument.kit() if instrument else None))
        for one in self.method.all_inputs():
            typed = written.get(one.name)
            if typed is None:
                continue
            value = self._given(one, typed, instrument) if isinstance(typed, Typed) else typed
            within, _, key = one.key.rpartition(".")
            (found.setdefault(within, {}) if within else found)[key] = value
        return found

    def _given(self, one: Input, typed: Typed, instrument: Instrument | None) -> Any:
        if one.is_exact:
            return typed.value
        usual = one.u or 0.0
        if one.name == "offset" and instrument is not None:
            usual = instrument.offset_u_mm
        u = typed.read_u(usual)
        return {"value": typed.value, "u": u} if u else typed.value

    def not_counted(self) -> list[SetAside]:
        """The readings that do not count. Call where the form is valid."""
        return [SetAside(**one) for one in self.document.get("set_aside", ())]

    def asides(self, cleaned: dict[str, Any]) -> list[dict[str, Any]]:
        """`3 the door slammed`, one a line: which reading, counted from 1, and why."""
        found = []
        for line in re.split(r"[\n;]+", cleaned.get("set_aside", "")):
            if not line.strip():
                continue
            named = re.fullmatch(r"\s*(\d{1,5})[.:)]?\s*(.*?)\s*", line)
            if not named or int(named[1]) < 1:
                self.add_error(
                    "set_aside",
                    f"“{line.strip()}”: write which reading and why: 3 the door slammed.",
                )
                return []
            found.append({"index": int(named[1]) - 1, "reason": named[2]})
        return found

    def _timing(self, found: dict[str, Any], cleaned: dict[str, Any]) -> None:
        taps, period = cleaned.get("tap_times", "").split(), cleaned.get("period")
        instrument = cleaned.get("instrument")
        if self.recording is not None:
            # The recording's own period stands, unless somebody wrote another over it.
            found["period_s"] = {
                "value": self.recording.found["period_s"], "u": self.recording.found["u"]
            }  # fmt: skip
        elif taps:
            try:
                found["tap_times_s"] = [float(word.replace(",", ".")) for word in taps]
            except ValueError:
                self.add_error("tap_times", "Times of taps are seconds, one after another.")
                return
            found["set_aside"] = self.asides(cleaned)
            found["taps_per_period"] = int(cleaned.get("taps_per_period") or 2)
            if instrument is not None:
                found["tap_jitter_s"] = max(instrument.resolution, LEAST_JITTER_S)
        elif period is not None:
            found["period_s"] = {"value": period.value, "u": period.read_u()}
        else:
            self.add_error(
                "tap_times", "Tap at every pass, write a period, or hand in a recording."
            )
            return
        self._amplitudes(found, cleaned)

    def _amplitudes(self, found: dict[str, Any], cleaned: dict[str, Any]) -> None:
        found |= {
            key: _amplitude(cleaned[name])
            for name, key in AMPLITUDES.items()
            if cleaned.get(name) is not None
        }
        if (
            self.recording is not None
            and "amplitude_deg" in found
            and "amplitude_end_deg" not in found
        ):
            # The recording knows how fast the swing died.
            facts = self.recording.found
            left = math.exp(-max(facts["decay_per_s"], 0.0) * facts["seconds"])
            first = found["amplitude_deg"]
            found["amplitude_end_deg"] = {"value": first["value"] * left, "u": first["u"] * left}

    def _box_of(self, path: str) -> str | None:
        """The box a document's path belongs to; None shows a fault above the form."""
        key = re.sub(r"\[.*|\.(value|u)$", "", path)
        names = {one.key: one.name for one in self.method.all_inputs()}
        names |= {key: name for name, key in TIMING_KEYS.items()} | {"set_aside": "set_aside"}
        if self.method.readings is not None:
            names[self.method.readings[0]] = "readings"
        name = names.get(key)
        return name if name in self.fields else None

    # --- what it comes to ---

    def results(self) -> dict[str, tuple[Number, float | None]]:
        """quantity: (value, axis in mm) of each figure of the frame this measurement gives."""
        assert self.measurement is not None
        figures, found = self.measurement.figures, {}
        for quantity in self.method.gives:
            if quantity in figures:
                axis = self.document.get("axis_mm") if quantity == "swing_kgcm2" else None
                found[quantity] = (figures[quantity], axis)
        return found

    def _judge(self, cleaned: dict[str, Any]) -> None:
        results = self.results()
        axis = next((axis for _, axis in results.values() if axis is not None), None)
        if axis is not None and not axis < self.outline.length_mm / 2:
            self.add_error("axis", "The axis lies in the handle, 0…300 mm from the butt.")
            return
        given = {name: value for name, (value, _) in results.items()}
        known = (
            self.figures
            if self.figures and self.figures.condition == cleaned["condition"]
            else None
        )
        self.doubts = judge(self.frame, given, axis, cleaned["condition"], known) if given else []
        box = "readings" if "readings" in self.fields else None
        if self.asks_to_confirm and (cleaned.get("confirm") or self.is_correction):
            return
        for doubt in self.doubts:
            self.add_error(box, doubt.text)

    @property
    def asks_to_confirm(self) -> bool:
        return bool(self.doubts) and all(doubt.severity == "unlikely" for doubt in self.doubts)

    @property
    def boxes(self) -> list[forms.BoundField]:
        names = ["readings"] if self.method.readings else []
        return [self[name] for name in (*names, *(one.name for one in self.method.inputs))]

    @property
    def more_boxes(self) -> list[forms.BoundField]:
        return [self[one.name] for one in self.method.more]

    def expectation(self) -> Measurement | None:
        """What this set-up would come to on this frame, from the boxes as they stand; empty ones at
        what is usual."""
        frame = self.typical()
        try:
            written = {one.name: self._standing(one, frame) for one in self.method.all_inputs()}
            given, lacking = self.method.settled(self._inputs(written, self.chosen_instrument()))
            if lacking:  # what is told beside is not whole yet: it waits
                written = {one.name: written[one.name] for one in self.method.inputs}
                given = self._inputs(written, self.chosen_instrument())
            return expected(self.method_key, given | self._timed_setup(), frame)
        except (Fault, Unreadable, ValueError, ZeroDivisionError, KeyError):
            return None

    def _standing(self, one: Input, frame: Measured) -> Any:
        """What an input is as its box stands; None where nothing is written and nothing is
        usual."""
        text = self.text_of(one.name)
        if one.choices:
            return text or one.choices[0][0]
        try:
            return self._reader(one)(text)
        except Unreadable:
            if text and not one.usual:
                raise
        return (
            Typed(*one.usual(self.outline, frame), "", "") if one.usual and one.is_needed else None
        )

    def _timed_setup(self) -> dict[str, Any]:
        """How wide it swings and how evenly its passes are told, as the boxes stand."""
        if not self.method.is_timed:
            return {}
        found: dict[str, Any] = {}
        for name, key in AMPLITUDES.items():
            with contextlib.suppress(Unreadable):
                found[key] = _amplitude(units.read_degrees(self.text_of(name)))
        instrument = self.chosen_instrument()
        if instrument is not None:
            found["tap_jitter_s"] = max(instrument.resolution, LEAST_JITTER_S)
        return found

    def typical(self) -> Measured:
        values = self.figures.values if self.figures else {}
        axis = self.figures.axis_mm if self.figures else None
        return typical(
            self.outline, values, self.shown.axis_mm(self.frame.kind) if axis is None else axis
        )

    def text_of(self, name: str) -> str:
        """What stands in a box: as posted, else as the form offers it."""
        if self.is_bound:
            return str(self.data.get(name, ""))
        return str(self.initial.get(name, "") or "")

    def chosen_instrument(self) -> Instrument | None:
        """The instrument chosen in the form as it stands."""
        chosen = self.text_of("instrument")
        return next((i for i in self.instruments if str(i.pk) == chosen), None)

    def when(self) -> Any:
        return self.cleaned_data.get("read_at") or timezone.now()


def _amplitude(typed: Typed) -> dict[str, float]:
    return {
        "value": typed.value,
        "u": AMPLITUDE_U * abs(typed.value) if typed.u is None else typed.u,
    }


def _with_u(value: Number, unit: str, show: Any) -> str:
    u = uncertainty(value)
    factor = (units.MASS | units.LENGTH)[unit]
    text = f"{nominal(value) / factor:.4g}" if unit == "oz" else show(value, unit)
    if not u:
        return f"{text} {unit}"
    # Two digits where the first is small; a box is no place for more.
    two = f"{u / factor:.2g}"
    return f"{text} ± {two if two.lstrip('0.')[:1] in '123' else f'{u / factor:.1g}'} {unit}"


def instrument_defaults(instrument: Instrument, shown: Shown) -> dict[str, str]:
    """What an instrument fills in: a machine its axis and drift, a board its zero."""
    found = {}
    if instrument.axis_mm is not None:
        found["axis"] = f"{instrument.axis_mm:g} mm"
    if instrument.offset_mm is not None:
        found["offset"] = f"{instrument.offset_mm:g} ± {instrument.offset_u_mm:g} mm"
    drift = instrument.drift()
    if drift is not None and instrument.kind == "machine":
        found["drift"] = (
            f"{drift.value:.2f} ± {drift.u:.2g}" if drift.value else f"0 ± {drift.u:.2g}"
        )
    return found


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


class ReportedCorrection(forms.Form):
    """Another figure in the place of one that was written down wrong, with the reason."""

    condition = forms.ChoiceField(choices=Condition.choices, label="read")
    reason = forms.CharField(
        label="why it is corrected",
        max_length=100,
        error_messages={"required": "A correction keeps what was there: say why it is made."},
    )

    def __init__(self, old: Reading, shown: Shown, data: Any = None) -> None:
        self.old, length = old, partial(units.read_length, default=shown.length)
        axis = f"{old.axis_mm:g} mm" if old.axis_mm is not None else ""
        initial = {
            "figure": old.typed or f"{old.value:.6g}",
            "axis": axis,
            "condition": old.condition,
        }
        super().__init__(data, initial=initial, auto_id="t-%s")
        reader = {
            "mass_g": partial(units.read_mass, default=shown.mass),
            "balance_mm": partial(
                units.read_balance, length_mm=old.frame.length_mm, default=shown.balance_unit
            ),
        }.get(old.quantity, units.read_inertia)
        self.fields["figure"] = QuantityField(reader, label=old.get_quantity_display())
        if old.quantity == "swing_kgcm2":
            self.fields["axis"] = QuantityField(length, label="about the axis")

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.errors:
            return cleaned
        figure, axis = cleaned["figure"], cleaned.get("axis")
        value = {"value": figure.value, "u": figure.u} if figure.u else figure.value
        self.document: dict[str, Any] = {
            "format": READING_FORMAT,
            "method": REPORTED,
            "quantity": self.old.quantity,
            "value": value,
        } | ({"axis_mm": axis.value} if axis else {})
        try:
            reading_of(self.document)
        except Fault as fault:
            self.add_error(
                "axis" if "axis" in fault.path else "figure", f"{_capital(fault.reason)}."
            )
            return cleaned
        given = {self.old.quantity: figure.value}
        doubts = judge(
            self.old.frame, given, axis.value if axis else None, cleaned["condition"], None
        )
        for doubt in doubts:
            if doubt.severity == "impossible":
                self.add_error("figure", doubt.text)
        return cleaned

    def save(self) -> None:
        old, figure = self.old, self.cleaned_data["figure"]
        old.value, old.u, old.typed, old.raw = (
            figure.value,
            figure.u,
            figure.text[:60],
            self.document,
        )
        old.axis_mm = self.document.get("axis_mm")
        old.condition = self.cleaned_data["condition"]
        old._change_reason = self.cleaned_data["reason"]
        old.save()
