"""People: whoever plays with the frames here, found by name, phone or mail; one person's frames,
jobs and verdicts."""

from __future__ import annotations

from django import forms
from django.core.paginator import Paginator
from django.db import transaction
from django.db.models import Count, Max, Q
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_safe

from kentrobar.core.recipes.player_words import WISHES
from kentrobar.frames.models import Frame, Person
from kentrobar.ui.request import Request
from kentrobar.ui.search import holding, wanted_of
from kentrobar.ui.stale import changed_meanwhile

from .models import Job

PEOPLE_A_PAGE = 40
ABOUT = ("name", "phone", "email", "hand", "level", "style", "language", "notes")


@require_safe
def index(request: Request) -> HttpResponse:
    """Everybody, whoever came in last first."""
    wanted = wanted_of(request.GET.get("q"))
    live = Q(jobs__removed_at=None)
    people = holding(Person.objects.all(), wanted, "name", "phone", "email").annotate(
        frame_count=Count("frames", filter=Q(frames__removed_at=None), distinct=True),
        job_count=Count("jobs", filter=live, distinct=True),
        last_in=Max("jobs__taken_in_at", filter=live),
    )
    ordered = people.order_by("-last_in", "name")
    page = Paginator(ordered, PEOPLE_A_PAGE).get_page(request.GET.get("page"))
    return render(request, "workshop/people.html", {"page": page, "wanted": wanted})


@require_http_methods(["GET", "HEAD", "POST"])
def show(request: Request, pk: int) -> HttpResponse:
    """A player: how to reach them, how they play, their frames, jobs, words and verdicts."""
    found = get_object_or_404(Person, pk=pk)
    form = forms.modelform_factory(Person, fields=ABOUT)(
        request.POST or None, instance=found, auto_id="p-%s"
    )
    fault = ""
    if request.method == "POST" and form.is_valid():
        with transaction.atomic():
            fault = changed_meanwhile(request, found)
            if not fault:
                form.save()
                return redirect("person", pk)
    jobs = list(Job.live.filter(person=pk).order_by("-taken_in_at"))
    said: dict[str, int] = {}
    for job in jobs:
        for key in job.words:
            if key in WISHES:
                said[WISHES[key].says] = said.get(WISHES[key].says, 0) + 1
    context = {
        # The form has put what was typed into its person; the page shows the one that is saved.
        "person": get_object_or_404(Person, pk=pk),
        "frames": Frame.live.filter(player=pk),
        "jobs": jobs,
        "said": sorted(said.items(), key=lambda one: -one[1]),
        "form": form,
        "fault": fault,
    }
    is_at_fault = bool(form.errors or fault)
    return render(request, "workshop/person.html", context, status=422 if is_at_fault else 200)


@require_safe
def jobs(request: Request) -> HttpResponse:
    """Every job, closed ones too, the newest first."""
    wanted = wanted_of(request.GET.get("q"))
    found = holding(
        Job.live.select_related("person"), wanted, "said", "verdict", "person__name",
        "taken_in__frame__model", "taken_in__frame__serial",
    ).distinct()  # fmt: skip
    page = Paginator(found.order_by("-taken_in_at", "-pk"), PEOPLE_A_PAGE).get_page(
        request.GET.get("page")
    )
    return render(request, "workshop/jobs.html", {"page": page, "wanted": wanted})
