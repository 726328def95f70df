"""Minutes of work and the days they fit into: estimates corrected by history, and a week that tells
beforehand.

Work is done by its due day, the soonest first; what waits (glue, strings ordered) cannot begin
before it is ready.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from statistics import median

MINUTES = {
    "take-in": 10.0,
    "before": 25.0,
    "target": 10.0,
    "plan": 15.0,
    "trial": 30.0,
    "permanent": 45.0,
    "after": 20.0,
    "hand-over": 10.0,
}
"""Usual minutes of each step for one frame, until the workshop's own history says otherwise."""
TRUST = 3
"""A usual figure counts as so many of the workshop's own."""


def estimate(kind: str, history: Sequence[float]) -> float:
    """Minutes a step takes: the usual figure, drawn towards the median of what it took here."""
    usual = MINUTES[kind]
    if not history:
        return usual
    return (TRUST * usual + len(history) * median(history)) / (TRUST + len(history))


@dataclass(frozen=True, slots=True)
class Load:
    """Work that is left: ``ready`` is the first day it can go on, ``due`` the day it was promised
    for."""

    key: str
    minutes: float
    ready: date
    due: date


@dataclass(slots=True)
class Day:
    """One day: what is done on it, and what can no longer be done by it."""

    day: date
    capacity: float
    work: list[tuple[str, float]] = field(default_factory=list)
    over: float = 0.0

    @property
    def minutes(self) -> float:
        return sum(minutes for _, minutes in self.work)

    @property
    def is_over(self) -> bool:
        return self.over > 0.5


def week(
    loads: Sequence[Load],
    capacity: float,
    today: date,
    days: int = 7,
    rest_days: Sequence[int] = (6,),
) -> list[Day]:
    """The coming days with their work, soonest due first. A day is over-full where work due by it
    does not fit.

    Args:
        capacity: minutes of a working day. rest_days: weekdays nobody works on, 0 for Monday.
    """
    horizon = max([days, *((load.due - today).days + 1 for load in loads)])
    plan = [
        Day(day, 0.0 if day.weekday() in rest_days else capacity)
        for day in (today + timedelta(days=i) for i in range(horizon))
    ]
    by_day = {one.day: one for one in plan}
    free = {one.day: one.capacity for one in plan}
    for load in sorted(loads, key=lambda one: (one.due, one.key)):
        left = load.minutes
        for one in plan:
            # What is late already is done as soon as it can be.
            if left <= 0 or one.day > max(load.due, today):
                break
            if one.day < load.ready:
                continue
            part = min(left, free[one.day])
            if part > 0:
                one.work.append((load.key, part))
                free[one.day] -= part
                left -= part
        if left > 0:
            by_day[max(load.due, today)].over += left
    return plan[:days]
