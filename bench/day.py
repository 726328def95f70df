"""A busy Saturday: .venv/bin/python -m bench.day [--quick]

Twelve people at once, each from a browser of their own: 60 jobs taken in, 400 readings kept, 300
searches asked and waited for, pieces moved, sheets looked at, a film each, four pages that wait for
live figures, a backup in between; the reader and two workers as bin/demo runs them. How long each
kind of request takes, what failed, and what was busiest. Then the same with a second web server,
and with a third worker beside, as other machines on the same PostgreSQL would be.
"""

from __future__ import annotations

import argparse
import random
import re
import statistics
import string
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
import uuid
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date, timedelta
from pathlib import Path

from ops import services
from ops.demo import served
from ops.front import Front
from ops.postgres import database

from . import web

PEOPLE, JOBS, READINGS, SEARCHES, MOVES, STREAMS = 12, 60, 400, 300, 10, 4
PAUSE_S = 0.15
"""Between two things one person does; a day goes by in minutes."""
LONGEST_S = 120.0
TRIES = 5
TICKS = 100.0
OTHER_PORT = 18950


class Day:
    """What is told of a day: seconds of every request by its kind, and what failed."""

    def __init__(self) -> None:
        self.took: dict[str, list[float]] = defaultdict(list)
        self.failed: list[str] = []
        self.lock = threading.Lock()

    @contextmanager
    def timed(self, kind: str) -> Iterator[None]:
        started = time.perf_counter()
        try:
            yield
        except (OSError, LookupError, TypeError) as error:
            with self.lock:
                self.failed.append(f"{kind}: {error}")
            return
        with self.lock:
            self.took[kind].append(time.perf_counter() - started)


def one_of_them(day: Day, number: int, address: str, film: bytes) -> None:
    """What one person does of the day."""
    person = _signed_in(day, address)
    jobs, readings, searches = JOBS // PEOPLE, READINGS // JOBS, SEARCHES // JOBS
    for job in range(jobs):
        mark = f"{number}-{job}-{uuid.uuid4().hex[:6]}"
        frame = 0
        with day.timed("taken in"):
            frame = _taken_in(person, mark)
        if not frame:
            continue
        for i in range(readings + (number + job < READINGS % JOBS)):
            with day.timed("reading"):
                _read(person, frame, i)
            time.sleep(PAUSE_S)
        for page in ("", "advice/", "feel/", "measure/"):
            with day.timed("page"):
                person.get(f"frames/{frame}/{page}")
        for i in range(searches):
            with day.timed("search, asked to answered"):
                _searched(person, frame, i)
            time.sleep(PAUSE_S)
        _planned(day, person, frame)
        if job == jobs // 2:
            with day.timed("film, handed in to seen"):
                _filmed(person, frame, film)
        for page in ("bench/", "", "plans/", "find/?q=petrel"):
            with day.timed("page"):
                person.get(page)


def _signed_in(day: Day, address: str) -> web.Visitor:
    """Passwords are checked one after another: the last of many waits, and tries again if need
    be."""
    for _ in range(TRIES):
        with day.timed("signed in"):
            return web.Visitor(address)
    raise LookupError("nobody can sign in")


def _taken_in(person: web.Visitor, mark: str) -> int:
    row = {
        "like": "racket-98", "condition": "as-played", "maker": "Skua", "model": "Petrel 98",
        "serial": mark, "mass_g": "311.8", "balance_mm": "322", "swing_kgcm2": "305",
    }  # fmt: skip
    form = {f"new-0-{name}": text for name, text in row.items()}
    # Nobody like another: the counter asks whether two of like names are one.
    who = "".join(random.choices(string.ascii_lowercase, k=10)).title()
    # Nor for one day: an over-full one is asked about.
    due = date.today() + timedelta(days=random.randint(2, 300))
    page = person.post("jobs/new/", form | {
        "who": who, "said": "slides in my hand", "due": f"{due}",
        "new-TOTAL_FORMS": 1, "new-INITIAL_FORMS": 0, "once": uuid.uuid4().hex,
    }, script=False)  # fmt: skip
    return int(re.search(r"/frames/(\d+)/", page)[1])


def _read(person: web.Visitor, frame: int, i: int) -> None:
    page = person.post(f"frames/{frame}/measure/", {
        "method": "scale", "condition": "as-played", "readings": f"{311.6 + i / 10:.1f} 311.7",
        "resolution": "0.1", "once": uuid.uuid4().hex,
    }, script=False)  # fmt: skip
    if "has-fault" in page:
        raise LookupError("a reading was refused")


def _searched(person: web.Visitor, frame: int, i: int) -> None:
    path = f"frames/{frame}/recipes/"
    page = person.post(f"{path}wish/", {
        "base": "as-played", "sites": ["sides", "tip", "shoulders", "handle"], "priority": "swing",
        "materials": ["lead-free tape, 6 mm", "putty"], "goal-mass_g": "+8 ± 1",
        "goal-balance_mm": "keep", "goal-swing_kgcm2": f"+{6 + i / 2} ± 1",
    })  # fmt: skip
    _waited(lambda: person.get(f"{path}answer/"), "Recipe 1", page)


def _filmed(person: web.Visitor, frame: int, film: bytes) -> None:
    asked = {"method": "pendulum", "quantity": "swing_kgcm2", "condition": "as-played"}
    page = person.send(f"frames/{frame}/film/", asked | {"slowed": "1"}, film)
    path = f"frames/{frame}/film/?" + "&".join(f"{k}={v}" for k, v in asked.items())
    _waited(lambda: person.get(path), "film-take", page, "/film/take/")


def _waited(ask: Callable[[], str], *words: str) -> None:
    end = time.monotonic() + LONGEST_S
    told, page, *also = words
    while not any(word in page for word in (told, *also)):
        if time.monotonic() > end:
            raise LookupError("no answer")
        time.sleep(0.3)
        page = ask()


def _planned(day: Day, person: web.Visitor, frame: int) -> None:
    page = ""
    with day.timed("plan begun"):
        page = person.post(f"frames/{frame}/plans/new/", {"condition": "as-played"}, script=False)
    found = re.search(r"/plans/(\d+)/board/", page)
    if found is None:
        return
    plan = found[1]
    holds, version = dict(web.PRINT.findall(page)), web.version_of(page)
    asked: list[tuple[str, dict[str, object]]] = [("put", {"what": "tape"})] * 3
    asked += [("slide", {"mm": 5 if i % 2 else -3}) for i in range(MOVES)]
    pick = ""
    for name, values in asked:
        with day.timed("moved piece"):
            posted = values | {"version": version, "pick": pick}
            page = person.post(f"plans/{plan}/edit/{name}/", posted, holds)
            version, holds = web.version_of(page), holds | dict(web.PRINT.findall(page))
            pick = re.search(r'data-pick="([^"]*)"', page)[1]
        time.sleep(PAUSE_S)
    with day.timed("page"):
        person.get(f"plans/{plan}/sheet/")


def streaming(day: Day, address: str, end: threading.Event) -> None:
    """A page that waits for live figures."""
    from kentrobar.measuring.models import Instrument

    person = _signed_in(day, address)
    keys = Instrument.objects.exclude(port="").values_list("pk", flat=True)[:2]
    path = "live/stream/?of=" + ",".join(str(key) for key in keys)
    while not end.is_set():
        # The server ends it after a while, and a browser opens it again.
        try:
            with person.open(address + path, timeout=30) as answer:
                while not end.is_set() and answer.readline():
                    pass
        except urllib.error.HTTPError as error:
            day.failed.append(f"stream: {error}")
            return
        except OSError:
            continue


# --- who is busy ---------------------------------------------------------------------------------

PARTS = {
    "web": "gunicorn", "workers": "manage.py work", "reader": "read_lines",
    "PostgreSQL": "postgres",
}  # fmt: skip


def spent() -> dict[str, float]:
    """Seconds of a core each part has used up to now, and MB of the largest process of it."""
    found = dict.fromkeys(PARTS, 0.0)
    for one in Path("/proc").glob("[0-9]*"):
        try:
            command = (one / "cmdline").read_text().replace("\0", " ")
            times = (one / "stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        for part, word in PARTS.items():
            if word in command:
                found[part] += (int(times[11]) + int(times[12])) / TICKS
                break
    return found


def memory(word: str) -> float:
    """MB the largest process of a part holds."""
    sizes = [0.0]
    for one in Path("/proc").glob("[0-9]*"):
        try:
            if word in (one / "cmdline").read_text().replace("\0", " "):
                status = (one / "status").read_text()
                sizes.append(int(re.search(r"VmRSS:\s+(\d+)", status)[1]) / 1024)
        except (OSError, TypeError):
            continue
    return max(sizes)


def played(addresses: list[str], film: bytes) -> None:
    """A day, and what it was like."""
    day, end = Day(), threading.Event()
    before, started = spent(), time.perf_counter()
    people = [
        threading.Thread(target=one_of_them, args=(day, i, addresses[i % len(addresses)], film))
        for i in range(PEOPLE)
    ]
    waiting = [
        threading.Thread(target=streaming, args=(day, addresses[0], end), daemon=True)
        for _ in range(STREAMS)
    ]
    for one in [*people, *waiting]:
        one.start()
    time.sleep(5)
    with tempfile.TemporaryDirectory() as folder, day.timed("backup"):
        command = [sys.executable, "manage.py", "backup", "--to", folder]
        done = subprocess.run(command, check=False, capture_output=True, text=True)
        if done.returncode:
            raise LookupError(f"the backup failed: {done.stderr.strip()[-300:]}")
    for one in people:
        one.join()
    seconds = time.perf_counter() - started
    end.set()
    after = spent()
    print(f"{'':28}{'count':>7}{'p50':>10}{'p95':>10}{'worst':>10}")
    for kind, took in sorted(day.took.items()):
        took.sort()
        p50, p95 = statistics.median(took), took[int(len(took) * 0.95)]
        told = "".join(f"{x * 1000:>7.0f} ms" for x in (p50, p95, took[-1]))
        print(f"{kind:28}{len(took):>7}{told}")
    print(f"errors: {len(day.failed)}", *sorted(set(day.failed))[:5])
    used = {part: after[part] - before[part] for part in PARTS}
    busiest = max(used, key=lambda part: used[part])
    told = ", ".join(f"{part} {x / seconds:.2f}" for part, x in used.items())
    print(f"{seconds:.0f} s; cores used: {told}; busiest: {busiest}")


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--quick", action="store_true", help="a fifth of it, to see that it runs")
    if options.parse_args().quick:
        global JOBS, READINGS, SEARCHES
        JOBS, READINGS, SEARCHES = 12, 80, 60
    film = _film()
    with database("postgres-bench"), served(None, reset=True) as address:
        web.fill()
        print("one web server, two workers")
        played([address], film)
        print(f"memory of the largest: web {memory('gunicorn'):.0f} MB, worker", end=" ")
        print(f"{memory('manage.py work'):.0f} MB")
        front = Front(f"127.0.0.1:{OTHER_PORT}", name="other")
        others, third = front.services(), services.python("worker 3", "manage.py", "work")
        for one in others:
            one.start()
        services.wait_for(others, f"http://127.0.0.1:{OTHER_PORT}/")
        try:
            print("\nand a second web server")
            played([address, f"http://127.0.0.1:{OTHER_PORT}/"], film)
            third.start()
            print("\nand a third worker")
            played([address, f"http://127.0.0.1:{OTHER_PORT}/"], film)
        finally:
            for one in (*others, third):
                one.stop()


def _film() -> bytes:
    from tests.core.films import Scene, written

    with tempfile.TemporaryDirectory() as folder:
        scene = Scene(period_s=1.382, seconds=20.0, width=640, height=360)
        return written(scene, Path(folder) / "swing.mp4").read_bytes()


if __name__ == "__main__":
    main()
