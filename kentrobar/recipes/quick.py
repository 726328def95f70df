"""Quick answer: a frame, some grams of tape, and at once what they do wherever they go."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from django import forms
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core import units
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.kinds import FIRST_KIND, FRAME_KINDS, default_outline
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.numbers import nominal, ufloat, uncertainty
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import digits, in_points, percent_of_length, the_reader
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.quick import QuickSetUp, quick_set_ups, sharper
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import Amount, change_of, told
from kentrobar.frames.choices import Condition, Quantity
from kentrobar.frames.figures import Figures
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Frame
from kentrobar.frames.reported import keep_reported
from kentrobar.plans import desk
from kentrobar.plans.state import with_ids
from kentrobar.shop.models import Settings
from kentrobar.ui.fields import QuantityField, balance_reader, mass_reader
from kentrobar.ui.formatting import under
from kentrobar.ui.forms import mark_examples
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .asked import first_tape

MOST_GRAMS = 60.0


class QuickForm(forms.Form):
    """A shape, grams, and whatever is known."""

    shape = forms.ChoiceField(
        label="shape",
        choices=[
            (
                one.plural,
                [(key, name) for key, (name, made) in PRESETS.items() if made.kind == kind],
            )
            for kind, one in FRAME_KINDS.items()
        ],
    )
    wants = forms.ChoiceField(
        label="what is wanted", required=False,
        choices=[("", "anything"), *((w.key, w.says) for w in WISHES.values() if not w.like)],
    )  # fmt: skip
    model = forms.CharField(label="model, if you like", max_length=60, required=False)

    def __init__(self, data: Any = None) -> None:
        shape = (data or {}).get("shape", "")
        self.outline: Outline = PRESETS.get(shape, ("", default_outline(FIRST_KIND)))[1]
        self.axis_mm = the_reader().axis_mm(self.outline.kind)
        super().__init__(
            data or None, auto_id="q-%s", initial={"shape": FRAME_KINDS[FIRST_KIND].preset}
        )
        mass = mass_reader()
        balance = balance_reader(self.outline.length_mm)
        boxes: dict[str, tuple[str, Callable[[str], Typed], str]] = {
            "mass_g": ("mass", mass, told("mass_g", 300.0)),
            "balance_mm": ("balance", balance, "32.4 cm or 6 pts HL"),
            "swing_kgcm2": ("swing weight", units.read_inertia, ""),
            "twist_kgcm2": ("twist weight", units.read_inertia, ""),
        }
        for name, (label, reader, hint) in boxes.items():
            repeats = partial(units.read_repeats, reader=reader)
            self.fields[name] = QuantityField(repeats, label=label, required=False)
            self.fields[name].widget.attrs["placeholder"] = hint
        self.fields["grams"] = QuantityField(mass, label="tape to put on", required=False)
        self.fields["grams"].widget.attrs["placeholder"] = told("mass_g", 5.0)
        mark_examples(self)

    def clean_grams(self) -> Typed | None:
        typed: Typed | None = self.cleaned_data["grams"]
        if typed and not 0 < typed.value <= MOST_GRAMS:
            raise forms.ValidationError(
                f"{typed.text}: write more than 0, up to {told('mass_g', MOST_GRAMS)}."
            )
        return typed

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        given = {name: typed.value for name, typed in self.given().items()}
        if given and not self.errors:
            frame = Frame()
            frame.set_outline(self.outline)
            for doubt in judge(frame, given, self.axis_mm, Condition.AS_PLAYED.value, None):
                self.add_error(doubt.field, doubt.text)
        return cleaned

    @property
    def knows_more(self) -> bool:
        """Whether any of the boxes that are folded away is written in, or wrong."""
        names = ("balance_mm", "swing_kgcm2", "twist_kgcm2", "model")
        return any(self[name].value() or self[name].errors for name in names)

    def given(self) -> dict[str, Typed]:
        """What was written of the frame itself."""
        found = {name: self.cleaned_data.get(name) for name in READ}
        return {name: typed for name, typed in found.items() if isinstance(typed, Typed)}


@dataclass(frozen=True, slots=True)
class QuickRow:
    """A set-up as the page shows it: (title, value, ±, unit, change) of each figure."""

    set_up: QuickSetUp
    figures: list[tuple[str, str, str, str, str]]
    balance: str
    """The balance in the other ways to say it: points and per cent."""
    measure: str


@require_safe
def show(request: Request) -> HttpResponse:
    """The boxes, and the table of set-ups as soon as there are grams to lay."""
    form = QuickForm(request.GET if "shape" in request.GET else None)
    rows: list[QuickRow] = []
    if form.is_bound and form.is_valid() and form.cleaned_data["grams"]:
        rows = _rows(form)
    context = {
        "form": form,
        "rows": rows,
        "faults": [
            under(str(form[name].label), str(said[0])) for name, said in form.errors.items()
        ],
        "kind": form.outline.kind,
        "outline": form.outline,
        "axis": form.axis_mm,
        "assumed": [FIGURES[name].label for name in READ if rows and name not in form.given()],
    }
    template = "recipes/_quick.html" if request.htmx else "recipes/quick.html"
    return render(request, template, context, status=422 if form.errors else 200)


def _rows(form: QuickForm) -> list[QuickRow]:
    settings = Settings.load()
    known = {
        name: ufloat(typed.value, settings.u_of(name, typed), name)
        for name, typed in form.given().items()
    }
    outline, axis = form.outline, form.axis_mm
    measured = typical(outline, known, axis)
    wanted = WISHES.get(form.cleaned_data["wants"])
    grams = form.cleaned_data["grams"].value
    rows = []
    for one in quick_set_ups(outline, measured, axis, grams, wanted, first_tape(settings)):
        figures = []
        for name in READ:
            number, unit = Amount(name, nominal(one.after[name]), length_mm=outline.length_mm).parts
            u = Amount(name, 0.0, uncertainty(one.after[name]) or 0.0, outline.length_mm).spread
            change = change_of(name, nominal(one.change[name])).number()
            figures.append((FIGURES[name].title, number, u, unit, change))
        at = nominal(one.after["balance_mm"])
        said = [in_points(at, outline.length_mm), percent_of_length(at, outline.length_mm)]
        next_one = sharper(outline, known, axis, one)
        measure = (
            f"read the {FIGURES[next_one.figure].label}: swing weight ± {digits(next_one.u_now, 2)}"
            f" becomes ± {digits(next_one.u_then, 2)}"
            if next_one
            else ""
        )
        rows.append(QuickRow(one, figures, " · ".join(said), measure))
    return rows


@require_POST
@stored_once
def plan(request: Request) -> HttpResponse:
    """One of the set-ups as a plan, on a frame that is written down as far as it is known."""
    form = QuickForm(request.POST)
    if not form.is_valid() or not form.cleaned_data["grams"]:
        return redirect("quick")
    chosen = next(
        (row.set_up for row in _rows(form) if row.set_up.key == request.POST.get("set-up")),
        None,
    )
    if chosen is None:
        return redirect("quick")
    with transaction.atomic():
        frame = Frame(model=form.cleaned_data["model"] or PRESETS[form.cleaned_data["shape"]][0])
        frame.set_outline(form.outline)
        frame.note = "from a quick answer: measure its outline"
        frame.save()
        given = {
            Quantity(name): (typed, form.axis_mm if name == Quantity.SWING else None)
            for name, typed in form.given().items()
        }
        keep_reported(frame, given, Condition.AS_PLAYED.value, request.user)
        figures = next(iter(frame.figures()), Figures(Condition.AS_PLAYED.value))
        state = desk.state_from(frame, figures)
        made = desk.create(
            frame, chosen.name, replace(state, pieces=with_ids(chosen.pieces)),
            "From a quick answer", request.user,
        )  # fmt: skip
    return redirect(made)
