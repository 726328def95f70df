"""The counter's form: who, their words, until when, and the frames they brought."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from django import forms
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.bench.schedule import Load
from kentrobar.core.errors import UnreadableError
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.frames.models import Frame, Person
from kentrobar.ui.forms import with_commas
from kentrobar.ui.moments import promised_for
from kentrobar.ui.reading import LANGUAGES
from kentrobar.ui.request import Request

from . import photos, progress
from .advance import go_on
from .counter_rows import FrameRow, Rows
from .models import Job, JobStep, Photo, TakenIn

MOST_FRAMES = 40
"""In one job."""
ABOUT = ("phone", "email", "hand", "level", "style", "language")
"""What the counter may learn of a person; a box left empty changes nothing."""


@dataclass(slots=True)
class Arrival:
    """A frame that is known here, ticked: how it arrived, why it is refused, and its photos."""

    frame: Frame
    arrived: str = ""
    refused: str = ""
    photos: list[Photo] = field(default_factory=list)

    @property
    def photo_keys(self) -> str:
        return ",".join(str(one.pk) for one in self.photos)


UNTOLD = ("", "–")
"""Beside what is known of a person, which it leaves as it is."""


class JobForm(forms.ModelForm):
    """Checking in, or changing what was checked in."""

    who = forms.CharField(
        label="who", max_length=60, error_messages={"required": "Whose is it? Write a name."}
    )
    phone = forms.CharField(label="phone", max_length=40, required=False)
    email = forms.EmailField(label="e-mail", max_length=120, required=False)
    hand = forms.ChoiceField(label="plays", required=False, choices=[UNTOLD, *Person.Hand.choices])
    level = forms.ChoiceField(
        label="level", required=False, choices=[UNTOLD, *Person.Level.choices]
    )
    style = forms.ChoiceField(
        label="playing style", required=False, choices=[UNTOLD, *Person.Style.choices]
    )
    language = forms.ChoiceField(
        label="language", required=False, choices=[("", "the shop’s language"), *LANGUAGES]
    )
    words = forms.MultipleChoiceField(
        label="they say", required=False, widget=forms.CheckboxSelectMultiple,
        choices=[(key, wish.says) for key, wish in WISHES.items()],
    )  # fmt: skip
    over_full = forms.BooleanField(label="promise it all the same", required=False)

    class Meta:
        model = Job
        fields = ("words", "said", "due", "deposit", "price")
        labels = {
            "said": "in their words",
            "due": "promised for",
            "price": "price agreed",
            "deposit": "deposit",
        }
        widgets = {"due": forms.DateInput(format="%Y-%m-%d", attrs={"type": "date"})}

    def __init__(self, data: Any = None, **kwargs: Any) -> None:
        super().__init__(data, **{"auto_id": "j-%s"} | kwargs)
        with_commas(self)
        self.fields["who"].widget.attrs |= {"autocomplete": "off"}
        self.fields["said"].widget.attrs |= {
            "placeholder": "twists in my hand on returns, 2 points less head-light",
            "autocomplete": "off",
            "hx-get": reverse("job-heard"),
            "hx-trigger": "input changed delay:400ms, change",
            "hx-target": "#job-heard",
            "hx-include": "[name=frame], [name$='-like']",
        }
        self.asks_over = False
        self.frames: list[Arrival] = []
        self.rows: Rows | None = None
        self.ticked = 0

    def with_frames(self, frames: list[Arrival], rows: Rows, ticked: int = 0) -> None:
        """The frames that are checked in, known ones and new ones, and how many were ticked; before
        ``is_valid``."""
        self.frames, self.rows, self.ticked = frames, rows, ticked

    def clean_due(self) -> date:
        due: date = self.cleaned_data["due"]
        if self.instance.pk and due == self.initial.get("due"):
            return due
        today = timezone.localdate()
        promised_for(due)
        if due < today:
            raise forms.ValidationError("That day is past.", "past")
        if due > today + timedelta(days=366):
            raise forms.ValidationError("More than a year ahead: is the year right?", "far")
        return due

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if not (cleaned.get("said") or cleaned.get("words") or "said" in self.errors):
            fault = "What do they want? Tick their words below, or write them."
            self.add_error("said", forms.ValidationError(fault, "nothing-said"))
        new = self.rows.written if self.rows else []
        if not self.frames and not new:
            fault = "Which frames? Tick those that are known here, or write new ones below."
            self.add_error(None, forms.ValidationError(fault, "no-frame"))
        if max(len(self.frames), self.ticked) + len(new) > MOST_FRAMES:
            fault = f"A job holds {MOST_FRAMES} frames at most: make two of it."
            self.add_error(None, forms.ValidationError(fault, "too-many"))
        due = cleaned.get("due")
        if due and (self.frames or new) and not cleaned.get("over_full"):
            self._ask_about_load(due, new)
        return cleaned

    def _ask_about_load(self, due: date, new: list[FrameRow]) -> None:
        if self.instance.pk and due == self.initial.get("due"):
            return
        per_frame = progress.usual()
        count = sum(not one.refused for one in self.frames)
        count += sum(not row["refused"].value() for row in new)
        others = [one for one in progress.open_jobs() if one.job.pk != self.instance.pk]
        today = timezone.localdate()
        load = Load("new", progress.whole_job(count, per_frame), today, due)
        days = progress.coming(progress.standings(others, per_frame), today, load)
        full = next((day for day in days if day.is_over), None)
        if full:
            self.asks_over = True
            words = f"{full.day:%A %-d %b} would be over-full by {full.over:.0f} minutes"
            fault = f"{words}: promise a later day, or tick below."
            self.add_error("due", forms.ValidationError(fault, "over-full"))

    def save_job(self, user: Any) -> Job:
        """Person, job, frames, figures and photos, all or none."""
        assert self.rows is not None
        with transaction.atomic():
            person = _person(self.cleaned_data)
            job: Job = self.save(commit=False)
            is_new = job.pk is None
            job.person = person
            if is_new:
                job.taken_in_by = user
            job.save()
            new = [self._new(row, person, user) for row in self.rows.written]
            arrivals = [*self.frames, *new]
            kept = [one.frame.pk for one in arrivals]
            job.taken_in.exclude(frame__in=kept).delete()
            for one in arrivals:
                told = {"arrived": one.arrived, "refused": one.refused}
                taken, _ = TakenIn.objects.update_or_create(job=job, frame=one.frame, defaults=told)
                Photo.objects.filter(pk__in=[p.pk for p in one.photos]).update(taken_in=taken)
                if one.frame.player_id is None:
                    Frame.objects.filter(pk=one.frame.pk).update(player=person)
            if is_new:
                _begin(job, user)
            go_on(job, user)
        return job

    def _new(self, row: FrameRow, person: Person, user: Any) -> Arrival:
        told = row.cleaned_data
        return Arrival(
            row.save(person, user), told["arrived"], told["refused"],
            photos.waiting(row.photo_keys, user),
        )  # fmt: skip


def _person(cleaned: dict[str, Any]) -> Person:
    """Whoever is called that, however it is capitalized; what was learnt of them written down."""
    name = " ".join(cleaned["who"].split())
    person = Person.objects.filter(name__iexact=name).first() or Person(name=name)
    for about in ABOUT:
        if cleaned[about]:
            setattr(person, about, cleaned[about])
    person.save()
    return person


def _begin(job: Job, user: Any) -> None:
    now = timezone.now()
    JobStep.objects.bulk_create(
        JobStep(
            job=job, kind=kind, status="done" if kind == "take-in" else "open",
            done_at=now if kind == "take-in" else None,
            done_by=user if kind == "take-in" else None,
        )
        for kind in JobStep.Kind.values
    )  # fmt: skip


def posted_arrivals(request: Request) -> list[Arrival]:
    """The ticked frames, each with how it arrived, why it is refused, and its photos."""
    keys = [int(pk) for pk in request.POST.getlist("frame") if pk.isdecimal() and len(pk) < 10]
    return [
        Arrival(
            frame,
            _line(request, f"arrived-{frame.pk}"),
            _line(request, f"refused-{frame.pk}"),
            photos.waiting(_line(request, f"photos-{frame.pk}").split(","), request.user),
        )
        for frame in Frame.live.filter(pk__in=keys)
    ]


def keep_photos(request: Request, data: Any) -> list[str]:
    """Keep what was photographed at once, so that a form refused for something else does not lose
    it; its keys go into the boxes of ``data`` beside the file boxes. What cannot be kept is said.
    """
    faults = []
    for name in request.FILES:
        if not name.endswith("photo") and not name.startswith("photo-"):
            continue
        box = f"{name}s" if name.endswith("photo") else name.replace("photo-", "photos-", 1)
        keys = [key for key in data.get(box, "").split(",") if key]
        for file in request.FILES.getlist(name)[:6]:
            try:
                keys.append(str(photos.keep(file, request.user).pk))
            except UnreadableError as error:
                faults.append(str(error))
        data[box] = ",".join(keys)
    return faults


def _line(request: Request, name: str) -> str:
    return request.POST.get(name, "").strip()[:200].replace("\0", "")
