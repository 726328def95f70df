"""Frames and readings as CSV, as people keep them: any delimiter, decimal commas, cm or mm, g or oz
by column.

Columns are known by their names: ``name``, ``serial``, ``condition``, ``mass_g`` (or ``mass_oz``),
``balance_mm`` (or ``balance_cm``, ``balance_in``), ``swing_kgcm2``, ``axis_mm`` (or ``axis_in``),
``twist_kgcm2``, ``measured_on``; also ``maker``, ``owner``, ``kind`` and ``frame`` (rows with the
same are of one frame, which tells those without a serial apart). They are the keys of the open
documents, and what people call them is known too (``model``, ``sw``); a cell may carry its own
unit (``11.3 oz``). A figure's ``u``, one standard uncertainty, stands under its name and ``_u``,
and where none does, the last digit says how sure it is.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

from kentrobar.core.errors import UnreadableError
from kentrobar.core.units import (
    LENGTH,
    MASS,
    Typed,
    last_digit,
    read_axis,
    read_inertia,
    read_length,
    read_mass,
)

COLUMNS = (
    "name",
    "serial",
    "condition",
    "mass_g",
    "balance_mm",
    "swing_kgcm2",
    "axis_mm",
    "twist_kgcm2",
    "measured_on",
)
FIGURES_WITH_U = ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2")
TEXTS = ("name", "serial", "condition", "maker", "owner", "kind", "frame")
MOST_ROWS = 20_000
_FACTORS: dict[str, tuple[str, float]] = {
    **{f"{name}_{u}": ("mass_g", one) for name in ("mass", "weight") for u, one in MASS.items()},
    **{f"balance_{unit}": ("balance_mm", size) for unit, size in LENGTH.items()},
    **{f"axis_{unit}": ("axis_mm", size) for unit, size in LENGTH.items()},
    "swing_kgcm2": ("swing_kgcm2", 1.0), "swing": ("swing_kgcm2", 1.0),
    "twist_kgcm2": ("twist_kgcm2", 1.0), "twist": ("twist_kgcm2", 1.0),
}  # fmt: skip
"""(figure, size of one in its unit) by the name of a column, in any unit of the table."""
CALLED = {
    "model": "name", "racket": "name", "paddle": "name", "mark": "serial", "serial_no": "serial",
    "player": "owner", "make": "maker", "brand": "maker", "date": "measured_on",
    "mass": "mass_g", "weight": "mass_g", "static_weight": "mass_g", "balance": "balance_mm",
    "sw": "swing_kgcm2", "swingweight": "swing_kgcm2", "swing_weight": "swing_kgcm2",
    "tw": "twist_kgcm2", "twistweight": "twist_kgcm2", "twist_weight": "twist_kgcm2",
    "axis": "axis_mm",
}  # fmt: skip
"""What people write over their columns. A figure named so is in g or mm, or as its cell says."""
_READERS: dict[str, Callable[..., Typed]] = {
    "mass_g": read_mass, "balance_mm": read_length, "axis_mm": read_axis,
    "swing_kgcm2": read_inertia, "twist_kgcm2": read_inertia,
}  # fmt: skip
_US = {f"{name}_u": known for name, known in _FACTORS.items() if known[0] in FIGURES_WITH_U}


@dataclass(frozen=True, slots=True)
class TableRow:
    """One row: its line in the file, its texts, its figures in the core's units with what their
    last digits leave open, or what was written beside those that are ``sure``, and what is wrong
    with it."""

    line: int
    texts: Mapping[str, str]
    figures: Mapping[str, float] = field(default_factory=dict)
    us: Mapping[str, float] = field(default_factory=dict)
    sure: frozenset[str] = frozenset()
    measured_on: date | None = None
    faults: tuple[str, ...] = ()


def read(text: str) -> list[TableRow]:
    """Every row with its faults; empty lines are passed over. Raises UnreadableError."""
    text = text.lstrip("\ufeff")
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        raise UnreadableError("The file is empty.")
    delimiter = max(";\t,|", key=lambda sign: lines[0].count(sign))
    rows = _rows(text, delimiter)
    header = [_name(cell) for cell in rows[0][2]]
    if "name" not in header:
        raise UnreadableError(
            f"No column is called name. The first line must name the columns: {', '.join(COLUMNS)}."
        )
    doubled = {name for name in header if name and header.count(name) > 1}
    if doubled:
        raise UnreadableError(f"Two columns are called {', '.join(sorted(doubled))}.")
    known = {*TEXTS, *_FACTORS, *_US, "measured_on"}
    unknown = [name for name in header if name and name not in known]
    if unknown:
        raise UnreadableError(
            f"Column {unknown[0]} is not known. Known are"
            f" {', '.join((*COLUMNS, 'maker', 'owner', 'kind'))}."
        )
    if len(rows) - 1 > MOST_ROWS:
        raise UnreadableError(f"{len(rows) - 1} rows: at most {MOST_ROWS} at once.")
    return [
        _row(first, header, row, last)
        for first, last, row in rows[1:]
        if any(cell.strip() for cell in row)
    ]


def _rows(text: str, delimiter: str) -> list[tuple[int, int, list[str]]]:
    """(first line, last line, cells) of every row that has any. Raises UnreadableError."""
    reader = csv.reader(io.StringIO(text, newline=None), delimiter=delimiter)
    found, last = [], 0
    try:
        for row in reader:
            first, last = last + 1, reader.line_num
            if row:
                found.append((first, last, row))
    except csv.Error as error:
        raise UnreadableError(f"This is no table: {error}.") from None
    return found or [(1, 1, [])]


def _name(cell: str) -> str:
    """`Balance (cm)` and `balance cm` are balance_cm."""
    clean = cell.strip().lower().replace("²", "2").replace("·", "")
    clean = re.sub(r"[()\[\],]", " ", clean)
    name = re.sub(r"[\s_\-]+", "_", clean.strip())
    return CALLED.get(name, name)


def _row(line: int, header: Sequence[str], cells: Sequence[str], last: int) -> TableRow:
    texts: dict[str, str] = {}
    figures: dict[str, float] = {}
    us: dict[str, float] = {}
    written: dict[str, float] = {}
    faults: list[str] = []
    measured_on = None
    if last > line:
        # A stray quotation mark swallows every line up to the next one.
        faults.append(f"lines {line} to {last} are one row: a quotation mark stands open")
    if len(cells) > len(header):
        faults.append(f"{len(cells)} cells under {len(header)} columns")
    for name, cell in zip(header, cells, strict=False):
        value = cell.strip().replace("\0", "")
        if not name or not value:
            continue
        if name in TEXTS:
            texts[name] = value[1:] if re.match(r"'[=+@]", value) else value
        elif name == "measured_on":
            measured_on, fault = _date(value)
            faults += [fault] if fault else []
        else:
            known, factor = (_FACTORS | _US)[name]
            clean = _plain(value)
            number = _number(clean)
            if number is None and (typed := _with_unit(known, name, value)):
                figures[known], us[known] = typed.value, typed.read_u()
                written |= {known: typed.u} if typed.u is not None else {}
            elif number is None:
                faults.append(f"{name}: “{value}” is no number")
            elif name in _US:
                written[known] = number * factor
                faults += [f"{name}: {value} is below 0"] if number < 0 else []
            else:
                figures[known] = number * factor
                us[known] = last_digit(clean) * factor / math.sqrt(12)
    if not texts.get("name"):
        faults.append("name is empty")
    sure = {name: u for name, u in written.items() if name in figures}
    return TableRow(line, texts, figures, us | sure, frozenset(sure), measured_on, tuple(faults))


def _with_unit(known: str, column: str, text: str) -> Typed | None:
    """A figure that is written with its unit, `11,3 oz` or `32.4 cm`; None where it is none."""
    if column in _US:
        return None
    reader, unit = _READERS[known], column.rpartition("_")[2]
    try:
        return reader(text, unit) if unit in MASS | LENGTH else reader(text)
    except UnreadableError:
        return None


def _plain(text: str) -> str:
    """`1.234,5`, `1,234.5`, `320,4`, `320.4` with a point for their decimals and nothing else."""
    clean = text.replace(" ", "").replace("\u00a0", "").replace("−", "-")
    if "," in clean and "." in clean:
        thousands = "," if clean.rindex(",") < clean.rindex(".") else "."
        clean = clean.replace(thousands, "")
    return clean.replace(",", ".")


def _number(clean: str) -> float | None:
    return float(clean) if re.fullmatch(r"[+-]?\d{1,9}(\.\d{1,9})?", clean) else None


def _date(text: str) -> tuple[date | None, str]:
    found = re.fullmatch(r"(\d{4})-(\d{1,2})-(\d{1,2})", text) or re.fullmatch(
        r"(\d{1,2})\.(\d{1,2})\.(\d{4})", text
    )
    if not found:
        return None, f"measured_on: “{text}” is no day; write 2026-03-14"
    parts = [int(part) for part in found.groups()]
    year, month, day = parts if parts[0] > 31 else (parts[2], parts[1], parts[0])
    try:
        return date(year, month, day), ""
    except ValueError:
        return None, f"measured_on: {text} is no day of the calendar"


def write(rows: Sequence[Mapping[str, object]]) -> str:
    """Rows as CSV with a header, in the core's units."""
    out = io.StringIO()
    us = (f"{name}_u" for name in FIGURES_WITH_U)
    columns = (*COLUMNS, *us, "maker", "owner", "kind", "frame")
    writer = csv.DictWriter(out, columns, extrasaction="ignore", lineterminator="\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({key: _cell(value) for key, value in row.items()})
    return out.getvalue()


def _cell(value: object) -> object:
    if isinstance(value, float):
        return f"{value:.10g}"
    # A text a spreadsheet would take for a formula is told to be a text.
    return f"'{value}" if isinstance(value, str) and value[:1] in "=+@" else value
