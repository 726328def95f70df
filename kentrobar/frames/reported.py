"""Keeping figures somebody wrote down, as readings."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from django.db import transaction
from django.utils import timezone

from kentrobar.core.io.readings import READING_FORMAT
from kentrobar.core.units import Typed
from kentrobar.shop.models import Settings

from .choices import Quantity
from .models import Frame, Reading
from .typed import as_written

Given = Mapping[Quantity, tuple[Typed, float | None]]
"""Each figure as typed, with the axis in mm of a swing weight."""


def keep_reported(
    frame: Frame,
    given: Given,
    condition: str,
    user: Any,
    confirmed: Collection[str] = (),
    is_told: bool = False,
) -> None:
    """Every figure as a reading, all or none.

    Args:
        confirmed: those that were doubted. is_told: the customer named them, nobody read them here.
    """
    now, settings = timezone.now(), Settings.load()
    with transaction.atomic():
        for quantity, (typed, axis) in given.items():
            u = settings.u_of(quantity.value, typed, is_told)
            Reading.objects.create(
                frame=frame,
                quantity=quantity,
                value=typed.value,
                u=u,
                repeats=typed.count,
                axis_mm=axis,
                condition=condition,
                typed=as_written(typed),
                raw=document_of(quantity, typed.value, u, axis, is_told),
                confirmed=quantity.value in confirmed,
                read_at=now,
                read_by=user,
            )


def document_of(
    quantity: str, value: float, u: float | None, axis: float | None, is_told: bool = False
) -> dict[str, Any]:
    """The raw reading of a figure somebody wrote down, or only told."""
    document = {
        "format": READING_FORMAT,
        "method": "told",
        "quantity": str(quantity),
        "value": {"value": value, "u": u} if u else value,
    }
    more: dict[str, Any] = {"is_told": True} if is_told else {}
    return document | more | ({"axis_mm": axis} if axis is not None else {})
