"""The process that keeps every instrument's line open and writes down what it says.

One does it for a workshop, so that pages only look and never wait. It follows instruments as they
are added and changed, and takes orders (set to zero) from pages over the database.
"""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime

import psycopg
from django.db import DatabaseError, connection
from django.utils import timezone

from kentrobar.measuring import lines_here
from kentrobar.measuring.models import Instrument

from .lines import LineState, Watch, Wiring
from .models import CHANNEL, FOLLOW, NEWS, Line

LOOK_EVERY = 1.0
FOLLOW_EVERY = 5.0
"""How soon an instrument that was added or changed is followed."""
LOCK = 7_206_931
log = logging.getLogger(__name__)


def read_lines(stop: threading.Event, say: Callable[[str], None] = log.info) -> None:
    """Follow all connected instruments until ``stop`` is set."""
    watches: dict[int, Watch] = {}
    orders: psycopg.Connection | None = None
    try:
        while not stop.is_set():
            try:
                if orders is None:
                    orders = _only_one(stop)
                    say("Reading the lines.")
                _follow_instruments(watches)
                _take_orders(orders, watches, stop)
            except (psycopg.Error, DatabaseError) as error:
                log.warning("The database is away: %s", error)
                orders = None
                connection.close()
                stop.wait(LOOK_EVERY)
    finally:
        for watch in watches.values():
            watch.stop()
        for watch in watches.values():
            watch.join()
        if orders is not None:
            orders.close()
        connection.close()


def _only_one(stop: threading.Event) -> psycopg.Connection:
    """A connection of its own for orders, which also holds the lock that lets one process read."""
    settings = connection.get_connection_params()
    own = psycopg.connect(
        **{k: v for k, v in settings.items() if k not in ("cursor_factory", "context")},
        autocommit=True,
    )
    while not own.execute("select pg_try_advisory_lock(%s)", [LOCK]).fetchone()[0]:  # type: ignore[index]
        if stop.wait(LOOK_EVERY):
            break
    own.execute(f"listen {CHANNEL}")
    return own


def _follow_instruments(watches: dict[int, Watch]) -> None:
    wanted = {
        one.pk: wiring(one)
        for one in Instrument.live.exclude(port="")
        if not lines_here.is_bridged(one.port) and lines_here.may_be(one.port)
    }
    for key in [key for key, watch in watches.items() if wanted.get(key) != watch.wiring]:
        watches.pop(key).stop()
    for key, one in wanted.items():
        if key not in watches:
            Line.objects.get_or_create(instrument_id=key)
            watches[key] = Watch(one, write_down, lambda: connection.close())
            watches[key].start()
    now = timezone.now()
    Line.objects.filter(instrument_id__in=wanted).update(beat_at=now)
    heard = [key for key, watch in watches.items() if watch.is_heard]
    Line.objects.filter(instrument_id__in=heard).update(heard_at=now)


def _take_orders(
    orders: psycopg.Connection, watches: dict[int, Watch], stop: threading.Event
) -> None:
    until = time.monotonic() + FOLLOW_EVERY
    while time.monotonic() < until and not stop.is_set():
        for note in orders.notifies(timeout=LOOK_EVERY):
            key, _, word = note.payload.partition(" ")
            if key == FOLLOW:
                return
            watch = watches.get(int(key)) if key.isdecimal() else None
            if watch is not None:
                watch.orders.put(_one_line(word))


def wiring(instrument: Instrument) -> Wiring:
    return Wiring(
        instrument.pk, instrument.name, instrument.kind, instrument.port, instrument.baud,
        instrument.talk == "asked", _one_line(instrument.ask), _one_line(instrument.tare),
    )  # fmt: skip


def _one_line(word: str) -> str:
    """A word as it may be sent: a row from elsewhere may hold anything."""
    return "".join(one for one in word if " " <= one <= "~")


# The one thing that is done many times a second, day and night: one way to the database and back.
_NEWS = """
    with told as (
        update devices_line set state = %s, word = %s, value = %s, is_stable = %s, text = %s,
            passes = %s, heard_at = %s, beat_at = now()
        where instrument_id = %s
    )
    select pg_notify(%s, %s)
"""


def write_down(of: Wiring, told: LineState) -> None:
    """One update a line's news; from the watch's own thread, on its own connection."""
    try:
        heard = datetime.fromtimestamp(told.heard, UTC) if told.heard else None
        with connection.cursor() as cursor:
            cursor.execute(
                _NEWS,
                [
                    told.state, told.word[:200], told.value, told.is_stable, told.text,
                    json.dumps(told.passes), heard, of.key, NEWS, str(of.key),
                ],
            )  # fmt: skip
    except DatabaseError as error:
        log.warning("Not written down: %s", error)
        connection.close()
