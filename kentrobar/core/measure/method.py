"""What every measuring method shares: the result with its budget, and checks of what was given.

A reading is a frozen dataclass of raw inputs with ``faults()`` and ``reduce()``. Each input carries
its own uncertainty under a tag, so the result knows how much of its uncertainty came from where.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from kentrobar.core.numbers import Given, Number, WithU, uncertainty, value_of

GRAVITY = 9.80665
"""m/s², unless set."""


@dataclass(frozen=True, slots=True)
class Measurement:
    """A value of one quantity, reduced from a reading.

    Attributes:
        quantity: ``mass_g``, ``balance_mm``, ``swing_kgcm2``, ``twist_kgcm2``, ``recoil_kgcm2`` or,
            where a method cannot know which, ``inertia_kgcm2``.
        figures: every intermediate figure by name, the result among them.
        notes: what the person should know about this result.
        apart: (index, modified z-score) of raw readings that stand apart from their fellows.
    """

    method: str
    quantity: str
    value: Number
    figures: Mapping[str, Number] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    apart: tuple[tuple[int, float], ...] = ()

    @property
    def u(self) -> float | None:
        return uncertainty(self.value)

    @property
    def budget(self) -> dict[str, float]:
        """What each input leaves uncertain of the value, in its unit, the largest first."""
        return budget(self.value)


def budget(value: Number) -> dict[str, float]:
    """One standard uncertainty by tag, the largest first; empty for an exact number."""
    components: Mapping[Any, float] = getattr(value, "error_components", dict)()
    squares: dict[str, float] = {}
    for variable, u in components.items():
        tag = variable.tag or "other"
        squares[tag] = squares.get(tag, 0.0) + u * u
    parts = {tag: math.sqrt(square) for tag, square in squares.items() if square}
    return dict(sorted(parts.items(), key=lambda part: -part[1]))


BUDGET_WORDS = {
    "display": "the display’s last digit",
    "scatter": "the scatter of the readings",
    "mass": "the mass",
    "balance": "the balance",
    "pivot": "the place of the pivot",
    "taps": "the timing",
    "period": "the timing",
    "amplitude": "the width of the swing",
    "spacing": "the spacing of the threads",
    "thread": "the length of the threads",
    "drift": "the instrument’s drift",
    "offset": "the board’s zero",
    "supports": "the places of the supports",
    "hang": "the height of hang",
    "jig": "the clamp",
    "length": "the length of the bar",
    "told": "the figure itself",
}
IMPROVE = {
    "display": "an instrument with a finer display, or several equal things read together",
    "scatter": "more readings, lifted off and put back between them",
    "mass": "a better scale",
    "balance": "a finer balance reading",
    "pivot": "measuring the pivot’s distance from the butt more closely",
    "taps": "more swings",
    "period": "more swings",
    "amplitude": "smaller swings",
    "spacing": "measuring the spacing more closely, or setting the threads wider apart",
    "thread": "longer threads, measured more closely",
    "drift": "checking the instrument against its reference more often",
    "offset": "measuring the board’s zero more closely",
    "supports": "setting the supports further apart and measuring where they stand",
    "hang": "measuring the height of hang more closely; better still, two threads",
    "jig": "weighing and timing the clamp alone",
    "length": "measuring the bar more closely",
    "told": "reading it yourself",
}


def best_improvement(value: Number) -> str:
    """What would improve a result most, as a phrase; '' where nothing is uncertain."""
    parts = budget(value)
    tag = next(iter(parts), "")
    return IMPROVE.get(tag, "")


# --- checks --------------------------------------------------------------------------------------

Faults = Iterator[tuple[str, str]]


def above_nought(values: Mapping[str, Given | None]) -> Faults:
    """Each given value must be above 0, and no uncertainty below it."""
    for name, given in values.items():
        if given is not None and not value_of(given) > 0:
            yield name, f"{value_of(given):g} must be above 0"
        yield from no_negative_u({name: given})


def not_negative(values: Mapping[str, Given | None]) -> Faults:
    for name, given in values.items():
        if given is not None and value_of(given) < 0:
            yield name, f"{value_of(given):g} is below 0"
        yield from no_negative_u({name: given})


def no_negative_u(values: Mapping[str, Given | None]) -> Faults:
    for name, given in values.items():
        if isinstance(given, WithU) and given.u < 0:
            yield f"{name}.u", f"{given.u:g} is below 0"


def readings_faults(name: str, values: list[float], set_aside: list[Any], positive: bool = True) -> Faults:
    """A list of readings: not empty, above 0 where it must be, and not all set aside."""
    if not values:
        yield name, "no reading is in it"
        return
    for i, value in enumerate(values):
        if positive and not value > 0:
            yield f"{name}[{i}]", f"{value:g} must be above 0"
            return
    yield from aside_faults(len(values), set_aside)


def aside_faults(count: int, set_aside: list[Any]) -> Faults:
    for i, aside in enumerate(set_aside):
        if not 0 <= aside.index < count:
            yield f"set_aside[{i}].index", f"{aside.index} is outside 0…{count - 1}"
            return
        if not aside.reason.strip():
            yield f"set_aside[{i}].reason", "a reading is set aside for a reason: write it"
            return
        if len(aside.reason) > 200:
            yield f"set_aside[{i}].reason", "longer than 200 characters"
            return
    if len({aside.index for aside in set_aside}) >= count:
        yield "set_aside", "every reading is set aside: none is left"


def apart_notes(apart: list[tuple[int, float]], values: list[float]) -> tuple[str, ...]:
    return tuple(
        f"Reading {i + 1}, {values[i]:g}, stands apart from its fellows (z {z:+.1f})." for i, z in apart
    )
