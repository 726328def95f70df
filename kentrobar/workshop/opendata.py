"""Open data: frames and readings out and in as CSV, the whole workshop out and in as JSON."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.errors import Unreadable
from kentrobar.core.frame.plausibility import measured_faults
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.io.readings import READING_FORMAT
from kentrobar.core.io.tables import TableRow, read, write
from kentrobar.core.quantities import NEEDED, READ
from kentrobar.core.recipes.solve import Progress, Watch
from kentrobar.frames.choices import Condition, Quantity
from kentrobar.frames.judging import judge
from kentrobar.frames.models import FittedPart, Frame, Person, Reading
from kentrobar.shop.models import Settings
from kentrobar.ui import background
from kentrobar.ui.moments import done_at
from kentrobar.ui.request import Request

from .advance import advanced
from .models import Import, Restore, Sheet
from .restoring import is_empty

USUAL = {"racket": "racket-98", "paddle": "paddle-even"}
MOST_TABLE_BYTES = 5 * 1024 * 1024
NOBODY: Mapping[str, Person] = {}


@dataclass(frozen=True, slots=True)
class Fate:
    """What becomes of one row: a new frame, readings for one that is there, or nothing, and why."""

    row: TableRow
    what: str
    frame: Frame | None
    is_new: bool
    faults: list[str]
    doubts: list[str] = field(default_factory=list)
    """What is written all the same, and had better be looked at first."""

    @property
    def is_kept(self) -> bool:
        return not self.faults and self.what != "already there"

    @property
    def named(self) -> tuple[str, str]:
        """The name and serial that tell frames apart."""
        texts = self.row.texts
        return texts.get("name", "")[:60].lower(), texts.get("serial", "")[:40].lower()

    def dump(self) -> dict[str, Any]:
        """The fate as the page shows it."""
        return {
            "line": self.row.line,
            "name": self.row.texts.get("name", ""),
            "serial": self.row.texts.get("serial", ""),
            "figures": dict(self.row.figures),
            "what": self.what,
            "faults": self.faults,
            "doubts": self.doubts if self.is_kept else [],
        }


@require_safe
def index(request: Request) -> HttpResponse:
    restore = Restore.objects.filter(user=request.user).first()
    return render(request, "workshop/data.html", {"is_empty": is_empty(), "restore": restore})


@require_safe
def frames_csv(request: Request) -> HttpResponse:
    """Every frame, a row a condition it was read in."""
    rows: list[dict[str, object]] = []
    for frame in Frame.live.prefetch_related("parts"):
        about = {
            "name": frame.model, "serial": frame.serial, "maker": frame.maker,
            "owner": str(frame.player or ""), "kind": frame.kind,
        }  # fmt: skip
        by_condition: dict[str, dict[str, Reading]] = {}
        for reading in frame.latest():
            by_condition.setdefault(reading.condition, {})[reading.quantity] = reading
        for condition, found in by_condition.items():
            newest = max(reading.read_at for reading in found.values())
            day = timezone.localdate(newest)
            row = about | {"condition": condition, "measured_on": day.isoformat()}
            row |= {name: found[name].value for name in READ if name in found}
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
        raw = request.FILES["file"].read(MOST_TABLE_BYTES)  # type: ignore[union-attr] # one file, no list
        try:
            text = raw.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = raw.decode("cp1252", errors="replace")
    text = text.replace("\0", "")
    context: dict[str, Any] = {"text": text, "is_empty": is_empty()}
    try:
        read(text)
    except Unreadable as error:
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
        fates = list(_watched(_fates(rows), len(rows), watch, "Looked through"))
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
        fates = list(_watched(_fates(rows), len(rows), watch, "Looked through"))
        kept = [fate for fate in fates if fate.is_kept]
        watch(Progress(f"Writing {len(kept)} rows together"))
        with transaction.atomic():
            # Sent twice, the second waits here and finds it written.
            held = Import.objects.select_for_update().get(pk=table.pk)
            if held.content.get("is_written"):
                return held.content["is_written"]
            new, readings = _write(kept, table.user)
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


def _watched(fates: Iterator[Fate], of: int, watch: Watch, words: str) -> Iterator[Fate]:
    for i, fate in enumerate(fates, 1):
        if i % 100 == 0:
            watch(Progress(f"{words}: {i} of {of} rows"))
        yield fate


def _fates(rows: list[TableRow]) -> Iterator[Fate]:
    made: dict[tuple[str, str], int] = {}
    there = _there()
    known = _known()
    for row in rows:
        faults = [*row.faults, *_no_day(row.measured_on)]
        condition = row.texts.get("condition", "as-played").lower().replace(" ", "-")
        if condition not in Condition.values:
            faults.append(
                f"condition: “{row.texts.get('condition')}” is none of"
                f" {', '.join(Condition.values)}"
            )
        kind = row.texts.get("kind", "racket").lower()
        if kind not in USUAL:
            faults.append(f"kind: “{kind}” is neither racket nor paddle")
        name, serial = row.texts.get("name", "")[:60], row.texts.get("serial", "")[:40]
        # One serial, one frame; without a serial the name and nothing else tells frames apart.
        frame = there.get((name.lower(), serial.lower())) if serial else None
        if serial and (name.lower(), serial.lower()) in made and frame is None:
            yield Fate(
                row, f"readings for line {made[name.lower(), serial.lower()]}", None, False, faults
            )
            continue
        faults += _figure_faults(row, frame, kind)
        if not faults and serial and frame is None:
            made[name.lower(), serial.lower()] = row.line
        doubts = [] if faults else _doubts(row, frame, condition)
        if frame is None:
            yield Fate(row, "a new frame", None, True, faults, doubts)
        elif not faults and not list(_news(row, known.get(frame.pk, set()), condition)):
            yield Fate(row, "already there", frame, False, faults)
        else:
            yield Fate(row, f"readings for {frame}", frame, False, faults, doubts)


def _figure_faults(row: TableRow, frame: Frame | None, kind: str) -> list[str]:
    figures = row.figures
    faults = []
    if "swing_kgcm2" in figures and "axis_mm" not in figures:
        faults.append("swing weight without its axis: add a column axis_mm")
    if any(value <= 0 for name, value in figures.items() if name != "axis_mm"):
        faults.append("a figure is not above 0")
    if not faults and kind in USUAL and set(NEEDED) <= set(figures):
        outline = frame.outline() if frame else PRESETS[USUAL[kind]][1]
        measured = Measured(
            mass_g=figures["mass_g"],
            balance_mm=figures["balance_mm"],
            swing_kgcm2=figures["swing_kgcm2"],
            axis_mm=figures["axis_mm"],
            twist_kgcm2=figures.get("twist_kgcm2"),
        )
        faults += [
            f"{path.removeprefix('measured.')}: {reason}"
            for path, reason in measured_faults(measured, outline)
        ]
    return faults


def _no_day(day: date | None) -> Iterator[str]:
    """Why nothing can have been measured on this day."""
    if day is not None:
        try:
            done_at(day)
        except ValidationError as error:
            yield f"measured_on: {error.messages[0]}"


def _doubts(row: TableRow, frame: Frame | None, condition: str) -> list[str]:
    """What is unlikely about a row's figures, each with the slip that would explain it: ounces,
    centimetres."""
    given = {name: row.figures[name] for name in READ if name in row.figures}
    if not given:
        return []
    judged = judge(frame or _new_frame(row), given, row.figures.get("axis_mm"), condition, None)
    return list(dict.fromkeys(doubt.text for doubt in judged))


Known = tuple[str, str, float, date | None]
"""A reading as a table can tell it: quantity, condition, value, and its day or None for any day."""


def _there() -> dict[tuple[str, str], Frame]:
    return {(one.model.lower(), one.serial.lower()): one for one in Frame.live.exclude(serial="")}


def _known() -> dict[int, set[Known]]:
    """What was read of each frame, so that no row is written twice. What was read before the last
    work on a frame is known of its day only: read again since, it says that the figure stayed."""
    found: dict[int, set[Known]] = {}
    worked_on = _worked_on()
    readings = Reading.objects.filter(removed_at=None)
    for frame, quantity, condition, value, read_at in readings.values_list(
        "frame_id", "quantity", "condition", "value", "read_at"
    ).iterator():
        known = found.setdefault(frame, set())
        day = timezone.localtime(read_at).date()
        if frame in worked_on and read_at <= worked_on[frame]:
            known.add((quantity, condition, round(value, 5), day))
        else:
            _remember(known, quantity, condition, value, day)
    return found


def _worked_on() -> dict[int, datetime]:
    """When something was last put on or taken off each frame, tape or parts."""
    found: dict[int, datetime] = {}
    sheets = Sheet.objects.values_list("plan__frame_id", "signed_off_at", "taken_off_at")
    parts = FittedPart.objects.values_list("frame_id", "put_on_at", "taken_off_at")
    for frame, *moments in (*sheets, *parts):
        for at in moments:
            if at is not None:
                found[frame] = max(at, found.get(frame, at))
    return found


def _remember(known: set[Known], quantity: str, condition: str, value: float, day: date) -> None:
    known |= {
        (quantity, condition, round(value, 5), day),
        (quantity, condition, round(value, 5), None),
    }


def _news(row: TableRow, known: set[Known], condition: str) -> Iterator[str]:
    """Figures of a row that the frame does not have yet, as read on that day."""
    for name in READ:
        if (
            name in row.figures
            and (name, condition, round(row.figures[name], 5), row.measured_on) not in known
        ):
            yield name


def _when(row: TableRow) -> datetime:
    if row.measured_on is None:
        return timezone.now()
    return timezone.make_aware(datetime.combine(row.measured_on, time(12)))


def _write(fates: list[Fate], user: Any) -> tuple[int, int]:
    """Write rows; how many frames and how many readings that gave."""
    made: dict[tuple[str, str], Frame] = {}
    players = _players(fates)
    frames = []
    for fate in fates:
        key = fate.named
        frame = fate.frame or made.get(key) or _new_frame(fate.row, players)
        if key[1] and fate.frame is None:
            made[key] = frame
        frames.append(frame)
    new = list({id(frame): frame for frame in frames if frame.pk is None}.values())
    Frame.objects.bulk_create(new, 500)
    known, settings = _known(), Settings.load()
    usual = {name: settings.usual_u(name) for name in READ}
    readings = [
        reading
        for fate, frame in zip(fates, frames, strict=True)
        for reading in _readings(fate.row, frame, known.setdefault(frame.pk, set()), usual, user)
    ]
    Reading.objects.bulk_create(readings, 1000)
    advanced({reading.frame_id for reading in readings}, user)
    return len(new), len(readings)


def _players(fates: list[Fate]) -> dict[str, Person]:
    """By name, everybody these rows name, written down where they are new."""
    names = {name for fate in fates if (name := _owner(fate.row))}
    Person.objects.bulk_create([Person(name=name) for name in names], 500, ignore_conflicts=True)
    return {person.name: person for person in Person.objects.filter(name__in=names)}


def _owner(row: TableRow) -> str:
    return " ".join(row.texts.get("owner", "").split())[:60]


def _new_frame(row: TableRow, players: Mapping[str, Person] = NOBODY) -> Frame:
    frame = Frame(model=row.texts["name"][:60], serial=row.texts.get("serial", "")[:40])
    frame.note = "from a table: measure its outline"
    frame.maker, frame.player = row.texts.get("maker", "")[:60], players.get(_owner(row))
    frame.set_outline(PRESETS[USUAL[row.texts.get("kind", "racket").lower()]][1])
    return frame


def _readings(
    row: TableRow, frame: Frame, known: set[Known], usual: Mapping[str, float], user: Any
) -> Iterator[Reading]:
    condition = row.texts.get("condition", "as-played").lower().replace(" ", "-")
    when = _when(row)
    for figure in list(_news(row, known, condition)):
        value = row.figures[figure]
        u = max(row.us[figure], usual.get(figure, 0.0))
        axis = row.figures["axis_mm"] if figure == Quantity.SWING else None
        raw: dict[str, Any] = {"format": READING_FORMAT, "method": "told", "quantity": figure}
        raw |= {"value": {"value": value, "u": u}}
        yield Reading(
            frame=frame,
            quantity=figure,
            value=value,
            u=u,
            axis_mm=axis,
            condition=condition,
            read_at=when,
            read_by=user,
            raw=raw | ({"axis_mm": axis} if axis is not None else {}),
        )
        _remember(known, figure, condition, value, timezone.localtime(when).date())
