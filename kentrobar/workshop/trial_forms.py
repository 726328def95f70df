"""What is typed after a fitting: what the pieces really weigh, and how the frame reads now."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from typing import Any

from django import forms

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.io.plans import dump_piece
from kentrobar.core.pieces.uncertain import WEIGHED_U_G, mass_u
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import axis_text, the_reader
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import change_of, told
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.stock import shelf
from kentrobar.ui.fields import QuantityField, balance_reader, mass_reader
from kentrobar.ui.understood import let_ask

from .figure_boxes import not_of_a_frame
from .models import Trial

NEXT_PIECE = "t-weighs"


class TrialForm(forms.Form):
    """What is on, as weighed, and what was read. Empty boxes of mass stand as planned."""

    holding = forms.CharField(label="paper tape holding it", required=False, max_length=20)
    note = forms.CharField(label="note", required=False, max_length=200)

    def __init__(self, plan: Plan, data: Any = None) -> None:
        self.plan = plan
        self.state, self.outline = plan.state(), plan.frame.outline()
        super().__init__(data, auto_id="t-%s")
        mass = partial(units.read_repeats, reader=mass_reader())
        for i, piece in enumerate(self.state.pieces):
            self.fields[f"mass-{i}"] = QuantityField(mass, label="weighs", required=False)
            self.fields[f"mass-{i}"].widget.attrs |= {
                "placeholder": told("mass_g", abs(piece.mass_g), 2), "data-takes": NEXT_PIECE,
            }  # fmt: skip
            if piece.strips()[1]:
                self.fields[f"backing-{i}"] = forms.BooleanField(label="backing on", required=False)
        axis = the_reader().axis_mm(self.outline.kind)
        readers: dict[str, Callable[[str], Typed]] = {
            "mass_g": mass,
            "balance_mm": partial(
                units.read_repeats,
                reader=balance_reader(self.outline.length_mm),
            ),
            "swing_kgcm2": partial(units.read_repeats, reader=units.read_inertia),
            "twist_kgcm2": partial(units.read_repeats, reader=units.read_inertia),
        }
        for name in READ:
            label = FIGURES[name].label + (
                f" about {axis_text(axis)}" if name == "swing_kgcm2" else ""
            )
            self.fields[name] = QuantityField(readers[name], label=label, required=False)
            self.fields[name].widget.attrs |= {"autocomplete": "off", "placeholder": "not read"}
        if self.puts_on:
            self.fields["holding"].widget.attrs |= {
                "placeholder": f"0 {the_reader().mass}", "data-unit": the_reader().mass,
            }  # fmt: skip
        else:
            del self.fields["holding"]
        let_ask(self)

    @property
    def puts_on(self) -> list[int]:
        """Indices of pieces that are put on: nothing holds what came off."""
        return [i for i, piece in enumerate(self.state.pieces) if piece.mass_g > 0]

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        for name in READ:
            typed = cleaned.get(name)
            if typed and (fault := not_of_a_frame(typed)):
                self.add_error(name, fault)
        if not any(cleaned.get(name) for name in READ) and not self.errors:
            self.add_error("mass_g", "Read at least one figure again: write it here.")
        if cleaned.get("twist_kgcm2") and self.state.measured.twist_kgcm2 is None:
            self.add_error(
                "twist_kgcm2",
                "Twist weight was not measured before, so there is nothing to hold it to.",
            )
        cleaned["holding_g"] = 0.0
        text = (cleaned.get("holding") or "").strip()
        if text:
            try:
                cleaned["holding_g"] = units.read_mass(text, the_reader().mass).value
            except UnreadableError as error:
                self.add_error("holding", str(error))
        for i, piece in enumerate(self.state.pieces):
            typed = cleaned.get(f"mass-{i}")
            if typed and not typed.value and piece.mass_g < 0:
                self.add_error(f"mass-{i}", "Write what came off, or leave it empty if as planned.")
            elif typed and not typed.value > 0 and piece.mass_g > 0:
                self.add_error(
                    f"mass-{i}",
                    "A piece that is on weighs something; leave it empty if it is as planned.",
                )
            elif typed and abs(typed.value) > 5 * abs(piece.mass_g) + 5:
                self.add_error(f"mass-{i}", _far_off(typed, abs(piece.mass_g)))
        return cleaned

    def save(self, user: Any) -> Trial:
        cleaned = self.cleaned_data
        share = cleaned["holding_g"] / max(len(self.puts_on), 1)
        rolls = shelf.rolls(self.state.tapes)
        put_on = []
        for i, piece in enumerate(self.state.pieces):
            typed = cleaned.get(f"mass-{i}")
            grams = math.copysign(typed.value, piece.mass_g) if typed else piece.mass_g
            put_on.append(
                {
                    "piece": dump_piece(replace(piece, mass_g=round(grams, 4))),
                    "u_g": typed.read_u(WEIGHED_U_G) if typed else mass_u(piece, rolls),
                    "weighed": bool(typed),
                    "backing": bool(cleaned.get(f"backing-{i}")),
                    "holding_g": round(share, 4) if piece.mass_g > 0 else 0.0,
                }
            )
        settings = Settings.load()
        read = {
            name: [typed.value, settings.u_of(name, typed)]
            for name in READ
            if (typed := cleaned.get(name))
        }
        return Trial.objects.create(
            plan=self.plan, put_on=put_on, read=read, note=cleaned["note"], made_by=user,
            axis_mm=the_reader().axis_mm(self.outline.kind),
        )  # fmt: skip

    def rows(
        self,
    ) -> Iterator[tuple[int, str, str, str, forms.BoundField, forms.BoundField | None]]:
        """(number, name, where, planned grams, its mass, whether its backing is on) of every
        piece."""
        for i, piece in enumerate(self.state.pieces):
            backing = self[f"backing-{i}"] if f"backing-{i}" in self.fields else None
            planned = change_of("mass_g", piece.mass_g).number()
            yield (
                i + 1,
                piece.name(self.outline),
                piece.where(),
                planned,
                self[f"mass-{i}"],
                backing,
            )

    def boxes(self) -> list[forms.BoundField]:
        return [self[name] for name in READ]


def _far_off(typed: Typed, planned_g: float) -> str:
    """What a piece that weighs so much more than planned may weigh."""
    meant = {"a point is missing": typed.value / 10}
    if typed.unit == "oz":
        meant["it was read in g"] = typed.value / units.MASS["oz"]
    near = [why for why, grams in meant.items() if abs(grams - planned_g) < 0.3 * planned_g]
    return f"{typed.text}: planned is {told('mass_g', planned_g, 2)}. " + (
        f"Perhaps {near[0]}." if near else "Look again."
    )
