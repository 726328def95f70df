"""Slots: places on a page that apps above it may fill.

A frame's page belongs to ``frames``, which knows nothing of plans; yet it lists the plans of the
frame. So its template leaves a slot, ``{% slot "frame-plans" frame %}``, and ``plans`` fills it at
start. What fills a slot is a template of the filling app and a function that gives its context.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from kentrobar.ui.request import Request

Context = Callable[[Request, Any], dict[str, Any] | None]
"""(request, what the slot is about) → the template's context; None leaves the slot empty."""


@dataclass(frozen=True, slots=True)
class Filling:
    template: str
    context: Context


_fillings: dict[str, list[Filling]] = {}


def fill(slot: str, template: str, context: Context) -> None:
    """From now on, draw this template in a slot. Call it in an app's ``ready``."""
    _fillings.setdefault(slot, []).append(Filling(template, context))


def fillings(slot: str) -> list[Filling]:
    """What fills a slot, in the order of the apps."""
    return _fillings.get(slot, [])
