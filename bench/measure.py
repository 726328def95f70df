"""What measuring costs: reducing, fitting, the Measure page among 100 000 readings, a live figure.

    .venv/bin/python -m bench.measure

Prints figures beside their targets; it judges nothing.
"""

from __future__ import annotations

import json
import math
import os
import random
import re
import subprocess
import sys
import tempfile
import time
from datetime import timedelta
from pathlib import Path

from ops import ROOT
from ops.demo import served
from ops.postgres import database

FRAMES, READINGS = 2000, 100_000
PAGES = 300


def main() -> None:
    reduce_lines()
    fit_recording()
    with database("postgres-bench", durable=False), served(None, reset=True) as address:
        fill()
        pages(address)
        live(address)
        memory()


def reduce_lines() -> None:
    rng = random.Random(1)
    lines = []
    for _ in range(1000):
        taps = [0.3 + i * 0.691 + rng.gauss(0, 0.015) for i in range(40)]
        lines.append(
            json.dumps(
                {
                    "format": "kentrobar-reading/1",
                    "method": "pendulum",
                    "mass_g": {"value": 318.4, "u": 0.1},
                    "balance_mm": {"value": 321, "u": 0.5},
                    "pivot_mm": {"value": 643, "u": 0.5},
                    "tap_times_s": taps,
                    "amplitude_deg": {"value": 8, "u": 1.5},
                    "axis_mm": 100,
                }
            )
        )
    with tempfile.NamedTemporaryFile("w", suffix=".jsonl") as file:
        file.write("\n".join(lines))
        file.flush()
        started = time.perf_counter()
        command = [sys.executable, "-m", "kentrobar.core", "reduce", "--lines", file.name]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True)
    took = time.perf_counter() - started
    assert done.stdout.count('"swing_kgcm2"') >= 1000
    print(f"1 000 pendulum readings through --lines      {took:8.2f} s    (under 2)")


def fit_recording() -> None:
    from kentrobar.core.measure.motion import read_motion

    rng = random.Random(2)
    rows = [
        f"{i / 100:.3f},{swung:.5f}"
        for i in range(6000)
        if (swung := math.exp(-0.0002 * i) * math.cos(2 * math.pi * i / 138.2) + rng.gauss(0, 0.1))
    ]
    text = "t,gyro\n" + "\n".join(rows)
    times = []
    for _ in range(6):
        started = time.perf_counter()
        read_motion(text)
        times.append((time.perf_counter() - started) * 1000)
    first, rest = times[0], sorted(times[1:])[2]
    print(
        f"a 60 s, 100 Hz recording                      {rest:7.0f} ms   (under 300; first in a"
        f" process {first:.0f})"
    )


def fill() -> None:
    import django

    django.setup()
    from django.utils import timezone

    from kentrobar.demo.frames import TERN
    from kentrobar.frames.models import Frame, Reading
    from kentrobar.measuring.models import Instrument, Use

    frames = []
    for i in range(FRAMES):
        frame = Frame(model="Knot", serial=f"k{i}")
        frame.set_outline(TERN)
        frames.append(frame)
    Frame.objects.bulk_create(frames)
    quantities = (
        ("mass_g", 317.0, None),
        ("balance_mm", 322.0, None),
        ("swing_kgcm2", 315.0, 100.0),
        ("twist_kgcm2", 13.4, None),
    )
    now, rng = timezone.now(), random.Random(3)
    readings = []
    for i in range(READINGS):
        quantity, value, axis = quantities[i % 4]
        # One frame in a thousand is somebody's favourite and was read very often.
        frame = frames[0] if i % 20 == 0 else frames[rng.randrange(FRAMES)]
        readings.append(
            Reading(
                frame=frame,
                quantity=quantity,
                value=value,
                u=0.1,
                axis_mm=axis,
                method="scale",
                condition=("bare", "strung", "as-played")[i % 3],
                read_at=now - timedelta(minutes=i),
            )
        )
    made = Reading.objects.bulk_create(readings, batch_size=5000)
    scale = Instrument.objects.get(name="Skerrow scale")
    uses = [
        Use(reading=one, instrument=scale, freedom=2, spread=0.05)
        for one in made
        if one.quantity == "mass_g"
    ]
    Use.objects.bulk_create(uses, batch_size=5000)
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("vacuum analyze")


def pages(address: str) -> None:
    from bench.web import Visitor
    from kentrobar.frames.models import Frame

    visitor = Visitor(address)
    keys = list(Frame.objects.filter(model="Knot").values_list("pk", flat=True)[:PAGES])
    for name, paths in (
        ("the Measure page", [f"frames/{key}/measure/?quantity=mass_g" for key in keys]),
        (
            "the same, a pendulum",
            [f"frames/{key}/measure/?quantity=swing_kgcm2&method=pendulum" for key in keys],
        ),
        ("the same, 5 000 readings of one frame", [f"frames/{keys[0]}/measure/"] * 100),
        ("all frames, compared bare", [f"?as=bare&page={i % 60}" for i in range(100)]),
    ):
        times = []
        for path in paths:
            started = time.perf_counter()
            visitor.get(path)
            times.append((time.perf_counter() - started) * 1000)
        times.sort()
        print(
            f"{name:45s} {times[int(len(times) * 0.95)]:7.1f} ms   (p95 under 100; median"
            f" {times[len(times) // 2]:.1f})"
        )


def live(address: str) -> None:
    """From a device's changed line to a page that asks every 200 ms: the panel puts something on
    the machine, and the page is asked until it shows it. The device itself takes up to 170 ms to be
    asked."""
    from bench.web import Visitor
    from kentrobar.devices.models import Line
    from kentrobar.measuring.models import Instrument

    visitor = Visitor(address)
    scale = Instrument.objects.get(name="Skerrow scale")
    delays: list[float] = []
    for _ in range(40):
        text = visitor.get(f"live/{scale.pk}/")
        line = Line.objects.get(instrument=scale)
        delays.append((time.time() - line.heard_at.timestamp()) * 1000)
        assert "live-figure" in text
        time.sleep(0.037)
    delays.sort()
    polls = []
    for _ in range(100):
        started = time.perf_counter()
        visitor.get(f"live/{scale.pk}/")
        polls.append((time.perf_counter() - started) * 1000)
    polls.sort()
    age, poll = delays[int(len(delays) * 0.95)], polls[95]
    print(
        f"a live figure's age when asked for            {age:7.0f} ms   (p95; a device that sends"
        " every 100)"
    )
    print(f"asking for it                                 {poll:7.1f} ms   (p95)")
    print(f"line to page: written at once, asked every 200 {200 + poll:6.0f} ms   (under 300)")


def memory() -> None:
    sizes = {}
    for name in ("gunicorn kentrobar", "read_lines", "devices.simulators"):
        pids = subprocess.run(
            ["pgrep", "-f", name], capture_output=True, text=True, check=False
        ).stdout.split()
        rss = []
        for pid in pids:
            status = Path(f"/proc/{pid}/status").read_text()
            found = re.search(r"VmRSS:\s+(\d+)", status)
            rss.append(int(found[1]) / 1024 if found else 0.0)
        sizes[name] = max(rss, default=0.0)
    print("memory, MB: " + ", ".join(f"{name} {size:.0f}" for name, size in sizes.items()))


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
    main()
