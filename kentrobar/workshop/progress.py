"""Where a job stands: what is next, what waits, how long it takes, what it costs."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.utils import timezone

from kentrobar.core.bench.schedule import MINUTES, Day, Load, estimate, week
from kentrobar.frames.models import Frame
from kentrobar.shop.models import Settings
from kentrobar.shop.money import amount_of
from kentrobar.stock.models import Material

from .lacks import plans_of, sound
from .models import Job, JobStep, Sheet, TakenIn

Kind = JobStep.Kind
LABELS = dict(Kind.choices)
RECENT = 400
"""Number of recent steps the usual minutes of each kind are estimated from."""


@dataclass(frozen=True, slots=True)
class OnBench:
    """A job with its steps, the open ones at least, and its frames: plain lists, looked at again
    and again."""

    job: Job
    steps: list[JobStep]
    taken_in: list[TakenIn]

    @classmethod
    def of(cls, job: Job) -> OnBench:
        return cls(job, list(job.steps.all()), list(job.taken_in.all()))

    @property
    def frames(self) -> list[Frame]:
        """Those that may be worked on."""
        return [one.frame for one in self.taken_in if not one.refused]


@dataclass(frozen=True, slots=True)
class Standing:
    """A job on the bench: its next step, what it waits for, how much work is left."""

    job: Job
    next: JobStep | None
    frames: list[Frame]
    waits: str
    ready_at: datetime | None
    minutes: float
    is_late: bool


def usual() -> dict[str, float]:
    """Minutes every kind of step takes here for one frame: the newest steps done correct what is
    usual."""
    found: dict[str, list[float]] = defaultdict(list)
    steps = JobStep.objects.filter(status="done", minutes__isnull=False, done_at__isnull=False)
    newest = list(steps.order_by("-done_at").values_list("kind", "minutes", "job_id")[:RECENT])
    taken = TakenIn.objects.filter(job__in={job for _, _, job in newest}, refused="")
    frames = Counter(taken.values_list("job_id", flat=True))
    for kind, minutes, job in newest:
        found[kind].append((minutes or 0.0) / (frames[job] or 1))
    return {kind: estimate(kind, found[kind]) for kind in MINUTES}


def standings(jobs: Sequence[OnBench], per_frame: Mapping[str, float]) -> list[Standing]:
    """Where each job stands; what still cures is looked up once for all of them."""
    now = timezone.now()
    curing: dict[int, list[Sheet]] = defaultdict(list)
    frames = {taken.frame_id for one in jobs for taken in one.taken_in}
    sheets = Sheet.objects.filter(plan__frame__in=frames, waits_until__gt=now)
    for sheet in (
        sheets.select_related("plan__frame")
        .defer("plan__content", "pieces")
        .order_by("waits_until")
    ):
        curing[sheet.plan.frame_id].append(sheet)
    today = timezone.localdate()
    return [_standing(one, per_frame, curing, now, today) for one in jobs]


def _standing(
    one: OnBench,
    per_frame: Mapping[str, float],
    curing: Mapping[int, list[Sheet]],
    now: datetime,
    today: date,
) -> Standing:
    job, left = one.job, [step for step in one.steps if step.status == "open"]
    step = next(iter(left), None)
    waits, ready = "", None
    if step and step.waits_until and step.waits_until > now:
        waits, ready = step.waits_for or "waiting", step.waits_until
    elif step and step.waits_for and not step.waits_until:
        waits = step.waits_for
    cures = [
        sheet
        for taken in one.taken_in
        for sheet in curing.get(taken.frame_id, ())
        if sheet.plan.created_at >= job.taken_in_at
    ]
    last = max(cures, key=lambda sheet: sheet.waits_until or now, default=None)
    if step and last and last.waits_until and (ready is None or last.waits_until > ready):
        waits, ready = f"{last.plan.frame} cures", last.waits_until
    frames = one.frames
    minutes = sum(per_frame[step.kind] for step in left) * (len(frames) or 1)
    return Standing(job, step, frames, waits, ready, minutes, bool(step) and job.due < today)


def open_jobs() -> list[OnBench]:
    """Everything on the bench, with the open steps only: a board has no use for what is done."""
    on = {"job__closed_at": None, "job__removed_at": None}
    steps: dict[int, list[JobStep]] = defaultdict(list)
    for step in JobStep.objects.filter(status="open", **on).only(
        "job", "kind", "status", "waits_for", "waits_until"
    ):
        steps[step.job_id].append(step)
    taken_in: dict[int, list[TakenIn]] = defaultdict(list)
    frames = TakenIn.objects.filter(**on).select_related("frame")
    for taken in frames.only("job", "refused", "frame__model", "frame__serial"):
        taken_in[taken.job_id].append(taken)
    jobs = Job.live.filter(closed_at=None).select_related("person")
    return [OnBench(job, steps[job.pk], taken_in[job.pk]) for job in jobs]


def coming(standings: Iterable[Standing], today: date, more: Load | None = None) -> list[Day]:
    """The week with all open jobs in it, and one that is about to be promised."""
    loads = [
        Load(
            str(one.job.pk),
            one.minutes,
            timezone.localdate(one.ready_at)
            if one.ready_at
            else today + timedelta(days=2 if one.waits else 0),
            one.job.due,
        )
        for one in standings
        if one.minutes > 0
    ]
    return week([*loads, *([more] if more else [])], Settings.load().day_minutes, today)


def whole_job(frames: int, per_frame: Mapping[str, float]) -> float:
    """Minutes that a whole job of so many frames takes."""
    return sum(per_frame.values()) * max(frames, 1)


def price(job: Job, per_frame: Mapping[str, float]) -> dict[str, float | None]:
    """By the workshop's own rates: time (as it took, else as it usually takes), frames, material;
    and what is left of the agreed price, or of that, after a deposit of money."""
    settings = Settings.load()
    frames = len(sound(job)) or 1
    minutes = sum(
        step.minutes if step.minutes is not None else per_frame[step.kind] * frames
        for step in job.steps.all()
        if step.status != "skipped"
    )
    exact = {
        "time": minutes / 60 * settings.rate_hour,
        "frames": frames * settings.rate_frame,
        "material": _material(job) * settings.rate_material,
    }
    # As they are shown, so that they add up to the sum beside them.
    found = {name: round(amount, 2) for name, amount in exact.items()}
    by_rates = sum(found.values())
    left = back = None
    if (deposit := amount_of(job.deposit, settings.currency)) is not None:
        left = round((by_rates if job.price is None else float(job.price)) - float(deposit), 2)
        left, back = (left, None) if left >= 0 else (None, -left)
    return found | {"all": by_rates, "left": left, "back": back}


def _material(job: Job) -> float:
    """What the plans of the job took off the shelf, or will, at the price of the packs: of a frame
    the one that is on it, else the newest that puts anything on."""
    per_gram = {
        one.name: one.price_per_g or 0.0 for one in Material.objects.prefetch_related("weighings")
    }
    total = 0.0
    for one in sound(job):
        plans = plans_of(job, one.frame)
        on = (plan.sheet.pieces for plan in plans if hasattr(plan, "sheet") and plan.sheet.is_on)
        laid = (plan.part("pieces") for plan in plans)
        for piece in next(filter(None, (*on, *laid)), ()):
            if piece["mass_g"] > 0:
                total += piece["mass_g"] * per_gram.get(piece.get("material") or "", 0.0)
    return total
