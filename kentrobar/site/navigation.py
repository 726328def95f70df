"""Where a person can go: the bar at the top, the views of a frame and its plan.

A new page of either kind is a row here. The site stands above every app, so it may name their
addresses; templates of the apps draw what they are handed.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from django.conf import settings
from django.contrib.postgres.expressions import ArraySubquery
from django.db.models import Exists, OuterRef, QuerySet
from django.http import HttpRequest
from django.urls import reverse
from django.utils.functional import SimpleLazyObject

from kentrobar import __version__
from kentrobar.accounts.models import Role, role_of
from kentrobar.core.quantities import COMMON_AXES_MM, FIGURES, NEEDED
from kentrobar.core.reader import the_reader
from kentrobar.core.units import offered
from kentrobar.frames.models import Frame, Reading
from kentrobar.plans.models import Plan, newest_of
from kentrobar.shop.models import remembered
from kentrobar.workshop.models import Trial

from . import disk
from .access import may


@dataclass(frozen=True, slots=True)
class View:
    """One place to go. ``names`` are words in the names of addresses that belong to it."""

    label: str
    address: str
    names: tuple[str, ...]
    is_exact: bool = False
    is_of_plan: bool = False

    def is_at(self, name: str) -> bool:
        return name in self.names if self.is_exact else any(part in name for part in self.names)


BAR = (
    View("Bench", "bench", ("bench", "job", "person")),
    View(
        "Frames",
        "frames",
        (
            "frame",
            "measure",
            "reading",
            "part",
            "recipes",
            "advice",
            "gram",
            "feel",
            "history",
            "blind",
            "setup-searches",
            "setup-search",
        ),
    ),
    View("Plans", "plans", ("plan", "sheet", "trial", "card")),
    View("Sets", "sets", ("sets", "set", "set-ask", "set-read", "set-change"), is_exact=True),
    View("Stock", "stock", ("stock", "material")),
    View("Instruments", "instruments", ("instrument", "own-figures")),
)
OWN = (View("Settings", "settings", ("settings", "colleague", "invit", "program", "token")),)
SIMULATORS = View("Simulators", "simulators", ("simulators",))
OF_A_FRAME = (
    View("Frame", "frame", ("frame", "frame-edit", "frame-parts"), is_exact=True),
    View("Measure", "measure", ("measure", "reading", "reading-correct"), is_exact=True),
    View("Advice", "advice", ("advice",), is_exact=True),
    View("Recipes", "recipes", ("recipes",)),
    View("Plan", "plan", ("plan",), is_exact=True, is_of_plan=True),
    View("Trial", "trial", ("trial", "stage"), is_of_plan=True),
    View("Bench sheet", "sheet", ("sheet",), is_of_plan=True),
    View("History", "history", ("history", "blind", "setup-searches", "setup-search")),
    View("One gram", "one-gram", ("one-gram",), is_exact=True),
    View("Feel", "feel", ("feel",)),
)
"""In the order the work goes; then what one looks up."""


@dataclass(frozen=True, slots=True)
class Tab:
    """A view as a template draws it; ``href`` is empty where there is nothing to see yet, and
    ``lacks`` says what is missing there."""

    label: str
    href: str
    is_here: bool
    lacks: str = ""


class Views:
    """Places to go, the present one marked."""

    def __init__(self, views: tuple[View, ...], request: HttpRequest) -> None:
        self.views = views
        match = request.resolver_match
        self.name = (match.url_name or "") if match else ""

    def of(self, role: Role) -> list[Tab]:
        """Those a role may look at."""
        return [
            Tab(view.label, reverse(view.address), view.is_at(self.name))
            for view in self.views
            if may(role, view.address)
        ]


class FrameViews(Views):
    """The views of one frame and of its plan, in working order, each with what it lacks."""

    def tabs(self, frame: Frame, plan: Plan | None) -> list[Tab]:
        plan = plan or next(iter(newest_of(frame)), None)
        lacks = _lacks(frame, plan)
        found = []
        for view in self.views:
            key = plan and plan.pk if view.is_of_plan else frame.pk
            href = reverse(view.address, args=[key]) if key else ""
            is_here = view.is_at(self.name)
            found.append(Tab(view.label, href, is_here, lacks.get(view.address, "")))
        return found


def _lacks(frame: Frame, plan: Plan | None) -> dict[str, str]:
    """By address: what is missing there, in a few words."""
    read, facts = _facts(frame, plan)
    unread = [FIGURES[name].label for name in NEEDED if name not in read]
    lacks = {"measure": f"{', '.join(unread)} not read"} if unread else {}
    if plan is None:
        return lacks | dict.fromkeys(("plan", "trial", "sheet"), "no plan yet")
    if not plan.part("pieces"):
        return lacks | {"plan": "no piece on it"}
    signed_off_at, is_tried = facts
    if signed_off_at:
        return lacks
    lacks["sheet"] = "not signed off"
    if not is_tried:
        lacks["trial"] = "nothing read"
    return lacks


def _facts(frame: Frame, plan: Plan | None) -> tuple[Collection[str], tuple[Any, bool]]:
    """(figures that were read of a frame, (when its plan's sheet was signed off, whether a trial of
    it was read)), in one question."""
    if plan is None:
        read = Reading.objects.filter(removed_at=None, frame=frame.pk)
        return set(read.values_list("quantity", flat=True)), (None, False)
    [(figures, *facts)] = _of_plan(plan.pk)
    return figures, tuple(facts)


def _of_plan(plan: int) -> QuerySet[Any, Any]:
    read = Reading.objects.filter(removed_at=None, frame=OuterRef("frame")).values("quantity")
    is_tried = Exists(Trial.objects.filter(plan=OuterRef("pk")))
    return Plan.objects.filter(pk=plan).values_list(
        ArraySubquery(read.distinct().order_by()), "sheet__signed_off_at", is_tried
    )


def bar(request: HttpRequest) -> dict:
    """Context of every page and of what fills its slots: where one can go, and the units and axes
    to read in."""
    key = "kentrobar.bar"
    if key not in request.META:
        request.META[key] = _bar(request)
    found: dict = request.META[key]
    return found


def _bar(request: HttpRequest) -> dict:
    is_signed_in, role = request.user.is_authenticated, role_of(request.user)
    views = (*BAR, SIMULATORS) if settings.SIMULATORS else BAR
    return {
        "bar_views": Views(views, request).of(role) if is_signed_in else [],
        "own_views": Views(OWN, request).of(role) if is_signed_in else [],
        "find_href": reverse("find"),
        "account_href": reverse("account"),
        "frame_views": FrameViews(OF_A_FRAME, request),
        "reader": the_reader(),
        "mass_units": offered("mass"),
        "length_units": offered("length"),
        "axes_mm": sorted(COMMON_AXES_MM),
        "demo": settings.DEMO,
        "disk": disk.standing() if is_signed_in and role is Role.OWNER else "",
        "shop": SimpleLazyObject(remembered),
        "version": __version__,
    }
