"""What people type and what they read: g, oz, mm, cm, in, points, % of length, kg·cm².

People write `11.3 oz`, `32,4 cm`, `12 7/8 in`, `6 pts HL`, `56 %`, `320 ± 0.2 g`. Reading gives a
``Typed`` value in the core's unit that remembers what was written, so a page can show both.
A number without a unit takes the unit the page says it expects.

The unit table is our own, not a units library's: a few exact factors are all it would lend us, and
points, percent of length, fractions and half-typed words are the work. `reader` tells amounts.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from kentrobar.core.errors import UnreadableError

Dimension = Literal["mass", "length", "inertia"]


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit of mass, length or moment of inertia.

    Attributes:
        size: of one, in g, mm or kg·cm². places, change_places: decimals of a figure, and of a
            change of one. offered: whether a reader may choose it. words: other spellings of it.
    """

    key: str
    dimension: Dimension
    size: float
    places: int = 1
    change_places: int = 2
    offered: bool = False
    words: tuple[str, ...] = ()

    @property
    def finest(self) -> int:
        """Decimals beyond which nobody reads or cuts: a hundredth of an inch is a quarter of a
        millimetre."""
        return self.places if self.dimension == "length" else self.change_places


UNITS: dict[str, Unit] = {
    one.key: one
    for one in (
        Unit("g", "mass", 1.0, 1, 2, True, ("gr", "gram", "grams", "gm")),
        Unit("kg", "mass", 1000.0, 4, 5),
        Unit("oz", "mass", 28.349523125, 2, 3, True, ("ounce", "ounces")),
        Unit("lb", "mass", 453.59237, 3, 4, False, ("lbs", "pound", "pounds")),
        Unit("mm", "length", 1.0, 1, 1, True, ("millimetre", "millimetres")),
        Unit("cm", "length", 10.0, 2, 2, True, ("centimetre", "centimetres")),
        Unit("m", "length", 1000.0, 4, 4),
        Unit("in", "length", 25.4, 2, 3, True, ("inch", "inches", '"', "″", "''", "”")),
        Unit("ft", "length", 304.8, 3, 3, False, ("foot", "feet")),
        Unit(
            "kg·cm²", "inertia", 1.0, 1, 2, False,
            ("kgcm2", "kgcm²", "kg·cm2", "kg.cm2", "kg*cm2", "kg*cm^2", "kgcm^2", "kg·cm^2", "sw"),
        ),
        Unit(
            "kg·m²", "inertia", 10_000.0, 5, 6, False, ("kgm2", "kgm²", "kg·m2", "kgm^2"),
        ),
        Unit("g·cm²", "inertia", 0.001, 0, 0, False, ("gcm2", "gcm²")),
        Unit("oz·in²", "inertia", 0.182899783, 1, 2, False, ("ozin2", "ozin²", "oz·in2")),
    )
}  # fmt: skip
"""The one table of units: what people type, what a reader may choose, how finely each is told."""


def sizes(dimension: Dimension) -> dict[str, float]:
    """Size of every unit of a dimension, by its key."""
    return {unit.key: unit.size for unit in UNITS.values() if unit.dimension == dimension}


def offered(dimension: Dimension) -> tuple[str, ...]:
    """Units a reader may choose."""
    return tuple(u.key for u in UNITS.values() if u.dimension == dimension and u.offered)


MASS, LENGTH, INERTIA = sizes("mass"), sizes("length"), sizes("inertia")
POINT_MM = 3.175
"""One balance point: an eighth of an inch."""

SECONDS = {"s": 1.0, "ms": 0.001}
DEGREES = {"°": 1.0, "rad": 57.29577951308232}

_WORDS = {word: unit.key for unit in UNITS.values() for word in unit.words} | {
    "sec": "s", "seconds": "s", "deg": "°", "degrees": "°", "º": "°",
}  # fmt: skip

VULGAR = {
    "½": "1/2", "¼": "1/4", "¾": "3/4", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8",
    "⅓": "1/3", "⅔": "2/3",
}  # fmt: skip

_PLAIN = r"\d{1,9}(?:[.,]\d{1,9})?|[.,]\d{1,9}"
_NUMBER = re.compile(
    rf"(?P<sign>[-+−–]?)\s*(?:(?P<whole>\d{{1,6}})[\s-]+)?(?:(?P<top>\d{{1,4}})\s*/\s*(?P<under>\d{{1,4}})"
    rf"|(?P<plain>{_PLAIN}))(?P<rest>.*)",
    re.DOTALL,
)
_ROW = re.compile(
    rf"(?P<numbers>(?:[-+−]?(?:{_PLAIN})\s+)+[-+−]?(?:{_PLAIN}))(?P<unit>\s*(?:[^\W\d]|%)[^\d±+/]*|)"
)
"""Several plain numbers in a row, with one unit for all or none."""
_SAME = re.compile(rf"(?:{_PLAIN})\s*(?P<unit>[^\W\d]+)(?:\s+(?:{_PLAIN})\s*(?P=unit))+")
"""Several, each with the same unit: `1 lb 3 oz` is none, and no one figure either."""
_TWO_UNITS = re.compile(
    r"(?P<whole>\d{1,4})\s*(?P<large>[a-z]+)\.?,?\s+(?P<part>\d{1,4}(?:[.,]\d{1,4})?)\s*(?P<small>[a-z]+)\.?",
    re.IGNORECASE,
)
_PLUS_MINUS = re.compile(
    rf"^(?P<main>.*?)(?:±|\+/-|\+-|\+−)\s*(?P<u>{_PLAIN})(?P<unit>.*)$", re.DOTALL
)


@dataclass(frozen=True, slots=True)
class Typed:
    """A value as typed, in the core's unit.

    Attributes:
        u: one standard uncertainty, where one was written. step: what the last digit written
            counts: 1 for `324`, 0.1 for `324.7`, 28.3 g for `8 oz`; 0 where nothing is left open.
        values: the repeats it is the mean of; empty for one figure.
    """

    value: float
    u: float | None
    unit: str
    text: str
    step: float = 0.0
    values: tuple[float, ...] = ()

    @property
    def count(self) -> int:
        """How many repeats it is the mean of."""
        return max(len(self.values), 1)

    @property
    def least_u(self) -> float:
        """What the last digit leaves open: an even spread over one step of it."""
        return self.step / math.sqrt(12)

    def read_u(self, usual: float = 0.0) -> float:
        """One standard uncertainty of it as a reading: as written, else what it is usually read
        with leaves open, never less than its last digit, and what its repeats scatter."""
        if self.u is not None:
            return self.u
        return math.hypot(scatter_of(self.values), max(usual, self.least_u))


def scatter_of(values: Sequence[float]) -> float:
    """One standard uncertainty of the mean of repeats, from how they scatter; 0 for one figure."""
    if len(values) < 2:
        return 0.0
    mean = math.fsum(values) / len(values)
    away = math.hypot(*(value - mean for value in values))
    return away / math.sqrt((len(values) - 1) * len(values))


def read_mass(text: str, default: str = "g") -> Typed:
    """A mass in g from `320 g`, `11.3 oz`, `320 ± 0.1`."""
    return _read(text, MASS, default, "a mass", "320 g or 11.3 oz")


def read_length(text: str, default: str = "mm") -> Typed:
    """A length in mm from `685.8`, `68.6 cm`, `27 in`, `12 7/8"`."""
    return _on_a_rule(_read(text, LENGTH, default, "a length", "76 mm, 32.4 cm or 12 7/8 in"))


LEAST_AXIS_MM = 40.0
"""Nobody reads a swing weight about a nearer axis, but the butt itself."""


def read_axis(text: str, default: str = "mm", length_mm: float = 600.0) -> Typed:
    """A swing axis in mm from the butt, in the handle; a bare `10` or `32.3` is asked about.
    Raises UnreadableError.

    Args:
        length_mm: of the frame; an axis lies in the lower half of it.
    """
    typed = read_length(text, default)
    is_bare = not re.search(r"[^\W\d]|[\"″”']", typed.text)
    if is_bare and 0 < typed.value < LEAST_AXIS_MM:
        count = typed.text
        meant = [
            f"{count} {unit}"
            for unit in ("cm", "in")
            if LEAST_AXIS_MM <= typed.value / LENGTH[typed.unit] * LENGTH[unit] < length_mm / 2
        ]
        others = " or ".join([*meant, f"{count} {typed.unit}"])
        raise UnreadableError(f"“{count}”: nobody reads so near the butt. Write {others}.")
    if not 0 <= typed.value < length_mm / 2:
        raise UnreadableError(f"“{typed.text}”: the axis lies in the handle. Write 100 mm.")
    return typed


def set_length(typed: Typed) -> Typed:
    """A length somebody set or cut, not read off a frame: a whole number of a coarse unit was made
    to the next finer one, `25 cm` to the millimetre, `6 ft` to the inch."""
    finer = {"m": "cm", "cm": "mm", "ft": "in"}.get(typed.unit)
    if finer is None or typed.step != LENGTH[typed.unit]:
        return typed
    return replace(typed, step=LENGTH[finer])


def _on_a_rule(typed: Typed) -> Typed:
    """A length in fractions is read off a rule marked in eighths or finer, to half a mark, whatever
    they come to: `12 1/2 in` is as fine as `12 7/8 in`. Nobody halves a millimetre or a centimetre
    so: a fraction without a unit is asked about there. Raises UnreadableError."""
    if "/" not in typed.text or typed.unit not in LENGTH:
        return typed
    if typed.unit in ("mm", "cm") and not re.search(r"[^\W\d]", typed.text):
        count = typed.value / LENGTH[typed.unit]
        raise UnreadableError(
            f"“{typed.text}”: inches? Write {typed.text} in, or {count:.6g} {typed.unit}."
        )
    return replace(typed, step=min(typed.step, LENGTH[typed.unit] / 8) / 2)


def read_inertia(text: str) -> Typed:
    """A swing or twist weight in kg·cm² from `320`, `0.032 kg·m²`, `13.2 ± 0.1`."""
    return _read(text, INERTIA, "kg·cm²", "a swing or twist weight", "320 or 320 kg·cm²")


def read_seconds(text: str) -> Typed:
    """A time in s from `1.382`, `1.382 ± 0.001 s`, `690 ms`, or of one of many swings: `23.52/17`
    is seventeen of them."""
    clean = _clean(text)
    counted = re.fullmatch(rf"({_PLAIN})\s*(s|ms)?\s*/\s*(\d{{1,4}})", clean)
    if counted and int(counted[3]) > 1:
        whole, count = (
            _read(f"{counted[1]} {counted[2] or 's'}", SECONDS, "s", "", ""),
            int(counted[3]),
        )
        return Typed(whole.value / count, None, "s", clean, whole.step / count)
    return _read(text, SECONDS, "s", "a time", "1.382 s")


def read_degrees(text: str) -> Typed:
    """An angle in degrees from `8`, `8°`, `8 ± 1 deg`."""
    return _read(text, DEGREES, "°", "an angle", "8°")


PARTED = re.compile(r"([\n;]+|,\s+)")
"""What stands between repeats that were written in one go."""


def read_many(text: str, reader: Callable[[str], Typed]) -> list[Typed]:
    """Repeats written in one go: `311.2 311.3 311.2`, `311,2; 311,3`, one a line, units where
    wanted: behind each, or once behind a row of plain numbers.

    Each is read by ``reader``; a comma with a space behind it parts two, one without is a decimal.
    """
    found = []
    for part in PARTED.split(text)[::2]:
        row = _ROW.fullmatch(part.strip())
        same = _SAME.fullmatch(part.strip())
        if row:
            _not_spaced_out(part.strip(), row["numbers"].split())
            found += [reader(f"{one} {row['unit']}".strip()) for one in row["numbers"].split()]
        elif same:
            found += [reader(f"{one} {same['unit']}") for one in part.split(same["unit"])[:-1]]
        else:
            found.append(reader(part))
    return found


def _not_spaced_out(text: str, numbers: Sequence[str]) -> None:
    """`3 2 0` may be one figure spaced out. Raises UnreadableError."""
    if len(numbers) > 2 and all(one.isdigit() and len(one) == 1 for one in numbers):
        raise UnreadableError(
            f"“{text}”: one figure, or {len(numbers)}? Write {''.join(numbers)},"
            f" or {'; '.join(numbers)}."
        )


def read_repeats(text: str, reader: Callable[[str], Typed]) -> Typed:
    """One figure, or repeats of it (`306 305 305`) as their mean; what they leave open is for the
    instrument to say (``measure.usual``), unless each was written with its ±."""
    found = read_many(text, reader) if text.strip() else [reader(text)]
    if len(found) == 1:
        return found[0]
    values = tuple(one.value for one in found)
    mean = math.fsum(values) / len(values)
    u = None
    if all(one.u is not None for one in found):
        own = math.hypot(*(one.u or 0.0 for one in found)) / len(values)
        u = math.hypot(scatter_of(values), own)
    step = min(one.step for one in found)
    return Typed(mean, u, found[0].unit, _clean(text), step, values)


def read_balance(text: str, length_mm: float, default: str = "mm") -> Typed:
    """A balance in mm from the butt, from any length, points (`6 pts HL`, `3 HH`, `even`) or `56
    %`. Raises UnreadableError, also for what lies off the frame.

    Args:
        length_mm: of the frame, which points and percent are counted against.
        default: unit of a bare number: a length unit, ``pt`` or ``%``.
    """
    typed = _balance(text, length_mm, default)
    if 0 < typed.value < length_mm:
        return typed
    unit = typed.unit if typed.unit in LENGTH else "mm"
    long, tenth = length_mm / LENGTH[unit], typed.value / 10
    meant = (
        f" Did you mean {tenth / LENGTH[unit]:.6g} {unit}?" if _is_usual(tenth, length_mm) else ""
    )
    raise UnreadableError(
        f"“{typed.text}” lies off the frame, which is {long:.4g} {unit} long.{meant}"
    )


def _is_usual(mm: float, length_mm: float) -> bool:
    """Whether frames balance there."""
    return 0.3 * length_mm < mm < 0.7 * length_mm


def _balance(text: str, length_mm: float, default: str) -> Typed:
    clean = _clean(text)
    low = clean.lower()
    led = re.fullmatch(r"(hl|hh|head[ -]?light|head[ -]?heavy)\s+(.*)", clean, re.IGNORECASE)
    if led:
        behind = re.sub(r"(?i)\b(p|pt|pts|points?)\b\.?", "", led[2]).strip()
        clean, low = f"{behind} pts {led[1]}", f"{behind} pts {led[1]}".lower()
    ranged = re.fullmatch(rf"({_PLAIN})\s*[-–]\s*({_PLAIN})\s+(\D.*)", clean)
    if ranged and "±" not in clean:
        ends = [
            _balance(f"{end} {ranged[3]}", length_mm, default).value for end in ranged.groups()[:2]
        ]
        return Typed(sum(ends) / 2, abs(ends[0] - ends[1]) / 2, "pt", clean)
    if low in ("even", "balanced"):
        return Typed(length_mm / 2, None, "pt", clean)
    value, u, words, step = _split(clean, "a balance", "32.4 cm, 6 pts HL or 56 %")
    word = words.lower().rstrip(".").strip() or default
    if re.fullmatch(r"%(\s+of( the)? length)?", word):
        return Typed(
            value / 100 * length_mm,
            None if u is None else u / 100 * length_mm,
            "%",
            clean,
            step / 100 * length_mm,
        )
    points = re.fullmatch(
        r"(?:p|pt|pts|point|points)?\.?\s*(hl|hh|head[ -]?light|head[ -]?heavy)?", word
    )
    if points:
        side = (points[1] or "").replace("-", " ")
        if not side and value and word != default:
            raise UnreadableError(
                f"“{clean}”: head-light or head-heavy? Write {value:g} pts HL or {value:g} pts HH."
            )
        away = -value if side in ("hh", "head heavy", "headheavy") else value
        return Typed(
            length_mm / 2 - away * POINT_MM,
            None if u is None else u * POINT_MM,
            "pt",
            clean,
            # Boards marked in points are read to the half.
            (0.5 if value % 1 == 0.5 else step) * POINT_MM,
        )
    default = default if default in LENGTH else "mm"
    return _on_a_rule(_read(clean, LENGTH, default, "a balance", "32.4 cm, 6 pts HL or 56 %"))


def _clean(text: str) -> str:
    for mark, written in VULGAR.items():
        text = text.replace(mark, f" {written}")
    return " ".join(text.split())


def _read(text: str, table: dict[str, float], default: str, what: str, example: str) -> Typed:
    clean = _in_the_smaller(_clean(text))
    value, u, words, step = _split(clean, what, example)
    word = words.strip().rstrip(".").lower().replace(" ", "")
    unit = _WORDS.get(word, word) or default
    if unit not in table:
        raise UnreadableError(
            f"“{clean}”: {words.strip()} is not a unit for {what}. Write {example}."
        )
    factor = table[unit]
    typed = _clean(text)
    return Typed(value * factor, None if u is None else u * factor, unit, typed, step * factor)


def _in_the_smaller(clean: str) -> str:
    """`1 lb 3 oz` as 19 oz, `6 ft 2 in` as 74 in."""
    found = _TWO_UNITS.fullmatch(clean)
    if not found:
        return clean
    large, small = (_WORDS.get(found[k].lower(), found[k].lower()) for k in ("large", "small"))
    if (large, small) not in (("lb", "oz"), ("ft", "in")):
        return clean
    many = (16 if large == "lb" else 12) * int(found["whole"])
    part = found["part"].replace(",", ".")
    places = len(part.partition(".")[2])
    return f"{many + float(part):.{places}f} {small}"


def _unit(word: str) -> Unit | None:
    key = word.strip().rstrip(".").lower().replace(" ", "")
    return UNITS.get(_WORDS.get(key, key))


def last_digit(number: str) -> float:
    """What the last digit of a number as written counts: 1 of `324`, 0.1 of `324.7`."""
    _, point, places = number.replace(",", ".").partition(".")
    return 10.0 ** -len(places) if point else 1.0


def _split(clean: str, what: str, example: str) -> tuple[float, float | None, str, float]:
    """(number, uncertainty or None, words behind it, what its last digit counts) of a typed text
    without vulgar fractions."""
    u = None
    paired = _PLUS_MINUS.match(clean)
    if paired:
        u = float(paired["u"].replace(",", "."))
        clean_main = paired["main"].strip()
        tail = paired["unit"].strip()
    else:
        clean_main, tail = clean, ""
    if (not paired and "±" in clean) or tail[:1] in ("/", "-"):
        raise UnreadableError(f"“{clean}”: behind ± stands one number, as in 320 ± 0.2.")
    found = _NUMBER.fullmatch(clean_main)
    if not found:
        raise UnreadableError(
            f"“{clean}” is not {what}. Write {example}." if clean else f"Write {what}: {example}."
        )
    if found["plain"] is not None:
        if found["whole"]:
            raise UnreadableError(f"“{clean}”: two numbers. Write {example}.")
        value, step = float(found["plain"].replace(",", ".")), last_digit(found["plain"])
    else:
        under = int(found["under"])
        if not under:
            raise UnreadableError(f"“{clean}”: a fraction over 0. Write {example}.")
        value, step = int(found["whole"] or 0) + int(found["top"]) / under, 1 / under
    rest = found["rest"].strip()
    if re.match(r"[\d.,/]", rest):
        raise UnreadableError(f"“{clean}” is not {what}. Write {example}.")
    if found["sign"] in ("-", "−", "–"):
        value = -value
    if u is not None and rest and tail and rest.lower() != tail.lower():
        # Each with its own unit: 32.4 cm ± 1 mm.
        own, other = _unit(rest), _unit(tail)
        if own is None or other is None or own.dimension != other.dimension:
            raise UnreadableError(f"“{clean}”: two units. Write {example}.")
        u, tail = u * other.size / own.size, ""
    return value, u, tail or rest, step


def read_clock(text: str) -> float:
    """A clock hour 0 < h ≤ 12 from `3`, `2:10`, `2.5`, `12 o'clock`; the half hour past 12 is
    `12:30` or `0:30`."""
    clean = _clean(text).lower().replace("o’clock", "").replace("o'clock", "").strip()
    found = re.fullmatch(r"(\d{1,2})(?::([0-5]\d)|[.,](\d{1,6}))?", clean)
    if found:
        minutes = int(found[2]) / 60 if found[2] else float(f"0.{found[3] or 0}")
        hour = int(found[1]) + minutes
        if 0 <= hour < 13:
            return hour % 12 or 12.0
    raise UnreadableError(f"“{_clean(text)}” is not a clock hour. Write 3, 2:30 or 12.")


def read_hole(text: str) -> Typed:
    """A grommet hole, counted from 1 at the tip, from `6`, `hole 6`, `6.5` or `6-7`: halfway
    between two."""
    clean = _clean(text)
    low = re.sub(r"^(between )?(holes?|grommets?)?\s*", "", clean.lower())
    two = re.fullmatch(rf"({_PLAIN})\s*(?:-|–|…|to|and)\s*({_PLAIN})", low)
    numbers = [float(one.replace(",", ".")) for one in (two.groups() if two else [])]
    if not numbers:
        numbers = [_read(low, {"": 1.0}, "", "a hole", "6, or 6-7 for between two").value]
    return Typed(sum(numbers) / len(numbers), None, "", clean)
