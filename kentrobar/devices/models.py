"""What a device said last. The reader process writes it; pages only look at it, and never wait."""

from __future__ import annotations

from django.db import connection, models
from django.utils import timezone

from kentrobar.measuring.lines_here import BRIDGED
from kentrobar.measuring.models import Instrument
from kentrobar.shop.tokens import Token

CHANNEL = "kentrobar_lines"
"""PostgreSQL’s channel for orders to the reader: the instrument’s key and what to send it."""

NEWS = "kentrobar_news"
"""PostgreSQL’s channel for what the reader heard: the instrument’s key."""

FOLLOW = "follow"
"""The order to look through the instruments at once: one was added or changed."""


class StateOfLine(models.TextChoices):
    OPENING = "opening", "opening"
    LIVE = "live", "live"
    MUTE = "mute", "silent"
    GARBLED = "garbled", "garbled"
    GONE = "gone", "gone"


class Line(models.Model):
    """The line to one instrument: its state and the newest figure, in g, kg·cm² or passes in s."""

    instrument = models.OneToOneField(
        Instrument, on_delete=models.CASCADE, related_name="device_line"
    )
    state = models.CharField(max_length=8, choices=StateOfLine, default=StateOfLine.OPENING)
    word = models.CharField(max_length=200, blank=True, help_text="what is wrong, for the person")
    value = models.FloatField(null=True, blank=True)
    is_stable = models.BooleanField(default=False)
    text = models.CharField(max_length=80, blank=True, help_text="the last line as it came")
    passes = models.JSONField(default=list, help_text="a sensor's passes of the swing going on, s")
    heard_at = models.DateTimeField(null=True, blank=True, help_text="when the figure came")
    beat_at = models.DateTimeField(default=timezone.now, help_text="when the reader last looked")

    def __str__(self) -> str:
        return f"{self.instrument}: {self.state}"


class Bridge(models.Model):
    """Another machine that reads instruments for us and tells what they say (``bridge.py``)."""

    token = models.OneToOneField(Token, on_delete=models.CASCADE, related_name="bridge")
    ports = models.JSONField(default=list, help_text="its lines, as it names them")
    orders = models.JSONField(
        default=list, help_text="[key, what to send it, number], not taken yet"
    )
    heard_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return self.token.name

    @property
    def mark(self) -> str:
        """What stands before the lines of this bridge."""
        return f"{BRIDGED}{self.token.name}:"

    def lines(self) -> list[str]:
        return [self.mark + str(port) for port in self.ports]


def bridged_lines() -> list[str]:
    """Every line of every bridge."""
    at_hand = Bridge.objects.filter(token__ended_at=None).select_related("token")
    return [line for bridge in at_hand for line in bridge.lines()]


def follow(**_: object) -> None:
    """Tell the reader that an instrument was added or changed."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_notify(%s, %s)", [CHANNEL, FOLLOW])
