"""The form of one measurement: what a method asks for, read into a ``kentrobar-reading/1``
document."""

from __future__ import annotations

import contextlib
import re
from typing import Any

from django import forms
from django.utils import timezone

from kentrobar.core import units
from kentrobar.core.errors import DocumentError, UnreadableError
from kentrobar.core.frame.plausibility import Doubt
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.typical import typical
from kentrobar.core.io.readings import expected, reading_of, reduced
from kentrobar.core.measure.method import Input, Measurement, Method, RawReading
from kentrobar.core.measure.registry import key_of
from kentrobar.core.measure.sample import SetAside
from kentrobar.core.numbers import Number, nominal
from kentrobar.core.reader import Reader, the_reader
from kentrobar.core.units import Typed
from kentrobar.core.written import with_unit
from kentrobar.frames.choices import Condition
from kentrobar.frames.figures import Figures
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Frame
from kentrobar.ui.fields import QuantityField, parts_of
from kentrobar.ui.formatting import refusal_text
from kentrobar.ui.forms import with_commas
from kentrobar.ui.moments import done_at
from kentrobar.ui.understood import let_ask

from .boxes import OF_AN_INSTRUMENT, boxes_of, capital, offered, reader_of
from .models import Instrument, Recording
from .written import (
    AMPLITUDES,
    TIMING_KEYS,
    BoxError,
    amplitude,
    document_of,
    inputs_of,
    jitter,
    surroundings_of,
)

WRITTEN_IN = "written_in"
"""In what was written into the boxes of a form: the units its bare numbers were read in."""


def _key_of(path: str) -> str:
    """`readings_g` of `readings_g[2]`."""
    return re.sub(r"\[.*|\.(value|u)$", "", path)


def _figure(text: object) -> str:
    """`250` of `250 ± 0.5 mm`."""
    return str(text).partition("±")[0].removesuffix("mm").strip()


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
        validators=[done_at],
        widget=forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M"),
    )
    filled_for = forms.CharField(required=False, max_length=20, widget=forms.HiddenInput)
    confirm = forms.BooleanField(required=False, label="Yes, that’s correct")
    reason = forms.CharField(label="why it is corrected", max_length=100, required=False)

    def __init__(
        self,
        frame: Frame,
        method: type[Method],
        data: Any = None,
        figures: Figures | None = None,
        entry: dict[str, str] | None = None,
        instruments: list[Instrument] | None = None,
        recording: Recording | None = None,
        is_correction: bool = False,
    ) -> None:
        self.frame, self.method = frame, method
        self.method_key = key_of(method)
        self.outline, self.figures, self.recording = frame.outline(), figures, recording
        self.is_correction = is_correction
        self.document: dict[str, Any] = {}
        self.reading: RawReading | None = None
        self.measurement: Measurement | None = None
        self.doubts: list[Doubt] = []
        self.instruments = instruments or []
        self.refilled: list[str] = []
        super().__init__(self._as_corrected_by_its_own(data), auto_id="m-%s")
        self._make_fields()
        with_commas(self)
        self.initial = self._defaults() | self._written(entry or {})

    # --- the boxes ---

    def _written(self, entry: dict[str, Any]) -> dict[str, Any]:
        """What stood in the boxes, bare numbers with their unit where it is another one now."""
        kept = {name: text for name, text in entry.items() if name in self.fields}
        try:
            was = Reader.parse(entry.get(WRITTEN_IN, ""))
        except ValueError:  # of before this was noted
            return kept
        if was.dump() == the_reader().dump():
            return kept
        then = {
            "read_mass": was.mass, "read_length": was.length, "read_balance": was.balance_unit,
        }  # fmt: skip
        for name in kept:
            field = self.fields[name]
            if isinstance(field, QuantityField):
                base, default, _ = parts_of(field.reader)
                if default and base in then:
                    kept[name] = with_unit(kept[name], then[base])
        return kept

    def _as_corrected_by_its_own(self, data: Any) -> Any:
        """What was posted, where a box that still says what another instrument filled in says what
        this one does: one instrument's correction never stays for another's readings."""
        if data is None or data.get("filled_for", None) in (None, data.get("instrument", "")):
            return data
        was, now = (self._offered(data.get(name, "")) for name in ("filled_for", "instrument"))
        data = data.copy()
        for name in OF_AN_INSTRUMENT:
            stands, fills = data.get(name), str(now.get(name, ""))
            # By its figure: how far it may have wandered grows while a page is open.
            is_offered = stands is not None and _figure(stands) in (_figure(was.get(name, "")), "")
            if is_offered and stands != fills:
                data[name] = fills
                self.refilled.append(name)
        data["filled_for"] = data.get("instrument", "")
        return data

    def _offered(self, key: str) -> dict[str, Any]:
        """What the boxes say beside an instrument, by its key."""
        chosen = next((one for one in self.instruments if str(one.pk) == key), None)
        return offered(self.method, self.outline, self.figures, chosen)

    @property
    def refilled_boxes(self) -> list[forms.BoundField]:
        """Boxes another instrument was chosen for, to be put in the place of those shown."""
        names = [*self.refilled, "filled_for"] if self.refilled else []
        for name in names:
            self.fields[name].widget.attrs["hx-swap-oob"] = "true"
        return [self[name] for name in names]

    def _make_fields(self) -> None:
        self.fields |= boxes_of(self.method, self.outline)
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
        field.empty_label = "by hand" if self.method.is_timed else "none of mine"
        if not self.is_correction:
            del self.fields["reason"]
        let_ask(self)

    def _defaults(self) -> dict[str, Any]:
        ours = (one for one in self.instruments if one.kind == self.method.instrument)
        return offered(self.method, self.outline, self.figures, next(ours, None))

    # --- reading them ---

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.is_correction and not cleaned.get("reason"):
            self.add_error("reason", "A correction keeps what was there: say why it is made.")
        if self.errors:
            return cleaned
        try:
            self.document = document_of(self.method, cleaned, self.outline, self.recording)
            self.reading = reading_of(self.document)
            self.measurement = reduced(self.reading)
        except BoxError as wrong:
            for box, reason in wrong.faults:
                self.add_error(box, reason)
            return cleaned
        except DocumentError as fault:
            said = refusal_text(_key_of(fault.path), fault.reason)
            self.add_error(self._box_of(fault.path), f"{capital(said)}.")
            return cleaned
        self._judge(cleaned)
        return cleaned

    def not_counted(self) -> list[SetAside]:
        """The readings that do not count. Call where the form is valid."""
        return [SetAside(**one) for one in self.document.get("set_aside", ())]

    def _box_of(self, path: str) -> str | None:
        """The box a document's path belongs to; None shows a fault above the form."""
        key = _key_of(path)
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
    def is_filmed(self) -> bool:
        """Whether its period comes from a film."""
        return self.recording is not None and "film" in self.recording.found

    @property
    def boxes(self) -> list[forms.BoundField]:
        names = ["readings"] if self.method.readings else []
        return [self[name] for name in (*names, *(one.name for one in self.method.inputs))]

    @property
    def more_boxes(self) -> list[forms.BoundField]:
        return [self[one.name] for one in self.method.more if one.name in self.fields]

    def expectation(self) -> Measurement | None:
        """What this set-up would come to on this frame, from the boxes as they stand; empty ones at
        what is usual."""
        frame = self.typical()
        try:
            written = {one.name: self._standing(one, frame) for one in self.method.all_inputs()}
            with_it = self.chosen_instrument()
            given, lacking = self.method.settled(inputs_of(self.method, written, with_it))
            if lacking:  # what is told beside is not whole yet: it waits
                written = {one.name: written[one.name] for one in self.method.inputs}
                given = inputs_of(self.method, written, with_it)
            given |= self._timed_setup()
            given |= surroundings_of(self.method, self.outline, given)
            return expected(self.method_key, given, frame)
        except (DocumentError, UnreadableError, ValueError, ZeroDivisionError, KeyError):
            return None

    def expected_period_s(self) -> float | None:
        """The period this set-up should swing with, s; None for one that does not swing."""
        found = self.expectation()
        period = found.figures.get("period_s") if found else None
        return nominal(period) if period is not None else None

    def _standing(self, one: Input, frame: Measured) -> Any:
        """What an input is as its box stands; None where nothing is written and nothing is
        usual."""
        text = self.text_of(one.name)
        if one.choices:
            return text or one.choices[0][0]
        try:
            return reader_of(one, self.outline)(text)
        except UnreadableError:
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
            with contextlib.suppress(UnreadableError):
                found[key] = amplitude(units.read_degrees(self.text_of(name)))
        return found | jitter(self.chosen_instrument())

    def typical(self) -> Measured:
        values = self.figures.values if self.figures else {}
        axis = self.figures.axis_mm if self.figures else None
        return typical(
            self.outline, values, the_reader().axis_mm(self.frame.kind) if axis is None else axis
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
