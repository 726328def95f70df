"""The workshop's settings, read by every room above: what counts, how tape is cut, what work
costs."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import Any
from zoneinfo import ZoneInfo

from django.core.validators import MaxValueValidator, MinValueValidator, URLValidator
from django.db import models
from django.db.models import Q
from django.utils import timezone

from kentrobar.core.geometry.kinds import FRAME_KINDS, Stroke
from kentrobar.core.measure import surroundings, usual
from kentrobar.core.quantities import FIGURES
from kentrobar.core.recipes import strokes
from kentrobar.core.recipes import usual as kit
from kentrobar.core.recipes.brief import Weights
from kentrobar.core.recipes.feel import Noticed
from kentrobar.core.recipes.strokes import SwingLaw
from kentrobar.core.units import Typed
from kentrobar.ui.looking import cached_per_request
from kentrobar.ui.reading import ENGLISH, LANGUAGES

from . import places
from .tokens import Token  # noqa: F401  # a table of this app


def _setting(
    label: str, usual: float, highest: float, help_text: str = "", lowest: float = 0.0
) -> Any:
    return models.FloatField(
        label, default=usual, help_text=help_text,
        validators=[MinValueValidator(lowest), MaxValueValidator(highest)],
    )  # fmt: skip


def _usual(figure: str) -> Any:
    """What a figure is usually read with here."""
    return models.CharField(
        f"{FIGURES[figure].label} is read with", max_length=12, blank=True, default="",
        choices=[("", "not said"), *usual.choices(figure)],
    )  # fmt: skip


_W, _N = Weights(), Noticed()


USUAL_FIELDS = {
    "mass_g": "usual_mass",
    "balance_mm": "usual_balance",
    "swing_kgcm2": "usual_swing",
    "twist_kgcm2": "usual_twist",
}


REMEMBERED_S = 5.0
_memory: dict[str, tuple[float, Settings]] = {}


def remembered() -> Settings:
    """The settings as they were a few seconds ago at most: for what every page needs (the zone,
    the name, the currency), to be read and not changed."""
    at, found = _memory.get("shop", (-REMEMBERED_S, None))
    if found is None or time.monotonic() - at > REMEMBERED_S:
        found = Settings.load()
        _memory["shop"] = (time.monotonic(), found)
    return found


def forget() -> None:
    """Read the settings anew at the next page."""
    _memory.clear()


class Settings(models.Model):
    """How this workshop works and what it charges: one row."""

    shop_name = models.CharField("name of the shop", max_length=60, blank=True, default="")
    contact = models.CharField(
        "contact", max_length=200, blank=True, default="", help_text="street, phone, mail"
    )
    time_zone = models.CharField(
        "time zone", max_length=40, blank=True, default="", validators=[places.check_zone]
    )
    currency = models.CharField(max_length=6, blank=True, default="")
    decimals = models.CharField(
        "decimals are written with", max_length=5, default="point",
        choices=[("point", "a point"), ("comma", "a comma")],
    )  # fmt: skip
    public_address = models.CharField(
        "address for players", max_length=200, blank=True, default="",
        validators=[URLValidator(schemes=["http", "https"])],
    )  # fmt: skip

    language = models.CharField(
        "language for players", max_length=5, default=ENGLISH, choices=LANGUAGES,
    )  # fmt: skip
    paper = models.CharField(
        "printed on", max_length=6, default="a4", choices=[("a4", "A4"), ("letter", "Letter")]
    )
    calendar_token = models.CharField(max_length=43, blank=True, default="", editable=False)
    tolerance = _setting("missing a target when 2 mm slip, g", _W.tolerance, 1000)
    unsure = _setting("missing it by reading as well, g", _W.unsure, 1000)
    piece = _setting("one more piece, g", _W.piece, 100)
    seen = _setting("one gram that is seen, g", _W.seen, 100)
    price = _setting("one unit of price, g", _W.price, 100)
    toxic = _setting("one gram of lead, g", _W.toxic, 100)
    part = _setting("one part taken off, g", _W.part, 100)
    near = _setting("the surer recipe first, within g", _W.near, 20)
    cut_step_mm = _setting("cutting step, mm", kit.CUT_STEP_MM, 50, lowest=1.0)
    least_cut_mm = _setting("shortest cut, mm", kit.LEAST_CUT_MM, 100)
    max_layers = models.PositiveSmallIntegerField(
        "layers of tape, at most",
        default=2,
        validators=[MinValueValidator(1), MaxValueValidator(6)],
    )
    most_cuts = models.PositiveSmallIntegerField(
        "cuts for one frame, at most",
        default=6,
        validators=[MaxValueValidator(60)],
    )
    few = _setting("most would not notice less, kg·cm²", _N.few, 100)
    serious = _setting("serious players notice, kg·cm²", _N.serious, 100)
    bounce_racket = _setting(
        "bounce of a ball on strings held fast", FRAME_KINDS["racket"].bounce, 0.99, lowest=0.3
    )
    bounce_paddle = _setting(
        "bounce of a ball on a paddle held fast", FRAME_KINDS["paddle"].bounce, 0.99, lowest=0.3
    )

    slower_power = _setting(
        "heavier is swung slower: swing weight to the power −", strokes.USUAL_LAW.power, 1,
    )  # fmt: skip
    slower_band = _setting("known to ±", strokes.USUAL_LAW.band, 0.5)
    strokes = models.JSONField(default=dict, blank=True)

    usual_mass = _usual("mass_g")
    usual_balance = _usual("balance_mm")
    usual_swing = _usual("swing_kgcm2")
    usual_twist = _usual("twist_kgcm2")

    latitude_deg = models.FloatField(
        "latitude, °", null=True, blank=True,
        validators=[MinValueValidator(-90.0), MaxValueValidator(90.0)],
    )  # fmt: skip
    height_m = _setting("height above the sea, m", 0.0, 6000, lowest=-500.0)
    gravity_ms2 = models.FloatField(
        "or g itself, m/s²", null=True, blank=True,
        validators=[MinValueValidator(9.7), MaxValueValidator(9.9)],
    )  # fmt: skip
    air = models.CharField(
        "air a paddle’s face carries is taken off", max_length=8, default="timed",
        choices=[
            ("timed", "timed swings"), ("all", "timed swings and machines"), ("none", "nothing"),
        ],
    )  # fmt: skip

    rate_hour = _setting("an hour of work costs", 40.0, 10_000)
    rate_frame = _setting("a frame checked in costs", 5.0, 10_000)
    rate_material = _setting("material costs, times its price", 1.5, 20)
    day_minutes = _setting("minutes of work a day", 240.0, 1440)

    class Meta:
        verbose_name_plural = "settings"
        constraints = [models.CheckConstraint(condition=Q(pk=1), name="one_workshop")]

    def __str__(self) -> str:
        return "Workshop settings"

    def save(self, *args: Any, **kwargs: Any) -> None:
        super().save(*args, **kwargs)
        forget()

    @classmethod
    @cached_per_request
    def load(cls) -> Settings:
        return cls.objects.filter(pk=1).first() or cls(pk=1)

    @property
    def decimal_mark(self) -> str:
        """Between a whole number and its decimals."""
        return "," if self.decimals == "comma" else "."

    def zone(self) -> ZoneInfo:
        """Where the shop's days begin and end."""
        return ZoneInfo(self.time_zone or "UTC")

    def u_of(self, figure: str, typed: Typed, is_told: bool = False) -> float:
        """One standard uncertainty of a figure as typed: read with what it is usually read with
        here, or ``is_told`` by the customer."""
        chosen = usual.instrument(figure, getattr(self, USUAL_FIELDS[figure]))
        return (usual.TOLD[figure] if is_told else chosen).u_of(typed)

    def gravity(self) -> float:
        """g in m/s² here: as given, that of the latitude and height, or the standard's."""
        if self.gravity_ms2 is not None:
            return self.gravity_ms2
        if self.latitude_deg is None:
            return surroundings.GRAVITY
        return surroundings.gravity(self.latitude_deg, self.height_m)

    def takes_air_off(self, *, is_timed: bool) -> bool:
        """Whether the air a paddle's face carries is taken off readings: of timed swings, or of a
        machine."""
        return self.air == "all" or (self.air == "timed" and is_timed)

    def law(self) -> SwingLaw:
        return SwingLaw(self.slower_power, self.slower_band)

    def strokes_of(self, kind: str) -> tuple[Stroke, ...]:
        """The strokes of a kind of frame, with what this workshop set of them."""
        own = self.strokes.get(kind, {})
        return tuple(replace(one, **own.get(one.key, {})) for one in FRAME_KINDS[kind].strokes)

    def weights(self) -> Weights:
        return Weights(
            tolerance=self.tolerance,
            unsure=self.unsure,
            piece=self.piece,
            seen=self.seen,
            price=self.price,
            toxic=self.toxic,
            part=self.part,
            near=self.near,
            most_cuts=self.most_cuts,
        )

    def noticed(self) -> Noticed:
        return Noticed(self.few, self.serious)

    def bounce(self, kind: str) -> float:
        return float(getattr(self, f"bounce_{kind}", FRAME_KINDS[kind].bounce))


class Logo(models.Model):
    """The shop's logo on cards, sheets and tickets: one row."""

    png = models.BinaryField()
    changed_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return "logo"
