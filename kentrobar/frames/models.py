"""Frames people play with, what is fitted to them, and what was read from them.

A frame keeps its outline as tape-measured; a reading keeps its raw inputs and the figure the core
reduced from them, in one condition; a fitted part knows from when to when it was on.
Nothing is computed here: ``outline()`` and ``figures()`` hand facts to the core.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from functools import partial
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.urls import reverse
from django.utils import timezone
from simple_history.models import HistoricalRecords

from kentrobar.core.frame.condition import Part, is_on
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.together import computed_with
from kentrobar.core.geometry.kinds import FRAME_KINDS, outline_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.reader import digits, translated
from kentrobar.core.words.amounts import told
from kentrobar.ui.looking import cached_per_request
from kentrobar.ui.reading import LANGUAGES
from kentrobar.ui.search import by_letters, by_words, held_in, holding, just_so
from kentrobar.ui.undo import Present, Removable

from .choices import Condition, MethodName, Quantity
from .figures import (
    Contradiction,
    Figures,
    contradictions,
    figures_in,
    figures_of,
    not_noted,
)
from .fitted import is_as_it_was

READ_IN_SHOP = 600
"""Newest readings of a kind of frame that a figure is held against."""


class Person(models.Model):
    """Whoever plays with a frame."""

    class Hand(models.TextChoices):
        RIGHT = "right", "right-handed"
        LEFT = "left", "left-handed"

    class Level(models.TextChoices):
        JUNIOR = "junior", "junior"
        CLUB = "club", "club player"
        STRONG = "strong", "strong club player"
        COMPETITOR = "competitor", "competitor"

    class Style(models.TextChoices):
        SPIN = "spin", "with spin"
        FLAT = "flat", "flat"
        NET = "net", "at the net, doubles"

    name = models.CharField(max_length=60, unique=True)
    hand = models.CharField("plays", max_length=5, choices=Hand, blank=True)
    level = models.CharField(max_length=10, choices=Level, blank=True)
    style = models.CharField("playing style", max_length=4, choices=Style, blank=True)
    language = models.CharField(
        "language", max_length=5, blank=True,
        choices=[("", "the shop’s language"), *LANGUAGES],
    )  # fmt: skip
    phone = models.CharField(max_length=40, blank=True)
    email = models.EmailField("e-mail", max_length=120, blank=True)
    notes = models.TextField(blank=True, max_length=1000)
    likes = models.JSONField(
        default=dict, blank=True, help_text="by kind of frame, what was found to be liked on court"
    )

    class Meta:
        ordering = ["name"]
        verbose_name_plural = "people"

    def __str__(self) -> str:
        return self.name

    def liked(self, kind: str) -> dict[str, Any]:
        """What was found out to be liked of a kind of frame; nothing where the row holds none, as
        an older version may have left it."""
        found = self.likes.get(kind) if isinstance(self.likes, dict) else None
        return found if isinstance(found, dict) else {}

    @classmethod
    def named(cls, name: str) -> Person | None:
        """The person of that name, written down if new; None where there is no name."""
        clean = " ".join(name.split())[:60]
        return cls.objects.get_or_create(name=clean)[0] if clean else None


class LiveFrames(Present):
    """Frames that were not deleted, each with its player."""

    def get_queryset(self) -> models.QuerySet[Frame]:
        return super().get_queryset().select_related("player")

    def named(self, wanted: str) -> models.QuerySet[Frame]:
        """Those whose model, maker, serial or player holds the text; all where it is empty."""
        found = self.all()
        if wanted:
            # Whose: asked for apart, so that names of frames need no join to be looked through.
            theirs = Q(player__in=holding(Person.objects.all(), wanted, "name").values("pk"))
            found = found.filter(theirs | held_in(wanted, "model", "maker", "serial"))
        return found


def _dimension() -> models.FloatField:
    return models.FloatField(null=True, blank=True)


class Frame(Removable):
    kind = models.CharField(
        max_length=6, choices=[(key, one.label) for key, one in FRAME_KINDS.items()]
    )
    maker = models.CharField(max_length=60, blank=True)
    model = models.CharField(max_length=60)
    serial = models.CharField("serial or mark", max_length=40, blank=True)
    player = models.ForeignKey(
        Person, null=True, blank=True, on_delete=models.SET_NULL, related_name="frames",
        verbose_name="who plays it",
    )  # fmt: skip
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
    top_rise_mm = _dimension()
    width_high_mm = _dimension()
    width_middle_mm = _dimension()
    width_low_mm = _dimension()
    neck_mm = _dimension()
    holes_mm = models.JSONField(
        "grommet holes", default=list, blank=True,
        help_text="arcs of one side along the edge from the tip’s centre, growing",
    )  # fmt: skip
    is_foam = models.BooleanField("handle filled with foam", default=False)
    stiffness = models.FloatField("stiffness, RA", null=True, blank=True)
    string_pattern = models.CharField(max_length=7, blank=True)
    typed = models.JSONField(default=dict, blank=True, help_text="dimensions as they were written")
    created_at = models.DateTimeField(default=timezone.now)

    objects = models.Manager()
    live = LiveFrames()

    class Meta:
        ordering = ["model", "serial", "pk"]
        indexes = [
            models.Index(fields=["model", "serial", "id"], name="frames_by_model"),
            by_letters("model", "frames_by_letters_of_model"),
            by_letters("maker", "frames_by_letters_of_maker"),
            by_letters("serial", "frames_by_letters_of_mark"),
            just_so("model", "frames_by_model_just_so"),
            just_so("maker", "frames_by_maker_just_so"),
            just_so("serial", "frames_by_mark_just_so"),
            by_words("note", "frames_by_words_of_note"),
        ]
        constraints = [
            models.CheckConstraint(
                condition=Q(
                    widest_mm__isnull=False,
                    hoop_base_mm__isnull=False,
                    handle_length_mm__isnull=False,
                )
                | Q(
                    handle_mm__isnull=False,
                    corner_top_mm__isnull=False,
                    corner_bottom_mm__isnull=False,
                ),
                name="frame_has_the_outline_of_its_kind",
            ),
            models.CheckConstraint(
                condition=Q(
                    length_mm__gt=0,
                    width_mm__gt=0,
                    rim_mm__gt=0,
                    beam_mm__gt=0,
                    handle_radius_mm__gt=0,
                ),
                name="frame_dimensions_above_nought",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.model} · {self.serial}" if self.serial else self.model

    def get_absolute_url(self) -> str:
        return reverse("frame", args=[self.pk])

    @property
    def is_strung(self) -> bool:
        return FRAME_KINDS[self.kind].is_strung

    def outline(self) -> Outline:
        sizes = {name: getattr(self, name) for name in FRAME_KINDS[self.kind].dimensions}
        return outline_of(self.kind, sizes)

    def set_outline(self, outline: Outline) -> None:
        self.kind = outline.kind
        for name in FRAME_KINDS[outline.kind].dimensions:
            setattr(self, name, getattr(outline, name))

    def usual_condition(self, latest: Iterable[Reading] | None = None) -> str:
        """The condition to begin with: the one this frame was last read in, else as played."""
        newest = max(
            self.latest() if latest is None else latest,
            key=lambda reading: (reading.read_at, reading.pk),
            default=None,
        )
        return newest.condition if newest else Condition.AS_PLAYED.value

    def conditions(self) -> list[tuple[str, str]]:
        """Those this kind of frame has: what has no strings is never strung."""
        return [one for one in Condition.choices if self.is_strung or one[0] != "strung"]

    @cached_per_request
    def latest(self) -> list[Reading]:
        """The newest reading of each figure in each condition."""
        return list(newest_readings().filter(frame=self.pk))

    def figures(self) -> list[Figures]:
        """Every condition that was read, as it would read today, complete ones first."""
        return figures_of(self, self.latest(), self.all_parts())

    def figures_in(self, condition: str) -> Figures:
        """This frame in any condition: read there, or computed from where it was read."""
        return figures_in(self, condition, self.latest(), self.all_parts())

    def with_usual(self, condition: str) -> tuple[Figures, list[FittedPart]]:
        """The figures in a condition, and the parts nobody noted that were taken as usual for
        them: none where they are known without."""
        known, parts = self.figures_in(condition), self.all_parts()
        if known.is_complete:
            return known, []
        usual = [
            FittedPart(
                pk=-number, frame=self, kind=kind, mass_g=PARTS[kind].grams[1],
                u_g=PARTS[kind].mass_u,
            )
            for number, kind in enumerate(not_noted(self, condition, parts), 1)
        ]  # fmt: skip
        return figures_in(self, condition, self.latest(), [*parts, *usual]), usual

    def contradictions(self) -> list[Contradiction]:
        """Readings of two conditions that do not go together."""
        as_it_was = partial(is_as_it_was, self)
        return contradictions(self, self.latest(), self.all_parts(), as_it_was)

    @cached_per_request
    def all_parts(self) -> list[FittedPart]:
        parts = list(FittedPart.objects.filter(frame=self.pk))
        for part in parts:
            part.frame = self
        return parts

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


class FittedPart(models.Model):
    """Something on a frame, from when to when. Unknown beginnings reach back before every
    reading."""

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="parts")
    kind = models.CharField(
        max_length=16, choices=[(key, kind.label) for key, kind in PARTS.items()]
    )
    name = models.CharField("type", max_length=60, blank=True)
    gauge_mm = models.FloatField("gauge", null=True, blank=True)
    mass_g = models.FloatField()
    u_g = models.FloatField("uncertainty of its mass", default=0.0)
    is_weighed = models.BooleanField("weighed here", default=False)
    from_mm = models.FloatField(null=True, blank=True)
    to_mm = models.FloatField(null=True, blank=True)
    put_on_at = models.DateTimeField(null=True, blank=True)
    taken_off_at = models.DateTimeField(null=True, blank=True)
    replaced_by = models.ForeignKey(
        "self", null=True, blank=True, on_delete=models.SET_NULL, related_name="replaces",
        help_text="what was put on in its place",
    )  # fmt: skip

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(condition=Q(mass_g__gt=0, u_g__gte=0), name="part_has_a_mass"),
            models.CheckConstraint(
                condition=Q(put_on_at=None)
                | Q(taken_off_at=None)
                | Q(taken_off_at__gte=models.F("put_on_at")),
                name="part_put_on_before_taken_off",
            ),
        ]

    def __str__(self) -> str:
        gauge = f" {digits(self.gauge_mm, 6)}" if self.gauge_mm else ""
        return (
            f"{self.get_kind_display()}, {self.name}{gauge}"
            if self.name
            else self.get_kind_display()
        )

    def core(self) -> Part:
        return Part(
            kind=self.kind, mass_g=self.mass_g, u_g=self.u_g, from_mm=self.from_mm, to_mm=self.to_mm
        )

    def was_on(self, when: datetime | None) -> bool:
        """Whether it was on the frame at a time; None is now."""
        if when is None:
            return self.taken_off_at is None
        return (self.put_on_at is None or self.put_on_at <= when) and (
            self.taken_off_at is None or self.taken_off_at > when
        )


class Reading(Removable):
    """One figure of one frame, and the raw inputs it was reduced from.

    ``raw`` is a ``kentrobar-reading/1`` document: reduce it again and the same figure comes out.
    ``entry`` is what the person wrote into the form, ``typed`` the figure where it was written as
    such.
    """

    frame = models.ForeignKey(Frame, on_delete=models.CASCADE, related_name="readings")
    quantity = models.CharField(max_length=12, choices=Quantity)
    value = models.FloatField(help_text="g, mm from the butt, or kg·cm²")
    u = models.FloatField("uncertainty", null=True, blank=True)
    axis_mm = models.FloatField(null=True, blank=True, help_text="of a swing weight")
    condition = models.CharField(max_length=10, choices=Condition)
    without = models.JSONField("parts that were off", default=list, blank=True)
    method = models.CharField(max_length=14, choices=MethodName, default=MethodName.REPORTED)
    raw = models.JSONField(default=dict, blank=True)
    slopes = models.JSONField(
        default=dict, blank=True,
        help_text="how it changes with the mass and the balance it was computed with",
    )  # fmt: skip
    entry = models.JSONField(default=dict, blank=True)
    repeats = models.PositiveSmallIntegerField(default=1)
    typed = models.CharField(max_length=60, blank=True)
    confirmed = models.BooleanField(default=False, help_text="unlikely, and confirmed")
    read_at = models.DateTimeField(default=timezone.now)
    read_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL
    )

    measured_with = models.ForeignKey(
        "self", null=True, blank=True, on_delete=models.SET_NULL, related_name="siblings",
        help_text="the first figure that came out of the same measurement",
    )  # fmt: skip

    removed_word = "Withdrew"
    history = HistoricalRecords()

    @property
    def how(self) -> str:
        """How it was read, in words."""
        if self.raw.get("is_told"):
            return translated("told by the customer")
        return str(self.get_method_display())

    class Meta:
        ordering = ["-read_at", "-pk"]
        indexes = [
            models.Index(fields=["frame", "-read_at"], name="readings_of_a_frame"),
            models.Index(
                fields=["removed_at"],
                condition=Q(removed_at__isnull=False),
                name="readings_removed",
            ),
            models.Index(
                fields=["frame", "condition", "quantity", "-read_at", "-id"],
                name="newest_of_each_figure",
            ),
        ]
        constraints = [
            models.CheckConstraint(condition=Q(value__gt=0), name="reading_above_nought"),
            # What no page could compute with or print never gets in, whatever way it comes.
            models.CheckConstraint(
                condition=Q(value__gt=1e-6, value__lt=1e6)
                & (Q(u=None) | Q(u__lt=1e6))
                & (Q(axis_mm=None) | Q(axis_mm__lte=1e4)),
                name="reading_of_this_world",
            ),
            models.CheckConstraint(
                condition=Q(
                    read_at__gte=datetime(1970, 1, 1, tzinfo=UTC),
                    read_at__lt=datetime(2200, 1, 1, tzinfo=UTC),
                ),
                name="reading_of_our_time",
            ),
            models.CheckConstraint(
                condition=Q(u=None) | Q(u__gte=0), name="uncertainty_not_negative"
            ),
            models.CheckConstraint(
                # An unknown axis makes a comparison unknown, which a check would let pass.
                condition=Q(quantity="swing_kgcm2", axis_mm__isnull=False, axis_mm__gte=0)
                | (~Q(quantity="swing_kgcm2") & Q(axis_mm=None)),
                name="a_swing_weight_has_its_axis",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.frame}: {self.said}"

    @property
    def said(self) -> str:
        """`mass 317 g`, as it was written, else in the units of who reads it."""
        figure = self.typed or told(self.quantity, round(self.value, 2))
        return f"{self.get_quantity_display()} {figure}"

    def get_absolute_url(self) -> str:
        return self.frame.get_absolute_url()

    @property
    def can_be_restored(self) -> bool:
        return self.frame.removed_at is None

    def _set_removed(self, when: datetime | None) -> None:
        # Saved, not updated: the history of a reading tells of it.
        self.removed_at, self._change_reason = when, "withdrawn" if when else "restored"
        self.save(update_fields=["removed_at"])

    def of_one_measurement(self) -> models.QuerySet[Reading]:
        """Every figure that came out of the same measurement, this one among them."""
        first = self.measured_with_id or self.pk
        return Reading.objects.filter(Q(pk=first) | Q(measured_with=first), removed_at=None)

    def number(self) -> Number:
        return ufloat(self.value, self.u) if self.u else self.value

    def number_with(self, known: Mapping[str, Number]) -> Number:
        """The figure, tied to those among ``known`` that it was computed with."""
        if not self.slopes or not self.u:
            return self.number()
        used = {
            name: ufloat(given["value"], given["u"])
            for name in self.slopes
            if isinstance(given := self.raw.get(name), dict) and given["u"]
        }
        return computed_with(self.value, self.u, self.slopes, used, known)

    def parts_on(self, parts: Iterable[FittedPart]) -> frozenset[int]:
        """Keys of the parts that were on when this was read."""
        return frozenset(
            part.pk
            for part in parts
            if part.was_on(self.read_at)
            and is_on(part.kind, self.condition)
            and part.pk not in self.without
        )


def read_in_shop(kind: str, condition: str, axis_mm: float) -> dict[str, list[float]]:
    """Figures of the shop's frames of a kind in a condition, the newest of each; swing weights
    about this axis alone."""
    known = Reading.objects.filter(
        removed_at=None, frame__removed_at=None, frame__kind=kind, condition=condition
    )
    rows = known.order_by("-read_at").values_list("frame_id", "quantity", "value", "axis_mm")
    found: dict[str, dict[int, float]] = {}
    for frame, quantity, value, axis in rows[:READ_IN_SHOP]:
        if quantity != Quantity.SWING or axis == axis_mm:
            found.setdefault(quantity, {}).setdefault(frame, value)
    return {quantity: list(values.values()) for quantity, values in found.items()}


def newest_readings() -> models.QuerySet[Reading]:
    """The newest reading of each figure in each condition of each frame."""
    figure = ("frame_id", "condition", "quantity")
    return (
        Reading.objects.filter(removed_at=None)
        .order_by(*figure, "-read_at", "-pk")
        .distinct(*figure)
    )
