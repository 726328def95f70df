"""The Feel view: where the face is strong, where the ball wears it, and which sites move strength
there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_GET, require_POST

from kentrobar.core import units
from kentrobar.core.errors import Unreadable
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.recipes import feel as feeling
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.recipes.feel import Hits
from kentrobar.core.recipes.one_gram import effects
from kentrobar.core.units import Shown, fixed, show_length
from kentrobar.frames.models import Frame
from kentrobar.shop.models import Settings
from kentrobar.ui.formatting import share_text
from kentrobar.ui.request import Request

from . import asked as asking
from .models import Wear

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


@require_GET
def feel(request: Request, pk: int) -> HttpResponse:
    frame = get_object_or_404(Frame.live, pk=pk)
    bases = asking.bases(frame)
    measured = next((base for base in bases if not base.is_plan), bases[0])
    looked = next((base for base in bases if base.key == request.GET.get("with")), measured)
    wear = Wear.objects.filter(frame=frame).first()
    hits = Hits(tuple((x, y) for x, y in wear.marks) if wear else ())
    settings = Settings.load()
    outline, axis = frame.outline(), request.shown.axis_mm(frame.kind)
    # Before is what the plan was begun on: that may be another condition than the newest reading's.
    before, after = plain_body(looked.state.measured), plain_body(looked.measured)
    twist_known = looked.measured.twist_kgcm2 is not None
    bounce = settings.bounce(frame.kind)
    has_plan = looked.is_plan
    context = {
        "frame": frame,
        "kind": frame.kind,
        "outline": outline,
        "bases": bases,
        "looked": looked,
        "body": after,
        "bounce": bounce,
        "hits": hits,
        "mark_count": len(hits.marks),
        "twist_known": twist_known,
        "rows": _rows(
            outline,
            before,
            after if has_plan else None,
            axis,
            bounce,
            hits,
            twist_known,
            request.shown,
        ),
        "changed": (
            feeling.changed(before, after, axis, settings.noticed(), twist_known)
            if has_plan
            else []
        ),
        "has_plan": has_plan,
        "moves": _moves(outline, after, axis, hits, bounce, twist_known, request.shown),
        "tried": TRIED_G,
        "centre_side": _side(hits, request.shown),
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
    looked = urlencode({"with": request.POST.get("with", "")[:20]})
    return redirect(f"{reverse('feel', args=[pk])}?{looked}")


def _add(wear: Wear, outline: Outline, request: Request) -> str:
    """Put a mark where the hand or the boxes say; why not, where that cannot be."""
    unit = request.shown.length
    try:
        if "x" in request.POST:
            x, y = float(request.POST["x"]), float(request.POST.get("y", ""))
        else:
            x = units.read_length(request.POST.get("along", ""), unit).value
            y = units.read_length(request.POST.get("across", "") or "0", unit).value
    except Unreadable as error:
        return str(error)
    except ValueError:
        return "That was no place on the drawing: click on the face."
    if not feeling.is_on_face(outline, x, y):
        low, high = feeling.face_span(outline)
        return (
            f"{show_length(x, unit)} {unit} from the butt, {show_length(y, unit)} across lies off"
            f" the face, which runs from {show_length(low, unit)} to {show_length(high, unit)}"
            f" {unit}."
        )
    if len(wear.marks) >= MOST_MARKS:
        return f"{MOST_MARKS} marks are enough: clear them and begin again."
    wear.marks = [*wear.marks, [round(x, 1), round(y, 1)]]
    return ""


def _side(hits: Hits, shown: Shown) -> str:
    """Which side of the centre line the marks' centre lies on, '' where it is the middle."""
    if not hits.marks or abs(hits.centre[1]) < 1:
        return ""
    y = hits.centre[1]
    return f"{show_length(abs(y), shown.length)} {shown.length} to {'3' if y > 0 else '9'} o’clock"


def _rows(
    outline: Outline,
    before: Body,
    after: Body | None,
    axis: float,
    bounce: float,
    hits: Hits,
    twist_known: bool,
    shown: Shown,
) -> list[FeelRow]:
    kind, unit = outline.kind, shown.length
    bodies = [before] if after is None else [before, after]
    strongest = [feeling.strongest(body, outline, bounce) for body in bodies]

    def row(label: str, values: list[str], what: str, hint: str = "") -> FeelRow:
        return FeelRow(label, values[0], values[1] if after is not None else "", what, hint)

    def back(x: float, y: float) -> list[str]:
        return [fixed(100 * feeling.rebound(body, x, y, kind, bounce), 1) for body in bodies]

    from_butt = f"{unit} from the butt"
    shares = [fixed(100 * share, 1) for _, share in strongest]
    found = [
        row("strongest point", [show_length(x, unit) for x, _ in strongest], from_butt),
        row("comes back there", shares, "% of the ball’s speed"),
    ]
    if hits.marks:
        x, y = hits.centre
        there = back(x, y if twist_known else 0.0)
        found.append(row("comes back where you hit", there, "%", "at the marks’ centre"))
    if twist_known:
        off = [
            fixed(100 * feeling.rebound(body, strong[0], outline.width_mm / 4, kind, bounce), 1)
            for body, strong in zip(bodies, strongest, strict=True)
        ]
        found.append(row("a quarter of the width aside", off, "%", "from the strongest point"))
    no_jolt = [show_length(feeling.percussion_mm(body, axis), unit) for body in bodies]
    at_ends = [fixed(100 * feeling.polarisation(body, outline.length_mm), 1) for body in bodies]
    rates = [fixed(feeling.sync(body), 1) for body in bodies]
    hand = f"no jolt at a hand at {axis:g} mm"
    return [
        *found,
        row("centre of percussion", no_jolt, from_butt, hand),
        row("polarised", at_ends, "%", "of having all mass at the two ends"),
        row("swing rate from the butt", rates, "s⁻²", "M g b / I about the butt"),
    ]


def _moves(
    outline: Outline,
    body: Body,
    axis: float,
    hits: Hits,
    bounce: float,
    twist_known: bool,
    shown: Shown,
) -> list[dict[str, Any]]:
    """What some grams at each site do where the balls land, strongest first."""
    if not hits.marks:
        return []
    marks = hits.marks if twist_known else tuple((x, 0.0) for x, _ in hits.marks)
    found = []
    for one in effects(outline, body, axis, TRIED_G):
        gain = feeling.gained(body, body + body_of(one.piece, outline), marks, outline.kind, bounce)
        found.append(
            {
                "name": one.name,
                "gain": gain,
                "gained": fixed(100 * gain, 2, True),
                "swing": share_text("swing_kgcm2", one.swing_kgcm2, shown),
                "twist": share_text("twist_kgcm2", one.twist_kgcm2, shown),
            }
        )
    return sorted(found, key=lambda row: -row["gain"])
