"""Boxes for the four figures of a frame, several frames on one page, each judged by itself."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.reader import axis_text, the_reader
from kentrobar.core.units import Typed
from kentrobar.core.written import unit_word
from kentrobar.frames.choices import Quantity
from kentrobar.frames.figures import Figures
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Frame
from kentrobar.frames.reported import Given
from kentrobar.ui.fields import QuantityField, axis_reader, balance_reader, mass_reader


def not_of_a_frame(typed: Typed) -> str:
    """Why what was typed is no figure of any frame; '' where it may be one, however far off."""
    if not typed.value > 0:
        return f"“{typed.text}”: write what was read, above 0."
    return ""


def usual_axes() -> str:
    """The swing axes a figure is about where none is written: `100 mm or 50 mm`."""
    axes = {the_reader().axis_mm(kind) for kind in FRAME_KINDS}
    return " or ".join(axis_text(axis) for axis in sorted(axes, reverse=True))


class FigureBoxes(forms.Form):
    """Mass, balance, swing and twist weight as somebody writes them down."""

    balance_mm = forms.CharField(max_length=60, required=False)
    confirm = forms.BooleanField(label="Yes, that’s correct", required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.asks_to_confirm = False
        self.doubted: set[str] = set()
        self.fields["balance_mm"].label = f"balance, {the_reader().balance_unit}"
        boxes: dict[str, tuple[str, Callable[[str], Typed]]] = {
            "mass_g": (f"mass, {the_reader().mass}", mass_reader()),
            "swing_kgcm2": (f"swing weight, axis {usual_axes()}", units.read_inertia),
            "twist_kgcm2": ("twist weight", units.read_inertia),
        }
        for name, (label, reader) in boxes.items():
            repeats = partial(units.read_repeats, reader=reader)
            self.fields[name] = QuantityField(repeats, label=label, required=False)
        unit = unit_word(the_reader().balance_unit)
        self.fields["balance_mm"].widget.attrs |= {"autocomplete": "off", "data-unit": unit}

    def read_given(self, frame: Frame, cleaned: dict[str, Any]) -> Given:
        """What was written, with the swing weight's axis; a balance is read against the frame's
        length."""
        repeats = partial(units.read_repeats, reader=balance_reader(frame.length_mm))
        for name, reader in (("balance_mm", repeats), ("axis", axis_reader(frame.length_mm))):
            text = cleaned.get(name)
            if isinstance(text, str) and text:
                try:
                    cleaned[name] = reader(text)
                except UnreadableError as error:
                    self.add_error(name, str(error))
        about = cleaned.get("axis")
        axis = about.value if isinstance(about, Typed) else the_reader().axis_mm(frame.kind)
        return {
            one: (typed, axis if one == Quantity.SWING else None)
            for one in Quantity
            if isinstance(typed := cleaned.get(one.value), Typed)
        }

    def judge_given(
        self, frame: Frame, given: Given, condition: str, known: Figures | None, confirmed: bool
    ) -> None:
        """Doubts about what was written, each beside its box, until it is confirmed."""
        figures = {one.value: typed.value for one, (typed, _) in given.items()}
        _, axis = given.get(Quantity.SWING, (None, None))
        usual = the_reader().axis_mm(frame.kind)
        doubts = judge(frame, figures, usual if axis is None else axis, condition, known)
        self.doubted = {doubt.field for doubt in doubts}
        self.asks_to_confirm = bool(doubts) and all(one.severity == "unlikely" for one in doubts)
        if self.asks_to_confirm and confirmed:
            return
        for doubt in doubts:
            self.add_error(doubt.field, doubt.text)
