"""What strangers and careless programs can do to a shop: .venv/bin/python -m bench.attack

A demo of its own, attacked over loopback, each part bounded in count and time: `senders` (slow
bodies, half heads and live streams together), `sign-in` (many at once), `guesses` (passwords from
many addresses, codes at once), `one-job` (many people in one job), `pictures` (large when
unpacked), `fuzz` (bodies of every form and document). Without words, all of them.
"""

from __future__ import annotations

import argparse
import socket
import statistics
import threading
import time
import urllib.error
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import date
from pathlib import Path
from urllib.parse import urlsplit

from ops import LOCAL
from ops.demo import served
from ops.postgres import database

from . import web

SLOW_BODIES, HALF_HEADS, STREAMS = 40, 50, 20
LASTS_S = 30.0
AT_ONCE = 16
PEOPLE, MOVES = 30, 6
BODIES = 5000


def main() -> None:
    parts: dict[str, Callable[[str], None]] = {
        "senders": senders, "sign-in": sign_ins, "guesses": guesses, "one-job": one_job,
        "pictures": pictures, "fuzz": fuzz,
    }  # fmt: skip
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("parts", nargs="*", choices=[*parts, []])
    chosen = parser.parse_args().parts or list(parts)
    with database("postgres-bench"), served(None, reset=True) as address:
        for name in chosen:
            started = time.monotonic()
            parts[name](address)
            print(f"   ({name}: {time.monotonic() - started:.0f} s)", flush=True)


# --- connections ---


def senders(address: str) -> None:
    """Everybody's page while strangers hold connections."""
    person = web.Visitor(address)
    pages = ["sign-in/", "", "bench/", "jobs/", "stock/", "plans/", "instruments/"]
    alone = [_took(person, page) for _ in range(3) for page in pages]
    end = threading.Event()
    attackers = [
        *(threading.Thread(target=_slow_body, args=(address, end)) for _ in range(SLOW_BODIES)),
        *(threading.Thread(target=_half_head, args=(address, end)) for _ in range(HALF_HEADS)),
        *(threading.Thread(target=_stream, args=(person, end)) for _ in range(STREAMS)),
    ]
    for one in attackers:
        one.start()
    time.sleep(3)
    took, most_bytes, until = [], 0, time.monotonic() + LASTS_S
    while time.monotonic() < until:
        took += [_took(person, page) for page in pages]
        most_bytes = max(most_bytes, _bytes_held())
    end.set()
    for one in attackers:
        one.join(10)
    print(
        f"{SLOW_BODIES} slow bodies, {HALF_HEADS} half heads, {STREAMS} streams: {len(took)} pages,"
        f" median {statistics.median(took):.3f} s, worst {max(took):.3f} s (wanted: 1 s; alone "
        f"{statistics.median(alone):.3f}, worst {max(alone):.3f}); {most_bytes} bytes of unsigned"
        " bodies on disk (wanted: 0)"
    )


def _took(person: web.Visitor, page: str) -> float:
    started = time.perf_counter()
    with person.open(person.address + page, timeout=60) as answer:
        answer.read()
    return time.perf_counter() - started


def _line(address: str) -> socket.socket:
    there = urlsplit(address)
    return socket.create_connection((there.hostname or "", there.port or 80), timeout=10)


def _slow_body(address: str, end: threading.Event) -> None:
    """A workshop said to be 1 GB, one byte every two seconds; hung up on, it calls again."""
    while not end.is_set():
        try:
            with _line(address) as line:
                line.sendall(
                    b"POST /data/restore/ HTTP/1.1\r\nHost: 127.0.0.1\r\n"
                    b"Content-Type: application/x-www-form-urlencoded\r\n"
                    b"Content-Length: 1000000000\r\n\r\n"
                )
                while not end.wait(2):
                    line.sendall(b"x")
        except OSError:
            end.wait(1)


def _half_head(address: str, end: threading.Event) -> None:
    while not end.is_set():
        try:
            with _line(address) as line:
                line.sendall(b"GET / HTTP/1.1\r\nHost: 127.0.0.1\r\nX-A: ")
                while not end.wait(1):
                    line.sendall(b"a")
        except OSError:
            end.wait(0.2)


def _stream(person: web.Visitor, end: threading.Event) -> None:
    from kentrobar.measuring.models import Instrument

    keys = Instrument.objects.exclude(port="").values_list("pk", flat=True)[:2]
    path = "live/stream/?of=" + ",".join(str(key) for key in keys)
    while not end.is_set():
        try:
            with person.open(person.address + path, timeout=10) as answer:
                while not end.is_set() and answer.readline():
                    pass
        except OSError:
            end.wait(0.5)  # as many as there may be: a page asks again


def _bytes_held() -> int:
    """Of bodies on their way, in whichever folder one is kept."""
    folders = (LOCAL / "front" / "body", Path("/tmp"))
    found = [path for folder in folders for path in folder.glob("*")
             if folder.name == "body" or path.name.endswith(".upload")]  # fmt: skip
    return sum(path.stat().st_size for path in found if path.is_file())


# --- signing in ---


def sign_ins(address: str) -> None:
    """Many who sign in at the same moment."""

    def enter(_: int) -> float:
        started = time.perf_counter()
        web.Visitor(address)
        return time.perf_counter() - started

    with ThreadPoolExecutor(AT_ONCE) as crowd:
        took = sorted(crowd.map(enter, range(AT_ONCE)))
    print(f"{AT_ONCE} sign in at once: {took[0]:.2f} to {took[-1]:.2f} s (wanted: within 3 s)")


def guesses(address: str) -> None:
    raise SystemExit("not yet")


def one_job(address: str) -> None:
    """Many people who move pieces of frames of one job, and of frames in none."""
    shared, alone = _laid(in_one_job=True), _laid(in_one_job=False)
    people = [web.Visitor(address) for _ in range(PEOPLE)]
    took: dict[str, list[float]] = {"in one job": [], "in none": []}
    failed = Counter[str]()

    def work(person: web.Visitor, plan: int, kind: str) -> None:
        version = web.version_of(person.get(f"plans/{plan}/"))
        for i in range(MOVES):
            started = time.perf_counter()
            try:
                values = {"version": version, "pick": "p1", "mm": 5 if i % 2 else -5}
                version = web.version_of(person.post(f"plans/{plan}/edit/slide/", values))
            except urllib.error.HTTPError as error:
                failed[f"{kind}: {error.code}"] += 1
            took[kind].append(time.perf_counter() - started)

    for _ in range(3):  # taken in turns, for the machine has moods
        for kind, plans in (("in none", alone), ("in one job", shared)):
            with ThreadPoolExecutor(PEOPLE) as crowd:
                list(crowd.map(work, people, plans, [kind] * PEOPLE))
    p95 = {kind: sorted(times)[int(0.95 * len(times))] for kind, times in took.items()}
    told = ", ".join(f"{kind} p95 {seconds:.2f} s" for kind, seconds in p95.items())
    ratio = p95["in one job"] / p95["in none"]
    print(f"{PEOPLE} people move pieces: {told}, {ratio:.2f} × (wanted: 1.2 ×); {dict(failed)}")


def _laid(in_one_job: bool) -> list[int]:
    """Plans with a piece, of as many frames as there are people."""
    from bench.core import TWELVE
    from kentrobar.frames.models import Frame, Person
    from kentrobar.plans import desk
    from kentrobar.plans.state import PlanState, with_ids
    from kentrobar.workshop.models import Job, JobStep, TakenIn
    from tests.core.frames import READ, TERN

    state = PlanState(measured=READ, condition="as-played", pieces=with_ids(TWELVE))
    job = (
        Job.objects.create(due=date.today(), person=Person.objects.create(name="thirty"))
        if in_one_job
        else None
    )
    plans = []
    for number in range(PEOPLE):
        frame = Frame(model="Tern 98", serial=f"{'job' if job else 'own'} {number}")
        frame.set_outline(TERN)
        frame.save()
        frame.take_readings(READ, "as-played")
        if job:
            TakenIn.objects.create(job=job, frame=frame)
        plans.append(desk.create(frame, "Plan 1", state).pk)
    if job:
        JobStep.objects.bulk_create([JobStep(job=job, kind=kind) for kind in JobStep.Kind])
    return plans


def pictures(address: str) -> None:
    raise SystemExit("not yet")


def fuzz(address: str) -> None:
    raise SystemExit("not yet")


if __name__ == "__main__":
    main()
