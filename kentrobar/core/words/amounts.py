"""Amounts in a sentence, in the units of whoever reads it: grams and millimetres, but within
``read_in``, where a page is made for somebody who reads others."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from string import Formatter
from typing import Any

from kentrobar.core.quantities import FIGURES
from kentrobar.core.units import LENGTH, MASS, POINT_MM, Shown, fixed

_USUAL = Shown()
_READER: ContextVar[Shown] = ContextVar("reader", default=_USUAL)
_SPEC = re.compile(r"(?P<of>mass|length)(?P<bare>-?)(?P<sign>\+?)(?P<places>\d?)")
FOOT_MM = 304.8
FINER = {"oz": (2, 3), "cm": (1, 2), "in": (2, 2)}
"""(more decimals than in g or mm, at most) of every other unit."""


@contextmanager
def read_in(shown: Shown) -> Iterator[None]:
    """Every sentence made within is told in a reader's units."""
    before = _READER.set(shown)
    try:
        yield
    finally:
        _READER.reset(before)


def told(
    figure: str, value: float, places: int | None = None, signed: bool = False, bare: bool = False
) -> str:
    """An amount of a figure with its unit; a change of balance in points where they are read.

    Args:
        figure: a key of ``FIGURES``, or ``length``. places: decimals in its first unit; None for no
            more than there are. bare: without the unit.

    >>> told("mass_g", 2.0), told("balance_mm", -3.25, 1, signed=True)
    ('2 g', '−3.3 mm')
    >>> with read_in(Shown(mass="oz", length="in")):
    ...     told("mass_g", 2.0), told("length", 30.0, 0)
    ('0.071 oz', '1.18 in')
    """
    if signed and figure == "balance_mm" and _READER.get().balance == "pt":
        # Fewer millimetres are more points head-light.
        text = fixed(-value / POINT_MM, 2, signed=True)
        return text if bare else f"{text} pt"
    unit, of_one = _unit(figure)
    more, most = FINER.get(unit, (0, 9))
    if places is not None:
        text = fixed(value / of_one, min(places + more, most), signed)
    elif more:
        text = fixed(value / of_one, most, signed)
        text = text.rstrip("0").rstrip(".")
    else:
        text = f"{value / of_one:{'+' if signed else ''}g}".replace("-", "−")
    return text if bare else f"{text} {unit}"


def apart(figure: str, value: float, places: int | None = None, bare: bool = False) -> str:
    """How far two figures lie apart: of balances in points too, where they are read so."""
    shown = _READER.get()
    if figure == "balance_mm" and shown.balance == "pt":
        text = fixed(abs(value) / POINT_MM, 2).rstrip("0").rstrip(".")
        return text if bare else f"{text} pt"
    return told(figure, abs(value), places, bare=bare)


def run(mm: float) -> str:
    """A length off a roll, short or long: `64 mm`, `3.25 m`; `2.52 in`, `10.66 ft`."""
    if _READER.get().length == "in" and abs(mm) >= FOOT_MM:
        return f"{fixed(mm / FOOT_MM, 2)} ft"
    return f"{fixed(mm / 1000, 2)} m" if abs(mm) >= 1000 else told("length", mm, 0)


def _unit(figure: str) -> tuple[str, float]:
    """What a figure is told in, and how much of its first unit one of these is."""
    shown = _READER.get()
    if figure == "mass_g":
        return shown.mass, MASS[shown.mass]
    if figure in ("balance_mm", "length"):
        return shown.length, LENGTH[shown.length]
    return FIGURES[figure].unit, 1.0


class Sentences(Formatter):
    """Formats sentences that say what an amount in them is: ``{added:mass+1}`` is one of mass with
    its sign and a decimal, ``{low:mass-}`` one without its unit."""

    def format_field(self, value: Any, format_spec: str) -> str:
        found = _SPEC.fullmatch(format_spec)
        if not found:
            text = str(super().format_field(value, format_spec))
            return text.replace("-", "−") if isinstance(value, (int, float)) else text
        figure = {"mass": "mass_g"}.get(found["of"], "length")
        places = int(found["places"]) if found["places"] else None
        return told(figure, float(value), places, bool(found["sign"]), bool(found["bare"]))
