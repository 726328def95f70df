"""A wish as the page shows it: a row a figure with its vial, a row a site."""

from __future__ import annotations

from dataclasses import dataclass

from django import forms

from kentrobar.core.io.wishes import say_goal
from kentrobar.core.quantities import FIGURES
from kentrobar.core.recipes.brief import Goal

PULLS = 40
"""A vial can be pulled so many steps either way."""


@dataclass(frozen=True, slots=True)
class Aim:
    """One figure of the wish as the page shows it."""

    name: str
    label: str
    box: forms.BoundField
    at: int
    said: str
    fault: str
    measured: str
    is_free: bool
    is_known: bool
    reach: int = PULLS


@dataclass(frozen=True, slots=True)
class SiteRow:
    """A site of the wish: whether it is on, its longest strip, what to keep free (None: not asked
    there)."""

    key: str
    name: str
    is_on: bool
    most: forms.BoundField | None
    free: forms.BoundField | None
    usual: str

    @property
    def fault(self) -> str:
        """What is wrong in either box."""
        boxes = (box for box in (self.most, self.free) if box is not None)
        return next((str(error) for box in boxes for error in box.errors), "")


def pulled(name: str, at: int, tol: float | None, axis_mm: float) -> str:
    """The words of a vial pulled ``at`` steps from as measured."""
    change = max(-PULLS, min(PULLS, at)) * FIGURES[name].pull
    return say_goal(name, Goal(change=change, tol=tol or FIGURES[name].tol), axis_mm)
