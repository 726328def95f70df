"""Materials, cuts weighed here, and what comes onto the shelf, as typed."""

from __future__ import annotations

import re
from typing import Any

from django import forms
from django.db import transaction

from kentrobar.core.errors import UnreadableError
from kentrobar.core.reader import digits, the_reader
from kentrobar.core.units import read_length, read_mass
from kentrobar.ui.fields import QuantityField, length_reader, mass_reader
from kentrobar.ui.forms import with_commas
from kentrobar.ui.understood import let_ask

from .models import Material, MaterialKind, Movement, Weighing

SCALE_U_G = 0.03
"""Standard uncertainty of a weighing on a scale of 0.1 g, g, where none is given."""


_COUNT = re.compile(r"([-+−]?[\d.,]+)\s*(?:cm²|cm2|sq ?cm|pieces?|pcs?\.?)", re.IGNORECASE)


def _in_units(field: forms.Field, unit: str) -> None:
    """Let an amount on the shelf be written with its unit: `5 m` of tape, `3 pieces`. Call after
    ``with_commas``."""
    plain = field.to_python
    reader = {"mm": read_length, "g": read_mass}.get(unit)

    def read(value: Any) -> Any:
        try:
            return plain(value)
        except forms.ValidationError:
            count = _COUNT.fullmatch(str(value).strip())
            if count and reader is None:
                return plain(count[1].replace("−", "-"))
        try:
            return reader(value).value if reader else plain(value)
        except (UnreadableError, forms.ValidationError):
            raise forms.ValidationError(f"Write how many {unit}, as a number.") from None

    field.to_python = read  # type: ignore[method-assign]


_PER_LENGTH = re.compile(r"(.+?)\s*g\s*/\s*(m|cm|mm|ft|in)", re.IGNORECASE)
_TO_A_METRE = {"m": 1.0, "cm": 100.0, "mm": 1000.0, "ft": 1 / 0.3048, "in": 1 / 0.0254}
A_METRE_G = (0.5, 500.0)
"""What a metre of strip may weigh: a hair of film, a sheet of lead as wide as a hand."""


def _per_metre(field: forms.Field) -> None:
    """Let grams per metre be written with another length: `0.0105 g/mm`. Call after
    ``with_commas``."""
    plain = field.to_python

    def read(value: Any) -> Any:
        found = _PER_LENGTH.fullmatch(str(value or "").strip())
        number = plain(found[1] if found else value)
        return number * _TO_A_METRE[found[2].lower()] if found and number else number

    field.to_python = read  # type: ignore[method-assign]


class MaterialForm(forms.ModelForm):
    maker_g_per_m = forms.FloatField(
        label="Grams a metre, as the maker says", required=False,
        help_text="until a cut of it is weighed here",
    )  # fmt: skip
    field_order = ("name", "kind", "width_mm", "thickness_mm", "density", "maker_g_per_m")

    class Meta:
        model = Material
        fields = (
            "name",
            "kind",
            "width_mm",
            "thickness_mm",
            "density",
            "each_g",
            "each_mm",
            "price",
            "pack",
            "toxicity",
            "test_only",
            "cure_hours",
            "warn_below",
        )

    def __init__(self, data: Any = None, **kwargs: Any) -> None:
        super().__init__(data, **{"auto_id": "m-%s"} | kwargs)
        if told := self.instance.maker_g_per_mm:
            self.initial["maker_g_per_m"] = round(1000 * told, 6)
        with_commas(self)
        _per_metre(self.fields["maker_g_per_m"])
        self.fields["kind"].error_messages["required"] = "What is it: tape, putty, a grip?"
        kind = (data or {}).get("kind") or self.instance.kind
        _in_units(self.fields["each_g"], "g")
        _in_units(self.fields["each_mm"], "mm")
        for name in ("pack", "warn_below"):
            _in_units(self.fields[name], Material(kind=kind).unit)

    def clean_name(self) -> str:
        name: str = self.cleaned_data["name"].strip()
        if Material.objects.filter(name__iexact=name).exclude(pk=self.instance.pk).exists():
            raise forms.ValidationError(
                "There is a material of this name already, on the shelf or archived."
            )
        return name

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if not 0 <= (cleaned.get("toxicity") or 0.0) <= 1:
            self.add_error("toxicity", "From 0, harmless, to 1, lead.")
        if (cleaned.get("warn_below") or 0.0) < 0:
            self.add_error("warn_below", "Write a figure from 0 on.")
        for name in (
            "width_mm",
            "thickness_mm",
            "density",
            "maker_g_per_m",
            "each_g",
            "each_mm",
            "price",
            "pack",
        ):
            value = cleaned.get(name)
            if value is not None and value <= 0:
                self.add_error(name, "Write a figure above 0, or leave it empty.")
        metre = cleaned.get("maker_g_per_m")
        if metre and metre > 0 and not A_METRE_G[0] <= metre <= A_METRE_G[1]:
            self.add_error(
                "maker_g_per_m", "A metre of strip weighs half a gram to half a kilogram."
            )
        if (
            cleaned.get("kind") == MaterialKind.SHEET
            and not cleaned.get("width_mm")
            and "width_mm" not in self.errors
        ):
            self.add_error(
                "width_mm", "How wide are the strips you cut off it? Plans and cut lists need that."
            )
        if cleaned.get("kind") == MaterialKind.STRIP:
            for name in ("each_g", "each_mm"):
                if not cleaned.get(name) and name not in self.errors:
                    self.add_error(name, "Of ready-cut strips: what one weighs, and its length.")
        return cleaned

    def save(self, commit: bool = True) -> Any:
        metre = self.cleaned_data["maker_g_per_m"]
        self.instance.maker_g_per_mm = metre and metre / 1000
        return super().save(commit)


class WeighForm(forms.Form):
    """A cut on the scale."""

    backing_on = forms.BooleanField(label="with its backing on", required=False)

    def __init__(self, material: Material, data: Any = None) -> None:
        self.material = material
        super().__init__(data, auto_id="w-%s", initial={"count": 1})
        length, mass = (
            length_reader(),
            mass_reader(),
        )
        self.fields["length"] = QuantityField(length, label=f"cut length, {the_reader().length}")
        if material.is_sheet:
            self.fields["width"] = QuantityField(length, label=f"cut width, {the_reader().length}")
        self.fields["count"] = forms.IntegerField(
            label="how many", min_value=1, max_value=200, initial=1
        )
        self.fields["mass"] = QuantityField(mass, label=f"they weigh, {the_reader().mass}")
        self.order_fields(["length", "width", "count", "mass", "backing_on"])
        let_ask(self)
        for name, words in (("length", "200 mm"), ("width", "50 mm"), ("mass", "1.98 ± 0.02 g")):
            if name in self.fields:
                self.fields[name].widget.attrs["placeholder"] = words

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        length, mass, count, width = (
            cleaned.get(name) for name in ("length", "mass", "count", "width")
        )
        if not (length and mass and count) or "width" in self.errors:
            return cleaned
        if not 5 <= length.value <= 20_000:
            self.add_error("length", "A cut of 5 mm to 20 m tells something.")
        elif width and not 2 <= width.value <= 1000:
            self.add_error("width", "A piece of sheet is 2 mm to a metre wide.")
        elif not mass.value > 0:
            self.add_error("mass", "A cut weighs more than nothing.")
        else:
            share = (self.material.width_mm or 0.0) / width.value if width else 1.0
            self._question(share * mass.value / (length.value * count))
        return cleaned

    def _question(self, per_mm: float) -> None:
        """A figure far from what is known of this roll is a slip more often than news."""
        known = self.material.per_length()
        if (
            known
            and not self.cleaned_data.get("backing_on")
            and not 0.6 < per_mm / known.g_per_mm < 1.6
        ):
            metre = 1000 * known.g_per_mm
            self.add_error(
                "mass",
                f"That would be {digits(1000 * per_mm, 3)} g a metre; this roll is known as"
                f" {digits(metre, 3)}. Grams, length or the count? If the roll is another one,"
                " make it a material of its own.",
            )

    def save(self, user: Any) -> Weighing:
        cleaned = self.cleaned_data
        return Weighing.objects.create(
            material=self.material, length_mm=cleaned["length"].value, count=cleaned["count"],
            width_mm=cleaned["width"].value if "width" in self.fields else None,
            mass_g=cleaned["mass"].value, u_g=cleaned["mass"].read_u(SCALE_U_G) or SCALE_U_G,
            backing_on=cleaned["backing_on"], weighed_by=user,
        )  # fmt: skip


class MoveForm(forms.Form):
    """Something came, or was found to be less: an amount in the material's unit, or a count of
    packs."""

    amount = forms.FloatField(label="came (or −: went)")
    reason = forms.CharField(label="why", max_length=120)

    def __init__(self, material: Material, data: Any = None) -> None:
        self.material = material
        super().__init__(data, auto_id="s-%s", initial={"reason": "delivered"})
        with_commas(self)
        _in_units(self.fields["amount"], material.unit)
        self.fields["amount"].label = f"came, {material.unit} (− for went)"

    def clean_amount(self) -> float:
        amount = self.cleaned_data["amount"]
        if not amount or abs(amount) > 1e7:
            raise forms.ValidationError("How much came, or with a − went?")
        return float(amount)

    def save(self, user: Any) -> Movement | None:
        """Write it down; None, with the fault beside its box, where more would go than is there,
        just now and whoever else takes from it."""
        with transaction.atomic():
            material = Material.objects.select_for_update().get(pk=self.material.pk)
            left = max(material.left, 0.0)
            if self.cleaned_data["amount"] < -left - 1e-6:
                said = (
                    f"Only {digits(left, 6)} {material.unit} are there: that cannot all have gone."
                )
                self.add_error("amount", said)
                return None
            return Movement.objects.create(material=material, moved_by=user, **self.cleaned_data)
