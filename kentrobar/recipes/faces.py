"""The Feel view: how fast a stroke's ball leaves the face, where the ball wears it, and what mass
at each site is worth there."""

from __future__ import annotations

from dataclasses import dataclass
from statistics import fmean
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.geometry.kinds import Stroke
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.reader import axis_text, fixed, length_number, length_text, the_reader
from kentrobar.core.recipes import feel as feeling
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.recipes.feel import Hits
from kentrobar.core.recipes.one_gram import effects
from kentrobar.core.recipes.strokes import BestHit, Worth, best_hit, leaves_kmh, worth
from kentrobar.core.words.amounts import change_of, told
from kentrobar.frames.models import Frame
from kentrobar.shop.models import Settings
from kentrobar.ui.request import Request

from . import asked as asking
from .models import Wear
from .stroking import Striking, gain_text, later_text, own_stroke, stroke_rows

TRIED_G = 3.0
MOST_MARKS = 200


@dataclass(frozen=True, slots=True)
class FeelRow:
    """One figure of the feel, before and after a plan ('' where no plan is looked at)."""

    label: str
    before: str
    after: str
    unit: str
    hint: str = ""


@dataclass(frozen=True, slots=True)
class FeelOf:
    """A frame before and with a plan, in one stroke, and where the player hits."""

    outline: Outline
    before: Body
    after: Body
    axis_mm: float
    settings: Settings
    stroke: Stroke
    marks: tuple[tuple[float, float], ...]

    @property
    def _bounce(self) -> float:
        return self.settings.bounce(self.outline.kind)

    def slowed(self, body: Body) -> float:
        """What is left of the stroke's turning speed."""
        return self.settings.law().slowed(self.before, body, self.axis_mm)

    def _kmh(self, body: Body, x: float, y: float) -> float:
        kind = self.outline.kind
        return leaves_kmh(body, self.stroke, x, y, kind, self._bounce, self.slowed(body))

    def mean_kmh(self, body: Body) -> float:
        return fmean(self._kmh(body, x, y) for x, y in self.marks)

    def best(self, body: Body) -> BestHit:
        return best_hit(body, self.outline, self.stroke, self._bounce, self.slowed(body))

    def aside_kmh(self, body: Body) -> float:
        return self._kmh(body, self.best(body).x_mm, self.outline.width_mm / 4)

    def worth_of(self, heavier: Body) -> Worth:
        """What more mass is worth beside the frame as looked at."""
        hit = self.marks or ((self.best(self.after).x_mm, 0.0),)
        kind, law = self.outline.kind, self.settings.law()
        return worth(self.after, heavier, kind, self.stroke, self.axis_mm, hit, law, self._bounce)


@require_safe
def feel(request: Request, pk: int) -> HttpResponse:
    """How a frame, as read or with a plan, does in the player's own stroke and in the others."""
    frame = get_object_or_404(Frame.live, pk=pk)
    bases = asking.bases(frame)
    measured = next((base for base in bases if not base.is_plan), bases[0])
    looked = next((base for base in bases if base.key == request.GET.get("with")), measured)
    wear = Wear.objects.filter(frame=frame).first()
    hits = Hits(tuple((x, y) for x, y in wear.marks) if wear else ())
    settings = Settings.load()
    outline, axis = frame.outline(), the_reader().axis_mm(frame.kind)
    # Before is what the plan was begun on: that may be another condition than the newest reading's.
    before, after = plain_body(looked.state.measured), plain_body(looked.measured)
    twist_known = looked.measured.twist_kgcm2 is not None
    strokes = settings.strokes_of(frame.kind)
    own = own_stroke(frame, request.GET.get("stroke", ""), strokes)
    marks = Striking.of(frame, twist_known).marks
    change = FeelOf(outline, before, after, axis, settings, own, marks)
    planned = after if looked.is_plan else None
    context = {
        "frame": frame,
        "kind": frame.kind,
        "outline": outline,
        "bases": bases,
        "looked": looked,
        "strokes": strokes,
        "own": own,
        "pivot": _pivot(own),
        "body": after,
        "bounce": settings.bounce(frame.kind),
        "slowed": settings.law().slowed(before, after, axis),
        "law": settings.law(),
        "hits": hits,
        "mark_count": len(hits.marks),
        "twist_known": twist_known,
        "stroke_rows": stroke_rows(before, planned, outline, axis, settings, own, marks),
        "rows": _rows(change, looked.is_plan, twist_known),
        "changed": (
            feeling.changed(before, after, axis, settings.noticed(), twist_known)
            if looked.is_plan
            else []
        ),
        "has_plan": looked.is_plan,
        "moves": _moves(change),
        "tried": told("mass_g", TRIED_G),
        "centre_side": _side(hits),
        "cleared": wear.cleared if wear else [],
        "typed": request.session.pop("feel-typed", {}),
    }
    return render(request, "recipes/feel.html", context)


@require_POST
def mark(request: Request, pk: int) -> HttpResponse:
    """Set a mark where a ball met the face, take the last one back, or clear them all."""
    frame = get_object_or_404(Frame.live, pk=pk)
    with transaction.atomic():
        wear, _ = Wear.objects.select_for_update().get_or_create(frame=frame)
        if "undo" in request.POST:
            wear.marks = wear.marks[:-1]
        elif "clear" in request.POST:
            wear.cleared, wear.marks = wear.marks, []
        elif "restore" in request.POST:
            wear.marks, wear.cleared = wear.cleared or wear.marks, []
        else:
            fault = _add(wear, frame.outline(), request)
            if fault:
                messages.error(request, fault)
                request.session["feel-typed"] = {
                    name: request.POST.get(name, "")[:20] for name in ("along", "across")
                }
        wear.save()
    asked = {name: request.POST.get(name, "")[:20] for name in ("with", "stroke")}
    looked = urlencode({name: value for name, value in asked.items() if value})
    return redirect(f"{reverse('feel', args=[pk])}?{looked}")


def _add(wear: Wear, outline: Outline, request: Request) -> str:
    """Put a mark where the hand or the boxes say; why not, where that cannot be."""
    unit = the_reader().length
    try:
        if "x" in request.POST:
            x, y = float(request.POST["x"]), float(request.POST.get("y", ""))
        else:
            x = units.read_length(request.POST.get("along", ""), unit).value
            y = units.read_length(request.POST.get("across", "") or "0", unit).value
    except UnreadableError as error:
        return str(error)
    except ValueError:
        return "That was no place on the drawing: click on the face."
    if not feeling.is_on_face(outline, x, y):
        low, high = feeling.face_span(outline)
        return (
            f"{length_number(x)} {unit} from the butt, {length_number(y)} across lies off"
            f" the face, which runs from {length_number(low)} to {length_number(high)}"
            f" {unit}."
        )
    if len(wear.marks) >= MOST_MARKS:
        return f"{MOST_MARKS} marks are enough: clear them and begin again."
    wear.marks = [*wear.marks, [round(x, 1), round(y, 1)]]
    return ""


def _side(hits: Hits) -> str:
    """Which side of the centre line the marks' centre lies on, '' where it is the middle."""
    if not hits.marks or abs(hits.centre[1]) < 1:
        return ""
    y = hits.centre[1]
    return f"{length_text(abs(y))} to {'3' if y > 0 else '9'} o’clock"


def _pivot(stroke: Stroke) -> str:
    """Where a stroke turns, in words."""
    away = length_text(abs(stroke.pivot_mm))
    return f"{away} {'behind the butt' if stroke.pivot_mm < 0 else 'up the handle'}"


def _rows(of: FeelOf, has_plan: bool, twist_known: bool) -> list[FeelRow]:
    """What the chosen stroke and the frame by itself come to."""
    outline, axis, unit = of.outline, of.axis_mm, the_reader().length
    bodies = [of.before, of.after] if has_plan else [of.before]

    def row(label: str, values: list[str], what: str, hint: str = "") -> FeelRow:
        return FeelRow(label, values[0], values[1] if has_plan else "", what, hint)

    found = []
    if of.marks:
        there = [fixed(of.mean_kmh(body), 1) for body in bodies]
        found.append(row("leaves where you hit", there, "km/h", "over all marks"))
    if twist_known:
        aside = [fixed(of.aside_kmh(body), 1) for body in bodies]
        hint = f"{length_number(outline.width_mm / 4)} {unit} from the best point"
        found.append(row("leaves a quarter of the width aside", aside, "km/h", hint))
    no_jolt = [length_number(feeling.percussion_mm(body, axis)) for body in bodies]
    at_ends = [fixed(100 * feeling.polarisation(body, outline.length_mm), 1) for body in bodies]
    rates = [fixed(feeling.sync(body), 1) for body in bodies]
    hand = f"no jolt at a hand at {axis_text(axis)}"
    return [
        *found,
        row("centre of percussion", no_jolt, f"{unit} from the butt", hand),
        row("polarised", at_ends, "%", "of having all mass at the two ends"),
        row("swing rate from the butt", rates, "s⁻²", "M g b / I about the butt"),
    ]


def _moves(of: FeelOf) -> list[dict[str, Any]]:
    """What some grams at each site are worth in the stroke, where the player hits, best first."""
    found = []
    for one in effects(of.outline, of.after, of.axis_mm, TRIED_G):
        put_on = sum((body_of(piece, of.outline) for piece in one.pieces), NOTHING)
        told = of.worth_of(of.after + put_on)
        found.append(
            {
                "name": one.name,
                "gain": told.gain_kmh,
                "gained": gain_text(told),
                "later": later_text(told),
                "swing": change_of("swing_kgcm2", one.swing_kgcm2).number(),
                "twist": change_of("twist_kgcm2", one.twist_kgcm2).number(),
            }
        )
    return sorted(found, key=lambda row: -row["gain"])
