"""Judging figures just read beside what is known of the frame, so that a slip is named at once."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from django.utils import timezone

from kentrobar.core.frame.condition import Part, is_on
from kentrobar.core.frame.plausibility import Doubt, alone, doubts, likely_slip
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.slips import disagreements
from kentrobar.core.frame.typical import typical
from kentrobar.core.measure.surroundings import face_air_kgcm2
from kentrobar.core.numbers import Number, nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.parts import PARTS

from . import fitted
from .choices import Quantity
from .figures import Figures
from .models import Frame

COMMONLY_OFF = ("overgrip", "wrapper", "cap")
"""Parts people take off and forget; suspected at their usual mass where nobody weighed them."""


def judge(
    frame: Frame,
    given: Mapping[str, Number],
    axis_mm: float | None,
    condition: str,
    known: Figures | None,
) -> list[Doubt]:
    """Doubts about figures read in a condition: what cannot be, what is unlikely, what disagrees
    with an earlier reading. Each doubt is put to a figure that was given now."""
    if frame.pk and (known is None or not known.found):
        # Nothing was read so: what was read otherwise says what to expect, with what is noted of
        # the parts between.
        computed = frame.figures_in(condition)
        known = computed if computed.found else None
    whole = fitted.now(frame, known) if known and known.is_complete else None
    before_it = whole.measured if whole else None
    judged = _beside(frame, given, axis_mm, known, before_it)
    if judged is None:
        return []
    # What was doubtful before is not this entry's fault; what is doubtful now shows in a box of
    # this
    # entry, even where the sums point at a figure that was fine until now.
    before = doubts(before_it, frame.outline()) if before_it else []
    old = {(doubt.field, doubt.severity) for doubt in before} - {
        (field, doubt.severity) for doubt in before for field in given
    }
    first = next(iter(given))
    read = {*given, *(known.values if known else ())} - {*judged.assumed}
    found = [
        doubt if doubt.field in given else replace(doubt, field=first)
        for doubt in doubts(judged, frame.outline())
        if (doubt.field, doubt.severity) not in old and doubt.field in read
    ]
    if found and "swing_kgcm2" not in read:
        # The swing weight judged with them was made from the same mass: undone, both would change.
        usual = replace(
            judged, swing_kgcm2=nominal(typical(frame.outline(), {}, judged.axis_mm).swing_kgcm2)
        )
        slip = likely_slip(usual, frame.outline())
        found = [one if one.is_explained else replace(one, slip=slip) for one in found]
    if before_it is None:
        axis = judged.axis_mm if axis_mm is None else axis_mm
        return found + _by_themselves(frame, given, axis, {doubt.field for doubt in found})
    assert known is not None
    if any(doubt.severity == "impossible" for doubt in found):
        return found
    when = _when(known) + (f" with {whole.said}" if whole and whole.said else "")
    if known.is_computed:
        when += f" and computed {known.label} by the parts noted"
    outline = frame.outline()
    air = face_air_kgcm2(outline, before_it.axis_mm if axis_mm is None else axis_mm)
    against = disagreements(given, axis_mm, before_it, _suspects(frame, condition), when, air)
    # A slip named beside an earlier reading is surer than what is usual, which is surer than none.
    plain = {doubt.field for doubt in found}
    against = [d for d in against if d.field not in plain or d.is_explained]
    fields = {doubt.field for doubt in against}
    return against + [doubt for doubt in found if doubt.field not in fields]


def _by_themselves(
    frame: Frame, given: Mapping[str, Number], axis_mm: float, doubted: set[str]
) -> list[Doubt]:
    """Doubts about single figures, where too little is known to judge them together."""
    outline = frame.outline()
    found = (
        alone(name, nominal(value), axis_mm, outline)
        for name, value in given.items()
        if name not in doubted
    )
    return [doubt for doubt in found if doubt]


def _beside(
    frame: Frame,
    given: Mapping[str, Number],
    axis_mm: float | None,
    known: Figures | None,
    now: Measured | None,
) -> Measured | None:
    """The figures to judge. What is neither given nor known is taken as ordinary, and a swing
    weight is only judged where mass and balance are there. ``now`` is what is known, with what was
    fitted since."""
    values = {
        name: nominal(getattr(now, name) if now else value)
        for name, value in (known.values if known else {}).items()
    }
    has_swing = "swing_kgcm2" in values and "swing_kgcm2" not in given
    axis = known.axis_mm if known and has_swing else axis_mm
    values |= {name: nominal(value) for name, value in given.items()}
    if not {"mass_g", "balance_mm"} <= values.keys():
        values.pop("swing_kgcm2", None)
    ordinary = typical(frame.outline(), values, 100.0 if axis is None else axis)
    twist = values.get(Quantity.TWIST)
    # An assumed figure is nobody's slip.
    return replace(ordinary.plain, twist_kgcm2=twist)


def _suspects(frame: Frame, condition: str) -> dict[str, Body]:
    """By label: parts on the frame in this condition, and those commonly forgotten."""
    outline = frame.outline()
    on = [part for part in frame.all_parts() if part.was_on(None) and is_on(part.kind, condition)]
    found = {part.get_kind_display(): part.core().body(outline) for part in on}
    for kind in COMMONLY_OFF:
        known = PARTS[kind]
        if is_on(kind, condition) and known.label not in found:
            usual = Part(kind=kind, mass_g=known.grams[1], u_g=known.mass_u)
            found[known.label] = usual.body(outline)
    return found


def _when(known: Figures) -> str:
    """`on 3 Nov`, or `today at 14:05`, of the newest of these figures."""
    newest = max(found.reading.read_at for found in known.found.values())
    local = timezone.localtime(newest)
    if local.date() == timezone.localdate():
        return f"today at {local:%H:%M}"
    return f"on {local.day} {local:%b}"
