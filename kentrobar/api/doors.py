"""Who gets in, how a fault is said, and that what is sent twice is stored once."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from typing import Any, TypeVar, cast

from django.db import IntegrityError, models, transaction
from django.http import HttpRequest
from ninja.parser import Parser
from ninja.security.base import AuthBase

from kentrobar.accounts.models import Role, role_of
from kentrobar.core.io.parsing import load_json
from kentrobar.shop.tokens import Token, asked_with
from kentrobar.ui.models import Sent

WORKS = (Role.OWNER, Role.BENCH)
Row = TypeVar("Row", bound=models.Model)


class ApiError(Exception):
    """An answer that is a ``Problem``."""

    def __init__(self, status: int, why: str, at: str = "") -> None:
        super().__init__(why)
        self.status, self.why, self.at = status, why, at


class ByToken(AuthBase):
    """A token that may read, in ``Authorization: Bearer``; for what writes, one that may write."""

    openapi_type = "http"
    openapi_scheme = "bearer"

    def __call__(self, request: HttpRequest) -> Token | None:
        token = asked_with(request, Token.May.READ, Token.May.WRITE)
        if token is not None:
            request.user = cast(Any, token.user)
        return token


def may_write(request: HttpRequest) -> None:
    """Raises ApiError where the token, or the role of whoever made it, does not allow it."""
    token: Token = request.auth  # type: ignore[attr-defined]
    if token.may != Token.May.WRITE:
        raise ApiError(403, "this token may read only")
    role = role_of(token.user)
    if role not in WORKS:
        raise ApiError(403, f"whoever made this token is {role.label}, who changes no figures")


class Documents(Parser):
    """Bodies are read like the open documents: no key twice, no number that is none."""

    def parse_body(self, request: HttpRequest) -> Any:
        return load_json(request.body)


def once(request: HttpRequest, make: Callable[[], Row]) -> tuple[Row, bool]:
    """(the row made, whether now). With ``Idempotency-Key`` the same request sent again makes
    nothing: it finds what the first one made."""
    key = request.headers.get("Idempotency-Key", "")
    if not key:
        with transaction.atomic():
            return make(), True
    words = f"{request.auth.pk}\0{request.path}\0{key}"  # type: ignore[attr-defined]
    form = hashlib.sha256(words.encode(errors="replace")).hexdigest()
    body = hashlib.sha256(request.body).hexdigest()
    try:
        with transaction.atomic():
            # The second of two at once waits here for what becomes of the first.
            sent = Sent.objects.create(form=form, words=body, user=cast(Any, request.user))
            row = make()
            Sent.objects.filter(pk=sent.pk).update(led_to=f"{row._meta.label} {row.pk}")
        return row, True
    except IntegrityError:
        earlier = Sent.objects.filter(form=form).first()
        if earlier is None:
            raise
    if earlier.words != body:
        raise ApiError(409, "this key came with something else before", "Idempotency-Key")
    model, _, pk = earlier.led_to.partition(" ")
    from django.apps import apps

    found = apps.get_model(model)._default_manager.filter(pk=pk).first()
    if found is None:
        raise ApiError(404, "what was made with this key is gone")
    return cast(Row, found), False
