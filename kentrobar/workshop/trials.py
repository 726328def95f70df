"""Trial and check: what was put on, what was read, how far apart that is, what to suspect, go on or
stop."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kentrobar.core.bench.trial import SUSPECT, Compared, Fitted, compare
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.targets import Level, Targets
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.numbers import ufloat
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, NEEDED
from kentrobar.core.recipes.brief import Brief, Goals
from kentrobar.core.recipes.rest import Rest, rest
from kentrobar.core.units import Shown
from kentrobar.measuring.models import Instrument, InstrumentChoice, usual_order
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.plans.state import with_ids
from kentrobar.recipes import asked as asking
from kentrobar.recipes.shown import PieceLine, line
from kentrobar.shop.models import Settings
from kentrobar.stock.models import CUT, Material, Weighing
from kentrobar.ui.formatting import figure_text
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .fitted import fittings
from .models import Trial
from .suspects import checked, missable
from .trial_forms import NEXT_PIECE, TrialForm

READ_TIME_S = 2.5


@dataclass(frozen=True, slots=True)
class ShownResidual:
    """A residual as the page shows it: a vial in units of both uncertainties together."""

    figure: str
    label: str
    predicted: str
    read: str
    unit: str
    level: Level
    word: str


@dataclass(frozen=True, slots=True)
class Judged:
    """A trial with everything that follows from it."""

    trial: Trial
    compared: Compared
    vials: list[ShownResidual]
    rest: Rest | None
    lines: list[PieceLine]


@require_GET
def show(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    return _page(request, plan, TrialForm(plan, request.shown))


@require_POST
@stored_once
def keep(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    form = TrialForm(plan, request.shown, request.POST)
    if not form.is_valid():
        return _page(request, plan, form, 422)
    form.save(request.user)
    return redirect("trial", pk)


@require_POST
def accept(request: Request, pk: int) -> HttpResponse:
    """What was weighed in this trial counts for the rolls from now on."""
    trial = get_object_or_404(
        Trial.objects.select_related("plan__frame"), pk=pk, plan__removed_at=None
    )
    with transaction.atomic():
        changed = Trial.objects.filter(pk=pk, accepted_at=None).update(accepted_at=timezone.now())
        learned = _learn(trial, request.user) if changed else 0
    if changed:
        words = f" {learned} weighed cuts count for their rolls from now on." if learned else ""
        messages.success(request, f"Accepted.{words}")
    return redirect("trial", trial.plan_id)


@require_POST
@stored_once
def correct(request: Request, pk: int) -> HttpResponse:
    """A plan with what is on as weighed, and the recipe for the rest on top."""
    trial = get_object_or_404(
        Trial.objects.select_related("plan__frame"), pk=pk, plan__removed_at=None
    )
    plan = trial.plan
    left = _rest(plan, trial, request.shown)
    if left is None or not left.answer.recipes or not left.answer.recipes[0].pieces:
        messages.error(request, "There is nothing to put on or take off for the rest.")
        return redirect("trial", plan.pk)
    state = desk.on_top(plan)
    kept = list(_pieces(trial))
    put_on = []
    for piece in left.answer.recipes[0].pieces:
        same = [one for one in kept if piece.mass_g < 0 and abs(one.mass_g + piece.mass_g) < 1e-6]
        if same:
            kept.remove(same[0])
        else:
            put_on.append(replace(piece, mass_g=round(piece.mass_g, 3)))
    state = replace(state, pieces=with_ids((*kept, *put_on)))
    return redirect(
        desk.create(
            plan.frame, f"{plan.name}, corrected"[:80], state, "After a trial", request.user
        )
    )


# --- helpers --------------------------------------------------------------------------------------


def _plan(pk: int) -> Plan:
    return get_object_or_404(Plan.live.select_related("frame"), pk=pk)


def _page(request: Request, plan: Plan, form: TrialForm, status: int = 200) -> HttpResponse:
    trials = list(plan.trials.select_related("made_by")[:8])
    context = {
        "plan": plan,
        "frame": plan.frame,
        "kind": plan.frame.kind,
        "form": form,
        "judged": judged(plan, trials[0], request.shown) if trials else None,
        "earlier": trials[1:],
        "live": _live(form),
    }
    return render(request, "workshop/trial.html", context, status=status)


def _live(form: TrialForm) -> list[dict[str, Any]]:
    """Connected instruments, the boxes their figures may go into, by which key and as what: the
    first scale weighs the frame and piece after piece; the first machine that turns about the axis
    shown reads the swing weight."""
    connected = usual_order(Instrument.live.exclude(port=""))
    axis = form.shown.axis_mm(form.outline.kind)
    scale = next((one for one in connected if one.kind == InstrumentChoice.SCALE), None)
    machine = next(
        (one for one in connected if one.kind == InstrumentChoice.MACHINE and one.axis_mm == axis),
        None,
    )
    lines: list[dict[str, Any]] = []
    if scale:
        into = [("t-mass_g", "the whole", "k", "single")]
        if form.state.pieces:
            into.append((NEXT_PIECE, "the next piece", "w", "small"))
        lines.append({"instrument": scale, "into": into})
    if machine:
        lines.append(
            {"instrument": machine, "into": [("t-swing_kgcm2", "the swing weight", "s", "single")]}
        )
    return lines


def _pieces(trial: Trial) -> tuple[Piece, ...]:
    return tuple(parse_piece(one["piece"]) for one in trial.put_on)


def _fitted(trial: Trial, outline: Outline) -> list[Fitted]:
    """What was on, with backing and holding tape where they were said to be on."""
    per_mm = {
        one.name: one.backing_g_per_mm() for one in Material.objects.prefetch_related("weighings")
    }
    found = []
    for one in trial.put_on:
        piece = parse_piece(one["piece"])
        length, count = piece.strips()
        backing = (per_mm.get(piece.material or "") or 0.0) * length * count
        more = one["holding_g"] + (backing if one["backing"] and not one["weighed"] else 0.0)
        known = 0.0 if one["backing"] else backing or None
        found.append(Fitted(replace(piece, mass_g=piece.mass_g + more), one["u_g"], known))
    return found


def judged(plan: Plan, trial: Trial, shown: Shown) -> Judged:
    state, outline = plan.state(), plan.frame.outline()
    read = {name: (value, u) for name, (value, u) in trial.read.items()}
    compared = compare(
        outline,
        state.measured.body(),
        _fitted(trial, outline),
        read,
        trial.axis_mm,
        missable(plan.frame),
        checked(plan.frame),
    )
    left = _rest(plan, trial, shown)
    lines: list[PieceLine] = []
    if left and left.answer.recipes:
        lines = [
            line(i, piece, outline, shown)
            for i, piece in enumerate(left.answer.recipes[0].pieces, 1)
        ]
    return Judged(trial, compared, list(_vials(compared, shown, outline)), left, lines)


def _vials(compared: Compared, shown: Shown, outline: Outline) -> Iterator[ShownResidual]:
    for one in compared.residuals:
        predicted, unit = figure_text(one.figure, one.predicted, shown, outline)
        value, _ = figure_text(one.figure, one.read, shown, outline)
        level = Level(one.read, one.z, SUSPECT, 1.0)
        word = "agrees" if abs(one.z) <= SUSPECT else f"{abs(one.z):.1f} σ apart"
        yield ShownResidual(
            one.figure, FIGURES[one.figure].label, predicted, value, unit, level, word
        )


def _rest(plan: Plan, trial: Trial, shown: Shown) -> Rest | None:
    """What is left towards the plan's targets, from what was read; None without targets or without
    a whole reading."""
    state = plan.state()
    if state.targets == Targets() or not set(NEEDED) <= set(trial.read):
        return None
    measured = _as_measured(trial)
    outline = plan.frame.outline()
    settings = Settings.load()
    goals = {
        name: goal for name, goal in asking.of_targets(state.targets).items()
        if name != "twist_kgcm2" or measured.twist_kgcm2 is not None
    }  # fmt: skip
    # What else is on the frame for good; a plan made on top of another has the other's pieces
    # itself.
    own = (plan.pk, *state.carries)
    others = [one for one in fittings(plan.frame) if one.plan not in own and one.off_at is None]
    lie = tuple(piece for one in others for piece in one.pieces)
    shelf = asking.materials_of(settings)
    putty = [one for one in shelf if one.kind == "putty"]
    brief = Brief(
        frame=outline,
        measured=measured,
        targets=Goals(**goals),
        materials=(*shelf[:1], *putty[:1]),
        sites=tuple(asking.Limited.of(plan.frame).sites(outline).values()),
        fitted=_pieces(trial) + lie,
        weights=settings.weights(),
    )
    if any(True for _ in brief.faults()):
        return None
    return rest(brief, {"swing_kgcm2": settings.few, "recoil_kgcm2": settings.few}, READ_TIME_S)


def _as_measured(trial: Trial) -> Measured:
    def number(name: str) -> Any:
        value, u = trial.read[name]
        return ufloat(value, max(u or 0.0, FIGURES[name].least_u))

    return Measured(
        mass_g=number("mass_g"),
        balance_mm=number("balance_mm"),
        swing_kgcm2=number("swing_kgcm2"),
        axis_mm=trial.axis_mm,
        twist_kgcm2=number("twist_kgcm2") if "twist_kgcm2" in trial.read else None,
    )


def _learn(trial: Trial, user: Any) -> int:
    """Keep every weighed cut of tape as a weighing of its roll; how many there were."""
    count = 0
    for one in trial.put_on:
        piece = parse_piece(one["piece"])
        length, strips = piece.strips()
        material = Material.objects.filter(name=piece.material or "", kind__in=CUT).first()
        if one["weighed"] and strips and material:
            Weighing.objects.create(
                material=material,
                length_mm=length,
                width_mm=material.width_mm if material.is_sheet else None,
                count=strips,
                mass_g=piece.mass_g,
                u_g=one["u_g"],
                backing_on=one["backing"],
                source=f"trial of {trial.plan.name}, {trial.plan.frame}"[:120],
                weighed_by=user,
            )
            count += 1
    return count
