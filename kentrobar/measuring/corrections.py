"""Another figure in the place of one that was reported wrongly."""

from __future__ import annotations

from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import Fault
from kentrobar.core.io.readings import READING_FORMAT, reading_of
from kentrobar.core.measure.registry import REPORTED
from kentrobar.core.units import Shown
from kentrobar.frames.choices import Condition
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Reading
from kentrobar.ui.fields import QuantityField
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
        let_ask(self)

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
                "axis" if "axis" in fault.path else "figure", f"{capital(fault.reason)}."
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
