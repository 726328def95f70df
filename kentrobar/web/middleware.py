"""Puts the reader's units on every request, and what the bar needs into every template."""

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.functional import SimpleLazyObject

from kentrobar.core.units import Shown

from .models import Preferences

AXES_MM = (50, 50.8, 98, 100, 101.6)


class ShownUnits:
    """``request.shown``: the core's ``Shown``, read from the database only where a page asks."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        request.shown = SimpleLazyObject(lambda: shown_to(request))
        return self.get_response(request)


def shown_to(request: HttpRequest) -> Shown:
    if not request.user.is_authenticated:
        return Shown()
    found = Preferences.objects.filter(user=request.user).first()
    return found.shown() if found else Shown()


def bar(request: HttpRequest) -> dict:
    """Context of the bar at the top of every page."""
    return {"shown": getattr(request, "shown", Shown()), "axes_mm": AXES_MM, "demo": settings.DEMO}
