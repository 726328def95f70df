"""One box that finds people, frames, jobs, plans and materials, however they are spelled."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import Any

from django.contrib.postgres.search import (
    SearchQuery,
    SearchVector,
    TrigramWordSimilarity,
)
from django.db import connection, transaction
from django.db.models import F, FloatField, Q, QuerySet, Value
from django.db.models.functions import Concat, Greatest, Upper
from django.http import HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_safe

from kentrobar.frames.models import Frame, Person
from kentrobar.plans.models import Plan
from kentrobar.stock.models import Material
from kentrobar.ui.request import Request
from kentrobar.ui.search import wanted_of

from .models import Job

LIKE = 0.45
"""How alike a word must be to be meant: `Soral` finds Sorrel."""
OF_EACH = 6


@dataclass(frozen=True, slots=True)
class Found:
    kind: str
    name: str
    more: str
    href: str


@require_safe
def find(request: Request) -> HttpResponse:
    """What is found, as a page, or as the list under the box."""
    wanted = wanted_of(request.GET.get("q"))
    found: list[Found] = []
    if len(wanted) > 1:
        with transaction.atomic(), connection.cursor() as cursor:
            threshold = ["pg_trgm.word_similarity_threshold", str(LIKE)]
            cursor.execute("select set_config(%s, %s, true)", threshold)
            found = list(_found(wanted))
    template = "workshop/_found.html" if request.htmx else "workshop/find.html"
    return render(request, template, {"found": found, "wanted": wanted})


def _found(wanted: str) -> Iterator[Found]:
    for person in _alike(Person.objects.all(), wanted, "name", "phone", "email", full="notes"):
        yield Found("person", person.name, person.phone, reverse("person", args=[person.pk]))
    for frame in _alike(
        Frame.live.all(), wanted, "model", "serial", "maker", full="note", is_long=True
    ):
        yield Found("frame", str(frame), str(frame.player or ""), frame.get_absolute_url())
    jobs = Job.live.select_related("person")
    for job in _alike(jobs, wanted, "person__name", full="said", also="verdict"):
        closed = f"handed over {job.closed_at:%-d %b %Y}" if job.closed_at else "on the bench"
        yield Found("job", str(job), closed, job.get_absolute_url())
    plans = Plan.live.select_related("frame").filter(frame__removed_at=None)
    for plan in _alike(plans, wanted, "name", is_long=True):
        yield Found("plan", plan.name, str(plan.frame), plan.get_absolute_url())
    for material in _alike(Material.objects.all(), wanted, "name"):
        yield Found("material", material.name, material.kind, material.get_absolute_url())


def _any(letters: Collection[str], how: str, wanted: str) -> Q:
    """One of the names is just the text (``exact``), or begins with it (``startswith``)."""
    found = Q()
    for one in letters:
        found |= Q(**{f"{one}__{how}": wanted.upper()})
    return found


def _alike(
    rows: QuerySet[Any],
    wanted: str,
    *names: str,
    full: str = "",
    also: str = "",
    is_long: bool = False,
) -> list[Any]:
    """The rows whose names hold the text, or are spelled much like it, or of which a longer text
    (``full``, ``also``) holds the words in any form; the likest first. ``is_long`` where there are
    thousands of rows."""
    scores = [TrigramWordSimilarity(wanted, F(name)) for name in names]
    likeness = Greatest(*scores, Value(0.0, FloatField())) if scores else Value(0.0)
    # As the indexes hold them (ui/search.py), so that not every name is compared.
    letters = {f"letters_{i}": Upper(name) for i, name in enumerate(names)}
    rows = rows.alias(**letters)
    if is_long:
        # But for that name itself nothing is liker than one that begins so: where there are enough
        # of those, thousands of others need not be weighed. In the order of their keys, the first
        # are found without looking through all.
        begin = _any(letters, "startswith", wanted)
        begun = list(rows.filter(begin).order_by("pk")[:OF_EACH])
        if len(begun) == OF_EACH:
            just_so = rows.filter(_any(letters, "exact", wanted)).order_by("pk")[:OF_EACH]
            return list(dict.fromkeys([*just_so, *begun]))[:OF_EACH]
    rows = rows.annotate(likeness=likeness)
    meant = Q()
    for one in letters:
        meant |= Q(**{f"{one}__contains": wanted.upper()})
        meant |= Q(**{f"{one}__trigram_word_similar": wanted})
    if full:
        text = Concat(full, Value(" "), also) if also else full
        rows = rows.annotate(told=SearchVector(text, config="english"))
        meant |= Q(told=SearchQuery(wanted, config="english", search_type="websearch"))
    return list(rows.filter(meant).order_by("-likeness", "pk")[:OF_EACH])
