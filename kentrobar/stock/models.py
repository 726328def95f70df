"""What lies on the shelf: rolls, putty, grips; what each weighs as weighed here; what is left of
it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Max, Q, Sum
from django.db.models.functions import Lower
from django.urls import reverse
from django.utils import timezone

from kentrobar.core.pieces.rolls import MAKER_U, RULER_U_MM, Cut, PerLength, backing_per_mm, weighed
from kentrobar.core.reader import digits
from kentrobar.ui.undo import Present, Removable


class MaterialKind(models.TextChoices):
    TAPE = "tape", "tape"
    SHEET = "sheet", "sheet"
    STRIP = "strip", "ready-cut strips"
    PUTTY = "putty", "putty"
    SILICONE = "silicone", "silicone"
    COTTON = "cotton", "cotton"
    GRIP = "grip", "replacement grip"
    OVERGRIP = "overgrip", "overgrip"
    CAP = "cap", "butt cap"
    MODULE = "module", "clip-on module"
    OTHER = "other", "something else"


DOSED = (MaterialKind.PUTTY, MaterialKind.SILICONE, MaterialKind.COTTON)
"""What is dosed in grams; strips are cut off tape, sheets and ready-cut strips, the rest is
counted."""
CUT = (MaterialKind.TAPE, MaterialKind.SHEET, MaterialKind.STRIP)


def _optional(label: str, help_text: str = "") -> Any:
    return models.FloatField(label, null=True, blank=True, help_text=help_text)


class Material(Removable):
    name = models.CharField(max_length=60)
    kind = models.CharField(max_length=10, choices=MaterialKind)
    width_mm = _optional("width, mm", "of a roll; of the strips you cut, for a sheet")
    thickness_mm = _optional("thickness, mm")
    density = _optional("density, g/cm³")
    maker_g_per_mm = _optional(
        "grams per mm of strip, as the maker says", "until a cut of it is weighed here"
    )
    each_g = _optional("grams a piece", "ready-cut strips, grips, caps, modules")
    each_mm = _optional(
        "length of a piece, mm", "ready-cut strips, used whole, halved or quartered"
    )
    price = models.DecimalField(
        "price of a pack", max_digits=9, decimal_places=2, null=True, blank=True
    )
    pack = _optional("a pack holds", "mm of tape, cm² of a sheet, grams of putty, or pieces")
    toxicity = models.FloatField("toxicity, 0 to 1", default=0.0, help_text="1 is lead")
    test_only = models.BooleanField("for tests only", default=False)
    cure_hours = models.PositiveSmallIntegerField("cure time, hours", default=0)
    warn_below = models.FloatField(
        "warn below", default=0.0, help_text="in what a pack is counted in"
    )

    moved: tuple[float, float] | None = None
    """As ``moved_of`` has it, where that was asked for many at once."""

    removed_word = "Archived"
    objects = models.Manager()
    live = Present()

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="material_name_once"),
            models.CheckConstraint(
                condition=Q(toxicity__gte=0, toxicity__lte=1, warn_below__gte=0),
                name="material_is_sensible",
            ),
        ]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("material", args=[self.pk])

    @property
    def is_cut(self) -> bool:
        return self.kind in CUT

    @property
    def is_sheet(self) -> bool:
        return self.kind == MaterialKind.SHEET

    @property
    def is_dosed(self) -> bool:
        return self.kind in DOSED

    @property
    def unit(self) -> str:
        """What it is counted in on the shelf."""
        cut_off: dict[str, str] = {MaterialKind.TAPE: "mm", MaterialKind.SHEET: "cm²"}
        return cut_off.get(self.kind, "g" if self.is_dosed else "pieces")

    def cuts(self, backing_on: bool = False) -> list[Cut]:
        known = self.weighings.all()
        return [one.cut() for one in known if one.backing_on == backing_on]

    def per_length(self) -> PerLength | None:
        """Grams per mm of strip as laid, without its backing: as weighed here, else as the maker
        says."""
        found = weighed(self.cuts()) or self._as_told()
        if found and self.is_sheet and self.width_mm:
            found = replace(found, width_u=RULER_U_MM / self.width_mm)
        return found

    def _as_told(self) -> PerLength | None:
        told = self.maker_g_per_mm
        if self.each_mm and self.each_g:
            told = self.each_g / self.each_mm
        if told is None and self.is_sheet and self.width_mm and self.thickness_mm and self.density:
            told = self.density / 1000 * self.thickness_mm * self.width_mm
        return PerLength(told, told * MAKER_U, 0) if told else None

    def backing_g_per_mm(self) -> float | None:
        return backing_per_mm(weighed(self.cuts(backing_on=True)), weighed(self.cuts()))

    @property
    def price_per_g(self) -> float | None:
        """For comparing: of a gram of mass, whatever it is sold by."""
        if self.price is None or not self.pack:
            return None
        grams = self.pack
        if self.is_cut and self.kind != MaterialKind.STRIP:
            per_length = self.per_length()
            strip_mm = self.pack * 100 / (self.width_mm or math.inf) if self.is_sheet else self.pack
            grams = strip_mm * per_length.g_per_mm if per_length else 0.0
        elif not self.is_dosed:
            grams = self.pack * (self.each_g or 0.0)
        return float(self.price) / grams if grams else None

    @property
    def left(self) -> float:
        """What is left, in its unit."""
        return self._moved()[0]

    @property
    def is_counted(self) -> bool:
        """Whether anybody ever said how much there is; what only went was never counted."""
        return self._moved()[1] > 0

    def _moved(self) -> tuple[float, float]:
        """(all that came and went, the most that came at once)."""
        if self.moved is not None:
            return self.moved
        return moved_of([self]).get(self.pk, (0.0, 0.0))

    @property
    def is_short(self) -> bool:
        return self.is_counted and self.left < self.warn_below

    def lacks(self, amount: float) -> bool:
        """Whether so much is more than is left; what was never counted is not warned about."""
        return self.is_counted and amount > self.left


class Weighing(models.Model):
    """A cut of known length on the scale, with its backing or without; of a sheet, its width
    too."""

    material = models.ForeignKey(Material, on_delete=models.CASCADE, related_name="weighings")
    length_mm = models.FloatField()
    width_mm = models.FloatField(null=True, blank=True)
    count = models.PositiveSmallIntegerField(default=1)
    mass_g = models.FloatField()
    u_g = models.FloatField()
    backing_on = models.BooleanField(default=False)
    source = models.CharField(
        max_length=120, blank=True, help_text="where it comes from, if not from here"
    )
    weighed_at = models.DateTimeField(default=timezone.now)
    weighed_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL
    )

    class Meta:
        ordering = ["-weighed_at", "-pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(length_mm__gt=0, mass_g__gt=0, u_g__gt=0, count__gt=0),
                name="a_cut_weighs_something",
            )
        ]

    def __str__(self) -> str:
        cut = f"{self.count} × {digits(self.length_mm, 6)} mm"
        return f"{self.material}: {digits(self.mass_g, 6)} g of {cut}"

    def cut(self) -> Cut:
        """As a cut of the material's own width: a piece of a sheet weighs as its share of a
        strip."""
        if not (self.width_mm and self.material.is_sheet and self.material.width_mm):
            return Cut(self.length_mm, self.mass_g, self.u_g, self.count)
        share = self.material.width_mm / self.width_mm
        by_width = self.mass_g * RULER_U_MM / self.width_mm / math.sqrt(self.count)
        return Cut(
            self.length_mm, self.mass_g * share, math.hypot(self.u_g, by_width) * share, self.count
        )


class Movement(models.Model):
    """What came onto the shelf or left it, in the material's unit."""

    material = models.ForeignKey(Material, on_delete=models.CASCADE, related_name="movements")
    amount = models.FloatField()
    reason = models.CharField(max_length=120)
    moved_at = models.DateTimeField(default=timezone.now)
    moved_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, blank=True, on_delete=models.SET_NULL
    )

    class Meta:
        ordering = ["-moved_at", "-pk"]

    def __str__(self) -> str:
        return f"{digits(self.amount, 6, True)} {self.material.unit} {self.material}: {self.reason}"


def moved_of(materials: Iterable[Material]) -> dict[int, tuple[float, float]]:
    """By their keys: all that came and went of each, and the most that came at once, added up by
    the database: ten years of a roll are thousands of rows."""
    found = Movement.objects.filter(material__in=[one.pk for one in materials]).order_by()
    sums = found.values_list("material").annotate(Sum("amount"), Max("amount"))
    return {pk: (moved, came) for pk, moved, came in sums}
