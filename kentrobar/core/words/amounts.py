"""The one way to tell an amount: a figure or a change of one, in the reader's units."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from string import Formatter
from typing import Any

from kentrobar.core import reader
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import (
    digits,
    fixed,
    in_points,
    in_unit,
    marked,
    percent_of_length,
    read_by,
    the_reader,
    trimmed,
)
from kentrobar.core.units import POINT_MM, UNITS, Dimension, Unit

_SPEC = re.compile(r"(?P<of>mass|length)(?P<bare>-?)(?P<sign>\+?)(?P<places>\d?)")
FOOT_MM = 304.8
_DIMENSIONS: dict[str, Dimension] = {
    "g": "mass", "mm": "length", "length": "length", "kgcm2": "inertia",
}  # fmt: skip


def unit_of(figure: str) -> Unit:
    """The reader's unit of a figure, by the unit its key ends in, or of a ``length``; of a balance
    that of length."""
    return reader.unit_of(_DIMENSIONS[figure.rpartition("_")[2]])


def unit_in(base: str) -> Unit | None:
    """The reader's unit for what is kept in ``g``, ``mm`` or ``kg·cm²``; None for anything else."""
    known = UNITS.get(base)
    return reader.unit_of(known.dimension) if known else None


@dataclass(frozen=True, slots=True)
class Amount:
    """A figure, a change of one, or a length along a frame.

    Attributes:
        figure: a key of ``FIGURES``, or ``length``. value: in g, mm or kg·cm². u: its standard
            uncertainty. length_mm: of the frame, for a balance in points or percent of it.
        is_change: told with its sign; a balance nearer the butt is more points head-light.

    >>> Amount("mass_g", 320.04).told(), change_of("mass_g", 2.0).told()
    ('320.0 g', '+2.00 g')
    """

    figure: str
    value: float
    u: float = 0.0
    length_mm: float = 0.0
    is_change: bool = False

    @property
    def _unit(self) -> Unit:
        return unit_of(self.figure)

    @property
    def _counted_in(self) -> str:
        """``pt`` or ``%`` where a balance is told so, else ''."""
        told_in = the_reader().balance if self.figure == "balance_mm" else "length"
        return "" if told_in == "length" or (told_in == "%" and self.is_change) else told_in

    @property
    def unit(self) -> str:
        """Of the number: `g`, `pt head-light`, `% of length`; of a change `pt`."""
        return self._unit.key if not self._counted_in else self._counted()[1]

    def number(self, places: int | None = None) -> str:
        """Without its unit.

        Args:
            places: decimals in g, mm or kg·cm² (None: the usual ones of the figure).
        """
        if self._counted_in:
            return self._counted()[0]
        if places is not None:
            return in_unit(self.value, self._unit, places, self.is_change)
        return fixed(self.value / self._unit.size, self._places, self.is_change)

    def plain(self) -> str:
        """The number with no more decimals than it has."""
        unit = self._unit
        if unit.size == 1:
            return marked(f"{self.value:{'+' if self.is_change else ''}g}")
        return trimmed(self.value / unit.size, unit.finest, self.is_change)

    @property
    def parts(self) -> tuple[str, str]:
        """Number and unit."""
        return self.number(), self.unit

    def fine(self) -> str:
        """The number as finely as a change of it, without a plus sign."""
        return fixed(self.value / self._unit.size, self._unit.change_places)

    def told(self, places: int | None = None) -> str:
        """With its unit."""
        return f"{self.number(places)} {self.unit}"

    @property
    def spread(self) -> str:
        """Its uncertainty in the unit, '' where that is below the last digit told."""
        places, size = self._places, self._unit.size
        if told_in := self._counted_in:
            places, size = 1, POINT_MM if told_in == "pt" else self.length_mm / 100
        u = self.u / size
        return digits(u) if u >= 0.5 * 10**-places else ""

    @property
    def _places(self) -> int:
        unit, known = self._unit, FIGURES.get(self.figure)
        return unit.change_places if self.is_change else unit.places + (known.finer if known else 0)

    def _counted(self) -> tuple[str, str]:
        """A balance in points or percent of the length, and what was counted."""
        if self.is_change:
            return fixed(-self.value / POINT_MM, 2, signed=True), "pt"
        tell = in_points if self._counted_in == "pt" else percent_of_length
        text, _, of = tell(self.value, self.length_mm).partition(" ")
        return text, of or "balance"


def change_of(figure: str, value: float) -> Amount:
    """A change of a figure, or how far two lie apart."""
    return Amount(figure, value, is_change=True)


def gap(figure: str, value: float) -> str:
    """How far two figures lie apart, or may: a number no coarser than it was written. Of balances
    in points where they are read so; of a ``length`` never."""
    if figure == "balance_mm" and the_reader().balance == "pt":
        return trimmed(abs(value) / POINT_MM, 2)
    unit = unit_of(figure)
    places = unit.change_places + (figure in ("balance_mm", "length") and unit.size < 25)
    return trimmed(abs(value) / unit.size, places)


def told(
    figure: str, value: float, places: int | None = None, signed: bool = False, bare: bool = False
) -> str:
    """An amount in a sentence, with no more decimals than it has where none are asked for.

    >>> told("mass_g", 2.0), told("balance_mm", -3.25, 1, signed=True)
    ('2 g', '−3.3 mm')
    >>> from kentrobar.core.reader import Reader
    >>> with read_by(Reader(mass="oz", length="in")):
    ...     told("mass_g", 2.0), told("length", 30.0, 0)
    ('0.071 oz', '1.18 in')
    """
    amount = Amount(figure, value, is_change=signed)
    if figure == "balance_mm" and not signed:
        amount = Amount("length", value)
    number = amount.plain() if places is None else amount.number(places)
    return number if bare else f"{number} {amount.unit}"


def apart(figure: str, value: float, bare: bool = False) -> str:
    """How far two figures lie apart: of balances in points where they are read so."""
    number = gap(figure, value)
    return number if bare else f"{number} {change_of(figure, value).unit}"


def mass_number(grams: float) -> str:
    """The mass of a frame without its unit."""
    return Amount("mass_g", grams).number()


def mass_in_other_unit(grams: float) -> str:
    """A mass with its unit, in ounces for whoever reads grams, else in grams."""
    with read_by(replace(the_reader(), mass="oz" if the_reader().mass == "g" else "g")):
        return Amount("mass_g", grams).told()


def length_off_roll(mm: float) -> str:
    """A length off a roll, short or long: `64 mm`, `3.25 m`; `2.52 in`, `10.66 ft`."""
    if the_reader().length == "in" and abs(mm) >= FOOT_MM:
        return f"{fixed(mm / FOOT_MM, 2)} ft"
    return f"{fixed(mm / 1000, 2)} m" if abs(mm) >= 1000 else told("length", mm, 0)


class Sentences(Formatter):
    """Formats sentences that say what an amount in them is: ``{added:mass+1}`` is one of mass with
    its sign and a decimal, ``{low:mass-}`` one without its unit."""

    def format_field(self, value: Any, format_spec: str) -> str:
        found = _SPEC.fullmatch(format_spec)
        if not found:
            text = str(super().format_field(value, format_spec))
            return marked(text) if isinstance(value, (int, float)) else text
        figure = {"mass": "mass_g"}.get(found["of"], "length")
        places = int(found["places"]) if found["places"] else None
        return told(figure, float(value), places, bool(found["sign"]), bool(found["bare"]))
