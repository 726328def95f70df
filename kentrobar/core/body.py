"""Everything with mass is a Body, and Bodies add.

A racket, a strip of tape, a string bed, a plug of putty: each is five sums over its mass.
Sums of a whole are the sums of its parts, so putting on is ``+`` and taking off is ``-``.
Weight, balance, swing weight and twist weight are only ways of *reading* the five numbers;
they are never added themselves.

The numbers are floats, or floats that carry an uncertainty (``uncertainties.ufloat``): the
arithmetic below is the same for both.

    >>> frame = Body.from_specs(mass=305, balance=322, swing=300 * KGCM2, axis=100)
    >>> putty = Body(mass=8, moment=8 * 25, second=8 * 25**2)
    >>> round((frame + putty).balance, 1)
    314.4
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

Number: TypeAlias = float
"""A float, or a ufloat, which follows the same arithmetic (its package is untyped)."""

KGCM2 = 100_000.0
"""g·mm² in one kg·cm², the unit swing and twist weight are read in."""

POINT_MM = 3.175
"""One balance point: an eighth of an inch."""


@dataclass(frozen=True, slots=True)
class Body:
    """Five sums over a mass, in grams and millimetres; ``x`` from the butt, ``y`` across the face.

    Attributes:
        mass: Σ m, in g.
        moment: Σ m·x, in g·mm.
        second: Σ m·(x² + z²), in g·mm².
        twist: Σ m·(y² + z²), in g·mm², about the long centre line.
        lateral: Σ m·y, in g·mm.
    """

    mass: Number = 0.0
    moment: Number = 0.0
    second: Number = 0.0
    twist: Number = 0.0
    lateral: Number = 0.0

    @classmethod
    def from_specs(
        cls, *, mass: Number, balance: Number, swing: Number, axis: float, twist: Number = 0.0
    ) -> Body:
        """The Body of a measured frame.

        Args:
            mass: g. balance: mm from the butt. swing: g·mm² about ``axis`` (mm from the butt).
            twist: g·mm² about the long centre line.
        """
        moment = mass * balance
        return cls(mass, moment, swing + 2 * axis * moment - axis * axis * mass, twist)

    def __add__(self, other: Body) -> Body:
        return Body(
            self.mass + other.mass,
            self.moment + other.moment,
            self.second + other.second,
            self.twist + other.twist,
            self.lateral + other.lateral,
        )

    def __sub__(self, other: Body) -> Body:
        return self + other * -1

    def __mul__(self, factor: Number) -> Body:
        return Body(
            self.mass * factor,
            self.moment * factor,
            self.second * factor,
            self.twist * factor,
            self.lateral * factor,
        )

    __rmul__ = __mul__

    @property
    def plain(self) -> Body:
        """The same sums without their uncertainties."""
        sums = (self.mass, self.moment, self.second, self.twist, self.lateral)
        return Body(*(float(getattr(value, "nominal_value", value)) for value in sums))

    @property
    def balance(self) -> Number:
        """Centre of mass, mm from the butt. ZeroDivisionError where there is no mass."""
        return self.moment / self.mass

    @property
    def offset(self) -> Number:
        """Sideways distance of the centre of mass from the centre line, mm, positive to 3 o'clock."""
        return self.lateral / self.mass

    def swing(self, axis: float) -> Number:
        """Swing weight in g·mm² about an axis across the handle, ``axis`` mm from the butt.

        Expanding Σ m·((x − a)² + z²) leaves only the sums kept here, so any axis will do.
        """
        return self.second - 2 * axis * self.moment + axis * axis * self.mass

    @property
    def recoil(self) -> Number:
        """Recoil weight in g·mm²: the swing weight about the balance point, whatever the axis."""
        return self.second - self.moment * self.moment / self.mass

    def spin(self, axis: float) -> Number:
        """Spin weight in g·mm²: about the normal of the face through the swing axis (thin frame)."""
        return self.swing(axis) + self.twist


NOTHING = Body()


def points_head_light(balance: Number, length: float) -> Number:
    """Balance in points of an eighth of an inch: positive head-light, negative head-heavy."""
    return (length / 2 - balance) / POINT_MM
