"""What strangers and careless programs can do to a shop: .venv/bin/python -m bench.attack

A demo of its own, attacked over loopback, each part bounded in count and time: `senders` (slow
bodies, half heads and live streams together), `sign-in` (many at once), `guesses` (passwords from
many addresses, codes at once), `one-job` (many people in one job), `pictures` (large when
unpacked), `fuzz` (bodies of every form and document). Without words, all of them.
"""

from __future__ import annotations

import argparse
import http.client
import io
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
from urllib.parse import urlencode, urlsplit

from ops import LOCAL
from ops.demo import served
from ops.postgres import database

from . import fuzz as bodies
from . import web
from .day import memory

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
             if folder.name == "body" or ".upload" in path.name]  # fmt: skip
    return sum(path.stat().st_size for path in found if path.is_file())


# --- signing in ---


def sign_ins(address: str) -> None:
    """Many who sign in at the same moment."""
    from django.contrib.auth import get_user_model

    from kentrobar.demo.workshop import PASSWORD

    for number in range(AT_ONCE):
        get_user_model().objects.create_user(f"person{number}", password=PASSWORD)

    def enter(number: int) -> float:
        started = time.perf_counter()
        web.Visitor(address, f"person{number}")
        return time.perf_counter() - started

    with ThreadPoolExecutor(AT_ONCE) as crowd:
        took = sorted(crowd.map(enter, range(AT_ONCE)))
    print(f"{AT_ONCE} sign in at once: {took[0]:.2f} to {took[-1]:.2f} s (wanted: within 3 s)")


def guesses(address: str) -> None:
    """Passwords of one account from a dozen addresses; codes at once, from as many."""
    from django.contrib.auth import get_user_model

    from kentrobar.accounts.models import SecondStep, Tries
    from kentrobar.demo.workshop import PASSWORD, USER

    Tries.objects.all().delete()
    sent = [_signed(address, f"127.0.0.{2 + i % 12}", USER, "guess")[0] for i in range(108)]
    print(f"108 wrong passwords from 12 addresses: {dict(Counter(sent))} (429: not looked at)")
    Tries.objects.all().delete()
    user = get_user_model().objects.get(username=USER)
    SecondStep.objects.create(user=user, secret="JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP")

    def enter(number: int) -> int:
        _, cookies = _signed(address, f"127.0.0.{2 + number}", USER, PASSWORD)
        return _sent(
            address, f"127.0.0.{2 + number}", "/sign-in/code/", {"code": "000000"}, cookies
        )[0]

    Tries.objects.all().delete()
    with ThreadPoolExecutor(9) as crowd:
        codes = Counter(crowd.map(enter, range(18)))
    print(f"18 wrong codes at once: {dict(codes)} (422: looked at; wanted: at most 6)")
    SecondStep.objects.all().delete()
    Tries.objects.all().delete()


def _sent(
    address: str, source: str, path: str, values: dict[str, str], cookies: dict[str, str]
) -> tuple[int, dict[str, str]]:
    """What a form sent from one of this machine's loopback addresses answers."""
    there = urlsplit(address)
    line = http.client.HTTPConnection(there.netloc, timeout=60, source_address=(source, 0))
    known = {"Referer": address, "Content-Type": "application/x-www-form-urlencoded"}
    if not cookies:
        line.request("GET", "/sign-in/", headers=known)
        cookies = _cookies(line.getresponse(), {})
    known["Cookie"] = "; ".join(f"{name}={value}" for name, value in cookies.items())
    token = next((value for name, value in cookies.items() if "csrf" in name), "")
    line.request("POST", path, urlencode(values | {"csrfmiddlewaretoken": token}), known)
    answer = line.getresponse()
    return answer.status, _cookies(answer, cookies)


def _cookies(answer: http.client.HTTPResponse, before: dict[str, str]) -> dict[str, str]:
    answer.read()
    came = [
        one.partition(";")[0].partition("=") for one in answer.headers.get_all("Set-Cookie", [])
    ]
    return before | {name: value for name, _, value in came}


def _signed(address: str, source: str, name: str, password: str) -> tuple[int, dict[str, str]]:
    return _sent(address, source, "/sign-in/", {"username": name, "password": password}, {})


# --- a shop at work ---


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
    """A picture of 79 megapixels in a few hundred KB, as a logo."""
    from PIL import Image

    person = web.Visitor(address)
    before = memory("gunicorn")
    for kind in ("PNG", "JPEG", "WEBP"):
        out = io.BytesIO()
        size = (10_000, 7900) if kind != "WEBP" else (3500, 2280)
        Image.new("RGB", size, "#787878").save(out, kind)
        try:
            person.send("settings/logo/", {}, out.getvalue(), box="logo")
        except urllib.error.HTTPError as error:
            error.read()
    print(f"large pictures: a web process of {before:.0f} MB held {memory('gunicorn'):.0f} MB")


def fuzz(address: str) -> None:
    """Odd bodies for documents and forms."""
    failed = bodies.documents(BODIES // 2) + bodies.forms(BODIES // 2)
    print(f"{BODIES} odd bodies: {sum(failed.values())} broke (wanted: 0)")
    for what, count in failed.most_common(40):
        print(f"   {count} × {what}")


if __name__ == "__main__":
    main()
