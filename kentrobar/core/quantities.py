"""The one table of figures: what each is called, in which unit, how finely, and how it is read from
a Body.

Whoever shows, judges, asks for or compares a figure reads it here. A new figure is a row.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal

from kentrobar.core.numbers import Number, nominal
from kentrobar.core.pieces.body import Body
from kentrobar.core.units import UNITS, Dimension

FigureKey = Literal["mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2", "recoil_kgcm2"]


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure of a frame.

    Attributes:
        key: its name in documents, with its unit. label: its name in a sentence. title: at the head
            of a column or vial. unit, places: what it is shown in and with how many decimals.
        least_u: nobody reads or places better than this, whatever was written down.
        settles: two readings closer than this never ask for a reason.
        drift: how far an instrument usually drifts between checks, where its own checks do not say.
        tol: the tolerance of careful matching. unnoticed: a difference most players do not notice.
        pull: what a target moves by at one step of its vial.
        of: the figure of a Body; a swing weight about an axis, mm from the butt.
    """

    key: str
    label: str
    title: str
    unit: str
    places: int
    least_u: float
    settles: float
    drift: float
    tol: float
    unnoticed: float
    pull: float
    of: Callable[[Body, float], Number]

    @property
    def dimension(self) -> Dimension:
        """What it is told in."""
        return UNITS[self.unit].dimension

    @property
    def finer(self) -> int:
        """Decimals it is told with beyond those of its unit."""
        return self.places - UNITS[self.unit].places


FIGURES: dict[str, Figure] = {
    one.key: one
    for one in (
        Figure(
            "mass_g",
            "mass",
            "Static weight",
            "g",
            1,
            least_u=0.05,
            settles=1.5,
            drift=0.3,
            tol=1.0,
            unnoticed=3.0,
            pull=0.5,
            of=lambda body, axis: body.mass,
        ),
        Figure(
            "balance_mm",
            "balance",
            "Balance",
            "mm",
            1,
            least_u=0.3,
            settles=2.0,
            drift=1.0,
            tol=1.0,
            unnoticed=2.0,
            pull=0.5,
            of=lambda body, axis: body.balance,
        ),
        Figure(
            "swing_kgcm2",
            "swing weight",
            "Swing weight",
            "kg·cm²",
            1,
            least_u=0.4,
            settles=3.0,
            drift=1.5,
            tol=1.0,
            unnoticed=5.0,
            pull=0.5,
            of=lambda body, axis: body.swing_kgcm2(axis),
        ),
        Figure(
            "twist_kgcm2",
            "twist weight",
            "Twist weight",
            "kg·cm²",
            2,
            least_u=0.06,
            settles=0.5,
            drift=0.2,
            tol=0.2,
            unnoticed=0.4,
            pull=0.05,
            of=lambda body, axis: body.twist_kgcm2,
        ),
        Figure(
            "recoil_kgcm2",
            "recoil weight",
            "Recoil weight",
            "kg·cm²",
            1,
            least_u=0.4,
            settles=3.0,
            drift=1.5,
            tol=1.0,
            unnoticed=5.0,
            pull=0.5,
            of=lambda body, axis: body.recoil_kgcm2,
        ),
    )
}
READ = ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2")
"""The figures that are read from a frame; the recoil weight follows from three of them."""
DERIVED = tuple(key for key in FIGURES if key not in READ)
"""The figures that follow from those."""
NEEDED = ("mass_g", "balance_mm", "swing_kgcm2")
"""What a plan needs: without a twist weight only its change is told."""
COMMON_AXES_MM: tuple[float, ...] = (100, 101.6, 98, 50, 50.8)
"""Swing axes of machines and habits, the commonest first."""


def known(twist_known: bool) -> tuple[str, ...]:
    """All figures, without the twist weight where it was never read."""
    return tuple(key for key in FIGURES if twist_known or key != "twist_kgcm2")


def figure(key: str, body: Body, axis_mm: float) -> Number:
    """One figure of a Body, in the unit people read; a swing weight about ``axis_mm``."""
    return FIGURES[key].of(body, axis_mm)


def figures(body: Body, axis_mm: float, keys: Iterable[str] = tuple(FIGURES)) -> dict[str, Number]:
    """Several of them, with whatever uncertainty the Body carries."""
    return {key: FIGURES[key].of(body, axis_mm) for key in keys}


def plain_figures(
    body: Body, axis_mm: float, keys: Iterable[str] = tuple(FIGURES)
) -> dict[str, float]:
    """The same as plain numbers."""
    return {key: nominal(value) for key, value in figures(body, axis_mm, keys).items()}
