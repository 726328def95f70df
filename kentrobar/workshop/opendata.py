"""Open data: frames and readings out and in as CSV, the whole workshop out and in as JSON."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, time
from typing import Any

from django.apps import apps
from django.contrib import messages
from django.contrib.auth import get_user_model
from django.core import serializers
from django.core.management.color import no_style
from django.db import connection, models, transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kentrobar.core.documents import measured_faults
from kentrobar.core.predict import Measured
from kentrobar.core.presets import PRESETS
from kentrobar.core.reading_documents import READING_FORMAT
from kentrobar.core.tables import Row, Unreadable, read, write
from kentrobar.frames.models import Condition, Frame, Quantity, Reading

FORMAT = "kentrobar-workshop/1"
APPS = ("frames", "measuring", "stock", "planning", "recipes", "workshop")
USUAL = {"racket": "racket-98", "paddle": "paddle-even"}
MOST_BYTES = 60 * 1024 * 1024
FIGURES = ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2")


@dataclass(frozen=True, slots=True)
class Fate:
    """What becomes of one row: a new frame, readings for one that is there, or nothing, and why."""

    row: Row
    what: str
    frame: Frame | None
    is_new: bool
    faults: list[str]

    @property
    def is_kept(self) -> bool:
        return not self.faults and self.what != "already there"


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    return render(request, "workshop/data.html", {"is_empty": _is_empty()})


@require_GET
def frames_csv(request: HttpRequest) -> HttpResponse:
    """Every frame, a row a condition it was read in."""
    rows: list[dict[str, object]] = []
    for frame in Frame.live.prefetch_related("parts"):
        about = {
            "name": frame.model, "serial": frame.serial, "maker": frame.maker, "owner": frame.owner, "kind": frame.kind,
        }  # fmt: skip
        by_condition: dict[str, dict[str, Reading]] = {}
        for reading in frame.latest():
            by_condition.setdefault(reading.condition, {})[reading.quantity] = reading
        for condition, found in by_condition.items():
            newest = max(reading.read_at for reading in found.values())
            row = about | {"condition": condition, "measured_on": newest.date().isoformat()}
            row |= {name: found[name].value for name in FIGURES if name in found}
            if "swing_kgcm2" in found:
                row["axis_mm"] = found["swing_kgcm2"].axis_mm or 0.0
            rows.append(row)
        if not by_condition:
            rows.append(about)
    return HttpResponse(
        write(rows), content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="frames.csv"'},
    )  # fmt: skip


@require_POST
def read_csv(request: HttpRequest) -> HttpResponse:
    """The fate of every row before anything is written; with ``write``, what is sound is written, all or none."""
    text = request.POST.get("text", "")
    if "file" in request.FILES:
        raw = request.FILES["file"].read(5 * 1024 * 1024)
        try:
            text = raw.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = raw.decode("cp1252", errors="replace")
    context: dict[str, Any] = {"text": text, "is_empty": _is_empty()}
    try:
        fates = list(_fates(read(text)))
    except Unreadable as error:
        return render(request, "workshop/data.html", context | {"fault": str(error)}, status=422)
    kept = [fate for fate in fates if fate.is_kept]
    if "write" in request.POST and kept:
        with transaction.atomic():
            count = sum(_written(fate, request.user) for fate in kept)
        new, left = sum(fate.is_new for fate in kept), len(fates) - len(kept)
        messages.success(request, f"Written: {new} new frames, {count} readings. {left} rows left out.")
        return redirect("data")
    return render(request, "workshop/data.html", context | {"fates": fates, "kept": len(kept)})


def _fates(rows: list[Row]) -> Iterator[Fate]:
    made: dict[tuple[str, str], int] = {}
    there = {(one.model.lower(), one.serial.lower()): one for one in Frame.live.exclude(serial="")}
    for row in rows:
        faults = list(row.faults)
        condition = row.texts.get("condition", "as-played").lower().replace(" ", "-")
        if condition not in Condition.values:
            faults.append(
                f"condition: “{row.texts.get('condition')}” is none of {', '.join(Condition.values)}"
            )
        kind = row.texts.get("kind", "racket").lower()
        if kind not in USUAL:
            faults.append(f"kind: “{kind}” is neither racket nor paddle")
        name, serial = row.texts.get("name", "")[:60], row.texts.get("serial", "")[:40]
        # One serial, one frame; without a serial the name and nothing else tells frames apart.
        frame = there.get((name.lower(), serial.lower())) if serial else None
        if serial and (name.lower(), serial.lower()) in made and frame is None:
            yield Fate(row, f"readings for line {made[name.lower(), serial.lower()]}", None, False, faults)
            continue
        faults += _figure_faults(row, frame, kind)
        if not faults and serial and frame is None:
            made[name.lower(), serial.lower()] = row.line
        if frame is None:
            yield Fate(row, "a new frame", None, True, faults)
        elif not faults and not list(_news(row, frame, condition)):
            yield Fate(row, "already there", frame, False, faults)
        else:
            yield Fate(row, f"readings for {frame}", frame, False, faults)


def _figure_faults(row: Row, frame: Frame | None, kind: str) -> list[str]:
    figures = row.figures
    faults = []
    if "swing_kgcm2" in figures and "axis_mm" not in figures:
        faults.append("swing weight without its axis: add a column axis_mm")
    if any(value <= 0 for name, value in figures.items() if name != "axis_mm"):
        faults.append("a figure is not above 0")
    if not faults and kind in USUAL and {"mass_g", "balance_mm", "swing_kgcm2"} <= set(figures):
        outline = frame.outline() if frame else PRESETS[USUAL[kind]][1]
        measured = Measured(
            mass_g=figures["mass_g"], balance_mm=figures["balance_mm"], swing_kgcm2=figures["swing_kgcm2"],
            axis_mm=figures["axis_mm"], twist_kgcm2=figures.get("twist_kgcm2"),
        )  # fmt: skip
        faults += [
            f"{path.removeprefix('measured.')}: {reason}"
            for path, reason in measured_faults(measured, outline)
        ]
    return faults


def _news(row: Row, frame: Frame, condition: str) -> Iterator[str]:
    """Figures of a row that the frame does not have yet, as read on that day."""
    when = _when(row)
    for name in FIGURES:
        if name in row.figures:
            same = frame.readings.filter(
                quantity=name, condition=condition, withdrawn_at=None,
                value__range=(row.figures[name] - 1e-6, row.figures[name] + 1e-6),
            )  # fmt: skip
            if row.measured_on:
                same = same.filter(read_at__date=when.date())
            if not same.exists():
                yield name


def _when(row: Row) -> datetime:
    if row.measured_on is None:
        return timezone.now()
    return timezone.make_aware(datetime.combine(row.measured_on, time(12)))


def _written(fate: Fate, user: Any) -> int:
    """Write one row; how many readings it gave."""
    row = fate.row
    name, serial = row.texts["name"][:60], row.texts.get("serial", "")[:40]
    frame = fate.frame
    if frame is None and serial:
        frame = Frame.live.filter(model__iexact=name, serial__iexact=serial).first()
    if frame is None:
        frame = Frame(model=name, serial=serial, note="from a table: measure its outline")
        frame.maker, frame.owner = row.texts.get("maker", "")[:60], row.texts.get("owner", "")[:60]
        frame.set_outline(PRESETS[USUAL[row.texts.get("kind", "racket").lower()]][1])
        frame.save()
    condition = row.texts.get("condition", "as-played").lower().replace(" ", "-")
    count = 0
    for figure in list(_news(row, frame, condition)):
        value = row.figures[figure]
        axis = row.figures["axis_mm"] if figure == Quantity.SWING else None
        raw = {"format": READING_FORMAT, "method": "told", "quantity": figure, "value": value}
        Reading.objects.create(
            frame=frame, quantity=figure, value=value, axis_mm=axis, condition=condition, read_at=_when(row),
            read_by=user, raw=raw | ({"axis_mm": axis} if axis is not None else {}),
        )  # fmt: skip
        count += 1
    return count


# --- the whole workshop ---------------------------------------------------------------------------


def _models() -> list[type[models.Model]]:
    """Every table of the workshop, those that others point to first."""
    found = [
        model for name in APPS for model in apps.get_app_config(name).get_models(include_auto_created=True)
    ]
    return list(serializers.sort_dependencies([(None, found)]))


def _is_empty() -> bool:
    return not Frame.objects.exists()


def whole() -> dict[str, Any]:
    """Everything of the workshop as one document; people who sign in by their names, never by their passwords."""
    rows: list[Any] = []
    for model in _models():
        objects = model._default_manager if model.__name__ != "Material" else model.objects  # type: ignore[attr-defined]
        manager = getattr(model, "objects", objects)
        rows += json.loads(
            serializers.serialize("json", manager.order_by("pk"), use_natural_foreign_keys=True)
        )
    return {"format": FORMAT, "made": timezone.now().isoformat(), "rows": rows}


@require_GET
def workshop_json(request: HttpRequest) -> HttpResponse:
    return HttpResponse(
        json.dumps(whole(), ensure_ascii=False, indent=0), content_type="application/json; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="workshop.json"'},
    )  # fmt: skip


@require_POST
def restore(request: HttpRequest) -> HttpResponse:
    """The whole workshop from its file, into an empty one, all or nothing."""
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose the file first.")
        return redirect("data")
    if not _is_empty():
        messages.error(
            request, "Not restored: there are frames here already. A workshop is restored into an empty one."
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
    """Write a document's rows into an empty workshop. Raises ValueError where it is none of ours."""
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise ValueError(f"format: this is no {FORMAT} file")
    ours = {model._meta.label_lower for model in _models()}
    rows = document["rows"]
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
