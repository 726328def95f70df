"""Forms of the Plan view: one piece, one target. They read what people write and give core values."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import fields as dataclass_fields
from dataclasses import replace
from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.describe import clock_text
from kentrobar.core.documents import piece_faults
from kentrobar.core.goal_words import read_goal, say_goal
from kentrobar.core.outline import Outline
from kentrobar.core.pieces import Piece, Strip, Throat
from kentrobar.core.recipe.brief import Goal
from kentrobar.core.targets import Target, Targets, figures
from kentrobar.core.units import Shown, Typed, Unreadable
from kentrobar.frames.fields import QuantityField
from kentrobar.stock import shelf

from .state import State

LABELS = {
    "mass_g": "grams",
    "clock": "clock",
    "length_mm": "cut length",
    "from_mm": "from the butt",
    "to_mm": "to",
    "x_mm": "from the butt",
    "y_mm": "to 3 o’clock",
    "z_mm": "off the face",
}


LINES_SHORT = [("edge", "edge"), ("face", "faces"), ("inner", "inside")]


class PieceForm(forms.Form):
    """One piece. Only boxes whose text was changed change the piece, so that rounding for the eye
    never moves anything. Cutting, mirroring, layers and material carry the grams along, unless
    grams are typed."""

    def __init__(self, piece: Piece, outline: Outline, shown: Shown, data: Any = None) -> None:
        self.piece, self.outline, self.shown = piece, outline, shown
        super().__init__(data, initial=self._initial(), prefix="piece", auto_id="piece-%s")
        for name in (f.name for f in dataclass_fields(piece)):
            if name == "clock":
                self.fields[name] = QuantityField(units.read_clock, label=LABELS[name])
            elif name == "mass_g":
                reader = partial(units.read_mass, default=shown.mass)
                self.fields[name] = QuantityField(reader, label=shown.mass if shown.mass != "g" else "grams")
            elif name in LABELS:
                reader = partial(units.read_length, default=shown.length)
                self.fields[name] = QuantityField(reader, label=LABELS[name])
        if isinstance(piece, Strip):
            self.fields["line"] = forms.ChoiceField(label="lies", choices=LINES_SHORT)
            self.fields["mirror"] = forms.BooleanField(label="on both sides", required=False)
        if isinstance(piece, (Strip, Throat)):
            self.fields["layers"] = forms.IntegerField(
                label="layers", required=False, min_value=1, max_value=20
            )
        self.fields["material"] = forms.CharField(label="material", required=False, max_length=60)
        names = "tapes" if isinstance(piece, (Strip, Throat)) else "fillings"
        self.fields["material"].widget.attrs |= {"list": names, "autocomplete": "off"}
        for name in self.fields:
            self.fields[name].widget.attrs["id"] = f"piece-{name}"

    def boxes(self) -> Iterator[dict[str, Any]]:
        """The fields for the page: a box to type in as its plain facts, which draw in a tenth of a widget's time."""
        for bound in self:
            if not isinstance(bound.field.widget, (forms.TextInput, forms.NumberInput)):
                yield {"field": bound}
                continue
            value = bound.value()
            yield {
                "id": f"piece-{bound.name}", "name": bound.html_name, "label": bound.label,
                "value": "" if value is None else value, "list": bound.field.widget.attrs.get("list", ""),
                "is_number": isinstance(bound.field.widget, forms.NumberInput),
                "fault": bound.errors[0] if bound.errors else "",
            }  # fmt: skip

    def _initial(self) -> dict[str, Any]:
        initial: dict[str, Any] = {}
        for name in (f.name for f in dataclass_fields(self.piece)):
            value = getattr(self.piece, name)
            if name == "clock":
                initial[name] = clock_text(value)
            elif name == "mass_g":
                initial[name] = _text(value, self.shown.mass, units.MASS, 2)
            elif name in LABELS:
                initial[name] = _text(value, self.shown.length, units.LENGTH, 1)
            else:
                initial[name] = value
        return initial

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.errors:
            return cleaned
        self.changed = self._changed(cleaned)
        for name, reason in piece_faults(self.changed, self.outline):
            self.add_error(name if name in self.fields else None, f"{LABELS.get(name, name)}: {reason}")
        return cleaned

    def _changed(self, cleaned: dict[str, Any]) -> Piece:
        new: dict[str, Any] = {}
        for name in self.changed_data:
            value = cleaned.get(name)
            if isinstance(value, Typed):
                value = value.value
            if isinstance(value, float) and abs(value - getattr(self.piece, name)) < 1e-6:
                continue  # the same, only written otherwise
            new[name] = value or None if name in ("material", "layers") else value
        if "mass_g" not in new:
            new["mass_g"] = self._carried(new)
        return replace(self.piece, **new)

    def _carried(self, new: dict[str, Any]) -> float:
        """The piece's grams after what was changed about its tape."""
        old, factor = self.piece, 1.0
        if not isinstance(old, (Strip, Throat)):
            return old.mass_g
        if isinstance(old, Strip):
            if new.get("length_mm"):
                factor *= new["length_mm"] / old.length_mm
            if "mirror" in new:
                factor *= 2 if new["mirror"] else 0.5
        if "layers" in new:
            factor *= (new["layers"] or 1) / (old.layers or 1)
        if new.get("material"):
            was, now = shelf.grams_per_mm(old.material), shelf.grams_per_mm(new["material"])
            if was and now:
                factor *= now / was
        return round(old.mass_g * factor, 4)

    @property
    def read_as(self) -> str:
        """`2 in = 50.8 mm`: what was typed in another unit than the core's, and what it came to."""
        said = []
        for name in self.changed_data:
            typed = self.cleaned_data.get(name)
            if isinstance(typed, Typed) and typed.unit not in ("g", "mm"):
                unit = "g" if name == "mass_g" else "mm"
                said.append(f"{typed.text} = {typed.value:.4g} {unit}")
        return ", ".join(said)


def _text(value: float, unit: str, table: dict[str, float], least: int) -> str:
    """A value for a text box: enough decimals to be read back as it is, with its unit."""
    for places in range(least, 5):
        text = f"{value / table[unit]:.{places}f}"
        if abs(float(text) * table[unit] - value) < 1e-6:
            break
    return f"{text} {unit}"


FIGURES = {
    "mass_g": "Static weight",
    "balance_mm": "Balance",
    "swing_kgcm2": "Swing weight",
    "twist_kgcm2": "Twist weight",
}


class TargetForm(forms.Form):
    """One target as text: `326 ± 1`, `+8` (from as measured), `keep`, or empty for none.

    A swing weight is meant about the shown axis, or says its own: `322 ± 2 at 101.6 mm`."""

    target = forms.CharField(required=False, max_length=60)

    def __init__(self, name: str, state: State, outline: Outline, shown: Shown, data: Any = None) -> None:
        self.name, self.state, self.outline, self.shown = name, state, outline, shown
        self.axis = shown.axis_mm(outline.kind)
        self.old: Target | None = getattr(state.targets, name)
        super().__init__(data, initial={"target": self.text()}, prefix=name, auto_id=f"target-{name}")

    def text(self) -> str:
        """The target as it would be typed again."""
        if self.old is None:
            return ""
        goal = Goal(value=self.old.value, tol=self.old.tol, axis_mm=self.old.axis_mm)
        return say_goal(self.name, goal, self.shown, self.axis)

    def clean_target(self) -> Target | None:
        text = self.cleaned_data["target"].strip()
        if not text:
            return None
        if text == self.text():
            return self.old
        tol = self.old.tol if self.old else None
        try:
            goal = read_goal(self.name, text, self.outline.length_mm, self.shown, self.axis, tol)
        except Unreadable as error:
            raise forms.ValidationError(str(error)) from None
        axis = self.axis if goal.axis_mm is None else goal.axis_mm
        was = figures(self.state.measured.body(), axis, self.state.measured.twist_kgcm2 is not None)
        base = was[self.name]
        if base is None:
            raise forms.ValidationError("Twist weight was not measured, so it cannot be held to a target.")
        value = goal.value if goal.value is not None else units.nominal(base) + (goal.change or 0.0)
        if not value > 0:
            raise forms.ValidationError(f"{value:g} cannot be reached by any frame.")
        return Target(round(value, 6), goal.tol, goal.axis_mm)

    def targets(self) -> Targets:
        """All targets with this one as typed. Call after ``is_valid``."""
        return replace(self.state.targets, **{self.name: self.cleaned_data["target"]})


class NameForm(forms.Form):
    name = forms.CharField(max_length=80, error_messages={"required": "A plan needs a name."})
    was = forms.CharField(required=False, widget=forms.HiddenInput)


class UploadForm(forms.Form):
    """A plan file. ``onto`` says whether it makes a frame of its own."""

    LARGEST = 512 * 1024
    file = forms.FileField(
        label="Plan file (.json)", error_messages={"required": "Choose a plan file first."}
    )

    def clean_file(self) -> bytes:
        upload = self.cleaned_data["file"]
        if upload.size > self.LARGEST:
            raise forms.ValidationError("That file is over 512 KB: a plan is a few KB.")
        content: bytes = upload.read()
        return content
