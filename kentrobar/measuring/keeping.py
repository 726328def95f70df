"""Keeping measurements: the reading with its raw inputs, the instrument it was taken with, all or
none."""

from __future__ import annotations

import gzip
from datetime import datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from kentrobar.core.frame.plausibility import Doubt
from kentrobar.core.frame.together import slopes
from kentrobar.core.io.readings import reading_of, reduced
from kentrobar.core.measure.motion import read_motion
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.measure.sample import sample
from kentrobar.core.numbers import WithU, nominal, uncertainty
from kentrobar.core.reader import digits, fixed
from kentrobar.frames import fitted
from kentrobar.frames.judging import judge
from kentrobar.frames.models import Frame, Reading

from .forms import MeasureForm
from .models import Draft, Recording, Use

ENTRY_KEPT = 20_000
"""Characters of a form worth keeping beside its reading."""


def keep(
    form: MeasureForm, entry: dict[str, Any], user: Any, old: Reading | None = None
) -> list[Reading]:
    """Keep every figure a valid form gives; with ``old``, correct it and its siblings in place.

    The history of a reading keeps what it was, who changed it and why.
    """
    kept = []
    kept_at = form.when()
    olds = (
        {one.quantity: one for one in old.of_one_measurement()} | {old.quantity: old} if old else {}
    )
    first: Reading | None = None
    with transaction.atomic():
        for quantity, (value, axis) in form.results().items():
            reading = olds.get(quantity) or Reading(frame=form.frame, quantity=quantity)
            reading.value, reading.u, reading.axis_mm = nominal(value), uncertainty(value), axis
            reading.slopes = slopes(value, form.document)
            reading.condition = form.cleaned_data["condition"]
            reading.without = [int(pk) for pk in form.cleaned_data.get("without", ())]
            reading.method, reading.raw, reading.entry = form.method_key, form.document, entry
            reading.repeats, reading.typed = _repeats(form), ""
            reading.confirmed = bool(form.doubts)
            if old is None or form.cleaned_data.get("read_at"):
                reading.read_at = kept_at
            elif reading.pk is None:
                reading.read_at = old.read_at
            if reading.pk is None:
                reading.read_by = user
            else:
                reading._change_reason = form.cleaned_data["reason"]
            if reading.pk is None:
                reading.measured_with = first
            reading.save()
            first = first or reading
            _note_use(reading, form)
            kept.append(reading)
        if form.recording is not None and kept:
            Recording.objects.filter(pk=form.recording.pk).update(reading=kept[0])
        if old is None:
            Draft.objects.filter(frame=form.frame, user=user, method=form.method_key).delete()
    return kept


def keep_document(
    frame: Frame, document: dict[str, Any], condition: str, read_at: datetime | None, user: Any,
    is_confirmed: bool = False,
) -> list[Reading]:  # fmt: skip
    """Keep every figure an open document of a reading comes to.

    Raises:
        DocumentError: the document cannot be, or comes to nothing.
        DoubtfulReadingError: its figures are unlikely beside what is known, and nobody confirmed
            them; or cannot be, confirmed or not.
    """
    reading = reading_of(document)
    found = reduced(reading)
    method = METHODS.get(reading.method)
    gives = method.gives if method else (found.quantity,)
    values = {name: found.figures[name] for name in gives if name in found.figures}
    values = values or {found.quantity: found.value}
    axis = document.get("axis_mm")
    with transaction.atomic():
        known = next((one for one in frame.figures() if one.condition == condition), None)
        doubts = judge(frame, values, axis, condition, known)
        may_be = all(doubt.severity == "unlikely" for doubt in doubts)
        if doubts and not (is_confirmed and may_be):
            raise DoubtfulReadingError(doubts)
        kept: list[Reading] = []
        for quantity, value in values.items():
            one = Reading(
                frame=frame, quantity=quantity, value=nominal(value), u=uncertainty(value),
                axis_mm=axis if quantity == "swing_kgcm2" else None, condition=condition,
                method=reading.method, raw=document, slopes=slopes(value, document),
                confirmed=bool(doubts), read_at=read_at or timezone.now(), read_by=user,
                measured_with=kept[0] if kept else None,
            )  # fmt: skip
            one.full_clean(exclude=["frame"])
            one.save()
            kept.append(one)
    return kept


class DoubtfulReadingError(ValueError):
    """A reading that is unlikely, or cannot be, beside what is known of its frame."""

    def __init__(self, doubts: list[Doubt]) -> None:
        super().__init__("; ".join(doubt.text for doubt in doubts))
        self.can_be_confirmed = all(doubt.severity == "unlikely" for doubt in doubts)


def _repeats(form: MeasureForm) -> int:
    repeats = form.document.get(form.method.readings[0] if form.method.readings else "tap_times_s")
    return len(repeats) - len(form.document.get("set_aside", ())) if repeats else 1


def _note_use(reading: Reading, form: MeasureForm) -> None:
    instrument = form.cleaned_data.get("instrument")
    if instrument is None:
        Use.objects.filter(reading=reading).delete()
        return
    spread, freedom = 0.0, 0
    if form.method.readings is not None:
        seen = sample(form.document[form.method.readings[0]], set_aside=form.not_counted())
        spread, freedom = seen.spread or 0.0, max(seen.n - 1, 0)
    values = {"instrument": instrument, "spread": spread, "freedom": freedom}
    Use.objects.update_or_create(reading=reading, defaults=values)


def reduce_again(reading: Reading) -> str:
    """Reduce a reading from its raw inputs once more, with the mass and balance as they read today.

    Returns:
        What changed, in words; '' where nothing did. Raises DocumentError where it no longer can be
        reduced.
    """
    document = dict(reading.raw)
    fresh = []
    if "period_s" in document or "tap_times_s" in document:
        frame = reading.frame
        known = {
            name: one.value
            for name, one in frame.figures_in(reading.condition).found.items()
            if fitted.is_as_it_was(frame, reading.read_at, one.reading.read_at)
        }
        for key in ("mass_g", "balance_mm"):
            if key in document and key in known and not isinstance(document[key], str):
                now = {"value": nominal(known[key]), "u": uncertainty(known[key]) or 0.0}
                if _differs(document[key], now):
                    document[key] = now
                    fresh.append(key.split("_")[0])
    measurement = reduced(reading_of(document))
    value = measurement.figures[reading.quantity]
    if abs(nominal(value) - reading.value) < 1e-9 and not fresh:
        return ""
    old = reading.value
    reading.value, reading.u, reading.raw = nominal(value), uncertainty(value), document
    reading.slopes = slopes(value, document)
    words = f"reduced again{' with the newest ' + ' and '.join(fresh) if fresh else ''}"
    reading._change_reason = words
    reading.save()
    return f"{words.capitalize()}: {digits(old, 5)} became {digits(reading.value, 5)}."


def _differs(then: Any, now: dict[str, float]) -> bool:
    value, u = (then["value"], then["u"]) if isinstance(then, dict) else (then, 0.0)
    return abs(value - now["value"]) > 1e-6 or abs(u - now["u"]) > 1e-6


def keep_draft(frame: Frame, user: Any, method: str, entry: dict[str, Any]) -> None:
    """Remember a form that is being filled in."""
    if sum(len(str(value)) for value in entry.values()) > ENTRY_KEPT:
        return
    # A preview may come in behind the keeping of what it shows: that is no draft any more.
    if Reading.objects.filter(frame=frame, method=method, entry=entry).exists():
        return
    values = {"entry": entry, "changed_at": timezone.now()}
    Draft.objects.update_or_create(frame=frame, user=user, method=method, defaults=values)


def take_recording(
    frame: Frame, name: str, data: bytes, expect_s: float | None, user: Any
) -> Recording:
    """Find the swing in an uploaded recording and keep the file. Raises NoSwingError."""
    found = read_motion(data.decode("utf-8-sig", errors="replace"), expect_s)
    period = WithU(value=nominal(found.period_s), u=uncertainty(found.period_s) or 0.0)
    words = (
        f"{found.swings:.0f} swings in “{found.channel}”, {found.rate_hz:.0f} samples a second, "
        f"{fixed(found.start_s, 1)}–{fixed(found.end_s, 1)} s"
    )
    return Recording.objects.create(
        frame=frame,
        name=name[:120],
        packed=gzip.compress(data, mtime=0),
        found={
            "period_s": period.value,
            "u": period.u,
            "plot": [[round(v, 5) for v in point] for point in found.plot],
            "words": ". ".join([words, *map(str, found.notes)]),
            "decay_per_s": found.decay_per_s,
            "seconds": found.end_s - found.start_s,
        },
        uploaded_by=user,
    )
