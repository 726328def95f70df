"""Find my set-up: a player compares set-ups of reversible tape on court, a few pairs a session, and
is told when more trying is not worth it."""

from __future__ import annotations

import random
import secrets
from typing import Any

from django import forms
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.core.bench.blind import drawn
from kentrobar.core.court.search import PERHAPS, Standing, session, standing
from kentrobar.core.court.space import FIGURES, MOST_SITES, Setup, space
from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.io.plans import dump_piece
from kentrobar.core.reader import percent, the_reader, translated
from kentrobar.core.recipes.brief import Tape
from kentrobar.core.recipes.usual import hidden
from kentrobar.frames.models import Frame
from kentrobar.recipes import asked as asking
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.places import PlaceBox
from kentrobar.recipes.stroking import Striking, change_words
from kentrobar.shop.links import for_players
from kentrobar.shop.models import Settings
from kentrobar.ui.forms import with_commas
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import liked, on_court
from .models import SetupSearch
from .setup_shown import all_moves, covers_of, maps, moves, rows_of

ASPECTS = ("power", "control", "spin", "steadiness", "quickness", "arm")
SAID = ("better", "worse", "same")
FURTHER = 1.5
"""How many times as far limits go where the best lies beyond them."""


def _rail(label: str, usual: float) -> forms.FloatField:
    return forms.FloatField(
        label=label, min_value=0.1, max_value=200, initial=usual, required=False
    )


class SetupForm(forms.Form):
    """What may be tried: sites, a tape that comes off again, and how much of it at most."""

    sites = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple, label="sites", required=False
    )
    tape = forms.ChoiceField(label="tape")
    most_g = forms.FloatField(label="at most, g", min_value=1.0, max_value=40.0, initial=12.0)
    swing_kgcm2 = _rail("swing weight within ±, kg·cm²", 25.0)
    balance_mm = _rail("balance within ±, mm", 15.0)
    twist_kgcm2 = _rail("twist weight within ±, kg·cm²", 3.0)
    pairs = forms.IntegerField(
        label="pairs a session", min_value=1, max_value=4, initial=2,
        help_text="one finds it in the fewest; with more, nothing is learned on the way",
    )  # fmt: skip
    is_blind = forms.BooleanField(label="under covers", required=False, initial=True)

    def __init__(
        self, frame: Frame, data: Any = None, beyond: dict[str, Any] | None = None
    ) -> None:
        super().__init__(data, auto_id="u-%s", initial=beyond)
        limited, condition = Limited.of(frame), frame.usual_condition()
        there = limited.sites(frame.outline(), condition)
        # Within a session only tape is changed that comes off in a minute.
        self.there = {key: site for key, site in there.items() if not hidden(site)}
        self.fields["place"] = PlaceBox(frame.outline(), limited.access(condition))
        known = asking.materials_of(Settings.load())
        self.tapes = {one.name: one for one in known if isinstance(one, Tape)}
        sites, tape = self.fields["sites"], self.fields["tape"]
        assert isinstance(sites, forms.MultipleChoiceField)
        assert isinstance(tape, forms.ChoiceField)
        sites.choices = [(key, one.name) for key, one in self.there.items()]
        sites.initial = (beyond or {}).get("sites") or [
            key for key in FRAME_KINDS[frame.kind].blind_sites if key in self.there
        ]
        tape.choices = [(name, name) for name in self.tapes]
        with_commas(self)

    @property
    def place_said(self) -> str:
        """The place that was typed, as it was said."""
        said = self.cleaned_data.get("place")
        return str(said[0]) if said else ""

    def rails(self) -> dict[str, float]:
        """How far figures may go from the frame as it came; those left empty may go anywhere."""
        written = {name: self.cleaned_data[name] for name in FIGURES if name != "mass_g"}
        return {name: most for name, most in written.items() if most is not None}

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        chosen: list[str] = list(cleaned.get("sites", ()))
        if said := cleaned.get("place"):
            slow = [site.name for site in said[1].values() if hidden(site)]
            if slow:
                self.add_error("place", f"{slow[0]}: that does not come off in a minute on court.")
            self.there = {**self.there, **said[1]}
            chosen = list(dict.fromkeys((*chosen, *said[1])))
        if not chosen and "place" not in self.errors:
            self.add_error("sites", "Tick a site, or write a place.")
        if len(chosen) > MOST_SITES:
            self.add_error("sites", f"{MOST_SITES} sites at most: more are not told apart.")
        return cleaned | {"sites": chosen}


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def index(request: Request, pk: int) -> HttpResponse:
    """The searches of a frame, and a new one."""
    frame = get_object_or_404(Frame.live, pk=pk)
    base = asking.base(frame)
    form = SetupForm(frame, request.POST or None, beyond=_beyond(frame, request.GET.get("beyond")))
    if request.method == "POST" and form.is_valid():
        chosen = {key: form.there[key] for key in form.cleaned_data["sites"]}
        tape = form.tapes[form.cleaned_data["tape"]]
        try:
            most_g, rails = form.cleaned_data["most_g"], form.rails()
            found = space(frame.outline(), base.measured, chosen, tape, most_g, rails)
        except ValueError as error:
            form.add_error("tape", str(error))
        else:
            row = _create(request, frame, base, found, form)
            return redirect("setup-search", row.pk)
    context = {
        "frame": frame, "kind": frame.kind, "form": form,
        "searches": frame.setup_searches.all()[:20],
    }  # fmt: skip
    status = 422 if form.errors else 200
    return render(request, "workshop/setup_index.html", context, status=status)


def _beyond(frame: Frame, number: str | None) -> dict[str, Any] | None:
    """What an earlier search of this frame was asked for, its limits a step further out."""
    searches = frame.setup_searches.all()
    row = searches.filter(pk=number).first() if number and number.isdecimal() else None
    if row is None or "asked" not in row.content:
        return None
    asked = row.content["asked"]
    further = {
        name: round(FURTHER * asked[name], 1)
        for name in ("most_g", *FIGURES)
        if asked.get(name) is not None
    }
    return asked | further


def _create(
    request: Request, frame: Frame, base: asking.Base, found: list[Setup], form: SetupForm
) -> SetupSearch:
    chance = random.SystemRandom()
    row = SetupSearch(
        frame=frame, made_by=request.user, token=secrets.token_urlsafe(32),
        content={
            "base": base.key, "fitted": 0, "is_blind": form.cleaned_data["is_blind"],
            "names": {key: form.there[key].name for key in form.cleaned_data["sites"]},
            "pairs": form.cleaned_data["pairs"], "tape": form.cleaned_data["tape"],
            "asked": form.cleaned_data | {"place": form.place_said},
            "setups": [
                {
                    "grams": one.grams, "place": one.place,
                    "pieces": [dump_piece(piece) for piece in one.pieces],
                }
                for one in found
            ],
        },
    )  # fmt: skip
    row.content["covers"] = covers_of(chance)
    _next_session(row)
    row.save()
    return row


def _next_session(row: SetupSearch) -> None:
    """Draw the next pairs; under covers, which comes first nobody can foresee."""
    pairs = session(row.places(), row.told(), row.content["pairs"], row.cost)
    if row.content["is_blind"]:
        # As many one way round as the other.
        ways = drawn(len(pairs), random.SystemRandom())
        pairs = [(a, b) if way == "A" else (b, a) for (a, b), way in zip(pairs, ways, strict=True)]
    if pairs:
        row.sessions = [*row.sessions, [list(pair) for pair in pairs]]


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    """For the one at the bench: what to fit, how it stands, where it has looked."""
    row = get_object_or_404(SetupSearch.objects.select_related("frame__player"), pk=pk)
    now = standing(row.places(), row.told(), row.cost)
    session_now = moves(row)
    for step in (step for pair in session_now for step in pair["steps"] if step["setup"]):
        step["felt"] = strokes_of(request, row, step["setup"])
    context = {
        "search": row, "frame": row.frame, "now": now, "words": verdict(row, now),
        "session": session_now, "rounds": rows_of(row), "maps": maps(row, now),
        "best": row.named(now.best),
        "link": for_players(request, f"/court/{row.token}/"),
        "strokes": strokes_of(request, row, now.best), "percent": round(100 * now.chance),
        "likes": liked.words_of(row, now),
    }  # fmt: skip
    return render(request, "workshop/setup_search.html", context)


def strokes_of(request: Request, row: SetupSearch, number: int) -> str:
    """What a set-up is worth in the player's strokes, in a line."""
    frame, outline = row.frame, row.frame.outline()
    measured = asking.base(frame).measured
    laden = LadenFrame(frame=outline, measured=measured, pieces=row.pieces(number))
    found = predict(laden)
    axis = the_reader().axis_mm(frame.kind)
    played = Striking.of(frame, measured.twist_kgcm2 is not None)
    return change_words(found.before.plain, found.after.plain, outline, axis, played)


def verdict(row: SetupSearch, now: Standing) -> str:
    """How it stands, in a sentence."""
    if now.verdict == "better":
        return (
            f"Stop: the best is liked more than the frame as it came, {percent(now.chance)} sure;"
            " what is left to gain is below what is noticed."
        )
    if now.verdict == "beyond":
        return (
            "Stop: the heavier one was liked more again and again, up to the most that these limits"
            " allow. The best lies beyond them."
        )
    if now.verdict == "perhaps":
        return (
            f"Stop: the best is perhaps liked more than the frame as it came, {percent(now.chance)}"
            " sure; more pairs like these would hardly tell."
        )
    if now.verdict == "cannot-tell":
        return "Stop: these set-ups are not told apart. What is easiest to fit is as good as any."
    if now.verdict == "as-it-was":
        return "Stop: nothing tried is liked more than the frame as it came, as far as can be told."
    if not row.answers:
        return "Fit the first pair, and hand the player the link."
    said = f"The best so far is liked more than the frame as it came: {percent(now.chance)} sure."
    rounds = f"{now.more} more pair{'s' * (now.more != 1)}"
    known = said if now.chance >= PERHAPS else "Nothing is known to be liked more yet."
    return f"{known} About {rounds} would be needed."


@require_POST
def fitted(request: Request, pk: int) -> HttpResponse:
    """The bench has fitted the first set-up of the session: now the phone may ask."""
    with transaction.atomic():
        row = get_object_or_404(SetupSearch.objects.select_for_update(), pk=pk)
        row.content["fitted"] = len(row.sessions)
        row.save(update_fields=["content"])
    return redirect("setup-search", pk)


@require_POST
@stored_once
def plan(request: Request, pk: int) -> HttpResponse:
    """The set-up liked most as a plan, and what is liked remembered with the player."""
    row = get_object_or_404(SetupSearch.objects.select_related("frame__player"), pk=pk)
    now = standing(row.places(), row.told(), row.cost)
    frame = row.frame
    if not now.best:
        messages.error(
            request, "The frame as it came is liked most so far: there is no plan in it."
        )
        return redirect("setup-search", pk)
    bases = {one.key: one for one in asking.bases(frame)}
    base = bases.get(row.content["base"]) or next(iter(bases.values()))
    with transaction.atomic():
        made = asking.plan_from(
            frame, base, {}, row.pieces(now.best), "As liked on court", request.user,
            "Found on court",
        )  # fmt: skip
        liked.remember(row, now)
    return redirect(made)


# --- on court ------------------------------------------------------------------------------------


@login_not_required
@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def court(request: Request, token: str) -> HttpResponse:
    """The pairs of a session, answered on a phone."""
    return on_court.court(
        request, SetupSearch, token, keep_answers, _told,
        lambda row: {"asks": "pair", "aspects": ASPECTS},
    )  # fmt: skip


def keep_answers(row: SetupSearch, answers: list[dict[str, Any]]) -> None:
    """Keep what is new of them; where a session is answered, draw the next. Hold the row."""
    known = {(one["session"], one["pair"]) for one in row.answers}
    for one in answers if row.is_fitted else ():
        at = (one["session"], one["pair"])
        is_there = 0 <= at[0] < len(row.sessions) and 0 <= at[1] < len(row.sessions[at[0]])
        if not is_there or at in known or one["said"] not in SAID:
            continue
        known.add(at)
        aspects = {
            key: said for key, said in one.get("aspects", {}).items()
            if key in ASPECTS and said in SAID
        }  # fmt: skip
        kept = {"session": at[0], "pair": at[1], "said": one["said"]}
        row.answers = [*row.answers, kept | ({"aspects": aspects} if aspects else {})]
    if row.is_answered:
        _next_session(row)
    row.save(update_fields=["answers", "sessions"])


def _to_move(pair: dict[str, Any]) -> list[str]:
    """What to move for each set-up of a pair, in order: `heron: Tip: take it off`. The bench has
    fitted the first of a session."""
    told = pair["steps"][1:] if pair["number"] == 1 else pair["steps"]
    return [f"{step['cover']}: {move}" for step in told for move in step["moves"]]


def _told(row: SetupSearch) -> dict[str, Any]:
    """The pairs of the session by their covers, and which are answered. A button says what the
    second is; what is kept is what the first was."""
    last = len(row.sessions) - 1
    if not row.is_fitted:
        return {"session": last, "is_over": False, "waits": True, "rounds": [], "done": []}
    words = (("worse", "better"), ("same", "the same"), ("better", "worse"))
    options = [(value, translated(label)) for value, label in words]
    return {
        "session": last, "is_over": row.is_answered,
        "rounds": [
            {
                "which": [step["cover"] for step in pair["steps"]], "options": options,
                # Under covers whoever plays is not told what is changed: the bench's page is.
                "moves": [] if row.content["is_blind"] else _to_move(pair),
            }
            for pair in all_moves(row)
        ],
        "done": sorted(one["pair"] for one in row.answers if one["session"] == last),
    }  # fmt: skip
