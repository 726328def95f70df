"""What a person likes to read (units, the swing axis of each kind of frame), and work beside the
page."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db import connection, models
from django.utils import timezone

from kentrobar.core.reader import Reader, own_axes
from kentrobar.core.units import offered

SILENT = timedelta(seconds=45)
"""Work that gave no sign for so long has died with its process."""


PATIENCE = timedelta(seconds=4)
"""Work that waits so long for its turn asks whether anybody is there."""
NO_SIGN = timedelta(seconds=30)


def is_somebody_at_work() -> bool:
    """Whether a worker gave a sign of late."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select exists(select from procrastinate_workers where last_heartbeat > %s)",
            [timezone.now() - NO_SIGN],
        )
        found: bool = cursor.fetchone()[0]
    return found


class Work(models.Model):
    """Work done beside the page (``background.py``): what is asked, how far it is, what was
    found. A model is ``is_beside`` where it is no content of the workshop."""

    class Status(models.TextChoices):
        IDLE = "idle", "not asked yet"
        WAITING = "waiting", "waiting for its turn"
        WORKING = "working", "searching"
        DONE = "done", "done"
        STOPPED = "stopped", "stopped"
        FAILED = "failed", "failed"

    GOING = (Status.WAITING, Status.WORKING)

    content = models.JSONField(default=dict, blank=True)
    answer = models.JSONField(default=dict, blank=True)
    status = models.CharField(max_length=8, choices=Status, default=Status.IDLE)
    progress = models.CharField(max_length=1000, blank=True)
    run = models.PositiveIntegerField(
        default=0, help_text="rises with every search; older ones end"
    )
    took_s = models.FloatField(null=True, blank=True)
    seen_at = models.DateTimeField(
        default=timezone.now, help_text="last sign of the search at work"
    )
    changed_at = models.DateTimeField(default=timezone.now)

    class Meta:
        abstract = True

    @property
    def is_working(self) -> bool:
        return self.status in self.GOING and not self.is_lost

    @property
    def how_far(self) -> str:
        """What a page that waits says."""
        waits = self.status == self.Status.WAITING and timezone.now() - self.seen_at > PATIENCE
        if waits and not is_somebody_at_work():
            return "Nobody does the work beside the pages: start manage.py work. It waits"
        return self.progress

    @property
    def is_lost(self) -> bool:
        return self.status == self.Status.WORKING and timezone.now() - self.seen_at > SILENT


class Sent(models.Model):
    """A form that was sent and made something (``once.py``): digests of it, and where it led."""

    form = models.CharField(max_length=64, unique=True)
    words = models.CharField(max_length=64)
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    led_to = models.CharField(max_length=500, blank=True)
    at = models.DateTimeField(default=timezone.now, db_index=True)

    class Meta:
        verbose_name_plural = "sent"

    def __str__(self) -> str:
        return f"{self.at:%H:%M:%S} → {self.led_to}"


class Preferences(models.Model):
    user = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, primary_key=True
    )
    mass = models.CharField(max_length=6, default="g")
    length = models.CharField(max_length=6, default="mm")
    balance = models.CharField(
        max_length=6, default="length", choices=[("length", "length"), ("pt", "points"), ("%", "%")]
    )
    axes_mm = models.JSONField(default=dict, blank=True, help_text="swing axis by kind of frame")

    class Meta:
        verbose_name_plural = "preferences"

    def __str__(self) -> str:
        return f"{self.user}: {self.mass}, {self.length}"

    def reader(self) -> Reader:
        """Whom pages are made for; a unit that no page offers any more is the usual one."""
        mass = self.mass if self.mass in offered("mass") else Reader().mass
        length = self.length if self.length in offered("length") else Reader().length
        return Reader(mass, length, self.balance, own_axes(self.axes_mm.items()))
