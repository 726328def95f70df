"""Fitting in stages: put something on, read, put more on, read again, one running table."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from kentrobar.core import units
from kentrobar.core.bench.stages import FittedStage, StageFigure, run
from kentrobar.core.io.plans import dump_piece, parse_piece
from kentrobar.core.numbers import nominal, ufloat, uncertainty
from kentrobar.core.pieces.parts import PARTS, usual_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.uncertain import mass_u
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import axis_text, mass_text, the_reader
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import Amount, change_of
from kentrobar.frames.choices import Quantity
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.stock import shelf
from kentrobar.ui import undo
from kentrobar.ui.fields import QuantityField, mass_reader
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .figure_boxes import FigureBoxes, not_of_a_frame
from .models import Stage

PART = "part:"


class StageForm(FigureBoxes):
    """What goes on in this stage, what it weighs, and what is read then."""

    what = forms.ChoiceField(label="put on")

    def __init__(self, *args: Any, plan: Plan, on: set[str], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.plan, self.outline = plan, plan.frame.outline()
        axis = the_reader().axis_mm(self.outline.kind)
        self.fields["swing_kgcm2"].label = f"swing weight about {axis_text(axis)}"
        self.pieces = {
            piece.id: piece for piece in plan.state().pieces if piece.id and piece.id not in on
        }
        planned = [
            (key, f"{piece.name(self.outline)}, {mass_text(piece.mass_g)}")
            for key, piece in self.pieces.items()
        ]
        parts = [
            (f"{PART}{key}", kind.label)
            for key, kind in PARTS.items()
            if self.outline.is_strung or not kind.strung_only
        ]
        what = self.fields["what"]
        assert isinstance(what, forms.ChoiceField)
        what.choices = [
            ("", "nothing: only read"), ("planned", planned), ("other", parts),
        ]  # fmt: skip
        what.required = False
        mass = partial(units.read_repeats, reader=mass_reader())
        self.fields["weighs"] = QuantityField(mass, label="weighs", required=False)
        self.fields["weighs"].widget.attrs["placeholder"] = "as planned, or usual"

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        self.given = self.read_given(self.plan.frame, cleaned)
        for figure, (typed, _) in self.given.items():
            if fault := not_of_a_frame(typed):
                self.add_error(figure.value, fault)
        if not self.errors and not cleaned.get("what") and not self.given:
            self.add_error("what", "Put something on, or write what was read.")
        twist_is_read = any(one == Quantity.TWIST for one in self.given)
        if twist_is_read and self.plan.state().measured.twist_kgcm2 is None:
            fault = "Twist weight was not read before: nothing to compare."
            self.add_error("twist_kgcm2", fault)
        return cleaned

    def put_on(self) -> tuple[Piece, ...]:
        """What goes on, as heavy as it was weighed."""
        what, weighed = self.cleaned_data["what"], self.cleaned_data.get("weighs")
        grams = weighed.value if isinstance(weighed, Typed) else None
        if not what:
            return ()
        if what.startswith(PART):
            kind = what.removeprefix(PART)
            mass = PARTS[kind].grams[1] if grams is None else grams
            return (replace(usual_piece(kind, self.outline, mass), site=PARTS[kind].label),)
        piece = self.pieces[what]
        return (piece if grams is None else replace(piece, mass_g=grams, weighed=True),)

    def read(self) -> dict[str, list[float]]:
        settings = Settings.load()
        return {
            one.value: [typed.value, settings.u_of(one.value, typed)]
            for one, (typed, _) in self.given.items()
        }


@dataclass(frozen=True, slots=True)
class StageRow:
    """A stage as the page shows it: what went on, and (predicted, ±, read, off, agrees) by
    figure."""

    number: int
    stage: Stage
    put_on: str
    cells: list[tuple[str, str, str, str, bool]]


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def show(request: Request, pk: int) -> HttpResponse:
    """The running table. POST adds a stage."""
    plan = get_object_or_404(Plan.live.select_related("frame"), pk=pk)
    stages = list(Stage.live.filter(plan=plan).select_related("made_by"))
    on = {piece["id"] for stage in stages for piece in stage.put_on if piece.get("id")}
    data = request.POST if request.method == "POST" else None
    form = StageForm(data, plan=plan, on=on, auto_id="s-%s")
    if data is not None and form.is_valid():
        Stage.objects.create(
            plan=plan, put_on=[dump_piece(piece) for piece in form.put_on()], read=form.read(),
            axis_mm=the_reader().axis_mm(plan.frame.kind), made_by=request.user,
        )  # fmt: skip
        return redirect("stages", pk)
    context = {
        "plan": plan,
        "frame": plan.frame,
        "kind": plan.frame.kind,
        "form": form,
        "rows": _rows(plan, stages),
        "heads": [(FIGURES[name].label, _unit(name)) for name in READ],
    }
    return render(request, "workshop/stages.html", context, status=422 if form.errors else 200)


@require_POST
def undo_last(request: Request, pk: int) -> HttpResponse:
    """The newest stage is taken back; those before it stand."""
    plan = get_object_or_404(Plan.live, pk=pk)
    last = Stage.live.filter(plan=plan).last()
    if last is None:
        messages.error(request, "No stage is left to take back.")
    else:
        undo.remove(request, last, "the newest stage")
    return redirect("stages", pk)


def _rows(plan: Plan, stages: list[Stage]) -> list[StageRow]:
    outline, state = plan.frame.outline(), plan.state()
    axis = the_reader().axis_mm(plan.frame.kind)
    put_on = [tuple(parse_piece(piece) for piece in stage.put_on) for stage in stages]
    tapes = {piece.material for pieces in put_on for piece in pieces if piece.material}
    rolls = shelf.rolls(tapes)
    fitted = [
        FittedStage(
            pieces,
            {
                name: ufloat(value, u)
                for name, (value, u) in stage.read.items()
                # Read about another axis than is shown now, it is no figure to compare.
                if name != "swing_kgcm2" or stage.axis_mm == axis
            },
            tuple(mass_u(piece, rolls) for piece in pieces),
        )
        for stage, pieces in zip(stages, put_on, strict=True)
    ]
    table = run(outline, state.measured, [FittedStage((), {}), *fitted], axis)
    rows = []
    for number, (stage, found) in enumerate(zip([None, *stages], table, strict=True)):
        words = "as it was read" if stage is None else "only read"
        if stage and stage.put_on:
            words = "; ".join(
                f"{piece.name(outline)}, {mass_text(piece.mass_g)}"
                for piece in fitted[number - 1].pieces
            )
        cells = [_cell(name, found.get(name), outline) for name in READ]
        rows.append(StageRow(number, stage or Stage(), words, cells))
    return rows


def _cell(name: str, found: StageFigure | None, outline: Any) -> tuple[str, str, str, str, bool]:
    if found is None:
        return "–", "", "", "", True
    predicted = Amount(name, nominal(found.predicted), length_mm=outline.length_mm).number()
    u = Amount(name, 0.0, uncertainty(found.predicted) or 0.0, outline.length_mm).spread
    if found.read is None or found.off is None:
        return predicted, u, "", "", True
    read = Amount(name, nominal(found.read), length_mm=outline.length_mm).number()
    return predicted, u, read, change_of(name, found.off).number(), found.agrees


def _unit(name: str) -> str:
    return {"mass_g": the_reader().mass, "balance_mm": the_reader().balance_unit}.get(
        name, FIGURES[name].unit
    )
