"""Slows down guessing of passwords and codes without locking anybody out: a token bucket for each
address, account and browser.

An account is slowed for browsers it was never used in; one it was used in has tries of its own,
so that strangers who guess keep nobody out of their shop. A try is counted before it is looked at,
under the lock of its row, so that many at once are no more than their number.
"""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from math import ceil

from django.conf import settings
from django.contrib.auth.models import User
from django.core import signing
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone

from .models import Tries

COOKIE = f"kentrobar-used-{settings.INSTANCE}"
LASTS = timedelta(days=365)
SALT = "kentrobar.used-in"


@dataclass(frozen=True, slots=True)
class Allowance:
    """A token bucket: attempts allowed in a burst, and seconds until one more is allowed."""

    most: int
    every_s: float


ADDRESS = Allowance(20, 3)
"""A shop's machine, where everybody signs in, needs no more."""
ACCOUNT = Allowance(10, 90)
BROWSER = Allowance(10, 15)
CODE = Allowance(6, 300)
"""Three of a million codes count at any moment: 290 tries a day find one in a thousand days."""
CODE_IN_BROWSER = Allowance(6, 30)


def wait_s(kind: str, whose: object, of: Allowance, now: datetime | None = None) -> float:
    """Seconds until the next try may be made; 0 where it may be made now, which counts it."""
    at = now or timezone.now()
    key = _key(kind, whose)
    with transaction.atomic():
        row = _locked(key, at)
        elapsed = max((at - row.at).total_seconds(), 0)
        made = max(row.made - elapsed / of.every_s, 0)
        if made + 1 > of.most:
            return (made + 1 - of.most) * of.every_s
        row.made, row.at = made + 1, at
        row.save(update_fields=["made", "at"])
    return 0


def forget(kind: str, whose: object) -> None:
    """Somebody got in: what went before were slips."""
    # Not deleted: somebody else may be about to count a try of theirs.
    Tries.objects.filter(key=_key(kind, whose)).update(made=0)


def _locked(key: str, at: datetime) -> Tries:
    """The row of a key, locked until the transaction ends."""
    while True:
        Tries.objects.bulk_create([Tries(key=key, at=at)], ignore_conflicts=True)
        row = Tries.objects.select_for_update().filter(key=key).first()
        if row is not None:  # else the nightly tidying took it away just now
            return row


def _key(kind: str, whose: object) -> str:
    return hashlib.sha256(f"{kind} {whose}".encode(errors="replace")).hexdigest()


def too_many_attempts(request: HttpRequest, wait: float) -> HttpResponse:
    """The page that says how long to wait."""
    context = {"minutes": ceil(wait / 60), "seconds": ceil(wait)}
    answer = render(request, "accounts/locked.html", context, status=429)
    answer["Retry-After"] = str(ceil(wait))
    return answer


def known_browser(request: HttpRequest, user: User | None) -> str:
    """The browser's own name where the account was used in it before; "" where it was not."""
    name, marks = _read(request)
    return name if user is not None and _mark(user) in marks else ""


def remember_browser(answer: HttpResponse, request: HttpRequest, user: User) -> HttpResponse:
    """The account was used in this browser. Ends with the password."""
    name, marks = _read(request)
    kept = {"name": name or secrets.token_urlsafe(12), "of": [*marks[-7:], _mark(user)]}
    answer.set_cookie(
        COOKIE, signing.dumps(kept, salt=SALT), max_age=LASTS, httponly=True, samesite="Lax",
        secure=request.is_secure(),
    )  # fmt: skip
    return answer


def _read(request: HttpRequest) -> tuple[str, list[str]]:
    try:
        kept = signing.loads(request.COOKIES.get(COOKIE, ""), salt=SALT, max_age=LASTS)
        return kept["name"], kept["of"]
    except signing.BadSignature:
        return "", []


def _mark(user: User) -> str:
    return f"{user.pk}-{user.get_session_auth_hash()[:16]}"
