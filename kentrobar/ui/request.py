"""A request as every view of ours gets it: signed in, and with what htmx says of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.http import HttpRequest

if TYPE_CHECKING:
    from django.contrib.auth.models import User
    from django_htmx.middleware import HtmxDetails


class Request(HttpRequest):
    """For signatures. ``middleware.py`` puts the attributes on Django's own request."""

    user: User
    role: str
    looks_only: bool
    htmx: HtmxDetails
