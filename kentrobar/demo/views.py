"""The simulators' panel: what lies on their bench, and what is wrong with them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.condition import is_on
from kentrobar.core.io.plans import dump_frame, dump_piece
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.units import read_length
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.ui.request import Request

from .simulators import DEVICES, order

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


@require_http_methods(["GET", "HEAD", "POST"])
def panel(request: Request) -> HttpResponse:
    """Put a frame on the simulators' bench, with pieces fitted; unplug, freeze, flood and garble
    them."""
    if not settings.SIMULATORS:
        raise Http404("no simulators here")
    status = 200
    if request.method == "POST":
        try:
            answer = order(settings.SIMULATORS, _order(request))
        except UnreadableError as error:
            messages.error(request, f"Nothing was put on. {error}")
            status = 422
        except (OSError, ValueError) as error:
            messages.error(request, f"The simulators do not answer: {error}.")
        else:
            said = answer.get("said") or f"Not done: {answer.get('error')}"
            messages.success(request, said)
        if status == 200:
            return redirect(f"{request.path}?frame={request.POST.get('frame', '')}")
    frames = list(Frame.live.all()[:200])
    asked = request.POST if status == 422 else request.GET
    chosen = next(
        (one for one in frames if str(one.pk) == asked.get("frame")),
        frames[0] if frames else None,
    )
    try:
        state = order(settings.SIMULATORS, {"order": "look"})
    except (OSError, ValueError):
        state = {"on": "", "station": "", "faults": {}, "dead": True}
    context = {
        "frames": frames,
        "chosen": chosen,
        "plans": chosen.plans.filter(removed_at=None) if chosen else [],
        "stations": STATIONS,
        "places": _places(chosen, asked),
        "state": state,
        "devices": [(name, state["faults"].get(name) or "none") for name in DEVICES],
        "faults": FAULTS,
        "parts": RACKET_PARTS if chosen and chosen.kind == "racket" else PADDLE_PARTS,
    }
    return render(request, "demo/simulators.html", context, status=status)


def _places(frame: Frame | None, typed: Mapping[str, str]) -> list[tuple[str, str, str]]:
    """(name, words, as typed or the usual mm) of the places a set-up on the simulators asks for."""
    if frame is None:
        return PLACES
    outline = frame.outline()
    usual = {
        "x2": outline.length_mm - 20,
        "pivot": outline.length_mm - outline.rim_mm - 30 if outline.kind == "racket" else 50,
        "spacing": outline.width_mm - 20,
    }
    return [
        (name, label, typed.get(name) or (f"{usual[name]:g}" if name in usual else mm))
        for name, label, mm in PLACES
    ]


def _read(frame: Frame) -> dict[str, Any] | None:
    """What a frame of one's own reads: plain figures about 100 mm, and what was on; None where too
    much of it was never read."""
    found = next((one for one in frame.figures() if one.is_complete), None)
    if found is None:
        return None
    body = plain_body(found.measured())
    parts = RACKET_PARTS if frame.kind == "racket" else PADDLE_PARTS[:1]
    return {
        "mass_g": body.mass, "balance_mm": body.balance, "swing_kgcm2": body.swing_kgcm2(100.0),
        "twist_kgcm2": body.twist_kgcm2 if body.twist else None,
        "parts": [kind for kind in parts if is_on(kind, found.condition)],
    }  # fmt: skip


def _order(request: Request) -> dict[str, Any]:
    asked = request.POST
    if "fault" in asked:
        return {"order": "fault", "device": asked.get("device", ""), "fault": asked["fault"]}
    station = asked.get("station", "off")
    at = {
        name: read_length(asked[name]).value for name, _, _ in PLACES if asked.get(name, "").strip()
    }
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
        "read": _read(frame),
    }
    plan = (
        Plan.live.filter(pk=asked["plan"], frame=frame).first()
        if asked.get("plan", "").isdecimal() and len(asked["plan"]) < 10
        else None
    )
    if plan is not None:
        found["pieces"] = [dump_piece(piece) for piece in plan.state().pieces]
    return found
