"""Whether a trial names what went wrong: mistakes planted in fittings drawn at random.

    .venv/bin/python -m bench.diagnosis

Prints one table, beside what is wanted. Seeded; two minutes.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import replace

from kentrobar.core.bench.suspicions import Checked, Fitted
from kentrobar.core.bench.trial import Compared, compare
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import ufloat
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import READ, plain_figures
from tests.core.frames import PADDLE_READ, SHOAL, TERN
from tests.core.frames import READ as RACKET_READ

RUNS = 400
READ_U = {"mass_g": 0.05, "balance_mm": 0.3, "swing_kgcm2": 0.4, "twist_kgcm2": 0.06}
BANDS = {"mass_g": 0.5, "swing_kgcm2": 3.0}


class Fitting:
    """A frame, what was noted of it and of what was put on, and what is true."""

    def __init__(self, outline: Outline, read: Measured, rng: random.Random) -> None:
        self.rng, self.outline, self.axis = rng, outline, read.axis_mm
        values = {name: float(getattr(read, name)) * rng.uniform(0.97, 1.03) for name in READ_U}
        self.true_before = Measured(**values, axis_mm=self.axis).body()
        noted = {
            name: ufloat(rng.gauss(value, READ_U[name]), READ_U[name])
            for name, value in values.items()
        }
        self.before = Measured(**noted, axis_mm=self.axis).body()
        clock = rng.choice([2, 2.5, 3, 3.5])
        grams = rng.uniform(2.5, 5)
        self.noted: list[Piece] = [
            Strip(mass_g=grams, clock=clock, length_mm=90, line="face", mirror=True),
            Strip(mass_g=grams * rng.choice([0.3, 0.5, 2.0]), clock=12, length_mm=80, line="edge"),
            Plug(mass_g=rng.uniform(4, 9), from_mm=5, to_mm=35),
        ]
        self.true = [
            replace(piece, mass_g=rng.gauss(piece.mass_g, 0.05)).slid(outline, rng.gauss(0, 1))
            for piece in self.noted
        ]
        self.off: dict[str, float] = {}

    def read(self, axis: float | None = None) -> dict[str, tuple[float, float | None]]:
        after = sum((body_of(piece, self.outline) for piece in self.true), self.true_before)
        truth = plain_figures(after, self.axis, READ)
        if axis is not None:
            truth["swing_kgcm2"] = plain_figures(after, axis, READ)["swing_kgcm2"]
        return {
            name: (self.rng.gauss(value, READ_U[name]) + self.off.get(name, 0.0), READ_U[name])
            for name, value in truth.items()
        }

    def compared(self, read: dict[str, tuple[float, float | None]]) -> Compared:
        fitted = [Fitted(piece, 0.05) for piece in self.noted]
        overgrip = body_of(Plug(mass_g=5.5, from_mm=0, to_mm=190), self.outline)
        parts: dict[str, Body] = {"overgrip": overgrip}
        checks = {
            name: Checked(0.0, math.hypot(0.05, band / 2), band) for name, band in BANDS.items()
        }
        return compare(self.outline, self.before, fitted, read, self.axis, parts, checks)


def honest(one: Fitting) -> tuple[Compared, str]:
    return one.compared(one.read()), "chance"


def half_missing(one: Fitting) -> tuple[Compared, str]:
    one.true[0] = replace(one.true[0], mass_g=one.true[0].mass_g / 2)
    return one.compared(one.read()), "half-0"


def swapped(one: Fitting) -> tuple[Compared, str]:
    first, second = one.true[0], one.true[1]
    one.true[0] = replace(first, mass_g=second.mass_g)
    one.true[1] = replace(second, mass_g=first.mass_g)
    return one.compared(one.read()), "swapped-0-1"


def tenfold(one: Fitting) -> tuple[Compared, str]:
    read = one.read()
    value, u = read["balance_mm"]
    return one.compared(read | {"balance_mm": (value / 10, u)}), "typed-balance_mm-tenfold"


def an_hour_off(one: Fitting) -> tuple[Compared, str]:
    strip = one.true[0]
    assert isinstance(strip, Strip)
    one.true[0] = replace(strip, clock=strip.clock + one.rng.choice([-1, 1]))
    return one.compared(one.read()), "place-0"


def drifted(one: Fitting) -> tuple[Compared, str]:
    one.off["swing_kgcm2"] = one.rng.choice([-1, 1]) * one.rng.uniform(1.5, 4.5)
    return one.compared(one.read()), "drift-swing_kgcm2"


def scale_off(one: Fitting) -> tuple[Compared, str]:
    """Knocked, or not set to zero."""
    one.off["mass_g"] = one.rng.choice([-1.5, 1.5])
    return one.compared(one.read()), "drift-mass_g"


def board_off(one: Fitting) -> tuple[Compared, str]:
    one.off["balance_mm"] = one.rng.choice([-2.0, 2.0])
    return one.compared(one.read()), "drift-balance_mm"


def another_axis(one: Fitting) -> tuple[Compared, str]:
    other = 98.0 if one.axis == 50 else 50.0
    return one.compared(one.read(other)), f"axis-{other:g}"


PLANTED: dict[Callable[[Fitting], tuple[Compared, str]], str] = {
    half_missing: "≥ 90",
    swapped: "≥ 65",
    tenfold: "≥ 98",
    an_hour_off: "≥ 30 / 5",
    drifted: "≥ 28",
    scale_off: "first two ≥ 75",
    board_off: "first two ≥ 81",
    another_axis: "first",
}


def rates(
    plant: Callable[[Fitting], tuple[Compared, str]], kind: str, runs: int = RUNS
) -> tuple[float, float, float, float]:
    """(flagged, named first, another axis named first, among the first two) of many fittings."""
    rng = random.Random(f"{plant.__name__} {kind} in Skerrow")
    outline, read = (TERN, RACKET_READ) if kind == "racket" else (SHOAL, PADDLE_READ)
    flagged = first = axis = two = 0
    for _ in range(runs):
        found, key = plant(Fitting(outline, read, rng))
        flagged += not found.is_agreed
        leads = found.suspicions[0].key if found.suspicions else ""
        first += leads.startswith(key)
        axis += leads.startswith("axis")
        two += any(one.key.startswith(key) for one in found.suspicions[:2])
    return flagged / runs, first / runs, axis / runs, two / runs


def main() -> None:
    print(
        f"{'planted':16} {'kind':8} flagged  named first  (another axis first)  first two  wanted"
    )
    for plant, wanted in PLANTED.items():
        for kind in ("racket", "paddle"):
            flagged, first, axis, two = rates(plant, kind)
            print(
                f"{plant.__name__:16} {kind:8} {100 * flagged:5.0f} %   {100 * first:7.0f} %"
                f"   {100 * axis:12.0f} %   {100 * two:6.0f} %   {wanted}"
            )
    for kind in ("racket", "paddle"):
        flagged, *_ = rates(honest, kind, 4 * RUNS)
        print(f"honest           {kind:8} {100 * flagged:5.1f} %   called off, wanted ≤ 6")


if __name__ == "__main__":
    main()
