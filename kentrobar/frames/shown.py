"""A frame's figures and sizes as a reader wants them, with what was written beside each."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.body import KGCM2
from kentrobar.core.units import (
    LENGTH,
    MASS,
    Shown,
    fixed,
    nominal,
    show_length,
    show_mass,
    show_percent,
    show_points,
    uncertainty,
)

from .forms import DIMENSION_LABELS
from .models import DIMENSIONS, Condition, Figures, Frame, Reading


@dataclass(frozen=True, slots=True)
class ShownFigure:
    """One figure of a frame as a reader wants it, with what was written beside it."""

    label: str
    value: str
    unit: str
    u: str
    typed: str
    aside: str


@dataclass(frozen=True, slots=True)
class ShownFigures:
    condition: str
    rows: list[ShownFigure]
    missing: list[str]

    @property
    def by_label(self) -> dict[str, ShownFigure]:
        return {row.label.split(",")[0].replace(" ", "_"): row for row in self.rows}


def first_shown(frame: Frame, figures: list[Figures], shown: Shown) -> ShownFigures | None:
    return shown_figures(frame, figures[0], shown) if figures else None


def shown_figures(frame: Frame, figures: Figures, shown: Shown) -> ShownFigures:
    """A condition's figures about the shown axis; the swing weight as read stands beside."""
    length_mm, found = frame.length_mm, figures.readings
    rows = []
    if "mass_g" in found:
        reading = found["mass_g"]
        value, u = show_mass(reading.value, shown.mass), _u(reading, shown.mass)
        other = "g" if shown.mass == "oz" else "oz"
        aside = f"{show_mass(reading.value, other)} {other}"
        rows.append(ShownFigure("mass", value, shown.mass, u, reading.typed, aside))
    if "balance_mm" in found:
        reading = found["balance_mm"]
        value, u = show_length(reading.value, shown.length), _u(reading, shown.length)
        said = show_percent if frame.kind == "paddle" else show_points
        points = said(reading.value, length_mm)
        rows.append(ShownFigure("balance", value, shown.length, u, reading.typed, points))
    if "swing_kgcm2" in found:
        rows.append(_shown_swing(frame, figures, shown))
    if "twist_kgcm2" in found:
        reading = found["twist_kgcm2"]
        u = _u(reading, "kg·cm²")
        rows.append(ShownFigure("twist weight", fixed(reading.value, 2), "kg·cm²", u, reading.typed, ""))
    return ShownFigures(Condition(figures.condition).label, rows, figures.missing)


def _shown_swing(frame: Frame, figures: Figures, shown: Shown) -> ShownFigure:
    reading = figures.readings["swing_kgcm2"]
    axis = shown.axis_mm(frame.kind)
    read = f"{reading.typed or fixed(reading.value, 1)} about {reading.axis_mm:g} mm"
    if not figures.is_complete:
        return ShownFigure(
            f"swing weight, {reading.axis_mm:g} mm", fixed(reading.value, 1), "kg·cm²",
            _u(reading, "kg·cm²"), read, "another axis needs mass and balance",
        )  # fmt: skip
    body = figures.measured().body()
    swing = body.swing(axis) / KGCM2
    u = uncertainty(swing)
    recoil = f"recoil {fixed(nominal(body.recoil) / KGCM2, 1)}"
    return ShownFigure(
        f"swing weight, {axis:g} mm",
        fixed(nominal(swing), 1),
        "kg·cm²",
        f"{u:.2g}" if u else "",
        read,
        recoil,
    )


def _u(reading: Reading, unit: str) -> str:
    factor = (MASS | LENGTH).get(unit, 1.0)
    return f"{reading.u / factor:.2g}" if reading.u else ""


def typed_sizes(frame: Frame, shown: Shown) -> list[str]:
    """`length 27 in`: dimensions that were written in another unit than the one shown."""
    sizes = []
    for name in DIMENSIONS[frame.kind]:
        text = f"{show_length(getattr(frame, name), shown.length)} {shown.length}"
        typed = frame.typed.get(name, "")
        if typed and typed.split(" ")[-1] != shown.length and not typed[-1].isdigit() and typed != text:
            sizes.append(f"{DIMENSION_LABELS[name][0]} {typed}")
    return sizes
