"""How a set should become alike, as typed: target, tolerances, sites, materials, school."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.pieces.piece import Piece, piece_faults
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import as_typed, the_reader
from kentrobar.core.recipes.brief import PartSite, PlugSite, Site, Tape
from kentrobar.core.recipes.frame_set import MATCHED
from kentrobar.core.recipes.quick import MOST_LAYERS
from kentrobar.core.recipes.usual import laid
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import apart, gap, told, unit_of
from kentrobar.frames.choices import Condition
from kentrobar.frames.models import Frame
from kentrobar.recipes.asked import materials_of
from kentrobar.recipes.kit_form import KitForm
from kentrobar.recipes.limited import FLAGS, Limited
from kentrobar.recipes.places import PlaceBox, sites_of
from kentrobar.recipes.sets import GIVEN, LEAST, AskedSet, MatchFrame, limited_by_set
from kentrobar.shop.models import Settings
from kentrobar.ui.fields import QuantityField, length_reader, mass_reader
from kentrobar.ui.forms import choose

MOST_FRAMES = 12
JUDGED = [("spread", "how far apart they are"), ("distance", "distance from the target")]


@dataclass(frozen=True, slots=True)
class Held:
    """One figure that may be matched: its boxes, and what is wrong in them."""

    name: str
    label: str
    unit: str
    tolerance: forms.BoundField
    value: forms.BoundField

    @property
    def fault(self) -> str:
        return next(
            (str(error) for box in (self.tolerance, self.value) for error in box.errors), ""
        )


class SetForm(KitForm):
    condition = forms.ChoiceField(label="compared", choices=Condition.choices)
    target = forms.ChoiceField(label="target")
    judged = forms.ChoiceField(label="judged by", choices=JUDGED)
    as_is = forms.TypedMultipleChoiceField(coerce=int, required=False)

    def __init__(
        self,
        asked: AskedSet,
        found: Sequence[MatchFrame],
        parts: Sequence[PartSite],
        data: Any = None,
    ) -> None:
        self.asked = asked
        outline = found[0].frame.outline()
        self.length_mm, self.axis = outline.length_mm, the_reader().axis_mm(outline.kind)
        limited = replace(limited_by_set(Limited.of(found[0].frame), asked), is_foam=False)
        access = limited.access(asked.condition)
        self.gather(sites_of(outline, asked.places, access), parts)
        if data is not None:
            data = self.posted(data)
            if data.get("target") not in self._targets(found):
                data["target"] = LEAST
            there = {str(one.frame.pk) for one in found}
            data.setlist("as_is", [one for one in data.getlist("as_is") if one in there])
        super().__init__(data, auto_id="set-%s", initial=self._initial())
        self.target_names = self._targets(found)
        choose(self, "target", list(self.target_names.items()))
        choose(self, "as_is", [(one.frame.pk, one.name) for one in found])
        self.fields["place"] = PlaceBox(outline, access)
        self.offer()
        for name in MATCHED:
            label = FIGURES[name].label
            self.fields[f"tol-{name}"] = forms.CharField(
                label=f"{label} within", required=False, max_length=20
            )
            self.fields[f"tol-{name}"].widget.attrs |= {
                "placeholder": "free",
                "autocomplete": "off",
                "inputmode": "text",
            }
            self.fields[f"value-{name}"] = forms.CharField(
                label=f"{label} of all", required=False, max_length=30
            )
            self.fields[f"value-{name}"].widget.attrs |= {
                "placeholder": "any",
                "autocomplete": "off",
            }

    @staticmethod
    def _targets(found: Sequence[MatchFrame]) -> dict[str, str]:
        follow = {f"frame:{one.frame.pk}": f"follow {one.name}" for one in found}
        return {LEAST: "the least mass moved"} | follow

    def _initial(self) -> dict[str, Any]:
        asked = self.asked
        initial: dict[str, Any] = {
            "condition": asked.condition,
            "target": LEAST if asked.target == GIVEN else asked.target,
            "as_is": asked.as_is,
            "sites": asked.sites,
            "parts": asked.parts,
            "materials": asked.materials,
            "priority": asked.priority,
            "judged": asked.judged,
            "hidden_only": asked.hidden_only,
            "bumper_stays": asked.bumper_stays,
            "strings_out": asked.strings_out,
        }
        for name, tol in asked.tolerances.items():
            initial[f"tol-{name}"] = gap("length" if name == "balance_mm" else name, tol)
        if asked.target == GIVEN:
            for name, value in asked.values.items():
                initial[f"value-{name}"] = self._said(name, value)
        return initial

    def _said(self, name: str, value: float) -> str:
        unit = unit_of(name)
        return as_typed(value / unit.size, unit.places)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        cleaned["tolerances"], cleaned["values"] = {}, {}
        for name in MATCHED:
            tol = self._read(
                f"tol-{name}", self._reader(name, is_change=True), self.asked.tolerances.get(name)
            )
            if tol is not None:
                cleaned["tolerances"][name] = tol
            value = self._read(f"value-{name}", self._reader(name), self.asked.values.get(name))
            if value is not None:
                cleaned["values"][name] = value
        if not cleaned["tolerances"] and not self.errors:
            self.add_error("tol-mass_g", "At least one figure must agree: write how near, like 1.")
        return cleaned

    def _reader(self, name: str, is_change: bool = False) -> Callable[[str], Typed]:
        """What reads a figure as written: a balance as a length, as its box says, where no other
        unit is written; a tolerance of it is never points or %."""
        if name == "mass_g":
            return mass_reader()
        if name != "balance_mm":
            return units.read_inertia
        if is_change:
            return length_reader()
        return partial(units.read_balance, length_mm=self.length_mm, default=the_reader().length)

    def _read(self, field: str, reader: Callable[[str], Typed], old: float | None) -> float | None:
        text = (self.cleaned_data.get(field) or "").strip().lstrip("±").strip()
        if not text or text.lower() == "free":  # as an empty box says
            return None
        if text == self.initial.get(field):
            return old
        try:
            value = reader(text).value
        except UnreadableError as error:
            self.add_error(field, str(error))
            return None
        if not value > 0:
            self.add_error(field, f"{text}: it must be above 0.")
            return None
        return float(value)

    def wish(self) -> AskedSet:
        """What is asked now. Call after ``is_valid``."""
        cleaned = self.cleaned_data
        names = ("condition", "tolerances", "priority", "judged", *FLAGS)
        sites, places = self.with_place(self.asked.places)
        asked: dict[str, Any] = {name: cleaned[name] for name in names}
        values = {
            name: value
            for name, value in cleaned["values"].items()
            if name in cleaned["tolerances"]
        }
        target = cleaned["target"]
        if target == LEAST and values:
            target = GIVEN
        return AskedSet(
            **asked, target=target, values=values if target == GIVEN else {}, sites=sites,
            places=places, parts=tuple(cleaned["parts"]), materials=tuple(cleaned["materials"]),
            as_is=tuple(cleaned["as_is"]), accepted=self.asked.accepted,
        )  # fmt: skip

    # --- showing ---

    def held(self) -> Iterator[Held]:
        for name in MATCHED:
            unit = unit_of(name).key
            yield Held(name, FIGURES[name].label, unit, self[f"tol-{name}"], self[f"value-{name}"])

    @property
    def is_spread(self) -> bool:
        return self["judged"].value() == "spread"

    @property
    def summary(self) -> str:
        """What is asked, in a line: `within 1 g, 1 mm; the least mass moved; sides, tip; putty`."""
        asked = self.asked
        near = ", ".join(apart(name, tol) for name, tol in asked.tolerances.items())
        target = self.target_names.get(str(self.initial["target"]), "")
        if asked.target == GIVEN:
            target = "at " + ", ".join(told(name, value) for name, value in asked.values.items())
        sites = ", ".join(name.lower() for _, name, on in self.site_rows() if on)
        flags = [str(self.fields[name].label) for name in FLAGS if getattr(asked, name)]
        parts = ", ".join((*asked.materials, *asked.parts))
        return "; ".join(one for one in (f"within {near}", target, sites, parts, *flags) if one)

    def site_rows(self) -> list[tuple[str, str, bool]]:
        return [(key, site.name, key in self.sites_on) for key, site in self.all_sites.items()]


class ChangeForm(forms.Form):
    """What goes on every frame: grams, a place, a material."""

    site = forms.ChoiceField(label="place")
    material = forms.ChoiceField(label="material")

    def __init__(self, frames: list[Frame], asked: AskedSet, data: Any = None) -> None:
        super().__init__(data, auto_id="change-%s")
        self.fields["grams"] = QuantityField(
            mass_reader(), label=f"put on each, {the_reader().mass}"
        )
        self.outline = frames[0].outline()
        limited = limited_by_set(Limited.of(frames[0]), asked)
        self.sites = limited.sites(self.outline, asked.condition, asked.places)
        self.tapes = {one.name: one for one in materials_of(Settings.load())}
        choose(self, "site", [(key, site.name) for key, site in self.sites.items()])
        choose(self, "material", [(name, name) for name in self.tapes])

    def clean_grams(self) -> float:
        typed = self.cleaned_data["grams"]
        if not typed.value > 0:
            raise forms.ValidationError(f"“{typed.text}”: write what goes on, above 0.")
        return float(typed.value)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if not self.errors:
            site, tape = self.sites[cleaned["site"]], self.tapes[cleaned["material"]]
            is_cavity = isinstance(site, PlugSite) and site.filling == "cavity"
            if is_cavity == isinstance(tape, Tape):
                told = (
                    "Putty goes inside the handle, not tape."
                    if is_cavity
                    else "Only tape goes here."
                )
                self.add_error("material", told)
                return cleaned
            for piece in self.pieces_at(site):
                for _, reason in piece_faults(piece, self.outline):
                    self.add_error("grams", str(reason))
                if (piece.layers or 1) > MOST_LAYERS:
                    told = f"That takes {piece.layers} layers; more than {MOST_LAYERS} peel off."
                    self.add_error("grams", told)
        return cleaned

    def pieces_at(self, site: Site) -> tuple[Piece, ...]:
        """What goes on a frame that has this site. Call after the boxes were read."""
        tape = self.tapes[self.cleaned_data["material"]]
        grams = self.cleaned_data["grams"]
        if isinstance(tape, Tape):
            return laid(site, grams, tape)
        return tuple(replace(one, material=tape.name) for one in laid(site, grams))
