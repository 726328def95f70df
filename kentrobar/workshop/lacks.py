"""What a step of a job still lacks, frame by frame, and the act that would bring it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal

from django.urls import reverse
from django.utils.http import urlencode

from kentrobar.core.quantities import FIGURES, plain_figures
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.words.amounts import change_of, gap
from kentrobar.frames.choices import Quantity
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.asked import of_targets
from kentrobar.recipes.models import Match
from kentrobar.recipes.sets import AskedSet, set_of_plan

from .models import Job, JobStep, Sheet, TakenIn
from .sets.band import SEEN, is_fitted, targets_of

Kind = JobStep.Kind
FRESH = timedelta(days=60)
"""A frame that was read longer ago than this before it came in may have changed since."""
ON_THE_SET = (Kind.TARGET, Kind.PLAN, Kind.AFTER)
"""Steps of several frames that are done on the page of their set."""
LOOKED_AT = ("taken_in__frame__plans__sheet",)
"""What is looked at of a job: fetched together, for a set of twelve has many."""
NEEDED = (Quantity.MASS, Quantity.BALANCE, Quantity.SWING)
Code = Literal[
    "not-measured", "no-target", "no-plan", "no-trial", "not-signed", "not-read-since",
    "off-target", "no-card", "all-refused", "read-long-ago",
]  # fmt: skip
SENTENCES: dict[Code, str] = {
    "not-measured": "{frame}: {figure} not measured",
    "no-target": "{frame}: no plan with a target",
    "no-plan": "{frame}: no plan with a piece on it",
    "no-trial": "{frame}: nothing was read at a trial",
    "not-signed": "{frame}: no bench sheet is signed off",
    "not-read-since": "{frame}: {figure} not read since it was made",
    "off-target": "{frame}: {figure} is {off} {unit} {side} its target, which allows {tol} {unit}",
    "no-card": "{frame}: no card was made",
    "all-refused": "no frame of this job may be worked on",
    "read-long-ago": "{frame}: last read {days} days ago; measure again, or go on with that",
}


@dataclass(frozen=True, slots=True)
class Act:
    """What to do next, and where: a link, or a form that is posted there."""

    label: str
    href: str
    frames: tuple[int, ...] = ()
    """Frames it is posted with; a link has none."""
    is_posted: bool = False

    def said_on(self, frame: Frame | None) -> str:
        """Its label where it is plain that this frame is meant."""
        name = str(frame)
        return self.label.removesuffix(f" of {name}").removesuffix(f" for {name}")


@dataclass(frozen=True, slots=True)
class MissingStep:
    """One thing that is not there yet. ``figure`` is a key of a figure, ``off`` how far it is from
    its target, which allows ``tol``."""

    code: Code
    frame: Frame | None = None
    plan: Plan | None = None
    figure: str = ""
    off: float = 0.0
    tol: float = 0.0
    days: int = 0

    @property
    def is_soft(self) -> bool:
        """Whether a person may go on without, and need not say why."""
        return self.code == "read-long-ago"

    def said(self) -> str:
        """In the units a person sees figures in; a balance in points has no above and below."""
        told: dict[str, object] = {"frame": self.frame, "days": self.days}
        if self.figure:
            up, down = ("above", "below")
            if self.figure == "balance_mm":
                up, down = ("nearer the tip than", "nearer the butt than")
            told |= {
                "figure": FIGURES[self.figure].label,
                "off": gap(self.figure, self.off),
                "tol": gap(self.figure, self.tol),
                "side": up if self.off > 0 else down,
                "unit": change_of(self.figure, 0.0).unit,
            }
        return SENTENCES[self.code].format(**told)

    @property
    def acts(self) -> list[Act]:
        """What brings it, the likeliest first."""
        frame, plan = self.frame, self.plan
        if frame is None:
            return []
        of = str(frame)
        match self.code:
            case "not-measured" | "not-read-since":
                there = (
                    f"{reverse('measure', args=[frame.pk])}?{urlencode({'quantity': self.figure})}"
                )
                return [Act(f"Measure {FIGURES[self.figure].label} of {of}", there)]
            case "read-long-ago":
                return [Act(f"Measure {of} again", reverse("measure", args=[frame.pk]))]
            case "no-target" | "no-plan":
                acts = [
                    Act(f"Advice for {of}", reverse("advice", args=[frame.pk])),
                    Act(f"Recipes for {of}", reverse("recipes", args=[frame.pk])),
                ]
                if plan:
                    acts.insert(0, Act(f"Plan of {of}", plan.get_absolute_url()))
                return acts
            case "no-trial" if plan and not is_fitted(plan):
                return [Act(f"Trial of {of}", reverse("trial", args=[plan.pk]))]
            case "not-signed" if plan:
                return [Act(f"Bench sheet of {of}", reverse("sheet", args=[plan.pk]))]
            case "off-target" if plan:
                return [Act(f"What is left on {of}", reverse("trial", args=[plan.pk]))]
            case "no-card" if plan:
                return [
                    Act(
                        f"Make the card of {of}",
                        reverse("card-make", args=[plan.pk]),
                        is_posted=True,
                    )
                ]
        return []


def acts(job: Job, kind: str, lacks: list[MissingStep], first: Frame | None = None) -> list[Act]:
    """What can be done about a step, each once; what is about frame ``first`` before the rest. What
    is done on the page of a set is done there."""
    to_set = set_act(job) if lacks and kind in ON_THE_SET else None
    if to_set and not to_set.is_posted:
        return [to_set]
    found: dict[str, Act] = {}
    if to_set and kind != Kind.AFTER:
        found[to_set.href] = to_set  # frames that need not become alike are worked on one by one
    for lack in sorted(lacks, key=lambda one: one.frame != first):
        for act in lack.acts:
            found.setdefault(act.href, act)
    return list(found.values())


def set_act(job: Job) -> Act | None:
    """The way to the set of a job; None for a single frame, or frames of several kinds."""
    workable = sound(job)
    if len(workable) < 2 or len({one.frame.kind for one in workable}) > 1:
        return None
    known = set_of_job(job)
    if known:
        return Act("Open the set", known.get_absolute_url())
    return Act("Match the set", reverse("set-new"), tuple(one.frame_id for one in workable), True)


def said_once(lacks: Sequence[MissingStep], frames: int) -> list[str]:
    """What is missing, each thing once with the frames it is missing of; ``frames``: how many there
    are."""
    names: dict[str, list[str]] = {}
    for lack in lacks:
        frame = f"{lack.frame}: "
        names.setdefault(lack.said().removeprefix(frame), []).append(str(lack.frame or ""))
    return [
        f"{_all_of(those, frames)}: {tail}" if any(those) else tail for tail, those in names.items()
    ]


def _all_of(names: Sequence[str], frames: int) -> str:
    return f"all {frames}" if len(names) == frames > 1 else ", ".join(names)


def set_of_job(job: Job) -> Match | None:
    """The set that was put together of just the frames of a job, the newest."""
    frames = {one.frame_id for one in sound(job)}
    sets = Match.objects.filter(removed_at=None, frames__in=frames).distinct()
    return next(
        (one for one in sets.prefetch_related("frames")
         if {frame.pk for frame in one.frames.all()} == frames),
        None,
    )  # fmt: skip


def sound(job: Job) -> list[TakenIn]:
    """The frames of a job that were not refused."""
    return [one for one in job.taken_in.all() if not one.refused]


def plans_of(job: Job, frame: Frame) -> list[Plan]:
    """A frame's plans made for this job, the newest first."""
    return [
        plan
        for plan in frame.plans.all()
        if plan.removed_at is None and plan.created_at >= job.taken_in_at
    ]


def lacking(job: Job, kind: str) -> list[MissingStep]:
    """Figures and facts a step needs before it can be called done; none where all are there."""
    workable = sound(job)
    if not workable:
        return [MissingStep("all-refused")]
    staying = _that_stay(job) if len(workable) > 1 and kind != Kind.BEFORE else set()
    return [
        lack
        for one in workable
        if one.frame_id not in staying
        for lack in _lacking(job, one.frame, kind)
    ]


def _that_stay(job: Job) -> set[int]:
    """Frames that the others of their set follow, or that are left as they are."""
    frames = {one.frame_id for one in sound(job)}
    contents = Match.objects.filter(
        removed_at=None, changed_at__gte=job.taken_in_at, frames__in=frames
    ).values_list("content", flat=True)
    sets = [AskedSet.parse(content, "") for content in contents if content]
    return {pk for pk in frames if any(one.stays(pk) for one in sets)}


def _lacking(job: Job, frame: Frame, kind: str) -> Iterator[MissingStep]:
    if kind == Kind.BEFORE:
        figures = frame.figures()
        if not figures or not figures[0].is_complete:
            found = figures[0].found if figures else {}
            yield from (
                MissingStep("not-measured", frame, figure=one.value)
                for one in NEEDED
                if one.value not in found
            )
        elif figures:
            oldest = min(found.reading.read_at for found in figures[0].found.values())
            age = job.taken_in_at - oldest
            if age > FRESH:
                yield MissingStep("read-long-ago", frame, days=age.days)
        return
    plans = plans_of(job, frame)
    laid = next((plan for plan in plans if plan.part("pieces")), None)
    if kind != Kind.TARGET and laid is None and plans and _is_right(plans[0]):
        return  # matched to others, and right as it came: nothing goes on it
    signed = [plan.sheet for plan in plans if is_fitted(plan)]
    if kind == Kind.TARGET and not any(plan.part("targets") for plan in plans):
        yield MissingStep("no-target", frame, laid)
    elif kind == Kind.PLAN and laid is None:
        yield MissingStep("no-plan", frame, next(iter(plans), None))
    elif kind == Kind.TRIAL and not any(plan.trials.exists() for plan in plans):
        yield MissingStep("no-trial", frame, laid) if laid else MissingStep("no-plan", frame)
    elif kind == Kind.PERMANENT and not signed:
        yield MissingStep("not-signed", frame, laid) if laid else MissingStep("no-plan", frame)
    elif kind == Kind.AFTER:
        yield from _after(frame, signed)
    elif kind == Kind.HAND_OVER and signed and not any(plan.cards.exists() for plan in plans):
        # Of plans made on top of one another the last is what counts.
        yield MissingStep("no-card", frame, signed[0].plan)


def _is_right(plan: Plan) -> bool:
    """Whether a plan without a piece reaches its targets all the same."""
    state = plan.state()
    targets = of_targets(state.targets)
    now = plain_figures(plain_body(state.measured), state.measured.axis_mm)
    return bool(targets) and all(
        goal.value is not None
        and (goal.axis_mm or state.measured.axis_mm) == state.measured.axis_mm
        and abs(now[name] - goal.value) <= goal.tol + 1e-9
        for name, goal in targets.items()
    )


def _after(frame: Frame, signed: list[Sheet]) -> Iterator[MissingStep]:
    newest: datetime | None = max(
        (sheet.signed_off_at for sheet in signed if sheet.signed_off_at), default=None
    )
    read = {one.quantity for one in frame.latest() if newest and one.read_at >= newest}
    unread = [one.value for one in NEEDED if one.value not in read]
    if unread:
        yield from (MissingStep("not-read-since", frame, figure=name) for name in unread)
        return
    for sheet in signed:
        yield from _outside(frame, sheet.plan)


def _outside(frame: Frame, plan: Plan) -> Iterator[MissingStep]:
    """Targets of a plan that the frame, as read now in the plan's condition, is outside of."""
    state = plan.state()
    of_set = set_of_plan(plan)
    if of_set and frame.pk in of_set.accepted:
        return  # taken as near as it came
    now = frame.figures_in(state.condition)
    if not now.is_complete:
        missing = [one.value for one in NEEDED if one.value not in now.found]
        yield from (MissingStep("not-read-since", frame, plan, name) for name in missing)
        return
    measured = now.measured()
    body = plain_body(measured)
    for name, goal in targets_of(plan).items():
        if goal.value is None or (name == "twist_kgcm2" and measured.twist_kgcm2 is None):
            continue
        off = plain_figures(body, goal.axis_mm or measured.axis_mm)[name] - goal.value
        if abs(off) > goal.tol + SEEN:
            yield MissingStep("off-target", frame, plan, name, off, goal.tol)
