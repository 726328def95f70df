"""Figures typed without ± before their last digit was asked: given what that leaves open."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from kentrobar.core.errors import Unreadable
from kentrobar.core.units import Typed, read_balance, read_inertia, read_mass


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
    except Unreadable:
        return None
