"""How quick the bench answers: .venv/bin/python -m bench.web

A PostgreSQL cluster of its own with 2 000 frames and 5 000 plans, gunicorn as bin/demo runs it, one
person moving a piece of a 12-piece plan 500 times, each move kept; then asking for recipes. Then
the browser's first load.
"""

from __future__ import annotations

import gzip
import os
import re
import statistics
import subprocess
import time
import urllib.error
import urllib.parse
import urllib.request
import uuid
from collections.abc import Mapping
from http.cookiejar import CookieJar
from pathlib import Path
from typing import NamedTuple

from ops.browser import chromium
from ops.demo import served
from ops.postgres import database

EMPTY = "nothing-here/"
"""A signed-in page with nothing on it: what pages are measured by."""
FRAMES, PLANS, MOVES, WISHES = 2000, 5000, 500, 60
PRINT = re.compile(r'id="([^"]+)" data-print="([0-9a-f]{8})"')
"""A region of the Plan's board, and what is held of it."""


def main() -> None:
    with database("postgres-bench"), served(None, reset=True) as address:
        plan = fill()
        person = Visitor(address)
        moves = person.move(plan)
        times = sorted(move.ms for move in moves)
        ratio = statistics.median(move.ms / move.empty_ms for move in moves)
        sizes = sorted(len(move.answer) / 1024 for move in moves)
        sent = max(len(gzip.compress(move.answer, 6)) / 1024 for move in moves)
        print(
            f"a moved piece, {MOVES} times among {FRAMES} frames and {PLANS} plans: median "
            f"{statistics.median(times):.1f} ms, p95 {times[int(len(times) * 0.95)]:.1f} ms, worst "
            f"{times[-1]:.1f} ms; {ratio:.2f} × an empty page (wanted: at most "
            f"3); median {statistics.median(sizes):.1f} KB, most {sizes[-1]:.1f} KB where a "
            f"piece of another kind is taken up, {sent:.1f} KB over the wire (wanted: 8)"
        )
        print(f"queries a move: {queries(plan)}")
        times = sorted(person.wish(plan))
        print(
            f"a wish of three figures changed and answered with recipes, {WISHES} times: median "
            f"{statistics.median(times):.0f} ms, p95 {times[int(len(times) * 0.95)]:.0f} ms"
        )
        print(f"a worker's memory: {memory():.0f} MB (wanted: at most 120)")
        print(f"first load of the Plan: {first_load(address, plan):.0f} KB (wanted: at most 120)")


def fill() -> int:
    """Many frames and plans beside the demo's; returns a plan with twelve pieces."""
    from django.contrib.auth import get_user_model
    from django.db import connection

    from bench.core import TWELVE
    from kentrobar.frames.choices import Quantity
    from kentrobar.frames.models import Frame, Person, Reading
    from kentrobar.plans import desk
    from kentrobar.plans.models import Plan, Step
    from kentrobar.plans.state import PlanState, with_ids
    from tests.core.frames import READ, TERN

    user = get_user_model().objects.get()
    players = Person.objects.bulk_create([Person(name=f"player {i}") for i in range(300)])
    frames = [
        Frame(model=f"Tern {i % 40}", serial=f"s{i}", player=players[i % 300])
        for i in range(FRAMES)
    ]
    for frame in frames:
        frame.set_outline(TERN)
    frames = Frame.objects.bulk_create(frames, 500)
    read = [
        Reading(
            frame=frame,
            quantity=quantity,
            value=getattr(READ, quantity.value),
            axis_mm=100 if quantity == Quantity.SWING else None,
            condition="as-played",
        )
        for frame in frames
        for quantity in Quantity
    ]
    Reading.objects.bulk_create(read, 1000)
    state = PlanState(measured=READ, condition="as-played", pieces=with_ids(TWELVE))
    content = state.stamped(state, 1).dump()
    plans = [
        Plan(frame=frames[i % FRAMES], name=f"Plan {i}", content=content) for i in range(PLANS)
    ]
    plans = Plan.objects.bulk_create(plans, 500)
    Step.objects.bulk_create([Step(plan=plan, number=0, content=content) for plan in plans], 500)
    with connection.cursor() as cursor:
        cursor.execute("analyze")  # as the server does by itself within a minute or two
    return desk.create(frames[0], "The one moved", state, user=user).pk


class Move(NamedTuple):
    """A moved piece: its milliseconds, those of an empty page just before, and what came."""

    ms: float
    empty_ms: float
    answer: bytes


class Visitor:
    """A signed-in person who speaks HTTP as the script of the page does."""

    def __init__(self, address: str, name: str = "") -> None:
        self.address = address
        self.cookies = CookieJar()
        self.open = urllib.request.build_opener(
            urllib.request.HTTPCookieProcessor(self.cookies)
        ).open
        from kentrobar.demo.workshop import PASSWORD, USER

        self.get("sign-in/")
        self.post("sign-in/", {"username": name or USER, "password": PASSWORD})

    def get(self, path: str) -> str:
        try:
            answer = self.open(self.address + path)
        except urllib.error.HTTPError as refused:
            if refused.code != 404:
                raise
            answer = refused  # the cheapest page with the shell, and the floor of all
        with answer:
            return str(answer.read().decode())

    def post(
        self, path: str, values: Mapping[str, object], holds: Mapping[str, str] | None = None,
        script: bool = True,
    ) -> str:  # fmt: skip
        """The answer; as the page's script asks, holding what it holds of a board, or a form."""
        told = " ".join(f"{key}:{seen}" for key, seen in (holds or {}).items())
        more = {"HX-Request": "true", "Kentrobar-Holds": told} if script else {}
        return self._sent(path, urllib.parse.urlencode(values, doseq=True).encode(), more)

    def send(self, path: str, values: Mapping[str, object], file: bytes, box: str = "file") -> str:
        """The answer to a form with a file."""
        mark = uuid.uuid4().hex
        parts = [f'name="{name}"\r\n\r\n{value}'.encode() for name, value in values.items()]
        about = f'name="{box}"; filename="swing.mp4"\r\nContent-Type: video/mp4\r\n\r\n'
        parts.append(about.encode() + file)
        start = f"--{mark}\r\nContent-Disposition: form-data; ".encode()
        body = b"".join(start + part + b"\r\n" for part in parts) + f"--{mark}--\r\n".encode()
        return self._sent(path, body, {"Content-Type": f"multipart/form-data; boundary={mark}"})

    def _sent(self, path: str, body: bytes, more: dict[str, str]) -> str:
        token = next(c.value for c in self.cookies if c.name.startswith("kentrobar-csrf"))
        known = {"X-CSRFToken": token or "", "Referer": self.address}
        request = urllib.request.Request(self.address + path, body, known | more)
        with self.open(request) as answer:
            return answer.read().decode()

    def took(self, path: str) -> float:
        """Milliseconds of a page."""
        started = time.perf_counter()
        self.get(path)
        return (time.perf_counter() - started) * 1000

    def move(self, plan: int) -> list[Move]:
        """MOVES moves: slides of one piece after the other, all kept; the page holds what it was
        sent."""
        page = self.get(f"plans/{plan}/")
        version, holds = version_of(page), dict(PRINT.findall(page))
        moves = []
        for i in range(MOVES):
            empty_ms = self.took(EMPTY)
            values = {"version": version, "pick": f"p{i % 11 + 1}", "mm": 5 if i % 22 < 11 else -5}
            started = time.perf_counter()
            page = self.post(f"plans/{plan}/edit/slide/", values, holds)
            ms = (time.perf_counter() - started) * 1000
            moves.append(Move(ms, empty_ms, page.encode()))
            if version_of(page) <= version and i % 11 != 8:
                raise SystemExit("a move was not kept")
            version = version_of(page)
            holds |= dict(PRINT.findall(page))
        return moves

    def wish(self, plan: int) -> list[float]:
        """Milliseconds of each of WISHES wishes for the plan's frame, each asked, solved and
        shown."""
        frame = re.search(r"frames/(\d+)/", self.get(f"plans/{plan}/"))[1]
        values = {
            "base": "as-played",
            "sites": ["sides", "tip", "shoulders", "handle"],
            "priority": "swing",
            "materials": ["lead-free tape, 6 mm", "putty"],
            "goal-mass_g": "+8 ± 1",
            "goal-balance_mm": "keep",
        }
        times = []
        for i in range(WISHES):
            values["goal-swing_kgcm2"] = f"+{6 + i % 12 / 2} ± 1"
            started = time.perf_counter()
            page = self.post(f"frames/{frame}/recipes/wish/", values)
            times.append((time.perf_counter() - started) * 1000)
            if "Recipe 1" not in page and "progress" not in page:
                raise SystemExit("a wish was not answered")
        return times


def version_of(page: str) -> int:
    return int(re.search(r'data-version="(\d+)"', page)[1])


def queries(plan: int) -> list[int]:
    """How many queries some moves take, counted in this process."""
    from django.contrib.auth import get_user_model
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext

    client = Client(SERVER_NAME="127.0.0.1")
    client.force_login(get_user_model().objects.get())
    counts = []
    for i in range(4):
        version = version_of(client.get(f"/plans/{plan}/").content.decode())
        with CaptureQueriesContext(connection) as captured:
            client.post(
                f"/plans/{plan}/edit/slide/",
                {"version": version, "pick": f"p{i + 1}", "mm": 5},
                headers={"HX-Request": "true"},
            )
        counts.append(len(captured))
    return counts


def memory() -> float:
    """The largest gunicorn process's resident memory, MB."""
    pids = subprocess.run(
        ["pgrep", "-f", "gunicorn.*kentrobar"], capture_output=True, text=True, check=True
    )
    sizes = []
    for pid in pids.stdout.split():
        status = Path(f"/proc/{pid}/status").read_text()
        sizes.append(int(re.search(r"VmRSS:\s+(\d+)", status)[1]) / 1024)
    return max(sizes)


def first_load(address: str, plan: int) -> float:
    """KB over the wire of a first visit to the Plan, the browser's own count."""
    from kentrobar.demo.workshop import PASSWORD, USER

    browser = chromium()
    try:
        browser.get(address + "sign-in/")
        browser.find_element("id", "id_username").send_keys(USER)
        browser.find_element("id", "id_password").send_keys(PASSWORD)
        browser.find_element("css selector", ".sign-in .btn").click()
        time.sleep(1)
        browser.execute_cdp_cmd("Network.clearBrowserCache", {})
        # Nobody has the page for when the server is away at their first visit, and what comes
        # through it is counted as it is unpacked.
        browser.execute_cdp_cmd("Network.enable", {})
        browser.execute_cdp_cmd("Network.setBypassServiceWorker", {"bypass": True})
        browser.get(f"{address}plans/{plan}/")
        time.sleep(1.5)
        total: int = browser.execute_script(
            "return ['navigation', 'resource'].flatMap((type) =>"
            " performance.getEntriesByType(type)).reduce((sum, entry) => sum +"
            " entry.transferSize, 0)"
        )
        return total / 1024
    finally:
        browser.quit()


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
    main()
