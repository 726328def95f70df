"""Advice: a player's words turned into changes, first steps and their price. And the chart of one
gram."""

from __future__ import annotations

from dataclasses import replace
from typing import cast

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.pieces.sites import Access
from kentrobar.core.reader import fixed, length_number, the_reader
from kentrobar.core.recipes import one_gram as grams_of
from kentrobar.core.recipes.advice import Advice, advise
from kentrobar.core.recipes.brief import Goal, Site, plain_body
from kentrobar.core.recipes.player_words import WISHES, Style
from kentrobar.core.words.amounts import change_of, mass_number, told
from kentrobar.frames import above
from kentrobar.frames.models import Frame, Person
from kentrobar.shop.models import Settings
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import asked as asking
from . import hearing
from .asked import Asked, Base
from .hearing import LONGEST_SAID
from .limited import Limited
from .models import Wish
from .places import PlaceBox, own_places, sites_of
from .shown import begun
from .stroking import Striking

MOST_GRAMS = 50.0


@require_safe
def advice(request: Request, pk: int) -> HttpResponse:
    """What to try for what the player says; every pattern where nothing was said yet."""
    frame = _frame(pk)
    keys, style = _keys(request.GET.getlist("w")), _style(frame, request.GET)
    if not keys and "style" not in request.GET and (spoken := above.spoken_of(frame)):
        # Nothing was ticked here yet: what was said at the counter was said once.
        keys = _keys(list(spoken.keys))
    base = asking.base(frame)
    said, typed, place_fault = _place(frame, base, request.GET)
    given = _advice(frame, base, keys, style, typed)
    played = Striking.of(frame, base.measured.twist_kgcm2 is not None, style)
    context = {
        "frame": frame,
        "kind": frame.kind,
        "wishes": [(wish, wish.key in keys) for wish in WISHES.values()],
        "keys": keys,
        "advice": given,
        "begun": [begun(one, frame.outline(), base.measured, played) for one in given.patterns],
        "style": style,
        "place": said,
        "place_fault": place_fault,
        "styles": [("", "not said"), *Person.Style.choices],
        "base": base,
        "axis": the_reader().axis_mm(frame.kind),
        "others": Frame.live.filter(kind=frame.kind).exclude(pk=frame.pk)[:40],
    }
    template = "recipes/_advising.html" if request.htmx else "recipes/advice.html"
    return render(request, template, context)


@require_POST
def wish(request: Request, pk: int) -> HttpResponse:
    """The proposed changes as the wish of the Recipes view."""
    frame = _frame(pk)
    base = asking.base(frame)
    given = _advice(frame, base, _keys(request.POST.getlist("w")), _style(frame, request.POST))
    said = request.POST.get("said", "")[:LONGEST_SAID].replace("\0", "")
    heard = [one for one in hearing.heard_of(frame, base, said) if one.is_taken]
    if not (given.changes or heard):
        messages.error(request, "No change follows from these words: tick others.")
        return redirect("advice", pk)
    row, _ = Wish.objects.get_or_create(frame=frame, user=request.user)
    content = Asked.parse(row.content, frame.kind)
    asked = replace(content, goals=_goals(given), base=base.key)
    # What was written down is more exact than a word that was ticked.
    asked = hearing.with_it(asked, heard, ", ".join(one.clause for one in heard))
    Wish.objects.filter(pk=row.pk).update(content=asked.dump())
    return redirect(f"{reverse('recipes', args=[pk])}?find")


@require_POST
@stored_once
def plan(request: Request, pk: int) -> HttpResponse:
    """A pattern as a plan of its own, with what the words want as its targets."""
    frame = _frame(pk)
    base = asking.base(frame)
    keys = _keys(request.POST.getlist("w"))
    _, typed, _ = _place(frame, base, request.POST)
    given = _advice(frame, base, keys, _style(frame, request.POST), typed)
    chosen = next((one for one in given.patterns if one.key == request.POST.get("pattern")), None)
    if chosen is None:
        messages.error(request, "That pattern is not offered any more.")
        return redirect(f"{reverse('advice', args=[pk])}?{urlencode([('w', key) for key in keys])}")
    axis, goals = the_reader().axis_mm(frame.kind), _goals(given)
    wanted = asking.brief_of(frame, Asked(goals=goals), base, Settings.load(), axis).wanted()
    name = f"{chosen.name}, first step"
    return redirect(
        asking.plan_from(frame, base, wanted, chosen.pieces, name, request.user, "From advice")
    )


@require_safe
def one_gram(request: Request, pk: int) -> HttpResponse:
    """What some grams do at every site of this frame, and along the whole of it."""
    frame = _frame(pk)
    outline = frame.outline()
    base = asking.base(frame)
    text, fault, grams = request.GET.get("grams", "").strip()[:20].replace("\0", ""), "", 1.0
    if text:
        try:
            grams = units.read_mass(text, the_reader().mass).value
        except UnreadableError as error:
            fault, grams = str(error), 1.0
        if not 0 < abs(grams) <= MOST_GRAMS:
            fault, grams = f"{text}: write up to {told('mass_g', MOST_GRAMS)}.", 1.0
    axis = the_reader().axis_mm(frame.kind)
    said, typed, place_fault = _place(frame, base, request.GET)
    sites = sites_of(outline, (), _access(frame, base)) | typed
    effects = grams_of.effects(outline, plain_body(base.measured), axis, grams, sites)
    context = {
        "frame": frame,
        "kind": frame.kind,
        "outline": outline,
        "base": base,
        "axis": axis,
        "grams": grams,
        "text": text or f"{mass_number(grams)} {the_reader().mass}",
        "fault": fault,
        "place": said,
        "place_fault": place_fault,
        "effects": effects,
        "rows": [_row(effect) for effect in effects],
        "curve": grams_of.curve(outline.length_mm, axis, grams),
        "twist_known": base.measured.twist_kgcm2 is not None,
    }
    return render(request, "recipes/one_gram.html", context)


def _row(effect: grams_of.Effect) -> dict[str, str]:
    return {
        "name": effect.name,
        "x": length_number(effect.x_mm),
        "balance": change_of("balance_mm", effect.balance_mm).number(),
        "swing": change_of("swing_kgcm2", effect.swing_kgcm2).number(),
        "twist": change_of("twist_kgcm2", effect.twist_kgcm2).number(),
        "recoil": fixed(effect.recoil_kgcm2, 2, True),
    }


def _frame(pk: int) -> Frame:
    return get_object_or_404(Frame.live, pk=pk)


def _goals(given: Advice) -> dict[str, Goal]:
    """What the words want, as goals of a wish or targets of a plan."""
    return {change.figure: Goal(change=change.by, tol=change.tol) for change in given.changes}


def _keys(posted: list[str]) -> list[str]:
    return [key for key in WISHES if key in posted]


def _style(frame: Frame, asked: QueryDict) -> Style:
    """How the player plays: as asked, else as written down of the player."""
    known = frame.player.style if frame.player else ""
    style = asked.get("style", known)
    return cast(Style, style) if style in Person.Style.values else ""


def _access(frame: Frame, base: Base) -> Access:
    return Limited.of(frame).access(base.state.condition)


def _place(frame: Frame, base: Base, asked: QueryDict) -> tuple[str, dict[str, Site], str]:
    """(what was typed as a place, the sites it names, what is wrong with it)."""
    said = asked.get("place", "").replace("\0", "")
    try:
        typed = PlaceBox(frame.outline(), _access(frame, base)).clean(said)
    except ValidationError as error:
        return said, {}, error.messages[0]
    return said, typed[1] if typed else {}, ""


def _advice(
    frame: Frame, base: Base, keys: list[str], style: Style,
    typed: dict[str, Site] | None = None,
) -> Advice:  # fmt: skip
    axis, workshop = base.measured.axis_mm, Settings.load()
    access = _access(frame, base)
    return advise(
        keys, frame.outline(), plain_body(base.measured), axis, workshop.noticed(),
        base.state.condition == "as-played", style, asking.first_tape(workshop),
        own_places(frame.outline(), access) | (typed or {}), access,
    )  # fmt: skip
