"""Forms of the Plan view: one piece, one target. They read what people write and give core
values."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, assert_never

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import PlacementError, UnreadableError
from kentrobar.core.frame.targets import Target, Targets
from kentrobar.core.frame.typical import usual_twist
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.wishes import read_goal, say_goal
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.bevels import BEVELS
from kentrobar.core.pieces.cutting import SAME_G, cut_text, wanted, wanted_of
from kentrobar.core.pieces.piece import MOST_LAYERS, Box, Piece, piece_faults
from kentrobar.core.quantities import figure
from kentrobar.core.reader import (
    clock_text,
    digits,
    hole_text,
    length_text,
    marked,
    mass_text,
    the_reader,
)
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import told, unit_of
from kentrobar.stock import shelf
from kentrobar.ui.fields import QuantityField, length_reader, mass_reader
from kentrobar.ui.formatting import placed_text, refusal_text

from .hand import Hand
from .state import PlanState

LINES_SHORT = [("edge", "edge"), ("face", "faces"), ("inner", "inside")]


ORDER = (
    "mass_g", "sure", "length_mm", "layers", "weighed",
    "clock", "middle", "upper_end", "from_tip", "hole",
    "line", "mirror", "material",
)  # fmt: skip
"""Boxes of a piece as they stand in rows: what it is, where it lies, what it is of; others after
them."""


@dataclass(frozen=True, slots=True)
class TypedBox:
    """A box of the piece's form as its plain facts, which draw in a tenth of a widget's time;
    ``widget`` is the whole of one that is not typed into."""

    id: str
    name: str
    label: str
    value: str = ""
    list: str = ""
    is_number: bool = False
    fault: str = ""
    widget: str = ""


OTHER_END = {"from_mm": "to_mm", "to_mm": "from_mm"}


class PieceForm(forms.Form):
    """One piece: its grams, the boxes its kind has, its material. Only boxes whose text was changed
    change the piece, so that rounding for the eye never moves anything.

    Grams and cut of tape are one relation (``Hand``): a box that was typed says what is meant, the
    others follow. Where what was typed can be, it holds the piece in ``changed``, and in ``said``
    what was understood. A box that cannot be read holds nothing else up: it stands in ``stuck``,
    its text and its fault, until it is put right.
    """

    def __init__(
        self, piece: Piece, outline: Outline, data: Any = None,
        hand: Hand | None = None,
    ) -> None:  # fmt: skip
        self.piece, self.outline = piece, outline
        self.hand = hand or Hand()
        self.places = [one for one in piece.places if one.holds != "hole" or self.hand.holes_mm]
        self.said: list[str] = []
        self.changed: Piece | None = None
        self.stuck: dict[str, tuple[str, str]] = {}
        self.is_off = piece.mass_g < 0
        self.asks = False
        grams = f"mass in {the_reader().mass}" if the_reader().mass != "g" else "grams"
        self.labels = {"mass_g": grams} | {box.field: box.label for box in piece.boxes}
        super().__init__(data, initial=self._initial(), prefix="piece", auto_id="piece-%s")
        mass = mass_reader()
        self.fields["mass_g"] = QuantityField(mass, label=f"{grams} off" if self.is_off else grams)
        if not self.is_off:
            self.fields["weighed"] = forms.BooleanField(label="weighed", required=False)
        for box in piece.boxes:
            self.fields[box.field] = self._field(box)
        for box in self.places:
            self.fields[box.field] = self._field(box)
            self.fields[box.field].required = False
        self.fields["material"] = forms.CharField(label="material", required=False, max_length=60)
        names = "tapes" if piece.is_tape else "fillings"
        self.fields["material"].widget.attrs |= {"list": names, "autocomplete": "off"}
        if piece.is_tape and not self.is_off:
            self.fields["hold"] = forms.BooleanField(label="hold grams", required=False)
        self.fields["sure"] = forms.BooleanField(label="Yes, that’s correct", required=False)
        self.order_fields(ORDER)
        for name in self.fields:
            self.fields[name].widget.attrs["id"] = f"piece-{name}"

    @cached_property
    def changed_data(self) -> list[str]:
        """The boxes that say something new: of a page with its script the one that was typed, for
        the others may be older than what has become of the piece since."""
        changed = super().changed_data
        if not self._typed:
            return changed
        # What was asked about waits in its box until it is said to be right.
        meant = {"mass_g" if self._typed == "sure" else self._typed}
        return [name for name in changed if name in meant]

    @property
    def _typed(self) -> str:
        """The box that was typed, of a page with its script; '' where any of them may have been."""
        typed = self.data.get("piece-typed", "").removeprefix("piece-")
        return typed if typed in self.fields else ""

    def _field(self, box: Box) -> forms.Field:
        match box.holds:
            case "clock":
                return QuantityField(units.read_clock, label=box.label)
            case "length":
                reader = length_reader()
                return QuantityField(reader, label=box.label)
            case "hole":
                return QuantityField(units.read_hole, label=box.label)
            case "line":
                return forms.ChoiceField(label=box.label, choices=LINES_SHORT)
            case "flag":
                return forms.BooleanField(label=box.label, required=False)
            case "layers":
                said = f"1 to {MOST_LAYERS} layers, a whole number."
                words = dict.fromkeys(("invalid", "min_value", "max_value"), said)
                return forms.IntegerField(
                    label=box.label, required=False, min_value=1, max_value=MOST_LAYERS,
                    error_messages=words,
                )  # fmt: skip
            case "count":
                pairs = range(2, BEVELS + 1, 2)
                return forms.TypedChoiceField(
                    label=box.label, coerce=int, choices=[(one, str(one)) for one in pairs]
                )
            case _:
                assert_never(box.holds)

    def boxes(self) -> Iterator[TypedBox]:
        """The fields for the page."""
        for bound in self:
            if bound.name == "sure" and not self.asks:
                continue
            key, name, label = f"piece-{bound.name}", bound.html_name, str(bound.label)
            widget = bound.field.widget
            if not isinstance(widget, (forms.TextInput, forms.NumberInput)):
                yield TypedBox(key, name, label, widget=bound.as_field_group())
                continue
            text, fault = self.stuck.get(bound.name, ("", ""))
            value = text or bound.value()
            yield TypedBox(
                key, name, label, "" if value is None else str(value),
                widget.attrs.get("list", ""), isinstance(widget, forms.NumberInput),
                fault or (str(bound.errors[0]) if bound.errors else ""),
            )  # fmt: skip

    def _initial(self) -> dict[str, Any]:
        piece = self.piece
        grams = abs(piece.mass_g) if self.is_off else wanted_of(piece)
        initial: dict[str, Any] = {"mass_g": _text("mass_g", grams, 2)}
        for box in piece.boxes:
            value = getattr(piece, box.field)
            if box.holds == "clock":
                value = clock_text(value)
            elif box.holds == "length":
                value = _text("length", value, 1)
            initial[box.field] = value
        for box in self.places:
            at = piece.place_of(self.outline, box.field, self.hand.holes_mm)
            initial[box.field] = "" if at is None else _place_text(box, at)
        kept = {"material": piece.material, "weighed": bool(piece.weighed)}
        return initial | kept | {"hold": self.hand.holds_grams}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if self.errors and (not self._typed or self._typed in self.errors):
            return cleaned
        self.stuck = {
            name: (self.data.get(self.add_prefix(name), ""), str(faults[0]))
            for name, faults in self.errors.items()
        }
        changed = self._changed(cleaned)
        if changed is None:
            return cleaned
        faults = list(piece_faults(changed, self.outline))
        for name, reason in faults:
            said = refusal_text(name, reason)
            self.add_error(
                name if name in self.fields else None, f"{self.labels.get(name, name)}: {said}"
            )
        if not faults:
            self.changed = changed
        return cleaned

    def _changed(self, cleaned: dict[str, Any]) -> Piece | None:
        """The piece as it is meant now; None where what was typed contradicts itself."""
        places = {box.field for box in self.places}
        new: dict[str, Any] = {}
        for name in self.changed_data:
            value = cleaned.get(name)
            if isinstance(value, Typed):
                value = value.value
            if name in places or name in ("hold", "sure"):
                continue
            if name == "mass_g" and self.is_off and isinstance(value, float):
                value = self._taken_off(value)
            was = wanted_of(self.piece) if name == "mass_g" else getattr(self.piece, name)
            if isinstance(value, float) and abs(value - was) < 1e-6:
                continue  # the same, only written otherwise
            new[name] = value or None if name in ("material", "layers", "weighed") else value
        new |= self._refused_before(cleaned)
        grams = new.pop("mass_g", None)
        if fault := self._grams_fault(grams, cleaned):
            self.add_error("mass_g", fault)
            return None
        changed = self._laid(replace(self.piece, **new), cleaned)
        if changed is None or grams is None:
            return changed and self._weighs(changed, new)
        return self._of_grams(changed, grams, new)

    def _refused_before(self, cleaned: dict[str, Any]) -> dict[str, Any]:
        """The other end of a stretch, where it stands in its box as it was refused: `from 45` of
        8–38 mm waits for `to 190`, and both are meant."""
        other = OTHER_END.get(self._typed, "")
        typed = cleaned.get(other) if other in self.fields else None
        if not isinstance(typed, Typed) or typed.value == getattr(self.piece, other):
            return {}
        end: dict[str, Any] = {other: typed.value}
        alone = replace(self.piece, **end)
        is_refused = any(True for _ in piece_faults(alone, self.outline))
        return end if is_refused else {}

    def _grams_fault(self, grams: float | None, cleaned: dict[str, Any]) -> str:
        """Why so many grams are not taken, or not unasked; '' where they are."""
        if grams is None:
            return ""
        if grams == 0:
            return "A piece weighs something. Clear it with ⌫ if it is not on."
        if grams < 0 and not self.is_off:
            return "Write how many grams are put on. What comes off is laid with “Take off”."
        if abs(grams) <= self.piece.likely_g or cleaned.get("sure"):
            return ""
        self.asks = True
        typed: Typed = cleaned["mass_g"]
        count = typed.value / units.MASS[typed.unit]
        meant = "" if typed.unit == "g" else f" Did you mean {told('mass_g', count)}?"
        return f"{told('mass_g', abs(grams))} in one piece is a lot.{meant}"

    def _taken_off(self, grams: float) -> float:
        """What was typed of something that comes off: a plain number is taken off, as the box
        says."""
        is_put_on = self.data.get("piece-mass_g", "").strip().startswith("+")
        return grams if is_put_on else -abs(grams)

    def _laid(self, changed: Piece, cleaned: dict[str, Any]) -> Piece | None:
        """Laid where a place that was typed says; the place that is typed last in order holds."""
        for box in self.places:
            if box.field not in self.changed_data or cleaned.get(box.field) is None:
                continue
            at = cleaned[box.field].value
            try:
                changed = changed.placed(self.outline, box.field, at, self.hand.holes_mm)
            except PlacementError as error:
                self.add_error(box.field, f"{placed_text(box.holds, error)}.")
                return None
        return changed

    def _weighs(self, changed: Piece, new: dict[str, Any]) -> Piece:
        """With the grams that follow where none were typed."""
        if "weighed" in new and changed.tape() == self.piece.tape():
            if changed.weighed:
                # The scale said what stands in the box.
                return replace(changed, mass_g=wanted_of(changed), wanted_g=None)
            return self.hand.laid(changed)
        if changed.weighed and {"length_mm", "layers", "from_mm", "to_mm"} & set(new):
            return changed  # the cut that was weighed, told of now
        if "material" in new and not changed.is_tape and changed.mass_g > 0:
            each = shelf.each_g(changed.material)
            if each:
                self.said.append(f"{changed.material}: {told('mass_g', each)} each")
                return replace(changed, mass_g=each, weighed=None)
        return self.hand.settled(changed, self.piece, self.outline)

    def _of_grams(self, changed: Piece, grams: float, new: dict[str, Any]) -> Piece | None:
        """With grams as typed, and the cut that gives them where its roll is known."""
        typed = replace(changed, mass_g=grams, wanted_g=None)
        roll = self.hand.roll(changed.material) if changed.is_tape and grams > 0 else None
        if roll is None or changed.weighed:
            return typed
        if "length_mm" in new or {"from_mm", "to_mm"} & set(new):
            of_cut = self.hand.laid(changed)
            if abs(of_cut.mass_g - grams) <= SAME_G:
                return wanted(of_cut, grams)
            self.add_error(
                "mass_g",
                f"This cut weighs {told('mass_g', of_cut.mass_g, 2)} off its roll. Type one of the"
                " two, or tick “weighed” where a scale said so.",
            )
            return None
        ways = self.hand.ways(changed, grams, self.outline)
        if "layers" in new:
            ways = [way for way in ways if way.piece.layers == changed.layers] or ways
        found = wanted(ways[0].piece, grams)
        met = f"cut as {cut_text(found)}: {mass_text(found.mass_g)}"
        self.said.append(met if found.wanted_g is None else wanted_text(found))
        return found

    @property
    def read_as(self) -> str:
        """`2 in = 50.8 mm`: what was typed in another unit than the core's, and what it came to;
        then what followed from it."""
        said = []
        for name in self.changed_data:
            typed = self.cleaned_data.get(name)
            if isinstance(typed, Typed) and typed.unit not in ("", "g", "mm"):
                unit = "g" if name == "mass_g" else "mm"
                said.append(f"{typed.text} = {digits(typed.value, 4)} {unit}")
        return ", ".join([*said, *self.said])


def wanted_text(piece: Piece) -> str:
    """`2.00 g wanted, 4 × 50.8 mm gives 1.99 g`."""
    grams = told("mass_g", wanted_of(piece), 2)
    return f"{grams} wanted, {cut_text(piece)} gives {told('mass_g', piece.mass_g, 2)}"


def _place_text(box: Box, at: float) -> str:
    if box.holds == "hole":
        return hole_text(at)
    return length_text(at)


def _text(figure: str, value: float, least: int) -> str:
    """A value for a text box: enough decimals to be read back as it is, with its unit."""
    unit = unit_of(figure)
    shown = value / unit.size
    for places in range(least, 5):
        if abs(round(shown, places) * unit.size - value) < 1e-6:
            break
    return f"{marked(f'{shown:.{places}f}')} {unit.key}"


class TargetForm(forms.Form):
    """One target as text: `326 ± 1`, `+8` (from as measured), `keep`, or empty for none.

    A swing weight is meant about the shown axis, or says its own: `322 ± 2 at 101.6 mm`."""

    target = forms.CharField(required=False, max_length=60)

    def __init__(
        self,
        name: str,
        state: PlanState,
        outline: Outline,
        data: Any = None,
        by_set: Target | None = None,
    ) -> None:
        """``by_set``: what the plan's set decides of this figure."""
        self.name, self.state, self.outline, self.by_set = name, state, outline, by_set
        self.axis = the_reader().axis_mm(outline.kind)
        self.old: Target | None = by_set or getattr(state.targets, name)
        super().__init__(
            data, initial={"target": self.text()}, prefix=name, auto_id=f"target-{name}"
        )

    def text(self) -> str:
        """The target as it would be typed again."""
        if self.old is None:
            return ""
        value, tol = self.old.value, self.old.tol
        goal = (
            Goal(change=value, tol=tol)
            if self.old.is_change
            else Goal(value=value, tol=tol, axis_mm=self.old.axis_mm)
        )
        return say_goal(self.name, goal, self.axis)

    def clean_target(self) -> Target | None:
        text = self.cleaned_data["target"].strip()
        if self.by_set is not None:
            raise forms.ValidationError(
                "The other frames of the set decide this target: change the tolerance or the"
                " target on the Set page."
            )
        if not text:
            return None
        if text == self.text():
            return self.old
        tol = self.old.tol if self.old else None
        try:
            is_known = self.name != "twist_kgcm2" or self.state.measured.twist_kgcm2 is not None
            now = nominal(figure(self.name, self.state.measured.body(), self.axis))
            goal = read_goal(
                self.name, text, self.outline.length_mm, self.axis, tol,
                now if is_known else usual_twist(self.state.measured, self.outline),
            )  # fmt: skip
        except UnreadableError as error:
            raise forms.ValidationError(str(error)) from None
        axis = self.axis if goal.axis_mm is None else goal.axis_mm
        measured = self.state.measured
        if not is_known:
            if goal.change is None:
                raise forms.ValidationError(
                    "Twist weight was not measured: aim at a change of it, like +0.5."
                )
            return Target(goal.change, goal.tol, is_change=True)
        base = figure(self.name, measured.body(), axis)
        value = goal.value if goal.value is not None else nominal(base) + (goal.change or 0.0)
        if not value > 0:
            raise forms.ValidationError(f"{told(self.name, value)} cannot be reached by any frame.")
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
        self.file_name = str(upload.name or "the file")
        content: bytes = upload.read()
        return content
