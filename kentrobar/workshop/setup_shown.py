"""A search for a set-up as pages show it: what to move, what was said, and two maps of where it has
looked."""

from __future__ import annotations

import random
from dataclasses import dataclass
from typing import Any

from kentrobar.core.court.search import NOTICED, Standing
from kentrobar.core.court.space import FIGURES
from kentrobar.core.reader import fixed, percent

from .blind import COVERS
from .models import SetupSearch

MAPS = (("swing_kgcm2", "balance_mm"), ("twist_kgcm2", "mass_g"))
SIZE, MARGIN = 230.0, 26.0
LABELS = {
    "mass_g": "mass, g", "balance_mm": "balance, mm", "swing_kgcm2": "swing weight, kg·cm²",
    "twist_kgcm2": "twist weight, kg·cm²",
}  # fmt: skip


def covers_of(chance: random.Random) -> list[str]:
    """The names set-ups go by on court, in an order nobody can foresee."""
    return chance.sample(COVERS, len(COVERS))


def moves(row: SetupSearch) -> list[dict[str, Any]]:
    """The pairs of the session at hand: for each set-up its cover and what to move for it, from the
    one before."""
    return [] if row.is_answered else all_moves(row)


def all_moves(row: SetupSearch) -> list[dict[str, Any]]:
    """The same of a session that is answered, too."""
    last = len(row.sessions) - 1
    done = {one["pair"] for one in row.answers if one["session"] == last}
    before, found = row.fitted_before(), []
    for i, pair in enumerate(row.sessions[last]):
        steps = []
        for one in pair:
            steps.append({"setup": one, "cover": row.cover(one), "name": row.named(one),
                          "moves": _moves(row, before, one)})  # fmt: skip
            before = one
        found.append({"number": i + 1, "steps": steps, "is_done": i in done})
    return found


def _moves(row: SetupSearch, before: int, wanted: int) -> list[str]:
    then, now = (row.content["setups"][one]["grams"] for one in (before, wanted))
    found = []
    for key, name in row.content["names"].items():
        was, want = then.get(key, 0.0), now.get(key, 0.0)
        if abs(was - want) < 1e-6:
            continue
        if not want:
            found.append(f"{name}: take it off")
        else:
            put_on = row.at_site(wanted, name)
            found.append(f"{name}: {put_on}{' instead' if was else ''}")
    same = [
        name for key, name in row.content["names"].items()
        if then.get(key, 0.0) and abs(then.get(key, 0.0) - now.get(key, 0.0)) < 1e-6
    ]  # fmt: skip
    return [*found, *(f"leave {name}" for name in same)] or ["nothing to move"]


def rows_of(row: SetupSearch) -> list[dict[str, Any]]:
    """What was answered, the newest first."""
    words = {"better": "better than", "worse": "worse than", "same": "the same as"}
    found = []
    for one in row.answers:
        a, b = row.sessions[one["session"]][one["pair"]]
        aspects = ", ".join(f"{key} {said}" for key, said in one.get("aspects", {}).items())
        found.append({"first": row.cover(a), "said": words[one["said"]], "second": row.cover(b),
                      "aspects": aspects})  # fmt: skip
    return found[::-1]


@dataclass(frozen=True, slots=True)
class Spot:
    x: float
    y: float
    r: float
    kind: str
    label: str


def maps(row: SetupSearch, now: Standing) -> list[dict[str, Any]]:
    """Two maps of all set-ups: larger where the one liked most is likelier, ringed where tried."""
    places, region = row.places(), now.region
    tried = {0} | {one for drawn in row.sessions for pair in drawn for one in pair}
    found = []
    for across, up in MAPS:
        i, j = FIGURES.index(across), FIGURES.index(up)
        xs, ys = places[:, i] * NOTICED[across], places[:, j] * NOTICED[up]
        x, y = _scale(xs, MARGIN, SIZE - 10), _scale(ys, SIZE - MARGIN, 10)
        spots = []
        for k in range(len(places)):
            kind = "best" if k == now.best else "tried" if k in tried else "other"
            words = f"{fixed(float(xs[k]), 1, True)}, {fixed(float(ys[k]), 1, True)}"
            share = float(region[k]) if row.answers else 0.0
            spots.append(Spot(x(xs[k]), y(ys[k]), round(2.5 + 14 * share**0.5, 1), kind,
                              f"{words}: {percent(share)}"))  # fmt: skip
        spots.sort(key=lambda one: one.kind != "other")
        found.append({
            "spots": spots, "across": LABELS[across], "up": LABELS[up],
            "zero_x": x(0.0), "zero_y": y(0.0), "size": SIZE,
        })  # fmt: skip
    return found


def _scale(values: Any, low: float, high: float) -> Any:
    least, most = min(0.0, float(values.min())), max(0.0, float(values.max()))
    k = (high - low) / ((most - least) or 1.0)
    return lambda value: round(low + (float(value) - least) * k, 1)
