"""The open documents of measuring: ``kentrobar-reading/1`` in, ``kentrobar-measurement/1`` out."""

from __future__ import annotations

from dataclasses import asdict, fields
from typing import Annotated, Any, Union

from kentrobar.core.errors import DocumentError, Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.io.structure import OneOf, read
from kentrobar.core.measure.method import Measurement, RawReading, best_improvement
from kentrobar.core.measure.registry import METHODS, READINGS
from kentrobar.core.numbers import Number, digit_step, digit_u, nominal, uncertainty
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import digits
from kentrobar.core.words.amounts import told

READING_FORMAT = "kentrobar-reading/1"
MEASUREMENT_FORMAT = "kentrobar-measurement/1"

# Made of the registry, so that a new method is read without a word here.
AnyReading: Any = Annotated[Union[tuple(READINGS.values())], OneOf(READINGS, "method")]  # noqa: UP007 (no | of a tuple)
MOST_READINGS = 5000


def reading_of(value: Any) -> RawReading:
    """A reading from plain values, checked in structure and sense. Raises DocumentError."""
    if not isinstance(value, dict):
        raise DocumentError("", "must be an object")
    if "format" not in value:
        raise DocumentError("format", "missing")
    if value["format"] != READING_FORMAT:
        raise DocumentError("format", f"{value['format']!r} is not {READING_FORMAT!r}")
    plain = {key: given for key, given in value.items() if key != "format"}
    if plain.pop("typed", False) is True:
        plain = _as_typed(plain)
    reading: RawReading = read(AnyReading, plain)
    for name in ("readings_g", "readings_mm", "readings_kgcm2", "tap_times_s"):
        many = len(getattr(reading, name, None) or ())
        if many > MOST_READINGS:
            raise DocumentError(name, Refusal("too-many", many, high=MOST_READINGS))
    for path, reason in reading.faults():
        raise DocumentError(path, reason)
    return reading


def _as_typed(given: dict[str, Any]) -> dict[str, Any]:
    """A reading whose bare numbers are figures as somebody wrote them: repeats are as fine as their
    finest last digit, other figures as sure as theirs."""
    found = dict(given)
    for key, value in given.items():
        is_number = isinstance(value, (int, float)) and not isinstance(value, bool)
        if key.startswith("readings_") and isinstance(value, list):
            steps = [digit_step(one) for one in value if isinstance(one, (int, float))]
            finest = f"resolution_{key.removeprefix('readings_')}"
            found.setdefault(finest, min(steps, default=0.0))
        elif is_number and key in FIGURES_READ:
            found[key] = {"value": value, "u": digit_u(value)}
    if getattr(READINGS.get(str(given.get("method"))), "is_timed", False):
        found.setdefault("usual_swing", True)
    return found


FIGURES_READ = (
    "value", "mass_g", "balance_mm", "period_s", "m1_g", "m2_g", "x1_mm", "x2_mm", "pivot_mm",
    "hang_mm", "spacing_top_mm", "spacing_bottom_mm", "thread_mm", "offset_mm",
)  # fmt: skip
"""Keys of a reading that are read off something; an axis is set, a count is counted."""


def reduced(reading: RawReading) -> Measurement:
    """The measurement of a checked reading.
    Raises DocumentError where it comes to nothing physical."""
    try:
        found = reading.reduce()
    except (OverflowError, ZeroDivisionError):
        raise DocumentError("", "these numbers come to no finite figure") from None
    value = nominal(found.value)
    if not -1e12 < value < 1e12:
        raise DocumentError("", "these numbers come to no finite figure")
    for name in (found.quantity, "recoil_kgcm2"):
        figure = nominal(found.figures.get(name, 1.0))
        if figure <= 0:
            known = FIGURES.get(name)
            rounded = float(f"{figure:.4g}")
            what = f"a {known.label} of {told(name, rounded)}" if known else digits(rounded, 6)
            reason = f"comes to {what}, which must be above 0: look at {_suspect(found)}"
            raise DocumentError("", reason)
    return found


def _suspect(found: Measurement) -> str:
    if "period_s" in found.figures:
        return "the period, the distances and the mass"
    return "the readings and what is taken off them"


def expected(method: str, setup: dict[str, Any], frame: Measured) -> Measurement:
    """What a method would come to on a frame like this one: the uncertainty it will leave, and what
    would improve it.

    The reading is imagined: its set-up as given, its readings as this frame would give them. It is
    then reduced like any other, so the answer is the method's own.

    Raises:
        DocumentError, ValueError: this set-up cannot be, or nothing would swing with it.
    """
    imagined = METHODS[method].imagine(setup, frame)
    return reduced(reading_of({"format": READING_FORMAT, "method": method} | setup | imagined))


def dump_reading(reading: RawReading) -> dict[str, Any]:
    """A reading as a ``kentrobar-reading/1`` document, without what stands at its default."""
    kept: dict[str, Any] = {"format": READING_FORMAT, "method": reading.method}
    full = asdict(reading)
    for f in fields(reading):
        if f.name == "method" or full[f.name] is None or full[f.name] == []:
            continue
        if full[f.name] != f.default or f.name == "count":
            kept[f.name] = full[f.name]
    return kept


def measurement_document(value: Any) -> dict[str, Any]:
    """What ``reduce`` prints: a ``kentrobar-measurement/1`` document. Raises DocumentError.

    Intermediate figures stand by their own names as plain numbers; ``us`` holds the uncertainty of
    each that has one, ``budget`` what each input leaves uncertain of the value.
    """
    found = reduced(reading_of(value))
    us = {name: uncertainty(figure) for name, figure in found.figures.items()}
    return {
        "format": MEASUREMENT_FORMAT,
        "method": found.method,
        "quantity": found.quantity,
        "value": round(nominal(found.value), 9),
        "u": _four(found.u),
        **{name: _figure(figure) for name, figure in found.figures.items()},
        "us": {name: _four(u) for name, u in us.items() if u is not None},
        "budget": {tag: _four(u) for tag, u in found.budget.items()},
        "improve": best_improvement(found.value),
        "notes": [note.said for note in found.notes],
    }


def _figure(figure: Number) -> Number:
    return figure if isinstance(figure, int) else round(nominal(figure), 9)


def _four(u: float | None) -> float | None:
    """Four digits are plenty for an uncertainty."""
    return None if u is None else float(f"{u:.4g}")
