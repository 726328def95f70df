"""What a plan should reach: a value and a tolerance for any of the four figures, and how far off it
is."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import figure


@dataclass(frozen=True, slots=True)
class Target:
    value: float
    tol: float
    axis_mm: float | None = None
    """The axis a swing-weight target is meant about."""
    is_change: bool = False
    """Whether ``value`` is a change from the frame as read: all there is to aim at in a figure
    nobody read."""

    def about(self, usual_mm: float) -> float:
        """Its own axis, else the usual one."""
        return usual_mm if self.axis_mm is None else self.axis_mm


@dataclass(frozen=True, slots=True)
class Targets:
    """One target a figure, or none where the figure is free."""

    mass_g: Target | None = None
    balance_mm: Target | None = None
    swing_kgcm2: Target | None = None
    twist_kgcm2: Target | None = None

    @classmethod
    def parse(cls, values: Mapping[str, Mapping[str, Any]]) -> Targets:
        return cls(**{name: Target(**target) for name, target in values.items()})

    def dump(self) -> dict[str, dict[str, Any]]:
        chosen = ((f.name, getattr(self, f.name)) for f in fields(self))
        return {
            name: {
                k: v
                for k in ("value", "tol", "axis_mm", "is_change")
                if (v := getattr(target, k)) is not None and v is not False
            }
            for name, target in chosen
            if target is not None
        }


@dataclass(frozen=True, slots=True)
class Level:
    """A figure against its target, as a spirit level shows it.

    ``off`` is value − target in the figure's unit (value − as measured where there is no target),
    ``tol`` half the distance between the two marks (None without a target), ``u`` one standard
    uncertainty of the value.
    """

    value: float
    off: float
    tol: float | None
    u: float | None

    @property
    def is_level(self) -> bool:
        return self.tol is not None and abs(self.off) <= self.tol + 1e-9

    @property
    def position(self) -> float:
        """Where the bubble stands, −1…1. The marks are at ±½: linear between them, pressed together
        outside, so that a far-off bubble still shows its side and still moves."""
        return _place(self.off / self.tol) if self.tol else 0.0

    @property
    def half_width(self) -> float:
        """Half the bubble's width on the same scale: one standard uncertainty, or zero."""
        return self.u / self.tol / 2 if self.u and self.tol else 0.0


def _place(marks: float) -> float:
    if abs(marks) <= 1:
        return marks / 2
    return math.copysign(1 - 0.5 * math.exp(-(abs(marks) - 1) / 4), marks)


def level(name: str, before: Body, after: Body, target: Target | None, axis: float) -> Level:
    """The level of figure ``name``. A swing weight is judged about its target's own axis."""
    axis = target.about(axis) if target else axis
    value = figure(name, after, axis)
    if target is None:
        return Level(
            nominal(value),
            nominal(value) - nominal(figure(name, before, axis)),
            None,
            uncertainty(value),
        )
    aimed = target.value
    if target.is_change:
        aimed += nominal(figure(name, before, axis))
    return Level(nominal(value), nominal(value) - aimed, target.tol, uncertainty(value))
