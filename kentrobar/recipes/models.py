"""Wishes and sets with what was found for them, the marks of balls on faces, and the workshop's settings.

What is asked is kept as it was put together (``content``); what was found is one open document (``answer``).
How far a search has come is kept here too, so that any process can show it, and any can stop it.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from django.urls import reverse
from django.utils import timezone

from kentrobar.core import feel
from kentrobar.core.feel import Noticed
from kentrobar.core.recipe import kit
from kentrobar.core.recipe.brief import Weights
from kentrobar.frames.models import Frame

SILENT = timedelta(seconds=45)
"""A search that gave no sign for so long has died with its process."""


class Search(models.Model):
    """Something that is searched for: what is asked, how far the search is, what was found."""

    class Status(models.TextChoices):
        IDLE = "idle", "not asked yet"
        WORKING = "working", "searching"
        DONE = "done", "done"
        STOPPED = "stopped", "stopped"
        FAILED = "failed", "failed"

    content = models.JSONField(default=dict, blank=True)
    answer = models.JSONField(default=dict, blank=True)
    status = models.CharField(max_length=8, choices=Status, default=Status.IDLE)
    progress = models.CharField(max_length=1000, blank=True)
    run = models.PositiveIntegerField(default=0, help_text="rises with every search; older ones end")
    took_s = models.FloatField(null=True, blank=True)
    seen_at = models.DateTimeField(default=timezone.now, help_text="last sign of the search at work")
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        abstract = True

    @property
    def is_working(self) -> bool:
        return self.status == self.Status.WORKING and not self.is_lost

    @property
    def is_lost(self) -> bool:
        return self.status == self.Status.WORKING and timezone.now() - self.seen_at > SILENT


class Wish(Search):
    """What one person wants of one frame; see ``asked.Asked``."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="wishes")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="wishes")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["frame", "user"], name="one_wish_a_frame_and_person")]
        verbose_name_plural = "wishes"

    def __str__(self) -> str:
        return f"{self.frame}, {self.user}"

    def get_absolute_url(self) -> str:
        return reverse("recipes", args=[self.frame_id])


class Match(Search):
    """Frames that should play alike; see ``sets.AskedSet``."""

    name = models.CharField(max_length=80)
    frames = models.ManyToManyField(Frame, related_name="matches")
    deleted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-changed_at", "-pk"]
        verbose_name_plural = "matches"

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("match", args=[self.pk])


class Limits(models.Model):
    """What a frame itself allows at its sites: the longest strips, stretches to keep free, a handle filled
    with foam; see ``asked.Limited``. It holds for every wish and every set the frame is in."""

    frame = models.OneToOneField(Frame, on_delete=models.CASCADE, related_name="limits", primary_key=True)
    content = models.JSONField(default=dict, blank=True)
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        verbose_name_plural = "limits"

    def __str__(self) -> str:
        return f"limits of {self.frame}"


class Wear(models.Model):
    """Where balls wear the face of a frame: marks as [x, y] in mm."""

    frame = models.OneToOneField(Frame, on_delete=models.CASCADE, related_name="wear", primary_key=True)
    marks = models.JSONField(default=list, blank=True)
    cleared = models.JSONField(default=list, blank=True, help_text="what the last clearing took away")
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        verbose_name_plural = "wear"

    def __str__(self) -> str:
        return f"{self.frame}: {len(self.marks)} marks"


def _setting(label: str, usual: float, highest: float, help_text: str = "", lowest: float = 0.0) -> Any:
    return models.FloatField(
        label, default=usual, help_text=help_text,
        validators=[MinValueValidator(lowest), MaxValueValidator(highest)],
    )  # fmt: skip


_W, _N = Weights(), Noticed()


class Workshop(models.Model):
    """The workshop's settings: one row."""

    tolerance = _setting("one tolerance overrun by 2 mm of the hand", _W.tolerance, 1000)
    unsure = _setting("one tolerance overrun by reading as well", _W.unsure, 1000)
    piece = _setting("one piece", _W.piece, 100)
    seen = _setting("one gram that is seen", _W.seen, 100)
    price = _setting("one unit of price", _W.price, 100)
    toxic = _setting("one gram of lead", _W.toxic, 100)
    part = _setting("one part taken off", _W.part, 100)
    cut_step_mm = _setting("cutting step, mm", kit.CUT_STEP_MM, 50, lowest=1.0)
    least_cut_mm = _setting("shortest cut, mm", kit.LEAST_CUT_MM, 100)
    max_layers = models.PositiveSmallIntegerField(
        "layers of tape, at most", default=2, validators=[MinValueValidator(1), MaxValueValidator(6)]
    )
    few = _setting("most would not notice less than, kg·cm²", _N.few, 100)
    serious = _setting("serious players notice, kg·cm²", _N.serious, 100)
    bounce_racket = _setting("bounce of a ball on strings held fast", feel.BOUNCE["racket"], 0.99, lowest=0.3)
    bounce_paddle = _setting(
        "bounce of a ball on a paddle held fast", feel.BOUNCE["paddle"], 0.99, lowest=0.3
    )

    rate_hour = _setting("an hour of work costs", 40.0, 10_000)
    rate_frame = _setting("a frame taken in costs", 5.0, 10_000)
    rate_material = _setting("material costs, times its price", 1.5, 20)
    day_minutes = _setting("minutes of work a day", 240.0, 1440)

    class Meta:
        verbose_name_plural = "workshop"
        constraints = [models.CheckConstraint(condition=Q(pk=1), name="one_workshop")]

    def __str__(self) -> str:
        return "Workshop settings"

    @classmethod
    def load(cls) -> Workshop:
        return cls.objects.filter(pk=1).first() or cls(pk=1)

    def weights(self) -> Weights:
        return Weights(
            tolerance=self.tolerance, unsure=self.unsure, piece=self.piece, seen=self.seen, price=self.price,
            toxic=self.toxic, part=self.part,
        )  # fmt: skip

    def noticed(self) -> Noticed:
        return Noticed(self.few, self.serious)

    def bounce(self, kind: str) -> float:
        return self.bounce_racket if kind == "racket" else self.bounce_paddle
