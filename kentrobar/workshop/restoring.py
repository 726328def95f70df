"""A whole workshop back from its file: read row by row, so that it takes no more memory than one of
them, checked like what a page takes, and all of it or nothing.

Files of today's kind are streamed. Older ones, whose rows must see one another to become today's,
are read whole, up to a size.
"""

from __future__ import annotations

import itertools
import json
import secrets
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO, Any

import ijson
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.core.exceptions import FieldDoesNotExist, ValidationError
from django.core.files.uploadedfile import UploadedFile
from django.core.management.color import no_style
from django.core.serializers.base import DeserializationError
from django.core.serializers.python import Deserializer
from django.db import DatabaseError, connection, models, transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.recipes.solve import Progress, Watch
from kentrobar.frames.models import Reading
from kentrobar.frames.typed import say_units, settle_typed
from kentrobar.measuring.models import Instrument
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material
from kentrobar.ui import background
from kentrobar.ui.request import Request

from .models import Restore
from .upgrade import FIRST_FORMAT, upgraded, with_foam, with_holes
from .whole import FORMAT, give_role, tables

MOST_OLD_BYTES = 200 * 1024 * 1024
"""Largest file from before 0.2, which is read whole, bytes."""
SOME = 500
DEEPEST = 64
HEAD = ("format", "version", "made", "people")
BEGUN_WITH = (Settings, Material, Instrument)
"""What a shop that was just opened has, and nobody would miss."""
REFUSED = (
    ValueError, LookupError, TypeError, AttributeError, ArithmeticError, RecursionError,
    ValidationError, FieldDoesNotExist, DeserializationError, DatabaseError, ijson.JSONError,
)  # fmt: skip
"""Whatever a file that is none, or is damaged, may bring about: it is refused by each."""

Row = dict[str, Any]


@require_POST
def restore(request: Request) -> HttpResponse:
    """The whole workshop from its file, into an empty one, all or nothing; beside the page."""
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose the file first.")
        return redirect("data")
    row, _ = Restore.objects.get_or_create(user=request.user)
    if row.is_working:
        messages.error(request, "A file is being restored already.")
        return redirect("data")
    row.content = {"file": _put_by(file, row.content.get("file", ""))}
    row.save(update_fields=["content"])
    background.start(row, bring_back)
    return redirect("data")


@require_safe
def restore_answer(request: Request) -> HttpResponse:
    """How far it is, for the page that waits for it."""
    row = get_object_or_404(Restore, user=request.user)
    return render(request, "workshop/_restore.html", {"restore": row})


def _folder() -> Path:
    """Where a file that came lies until it is restored; what reads it works on this machine."""
    folder: Path = settings.LOCAL / "restore"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    return folder


def _put_by(file: UploadedFile, before: str) -> str:
    """Its name on this machine; the one that came before it goes."""
    if before:
        (_folder() / Path(before).name).unlink(missing_ok=True)
    name = f"{secrets.token_hex(8)}.json"
    with (_folder() / name).open("xb") as kept:
        for chunk in file.chunks():
            kept.write(chunk)
    return name


@background.work("restore", Restore, background.LONG)
def bring_back(row: Restore) -> background.Prepared:
    path = _folder() / Path(str(row.content["file"])).name

    def brought_back(watch: Watch) -> dict[str, Any]:
        watch(Progress("Restoring"))
        try:
            with path.open("rb") as file:
                count = restored(file)
        except FileNotFoundError:
            return {"why": "the file lies on the machine it was sent to, where no worker is"}
        except REFUSED as error:
            return {"why": refusal(error)}
        finally:
            path.unlink(missing_ok=True)
        return {"rows": count}

    return brought_back, background.nothing_yet


def is_empty() -> bool:
    """Whether nothing is here that somebody would miss."""
    return not any(_holds_work(model) for model in tables())


def refusal(error: Exception) -> str:
    """Why a file was refused, in a line."""
    if isinstance(error, ijson.JSONError):
        return f"this is no whole JSON file: {str(error)[:120]}"
    if isinstance(error, ValidationError):
        return "; ".join(error.messages)[:200]
    return str(error).splitlines()[0][:200] if str(error) else type(error).__name__


def restored(file: IO[bytes]) -> int:
    """Write a file's rows into an empty workshop; how many. Raises one of REFUSED, with nothing
    changed."""
    _check_depth(file)
    head = _head(file)
    if head.get("format") not in (FORMAT, FIRST_FORMAT):
        raise ValueError(f"format: this is no {FORMAT} file")
    odd = next((key for key in head if key not in HEAD), None)
    if odd is not None:
        raise ValueError(f"{odd}: no such key is known here; was it made by a newer version?")
    with transaction.atomic():
        full = next((model for model in tables() if _holds_work(model)), None)
        if full is not None:
            name = full._meta.verbose_name_plural
            raise ValueError(f"there are {name} here: a workshop is restored into an empty one")
        rows = _rows(file, head)
        first = next(rows, None)
        if first is None:
            raise ValueError("rows: there is nothing in it")
        for model in reversed(tables()):
            model._base_manager.all().delete()
        _people(head.get("people") or ())
        count = _written(itertools.chain([first], rows))
        settle_typed(Reading)
        say_units(Reading)
        with connection.cursor() as cursor:
            # What a row points to must be there: said now, while all of it can still be undone.
            cursor.execute("set constraints all immediate")
        # Last, for nothing that is refused later takes it back.
        _continue_numbers()
    return count


def _check_depth(file: IO[bytes]) -> None:
    """Refuse what is nested deeper than any row, before its path takes all memory: that of the
    n-th bracket is n parts long."""
    file.seek(0)
    depth = 0
    for event, _ in ijson.basic_parse(file):
        depth += (event in ("start_map", "start_array")) - (event in ("end_map", "end_array"))
        if depth > DEEPEST:
            raise ValueError(f"nested deeper than {DEEPEST} levels: this is no whole workshop")


def _head(file: IO[bytes]) -> dict[str, Any]:
    """What stands before the rows."""
    file.seek(0)
    found: dict[str, Any] = {}
    for key, value in _before_rows(file):
        found[key] = value
    return found


def _before_rows(file: IO[bytes]) -> Iterator[tuple[str, Any]]:
    key, builder, depth = "", ijson.ObjectBuilder(), 0
    for prefix, event, value in ijson.parse(file, use_float=True):
        if prefix == "" and event == "map_key":
            key, builder, depth = value, ijson.ObjectBuilder(), 0
            if key == "rows":
                return
        elif key:
            builder.event(event, value)
            depth += event.startswith("start")
            depth -= event.startswith("end")
            if depth == 0:
                yield key, builder.value
                key = ""


def _rows(file: IO[bytes], head: dict[str, Any]) -> Iterator[Row]:
    file.seek(0)
    if "version" in head:
        yield from ijson.items(file, "rows.item", use_float=True)
        return
    text = file.read(MOST_OLD_BYTES + 1)
    if len(text) > MOST_OLD_BYTES:
        raise ValueError(f"the file is of an older kind, and over {MOST_OLD_BYTES >> 20} MB")
    rows = with_foam(with_holes(json.loads(text)["rows"]))
    yield from upgraded(rows) if head["format"] == FIRST_FORMAT else rows


def _holds_work(model: type[models.Model]) -> bool:
    """Whether a table has anything somebody would miss, removed rows as well."""
    return model not in BEGUN_WITH and model._base_manager.exists()


def _people(told: Any) -> None:
    """Whoever signed in there may be invited again here: name and role, and no password. Who has an
    account here keeps it as it is, with the role it has, or none."""
    if not isinstance(told, list | tuple):
        raise ValueError("people: a list is wanted")
    for number, one in enumerate(told):
        name = one.get("name") if isinstance(one, dict) else None
        if not isinstance(name, str) or not name:
            raise ValueError(f"people[{number}].name: a name is wanted")
        if get_user_model()._default_manager.filter(username=name[:150]).exists():
            continue
        user = _named(name[:150])
        user.first_name = str(one.get("called", ""))[:150]
        user.save(update_fields=["first_name"])
        give_role(user, str(one.get("role", "")))


def _named(name: str) -> User:
    """An account nobody can sign in by until a password is set."""
    users = get_user_model()
    found = users.objects.filter(username=name).first()
    if found is not None:
        return found
    made = users(username=name)
    made.set_unusable_password()
    made.full_clean(exclude=["password"])
    made.save()
    return made


def _written(rows: Iterator[Row]) -> int:
    """Rows written table by table, some hundred at a time, each checked as a page checks it."""
    ours = {model._meta.label_lower: model for model in tables()}
    count = 0
    for label, of_model in itertools.groupby(rows, key=lambda row: row["model"]):
        model = ours.get(label)
        if model is None:
            raise ValueError(f"rows: {label} is no table of the workshop")
        plain = [part for part in model._meta.fields if not part.remote_field]
        while some := list(itertools.islice(of_model, SOME)):
            for name in _signed(model, some):
                _named(name)
            made = [one.object for one in Deserializer(some)]
            for one in made:
                _check(one, plain)
            model._base_manager.bulk_create(made)
            count += len(made)
    return count


def _check(row: models.Model, parts: Iterable[models.Field[Any, Any]]) -> None:
    """Each value as a form would check it; what is left empty is empty, also where pages ask for
    something, as they do of older rows. Raises ValidationError."""
    for part in parts:
        value = getattr(row, part.attname)
        if value not in part.empty_values and not part.primary_key:
            try:
                part.clean(value, row)
            except ValidationError as error:
                said = f"{row._meta.label_lower} {row.pk}, {part.name}: {'; '.join(error.messages)}"
                raise ValidationError(said) from None


def _signed(model: type[models.Model], rows: list[Row]) -> set[str]:
    """Names of people in rows' natural keys."""
    parts = [part.name for part in model._meta.fields if part.related_model is get_user_model()]
    values = (row["fields"].get(part) for row in rows for part in parts)
    return {str(value[0])[:150] for value in values if isinstance(value, list) and value}


def _continue_numbers() -> None:
    """New rows are numbered after the restored ones."""
    with connection.cursor() as cursor:
        for sql in connection.ops.sequence_reset_sql(no_style(), tables()):
            cursor.execute(sql)
