"""``manage.py read_lines``: keep every instrument's line open and write down what it says.

One process does it for a workshop, so that pages only look and never wait. It follows instruments as
they are added and changed, and takes orders (set to nought) from pages over the database.
"""

from __future__ import annotations

import logging
import time
from datetime import UTC, datetime
from typing import Any

import psycopg
from django.core.management.base import BaseCommand
from django.db import OperationalError, close_old_connections, connection
from django.utils import timezone

from kentrobar.devices.lines import Told, Watch, Wiring
from kentrobar.devices.models import CHANNEL, Line
from kentrobar.measuring.models import Instrument

LOOK_EVERY = 1.0
LOCK = 7_206_931
log = logging.getLogger(__name__)


class Command(BaseCommand):
    help = "Read the lines of all connected instruments until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        orders = self._only_one()
        watches: dict[int, Watch] = {}
        try:
            while True:
                close_old_connections()
                try:
                    self._follow_instruments(watches)
                except OperationalError as error:
                    log.warning("The database is away: %s", error)
                self._take_orders(orders, watches)
        except KeyboardInterrupt:
            pass
        finally:
            for watch in watches.values():
                watch.stop()

    def _only_one(self) -> psycopg.Connection:
        """A connection of its own for orders, which also holds the lock that lets one process read."""
        settings = connection.get_connection_params()
        settings.pop("cursor_factory", None)
        settings.pop("context", None)
        own = psycopg.connect(**settings, autocommit=True)
        while not own.execute("select pg_try_advisory_lock(%s)", [LOCK]).fetchone()[0]:
            time.sleep(LOOK_EVERY)
        own.execute(f"listen {CHANNEL}")
        return own

    def _follow_instruments(self, watches: dict[int, Watch]) -> None:
        wanted = {one.pk: wiring(one) for one in Instrument.live.exclude(port="")}
        for key in [key for key, watch in watches.items() if wanted.get(key) != watch.wiring]:
            watches.pop(key).stop()
        for key, one in wanted.items():
            if key not in watches:
                Line.objects.get_or_create(instrument_id=key)
                watches[key] = Watch(one, write_down)
                watches[key].start()
        Line.objects.filter(instrument_id__in=wanted).update(beat_at=timezone.now())

    def _take_orders(self, orders: psycopg.Connection, watches: dict[int, Watch]) -> None:
        for note in orders.notifies(timeout=LOOK_EVERY):
            key, _, word = note.payload.partition(" ")
            watch = watches.get(int(key)) if key.isdecimal() else None
            if watch is not None:
                watch.orders.put(word)


def wiring(instrument: Instrument) -> Wiring:
    return Wiring(
        instrument.pk, instrument.name, instrument.kind, instrument.port, instrument.baud,
        instrument.talk == "asked", instrument.ask, instrument.tare,
    )  # fmt: skip


def write_down(of: Wiring, told: Told) -> None:
    """One update a line's news; from the watch's own thread, on its own connection."""
    heard = datetime.fromtimestamp(told.heard, UTC) if told.heard else None
    try:
        Line.objects.filter(instrument_id=of.key).update(
            state=told.state,
            word=told.word[:200],
            value=told.value,
            is_stable=told.is_stable,
            text=told.text,
            passes=list(told.passes),
            heard_at=heard,
            beat_at=timezone.now(),
        )
    except OperationalError as error:
        log.warning("Not written down: %s", error)
        connection.close()
