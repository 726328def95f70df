"""Quick answer: a frame, some grams of tape, and at once what they do wherever they go."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from django import forms
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe
from django_htmx.http import HttpResponseClientRedirect

from kentrobar.core import units
from kentrobar.core.frame.plausibility import Doubt
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.kinds import FIRST_KIND, FRAME_KINDS, default_outline
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.pieces.cutting import cut_text
from kentrobar.core.pieces.sites import Access
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import axis_text, digits, in_points, percent_of_length, the_reader
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.quick import MOST_LAYERS, QuickSetUp, next_reading, quick_set_ups
from kentrobar.core.units import Typed
from kentrobar.core.words.amounts import Amount, told
from kentrobar.frames.choices import Condition, Quantity
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Frame
from kentrobar.frames.reported import keep_reported
from kentrobar.plans import desk
from kentrobar.plans.state import PlanState, with_ids
from kentrobar.shop.models import Settings
from kentrobar.ui.fields import QuantityField, axis_reader, balance_reader, mass_reader
from kentrobar.ui.formatting import under
from kentrobar.ui.forms import mark_examples
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .asked import rolls_of
from .places import PlaceBox, own_places

MOST_GRAMS = 60.0
SAID_G = 0.1
"""What is laid may differ by so much from what was asked without a word."""


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
    confirm = forms.BooleanField(label="Yes, that’s correct", required=False)

    def __init__(self, data: Any = None) -> None:
        shape = (data or {}).get("shape", "")
        self.outline: Outline = PRESETS.get(shape, ("", default_outline(FIRST_KIND)))[1]
        self.axis_mm = self.read_at_mm = the_reader().axis_mm(self.outline.kind)
        self.doubts: list[Doubt] = []
        super().__init__(
            data or None, auto_id="q-%s", initial={"shape": FRAME_KINDS[FIRST_KIND].preset}
        )
        mass = mass_reader()
        balance = balance_reader(self.outline.length_mm)
        boxes: dict[str, tuple[str, Callable[[str], Typed], str]] = {
            "mass_g": ("mass", mass, told("mass_g", 300.0)),
            "balance_mm": ("balance", balance, "32.4 cm or 6 pts HL"),
            "swing_kgcm2": ("swing weight", units.read_inertia, ""),
            "axis": (
                "about the axis",
                axis_reader(self.outline.length_mm),
                axis_text(self.axis_mm),
            ),
            "twist_kgcm2": ("twist weight", units.read_inertia, ""),
        }
        for name, (label, reader, hint) in boxes.items():
            repeats = reader if name == "axis" else partial(units.read_repeats, reader=reader)
            self.fields[name] = QuantityField(repeats, label=label, required=False)
            self.fields[name].widget.attrs["placeholder"] = hint
        self.fields["place"] = PlaceBox(self.outline, Access())
        self.fields["grams"] = QuantityField(mass, label="tape to put on", required=False)
        self.fields["grams"].widget.attrs["placeholder"] = told("mass_g", 5.0)
        mark_examples(self)

    def clean_grams(self) -> Typed | None:
        typed: Typed | None = self.cleaned_data["grams"]
        if typed and not 0 < typed.value <= MOST_GRAMS:
            count = typed.value / units.MASS[typed.unit]
            is_slip = typed.unit != "g" and 0 < count <= MOST_GRAMS
            meant = f" Did you mean {count:g} g?" if is_slip else ""
            raise forms.ValidationError(
                f"{typed.text}: write more than 0, up to {told('mass_g', MOST_GRAMS)}.{meant}"
            )
        return typed

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if isinstance(axis := cleaned.get("axis"), Typed):
            self.read_at_mm = axis.value
        given = {name: typed.value for name, typed in self.given().items()}
        if given and not self.errors:
            frame = Frame()
            frame.set_outline(self.outline)
            as_played = Condition.AS_PLAYED.value
            self.doubts = judge(frame, given, self.read_at_mm, as_played, None)
            if not (self.asks_to_confirm and cleaned.get("confirm")):
                for doubt in self.doubts:
                    self.add_error(doubt.field, doubt.text)
        return cleaned

    @property
    def asks_to_confirm(self) -> bool:
        """Whether what is doubtful may be so all the same."""
        return bool(self.doubts) and all(one.severity == "unlikely" for one in self.doubts)

    @property
    def knows_more(self) -> bool:
        """Whether any of the boxes that are folded away is written in, or wrong."""
        names = ("balance_mm", "swing_kgcm2", "axis", "twist_kgcm2", "place", "model")
        return any(self[name].value() or self[name].errors for name in names)

    def given(self) -> dict[str, Typed]:
        """What was written of the frame itself."""
        found = {name: self.cleaned_data.get(name) for name in READ}
        return {name: typed for name, typed in found.items() if isinstance(typed, Typed)}


@dataclass(frozen=True, slots=True)
class QuickFigure:
    """A figure after the set-up, and what it changes it by, each with its ±."""

    title: str
    number: str
    u: str
    unit: str
    change: str
    change_u: str
    is_assumed: bool


@dataclass(frozen=True, slots=True)
class QuickRow:
    """A set-up as the page shows it.

    Attributes:
        balance: in the other ways to say it, points and per cent. cuts: what is cut, a line each.
        warning: why it is no good way to lay so much. measure: what to read next.
    """

    set_up: QuickSetUp
    figures: list[QuickFigure]
    balance: str
    cuts: list[str]
    warning: str
    measure: str


@require_safe
def show(request: Request) -> HttpResponse:
    """The boxes, and the table of set-ups as soon as there are grams to lay."""
    form = QuickForm(request.GET if "shape" in request.GET else None)
    kind = form.outline.kind
    if request.htmx and request.GET.get("kind") not in (None, kind):
        # The bar over the page names the axis of its kind: the whole page comes anew.
        return HttpResponseClientRedirect(_address(request, kind))
    rows: list[QuickRow] = []
    if form.is_bound and form.is_valid() and form.cleaned_data["grams"]:
        rows = _rows(form)
    context = {
        "form": form,
        "rows": rows,
        "faults": [
            under(str(form[name].label), str(said[0])) for name, said in form.errors.items()
        ],
        "kind": kind,
        "outline": form.outline,
        "axis": form.axis_mm,
        "assumed": [
            FIGURES[name].label
            for name in READ
            if rows and name in rows[0].set_up.prediction.assumed
        ],
    }
    template = "recipes/_quick.html" if request.htmx else "recipes/quick.html"
    return render(request, template, context, status=422 if form.errors else 200)


def _address(request: Request, kind: str) -> str:
    """This page asked again for another kind of frame."""
    asked = request.GET.copy()
    asked["kind"] = kind
    return f"{request.path}?{asked.urlencode()}"


def _known(form: QuickForm) -> dict[str, Number]:
    """What was written, with its ±."""
    settings = Settings.load()
    return {
        name: ufloat(typed.value, settings.u_of(name, typed), name)
        for name, typed in form.given().items()
    }


def _rows(form: QuickForm) -> list[QuickRow]:
    settings, known = Settings.load(), _known(form)
    outline, axis = form.outline, form.axis_mm
    measured = typical(outline, known, form.read_at_mm)
    wanted = WISHES.get(form.cleaned_data["wants"])
    grams = form.cleaned_data["grams"].value
    rows = []
    more = own_places(outline)
    if said := form.cleaned_data["place"]:
        more |= said[1]
    for one in quick_set_ups(outline, measured, axis, grams, wanted, rolls_of(settings), more):
        at = nominal(one.after["balance_mm"])
        ways = {"pt": in_points, "%": percent_of_length}
        said = [
            tell(at, outline.length_mm) for of, tell in ways.items() if of != the_reader().balance
        ]
        next_one = next_reading(outline, known, form.read_at_mm, one, axis)
        measure = (
            f"read the {FIGURES[next_one.figure].label}: swing weight ± {digits(next_one.u_now, 2)}"
            f" becomes ± {digits(next_one.u_then, 2)}"
            if next_one
            else ""
        )
        figures = [_figure(name, one, outline, axis) for name in READ]
        warning = (
            "Too many layers to lie flat: share it among more places, or take a heavier tape."
            if one.layers > MOST_LAYERS
            else ""
        )
        rows.append(QuickRow(one, figures, " · ".join(said), _cuts(one, grams), warning, measure))
    return rows


def _figure(name: str, one: QuickSetUp, outline: Outline, axis: float) -> QuickFigure:
    after, change = one.after[name], one.change[name]
    number, unit = Amount(name, nominal(after), length_mm=outline.length_mm).parts
    u = Amount(name, 0.0, uncertainty(after) or 0.0, outline.length_mm).spread
    by = Amount(name, nominal(change), uncertainty(change) or 0.0, outline.length_mm, True)
    about = f" about {axis_text(axis)}" if name == "swing_kgcm2" else ""
    return QuickFigure(
        FIGURES[name].title + about,
        number,
        u,
        unit,
        by.number(),
        by.spread,
        name in one.prediction.assumed,
    )


def _cuts(one: QuickSetUp, grams: float) -> list[str]:
    """What is cut or dosed for it, and how much it comes to where that is not what was asked."""
    cuts = []
    for piece in one.pieces:
        cut = f", {cut_text(piece)}" if piece.strips()[1] else ""
        cuts.append(f"{told('mass_g', piece.mass_g, 2)}: {piece.material}{cut}")
    laid = sum(piece.mass_g for piece in one.pieces)
    if abs(laid - grams) > SAID_G:
        cuts.append(f"{told('mass_g', laid, 2)} in all, of {told('mass_g', grams, 2)} asked")
    return cuts


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
            Quantity(name): (typed, form.read_at_mm if name == Quantity.SWING else None)
            for name, typed in form.given().items()
        }
        doubted = {doubt.field for doubt in form.doubts}
        keep_reported(frame, given, Condition.AS_PLAYED.value, request.user, doubted)
        state = PlanState(
            measured=typical(form.outline, _known(form), form.read_at_mm),
            condition=Condition.AS_PLAYED.value, pieces=with_ids(chosen.pieces),
        )  # fmt: skip
        made = desk.create(frame, chosen.name, state, "From a quick answer", request.user)
    return redirect(made)
