"""The form of one measurement: what a method asks for, read into a ``kentrobar-reading/1`` document."""

from __future__ import annotations

import contextlib
import math
import re
from functools import partial
from typing import Any

from django import forms
from django.utils import timezone

from kentrobar.core import units
from kentrobar.core.errors import Fault, Unreadable
from kentrobar.core.frame.plausibility import Doubt
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.typical import typical
from kentrobar.core.io.readings import READING_FORMAT, Reading, reading_of, reduced
from kentrobar.core.measure.expect import expected
from kentrobar.core.measure.method import Measurement
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.units import Shown, Typed, show_length, show_mass
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Condition, Figures, Frame
from kentrobar.frames.models import Reading as FrameReading
from kentrobar.ui.fields import QuantityField

from .methods import Method, pin_mm, supports_mm
from .models import USUAL_SCATTER, Instrument, Recording

TAPE_U = 0.5
"""mm: how well a length is measured with a tape, unless ± is written."""
JIG_U = 0.1
AMPLITUDE_U = 0.2
"""Share of itself an amplitude judged by eye is uncertain by."""

# By box: the reader, its label, its hint, the key in the document, and whether it must be filled.
BOXES: dict[str, tuple[str, str, str, bool]] = {
    "readings": ("many", "readings", "all of them, in one go", True),
    "offset": ("length", "board’s zero at", "250 mm", True),
    "m1": ("mass", "left scale", "g", True),
    "x1": ("length", "left support at", "20 mm", True),
    "m2": ("mass", "right scale", "g", True),
    "x2": ("length", "right support at", "660 mm", True),
    "axis": ("length", "about the axis", "100 mm", True),
    "drift": ("inertia", "reads over by", "0", False),
    "mass": ("mass", "mass", "318.4 ± 0.1 g", True),
    "balance": ("balance", "balance", "32.1 ± 0.1 cm", True),
    "pivot": ("length", "pivot at", "643 mm", True),
    "jig_mass": ("mass", "clamp weighs", "84 g", False),
    "jig_balance": ("length", "its middle from the butt", "92 mm", False),
    "jig_inertia": ("inertia", "its own inertia", "0.9", False),
    "hangs": ("hangs", "hangs", "", True),
    "spacing_top": ("length", "apart above", "236 mm", True),
    "spacing_bottom": ("length", "apart below", "236 mm", True),
    "thread": ("length", "thread", "640 mm", True),
    "hang": ("length", "axis to centre line", "180 mm", True),
}
KEYS = {
    "offset": "offset_mm", "m1": "m1_g", "x1": "x1_mm", "m2": "m2_g", "x2": "x2_mm", "axis": "axis_mm",
    "drift": "drift_kgcm2", "mass": "mass_g", "balance": "balance_mm", "pivot": "pivot_mm",
    "spacing_top": "spacing_top_mm", "spacing_bottom": "spacing_bottom_mm", "thread": "thread_mm",
    "hang": "hang_mm", "jig_mass": "jig.mass_g", "jig_balance": "jig.balance_mm",
    "jig_inertia": "jig.inertia_kgcm2", "tap_times": "tap_times_s", "period": "period_s",
    "amplitude": "amplitude_deg", "amplitude_end": "amplitude_end_deg", "set_aside": "set_aside",
}  # fmt: skip
READINGS = {"g": "readings_g", "mm": "readings_mm", "kg·cm²": "readings_kgcm2"}
HANGS = [("vertical", "handle down: twist"), ("level", "level, face upright: recoil")]


class MeasureForm(forms.Form):
    """One measurement of a frame by one method.

    Valid, it holds ``document`` (the raw reading), ``reading`` and ``measurement``; ``doubts`` are what
    its figures raise beside what is known of the frame.
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
        method: Method,
        shown: Shown,
        data: Any = None,
        figures: Figures | None = None,
        entry: dict[str, str] | None = None,
        instruments: list[Instrument] | None = None,
        recording: Recording | None = None,
        is_correction: bool = False,
    ) -> None:
        self.frame, self.method, self.shown = frame, method, shown
        self.outline, self.figures, self.recording = frame.outline(), figures, recording
        self.is_correction = is_correction
        self.document: dict[str, Any] = {}
        self.reading: Reading | None = None
        self.measurement: Measurement | None = None
        self.doubts: list[Doubt] = []
        self.instruments = instruments or []
        super().__init__(data, auto_id="m-%s")
        self._make_fields()
        self.initial = self._defaults() | {k: v for k, v in (entry or {}).items() if k in self.fields}

    # --- the boxes ---

    def _make_fields(self) -> None:
        kinds = {"readings": self._readings_reader()}
        for name in (*self.method.fields, *self.method.more):
            kind, label, hint, needed = BOXES[name]
            if kind == "hangs":
                self.fields[name] = forms.ChoiceField(choices=HANGS, label=label)
                continue
            optional = name in self.method.more or not needed
            reader = kinds.get(name) or self._reader(kind)
            self.fields[name] = QuantityField(reader, label=label, required=not optional, max_length=4000)
            self.fields[name].error_messages["required"] = (
                f"{label[0].upper()}{label[1:]}: still to be written."
            )
            self.fields[name].widget.attrs["placeholder"] = hint
        if "readings" in self.method.fields:
            self.fields["readings"].widget = forms.Textarea(
                attrs={"rows": 2, "autocomplete": "off", "placeholder": self._example()}
            )
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
        field.queryset = Instrument.live.filter(kind=self.method.instrument)
        field.empty_label = "a hand and an eye" if self.method.instrument == "timer" else "none of mine"
        if not self.is_correction:
            del self.fields["reason"]

    def _make_timing(self) -> None:
        text = partial(QuantityField, required=False)
        self.fields["tap_times"] = forms.CharField(
            label="taps, s", required=False, max_length=60_000, widget=forms.Textarea(attrs={"rows": 1})
        )
        self.fields["period"] = text(units.read_seconds, label="or the period")
        self.fields["period"].widget.attrs["placeholder"] = "1.382 ± 0.001 s"
        self.fields["taps_per_period"] = forms.ChoiceField(
            label="tapped at", choices=[("2", "every pass"), ("1", "every other pass")], required=False
        )
        self.fields["amplitude"] = text(units.read_degrees, label="swing at first")
        self.fields["amplitude_end"] = text(units.read_degrees, label="and at last")
        self.fields["amplitude"].widget.attrs["placeholder"] = "8°"
        self.fields["amplitude_end"].widget.attrs["placeholder"] = "5°"
        self.fields["goal"] = forms.FloatField(label="good enough at ±", required=False, min_value=0.001)
        self.fields["recording"] = forms.IntegerField(required=False, widget=forms.HiddenInput)

    def _reader(self, kind: str) -> Any:
        if kind == "mass":
            return partial(units.read_mass, default=self.shown.mass)
        if kind == "length":
            return partial(units.read_length, default=self.shown.length)
        if kind == "balance":
            return partial(
                units.read_balance, length_mm=self.outline.length_mm, default=self.shown.balance_unit
            )
        return units.read_inertia

    def _readings_reader(self) -> Any:
        kind = {"scale": "mass", "machine": "inertia"}.get(self.method.key, "length")
        return partial(units.read_many, reader=self._reader(kind))

    def _example(self) -> str:
        return {
            "scale": "318.4 318.3 318.4",
            "machine": "314.2 314.6 314.3",
            "balance-board": "71.5 71 71.5",
        }.get(self.method.key, "321 322 321")

    def _defaults(self) -> dict[str, Any]:
        values = self.figures.values if self.figures else {}
        length = self.shown.length
        found: dict[str, Any] = {
            "condition": self.figures.condition if self.figures else "",
            "axis": f"{self.shown.axis_mm(self.frame.kind):g} mm",
            "pivot": f"{show_length(pin_mm(self.outline), length)} {length}",
            "taps_per_period": "2",
            # A hand's breadth of swing lengthens the period by more than forty taps leave uncertain.
            "amplitude": "6 ± 2°",
            "amplitude_end": "4 ± 2°",
            "hangs": "vertical",
            "goal": "0.1" if "twist_kgcm2" in self.method.gives else "1",
        }
        x1, x2 = supports_mm(self.outline)
        found |= {"x1": f"{show_length(x1, length)} {length}", "x2": f"{show_length(x2, length)} {length}"}
        if "mass_g" in values:
            found["mass"] = _with_u(values["mass_g"], self.shown.mass, show_mass)
        if "balance_mm" in values:
            found["balance"] = _with_u(values["balance_mm"], length, show_length)
        instrument = next((i for i in self.instruments if i.kind == self.method.instrument), None)
        if instrument is not None and self.method.instrument != "timer":
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
        method, instrument = self.method, cleaned.get("instrument")
        found: dict[str, Any] = {"format": READING_FORMAT, "method": method.key}
        unit = {"scale": "g", "machine": "kg·cm²"}.get(method.key, "mm")
        if "readings" in method.fields:
            found[READINGS[unit]] = [typed.value for typed in cleaned["readings"]]
            found["set_aside"] = self.asides(cleaned)
            found |= self._known_of(instrument, unit)
        for name in (*method.fields, *method.more):
            if name in ("readings", "hangs") or (typed := cleaned.get(name)) is None:
                continue
            value = self._given(name, typed)
            if name.startswith("jig_"):
                found.setdefault("jig", {})[KEYS[name].split(".")[1]] = value
            else:
                found[KEYS[name]] = value
        if "axis_mm" in found and isinstance(found["axis_mm"], dict):
            found["axis_mm"] = found["axis_mm"]["value"]
        if method.key == "two-scales":
            found["resolution_g"] = instrument.resolution if instrument else 0.1
        if method.key == "bifilar":
            found["long_axis"] = cleaned["hangs"]
            if cleaned["hangs"] == "vertical":
                found = {k: v for k, v in found.items() if k not in ("balance_mm", "axis_mm")}
            else:
                for name in ("balance", "axis"):
                    if cleaned.get(name) is None:
                        self.add_error(name, "Hung level it needs balance and axis for a swing weight.")
        if "jig" in found and not {"mass_g", "balance_mm"} <= found["jig"].keys():
            self.add_error("jig_mass", "A clamp counts by its mass and its place: write both.")
        if method.is_timed:
            self._timing(found, cleaned)
        return found

    def _known_of(self, instrument: Instrument | None, unit: str) -> dict[str, Any]:
        """Resolution, repeatability and drift of the instrument, in the document's words."""
        name = {"g": "g", "mm": "mm", "kg·cm²": "kgcm2"}[unit]
        if instrument is None:
            coarse = {"g": 0.1, "mm": 1.0, "kgcm2": 1.0}[name]
            return {f"resolution_{name}": coarse, f"repeatability_{name}": USUAL_SCATTER[self.method.key]}
        found: dict[str, Any] = {f"resolution_{name}": instrument.resolution}
        # Until an instrument's own repeats tell, it scatters like others of its kind.
        found[f"repeatability_{name}"] = instrument.repeatability() or USUAL_SCATTER[self.method.key]
        drift = instrument.drift()
        if drift is not None and name == "g":
            found["drift_g"] = {"value": drift.value, "u": drift.u}
        return found

    def _given(self, name: str, typed: Typed) -> Any:
        u = typed.u
        if u is None:
            u = {"length": TAPE_U, "mass": JIG_U if name == "jig_mass" else 0.0}.get(BOXES[name][0], 0.0)
            if name == "offset":
                instrument = self.cleaned_data.get("instrument")
                u = instrument.offset_u_mm if instrument else TAPE_U
        return {"value": typed.value, "u": u} if u else typed.value

    def asides(self, cleaned: dict[str, Any]) -> list[dict[str, Any]]:
        """`3 the door slammed`, one a line: which reading, counted from 1, and why."""
        found = []
        for line in re.split(r"[\n;]+", cleaned.get("set_aside", "")):
            if not line.strip():
                continue
            named = re.fullmatch(r"\s*(\d{1,5})[.:)]?\s*(.*?)\s*", line)
            if not named or int(named[1]) < 1:
                self.add_error(
                    "set_aside", f"“{line.strip()}”: write which reading and why: 3 the door slammed."
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
                found["tap_jitter_s"] = max(instrument.resolution, 1e-4)
        elif period is not None:
            found["period_s"] = {"value": period.value, "u": period.u or 0.0}
        else:
            self.add_error("tap_times", "Tap at every pass, write a period, or hand in a recording.")
            return
        self._amplitudes(found, cleaned)

    def _amplitudes(self, found: dict[str, Any], cleaned: dict[str, Any]) -> None:
        for name in ("amplitude", "amplitude_end"):
            if cleaned.get(name) is not None:
                value = cleaned[name].value
                u = cleaned[name].u
                found[KEYS[name]] = {"value": value, "u": AMPLITUDE_U * abs(value) if u is None else u}
        if self.recording is not None and "amplitude_deg" in found and "amplitude_end_deg" not in found:
            # The recording knows how fast the swing died.
            facts = self.recording.found
            left = math.exp(-max(facts["decay_per_s"], 0.0) * facts["seconds"])
            first = found["amplitude_deg"]
            found["amplitude_end_deg"] = {"value": first["value"] * left, "u": first["u"] * left}

    def _box_of(self, path: str) -> str | None:
        """The box a document's path belongs to; None shows a fault above the form."""
        key = re.sub(r"\[.*|\.(value|u)$", "", path)
        names = {key: name for name, key in KEYS.items()} | dict.fromkeys(READINGS.values(), "readings")
        name = names.get(key)
        return name if name in self.fields else None

    # --- what it comes to ---

    def results(self) -> dict[str, tuple[Number, float | None]]:
        """quantity: (value, axis in mm) of each figure of the frame this measurement gives."""
        assert self.measurement is not None
        figures, found = self.measurement.figures, {}
        for quantity in self.method.gives:
            if quantity.value in figures:
                axis = self.document.get("axis_mm") if quantity.value == "swing_kgcm2" else None
                found[quantity.value] = (figures[quantity.value], axis)
        return found

    def _judge(self, cleaned: dict[str, Any]) -> None:
        results = self.results()
        axis = next((axis for _, axis in results.values() if axis is not None), None)
        if axis is not None and not axis < self.outline.length_mm / 2:
            self.add_error("axis", "The axis lies in the handle, 0…300 mm from the butt.")
            return
        given = {name: value for name, (value, _) in results.items()}
        known = self.figures if self.figures and self.figures.condition == cleaned["condition"] else None
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
        return [self[name] for name in self.method.fields]

    @property
    def more_boxes(self) -> list[forms.BoundField]:
        return [self[name] for name in self.method.more]

    def expectation(self) -> Measurement | None:
        """What this set-up would come to on this frame, from the boxes as they stand."""
        setup = self._setup()
        if setup is None:
            return None
        try:
            return expected(self.method.reading, setup, self.typical())
        except (ValueError, ZeroDivisionError, KeyError, TypeError):
            return None

    def typical(self) -> Measured:
        values = self.figures.values if self.figures else {}
        axis = self.figures.axis_mm if self.figures else None
        return typical(self.outline, values, self.shown.axis_mm(self.frame.kind) if axis is None else axis)

    def _setup(self) -> dict[str, Any] | None:
        """The method's inputs but its readings; boxes left empty stand at what is usual."""
        setup: dict[str, Any] = {}
        frame = self.typical()
        texts = {name: self.text_of(name) for name in (*self.method.fields, *self.method.more)}
        instrument = self.chosen_instrument()
        if "readings" in self.method.fields:
            unit = {"scale": "g", "machine": "kg·cm²"}.get(self.method.key, "mm")
            for key, known in self._known_of(instrument, unit).items():
                setup[key] = _number(known["value"], known["u"]) if isinstance(known, dict) else known
        for name, text in texts.items():
            if name in ("readings", "m1", "m2", "hangs") or name.startswith("jig"):
                continue
            if name == "drift" and not text:
                continue
            try:
                typed = self._reader(BOXES[name][0])(text)
            except Unreadable:
                typed = self._usual(name, frame)
            if typed is None:
                return None
            u = typed.u if typed.u is not None else TAPE_U if BOXES[name][0] == "length" else 0.0
            setup[KEYS[name]] = typed.value if name == "axis" else _number(typed.value, u)
        if self.method.key == "two-scales":
            setup["resolution_g"] = instrument.resolution if instrument else 0.1
        if self.method.key == "bifilar":
            setup["long_axis"] = texts.get("hangs") or "vertical"
            if setup["long_axis"] == "vertical":
                setup.pop("balance_mm", None)
                setup.pop("axis_mm", None)
        for name in ("amplitude", "amplitude_end"):
            if self.method.is_timed and name in self.fields:
                with contextlib.suppress(Unreadable):
                    typed = units.read_degrees(self.text_of(name))
                    u = AMPLITUDE_U * abs(typed.value) if typed.u is None else typed.u
                    setup[KEYS[name]] = _number(typed.value, u)
        if self.method.is_timed and instrument is not None:
            setup["tap_jitter_s"] = max(instrument.resolution, 1e-4)
        return {k: v for k, v in setup.items() if k != "format"}

    def _usual(self, name: str, frame: Measured) -> Typed | None:
        usual = {
            "mass": (nominal(frame.mass_g), 0.1),
            "balance": (nominal(frame.balance_mm), 1.0),
            "offset": (250.0, 0.5),
            "spacing_top": (self.outline.width_mm - 20, TAPE_U),
            "spacing_bottom": (self.outline.width_mm - 20, TAPE_U),
            "thread": (800.0, 1.0),
            "hang": (180.0, TAPE_U),
        }.get(name)
        return Typed(usual[0], usual[1], "", "") if usual else None

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


def _number(value: float, u: float) -> Any:
    from kentrobar.core.numbers import WithU

    return WithU(value=value, u=u) if u else value


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
        found["drift"] = f"{drift.value:.2f} ± {drift.u:.2g}" if drift.value else f"0 ± {drift.u:.2g}"
    return found


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


class ToldCorrection(forms.Form):
    """Another figure in the place of one that was written down wrong, with the reason."""

    condition = forms.ChoiceField(choices=Condition.choices, label="read")
    reason = forms.CharField(
        label="why it is corrected",
        max_length=100,
        error_messages={"required": "A correction keeps what was there: say why it is made."},
    )

    def __init__(self, old: FrameReading, shown: Shown, data: Any = None) -> None:
        self.old, length = old, partial(units.read_length, default=shown.length)
        axis = f"{old.axis_mm:g} mm" if old.axis_mm is not None else ""
        initial = {"figure": old.typed or f"{old.value:.6g}", "axis": axis, "condition": old.condition}
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
        self.document = {"format": READING_FORMAT, "method": "told", "quantity": self.old.quantity}
        self.document |= {"value": value} | ({"axis_mm": axis.value} if axis else {})
        try:
            reading_of(self.document)
        except Fault as fault:
            self.add_error("axis" if "axis" in fault.path else "figure", f"{_capital(fault.reason)}.")
            return cleaned
        given = {self.old.quantity: figure.value}
        doubts = judge(self.old.frame, given, axis.value if axis else None, cleaned["condition"], None)
        for doubt in doubts:
            if doubt.severity == "impossible":
                self.add_error("figure", doubt.text)
        return cleaned

    def save(self) -> None:
        old, figure = self.old, self.cleaned_data["figure"]
        old.value, old.u, old.typed, old.raw = figure.value, figure.u, figure.text[:60], self.document
        old.axis_mm = self.document.get("axis_mm")
        old.condition = self.cleaned_data["condition"]
        old._change_reason = self.cleaned_data["reason"]
        old.save()
