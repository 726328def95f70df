"""Wishes and sets with what was found for them, and the marks of balls on faces.

What is asked is kept as it was put together (``content``); what was found is one open document
(``answer``). How far a search has come is kept here too, so that any process can show it, and any
can stop it.
"""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.urls import reverse
from django.utils import timezone

from kentrobar.frames.models import Frame
from kentrobar.ui.models import Work
from kentrobar.ui.undo import Present, Removable

from .kept import KeptAnswer, KeptMatch


class Wish(Work):
    """What one person wants of one frame; see ``asked.Asked``."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="wishes")
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="wishes"
    )

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["frame", "user"], name="one_wish_a_frame_and_person")
        ]
        verbose_name_plural = "wishes"

    def __str__(self) -> str:
        return f"{self.frame}, {self.user}"

    def get_absolute_url(self) -> str:
        return reverse("recipes", args=[self.frame_id])

    @property
    def found(self) -> KeptAnswer | None:
        """What the last search came to, or has come to so far."""
        return KeptAnswer.read(self.answer)


class Match(Work, Removable):
    """Frames that should play alike; see ``sets.AskedSet``."""

    name = models.CharField(max_length=80)
    frames = models.ManyToManyField(Frame, related_name="matches")

    class Meta:
        ordering = ["-changed_at", "-pk"]
        verbose_name_plural = "matches"

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("set", args=[self.pk])

    def at_hand(self) -> list[Frame]:
        """Its frames, without those that were removed."""
        return list(self.frames.filter(removed_at=None))

    @property
    def found(self) -> KeptMatch | None:
        """What the last search came to."""
        return KeptMatch.read(self.answer)


class Place(Removable):
    """A place on frames of a kind by the shop's own name, kept as it was said; see
    ``core.io.places``."""

    kind = models.CharField(max_length=20)
    name = models.CharField(max_length=40)
    said = models.CharField(max_length=60)

    objects = models.Manager()
    live = Present()

    class Meta:
        ordering = ["kind", "name"]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("places")


class Limits(models.Model):
    """What a frame itself allows at its sites: the longest strips, stretches to keep free, only
    what nobody sees, the bumper left on; see ``limited.Limited``. It holds for every wish and every
    set the frame is in."""

    frame = models.OneToOneField(
        Frame, on_delete=models.CASCADE, related_name="limits", primary_key=True
    )
    content = models.JSONField(default=dict, blank=True)
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        verbose_name_plural = "limits"

    def __str__(self) -> str:
        return f"limits of {self.frame}"


class Wear(models.Model):
    """Where balls wear the face of a frame: marks as [x, y] in mm."""

    frame = models.OneToOneField(
        Frame, on_delete=models.CASCADE, related_name="wear", primary_key=True
    )
    marks = models.JSONField(default=list, blank=True)
    cleared = models.JSONField(
        default=list, blank=True, help_text="what the last clearing took away"
    )
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        verbose_name_plural = "wear"

    def __str__(self) -> str:
        return f"{self.frame}: {len(self.marks)} marks"
