"""One reading by itself: how it came to its figure, its correction, its history."""

from __future__ import annotations

import contextlib
import math
from typing import Any

from django.contrib import messages
from django.db.models import Q
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.core.errors import DocumentError
from kentrobar.core.io.readings import reading_of, reduced
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.reader import digits, fixed
from kentrobar.core.words.amounts import unit_in, unit_of
from kentrobar.frames.models import Reading
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import plots
from .corrections import ReportedCorrection
from .forms import MeasureForm
from .keeping import keep, reduce_again
from .models import Recording
from .outcome import result, shares
from .views import _entry, form_of, measure_request, page_context

UNIT_WORDS = {"g": "g", "mm": "mm", "s": "s", "deg": "°", "kgcm2": "kg·cm²", "ms2": "m/s²"}
RAW_WORDS = {
    "tap_times": "taps",
    "long_axis": "hung with its long axis",
    "drift": "reads too much by",
    "offset": "zero",
    "readings": "readings",
    "tap_jitter": "the sensor’s jitter",
    "hang": "axis to centre line",
    "swing": "swing weight",
    "recoil": "recoil weight",
    "twist": "twist weight",
    "pivot": "pivot from the butt",
    "amplitude": "swing at first",
    "amplitude_end": "swing at last",
    "measured_period": "period as timed",
    "period": "period of small swings",
    "inertia_at_pivot": "inertia at the pivot",
    "distance": "pivot to balance",
    "pin": "pin, how thick",
    "rests_on": "on the pin rests",
    "roll": "rolls on the pin as if hung higher by",
    "air": "air its face carries",
    "g": "gravity",
    "value": "as reported",
    "m1": "left scale",
    "m2": "right scale",
    "x1": "left support",
    "x2": "right support",
}


@require_safe
def reading(request: Request, pk: int) -> HttpResponse:
    """One reading: its raw inputs, what was reduced from them, and every change to it."""
    found = _reading(pk)
    history = list(
        found.history.select_related("history_user").order_by("history_date", "history_id")
    )
    kept = Recording.objects.filter(reading=found).defer("packed", "strip")
    recording = kept.annotate(has_strip=Q(strip__isnull=False)).first()
    context: dict[str, Any] = {
        "reading": found,
        "frame": found.frame,
        "figure": result(found.quantity, found.number(), found.axis_mm),
        "raw": _raw_rows(found.raw),
        "history": [_change(old, new) for old, new in zip([None, *history], history, strict=False)],
        "recording": recording,
        "troubles": found.use.instrument.troubles(found.read_at) if hasattr(found, "use") else [],
    }
    if found.raw:
        with contextlib.suppress(DocumentError):
            measurement = reduced(reading_of(found.raw))
            context["came_to"] = _raw_rows(
                {k: v for k, v in measurement.figures.items() if v is not None}
            )
            came_to = measurement.figures.get(found.quantity, measurement.value)
            context["shares"] = shares(found.quantity, came_to)
            context["notes"] = [note.said for note in measurement.notes]
    if recording is not None:
        context["plot"] = plots.recording(recording.found["plot"])
    return render(request, "measuring/reading.html", context)


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def correct(request: Request, pk: int) -> HttpResponse:
    """Correct a reading: the form as it was filled in, a reason, and the old one kept in its
    history."""
    old = _reading(pk)
    if old.method not in METHODS:
        return _correct_told(request, old)
    about = measure_request(request, old.frame, old)
    form = form_of(request, about, old)
    assert isinstance(form, MeasureForm)
    if request.method == "POST" and form.is_valid():
        keep(form, _entry(request), request.user, old)
        messages.success(request, "Corrected. What it was stands in its history.")
        return redirect("reading", pk)
    context = page_context(request, about, form) | {"correcting": old}
    return render(
        request, "measuring/measure.html", context, status=422 if request.method == "POST" else 200
    )


def _correct_told(request: Request, old: Reading) -> HttpResponse:
    form = ReportedCorrection(old, request.POST or None)
    if request.method == "POST" and form.is_valid():
        form.save()
        messages.success(request, "Corrected. What it was stands in its history.")
        return redirect("reading", old.pk)
    context = {"form": form, "reading": old, "frame": old.frame, "kind": old.frame.kind}
    return render(
        request, "measuring/correct_told.html", context, status=422 if form.errors else 200
    )


@require_POST
def again(request: Request, pk: int) -> HttpResponse:
    """Reduce a reading once more from its raw inputs."""
    found = _reading(pk)
    if not found.raw:
        messages.error(
            request, "It was written down as a figure: there is nothing to reduce it from."
        )
        return redirect("reading", pk)
    try:
        said = reduce_again(found)
    except DocumentError as fault:
        messages.error(request, f"Not reduced: {fault}.")
    else:
        messages.success(request, said or "Reduced again: the same figure came out.")
    return redirect("reading", pk)


def _reading(pk: int) -> Reading:
    rows = Reading.objects.select_related("frame", "read_by", "use__instrument")
    return get_object_or_404(rows, pk=pk, frame__removed_at=None)


def _raw_rows(values: dict[str, Any]) -> list[tuple[str, str, str]]:
    """(words, figure, unit) of raw inputs or of what they came to."""
    # An axis is told in mm to every reader, as wherever a swing weight names it.
    rows = []
    for key, value in values.items():
        if key in ("format", "method", "quantity", "usual_swing"):
            continue
        if key == "film" and isinstance(value, dict):
            seconds = value["times_s"][-1] - value["times_s"][0]
            rows.append(("film", f"{len(value['trace'])} pictures in {fixed(seconds, 1)}", "s"))
            continue
        if key == "set_aside":
            said = ", ".join(
                f"reading {row['index'] + 1}: {row['reason']}" for row in value if value != "–"
            )
            rows.append(("set aside", said or "none", ""))
            continue
        name, _, unit = key.rpartition("_")
        if unit not in UNIT_WORDS:
            name, unit = key, ""
        factor, word, here = 1.0, UNIT_WORDS.get(unit, ""), unit_in(unit)
        if here and name != "axis":
            factor, word = here.size, here.key
        words = RAW_WORDS.get(name, name.replace("_", " "))
        rows.append((words, _plain(value, factor), word))
    return rows


def _plain(value: Any, factor: float = 1.0) -> str:
    """Figures divided by ``factor``; what is none as it is."""
    if hasattr(value, "nominal_value"):
        value = {"value": nominal(value), "u": uncertainty(value) or 0.0}
    if isinstance(value, dict) and set(value) == {"value", "u"}:
        figure, u = value["value"] / factor, value["u"] / factor
        if not u:
            return digits(figure, 6)
        # No finer than its uncertainty tells.
        return f"{digits(round(figure, 1 - math.floor(math.log10(u))), 6)} ± {digits(u)}"
    if isinstance(value, dict):
        return ", ".join(f"{key} {_plain(inner, factor)}" for key, inner in value.items())
    if isinstance(value, list):
        return ", ".join(_plain(inner, factor) for inner in value) or "none"
    is_figure = isinstance(value, float) or (isinstance(value, int) and factor != 1)
    return digits(value / factor, 6) if is_figure else str(value)


def _changed(change: Any, name: str) -> list[str]:
    """One changed field of a reading of ``name`` in words."""
    if change.field == "raw":
        keys = [
            key for key in {*change.old, *change.new} if change.old.get(key) != change.new.get(key)
        ]
        old, new = (
            _raw_rows({key: raw.get(key, "–") for key in sorted(keys)})
            for raw in (change.old, change.new)
        )
        return [f"{a[0]}: {a[1]} → {b[1]} {b[2]}" for a, b in zip(old, new, strict=True)]
    if change.field in ("removed_at", "typed"):
        return []
    here = unit_of(name) if change.field in ("value", "u") else None
    factor, unit = (here.size, here.key) if here else (1.0, "")
    was, now = _plain(change.old, factor), _plain(change.new, factor)
    return [f"{change.field.replace('_', ' ')}: {was} → {now} {unit}".rstrip()]


def _change(old: Any, new: Any) -> dict[str, Any]:
    """One step of a reading's history: who, when, why, and which fields changed."""
    what = []
    if old is not None:
        delta = new.diff_against(old, excluded_fields=["entry"])
        what = [words for change in delta.changes for words in _changed(change, new.quantity)]
    who = new.history_user
    return {
        "when": new.history_date,
        "who": (who.first_name or who.username) if who else "",
        "why": new.history_change_reason or ("first saved" if old is None else "changed"),
        "what": what,
    }
