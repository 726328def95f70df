"""Everything a workshop has, as one document, and back from it."""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterator
from datetime import datetime
from typing import Any

from django.apps import apps
from django.contrib import messages
from django.contrib.auth import get_user_model
from django.core import serializers
from django.core.management.color import no_style
from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, models, transaction
from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kentrobar.frames.models import Frame, Reading
from kentrobar.frames.typed import settle_typed
from kentrobar.ui.request import Request
from kentrobar.workshop.upgrade import FIRST_FORMAT, upgraded, with_foam, with_holes

from .models import Import

FORMAT = "kentrobar-workshop/2"
APPS = ("shop", "frames", "measuring", "stock", "planning", "recipes", "workshop")
MOST_BYTES = 60 * 1024 * 1024


def _models() -> list[type[models.Model]]:
    """Every table of the workshop, those that others point to first."""
    found = [
        model
        for name in APPS
        for model in apps.get_app_config(name).get_models(include_auto_created=True)
        if model is not Import  # a table that somebody looks through is no content of the workshop
    ]
    return list(serializers.sort_dependencies([(None, found)]))


def _is_empty() -> bool:
    return not Frame.objects.exists()


def streamed() -> Iterator[str]:
    """Everything of the workshop as one document, row by row and as at one moment; people who sign
    in by their names, never by their passwords."""
    yield f'{{"format": "{FORMAT}", "made": "{timezone.now().isoformat()}", "rows": ['
    between = "\n"
    is_own = not connection.in_atomic_block
    with transaction.atomic():
        if is_own:
            with connection.cursor() as cursor:
                cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY")
        for model in _models():
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


@require_GET
def workshop_json(request: Request) -> StreamingHttpResponse:
    return StreamingHttpResponse(
        streamed(), content_type="application/json; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="workshop.json"'},
    )  # fmt: skip


@require_POST
def restore(request: Request) -> HttpResponse:
    """The whole workshop from its file, into an empty one, all or nothing."""
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose the file first.")
        return redirect("data")
    if not _is_empty():
        messages.error(
            request,
            "Not restored: there are frames here already. A workshop is restored into an empty"
            " one.",
        )
        return redirect("data")
    try:
        count = restored(json.loads(file.read(MOST_BYTES)))
    except (ValueError, KeyError, TypeError, serializers.base.DeserializationError) as error:
        messages.error(request, f"Not restored, nothing was changed: {str(error)[:200]}")
        return redirect("data")
    messages.success(request, f"Restored: {count} rows.")
    return redirect("data")


def restored(document: Any) -> int:
    """Write a document's rows into an empty workshop. Raises ValueError where it is none of
    ours."""
    if not isinstance(document, dict) or document.get("format") not in (FORMAT, FIRST_FORMAT):
        raise ValueError(f"format: this is no {FORMAT} file")
    ours = {model._meta.label_lower for model in _models()}
    rows = with_foam(with_holes(document["rows"]))
    if document["format"] == FIRST_FORMAT:
        rows = list(upgraded(rows))
    foreign = next((row["model"] for row in rows if row["model"] not in ours), None)
    if foreign:
        raise ValueError(f"rows: {foreign} is no table of the workshop")
    users = get_user_model()
    with transaction.atomic():
        for name in _signed(rows):
            if not users.objects.filter(username=name).exists():
                users.objects.create_user(name)  # nobody can sign in by it until a password is set
        for model in reversed(_models()):
            getattr(model, "objects", model._default_manager).all().delete()
        for one in serializers.deserialize("json", json.dumps(rows)):
            one.save()
        settle_typed(Reading)
        _continue_numbers()
    return len(rows)


def _signed(rows: list[Any]) -> set[str]:
    """Names of people in a document's natural keys."""
    found = set()
    for row in rows:
        model = apps.get_model(row["model"])
        for part in model._meta.get_fields():
            if (
                getattr(part, "remote_field", None)
                and part.related_model is get_user_model()
                and part.concrete
            ):
                value = row["fields"].get(part.name)
                found |= {value[0]} if isinstance(value, list) and value else set()
    return found


def _continue_numbers() -> None:
    """New rows are numbered after the restored ones."""
    with connection.cursor() as cursor:
        for sql in connection.ops.sequence_reset_sql(no_style(), _models()):
            cursor.execute(sql)
