"""Who reads: the units a signed-in person chose, and everything made for a reader in their units,
language, decimal mark and time zone at once."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import replace
from zoneinfo import ZoneInfo

from django.http import HttpRequest
from django.utils import timezone, translation

from kentrobar.core.reader import Reader, read_by

from .models import Preferences

ENGLISH = "en-gb"
LANGUAGES = (("en-gb", "English"), ("de", "Deutsch"))
DOCUMENTS = "/api/"
"""Where programs ask, whose documents are in grams and millimetres for every reader."""
MADE_IN = "Kentrobar-Shown"
FORMS = ("application/x-www-form-urlencoded", "multipart/form-data")


@contextmanager
def told_to(who: Reader) -> Iterator[None]:
    """Everything made within, of the core and of Django, is told to one reader."""
    zone = ZoneInfo(who.zone) if who.zone else timezone.get_default_timezone()
    with (
        read_by(replace(who, translate=translation.gettext)),
        translation.override(who.language),
        timezone.override(zone),
    ):
        yield


def chosen_units(request: HttpRequest) -> Reader:
    """The units of whoever asks; of what is typed, those of the page it was typed on, whatever was
    chosen on it or on another device since."""
    if not request.user.is_authenticated or request.path.startswith(DOCUMENTS):
        return Reader()
    made_in = request.headers.get(MADE_IN)
    if made_in is None and request.method == "POST" and request.content_type in FORMS:
        made_in = request.POST.get("shown")
    if made_in:
        with suppress(ValueError):
            return Reader.parse(made_in)
    found: Preferences | None = getattr(request.user, "preferences", None)
    return found.reader() if found else Reader()
