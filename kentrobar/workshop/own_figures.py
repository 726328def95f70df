"""Our own figures: what all fittings that were read again say of the shop's rolls and instruments,
and the correction of one with one press."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.bench.learned import ROLL_U, Experiment, Found, Unknown, experiment, learn
from kentrobar.core.bench.suspicions import Fitted
from kentrobar.core.errors import DocumentError
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.uncertain import error_of
from kentrobar.core.quantities import READ
from kentrobar.core.reader import digits, percent
from kentrobar.core.recipes.solve import Watch
from kentrobar.frames.models import Reading
from kentrobar.measuring.models import Check, Instrument, Use
from kentrobar.plans.models import Plan
from kentrobar.stock import shelf
from kentrobar.stock.models import CUT, Material, Weighing
from kentrobar.ui import background
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .models import Learned, Sheet, Stage, Trial
from .suspects import READ_WITH

SINCE = timedelta(days=365)
MOST = 300
"""Plans that are looked at, the newest."""
OFF = 2.0
"""How many of its uncertainties an instrument that nobody suspects may be off, one standard
uncertainty."""
SAME_SITTING = timedelta(hours=12)
"""From one reading to another: what reads too much did so before as well."""
LEAST_SHARE, MOST_SHARE = 0.015, 3 * ROLL_U
"""Of a roll's mass, below which it is not worth a word, and above which something else is wrong."""


@dataclass(frozen=True, slots=True)
class FittingRead:
    """What was put on by one plan, (piece, whether it was weighed by itself), and what was read
    then, with the instruments of those readings that name one."""

    plan: Plan
    put_on: list[tuple[Piece, bool]]
    read: dict[str, tuple[float, float | None]]
    axis_mm: float
    read_at: datetime
    used: Mapping[str, Instrument]


@dataclass(frozen=True, slots=True)
class LearnedRow:
    """One roll or instrument, as the page shows it."""

    key: str
    name: str
    kind: str
    address: str
    amount: str
    count: int
    is_told: bool
    words: str = ""
    take: str = ""


@require_safe
def show(request: Request) -> HttpResponse:
    row = Learned.objects.first()
    answer = row.answer if row else {}
    rows = [shown for one in answer.get("found", []) if (shown := _shown(one))]
    rows.sort(key=lambda one: (not one.is_told, one.kind, one.name))
    context = {
        "rows": rows, "work": row, "run": row.run if row else 0,
        "fittings": answer.get("fittings", 0),
    }  # fmt: skip
    return render(request, "workshop/own_figures.html", context)


@require_POST
@stored_once
def take(request: Request) -> HttpResponse:
    """Correct a roll or an instrument by what was learned of it."""
    with transaction.atomic():
        row = Learned.objects.select_for_update().first()
        told = row.answer.get("found", []) if row else []
        kind, _, name = request.POST.get("key", "").partition(":")
        is_same = row is not None and str(row.run) == request.POST.get("run")
        one = next((one for one in told if (one["kind"], one["name"]) == (kind, name)), None)
        if not is_same or one is None or not _is_told(one):
            messages.error(request, "This was looked at anew meanwhile: look again.")
            return redirect("own-figures")
        words = _corrected(one, request)
    begin()
    (messages.success if words else messages.error)(
        request, words or f"{name} is not there any more."
    )
    return redirect("own-figures")


def _corrected(one: Mapping[str, Any], request: Request) -> str:
    """What was corrected, in words; '' where the thing is gone."""
    found = _found(one)
    source = f"learned from {found.count} fittings"
    if one["kind"] == "roll":
        material = Material.objects.filter(name=one["name"], kind__in=CUT).first()
        known = material.per_length() if material else None
        if material is None or known is None:
            return ""
        metre = 1000 * known.g_per_mm
        Weighing.objects.create(
            material=material, length_mm=1000.0, mass_g=metre * (1 + found.value),
            width_mm=material.width_mm if material.is_sheet else None, u_g=metre * found.u,
            source=source, weighed_by=request.user,
        )  # fmt: skip
        return f"{material} counts as {_heavier(found)} from now on."
    instrument = Instrument.live.filter(name=one["name"]).first()
    if instrument is None:
        return ""
    drift = instrument.drift().value + found.value
    Check.objects.create(
        instrument=instrument, reference=source, expected=one["about"],
        read=one["about"] + drift, read_u=found.u, checked_by=request.user,
    )  # fmt: skip
    return f"{digits(drift, 2, signed=True)} {instrument.unit} is taken off {instrument} now."


def _found(one: Mapping[str, Any]) -> Found:
    return Found(one["value"], one["u"], one["count"])


def _is_told(one: Mapping[str, Any]) -> bool:
    """Whether there is enough behind it, and of a roll no more than a roll errs."""
    is_rolls = one["kind"] != "roll" or LEAST_SHARE <= abs(one["value"]) <= MOST_SHARE
    return is_rolls and _found(one).is_told


def _heavier(found: Found) -> str:
    return f"{percent(abs(found.value), 1)} {'heavier' if found.value > 0 else 'lighter'}"


def _shown(one: Mapping[str, Any]) -> LearnedRow | None:
    found, name = _found(one), one["name"]
    key, count = f"{one['kind']}:{name}", one["count"]
    if one["kind"] == "roll":
        material = Material.objects.filter(name=name).first()
        if material is None:
            return None
        amount = f"{percent(found.value, 1)} ± {percent(found.u, 1)}"
        return LearnedRow(
            key, name, "roll", material.get_absolute_url(), amount, count, _is_told(one),
            f"It was {_heavier(found)} than its cuts say in {count} fittings: weigh a cut of it,"
            " or",
            f"count it {_heavier(found)}",
        )  # fmt: skip
    instrument = Instrument.live.filter(name=name).first()
    if instrument is None:
        return None
    off = f"{digits(found.value, 2, signed=True)} {instrument.unit}"
    return LearnedRow(
        key, name, instrument.get_kind_display(), instrument.get_absolute_url(),
        f"{off} ± {digits(found.u, 1)}", count, _is_told(one),
        f"It read {off} off in {count} fittings since its last check: check it, or",
        f"correct it by {digits(-found.value, 2, signed=True)} {instrument.unit}",
    )  # fmt: skip


# --- the work ------------------------------------------------------------------------------------


def begin() -> None:
    """Look at all fittings anew, beside the page."""
    row = Learned.objects.first() or Learned.objects.create()
    background.start(row, look, patience_s=0.0)


@background.work("learned", Learned)
def look(row: Learned) -> background.Prepared:
    found = list(_fittings())
    experiments = [one for fitting in found if (one := _experiment(fitting))]
    instruments = {one.name: one for one in Instrument.live.all()}
    before: dict[Unknown, float] = {}
    for key in {key for one in experiments for key in one.moves}:
        kind, name = key
        before[key] = ROLL_U if kind == "roll" else OFF * instruments[name].drift().u
    about = {name: _about(found, one) for name, one in instruments.items()}

    def learned(watch: Watch) -> dict[str, Any]:
        told = learn(experiments, dict(sorted(before.items())))
        return {
            "fittings": len(experiments),
            "found": [
                {
                    "kind": kind, "name": name, "value": one.value, "u": one.u,
                    "count": one.count, "about": about.get(name, 0.0),
                }
                for (kind, name), one in told.items()
            ],
        }  # fmt: skip

    return learned, background.nothing_yet


def _about(found: list[FittingRead], instrument: Instrument) -> float:
    """What such an instrument usually reads."""
    keys = [key for key, kind in READ_WITH.items() if kind == instrument.kind]
    values = [one.read[key][0] for one in found for key in keys if key in one.read]
    return round(sum(values) / len(values), 2) if values else 0.0


def _fittings() -> Iterator[FittingRead]:
    """What was read last with a plan on: after it was signed off, in a trial, in a stage. One of
    each frame: others are held against the same readings before, and err with them."""
    seen: set[int] = set()
    plans = Plan.live.filter(created_at__gt=timezone.now() - SINCE).select_related("frame")
    for plan in plans.order_by("-created_at")[:MOST]:
        if plan.frame_id in seen:
            continue
        try:
            found = _read_after(plan) or _tried(plan) or _staged(plan)
        except DocumentError:
            continue
        if found is not None and found.read:
            seen.add(plan.frame_id)
            yield found


def _read_after(plan: Plan) -> FittingRead | None:
    sheet = Sheet.objects.filter(plan=plan, signed_off_at__isnull=False).first()
    if sheet is None or sheet.signed_off_at is None:
        return None
    at, state = sheet.signed_off_at, plan.state()
    later = Sheet.objects.filter(plan__frame=plan.frame, signed_off_at__gt=at)
    ends = [sheet.taken_off_at, *later.values_list("signed_off_at", flat=True)]
    end = min((one for one in ends if one), default=timezone.now())
    readings = Reading.objects.filter(
        frame=plan.frame,
        condition=state.condition,
        read_at__gt=at,
        read_at__lt=end,
        removed_at=None,
    ).order_by("-read_at")
    first = {one.quantity: one for one in readings}
    read = {name: (one.value, one.u) for name, one in first.items() if name in READ}
    used = {
        use.reading.quantity: use.instrument
        for use in Use.objects.filter(reading__in=first.values()).select_related("instrument")
    }
    swing = first.get("swing_kgcm2")
    axis = (swing.axis_mm if swing else None) or state.measured.axis_mm or 100.0
    put_on = [(piece, bool(piece.weighed)) for piece in sheet.core_pieces()]
    if not read:
        return None
    return FittingRead(plan, put_on, read, axis, max(one.read_at for one in first.values()), used)


def _tried(plan: Plan) -> FittingRead | None:
    trial = Trial.objects.filter(plan=plan).first()
    if trial is None:
        return None
    put_on = [(parse_piece(one["piece"]), bool(one["weighed"])) for one in trial.put_on]
    if any(one["holding_g"] or one["backing"] for one in trial.put_on):
        return None  # what holds it, or its backing, is no roll's
    read = {name: (value, u) for name, (value, u) in trial.read.items()}
    return FittingRead(plan, put_on, read, trial.axis_mm, trial.made_at, {})


def _staged(plan: Plan) -> FittingRead | None:
    stages = list(Stage.live.filter(plan=plan))
    while stages and not stages[-1].read:
        stages.pop()
    if not stages:
        return None
    pieces = [parse_piece(piece) for stage in stages for piece in stage.put_on]
    read = {name: (value, u) for name, (value, u) in stages[-1].read.items()}
    put_on = [(piece, bool(piece.weighed)) for piece in pieces]
    return FittingRead(plan, put_on, read, stages[-1].axis_mm, stages[-1].made_at, {})


def _experiment(one: FittingRead) -> Experiment | None:
    state, outline = one.plan.state(), one.plan.frame.outline()
    known = shelf.rolls({piece.material for piece, _ in one.put_on if piece.material})
    fitted, rolls = [], []
    for piece, is_weighed in one.put_on:
        roll, u_g = error_of(replace(piece, weighed=is_weighed), known)
        fitted.append(Fitted(piece, u_g))
        is_old = roll and _weighed_since(roll, one.plan.created_at)
        rolls.append("" if is_old else roll)
    if any(name in state.assumed for name in READ) or not fitted:
        return None
    read = {name: given for name, given in one.read.items() if _is_known(state.measured, name)}
    if not read:
        return None
    return experiment(
        outline, state.measured.body(), fitted, rolls, read, one.axis_mm, _instruments(one)
    )


def _is_known(measured: Any, name: str) -> bool:
    return getattr(measured, name) is not None


def _weighed_since(roll: str, at: datetime) -> bool:
    """Whether the roll was weighed after that: what was thought of it then is gone."""
    return Weighing.objects.filter(material__name=roll, weighed_at__gt=at).exists()


def _instruments(one: FittingRead) -> dict[str, str]:
    """By figure, the instrument that read it after, unless it read the frame just before: what it
    reads too much before and after is no residual."""
    found = {}
    for figure, kind in READ_WITH.items():
        uses = Use.objects.filter(
            reading__frame=one.plan.frame, reading__quantity=figure, reading__removed_at=None
        ).select_related("instrument", "reading")
        before = uses.filter(reading__read_at__lte=one.plan.created_at).order_by("reading__read_at")
        base = before.last()
        then = one.used.get(figure) or (base.instrument if base else None) or _only(kind)
        if then is None or then.removed_at is not None:
            continue
        check = then.last_check()
        if check is not None and one.read_at < check.checked_at:
            continue
        same = base if base is not None and base.instrument == then else None
        if same is None or one.read_at - same.reading.read_at > SAME_SITTING:
            found[figure] = then.name
    return found


def _only(kind: str) -> Instrument | None:
    able = list(Instrument.live.filter(kind=kind)[:2])
    return able[0] if len(able) == 1 else None
