"""From one bench sheet of a set to the next."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match

from .band import is_fitted
from .rows import plan_of


@dataclass(frozen=True, slots=True)
class SetSheet:
    """The bench sheet of one frame of a set."""

    name: str
    plan: Plan
    is_fitted: bool


@dataclass(frozen=True, slots=True)
class SheetsOfSet:
    """The way to a set, and from one of its bench sheets to the next."""

    href: str
    sheets: list[SetSheet]


def sheets_beside(plan: Plan) -> SheetsOfSet | None:
    """The bench sheets of the set a plan was made for; None for a plan of no set."""
    match = Match.objects.filter(pk=plan.state().of_set or 0, removed_at=None).first()
    if match is None:
        return None
    found = []
    for frame in match.at_hand():
        other, _ = plan_of(match, frame)
        if other is not None and other.part("pieces") and other.state().of_set == match.pk:
            found.append(SetSheet(str(frame), other, is_fitted(other)))
    return SheetsOfSet(match.get_absolute_url(), sorted(found, key=lambda one: one.name))
