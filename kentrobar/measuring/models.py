"""Instruments and what is known of them: their checks, and which readings were taken with which.

Drafts keep a measurement somebody has begun, so that a closed page loses nothing.
"""

from __future__ import annotations

import gzip
import math
from collections.abc import Iterable
from datetime import datetime, timedelta

from django.conf import settings
from django.core.validators import RegexValidator
from django.db import models
from django.db.models import F, Q, Sum
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.measure.method import Kit
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.measure.sample import GUESSED_DOF, NEVER_CHECKED, error_at, sample, wander_u
from kentrobar.core.numbers import Number, WithU, nominal, number, uncertainty
from kentrobar.core.reader import digits
from kentrobar.frames.models import Frame, Reading
from kentrobar.ui.models import Work
from kentrobar.ui.undo import Present, Removable


class InstrumentChoice(models.TextChoices):
    SCALE = "scale", "scale"
    BOARD = "board", "balance board"
    TAPE = "tape", "tape or ruler"
    MACHINE = "machine", "swing-weight machine"
    TIMER = "timer", "light gate"


PRINTED = RegexValidator(r"^[ -~]*\Z", "Plain letters, digits and signs only, on one line.")
"""What is sent to an instrument is one word on one line."""
USES_BETWEEN_CHECKS = 200
"""Number of readings that wears an instrument as much as the days between two checks."""
DAY = timedelta(days=1)
UNITS = {"scale": "g", "board": "mm", "tape": "mm", "machine": "kg·cm²", "timer": "s"}


class Instrument(Removable):
    """What readings are taken with. Sizes are in the unit of its kind: g, mm, kg·cm² or s."""

    name = models.CharField(max_length=60, unique=True)
    kind = models.CharField(max_length=8, choices=InstrumentChoice)
    resolution = models.FloatField(help_text="the last step of its display")
    axis_mm = models.FloatField(
        null=True, blank=True, help_text="a machine's swing axis, from the butt"
    )
    offset_mm = models.FloatField(
        null=True, blank=True, help_text="a board's zero, from the butt stop"
    )
    offset_u_mm = models.FloatField(default=0.5)
    drift_band = models.FloatField(help_text="how far it may read off its reference")
    check_days = models.PositiveSmallIntegerField(default=30, help_text="how often it is checked")
    port = models.CharField(max_length=120, blank=True, help_text="its line, as pyserial names it")
    baud = models.PositiveIntegerField(default=9600)
    talk = models.CharField(
        max_length=10,
        default="sends",
        choices=[("sends", "sends by itself"), ("asked", "answers when asked")],
    )
    ask = models.CharField(
        max_length=12, default="?", blank=True, help_text="what it is asked with",
        validators=[PRINTED],
    )  # fmt: skip
    tare = models.CharField(
        max_length=12, default="0", blank=True, help_text="what sets it to zero",
        validators=[PRINTED],
    )  # fmt: skip
    created_at = models.DateTimeField(default=timezone.now)

    removed_word = "Archived"
    objects = models.Manager()
    live = Present()

    class Meta:
        ordering = ["kind", "name"]
        constraints = [
            models.CheckConstraint(
                condition=Q(resolution__gte=0, drift_band__gt=0), name="instrument_sizes"
            ),
            models.CheckConstraint(
                condition=~Q(kind="machine") | Q(axis_mm__isnull=False, axis_mm__gte=0),
                name="a_machine_has_its_axis",
            ),
            models.CheckConstraint(
                condition=~Q(kind="board") | Q(offset_mm__isnull=False), name="a_board_has_its_zero"
            ),
        ]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("instrument", args=[self.pk])

    @property
    def unit(self) -> str:
        return UNITS[self.kind]

    def last_check(self) -> Check | None:
        return self.checks.first()

    def kit(self, near: float | None = None) -> Kit:
        """What the core must know of it to compute with what it reads, about ``near``."""
        drift, own = self.drift(near=near), self.own_scatter()
        return Kit(
            self.resolution, own[0] if own else None, (drift.value, drift.u),
            own[1] if own else GUESSED_DOF,
        )  # fmt: skip

    def drift(self, now: datetime | None = None, near: float | None = None) -> WithU:
        """What it reads too much, by its last check: as sure as the check was, and as what it may
        have wandered since. ``near`` a value by the line through that check and one of the same day
        with a reference that is much lighter or heavier."""
        last = self.last_check()
        if last is None:
            return WithU(value=0.0, u=wander_u(self.drift_band, NEVER_CHECKED))
        age = (now or timezone.now()) - last.checked_at
        uses = self.uses.filter(reading__read_at__gt=last.checked_at).count()
        share = max(age / timedelta(days=max(self.check_days, 1)), uses / USES_BETWEEN_CHECKS)
        off = WithU(value=last.drift, u=last.u)
        if near is not None:
            same_day = [one for one in self.checks.all() if last.checked_at - one.checked_at < DAY]
            lines = (error_at(near, last.found, one.found) for one in same_day if one != last)
            if line := next((one for one in lines if one is not None), None):
                off = WithU(value=nominal(line), u=uncertainty(line) or 0.0)
        return WithU(value=off.value, u=math.hypot(off.u, wander_u(self.drift_band, share)))

    def zero_u(self) -> float:
        """How well a board's zero is known, mm, with what it may have wandered."""
        return math.hypot(self.offset_u_mm, self.drift().u)

    def own_scatter(self) -> tuple[float, float] | None:
        """(standard deviation of one reading, its degrees of freedom), pooled over its own repeated
        readings (Σ(n−1)s²/Σ(n−1)); None before there are five to judge by."""
        sums = self.uses.filter(freedom__gt=0).aggregate(
            squares=Sum(F("freedom") * F("spread") * F("spread")), freedom=Sum("freedom")
        )
        freedom = float(sums["freedom"] or 0)
        return (math.sqrt(sums["squares"] / freedom), freedom) if freedom >= 5 else None

    def repeatability(self) -> float | None:
        own = self.own_scatter()
        return own[0] if own else None

    def single(self, shown: float, is_small: bool = False) -> Number:
        """What one figure on the display of a scale or a machine comes to, with what display and
        scatter leave open. Its last check's drift is taken off, but not of something ``is_small``,
        laid on after setting to zero."""
        own, usual = self.own_scatter(), METHODS[self.kind].usual_kit
        scatter, freedom = own or (usual.repeatability, usual.freedom)
        read = sample([shown], self.resolution, scatter, freedom=freedom).result()
        return read if is_small else read - number(self.drift(near=shown), "drift")

    def troubles(self, now: datetime | None = None) -> list[str]:
        """What must be said at each reading taken with it."""
        moment = now or timezone.now()
        # Read from what may be prefetched already.
        last = next((check for check in self.checks.all() if check.checked_at <= moment), None)
        if last is None:
            return [f"{self.name} is not calibrated yet."]
        last.instrument = self
        found = []
        age = moment - last.checked_at
        if age > timedelta(days=self.check_days):
            found.append(
                f"{self.name} was last checked {age.days} days ago; every {self.check_days} days is"
                " its rule."
            )
        if not last.is_level:
            found.append(
                f"{self.name} read {digits(last.drift, 3, signed=True)} {self.unit} off its"
                f" reference at its last check; {digits(self.drift_band)} {self.unit} is allowed."
            )
        return found


def usual_order(instruments: Iterable[Instrument]) -> list[Instrument]:
    """What a hand reaches for first: what sends by itself, then what answers, then the finest
    display."""
    return sorted(
        instruments, key=lambda one: (not one.port, one.talk != "sends", one.resolution, one.pk)
    )


class Check(models.Model):
    """A reference put on an instrument: what it should have read, and what it did."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="checks")
    reference = models.CharField(max_length=60)
    expected = models.FloatField()
    expected_u = models.FloatField(default=0.0)
    read = models.FloatField()
    read_u = models.FloatField(default=0.0)
    raw = models.JSONField(
        default=dict, blank=True, help_text="readings, and the bar they are held against"
    )
    checked_at = models.DateTimeField(default=timezone.now)
    checked_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL
    )

    class Meta:
        ordering = ["-checked_at", "-pk"]
        indexes = [
            models.Index(fields=["instrument", "-checked_at"], name="checks_of_an_instrument")
        ]

    def __str__(self) -> str:
        return f"{self.instrument}, {self.reference}: {digits(self.drift, 3, signed=True)}"

    @property
    def drift(self) -> float:
        return self.read - self.expected

    @property
    def u(self) -> float:
        return math.hypot(self.expected_u, self.read_u)

    @property
    def found(self) -> tuple[float, float, float]:
        """What it should have read, what it read too much, one standard uncertainty of that."""
        return self.expected, self.drift, self.u

    @property
    def is_level(self) -> bool:
        return abs(self.drift) <= self.instrument.drift_band + 1e-9


class Use(models.Model):
    """Which instrument a reading was taken with, and how its repeats spread."""

    reading = models.OneToOneField(Reading, on_delete=models.CASCADE, related_name="use")
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="uses")
    freedom = models.PositiveSmallIntegerField(default=0, help_text="repeats less one")
    spread = models.FloatField(default=0.0, help_text="standard deviation of the repeats")

    class Meta:
        indexes = [models.Index(fields=["instrument", "freedom"], name="repeats_of_an_instrument")]

    def __str__(self) -> str:
        return f"{self.reading} with {self.instrument}"


class Recording(models.Model):
    """A motion recording as it was uploaded, kept with the reading it gave."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="recordings")
    reading = models.OneToOneField(
        Reading, null=True, blank=True, on_delete=models.SET_NULL, related_name="recording"
    )
    name = models.CharField(max_length=120)
    packed = models.BinaryField(help_text="the file, gzipped")
    found = models.JSONField(default=dict, help_text="the swing found in it, with its plot")
    strip = models.BinaryField(
        null=True, help_text="of a film: a few of its pictures side by side, as JPEG"
    )
    film = models.CharField(
        max_length=40, blank=True, help_text="the film itself, where it was to be kept"
    )
    uploaded_at = models.DateTimeField(default=timezone.now)
    uploaded_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL
    )

    def __str__(self) -> str:
        return self.name

    def text(self) -> str:
        return gzip.decompress(self.packed).decode("utf-8", errors="replace")


class Film(Work):
    """A film one person hands in of a frame that swings, and how far it is looked through; or what
    a camera sees just now."""

    is_beside = True

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="films")
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="films"
    )

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["frame", "user"], name="one_film_a_frame_and_person")
        ]

    def __str__(self) -> str:
        return f"{self.frame}, {self.user}"


class FilmPart(models.Model):
    """A second or so of small grey pictures from a camera, until they come to a swing."""

    is_beside = True

    film = models.ForeignKey(Film, on_delete=models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField()
    pictures = models.BinaryField(help_text="as the page sends them, see films_live.py")
    came_at = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["film", "number"], name="each_part_of_a_film_once")
        ]

    def __str__(self) -> str:
        return f"{self.film}: {self.number}"


class Draft(models.Model):
    """What somebody has written into a measuring form and not yet kept."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="drafts")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    method = models.CharField(max_length=14)
    entry = models.JSONField(default=dict)
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["frame", "user", "method"], name="one_draft_a_method")
        ]

    def __str__(self) -> str:
        return f"{self.method} of {self.frame}"
