"""A recording as a table of numbers: its clock, its channels, in order of time."""

from __future__ import annotations

import csv
import io
import math
import re
from typing import TYPE_CHECKING

from kentrobar.core.reader import digits
from kentrobar.core.words import Message, message

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Array = NDArray[np.float64]

LEAST_RATE = 20.0
MOST_SAMPLES = 200_000
MOST_SPAN_S = 900.0
LONGEST_BREAK_S, BREAK_STEPS = 2.0, 20
"""A longer break parts a recording in two."""


class NoSwingError(ValueError):
    """The recording holds no clean swing; the message says why."""


def columns_of(text: str) -> tuple[Array, dict[str, Array]]:
    """(times in s, motion columns by name) of a CSV with any delimiter and any header."""
    import numpy as np

    rows, decimal_comma = _rows(text)
    header: list[str] = []
    numbers: list[list[float]] = []
    width = 0
    for row in rows:
        values = [_float(cell, decimal_comma) for cell in row]
        if sum(v is not None for v in values) >= 2:
            width = width or len(values)
            if len(values) >= width:
                numbers.append([math.nan if v is None else v for v in values[:width]])
        elif not numbers:
            header = row
        if len(numbers) > MOST_SAMPLES:
            raise NoSwingError(
                f"More than {MOST_SAMPLES} samples: cut the recording to a minute or two."
            )
    if len(numbers) < 2 * LEAST_RATE:
        raise NoSwingError(
            f"{len(numbers)} rows of numbers: a recording has a column of time and one of motion, "
            "and some hundred rows."
        )
    table = np.array(numbers)
    # A column that holds words in most rows is none.
    filled = [i for i in range(width) if np.isfinite(table[:, i]).mean() > 0.9]
    names = [
        header[i].strip() if i < len(header) and header[i].strip() else f"column {i + 1}"
        for i in range(width)
    ]
    clock = _clock_column(table, names, filled)
    table = table[np.isfinite(table[:, filled]).all(axis=1)]
    seconds = table[:, clock] * _to_seconds(table[:, clock], names[clock])
    return seconds - seconds[0], {names[i]: table[:, i] for i in filled if i != clock}


def _rows(text: str) -> tuple[list[list[str]], bool]:
    lines = [line for line in text.lstrip("\ufeff").splitlines() if line.strip()]
    sample = lines[len(lines) // 2] if lines else ""
    delimiter = next((mark for mark in (";", "\t", ",") if mark in sample), " ")
    decimal_comma = delimiter != "," and "," in sample
    table = io.StringIO("\n".join(lines))
    try:
        return list(csv.reader(table, delimiter=delimiter, skipinitialspace=True)), decimal_comma
    except csv.Error as error:
        raise NoSwingError(f"This is no table of numbers: {error}.") from None


def _float(cell: str, decimal_comma: bool) -> float | None:
    try:
        value = float(cell.replace(",", ".") if decimal_comma else cell)
    except ValueError:
        return None
    return value if math.isfinite(value) else None


def _clock_column(table: Array, names: list[str], filled: list[int]) -> int:
    """The column that only rises; among several, the one whose name speaks of time."""
    import numpy as np

    rising = []
    for i in filled:
        column = table[:, i]
        steps = np.diff(column[np.isfinite(column)])
        # A stamp may stand still or jump back once in a while; motion does so all the time.
        if len(steps) and (steps >= 0).mean() > 0.98 and (steps > 0).mean() > 0.5:
            rising.append(i)
    if not rising:
        raise NoSwingError(
            "No column is a clock: one must hold rising times in seconds or milliseconds."
        )
    named = [
        i
        for i in rising
        if re.search(r"time|stamp|second|elapsed|^t\b|zeit|temps", names[i], re.IGNORECASE)
    ]
    return (named or rising)[0]


def _to_seconds(column: Array, name: str) -> float:
    """The factor to seconds, from the name's unit or from the usual step."""
    import numpy as np

    steps = np.diff(column)
    step = float(np.median(steps[steps > 0]))
    for unit, factor in (
        (r"\bns\b|nano", 1e-9),
        (r"\b[uµ]s\b|micro", 1e-6),
        (r"\bms\b|milli", 1e-3),
    ):
        if re.search(unit, name, re.IGNORECASE):
            return factor
    # A step of more than a quarter of a second would be too slow to use: finer units are meant.
    return next(
        factor
        for least, factor in ((1e5, 1e-9), (250.0, 1e-6), (0.25, 1e-3), (0.0, 1.0))
        if step > least
    )


def _longest_stretch(steps: Array, step: float) -> tuple[slice, int]:
    """Where samples follow one another without a break a fit could bridge, the longest of such
    stretches; how many others there are. One wrong time stamp is a stretch of its own."""
    import numpy as np

    breaks = np.flatnonzero(steps > max(LONGEST_BREAK_S, BREAK_STEPS * step))
    ends = [0, *(breaks + 1), len(steps) + 1]
    longest = max(range(len(ends) - 1), key=lambda i: ends[i + 1] - ends[i])
    return slice(int(ends[longest]), int(ends[longest + 1])), len(ends) - 2


def in_order(
    times: Array, channels: dict[str, Array]
) -> tuple[Array, dict[str, Array], list[Message]]:
    import numpy as np

    notes = []
    order = np.argsort(times, kind="stable")
    times = times[order]
    fresh = np.concatenate([[True], np.diff(times) > 0])
    times = times[fresh]
    channels = {name: values[order][fresh] for name, values in channels.items()}
    steps = np.diff(times)
    step = float(np.median(steps))
    if 1 / step < LEAST_RATE * 0.95:
        raise NoSwingError(
            f"{digits(1 / step, 3)} samples a second: {LEAST_RATE:.0f} are the least. Set the"
            " logger to 50 or more."
        )
    here, left_out = _longest_stretch(steps, step)
    times, steps = times[here], steps[here][:-1]
    channels = {name: values[here] for name, values in channels.items()}
    span = float(times[-1] - times[0])
    if span > MOST_SPAN_S:
        raise NoSwingError(f"{span:.0f} s of recording: cut it to {MOST_SPAN_S:.0f} s at most.")
    if left_out:
        notes.append(message("longest-stretch", kept=span, count=left_out))
    gaps = int((steps > 5 * step).sum())
    if gaps:
        notes.append(message("gaps", count=gaps, longest=float(steps.max())))
    return times, channels, notes
