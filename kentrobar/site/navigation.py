"""Where a person can go: the bar at the top, the views of a frame, the views of a plan.

A new page of either kind is a row here. The site stands above every app, so it may name their
addresses; templates of the apps draw what they are handed.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import cast

from django.conf import settings
from django.http import HttpRequest
from django.urls import reverse

from kentrobar.core.quantities import COMMON_AXES_MM
from kentrobar.ui.request import Request


@dataclass(frozen=True, slots=True)
class View:
    """One place to go. ``names`` are words in the names of addresses that belong to it."""

    label: str
    address: str
    names: tuple[str, ...]
    is_exact: bool = False

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
        ),
    ),
    View("Plans", "plans", ("plan", "sheet", "trial", "card")),
    View("Match", "matches", ("match",)),
    View("Stock", "stock", ("stock", "material")),
    View("Instruments", "instruments", ("instrument",)),
)
OWN = (View("Settings", "settings", ("settings",)),)
SIMULATORS = View("Simulators", "simulators", ("simulators",))
OF_A_FRAME = (
    View("Frame", "frame", ("frame",), is_exact=True),
    View("Measure", "measure", ("measure",), is_exact=True),
    View("Recipes", "recipes", ("recipes",)),
    View("Advice", "advice", ("advice",), is_exact=True),
    View("One gram", "one-gram", ("one-gram",), is_exact=True),
    View("Feel", "feel", ("feel",)),
    View("History", "history", ("history", "blind")),
)
OF_A_PLAN = (
    View("Plan", "plan", ("plan",), is_exact=True),
    View("Bench sheet", "sheet", ("sheet",)),
    View("Trial and check", "trial", ("trial",)),
)


@dataclass(frozen=True, slots=True)
class Tab:
    """A view as a template draws it."""

    label: str
    href: str
    is_here: bool


class Views:
    """The views of one thing, by its key: ``{{ frame_views|of:frame.pk }}`` draws them."""

    def __init__(self, views: tuple[View, ...], request: HttpRequest) -> None:
        self.views = views
        match = request.resolver_match
        self.name = (match.url_name or "") if match else ""

    def of(self, *keys: int) -> list[Tab]:
        return [
            Tab(view.label, reverse(view.address, args=keys), view.is_at(self.name))
            for view in self.views
        ]


def bar(request: HttpRequest) -> dict:
    """Context of every page: where one can go, and the units and axes to read in."""
    is_signed_in = request.user.is_authenticated
    views = (*BAR, SIMULATORS) if settings.SIMULATORS else BAR
    return {
        "bar_views": Views(views, request).of() if is_signed_in else [],
        "own_views": Views(OWN, request).of() if is_signed_in else [],
        "frame_views": Views(OF_A_FRAME, request),
        "plan_views": Views(OF_A_PLAN, request),
        "shown": cast(Request, request).shown,
        "axes_mm": sorted(COMMON_AXES_MM),
        "demo": settings.DEMO,
    }
