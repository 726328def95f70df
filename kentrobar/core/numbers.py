"""Numbers as documents give them: plain, or a value with one standard uncertainty."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeAlias

Number: TypeAlias = float
"""A float, or a ufloat, which follows the same arithmetic (its package is untyped)."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WithU:
    """``{"value": 305, "u": 0.1}`` in a document."""

    value: float
    u: float


Given: TypeAlias = float | WithU


def ufloat(value: float, u: float, tag: str | None = None) -> Number:
    """A number that carries one standard uncertainty. Imports its library only where one is
    used."""
    from uncertainties import ufloat as make

    number: Number = make(value, u, tag)
    return number


def number(given: Given, tag: str | None = None) -> Number:
    """A given number for the sums; ``tag`` names it in the budget of what is reduced from it."""
    if isinstance(given, WithU):
        return ufloat(given.value, given.u, tag) if given.u else given.value
    return given


def digit_step(value: float) -> float:
    """What the last digit of a number counts, as it is shortest written: 1 of 324, 0.1 of 324.7."""
    _, point, places = f"{value:.10g}".partition(".")
    return 10.0 ** -len(places) if point else 1.0


def digit_u(value: float) -> float:
    """What a figure's last digit leaves open, as one standard uncertainty."""
    return digit_step(value) / math.sqrt(12)


def value_of(given: Given) -> float:
    return given.value if isinstance(given, WithU) else given


def nominal(value: Number) -> float:
    """The value without its uncertainty."""
    return float(getattr(value, "nominal_value", value))


def uncertainty(value: Number) -> float | None:
    """One standard uncertainty, or None where the value carries none."""
    u = getattr(value, "std_dev", None)
    return float(u) if u else None
