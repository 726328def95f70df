"""Every page beside an empty one: .venv/bin/python -m bench.pages [--grown]

A cluster of its own with 2 000 frames and 5 000 plans; `--grown` measures first among ten plans and
then among ten years of a busy shop (200 000 readings, 50 000 plans), and prints how much slower
each page became. Times are medians over HTTP from gunicorn as bin/demo runs it, as multiples of an
empty signed-in page of the same run; queries and bytes (gzip) are of one answer.
"""

from __future__ import annotations

import argparse
import gzip
import statistics

from ops.demo import served
from ops.postgres import database

from . import web

ROUNDS = 15
YEARS = {"frames": 5000, "plans": 50_000, "readings": 200_000}


def main() -> None:
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--grown", action="store_true")
    is_grown = options.parse_args().grown
    with database("postgres-bench"), served(None, reset=True) as address:
        if is_grown:
            web.FRAMES, web.PLANS = 10, 10
        plan = web.fill()
        person = web.Visitor(address)
        pages = addresses(plan)
        first = {name: took(person, path) for name, path in pages.items()}
        if not is_grown:
            _print(first, person, pages)
            return
        grow()
        later = {name: took(person, path) for name, path in pages.items()}
        print(f"{'page':22}{'of ten':>10}{'of ten years':>14}{'':>8}")
        for name in pages:
            (before, _), (after, _) = first[name], later[name]
            print(f"{name:22}{before:>7.1f} ms{after:>11.1f} ms{after / before:>7.2f}×")


def addresses(plan: int) -> dict[str, str]:
    from kentrobar.plans.models import Plan

    frame = Plan.objects.get(pk=plan).frame_id
    return {
        "empty": web.EMPTY, "Bench": "bench/", "Frames": "", "Frames, found": "?q=s7",
        "Frame": f"frames/{frame}/", "Measure": f"frames/{frame}/measure/",
        "Advice": f"frames/{frame}/advice/", "Recipes": f"frames/{frame}/recipes/",
        "Feel": f"frames/{frame}/feel/", "One gram": f"frames/{frame}/one-gram/",
        "History": f"frames/{frame}/history/", "Plans": "plans/", "Plan": f"plans/{plan}/",
        "Sheet": f"plans/{plan}/sheet/", "Trial": f"plans/{plan}/trial/", "Match": "match/",
        "Stock": "stock/", "Instruments": "instruments/", "Jobs": "jobs/", "People": "people/",
        "Find": "find/?q=tern", "Settings": "settings/", "Quick": "quick/",
    }  # fmt: skip


def took(person: web.Visitor, path: str) -> tuple[float, float]:
    """Median milliseconds, and × an empty page asked for just before each: what the machine does
    beside it, it does to both."""
    person.took(path)
    pairs = [(person.took(web.EMPTY), person.took(path)) for _ in range(ROUNDS)]
    ratio = statistics.median(one / empty for empty, one in pairs)
    return statistics.median(one for _, one in pairs), ratio


def _print(
    found: dict[str, tuple[float, float]], person: web.Visitor, pages: dict[str, str]
) -> None:
    print(f"an empty signed-in page: {found['empty'][0]:.1f} ms")
    print(f"{'page':18}{'ms':>8}{'× empty':>9}{'queries':>9}{'KB':>7}")
    for name, path in pages.items():
        size = len(gzip.compress(person.get(path).encode(), 6)) / 1024
        ms, ratio = found[name]
        print(f"{name:18}{ms:>8.1f}{ratio:>9.2f}{_queries(path):>9}{size:>7.1f}")


def _queries(path: str) -> int:
    from django.contrib.auth import get_user_model
    from django.db import connection
    from django.test import Client
    from django.test.utils import CaptureQueriesContext

    client = Client()
    client.force_login(get_user_model().objects.first())
    client.get("/" + path, HTTP_HOST="127.0.0.1")
    with CaptureQueriesContext(
        connection,
    ) as seen:
        client.get("/" + path, HTTP_HOST="127.0.0.1")
    return len(seen)


def grow() -> None:
    """Ten years of a busy shop beside what is there."""
    from django.db import connection

    from bench.core import TWELVE
    from kentrobar.frames.models import Frame, Reading
    from kentrobar.plans.models import Plan, Step
    from kentrobar.plans.state import PlanState, with_ids
    from tests.core.frames import READ, TERN

    frames = [Frame(model=f"Fulmar {i % 90}", serial=f"y{i}") for i in range(YEARS["frames"])]
    for frame in frames:
        frame.set_outline(TERN)
    frames = Frame.objects.bulk_create(frames, 1000)
    figures = [
        ("mass_g", None),
        ("balance_mm", None),
        ("swing_kgcm2", 100.0),
        ("twist_kgcm2", None),
    ]
    for start in range(0, YEARS["readings"], 20_000):
        Reading.objects.bulk_create(
            (
                Reading(
                    frame=frames[i // 4 % len(frames)], quantity=figures[i % 4][0],
                    value=getattr(READ, figures[i % 4][0]), axis_mm=figures[i % 4][1],
                    condition="as-played",
                )
                for i in range(start, start + 20_000)
            ),
            2000,
        )  # fmt: skip
    state = PlanState(measured=READ, condition="as-played", pieces=with_ids(TWELVE))
    content = state.stamped(state, 1).dump()
    for start in range(0, YEARS["plans"], 10_000):
        plans = Plan.objects.bulk_create(
            [
                Plan(frame=frames[i % len(frames)], name=f"Plan {i}", content=content)
                for i in range(start, start + 10_000)
            ],
            1000,
        )
        Step.objects.bulk_create(
            [Step(plan=plan, number=0, content=content) for plan in plans], 1000
        )
    with connection.cursor() as cursor:
        cursor.execute("vacuum analyze")


if __name__ == "__main__":
    main()
