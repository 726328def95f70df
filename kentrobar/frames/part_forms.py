"""Putting something on a frame: what takes whose place, what it weighs, and what is asked about."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from django import forms
from django.db import transaction
from django.utils import timezone

from kentrobar.core.pieces import stringing
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.units import MASS, Typed
from kentrobar.core.words.amounts import told
from kentrobar.ui.fields import QuantityField, length_reader, mass_reader
from kentrobar.ui.forms import choose
from kentrobar.ui.understood import let_ask

from .models import FittedPart, Frame
from .products import SCALE_U, UNNOTED, usual_mass

ONE_OF = (
    {"grip", "leather-grip"},
    {"strings"},
    {"overgrip"},
    {"dampener"},
    {"cap"},
    {"guard"},
    {"bumper"},
    {"wrapper"},
)
"""Kinds of which a frame carries one: a new one takes the place of the old."""
NEVER_WITHOUT = {"grip": "grip", "leather-grip": "grip", "strings": "strings", "cap": "cap"}
"""What a frame that was played with had, written down or not: a new one takes its place."""
HEAVIEST_G = 200.0
WEIGHS = "A part weighs more than nothing and less than 200 g."
FAR = 2.0
"""A part is asked about that weighs so many times its usual most, or its least so many times."""
IN_ITS_PACKET = 0.95
"""Share of a packet's mass from which a set of strings is asked about."""


class PartForm(forms.Form):
    """Something put on a frame. Left empty, its mass is the usual one with a usual doubt."""

    kind = forms.ChoiceField(label="what")
    name = forms.CharField(label="type", max_length=60, required=False)
    since = forms.ChoiceField(
        label="since",
        choices=[("now", "just now"), ("before", "before it was read")],
        initial="now",
    )
    had_none = forms.BooleanField(label="there was none before", required=False)
    confirm = forms.BooleanField(label="Yes, that’s correct", required=False)

    def __init__(self, frame: Frame, data: Any = None) -> None:
        self.frame, self.asks_to_confirm = frame, False
        super().__init__(data, auto_id="part-%s")
        kinds = {
            key: kind for key, kind in PARTS.items() if frame.is_strung or not kind.strung_only
        }
        choose(
            self,
            "kind",
            [(key, f"{kind.label}, usually {_usual_mass(key)}") for key, kind in kinds.items()],
        )
        self.fields["name"].widget.attrs |= {
            "placeholder": "polyester, tacky, leather…",
            "list": "products",
        }
        mass = mass_reader()
        length = length_reader()
        texts: dict[str, tuple[Callable[[str], Typed], str, str]] = {
            "gauge": (stringing.read_gauge, "gauge of string", "1.25 or 16L"),
            "mass": (mass, "weighs", "as usual"),
            "cut_off": (mass, "of which cut off", "ends of a set"),
            "old_mass": (mass, "the old one weighed", "as usual"),
            "from_mm": (length, "from", "where it usually sits"),
            "to_mm": (length, "to", "the same"),
        }
        for name, (reader, label, hint) in texts.items():
            self.fields[name] = QuantityField(reader, label=label, required=False)
            self.fields[name].widget.attrs["placeholder"] = hint
        self.fields["pieces"] = forms.IntegerField(
            label="that many weighed together",
            required=False,
            min_value=1,
            max_value=1000,
            initial=1,
        )
        let_ask(self)

    @property
    def boxes(self) -> list[forms.BoundField]:
        names = (
            "kind", "name", "gauge", "mass", "cut_off", "pieces", "from_mm", "to_mm", "since",
            "old_mass", "had_none",
        )  # fmt: skip
        return [self[name] for name in names]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        self._check_place(cleaned)
        mass, cut = cleaned.get("mass"), cleaned.get("cut_off")
        if cut is not None and (mass is None or not 0 <= cut.value < mass.value):
            self.add_error("cut_off", "Write what the whole set weighed too, and what was cut off.")
            return cleaned
        grams, old = self._grams(cleaned), cleaned.get("old_mass")
        if old is not None and not 0 < old.value < HEAVIEST_G:
            self.add_error("old_mass", WEIGHS)
        if grams is not None and not 0 < grams < HEAVIEST_G:
            self.add_error("mass", WEIGHS)
        elif grams is not None and "kind" in cleaned and not cleaned.get("confirm"):
            question = self._question(grams, cleaned)
            if question:
                self.asks_to_confirm = True
                self.add_error("mass", question)
        return cleaned

    def _check_place(self, cleaned: dict[str, Any]) -> None:
        start, end, length = cleaned.get("from_mm"), cleaned.get("to_mm"), self.frame.length_mm
        for name, typed in (("from_mm", start), ("to_mm", end)):
            if typed is not None and not 0 <= typed.value <= length:
                tip = told("length", length)
                self.add_error(name, f"{typed.text} lies off the frame, 0…{tip} from the butt.")
        if (start is None) != (end is None):
            self.add_error(
                "to_mm" if end is None else "from_mm", "Write where it begins and where it ends."
            )
        elif start is not None and end is not None and end.value < start.value:
            self.add_error("to_mm", f"{end.text} is before its beginning, {start.text}.")

    @staticmethod
    def _grams(cleaned: dict[str, Any]) -> float | None:
        """What one of it weighs as it goes on."""
        mass, cut = cleaned.get("mass"), cleaned.get("cut_off")
        if mass is None:
            return None
        left: float = mass.value - (cut.value if cut else 0.0)
        return left / (cleaned.get("pieces") or 1)

    @staticmethod
    def _question(grams: float, cleaned: dict[str, Any]) -> str:
        """What is asked about a mass far from what such a part weighs; '' where nothing is."""
        kind, name = cleaned["kind"], cleaned.get("name", "")
        label = PARTS[kind].label
        low, _, high = PARTS[kind].grams
        if not low / FAR <= grams <= high * FAR:
            slips = ((0.1, "A point left out?"), (10, "A point too much?"), (MASS["oz"], "Ounces?"))
            slip = next((said for factor, said in slips if low <= grams * factor <= high), "")
            mass = told("mass_g", float(f"{grams:.4g}"))
            said = f"{label.capitalize()}, {mass}: usually {_usual_mass(kind)}."
            return f"{said} {slip}".strip()
        if kind != "strings" or cleaned.get("cut_off"):
            return ""
        gauge = cleaned["gauge"].value if cleaned.get("gauge") else None
        made_of = stringing.made_of(name)
        fitted = stringing.fitted_mass(gauge, made_of)[0]
        packet = stringing.packet_mass(gauge, made_of)
        if grams < IN_ITS_PACKET * packet:
            return ""
        weighed = told("mass_g", float(f"{grams:.4g}"))
        return (
            f"{weighed} is what such a set weighs in its packet; about {told('mass_g', fitted, 1)}"
            " stay on the frame. Weigh the ends you cut off and write them beside."
        )

    def save(self) -> FittedPart:
        """Put it on; what it takes the place of comes off."""
        cleaned, now = self.cleaned_data, timezone.now()
        kind, typed, grams = cleaned["kind"], cleaned["mass"], self._grams(cleaned)
        gauge = cleaned["gauge"].value if cleaned["gauge"] else None
        if grams is not None:
            weighed = [one.read_u(SCALE_U) for one in (typed, cleaned.get("cut_off")) if one]
            u = math.hypot(*weighed) / (cleaned.get("pieces") or 1)
        else:
            grams, u = usual_mass(kind, cleaned["name"], gauge)
        is_new = cleaned["since"] == "now"
        with transaction.atomic():
            replaced = self._coming_off(kind) if is_new else []
            part = FittedPart.objects.create(
                frame=self.frame,
                kind=kind,
                name=cleaned["name"],
                gauge_mm=gauge,
                mass_g=grams,
                u_g=u,
                is_weighed=typed is not None,
                from_mm=cleaned["from_mm"].value if cleaned["from_mm"] else None,
                to_mm=cleaned["to_mm"].value if cleaned["to_mm"] else None,
                put_on_at=now if is_new else None,
            )
            for old in replaced:
                old.taken_off_at, old.replaced_by = now, part
                old.save()
        return part

    def _coming_off(self, kind: str) -> list[FittedPart]:
        """What a new part takes the place of, as noted; where nothing was, what a frame is never
        without, as weighed now or as usual."""
        typed: Typed | None = self.cleaned_data["old_mass"]
        together = next((ones for ones in ONE_OF if kind in ones), set())
        noted = list(self.frame.parts.filter(kind__in=together, taken_off_at=None))
        if not noted and (typed or self._was_there(kind)):
            kind = NEVER_WITHOUT.get(kind, kind)
            mass, u = usual_mass(kind)
            noted = [FittedPart(frame=self.frame, kind=kind, name=UNNOTED, mass_g=mass, u_g=u)]
        if typed and len(noted) == 1:
            u = typed.read_u(SCALE_U)
            noted[0].mass_g, noted[0].u_g, noted[0].is_weighed = typed.value, u, True
        return noted

    def _was_there(self, kind: str) -> bool:
        """Whether a part of this kind was on, though nobody noted it: the frame was read so."""
        read = self.frame.readings.filter(removed_at=None)
        if kind == "strings":
            read = read.exclude(condition="bare")
        return kind in NEVER_WITHOUT and not self.cleaned_data["had_none"] and read.exists()


def _usual_mass(kind: str) -> str:
    """What a kind of part usually weighs: `4–7 g`."""
    low, _, high = PARTS[kind].grams
    return f"{told('mass_g', low, bare=True)}–{told('mass_g', high)}"
