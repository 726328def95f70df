"""Blind trials: so that seeing the tape does not decide. Answers are taken on court, on a phone, by
a link."""

from __future__ import annotations

import random
import secrets
from typing import Any

from django import forms
from django.contrib.auth.decorators import login_not_required
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods, require_safe

from kentrobar.core.bench.blind import as_uneven, at_least, drawn, right_answers, verdict
from kentrobar.frames.models import Frame
from kentrobar.shop.links import for_players
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request
from kentrobar.ui.speech import speaking

from .models import BlindTrial
from .players import language_of

COVERS = ("heron", "gannet", "plover", "dunlin", "whimbrel", "turnstone", "redshank", "avocet")


class BlindForm(forms.ModelForm):
    rounds = forms.IntegerField(label="rounds", min_value=4, max_value=40, initial=12)

    class Meta:
        model = BlindTrial
        fields = ("first", "second", "asks")

    def __init__(self, data: Any = None) -> None:
        super().__init__(data, auto_id="b-%s")
        self.fields["first"].widget.attrs["placeholder"] = "as it was"
        self.fields["second"].widget.attrs["placeholder"] = "with 3 g at the sides"

    def clean(self) -> dict[str, object]:
        cleaned = super().clean() or {}
        first, second = cleaned.get("first"), cleaned.get("second")
        if first and second and first.strip().lower() == second.strip().lower():
            self.add_error(
                "second", "Two set-ups of one name cannot be told apart on paper either."
            )
        return cleaned


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def index(request: Request, pk: int) -> HttpResponse:
    """The blind trials of a frame, and a new one."""
    frame = get_object_or_404(Frame.live, pk=pk)
    form = BlindForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        trial = form.save(commit=False)
        chance = random.SystemRandom()
        trial.frame, trial.made_by, trial.token = frame, request.user, secrets.token_urlsafe(32)
        trial.order = drawn(form.cleaned_data["rounds"], chance)
        trial.codes = chance.sample(COVERS, 2)
        trial.save()
        return redirect("blind", trial.pk)
    context = {
        "frame": frame,
        "kind": frame.kind,
        "form": form,
        "trials": frame.blind_trials.all()[:20],
    }
    return render(request, "workshop/blind_index.html", context, status=422 if form.errors else 200)


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    """For the one who hands the frames over: the order, the link, and when all is answered the
    result."""
    trial = get_object_or_404(BlindTrial.objects.select_related("frame"), pk=pk)
    covers = dict(zip("AB", trial.codes, strict=True))
    rounds = [
        (number, covers[one], trial.answers[number - 1] if number <= len(trial.answers) else "")
        for number, one in enumerate(trial.order, 1)
    ]
    context = {
        "trial": trial,
        "frame": trial.frame,
        "rounds": [(number, cover, bool(answer)) for number, cover, answer in rounds],
        "link": for_players(request, f"/blind/{trial.token}/"),
        "result": result(trial) if trial.is_done else None,
        "covers": covers,
    }
    return render(request, "workshop/blind.html", context)


def result(trial: BlindTrial) -> dict[str, object]:
    """What was answered, and the exact chance of doing as well by guessing."""
    rounds = len(trial.order)
    if trial.asks == BlindTrial.Asks.TELL:
        right = right_answers(trial.order, trial.answers)
        chance = at_least(right, rounds)
        words = f"{right} of {rounds} told right"
    else:
        first = trial.answers.count("A")
        chance = as_uneven(first, rounds)
        words = f"{trial.first} {first} times, {trial.second} {rounds - first} times"
    return {"words": words, "chance": chance, "verdict": verdict(chance)}


@login_not_required
@never_cache
@require_http_methods(["GET", "HEAD", "POST"])
def court(request: Request, token: str) -> HttpResponse:
    """On court: one question a round, under coded covers; which is which is said nowhere here."""
    trial = BlindTrial.shown_by(token)
    if trial is None:
        with speaking(language_of(None)):
            return render(request, "workshop/card_gone.html", status=404)
    if request.method == "POST":
        answer, at = request.POST.get("answer", ""), request.POST.get("round", "")
        with transaction.atomic():
            row = BlindTrial.objects.select_for_update().get(pk=trial.pk)
            # A button pressed twice answers one round.
            if answer in ("A", "B") and at == str(len(row.answers) + 1) and not row.is_done:
                row.answers += answer
                row.save(update_fields=["answers"])
        return redirect("blind-court", token)
    number = len(trial.answers) + 1
    tells = trial.asks == BlindTrial.Asks.TELL
    cover = dict(zip("AB", trial.codes, strict=True))
    context = {
        "trial": trial,
        "number": number,
        "rounds": len(trial.order),
        "tells": tells,
        # To be told apart, a set-up goes by its name and comes without one; to be preferred, by its
        # cover alone.
        "choices": [("A", trial.first), ("B", trial.second)]
        if tells
        else [("A", cover["A"]), ("B", cover["B"])],
    }
    with speaking(language_of(trial.frame.player)):
        return render(request, "workshop/court.html", context)
