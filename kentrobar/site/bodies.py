"""How much a request may bring, and who may bring more than a form holds.

nginx asks ``may_send`` before it reads a large body, so that nothing of a stranger's is ever
read or written. Without nginx the middleware asks the same before any view reads.
"""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse
from django.urls import Resolver404, resolve
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from kentrobar.accounts.models import role_of
from kentrobar.shop.tokens import Token, asked_with
from kentrobar.ui.middleware import page_of, sign_in_from

from .access import may

FORM = 64 << 10
"""Bytes that anybody may send: more than any form without a file."""
MOST = 40 << 20
LARGE = (
    (re.compile(r"/data/restore/$"), 1 << 30),  # a whole workshop, photos and all
    (re.compile(r"/frames/\d+/film/$"), 305 << 20),
)
"""Where more may come in, and how much."""
AT_ONCE = 8
"""Large bodies under way at once."""
SPARE = 500 << 20
"""Bytes that stay free on the disk."""


class Refusal(NamedTuple):
    """Why a body is not taken: an HTTP status, and words for whoever sent it."""

    status: int
    words: str


SIGNED_OUT = Refusal(401, "Your file was not sent. Sign in, then send it again.")
NOT_YOURS = Refusal(403, "Your file was not sent: your role does not allow it.")


def refusal(request: HttpRequest, path: str, length: str) -> Refusal | None:
    """Why a body of so many bytes (as declared; "" where it is sent in chunks of unknown number)
    may not be sent there by whoever asks; None where it may."""
    if not (length or "0").isdecimal() or len(length) > 15:
        return Refusal(413, "The length of this request cannot be read.")
    most = next((most for at, most in LARGE if at.match(path)), MOST)
    if _declared(length) > most:
        words = f"At most {most >> 20} MB can be sent here. Go back and choose a smaller file."
        return Refusal(413, words)
    return None if _declared(length) <= FORM else _not_let_in(request, path)


def _declared(length: str) -> int:
    return int(length) if length else MOST


def _not_let_in(request: HttpRequest, path: str) -> Refusal | None:
    """Why neither a session nor a token lets the sender post to the address."""
    if asked_with(request, *Token.May) is not None:
        return None
    if not request.user.is_authenticated:
        return SIGNED_OUT
    try:
        name = resolve(path).url_name or ""
    except Resolver404:
        return NOT_YOURS
    return None if may(role_of(request.user), name, "POST") else NOT_YOURS


def _no_room(declared: int) -> Refusal | None:
    where = Path(settings.BODIES) if settings.BODIES else settings.LOCAL
    if shutil.disk_usage(where).free < 2 * declared + SPARE:
        return Refusal(
            507, "The server's disk is nearly full: your file was not saved. Free some space first."
        )
    if settings.BODIES and sum(1 for _ in where.glob("*")) >= AT_ONCE:
        return Refusal(
            503, f"{AT_ONCE} large files are being sent already: send yours again in a minute."
        )  # fmt: skip
    return None


@login_not_required
@never_cache
@require_safe
def may_send(request: HttpRequest) -> HttpResponse:
    """Asked by nginx before it reads a large body: 204, 401 or 403."""
    path = request.headers.get("X-Send-Path", "").partition("?")[0]
    length = request.headers.get("X-Send-Length", "")
    found = refusal(request, path, length) or _no_room(_declared(length))
    if found is None:
        return HttpResponse(status=204)
    headers = {
        "X-Refusal": found.words, "X-Refused-With": str(found.status),
        "X-Sign-In": sign_in_from(page_of(request)),
    }  # fmt: skip
    return HttpResponse(status=401 if found is SIGNED_OUT else 403, headers=headers)


class LargeBodies:
    """Refuses what may not be sent before any view, or the check of its form, reads it."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        length = request.META.get("CONTENT_LENGTH") or "0"
        if len(length) < 5 and length.isdecimal():
            return self.get_response(request)
        found = refusal(request, request.path_info, length)
        if found is None and not settings.BODIES:  # else nginx asked, and holds it already
            found = _no_room(_declared(length)) if _declared(length) > FORM else None
        if found is None:
            return self.get_response(request)
        return HttpResponse(found.words, status=found.status, content_type="text/plain")
