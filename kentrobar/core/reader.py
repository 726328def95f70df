"""Who a page, a sheet or a sentence is made for, and numbers as they are written for them.

There is one reader at a time, set where a request or a job begins (``read_by``). Whatever tells an
amount asks ``the_reader`` for the units and the decimal mark; nothing is handed through.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field

from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.numbers import Number, nominal
from kentrobar.core.units import POINT_MM, UNITS, Dimension, Unit, offered


def _untranslated(sentence: str) -> str:
    return sentence


@dataclass(frozen=True, slots=True)
class Reader:
    """The units somebody reads, the swing axis of each kind of frame, and how numbers are written.

    Attributes:
        balance: ``length`` (in the unit of length), ``pt`` or ``%``. axes: (kind of frame, mm from
            the butt) where it is not the kind's usual one. decimal_mark: ``.`` or ``,``.
        language: of the sentences, as ``translate`` gives them from the English. zone: the time
            zone's name, '' for the machine's.
    """

    mass: str = "g"
    length: str = "mm"
    balance: str = "length"
    axes: tuple[tuple[str, float], ...] = ()
    decimal_mark: str = "."
    language: str = "en-gb"
    zone: str = ""
    translate: Callable[[str], str] = field(default=_untranslated, compare=False)

    def dump(self) -> str:
        """The units as a page carries them: `g mm length 100 50`."""
        axes = (f"{self.axis_mm(kind):g}" for kind in FRAME_KINDS)
        return " ".join((self.mass, self.length, self.balance, *axes))

    @classmethod
    def parse(cls, text: str) -> Reader:
        """The units ``dump`` wrote. Raises ValueError."""
        mass, length, balance, *rest = text.split()
        axes = [float(axis) for axis in rest]
        is_known = mass in offered("mass") and length in offered("length")
        is_known &= len(axes) == len(FRAME_KINDS)
        if not is_known or balance not in ("length", "pt", "%"):
            raise ValueError(f"{text} names no units to read")
        if not all(0 <= axis <= 300 for axis in axes):
            raise ValueError(f"{text}: an axis lies in the handle")
        return cls(mass, length, balance, own_axes(zip(FRAME_KINDS, axes, strict=False)))

    def axis_mm(self, kind: str) -> float:
        """The swing axis of a kind of frame, mm from the butt."""
        return dict(self.axes).get(kind, FRAME_KINDS[kind].axis_mm)

    def unit(self, dimension: Dimension) -> str:
        """The unit of a dimension."""
        return {"mass": self.mass, "length": self.length}.get(dimension, "kg·cm²")

    @property
    def balance_unit(self) -> str:
        """The unit of a balance: of length, ``pt`` or ``%``."""
        return self.length if self.balance == "length" else self.balance


def own_axes(axes: Iterable[tuple[str, float]]) -> tuple[tuple[str, float], ...]:
    """Swing axes that are not the usual ones of their kinds."""
    return tuple((kind, mm) for kind, mm in axes if mm != FRAME_KINDS[kind].axis_mm)


_READER: ContextVar[Reader] = ContextVar("reader", default=Reader())  # noqa: B039 (frozen)


def the_reader() -> Reader:
    """The reader of what is being made; g, mm and a decimal point outside ``read_by``."""
    return _READER.get()


@contextmanager
def read_by(who: Reader) -> Iterator[None]:
    """Tell every amount within to ``who``."""
    before = _READER.set(who)
    try:
        yield
    finally:
        _READER.reset(before)


def marked(number: str) -> str:
    """A number of Python's, with the reader's decimal mark and a true minus sign."""
    return number.replace("-", "−").replace(".", the_reader().decimal_mark)


def translated(sentence: str, **parts: object) -> str:
    """A sentence in the reader's language, its parts put in.

    >>> translated("{at} from the butt", at="30.0 mm")
    '30.0 mm from the butt'
    """
    told = the_reader().translate(sentence)
    return told.format(**parts) if parts else told


def half_up(value: float) -> float:
    """A number that is rounded away from zero where it lies half-way, also where arithmetic left it
    a hair below: a figure computed in two ways is told as one."""
    return value * (1 + 1e-11)


def fixed(value: Number, places: int, signed: bool = False) -> str:
    """A number with fixed decimals, and no minus before zero.

    >>> fixed(323.85, 1), fixed(0.32385 * 1000.0, 1), fixed(-0.04, 1)
    ('323.9', '323.9', '0.0')
    """
    value = nominal(value)
    if not math.isfinite(value):
        return "–"
    text = f"{abs(half_up(value)):.{places}f}"
    if float(text) == 0:
        return marked(text)
    return ("−" if value < 0 else "+" if signed else "") + marked(text)


def trimmed(value: float, places: int, signed: bool = False) -> str:
    """A number with at most so many decimals, and no zeros at its end.

    >>> trimmed(2.50, 2), trimmed(30.0, 1)
    ('2.5', '30')
    """
    text = fixed(value, places, signed)
    mark = the_reader().decimal_mark
    return text.rstrip("0").rstrip(mark) if mark in text else text


def digits(value: float, count: int = 2, signed: bool = False) -> str:
    """A number to so many digits, never in powers of ten.

    >>> digits(0.0712), digits(-1234.5, 3), digits(0.00002), digits(3.0, signed=True)
    ('0.071', '−1234', '0.00002', '+3')
    """
    text = f"{value:{'+' if signed else ''}.{count}g}"
    if "e" in text:
        text = f"{value:{'+' if signed else ''}.{0 if abs(value) >= 1 else 9}f}"
        text = text.rstrip("0").rstrip(".") if "." in text else text
    return marked(text)


def axis_text(mm: float | None) -> str:
    """A swing axis, which is told in mm to every reader: `101.6 mm`; '' where there is none."""
    return "" if mm is None else f"{digits(mm, 6)} mm"


def as_typed(value: float, places: int) -> str:
    """A number with ``places`` decimals, or with the one more somebody wrote; what was computed
    with more is not. What was written in another unit than it is kept in is off by a hair.

    >>> as_typed(326.0, 1), as_typed(326.15, 1), as_typed(327.875, 1)
    ('326.0', '326.15', '327.9')
    >>> as_typed(round(11.495 * UNITS["oz"].size, 6) / UNITS["oz"].size, 2)
    '11.495'
    """
    is_finer = abs(value - round(value, places)) > 1e-6 > abs(value - round(value, places + 1))
    return fixed(value, places + is_finer)


def percent(share: float, places: int = 0) -> str:
    """A share in percent.

    >>> percent(0.845), percent(0.0123, 1)
    ('85 %', '1.2 %')
    """
    return f"{fixed(100 * share, places)} %"


def unit_of(dimension: Dimension) -> Unit:
    """The reader's unit of a dimension."""
    return UNITS[the_reader().unit(dimension)]


def in_unit(value: float, unit: Unit, places: int, signed: bool = False) -> str:
    """A value in the core's unit as a number in ``unit``.

    Args:
        places: decimals it would be told with in the core's unit; as many more as the unit is
            coarser, but none beyond its finest.
    """
    if unit.size != 1:
        places = min(places + math.ceil(math.log10(unit.size)), unit.finest)
    return fixed(value / unit.size, places, signed)


def length_number(mm: float, places: int | None = None) -> str:
    """A length without its unit (``places`` None: the usual decimals)."""
    unit = unit_of("length")
    return fixed(mm / unit.size, unit.places) if places is None else in_unit(mm, unit, places)


def length_text(mm: float, places: int | None = None) -> str:
    """A length with its unit."""
    return f"{length_number(mm, places)} {the_reader().length}"


def short_length(mm: float) -> str:
    """A length without its unit, and with no more decimals than it has."""
    unit = unit_of("length")
    return trimmed(mm / unit.size, unit.places)


def mass_text(grams: float, places: int = 2) -> str:
    """A small mass with its unit, as finely as a bench scale reads it."""
    return f"{in_unit(grams, unit_of('mass'), places)} {the_reader().mass}"


def duration(minutes: float) -> str:
    """How long work takes: `45 min`, and from an hour and a half on `about 7 h`.

    >>> duration(45.2), duration(433)
    ('45 min', 'about 7 h')
    """
    if minutes < 90:
        return f"{minutes:.0f} min"
    return f"about {trimmed(round(minutes / 30) / 2, 1)} h"


def points_head_light(balance_mm: Number, length_mm: float) -> Number:
    """Balance in points of an eighth of an inch: positive head-light, negative head-heavy."""
    return (length_mm / 2 - balance_mm) / POINT_MM


def in_points(balance_mm: Number, length_mm: float) -> str:
    """`6.7 pt head-light`, `2.0 pt head-heavy` or `even`."""
    count = nominal(points_head_light(balance_mm, length_mm))
    if abs(count) < 0.05:
        return translated("even")
    side = "{points} pt head-light" if count > 0 else "{points} pt head-heavy"
    return translated(side, points=fixed(abs(count), 1))


def percent_of_length(balance_mm: Number, length_mm: float) -> str:
    """`46.5 % of length`."""
    share = fixed(nominal(balance_mm) / length_mm * 100, 1)
    return f"{share} {translated('% of length')}"


def hole_text(hole: float) -> str:
    """`6`, or `6.4` for a place between two holes."""
    return trimmed(hole, 1)


def clock_text(hour: float) -> str:
    """A clock hour as people say it: `3`, `2:10`, `12`."""
    minutes = round(hour % 12 * 60) % 720
    whole, rest = divmod(minutes, 60)
    whole = whole or 12
    return f"{whole}:{rest:02d}" if rest else str(whole)
