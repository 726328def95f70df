"""What was typed as a figure, kept as it means the same in every shop; and what was typed before
its last digit, or its unit, was asked for."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import Any

from kentrobar.core.errors import UnreadableError
from kentrobar.core.units import (
    INERTIA,
    Typed,
    offered,
    read_balance,
    read_inertia,
    read_mass,
    read_repeats,
)
from kentrobar.core.written import with_unit

LONGEST = 60
"""Most characters kept of a figure as typed."""
UNITS = {"mass_g": offered("mass"), "balance_mm": (*offered("length"), "pt", "%")}
"""What a shop may read a bare number as."""


def as_written(typed: Typed) -> str:
    """A figure's text with its unit; '' where that is too long to keep."""
    text = typed.text if typed.unit in INERTIA else with_unit(typed.text, typed.unit)
    return text if len(text) <= LONGEST else ""


def say_units(readings: Any) -> None:
    """Every reading of this model that was typed as a bare number, with the unit it was read in.

    Args:
        readings: the model, as it is now or as a migration has it.
    """
    typed = readings.objects.filter(quantity__in=UNITS).exclude(typed="").select_related("frame")
    for one in typed.iterator():
        reader: Callable[..., Typed] = read_mass
        if one.quantity == "balance_mm":
            reader = partial(read_balance, length_mm=one.frame.length_mm)
        for unit in UNITS[one.quantity]:
            read = partial(reader, default=unit)
            try:
                found = read_repeats(one.typed, read)
            except UnreadableError:
                continue
            if math.isclose(found.value, one.value, rel_tol=1e-9):
                text = as_written(found)
                if text != one.typed:
                    readings.objects.filter(pk=one.pk).update(typed=text)
                break


def settle_typed(readings: Any) -> None:
    """Every reading of this model that was typed and stands as exact, as sure as it was typed.

    Args:
        readings: the model, as it is now or as a migration has it.
    """
    bare = readings.objects.filter(u=None).exclude(typed="").select_related("frame")
    for one in bare.iterator():
        u = _u(one.quantity, one.typed, one.frame.length_mm)
        if not u:
            continue
        one.u = u
        if not isinstance(one.raw.get("value"), dict):
            one.raw["value"] = {"value": one.value, "u": u}
        readings.objects.filter(pk=one.pk).update(u=one.u, raw=one.raw)


def _u(quantity: str, text: str, length_mm: float) -> float | None:
    readers: dict[str, Callable[[str], Typed]] = {
        "mass_g": read_mass,
        "balance_mm": lambda text: read_balance(text, length_mm),
    }
    try:
        return readers.get(quantity, read_inertia)(text).least_u
    except UnreadableError:
        return None
