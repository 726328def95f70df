"""What becomes of the rows of a table: new frames, readings for those that are there, or nothing,
and why."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from kentrobar.core.frame.plausibility import measured_faults
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.kinds import FIRST_KIND, FRAME_KINDS, default_outline
from kentrobar.core.io.readings import READING_FORMAT
from kentrobar.core.io.tables import TableRow
from kentrobar.core.quantities import NEEDED, READ
from kentrobar.core.units import Typed
from kentrobar.frames.choices import Condition, Quantity
from kentrobar.frames.judging import judge
from kentrobar.frames.models import FittedPart, Frame, Person, Reading
from kentrobar.shop.models import Settings
from kentrobar.ui.moments import done_at

from .advance import advanced
from .models import Sheet

NOBODY: Mapping[str, Person] = {}


@dataclass(frozen=True, slots=True)
class ImportRow:
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
        """What tells frames apart."""
        return _one_frame(self.row)

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


def fates_of(rows: list[TableRow]) -> Iterator[ImportRow]:
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
        kind = row.texts.get("kind", FIRST_KIND).lower()
        if kind not in FRAME_KINDS:
            faults.append(f"kind: “{kind}” is none of {', '.join(FRAME_KINDS)}")
        name, serial = row.texts.get("name", "")[:60], row.texts.get("serial", "")[:40]
        # One serial, one frame; without a serial the name and nothing else tells frames apart.
        frame = there.get((name.lower(), serial.lower())) if serial else None
        key = _one_frame(row)
        if key in made and frame is None:
            yield ImportRow(row, f"readings for line {made[key]}", None, False, faults)
            continue
        faults += _figure_faults(row, frame, kind)
        if not faults and key[1] and frame is None:
            made[key] = row.line
        doubts = [] if faults else _doubts(row, frame, condition)
        if frame is None:
            yield ImportRow(row, "a new frame", None, True, faults, doubts)
        elif not faults and not list(_news(row, known.get(frame.pk, set()), condition)):
            yield ImportRow(row, "already there", frame, False, faults)
        else:
            yield ImportRow(row, f"readings for {frame}", frame, False, faults, doubts)


def _one_frame(row: TableRow) -> tuple[str, str]:
    """What rows of one frame have in common; the second is empty where nothing tells."""
    name, serial = row.texts.get("name", "")[:60], row.texts.get("serial", "")[:40]
    number = row.texts.get("frame", "")
    return name.lower(), serial.lower() or (f"#{number}" if number else "")


def _figure_faults(row: TableRow, frame: Frame | None, kind: str) -> list[str]:
    figures = row.figures
    faults = []
    if "swing_kgcm2" in figures and "axis_mm" not in figures:
        faults.append("swing weight without its axis: add a column axis_mm")
    if any(value <= 0 for name, value in figures.items() if name != "axis_mm"):
        faults.append("a figure is not above 0")
    if not faults and kind in FRAME_KINDS and set(NEEDED) <= set(figures):
        outline = frame.outline() if frame else default_outline(kind)
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


def write_rows(fates: list[ImportRow], user: Any) -> tuple[int, int]:
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
    readings = [
        reading
        for fate, frame in zip(fates, frames, strict=True)
        for reading in _readings(fate.row, frame, known.setdefault(frame.pk, set()), settings, user)
    ]
    Reading.objects.bulk_create(readings, 1000)
    advanced({reading.frame_id for reading in readings}, user)
    return len(new), len(readings)


def _players(fates: list[ImportRow]) -> dict[str, Person]:
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
    frame.set_outline(default_outline(row.texts.get("kind", FIRST_KIND).lower()))
    return frame


def _readings(
    row: TableRow, frame: Frame, known: set[Known], settings: Settings, user: Any
) -> Iterator[Reading]:
    condition = row.texts.get("condition", "as-played").lower().replace(" ", "-")
    when = _when(row)
    for figure in list(_news(row, known, condition)):
        value = row.figures[figure]
        u = row.us[figure]
        if figure not in row.sure:
            u = settings.u_of(figure, Typed(value, None, "", "", u * math.sqrt(12)))
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
