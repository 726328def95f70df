"""Everything with mass is a Body, and Bodies add.

A racket, a strip of tape, a string bed, a plug of putty: each is five sums over its mass.
Sums of a whole are the sums of its parts, so putting on is ``+`` and taking off is ``-``.
Weight, balance, swing weight and twist weight are only ways of *reading* the five numbers;
they are never added themselves.

The numbers are floats, or floats that carry an uncertainty (``uncertainties.ufloat``): the
arithmetic below is the same for both.

    >>> frame = Body.from_figures(mass_g=305, balance_mm=322, swing_kgcm2=300, axis_mm=100)
    >>> putty = Body(mass=8, moment=8 * 25, second=8 * 25**2)
    >>> round((frame + putty).balance, 1)
    314.4
"""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.numbers import Number

KGCM2 = 100_000.0
"""g·mm² in one kg·cm², the unit swing and twist weight are read in."""


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
    def from_figures(
        cls,
        *,
        mass_g: Number,
        balance_mm: Number,
        swing_kgcm2: Number,
        axis_mm: float,
        twist_kgcm2: Number = 0.0,
    ) -> Body:
        """The Body of a measured frame; ``swing_kgcm2`` about ``axis_mm`` from the butt."""
        moment = mass_g * balance_mm
        second = swing_kgcm2 * KGCM2 + 2 * axis_mm * moment - axis_mm * axis_mm * mass_g
        return cls(mass_g, moment, second, twist_kgcm2 * KGCM2)

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
        """Sideways distance of the centre of mass from the centre line, mm, positive to 3
        o'clock."""
        return self.lateral / self.mass

    def swing(self, axis: float) -> Number:
        """Swing weight in g·mm² about an axis across the handle, ``axis`` mm from the butt.

        Expanding Σ m·((x − a)² + z²) leaves only the sums kept here, so any axis will do.
        """
        return self.second - 2 * axis * self.moment + axis * axis * self.mass

    def swing_kgcm2(self, axis: float) -> Number:
        """Swing weight as people read it, kg·cm² about ``axis`` mm from the butt."""
        return self.swing(axis) / KGCM2

    @property
    def twist_kgcm2(self) -> Number:
        """Twist weight as people read it."""
        return self.twist / KGCM2

    @property
    def recoil_kgcm2(self) -> Number:
        """Recoil weight as people read it."""
        return self.recoil / KGCM2

    @property
    def recoil(self) -> Number:
        """Recoil weight in g·mm²: the swing weight about the balance point, whatever the axis."""
        return self.second - self.moment * self.moment / self.mass

    def spin_kgcm2(self, axis: float) -> Number:
        """Spin weight: about the normal of the face through the swing axis (thin frame)."""
        return (self.swing(axis) + self.twist) / KGCM2


NOTHING = Body()
