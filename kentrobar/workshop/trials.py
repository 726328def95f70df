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
from django.views.decorators.http import require_POST, require_safe

from kentrobar.core.bench.next_act import Act, are_alike, best_act
from kentrobar.core.bench.suspicions import Fitted
from kentrobar.core.bench.trial import SUSPECT, Compared, coarse, compare
from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.targets import Level
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import fixed, the_reader
from kentrobar.core.words import Message
from kentrobar.core.words.amounts import Amount
from kentrobar.measuring.models import Instrument, InstrumentChoice, usual_order
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.plans.state import with_ids
from kentrobar.recipes.shown import PieceLine
from kentrobar.stock.models import CUT, Material, Weighing
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import acts, own_figures, rests
from .models import Trial
from .suspects import checked, missable, varying
from .trial_forms import NEXT_PIECE, TrialForm


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
    left: rests.Left | None
    rest: rests.SavedCorrection | None
    lines: list[PieceLine]
    act: Act | None = None
    are_alike: bool = False
    """Whether nothing tells the two likeliest suspicions apart."""
    coarse: Message | None = None
    """What a scale too coarse for this costs."""
    is_asked: bool = False
    """Whether the plan wants anything, and enough was read to say how far it is."""

    @property
    def tells(self) -> int:
        """In how many of a hundred cases the next act tells the first suspicion from the second."""
        return round(100 * self.act.tells) if self.act else 50


@require_safe
def show(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    return _page(request, plan, TrialForm(plan))


@require_POST
@stored_once
def keep(request: Request, pk: int) -> HttpResponse:
    plan = _plan(pk)
    form = TrialForm(plan, request.POST)
    if not form.is_valid():
        return _page(request, plan, form, 422)
    trial = form.save(request.user)
    rests.begin(plan, trial)
    own_figures.begin()
    return redirect("trial", pk)


@require_POST
@stored_once
def act(request: Request, pk: int) -> HttpResponse:
    """The answer to the next act of a trial: judged again with it."""
    trial = _trial(pk)
    plan, outline, text = trial.plan, trial.plan.frame.outline(), request.POST.get("answer", "")
    asked = _next_act(plan, trial)
    if asked is None or asked.key != request.POST.get("act"):
        messages.error(request, "The trial was judged anew meanwhile: look at it again.")
        return redirect("trial", plan.pk)
    try:
        typed = acts.read_answer(asked, text[:60], outline)
        found = acts.answered(trial, asked, typed, outline, request.user)
    except UnreadableError as error:
        fault = {"act_fault": str(error), "act_text": text[:60]}
        return _page(request, plan, TrialForm(plan), 422, fault)
    rests.begin(plan, found)
    return redirect("trial", plan.pk)


@require_POST
def rest(request: Request, pk: int) -> HttpResponse:
    """Look for what is left of a trial, as the plan stands now."""
    trial = _trial(pk)
    rests.begin(trial.plan, trial)
    return redirect("trial", trial.plan_id)


@require_safe
def rest_answer(request: Request, pk: int) -> HttpResponse:
    """What is left, as far as it is found."""
    trial = _trial(pk)
    context = {"j": judged(trial.plan, trial)}
    return render(request, "workshop/_rest.html", context)


@require_POST
def accept(request: Request, pk: int) -> HttpResponse:
    """What was weighed in this trial counts for the rolls from now on."""
    trial = _trial(pk)
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
    trial = _trial(pk)
    plan = trial.plan
    left = rests.left_of(plan, trial)
    if left is None or left.found is None or not left.found.pieces:
        messages.error(request, "There is nothing to put on or take off for the rest.")
        return redirect("trial", plan.pk)
    state = replace(desk.on_top(plan), pieces=with_ids(rests.onto(left.found, trial)))
    return redirect(
        desk.create(
            plan.frame, f"{plan.name}, corrected"[:80], state, "After a trial", request.user
        )
    )


# --- helpers --------------------------------------------------------------------------------------


def _plan(pk: int) -> Plan:
    return get_object_or_404(Plan.live.select_related("frame"), pk=pk)


def _trial(pk: int) -> Trial:
    found = Trial.objects.select_related("plan__frame")
    return get_object_or_404(found, pk=pk, plan__removed_at=None)


def _page(
    request: Request, plan: Plan, form: TrialForm, status: int = 200,
    more: dict[str, str] | None = None,
) -> HttpResponse:  # fmt: skip
    trials = list(plan.trials.select_related("made_by")[:8])
    context = {
        "plan": plan,
        "frame": plan.frame,
        "kind": plan.frame.kind,
        "form": form,
        "judged": judged(plan, trials[0]) if trials else None,
        "earlier": trials[1:],
        "live": _live(form),
    }
    return render(request, "workshop/trial.html", context | (more or {}), status=status)


def _live(form: TrialForm) -> list[dict[str, Any]]:
    """Connected instruments, the boxes their figures may go into, by which key and as what: the
    first scale weighs the frame and piece after piece; the first machine that turns about the axis
    shown reads the swing weight."""
    connected = usual_order(Instrument.live.exclude(port=""))
    axis = the_reader().axis_mm(form.outline.kind)
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


def _compared(plan: Plan, trial: Trial) -> tuple[Compared, list[Fitted]]:
    outline = plan.frame.outline()
    read = {name: (value, u) for name, (value, u) in trial.read.items()}
    fitted = _fitted(trial, outline)
    frame = plan.frame
    return compare(
        outline, plan.state().measured.body(), fitted, read, trial.axis_mm, missable(frame),
        checked(frame), varying(frame),
    ), fitted  # fmt: skip


def _next_act(plan: Plan, trial: Trial) -> Act | None:
    compared, fitted = _compared(plan, trial)
    return best_act(compared, [one.piece for one in fitted], plan.frame.outline())


def judged(plan: Plan, trial: Trial) -> Judged:
    outline = plan.frame.outline()
    compared, fitted = _compared(plan, trial)
    left = rests.left_of(plan, trial)
    found = left.found if left else None
    lines = rests.lines(found, rests.put_on(trial), outline) if found else []
    vials = list(_vials(compared, outline))
    pieces = [one.piece for one in fitted]
    then, alike = best_act(compared, pieces, outline), are_alike(compared, pieces, outline)
    asked = rests.is_asked(plan, trial)
    too_coarse = coarse(fitted, (trial.read.get("mass_g") or (0.0, None))[1])
    return Judged(trial, compared, vials, left, found, lines, then, alike, too_coarse, asked)


def _vials(compared: Compared, outline: Outline) -> Iterator[ShownResidual]:
    for one in compared.residuals:
        predicted, unit = Amount(one.figure, one.predicted, length_mm=outline.length_mm).parts
        value, _ = Amount(one.figure, one.read, length_mm=outline.length_mm).parts
        level = Level(one.read, one.z, SUSPECT, 1.0)
        word = f"{fixed(abs(one.z), 1)} σ" if abs(one.z) > SUSPECT else "agrees"
        if word != "agrees":
            # Of several figures one may be so far by chance alone.
            word += ", within chance" if compared.is_agreed else " apart"
        yield ShownResidual(
            one.figure, FIGURES[one.figure].label, predicted, value, unit, level, word
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
