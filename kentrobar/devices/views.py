"""Live figures for measuring and trials. Nothing here waits for a device."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

from django.db import connection
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.reader import fixed
from kentrobar.core.words.amounts import unit_of
from kentrobar.measuring import lines_here
from kentrobar.measuring.models import Instrument
from kentrobar.ui.request import Request

from . import bridged
from .models import CHANNEL, Line

READER_GONE = timedelta(seconds=12)
FRESH = timedelta(seconds=5)
LEAST_PASSES = 10


@require_safe
def live(request: Request, pk: int) -> HttpResponse:
    """What an instrument says now, as a partial that is asked for again and again."""
    return render(request, "devices/_live.html", said_now(request, pk))


@require_POST
def take(request: Request, pk: int) -> HttpResponse:
    """Take the live figure into a box. The answer tells the page what to put where, or why not."""
    into = request.POST.get("into", "")
    seen = said_now(request, pk)
    line: Line | None = seen["line"]
    why = ""
    if seen["trouble"] or line is None:
        why = seen["trouble"]
    elif line.instrument.kind == "timer":
        if len(line.passes) < LEAST_PASSES:
            why = (
                f"{len(line.passes)} passes so far: let it swing until there are {LEAST_PASSES} at"
                " least."
            )
    elif not line.is_stable:
        why = f"{line.instrument} is still moving: wait until it is at rest."
    if why or line is None:
        answer = render(request, "devices/_live.html", seen, status=409)
        answer["HX-Trigger-After-Swap"] = json.dumps({"figure-refused": {"why": why}})
        return answer
    answer = render(request, "devices/_live.html", seen)
    if line.passes:
        text = " ".join(f"{t - line.passes[0]:.4f}" for t in line.passes)
    elif request.POST.get("as") in ("single", "small") and line.value is not None:
        text = _single(seen, is_small=request.POST["as"] == "small")
    else:
        text = seen["figure"]
    box = {
        "into": into,
        "text": text.replace("−", "-"),
        "adds": into == "m-readings",
        "with": str(pk),
    }
    answer["HX-Trigger-After-Swap"] = json.dumps({"figure-taken": box})
    return answer


@require_POST
def tare(request: Request, pk: int) -> HttpResponse:
    """Ask the reader to set a scale to zero."""
    instrument = get_object_or_404(Instrument.live, pk=pk)
    if lines_here.is_bridged(instrument.port):
        bridged.order(instrument, instrument.tare)
    else:
        with connection.cursor() as cursor:
            cursor.execute("select pg_notify(%s, %s)", [CHANNEL, f"{pk} {instrument.tare}"])
    return render(request, "devices/_live.html", said_now(request, pk))


def said_now(request: Request, pk: int) -> dict[str, Any]:
    instrument = get_object_or_404(Instrument.live, pk=pk)
    line = Line.objects.filter(instrument=instrument).first()
    now = timezone.now()
    trouble, figure, unit = "", "", instrument.unit
    factor, places = 1.0, max(0, len(f"{instrument.resolution:g}".partition(".")[2]))
    here = unit_of("mass_g")
    if instrument.kind == "scale" and here.size != 1:
        unit, factor, places = here.key, here.size, places + 2
    is_far = lines_here.is_bridged(instrument.port)
    if instrument.port and not lines_here.may_hang_on(instrument.port):
        trouble = (
            f"{instrument.port} is no line of this machine: choose one under Instruments, or have"
            " it named by whoever keeps the server."
        )
    elif is_far and (line is None or now - line.beat_at > READER_GONE):
        trouble = (
            f"Nothing comes over {instrument.port}: start kentrobar bridge on the machine the"
            " instrument hangs on."
        )
    elif line is None or now - line.beat_at > READER_GONE:
        trouble = (
            "Nobody reads the lines: start manage.py read_lines on the machine the instruments"
            " hang on."
        )
    elif line.state != "live":
        line.instrument = instrument
        trouble = line.word or f"Waiting for {instrument}."
        # A sensor falls silent when the swing ends; its passes can still be taken.
        if instrument.kind == "timer" and line.state == "mute" and len(line.passes) >= LEAST_PASSES:
            trouble = ""
    elif line.heard_at is None or now - line.heard_at > FRESH:
        trouble = f"{instrument} has stopped in the middle: its last figure is old."
        if instrument.kind == "timer" and len(line.passes) >= LEAST_PASSES:
            trouble = ""
    if line is not None:
        line.instrument = instrument
        if line.value is not None:
            figure = fixed(line.value / factor, places)
    return {
        "instrument": instrument,
        "line": line,
        "trouble": trouble,
        "figure": figure,
        "unit": unit,
        "factor": factor,
        "places": places,
        "is_timer": instrument.kind == "timer",
    }


def _single(seen: dict[str, Any], is_small: bool) -> str:
    """A figure that stands alone, `325.85 ± 0.06`: no method behind it takes its drift off or asks
    for repeats."""
    given = seen["instrument"].single(seen["line"].value, is_small)
    places = seen["places"] + 1
    u = max((uncertainty(given) or 0.0) / seen["factor"], 10**-places)
    return f"{fixed(nominal(given) / seen['factor'], places)} ± {fixed(u, places)}"
