"""Open data: frames and readings out and in as CSV, the whole workshop out and in as JSON."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.errors import UnreadableError
from kentrobar.core.io.tables import read, write
from kentrobar.core.quantities import READ
from kentrobar.core.recipes.solve import Progress, Watch
from kentrobar.frames.models import Frame, Reading, newest_readings
from kentrobar.ui import background
from kentrobar.ui.request import Request

from .models import Import, Restore
from .restoring import is_empty
from .table_rows import ImportRow, fates_of, write_rows

MOST_TABLE_BYTES = 5 * 1024 * 1024


@require_safe
def index(request: Request) -> HttpResponse:
    restore = Restore.objects.filter(user=request.user).first()
    return render(request, "workshop/data.html", {"is_empty": is_empty(), "restore": restore})


@require_safe
def frames_csv(request: Request) -> HttpResponse:
    """Every frame, a row a condition it was read in."""
    rows: list[dict[str, object]] = []
    newest: dict[int, list[Reading]] = {}
    for reading in newest_readings():
        newest.setdefault(reading.frame_id, []).append(reading)
    for frame in Frame.live.all():
        about = {
            "name": frame.model, "serial": frame.serial, "maker": frame.maker,
            "owner": str(frame.player or ""), "kind": frame.kind,
            "frame": str(frame.pk),
        }  # fmt: skip
        by_condition: dict[str, dict[str, Reading]] = {}
        for reading in newest.get(frame.pk, ()):
            by_condition.setdefault(reading.condition, {})[reading.quantity] = reading
        for condition, found in by_condition.items():
            day = timezone.localdate(max(reading.read_at for reading in found.values()))
            row = about | {"condition": condition, "measured_on": day.isoformat()}
            row |= {name: found[name].value for name in READ if name in found}
            row |= {f"{name}_u": one.u for name, one in found.items() if one.u is not None}
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
def read_csv(request: Request) -> HttpResponse:
    """What would become of every row; nothing is written. Looked through beside the page where it
    takes long."""
    text = request.POST.get("text", "")
    if "file" in request.FILES:
        file: Any = request.FILES["file"]
        if file.size > MOST_TABLE_BYTES:
            # Cut off here, its last rows would be lost without a word.
            most = f"A table has {MOST_TABLE_BYTES // 1024**2} MB at most: split this one."
            told = {"text": text, "is_empty": is_empty(), "fault": most}
            return render(request, "workshop/data.html", told, status=422)
        raw = file.read()
        try:
            text = raw.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = raw.decode("cp1252", errors="replace")
    text = text.replace("\0", "")
    context: dict[str, Any] = {"text": text, "is_empty": is_empty()}
    try:
        read(text)
    except UnreadableError as error:
        return render(request, "workshop/data.html", context | {"fault": str(error)}, status=422)
    table, _ = Import.objects.get_or_create(user=request.user)
    table.content = {"text": text}
    table.save(update_fields=["content"])
    background.start(table, look_through)
    return render(request, "workshop/data.html", context | {"table": table})


@background.work("look through a table", Import)
def look_through(table: Import) -> background.Prepared:
    rows = read(table.content["text"])

    def looked_through(watch: Watch) -> dict[str, Any]:
        fates = list(_watched(fates_of(rows), len(rows), watch, "Looked through"))
        kept = [fate for fate in fates if fate.is_kept]
        doubtful = sum(bool(fate.doubts) for fate in kept)
        return {"fates": [fate.dump() for fate in fates], "kept": len(kept), "doubtful": doubtful}

    return looked_through, background.nothing_yet


@require_POST
def write_csv(request: Request) -> HttpResponse:
    """Write what is sound of the table that was looked through last, all of it or none."""
    table = get_object_or_404(Import, user=request.user)
    background.start(table, write_down)
    context = {"table": table, "text": table.content["text"], "is_empty": is_empty()}
    return render(request, "workshop/data.html", context)


@background.work("write a table", Import)
def write_down(table: Import) -> background.Prepared:
    rows = read(table.content["text"])

    def written(watch: Watch) -> dict[str, Any]:
        fates = list(_watched(fates_of(rows), len(rows), watch, "Looked through"))
        kept = [fate for fate in fates if fate.is_kept]
        watch(Progress(f"Writing {len(kept)} rows together"))
        with transaction.atomic():
            # Sent twice, the second waits here and finds it written.
            held = Import.objects.select_for_update().get(pk=table.pk)
            if held.content.get("is_written"):
                return held.content["is_written"]
            new, readings = write_rows(kept, table.user)
            answer = {"new": new, "readings": readings, "left": len(fates) - len(kept)}
            held.content |= {"is_written": answer}
            held.save(update_fields=["content"])
        return answer

    return written, background.nothing_yet


@require_safe
def table_answer(request: Request) -> HttpResponse:
    """How far the table is, for the page that waits for it."""
    return render(
        request, "workshop/_table.html", {"table": get_object_or_404(Import, user=request.user)}
    )


def _watched(fates: Iterator[ImportRow], of: int, watch: Watch, words: str) -> Iterator[ImportRow]:
    for i, fate in enumerate(fates, 1):
        if i % 100 == 0:
            watch(Progress(f"{words}: {i} of {of} rows"))
        yield fate
