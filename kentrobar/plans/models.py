"""Plans and their steps back and forward. A plan's whole state is one document; so is each step."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.frame.predict import LadenFrame
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.frames.models import Frame
from kentrobar.ui.looking import cached_per_request
from kentrobar.ui.search import by_letters, just_so
from kentrobar.ui.undo import Present, Removable

from .state import PlanState


class LivePlans(Present):
    """Plans that were not deleted, on frames that were not."""

    def get_queryset(self) -> models.QuerySet[Plan]:
        return super().get_queryset().filter(frame__removed_at=None)


class Plan(Removable):
    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="plans")
    name = models.CharField(max_length=80)
    content = models.JSONField(help_text="the state of the bench, see state.py")
    version = models.PositiveIntegerField(
        default=1, help_text="rises with every change, undo included"
    )
    position = models.PositiveIntegerField(
        default=0, help_text="number of the step the content stands at"
    )
    newest = models.PositiveIntegerField(
        default=0, help_text="number of the newest step; redo ends here"
    )
    created_at = models.DateTimeField(default=timezone.now)
    changed_at = models.DateTimeField(default=timezone.now)

    objects = models.Manager()
    live = LivePlans()

    stands_alike = False
    """Whether the change being saved moved pieces and nothing else (``desk.change``)."""

    class Meta:
        ordering = ["-changed_at", "-pk"]
        indexes = [
            models.Index(fields=["-changed_at", "-id"], name="plans_by_change"),
            models.Index(
                fields=["removed_at"], condition=Q(removed_at__isnull=False), name="plans_removed"
            ),
            # Counted without their contents, which are large.
            models.Index(fields=["frame"], condition=Q(removed_at=None), name="plans_at_hand"),
            by_letters("name", "plans_by_letters"),
            just_so("name", "plans_by_name_just_so"),
        ]
        constraints = [
            models.CheckConstraint(
                condition=Q(position__lte=models.F("newest")), name="plan_stands_at_a_step"
            )
        ]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("plan", args=[self.pk])

    @property
    def can_be_restored(self) -> bool:
        return self.frame.removed_at is None

    def part(self, name: str) -> Any:
        """A part of the content; None where it is of no known form, as an older version may have
        left it."""
        return self.content.get(name) if isinstance(self.content, dict) else None

    def state(self) -> PlanState:
        return PlanState.parse(self.content)

    def to_plan(self, rolls: Mapping[str, PerLength] | None = None) -> LadenFrame:
        """For the core and the open document, with what is known of its tapes."""
        return self.state().to_plan(self.frame.outline(), rolls)


NEWEST = 13


@cached_per_request
def newest_of(frame: Frame) -> list[Plan]:
    """The newest plans of a frame, at most NEWEST."""
    plans = list(Plan.live.filter(frame=frame)[:NEWEST])
    for plan in plans:
        plan.frame = frame
    return plans


class Step(models.Model):
    """The content a plan had after one change. Undo and redo walk along these."""

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    content = models.JSONField()
    label = models.CharField(max_length=120)
    gesture = models.CharField(
        max_length=60, blank=True, help_text="what one undo takes back together"
    )
    made_at = models.DateTimeField(default=timezone.now)
    made_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL
    )

    class Meta:
        ordering = ["number"]
        constraints = [
            models.UniqueConstraint(fields=["plan", "number"], name="step_number_once_a_plan")
        ]

    def __str__(self) -> str:
        return f"{self.plan} {self.number}: {self.label}"
