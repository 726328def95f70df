"""Frames people play with, and what was read from them.

A frame keeps its outline as tape-measured; a reading is one figure, read once, in one condition.
Nothing is computed here: ``outline()`` and ``figures()`` hand facts to the core.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.given import ufloat
from kentrobar.core.outline import Outline, Paddle, Racket
from kentrobar.core.predict import Measured
from kentrobar.core.units import nominal, uncertainty

DIMENSIONS = {
    "racket": (
        "length_mm",
        "width_mm",
        "widest_mm",
        "hoop_base_mm",
        "rim_mm",
        "beam_mm",
        "handle_length_mm",
        "handle_radius_mm",
    ),
    "paddle": (
        "length_mm",
        "width_mm",
        "handle_mm",
        "corner_top_mm",
        "corner_bottom_mm",
        "rim_mm",
        "beam_mm",
        "handle_radius_mm",
    ),
}


class Condition(models.TextChoices):
    """What was on the frame when it was read."""

    BARE = "bare", "bare"
    STRUNG = "strung", "strung"
    AS_PLAYED = "as-played", "as played"


class LiveFrames(models.Manager["Frame"]):
    """Frames that were not deleted; a deleted one waits for its undo."""

    def get_queryset(self) -> models.QuerySet[Frame]:
        return super().get_queryset().filter(deleted_at=None)


def _dimension() -> models.FloatField:
    return models.FloatField(null=True, blank=True)


class Frame(models.Model):
    kind = models.CharField(max_length=6, choices=[("racket", "racket"), ("paddle", "paddle")])
    maker = models.CharField(max_length=60, blank=True)
    model = models.CharField(max_length=60)
    serial = models.CharField("serial or mark", max_length=40, blank=True)
    owner = models.CharField("who plays it", max_length=60, blank=True)
    note = models.CharField("what is wanted", max_length=200, blank=True)
    length_mm = models.FloatField()
    width_mm = models.FloatField()
    rim_mm = models.FloatField()
    beam_mm = models.FloatField()
    handle_radius_mm = models.FloatField()
    widest_mm = _dimension()
    hoop_base_mm = _dimension()
    handle_length_mm = _dimension()
    handle_mm = _dimension()
    corner_top_mm = _dimension()
    corner_bottom_mm = _dimension()
    typed = models.JSONField(default=dict, blank=True, help_text="dimensions as they were written")
    created_at = models.DateTimeField(default=timezone.now)
    deleted_at = models.DateTimeField(null=True, blank=True)

    objects = models.Manager()
    live = LiveFrames()

    class Meta:
        ordering = ["model", "serial", "pk"]
        indexes = [models.Index(fields=["model", "serial", "id"], name="frames_by_model")]
        constraints = [
            models.CheckConstraint(
                condition=Q(
                    kind="racket",
                    widest_mm__isnull=False,
                    hoop_base_mm__isnull=False,
                    handle_length_mm__isnull=False,
                )
                | Q(
                    kind="paddle",
                    handle_mm__isnull=False,
                    corner_top_mm__isnull=False,
                    corner_bottom_mm__isnull=False,
                ),
                name="frame_has_the_outline_of_its_kind",
            ),
            models.CheckConstraint(
                condition=Q(
                    length_mm__gt=0, width_mm__gt=0, rim_mm__gt=0, beam_mm__gt=0, handle_radius_mm__gt=0
                ),
                name="frame_dimensions_above_nought",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.model} · {self.serial}" if self.serial else self.model

    def get_absolute_url(self) -> str:
        return reverse("frame", args=[self.pk])

    def outline(self) -> Outline:
        sizes = {name: getattr(self, name) for name in DIMENSIONS[self.kind]}
        return Racket(**sizes) if self.kind == "racket" else Paddle(**sizes)

    def set_outline(self, outline: Outline) -> None:
        self.kind = outline.kind
        for name in DIMENSIONS[outline.kind]:
            setattr(self, name, getattr(outline, name))

    def figures(self) -> list[Figures]:
        """The latest reading of each figure, by condition, the newest complete condition first."""
        return figures_of(self.readings.filter(withdrawn_at=None))

    def take_readings(self, measured: Measured, condition: str, user: Any = None) -> None:
        """Keep a whole set of figures that came from elsewhere as readings."""
        now = timezone.now()
        for quantity in Quantity:
            number = getattr(measured, quantity.value)
            if number is not None:
                Reading.objects.create(
                    frame=self,
                    quantity=quantity,
                    value=nominal(number),
                    u=uncertainty(number),
                    axis_mm=measured.axis_mm if quantity == Quantity.SWING else None,
                    condition=condition,
                    read_at=now,
                    read_by=user,
                )


class Quantity(models.TextChoices):
    MASS = "mass_g", "mass"
    BALANCE = "balance_mm", "balance"
    SWING = "swing_kgcm2", "swing weight"
    TWIST = "twist_kgcm2", "twist weight"


class Reading(models.Model):
    """One figure, read once. ``typed`` is what the person wrote."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="readings")
    quantity = models.CharField(max_length=12, choices=Quantity)
    value = models.FloatField(help_text="g, mm from the butt, or kg·cm²")
    u = models.FloatField("uncertainty", null=True, blank=True)
    axis_mm = models.FloatField(null=True, blank=True, help_text="of a swing weight")
    condition = models.CharField(max_length=10, choices=Condition)
    typed = models.CharField(max_length=60, blank=True)
    confirmed = models.BooleanField(default=False, help_text="unlikely, and kept knowingly")
    read_at = models.DateTimeField(default=timezone.now)
    read_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL)
    withdrawn_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-read_at", "-pk"]
        indexes = [models.Index(fields=["frame", "-read_at"], name="readings_of_a_frame")]
        constraints = [
            models.CheckConstraint(condition=Q(value__gt=0), name="reading_above_nought"),
            models.CheckConstraint(condition=Q(u=None) | Q(u__gte=0), name="uncertainty_not_negative"),
            models.CheckConstraint(
                # An unknown axis makes a comparison unknown, which a check would let pass.
                condition=Q(quantity="swing_kgcm2", axis_mm__isnull=False, axis_mm__gte=0)
                | (~Q(quantity="swing_kgcm2") & Q(axis_mm=None)),
                name="a_swing_weight_has_its_axis",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.frame}: {self.get_quantity_display()} {self.value:g}"


@dataclass(frozen=True, slots=True)
class Figures:
    """The latest reading of each figure in one condition."""

    condition: str
    readings: dict[str, Reading] = field(default_factory=dict)

    @property
    def label(self) -> str:
        return Condition(self.condition).label

    @property
    def missing(self) -> list[str]:
        """What a plan still needs, in words. Twist weight may be missing."""
        needed = (Quantity.MASS, Quantity.BALANCE, Quantity.SWING)
        return [quantity.label for quantity in needed if quantity.value not in self.readings]

    @property
    def is_complete(self) -> bool:
        return not self.missing

    def measured(self) -> Measured:
        """For the core. Call only where ``is_complete``."""

        def number(quantity: str) -> float:
            reading = self.readings[quantity]
            return ufloat(reading.value, reading.u) if reading.u else reading.value

        return Measured(
            mass_g=number("mass_g"),
            balance_mm=number("balance_mm"),
            swing_kgcm2=number("swing_kgcm2"),
            axis_mm=self.readings["swing_kgcm2"].axis_mm,
            twist_kgcm2=number("twist_kgcm2") if "twist_kgcm2" in self.readings else None,
        )


def figures_of(readings: Iterable[Reading]) -> list[Figures]:
    """Group readings (newest first) by condition, keeping the newest of each figure."""
    found: dict[str, Figures] = {}
    for reading in readings:
        figures = found.setdefault(reading.condition, Figures(reading.condition))
        figures.readings.setdefault(reading.quantity, reading)
    return sorted(found.values(), key=lambda figures: not figures.is_complete)
