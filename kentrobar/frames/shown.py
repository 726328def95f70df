"""A frame's figures and sizes as a reader wants them, with what was written beside each."""

from __future__ import annotations

import logging
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import (
    axis_text,
    digits,
    fixed,
    in_points,
    length_number,
    length_text,
    percent_of_length,
    the_reader,
)
from kentrobar.core.units import LENGTH, MASS
from kentrobar.core.words.amounts import Amount, change_of, mass_in_other_unit, mass_number

from .choices import Condition
from .figures import Contradiction, Figures, FoundFigure, figures_in, figures_of
from .fitted import Fitting, brought
from .forms import DIMENSION_LABELS
from .models import Frame

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class ShownFigure:
    """One figure of a frame as a reader wants it, with what was written beside it."""

    quantity: str
    label: str
    value: str
    unit: str
    u: str
    typed: str
    aside: str
    computed: str = ""
    """What was put on or taken off in thought, '' where the figure was read just so."""
    source: str = ""
    """What a computed figure was read as, and in which condition."""
    about: str = ""
    """The axis a swing weight is about."""


@dataclass(frozen=True, slots=True)
class ShownFigures:
    condition: str
    rows: tuple[ShownFigure, ...]
    missing: tuple[str, ...]

    @property
    def by_figure(self) -> dict[str, ShownFigure]:
        return {row.quantity: row for row in self.rows}

    @property
    def is_computed(self) -> bool:
        return any(row.computed for row in self.rows)

    @property
    def computed(self) -> str:
        """What was put on or taken off in thought, '' where all was read just so."""
        return next((row.computed for row in self.rows if row.computed), "")


@dataclass(frozen=True, slots=True)
class FrameRow:
    """A frame in the list; ``shown`` is None where nothing is known of it, or ``is_odd`` where what
    is known cannot be shown."""

    href: str
    name: str
    maker: str
    kind: str
    player: str
    note: str
    shown: ShownFigures | None
    is_odd: bool
    is_compared: bool
    plans: int


def frame_row(frame: Any, common: str, carried_out: Iterable[Fitting] = ()) -> FrameRow:
    """A row of a frame that comes with its ``newest`` readings, its parts and ``plan_count``, in a
    ``common`` condition where one is asked for, with what was carried out on it."""
    figures: ShownFigures | None = None
    is_odd = False
    try:
        if common:
            found = [figures_in(frame, common, frame.newest, frame.parts.all())]
        else:
            found = figures_of(frame, frame.newest, frame.parts.all())
        whole = brought(frame, found[0], carried_out) if found else None
        figures = shown_figures(frame, whole) if whole else None
    except (ArithmeticError, ValueError):
        log.exception("frame %s cannot be shown in the list", frame.pk)
        is_odd = True
    return FrameRow(
        frame.get_absolute_url(), str(frame), frame.maker, frame.kind, str(frame.player or ""),
        frame.note, figures, is_odd, bool(common), frame.plan_count,
    )  # fmt: skip


def shown_figures(frame: Frame, figures: Figures) -> ShownFigures:
    """A condition's figures about the shown axis; the swing weight as read stands beside."""
    make = {"mass_g": _mass, "balance_mm": _balance, "swing_kgcm2": _swing, "twist_kgcm2": _twist}
    found = (make[name](frame, figures) for name in make if name in figures.found)
    return ShownFigures(Condition(figures.condition).label, tuple(found), tuple(figures.missing))


def contradiction_text(one: Contradiction, frame: Frame) -> str:
    """Both sides of it, and how far they are apart."""
    outline = frame.outline()

    def said(found: FoundFigure) -> str:
        u = Amount(one.quantity, 0.0, uncertainty(found.value) or 0.0, outline.length_mm).spread
        value, unit = Amount(one.quantity, nominal(found.value), length_mm=outline.length_mm).parts
        return f"{value}{f' ± {u}' if u else ''} {unit}"

    apart = change_of(one.quantity, one.apart).number().lstrip("+−")
    label, other = FIGURES[one.quantity].label, Condition(one.other).label
    here, by = Condition(one.condition).label, one.there.computed or "the same parts"
    return (
        f"{label.capitalize()} {here} reads {said(one.here)}; read {other},"
        f" it comes to {said(one.there)} ({by}): {apart} apart."
    )


def _mass(frame: Frame, figures: Figures) -> ShownFigure:
    found = figures.found["mass_g"]
    aside = mass_in_other_unit(nominal(found.value))
    value = mass_number(found.value)
    return _row("mass_g", "mass", value, the_reader().mass, found, aside)


def _balance(frame: Frame, figures: Figures) -> ShownFigure:
    found = figures.found["balance_mm"]
    said = in_points if FRAME_KINDS[frame.kind].balance_in == "pt" else percent_of_length
    value = length_number(found.value)
    return _row(
        "balance_mm",
        "balance",
        value,
        the_reader().length,
        found,
        said(found.value, frame.length_mm),
    )


def _twist(frame: Frame, figures: Figures) -> ShownFigure:
    found = figures.found["twist_kgcm2"]
    return _row("twist_kgcm2", "twist weight", fixed(nominal(found.value), 2), "kg·cm²", found, "")


def _swing(frame: Frame, figures: Figures) -> ShownFigure:
    found = figures.found["swing_kgcm2"]
    reading = found.reading
    axis = the_reader().axis_mm(frame.kind)
    read = f"{reading.typed or fixed(reading.value, 1)} about {axis_text(reading.axis_mm)}"
    if not figures.is_complete:
        label, value = f"swing weight, {axis_text(reading.axis_mm)}", fixed(nominal(found.value), 1)
        aside = "another axis needs mass and balance"
        row = _row("swing_kgcm2", label, value, "kg·cm²", found, aside, read)
        return replace(row, about=axis_text(reading.axis_mm))
    body = figures.measured().body()
    swing = body.swing_kgcm2(axis)
    u = uncertainty(swing)
    return ShownFigure(
        "swing_kgcm2",
        f"swing weight, {axis_text(axis)}",
        fixed(nominal(swing), 1),
        "kg·cm²",
        digits(u) if u else "",
        read,
        f"recoil {fixed(nominal(body.recoil_kgcm2), 1)}",
        found.computed,
        _source(found),
        axis_text(axis),
    )


def _row(
    quantity: str,
    label: str,
    value: str,
    unit: str,
    found: FoundFigure,
    aside: str,
    typed: str | None = None,
) -> ShownFigure:
    u = uncertainty(found.value)
    factor = (MASS | LENGTH).get(unit, 1.0)
    written = found.reading.typed if typed is None else typed
    return ShownFigure(
        quantity,
        label,
        value,
        unit,
        digits(u / factor) if u else "",
        written,
        aside,
        found.computed,
        _source(found, factor),
    )


def _source(found: FoundFigure, factor: float = 1.0) -> str:
    """`as played 319.8 ± 0.1`, of a computed figure."""
    if not found.computed:
        return ""
    reading = found.reading
    u = f" ± {digits(reading.u / factor)}" if reading.u else ""
    return f"{reading.get_condition_display()} {digits(reading.value / factor, 5)}{u}"


def typed_sizes(frame: Frame) -> list[str]:
    """`length 27 in`: dimensions that were written in another unit than the one shown."""
    sizes = []
    for name in FRAME_KINDS[frame.kind].dimensions:
        if (size := getattr(frame, name)) is None:
            continue
        text = length_text(size)
        typed = frame.typed.get(name, "")
        if (
            typed
            and typed.split(" ")[-1] != the_reader().length
            and not typed[-1].isdigit()
            and typed != text
        ):
            sizes.append(f"{DIMENSION_LABELS[name][0]} {typed}")
    return sizes
