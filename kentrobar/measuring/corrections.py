"""Another figure in the place of one that was reported wrongly."""

from __future__ import annotations

from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import DocumentError
from kentrobar.core.io.readings import reading_of
from kentrobar.core.reader import axis_text, digits
from kentrobar.core.written import with_unit
from kentrobar.frames.choices import Condition
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Reading
from kentrobar.frames.reported import document_of
from kentrobar.frames.typed import UNITS, as_written
from kentrobar.shop.models import Settings
from kentrobar.ui.fields import QuantityField, axis_reader, balance_reader, mass_reader
from kentrobar.ui.understood import let_ask

from .boxes import capital


class ReportedCorrection(forms.Form):
    """Another figure in the place of one that was written down wrong, with the reason."""

    condition = forms.ChoiceField(choices=Condition.choices, label="read")
    reason = forms.CharField(
        label="why it is corrected",
        max_length=100,
        error_messages={"required": "A correction keeps what was there: say why it is made."},
    )

    def __init__(self, old: Reading, data: Any = None) -> None:
        self.old = old
        u = f" ± {digits(old.u)}" if old.u else ""
        axis = axis_text(old.axis_mm)
        initial = {
            "figure": old.typed
            or with_unit(f"{digits(old.value, 6)}{u}", UNITS.get(old.quantity, ("",))[0]),
            "axis": axis,
            "condition": old.condition,
        }
        super().__init__(data, initial=initial, auto_id="t-%s")
        reader = {
            "mass_g": mass_reader(),
            "balance_mm": balance_reader(old.frame.length_mm),
        }.get(old.quantity, units.read_inertia)
        repeats = partial(units.read_repeats, reader=reader)
        self.fields["figure"] = QuantityField(repeats, label=old.get_quantity_display())
        if old.quantity == "swing_kgcm2":
            self.fields["axis"] = QuantityField(
                axis_reader(old.frame.length_mm), label="about the axis"
            )
        let_ask(self)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.errors:
            return cleaned
        self._note(cleaned["figure"])
        axis = cleaned.get("axis")
        self.document = document_of(
            self.old.quantity, self.value, self.u, axis.value if axis else None
        )
        try:
            reading_of(self.document)
        except DocumentError as fault:
            self.add_error(
                "axis" if "axis" in fault.path else "figure", f"{capital(fault.reason)}."
            )
            return cleaned
        given = {self.old.quantity: self.value}
        doubts = judge(
            self.old.frame, given, axis.value if axis else None, cleaned["condition"], None
        )
        for doubt in doubts:
            if doubt.severity == "impossible":
                self.add_error("figure", doubt.text)
        return cleaned

    def _note(self, figure: units.Typed) -> None:
        """The figure that counts from now on: as it was, where nobody wrote another."""
        old = self.old
        self.value, self.u, self.repeats, self.typed = old.value, old.u, old.repeats, old.typed
        if "figure" in self.changed_data:
            self.value = figure.value
            self.u = Settings.load().u_of(old.quantity, figure)
            self.repeats, self.typed = figure.count, as_written(figure)

    def save(self) -> None:
        old = self.old
        old.value, old.u, old.repeats, old.typed = self.value, self.u, self.repeats, self.typed
        old.raw = self.document
        old.axis_mm = self.document.get("axis_mm")
        old.condition = self.cleaned_data["condition"]
        old._change_reason = self.cleaned_data["reason"]
        old.save()
