"""A frame over time: every reading, part and fitting; what is on it now; what changed since the
last check."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_safe

from kentrobar.core.bench.suspicions import Fitted
from kentrobar.core.bench.trial import Compared, compare
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.uncertain import WEIGHED_U_G
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import axis_text, digits, fixed, mass_text
from kentrobar.core.words.amounts import Amount, change_of
from kentrobar.frames.figures import together
from kentrobar.frames.models import Frame, Reading
from kentrobar.ui.request import Request

from .models import Sheet
from .suspects import checked, missable, varying

MOST_READINGS = 500
WIDTH, HEIGHT = 460.0, 120.0
LEFT, RIGHT, TOP, BOTTOM = 48.0, 12.0, 12.0, 20.0


@dataclass(frozen=True, slots=True)
class HistoryPlot:
    """One figure over time: dots with their uncertainty as bars, fittings as upright lines."""

    label: str
    dots: list[tuple[float, float, float, float, str]]
    line: str
    fittings: list[tuple[float, str]]
    top: str
    bottom: str
    first: str
    last: str
    width: float = WIDTH
    height: float = HEIGHT


@dataclass(frozen=True, slots=True)
class Event:
    at: datetime
    what: str
    kind: str


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    frame = get_object_or_404(Frame.live, pk=pk)
    newest = frame.readings.filter(removed_at=None).order_by("-read_at", "-pk")[:MOST_READINGS]
    readings = list(reversed(newest))
    sheets = list(
        Sheet.objects.filter(plan__frame=frame, signed_off_at__isnull=False).select_related(
            "plan", "counted_with__plan"
        )
    )
    compared = drift(frame, readings, sheets)
    context = {
        "frame": frame,
        "kind": frame.kind,
        "plots": list(_plots(frame, readings, sheets)),
        "events": sorted(_events(frame, readings, sheets), key=lambda one: one.at, reverse=True)[
            :60
        ],
        "on": [sheet for sheet in sheets if sheet.is_on],
        "parts": [part for part in frame.all_parts() if part.was_on(None)],
        "drift": compared,
        "apart": [
            (
                FIGURES[one.figure].label,
                fixed(one.off, 2, True),
                FIGURES[one.figure].unit,
                fixed(abs(one.z), 1),
            )
            for one in (compared.residuals if compared else ())
        ],
    }
    return render(request, "workshop/history.html", context)


def drift(frame: Frame, readings: list[Reading], sheets: list[Sheet]) -> Compared | None:
    """The newest readings against the ones before, in the same condition and with the same fitted:
    what was lost, or changed, since. None where there is nothing to hold against, or something was
    fitted in between."""
    newest: dict[str, Reading] = {}
    before: dict[str, Reading] = {}
    for reading in reversed(readings):
        one = newest.setdefault(reading.quantity, reading)
        if (
            one is not reading
            and reading.condition == one.condition
            and reading.axis_mm == one.axis_mm
        ):
            before.setdefault(reading.quantity, reading)
    if not before or "mass_g" not in before:
        return None
    since = min(one.read_at for one in before.values())
    changed = [
        at
        for sheet in sheets
        for at in (sheet.signed_off_at, sheet.taken_off_at)
        if at and at > since
    ]
    if changed:
        return None
    outline = frame.outline()
    pieces = [
        piece
        for sheet in sheets
        if sheet.is_on
        for piece in sheet.core_pieces()
        if piece.mass_g > 0
    ]
    figures = frame.figures()
    if not figures or not figures[0].is_complete:
        return None
    axis = figures[0].axis_mm or 0.0
    measured = figures[0].measured()
    read_then = together(before)
    values = {name: read_then.get(name, getattr(measured, name)) for name in READ}
    whole = replace(
        measured, **{name: value for name, value in values.items() if value is not None}
    )
    fitted = [Fitted(piece, WEIGHED_U_G) for piece in pieces]
    bare = whole.body()
    for piece in pieces:
        bare = bare - body_of(piece, outline)
    read = {
        name: (newest[name].value, newest[name].u)
        for name in before if name != "swing_kgcm2" or newest[name].axis_mm == axis
    }  # fmt: skip
    return compare(
        outline, bare, fitted, read, axis, missable(frame), checked(frame), varying(frame)
    )


def _plots(frame: Frame, readings: list[Reading], sheets: list[Sheet]) -> Iterator[HistoryPlot]:
    for name in READ:
        own = [reading for reading in readings if reading.quantity == name]
        if len(own) < 2:
            continue
        axes = {reading.axis_mm for reading in own}
        start, end = own[0].read_at, own[-1].read_at
        span = max((end - start).total_seconds(), 1.0)
        us = [max(reading.u or 0.0, FIGURES[name].least_u) for reading in own]
        low = min(reading.value - u for reading, u in zip(own, us, strict=True))
        high = max(reading.value + u for reading, u in zip(own, us, strict=True))
        k = (HEIGHT - TOP - BOTTOM) / ((high - low) or 1.0)

        def x(at: datetime, start: datetime = start, span: float = span) -> float:
            return round(LEFT + (at - start).total_seconds() / span * (WIDTH - LEFT - RIGHT), 1)

        def y(value: float, high: float = high, k: float = k) -> float:
            return round(TOP + (high - value) * k, 1)

        dots = [
            (
                x(one.read_at),
                y(one.value),
                y(one.value + u),
                y(one.value - u),
                (
                    f"{one.read_at:%-d %b %Y}: {digits(one.value, 5)} {FIGURES[name].unit},"
                    f" {one.get_condition_display()}"
                ),
            )
            for one, u in zip(own, us, strict=True)
        ]
        fittings = [
            (x(at), word)
            for sheet in sheets
            for at, word in ((sheet.signed_off_at, "on"), (sheet.taken_off_at, "off"))
            if at and start <= at <= end
        ]
        axis = (
            f", about {axis_text(axes.pop())}" if name == "swing_kgcm2" and len(axes) == 1 else ""
        )
        yield HistoryPlot(
            FIGURES[name].label + axis,
            dots,
            "M" + "L".join(f"{dot[0]:g} {dot[1]:g}" for dot in dots),
            fittings,
            digits(high, 5),
            digits(low, 5),
            f"{start:%-d %b %y}",
            f"{end:%-d %b %y}",
        )


def _events(frame: Frame, readings: list[Reading], sheets: list[Sheet]) -> Iterator[Event]:
    for reading in readings:
        value, unit = Amount(
            reading.quantity, reading.value, length_mm=frame.outline().length_mm
        ).parts
        what = f"{reading.get_quantity_display()} {value} {unit}, {reading.get_condition_display()}"
        yield Event(reading.read_at, what, "read")
    for part in frame.all_parts():
        if part.put_on_at:
            yield Event(part.put_on_at, f"{part} put on, {mass_text(part.mass_g)}", "part")
        if part.taken_off_at:
            yield Event(part.taken_off_at, f"{part} taken off", "part")
    for sheet in sheets:
        grams = sum(piece.mass_g for piece in sheet.core_pieces())
        if sheet.signed_off_at:
            yield Event(
                sheet.signed_off_at,
                f"{sheet.plan.name} fitted, {change_of('mass_g', grams).told()}",
                "fit",
            )
        if sheet.taken_off_at:
            later = sheet.counted_with
            words = f"counted with {later.plan.name} from here on" if later else "taken off again"
            yield Event(sheet.taken_off_at, f"{sheet.plan.name} {words}", "fit")
