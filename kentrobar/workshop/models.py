"""The work on a plan: the bench sheet followed step by step, trials of it, and where a frame's grommets are."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.documents import parse_piece
from kentrobar.core.pieces import Piece
from kentrobar.frames.models import Frame
from kentrobar.planning.models import Plan


def _by() -> Any:
    return models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL, related_name="+"
    )


class Sheet(models.Model):
    """The bench sheet of a plan: the pieces it was drawn up for, what is ticked off, when it was signed off.

    Signed off, its pieces are on the frame, until they are taken off again.
    """

    plan = models.OneToOneField(Plan, on_delete=models.CASCADE, related_name="sheet")
    pieces = models.JSONField(default=list)
    ticks = models.JSONField(default=dict, blank=True, help_text="key of a step: when it was done")
    made_at = models.DateTimeField(default=timezone.now)
    waits_until = models.DateTimeField(null=True, blank=True)
    signed_off_at = models.DateTimeField(null=True, blank=True)
    signed_off_by = _by()
    taken_off_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"sheet of {self.plan}"

    def get_absolute_url(self) -> str:
        return reverse("sheet", args=[self.plan_id])

    @property
    def is_on(self) -> bool:
        return self.signed_off_at is not None and self.taken_off_at is None

    def core_pieces(self) -> tuple[Piece, ...]:
        return tuple(parse_piece(piece) for piece in self.pieces)


class Grommets(models.Model):
    """Where a frame's grommet holes are: arcs along the edge from the tip's centre, of one side, in mm."""

    frame = models.OneToOneField(Frame, on_delete=models.CASCADE, related_name="grommets", primary_key=True)
    arcs_mm = models.JSONField(default=list)

    class Meta:
        verbose_name_plural = "grommets"

    def __str__(self) -> str:
        return f"{self.frame}: {len(self.arcs_mm)} grommets a side"


class Trial(models.Model):
    """A loose fitting of a plan: what was really put on, and what was read then.

    ``put_on`` are pieces as weighed, with their backing and holding tape; ``read`` are figures in the core's units,
    each [value, one standard uncertainty or null].
    """

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="trials")
    put_on = models.JSONField(help_text="[{piece, u_g, backing, holding_g}]")
    read = models.JSONField(default=dict)
    axis_mm = models.FloatField()
    note = models.CharField(max_length=200, blank=True)
    made_at = models.DateTimeField(default=timezone.now)
    made_by = _by()
    accepted_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-pk"]

    def __str__(self) -> str:
        return f"trial of {self.plan}, {self.made_at:%-d %b %H:%M}"
