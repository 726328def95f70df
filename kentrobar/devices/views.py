"""Live figures for measuring and trials, and the panel of the stand-ins. Nothing here waits for a device."""

from __future__ import annotations

import json
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.db import connection
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kentrobar.core.documents import dump_frame, dump_piece
from kentrobar.core.units import MASS, fixed, nominal, uncertainty
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Instrument
from kentrobar.planning.models import Plan

from .models import CHANNEL, Line
from .standins import DEVICES, order

READER_GONE = timedelta(seconds=4)
FRESH = timedelta(seconds=2)
LEAST_PASSES = 10


@require_GET
def live(request: HttpRequest, pk: int) -> HttpResponse:
    """What an instrument says now, as a partial that is asked for again and again."""
    return render(request, "devices/_live.html", _seen(request, pk))


@require_POST
def take(request: HttpRequest, pk: int) -> HttpResponse:
    """Take the live figure into a box. The answer tells the page what to put where, or why not."""
    into = request.POST.get("into", "")
    seen = _seen(request, pk)
    line: Line | None = seen["line"]
    why = ""
    if seen["trouble"] or line is None:
        why = seen["trouble"]
    elif line.instrument.kind == "timer":
        if len(line.passes) < LEAST_PASSES:
            why = f"{len(line.passes)} passes so far: let it swing until there are {LEAST_PASSES} at least."
    elif not line.is_stable:
        why = f"{line.instrument} is still moving: wait until it is at rest."
    if why:
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
    box = {"into": into, "text": text.replace("−", "-"), "adds": into == "m-readings", "with": str(pk)}
    answer["HX-Trigger-After-Swap"] = json.dumps({"figure-taken": box})
    return answer


@require_POST
def tare(request: HttpRequest, pk: int) -> HttpResponse:
    """Ask the reader to set a scale to nought."""
    instrument = get_object_or_404(Instrument.live, pk=pk)
    with connection.cursor() as cursor:
        cursor.execute("select pg_notify(%s, %s)", [CHANNEL, f"{pk} {instrument.tare}"])
    return render(request, "devices/_live.html", _seen(request, pk))


def _seen(request: HttpRequest, pk: int) -> dict[str, Any]:
    instrument = get_object_or_404(Instrument.live, pk=pk)
    line = Line.objects.filter(instrument=instrument).first()
    now = timezone.now()
    trouble, figure, unit = "", "", instrument.unit
    factor, places = 1.0, max(0, len(f"{instrument.resolution:g}".partition(".")[2]))
    if instrument.kind == "scale" and request.shown.mass != "g":
        unit, factor, places = request.shown.mass, MASS[request.shown.mass], places + 2
    if line is None or now - line.beat_at > READER_GONE:
        trouble = "Nobody reads the lines: start manage.py read_lines on the machine the instruments hang on."
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
    """A figure that stands alone, `325.85 ± 0.06`: no method behind it takes its drift off or asks for repeats."""
    given = seen["instrument"].single(seen["line"].value, is_small)
    places = seen["places"] + 1
    u = max((uncertainty(given) or 0.0) / seen["factor"], 10**-places)
    return f"{fixed(nominal(given) / seen['factor'], places)} ± {fixed(u, places)}"


# --- the stand-ins' panel ------------------------------------------------------------------------

STATIONS = [
    ("scale", "on the scale"),
    ("supports", "on two supports, a scale under each"),
    ("machine", "in the machine, face upright"),
    ("machine flat", "in the machine, face flat"),
    ("pendulum", "hung from a pin, swinging"),
    ("threads", "on two threads, turning"),
    ("off", "off the bench"),
]
FAULTS = [
    ("none", "well"), ("unplugged", "unplugged"), ("frozen", "frozen"),
    ("flooding", "flooding"), ("garbled", "garbled"),
]  # fmt: skip
RACKET_PARTS, PADDLE_PARTS = ["strings", "overgrip", "dampener"], ["overgrip", "edge-tape"]
PLACES = [
    ("x1", "left support", "20"), ("x2", "right support", ""), ("pivot", "pin", ""),
    ("spacing", "threads apart", ""), ("thread", "thread", "800"),
]  # fmt: skip


@require_http_methods(["GET", "POST"])
def panel(request: HttpRequest) -> HttpResponse:
    """Put a frame on the stand-ins' bench, with pieces fitted; unplug, freeze, flood and garble them."""
    if not settings.STANDINS:
        raise Http404("no stand-ins here")
    if request.method == "POST":
        try:
            answer = order(settings.STANDINS, _order(request))
        except (OSError, ValueError) as error:
            messages.error(request, f"The stand-ins do not answer: {error}.")
        else:
            said = answer.get("said") or f"Not done: {answer.get('error')}"
            messages.success(request, said)
        return redirect(f"{request.path}?frame={request.POST.get('frame', '')}")
    frames = list(Frame.live.all()[:200])
    chosen = next(
        (one for one in frames if str(one.pk) == request.GET.get("frame")), frames[0] if frames else None
    )
    try:
        state = order(settings.STANDINS, {"order": "look"})
    except (OSError, ValueError):
        state = {"on": "", "station": "", "faults": {}, "dead": True}
    context = {
        "frames": frames,
        "chosen": chosen,
        "plans": chosen.plans.filter(deleted_at=None) if chosen else [],
        "stations": STATIONS,
        "places": _places(chosen),
        "state": state,
        "devices": [(name, state["faults"].get(name) or "none") for name in DEVICES],
        "faults": FAULTS,
        "parts": RACKET_PARTS if chosen and chosen.kind == "racket" else PADDLE_PARTS,
    }
    return render(request, "devices/panel.html", context)


def _places(frame: Frame | None) -> list[tuple[str, str, str]]:
    """(name, words, usual mm) of the places a set-up on the stand-ins asks for."""
    if frame is None:
        return PLACES
    outline = frame.outline()
    usual = {
        "x2": outline.length_mm - 20,
        "pivot": outline.length_mm - outline.rim_mm - 30 if outline.kind == "racket" else 50,
        "spacing": outline.width_mm - 20,
    }
    return [(name, label, f"{usual[name]:g}" if name in usual else mm) for name, label, mm in PLACES]


def _order(request: HttpRequest) -> dict[str, Any]:
    asked = request.POST
    if "fault" in asked:
        return {"order": "fault", "device": asked.get("device", ""), "fault": asked["fault"]}
    station = asked.get("station", "off")
    at = {name: float(asked[name].replace(",", ".")) for name, _, _ in PLACES if asked.get(name, "").strip()}
    if asked.get("reference") == "mass":
        return {"order": "put", "station": "scale", "reference": "the 500 g mass", "mass_g": 500.0}
    if asked.get("reference") == "bar":
        bar = {"reference": "the 700 mm bar", "mass_g": 400.0, "length_mm": 700.0}
        return {"order": "put", "station": "machine"} | bar
    if station == "off":
        return {"order": "put", "station": "off"}
    frame = get_object_or_404(Frame.live, pk=asked.get("frame"))
    found: dict[str, Any] = {
        "order": "put",
        "station": station,
        "name": str(frame),
        "frame": dump_frame(frame.outline()),
        "parts": asked.getlist("parts"),
        "at": at,
    }
    plan = (
        Plan.live.filter(pk=asked["plan"], frame=frame).first() if asked.get("plan", "").isdecimal() else None
    )
    if plan is not None:
        found["pieces"] = [dump_piece(piece) for piece in plan.state().pieces]
    return found
