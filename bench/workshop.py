"""How quick the workshop is: .venv/bin/python -m bench.workshop

A PostgreSQL cluster of its own with 5 000 jobs, gunicorn as bin/demo runs it: the Bench, a sheet as
PDF, a table of 10 000 rows looked through and written, the whole workshop out.
"""

from __future__ import annotations

import re
import statistics
import time
import tracemalloc
from datetime import timedelta

from bench.web import Visitor, fill, memory
from ops.demo import served
from ops.postgres import database

JOBS, LOOKS, ROWS, PAPERS = 5000, 100, 10_000, 5


def main() -> None:
    with database("postgres-bench"), served(None, reset=True) as address:
        plan = fill()
        jobs()
        person = Visitor(address)
        times = sorted(_ms(lambda: person.get("bench/")) for _ in range(LOOKS))
        print(
            f"the Bench among {JOBS} jobs, {LOOKS} times: median {statistics.median(times):.0f} ms,"
            f" p95 {times[int(len(times) * 0.95)]:.0f} ms (wanted: p95 100 ms)"
        )
        times = [_ms(lambda: _fetched(person, f"plans/{plan}/sheet.pdf")) for _ in range(PAPERS)]
        print(f"a sheet as PDF: {', '.join(f'{one:.0f}' for one in times)} ms (wanted: below 2000)")
        traced()
        table(person)
        took = _ms(lambda: _fetched(person, "data/workshop.json"))
        print(
            f"the whole workshop out: {took / 1000:.1f} s; a worker's memory then {memory():.0f} MB"
        )
        traced()


def jobs() -> None:
    """Most of them handed over, sixty open."""
    from django.db import connection
    from django.utils import timezone

    from kentrobar.frames.models import Frame, Person
    from kentrobar.workshop.models import Job, JobStep, TakenIn

    now, today = timezone.now(), timezone.localdate()
    people = Person.objects.bulk_create([Person(name=f"customer {i}") for i in range(300)])
    frames = list(Frame.objects.all()[:2000])
    made = Job.objects.bulk_create(
        [
            Job(
                person=people[i % 300], said=f"asked {i}", due=today + timedelta(days=i % 14),
                taken_in_at=now - timedelta(days=i % 900),
                closed_at=None if i < 60 else now - timedelta(days=i % 800),
            )
            for i in range(JOBS)
        ],
        1000,
    )  # fmt: skip
    TakenIn.objects.bulk_create(
        [TakenIn(job=job, frame=frames[i % len(frames)]) for i, job in enumerate(made)], 1000
    )
    kinds = list(JobStep.Kind.values)
    JobStep.objects.bulk_create(
        [
            JobStep(
                job=job, kind=kind, status="open" if i < 60 and n >= i % len(kinds) else "done",
                minutes=10 + (i + n) % 30, done_at=job.taken_in_at,
            )
            for i, job in enumerate(made)
            for n, kind in enumerate(kinds)
        ],
        2000,
    )  # fmt: skip
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")  # as the server does by itself after a while


def table(person: Visitor) -> None:
    """10 000 rows: half of them new frames, half readings for those."""
    head = "name;serial;condition;mass_g;balance_mm;swing_kgcm2;axis_mm;measured_on\n"
    lines = [
        f"Petrel {i % 50};p{i % 5000};as-played;{320 + i % 9},{i % 10};322;"
        f"{310 + i % 11};100;{1 + i // 5000}.9.2026"
        for i in range(ROWS)
    ]
    started = time.perf_counter()
    page = person.post("data/read/", {"text": head + "\n".join(lines)})
    looked = _waited(person, page)
    said = time.perf_counter() - started
    started = time.perf_counter()
    done = _waited(person, person.post("data/write/", {}))
    words = re.search(r"<b>(Written[^<]*)</b>", done)
    print(
        f"a table of {ROWS} rows: looked through and shown in {said:.1f} s ({looked.count('<tr')}"
        f" rows on the page), written in {time.perf_counter() - started:.1f} s:"
        f" {words and words[1]} (wanted: below 20 s)"
    )


def _waited(person: Visitor, page: str) -> str:
    while 'hx-trigger="load' in page:
        time.sleep(0.4)
        page = person.get("data/table/")
    return page


def traced() -> None:
    """Memory the export takes by itself, of the workshop as it is now."""
    from kentrobar.workshop.whole import streamed

    tracemalloc.start()
    size = sum(len(part) for part in streamed())
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    print(f"export of {size / 1e6:.0f} MB: {peak / 1e6:.1f} MB at its peak")


def _fetched(person: Visitor, path: str) -> int:
    with person.open(person.address + path) as answer:
        return len(answer.read())


def _ms(what) -> float:
    started = time.perf_counter()
    what()
    return (time.perf_counter() - started) * 1000


if __name__ == "__main__":
    main()
