"""Everything a workshop has, as one document; ``restoring.py`` is the way back."""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable, Iterator
from datetime import datetime
from typing import Any

from django.apps import apps
from django.contrib.auth import get_user_model
from django.core import serializers
from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, models, transaction
from django.http import StreamingHttpResponse
from django.utils import timezone
from django.views.decorators.http import require_safe

from kentrobar import __version__
from kentrobar.ui.request import Request

FORMAT = "kentrobar-workshop/2"
APPS = ("shop", "frames", "measuring", "stock", "planning", "recipes", "workshop")

_roles: dict[str, Callable[..., Any]] = {}
"""How a room above tells somebody's role, and gives one: ``of`` and ``give``."""


def roles_by(of: Callable[[Any], str], give: Callable[[Any, str], None]) -> None:
    """People travel with their roles, which are known in a room above."""
    _roles.update(of=of, give=give)


def give_role(user: Any, role: str) -> None:
    if "give" in _roles:
        _roles["give"](user, role)


def _people() -> Iterator[dict[str, str]]:
    """Everybody who signs in here, by name and role; never by a password."""
    for user in get_user_model()._default_manager.order_by("pk"):
        role = _roles["of"](user) if "of" in _roles else ""
        yield {"name": user.username, "called": user.first_name, "role": role}


def tables() -> list[type[models.Model]]:
    """Every table of the workshop, those that others point to first."""
    found = [
        model
        for name in APPS
        for model in apps.get_app_config(name).get_models(include_auto_created=True)
        # What is at work beside the pages is no content, nor is a key that opens no other shop.
        if not getattr(model, "is_beside", False)
    ]
    return list(serializers.sort_dependencies([(None, found)]))


def streamed() -> Iterator[str]:
    """Everything of the workshop as one document, row by row and as at one moment; people who sign
    in by their names, never by their passwords."""
    yield f'{{"format": "{FORMAT}", "version": "{__version__}",'
    yield f' "made": "{timezone.now().isoformat()}",'
    yield f' "people": {json.dumps(list(_people()), ensure_ascii=False)}, "rows": ['
    between = "\n"
    is_own = not connection.in_atomic_block
    with transaction.atomic():
        if is_own:
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        for model in tables():
            for row in _rows(model):
                yield between + json.dumps(row, ensure_ascii=False, cls=_ToTheMicrosecond)
                between = ",\n"
    yield "]}\n"


class _ToTheMicrosecond(DjangoJSONEncoder):
    """Django's own cuts times to the millisecond; what comes back is to be what went out."""

    def default(self, o: Any) -> Any:
        return o.isoformat() if isinstance(o, datetime) else super().default(o)


def _rows(model: type[models.Model]) -> Iterator[dict[str, Any]]:
    signed = [
        part.name
        for part in model._meta.fields
        if part.remote_field and part.related_model is get_user_model()
    ]
    rows = getattr(model, "objects", model._default_manager).order_by("pk").select_related(*signed)
    serializer = serializers.get_serializer("python")()
    chunk = rows.iterator(chunk_size=500)
    while some := list(itertools.islice(chunk, 500)):
        yield from serializer.serialize(some, use_natural_foreign_keys=True)


@require_safe
def workshop_json(request: Request) -> StreamingHttpResponse:
    return StreamingHttpResponse(
        streamed(), content_type="application/json; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="workshop.json"'},
    )  # fmt: skip
