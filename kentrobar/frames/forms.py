"""Forms of a frame: who and what it is, its outline, and what was read from it."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.plausibility import Doubt
from kentrobar.core.geometry.kinds import FRAME_KINDS, default_outline, outline_of
from kentrobar.core.geometry.likely import units_meant
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.geometry.presets import PRESETS, filled
from kentrobar.core.reader import axis_text, length_text, the_reader
from kentrobar.core.units import Typed
from kentrobar.frames.models import Person
from kentrobar.ui.fields import (
    QuantityField,
    axis_reader,
    balance_reader,
    length_reader,
    mass_reader,
)
from kentrobar.ui.formatting import refusal_text
from kentrobar.ui.forms import choose, with_commas
from kentrobar.ui.understood import let_ask

from .choices import Condition, Quantity
from .figures import Figures
from .holes import holes_text, read_holes
from .judging import judge
from .models import Frame

DIMENSION_LABELS = {
    "length_mm": ("length", "butt end to tip"),
    "width_mm": ("width", "greatest, outside"),
    "widest_mm": ("butt to widest", "butt end to where the hoop is widest"),
    "hoop_base_mm": ("butt to hoop", "butt end to the bottom of the hoop, outside"),
    "rim_mm": ("rim", "depth of the rim or edge guard, seen on the face"),
    "beam_mm": ("beam", "thickness"),
    "handle_length_mm": ("handle", "butt end to the top of the grip"),
    "handle_radius_mm": ("handle radius", "half the mean thickness of the handle"),
    "handle_mm": ("butt to face", "butt end to where the face begins"),
    "corner_top_mm": ("top corner", "radius of the corners at the tip"),
    "corner_bottom_mm": ("bottom corner", "radius of the corners at the hand"),
    "top_rise_mm": ("top rises over", "tip to where the curve of an elliptic top begins"),
    "width_high_mm": ("width, high", "three quarters up the face, where the sides lean"),
    "width_middle_mm": ("width, middle", "half up the face"),
    "width_low_mm": ("width, low", "a quarter up the face"),
    "neck_mm": ("neck", "over which the face tapers to the handle, instead of bottom corners"),
}


class FrameForm(forms.Form):
    """A frame with its outline. Valid, it holds ``outline`` and the texts as typed."""

    maker = forms.CharField(label="maker", max_length=60, required=False)
    model = forms.CharField(
        label="model",
        max_length=60,
        error_messages={"required": "What model is it? Write any name."},
    )
    serial = forms.CharField(label="serial or mark", max_length=40, required=False)
    player = forms.CharField(label="who plays it", max_length=60, required=False)
    note = forms.CharField(label="what is wanted, in their words", max_length=200, required=False)
    holes = forms.CharField(
        required=False, max_length=2000,
        help_text="Then a strip is laid, and told, by its holes, counted from the tip.",
        widget=forms.Textarea(attrs={"rows": 2, "placeholder": "6 19 32 45 58 …"}),
    )  # fmt: skip

    stiffness = forms.FloatField(
        label="stiffness, RA", required=False, min_value=20, max_value=100,
        error_messages=dict.fromkeys(
            ("invalid", "min_value", "max_value"), "Stiffness is a number like 63, 20 to 100."
        ),
    )  # fmt: skip
    string_pattern = forms.RegexField(
        r"^\d{2}\s*[x×/]\s*\d{2}$", label="string pattern", required=False, max_length=9,
        error_messages={"invalid": "Mains by crosses: 16x19."},
    )  # fmt: skip
    is_foam = forms.BooleanField(
        label="the handle is filled with foam: strips inside the cap instead of putty",
        required=False,
    )

    def __init__(self, kind: str, data: Any = None, frame: Frame | None = None) -> None:
        self.kind, self.frame, self.about = kind, frame, FRAME_KINDS[kind]
        super().__init__(data, initial=self._initial())
        self.fields["kind"] = forms.ChoiceField(
            choices=[(key, one.label) for key, one in FRAME_KINDS.items()],
            widget=forms.HiddenInput,
            initial=kind,
        )
        for name in FRAME_KINDS[kind].dimensions:
            label, help_text = DIMENSION_LABELS[name]
            reader = length_reader()
            self.fields[name] = QuantityField(
                reader, label=label, help_text=help_text, required=name not in self.about.optional
            )
            self.fields[name].error_messages["required"] = (
                f"Measure the {label} too, or take a preset."
            )
            self.fields[name].widget.attrs["data-lights"] = name
        with_commas(self)
        self.fields["holes"].widget.attrs["data-unit"] = the_reader().length
        along = f"{the_reader().length} from the tip’s centre along the edge"
        self.fields["holes"].label = f"grommet holes of one side, {along}"

    def _initial(self) -> dict[str, Any]:
        if self.frame is None:
            return dimension_texts(default_outline(self.kind))
        names = ("maker", "model", "serial", "note", "is_foam", "stiffness", "string_pattern")
        about = {name: getattr(self.frame, name) for name in names}
        about["player"] = str(self.frame.player or "")
        about["holes"] = holes_text(self.frame.holes_mm)
        return dimension_texts(self.frame.outline()) | about

    @property
    def feel_fields(self) -> list[forms.BoundField]:
        """What makes a racket feel as it does beside its mass; a paddle has none."""
        names = ("stiffness", "string_pattern") if self.about.is_strung else ()
        return [self[name] for name in names]

    @property
    def sheet_fields(self) -> list[forms.BoundField]:
        """The three a tape must tell."""
        return [self[name] for name in self.about.tape_first]

    @property
    def next_fields(self) -> list[forms.BoundField]:
        """What a tape should tell next."""
        return [self[name] for name in self.about.tape_next]

    @property
    def rest_fields(self) -> list[forms.BoundField]:
        apart = (*self.about.tape_first, *self.about.tape_next, *self.about.optional)
        return [self[name] for name in self.about.dimensions if name not in apart]

    @property
    def has_optional(self) -> bool:
        """Whether any of what few frames need stands written, or is at fault."""
        return any(box.value() or box.errors for box in self.optional_fields)

    @property
    def optional_fields(self) -> list[forms.BoundField]:
        """What few frames need."""
        return [self[name] for name in self.about.dimensions if name in self.about.optional]

    @property
    def followed(self) -> str:
        """The texts of boxes that follow the three, so that one overwritten by hand is known by
        it."""
        if self.frame is not None:
            return ""
        texts = {name: self[name].value() or "" for name in self.about.dimensions}
        if self.is_bound:
            kept = _followed(self.data.get("followed", ""))
            texts = {name: text for name, text in texts.items() if kept.get(name) == text}
        return "|".join(
            f"{n}={text}" for n, text in texts.items() if n not in self.about.tape_first
        )

    @property
    def name_fields(self) -> list[forms.BoundField]:
        return [self[name] for name in ("model", "maker", "serial", "player", "note")]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        typed = {name: cleaned.get(name) for name in self.about.dimensions}
        sizes = {name: size for name, size in typed.items() if isinstance(size, Typed)}
        is_whole = all(
            name in sizes or (name in self.about.optional and name not in self.errors)
            for name in typed
        )
        for name, size in sizes.items():
            if name in self.changed_data and (meant := units_meant(self.kind, name, size)):
                is_whole = False
                others = " or ".join(f"{size.text} {unit}" for unit in meant)
                self.add_error(
                    name, f"{size.text} {size.unit} cannot be: {others}? Write the unit beside it."
                )
        if is_whole:
            self.outline = self._outline(sizes)
            for name, reason in self.outline.faults():
                self.add_error(name, f"{DIMENSION_LABELS[name][0]}: {refusal_text(name, reason)}.")
        self.holes_mm = self.frame.holes_mm if self.frame else []
        if is_whole and not self.errors and "holes" in self.changed_data:
            try:
                self.holes_mm = read_holes(cleaned["holes"], self.outline)
            except UnreadableError as error:
                self.add_error("holes", str(error))
        return cleaned

    def _outline(self, sizes: dict[str, Typed]) -> Outline:
        values: dict[str, float] = {}
        for name, typed in sizes.items():
            unchanged = self.frame is not None and name not in self.changed_data
            # A box left alone keeps the exact size behind its rounded text.
            values[name] = getattr(self.frame, name) if unchanged else typed.value
        return outline_of(self.kind, values)

    def save(self) -> Frame:
        frame = self.frame or Frame()
        for name in ("maker", "model", "serial", "note", "is_foam", "stiffness"):
            setattr(frame, name, self.cleaned_data[name])
        frame.string_pattern = "×".join(re.findall(r"\d+", self.cleaned_data["string_pattern"]))
        frame.player = Person.named(self.cleaned_data["player"])
        frame.set_outline(self.outline)
        frame.holes_mm = self.holes_mm
        frame.typed = frame.typed | {
            name: typed.text if (typed := self.cleaned_data[name]) else ""
            for name in self.about.dimensions
            if name in self.changed_data or name not in frame.typed
        }
        frame.save()
        return frame


def follow(kind: str, data: Any) -> Any:
    """A posted frame in which boxes nobody wrote into follow the three that were measured."""
    kept = _followed(data.get("followed", ""))
    following = [
        name
        for name in FRAME_KINDS[kind].dimensions
        if name in kept and kept[name] == data.get(name)
    ]
    preset = PRESETS.get(data.get("preset", ""), ("", default_outline(kind)))[1]
    if not following or preset.kind != kind:
        return data
    try:
        measured = {
            name: units.read_length(data.get(name, ""), the_reader().length).value
            for name in FRAME_KINDS[kind].tape_first
        }
    except UnreadableError:
        return data
    data = data.copy()
    texts = dimension_texts(filled(preset, measured))
    for name in following:
        data[name] = texts[name]
    data["followed"] = "|".join(f"{name}={texts[name]}" for name in following)
    return data


def _followed(text: str) -> dict[str, str]:
    return dict(part.split("=", 1) for part in text.split("|") if "=" in part)


def dimension_texts(outline: Outline) -> dict[str, str]:
    """The dimensions of an outline as texts for their boxes."""
    return {
        name: "" if (size := getattr(outline, name)) is None else length_text(size)
        for name in FRAME_KINDS[outline.kind].dimensions
    }


class ReadingForm(forms.Form):
    """Figures as read, in one condition. Any may be left out; what is there is judged together."""

    condition = forms.ChoiceField(choices=Condition.choices, label="read")
    confirm = forms.BooleanField(required=False, label="Yes, that’s correct")
    is_told = forms.BooleanField(required=False, label="told by the customer, not read here")

    def __init__(self, frame: Frame, data: Any = None, known: list[Figures] | None = None) -> None:
        self.frame, self.outline = frame, frame.outline()
        self.known = {figures.condition: figures for figures in (known or [])}
        self.doubts: list[Doubt] = []
        axis = axis_text(the_reader().axis_mm(frame.kind))
        condition = frame.usual_condition()
        super().__init__(data, initial={"axis": axis, "condition": condition}, auto_id="reading-%s")
        choose(self, "condition", frame.conditions())
        balance = balance_reader(self.outline.length_mm)
        boxes: dict[str, tuple[str, Callable[[str], Any], str]] = {
            "mass_g": (
                "static weight",
                mass_reader(),
                "320 g or 11.3 oz",
            ),
            "balance_mm": ("balance", balance, "32.4 cm or 6 pts HL"),
            "swing_kgcm2": ("swing weight", units.read_inertia, "kg·cm²"),
            "axis": ("about the axis", axis_reader(self.outline.length_mm), "100 mm"),
            "twist_kgcm2": ("twist weight", units.read_inertia, "kg·cm²"),
        }
        for name, (label, reader, hint) in boxes.items():
            repeats = reader if name == "axis" else partial(units.read_repeats, reader=reader)
            self.fields[name] = QuantityField(repeats, label=label, required=False)
            self.fields[name].widget.attrs["placeholder"] = hint
        let_ask(self)

    @property
    def boxes(self) -> list[forms.BoundField]:
        return [
            self[name]
            for name in ("condition", "mass_g", "balance_mm", "swing_kgcm2", "axis", "twist_kgcm2")
        ]

    @property
    def asks_to_confirm(self) -> bool:
        return bool(self.doubts) and all(doubt.severity == "unlikely" for doubt in self.doubts)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        given = {
            q.value: cleaned[q.value] for q in Quantity if isinstance(cleaned.get(q.value), Typed)
        }
        if self.errors:
            return cleaned
        if not given:
            raise forms.ValidationError("Write at least one figure.")
        axis = cleaned.get("axis")
        if "swing_kgcm2" in given and not isinstance(axis, Typed):
            self.add_error("axis", "A swing weight means nothing without its axis: write 100 mm.")
            return cleaned
        self._judge(given, axis)
        return cleaned

    def _judge(self, given: dict[str, Typed], axis: Typed | None) -> None:
        """Judge what was given beside what is known in the same condition."""
        condition = self.cleaned_data["condition"]
        figures = {name: typed.value for name, typed in given.items()}
        self.doubts = judge(
            self.frame, figures, axis.value if axis else None, condition, self.known.get(condition)
        )
        if self.asks_to_confirm and self.cleaned_data.get("confirm"):
            return
        for doubt in self.doubts:
            self.add_error(doubt.field, doubt.text)

    def readings(self) -> dict[Quantity, tuple[Typed, float | None]]:
        """(typed value, axis in mm for a swing weight) of each figure given."""
        found = {}
        for quantity in Quantity:
            typed = self.cleaned_data.get(quantity.value)
            if isinstance(typed, Typed):
                axis = self.cleaned_data["axis"].value if quantity == Quantity.SWING else None
                found[quantity] = (typed, axis)
        return found
