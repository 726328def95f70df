"""Blind trials: so that seeing the tape does not decide. Answers are taken on court, on a phone, by
a link."""

from __future__ import annotations

import random
import secrets
from typing import Any

from django import forms
from django.contrib.auth.decorators import login_not_required
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_http_methods, require_safe

from kentrobar.core.bench.blind import as_uneven, at_least, drawn, right_answers, verdict
from kentrobar.core.reader import translated
from kentrobar.frames.models import Frame
from kentrobar.shop.links import for_players
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import on_court
from .models import BlindTrial

COVERS = (
    "heron", "gannet", "plover", "dunlin", "whimbrel", "turnstone", "redshank", "avocet", "curlew",
    "fulmar", "puffin", "kittiwake", "cormorant", "skua", "eider", "teal", "wigeon", "pintail",
    "garganey", "shelduck", "osprey", "kestrel", "merlin", "bittern",
)  # fmt: skip
"""Names set-ups go by on court: none is part of another."""


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
    """One question a round, under coded covers; which is which is said nowhere there."""
    return on_court.court(
        request, BlindTrial, token, _keep, _told, lambda trial: {"asks": trial.asks}
    )


def _keep(trial: BlindTrial, answers: list[dict[str, Any]]) -> None:
    """Rounds in their order, each once."""
    for one in sorted(answers, key=lambda one: one["pair"]):
        is_next = one["pair"] == len(trial.answers) and not trial.is_done
        if is_next and one["session"] == 0 and one["said"] in ("A", "B"):
            trial.answers += one["said"]
    trial.save(update_fields=["answers"])


def _told(trial: BlindTrial) -> dict[str, Any]:
    """To be told apart, a set-up goes by its name and comes without one; to be preferred, by its
    cover alone."""
    tells = trial.asks == BlindTrial.Asks.TELL
    names = (trial.first, trial.second) if tells else trial.codes
    options = [(one, translated(name)) for one, name in zip("AB", names, strict=True)]
    return {
        "session": 0, "is_over": trial.is_done, "done": list(range(len(trial.answers))),
        "rounds": [{"which": [], "options": options} for _ in trial.order],
    }  # fmt: skip
