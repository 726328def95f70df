"""What a simulated shop learns of itself: .venv/bin/python -m bench.learning [SHOPS]

Shops (100) lay tape of a roll that is heavier than thought and putty by hand, and read each frame
again on a scale, a board and a machine; one of them begins to read too much. Counted is how near
what is learned comes, how often ± 2u holds, and how often an honest shop is told anything.
"""

from __future__ import annotations

import random
import statistics
import sys
from typing import Any

import numpy as np

from kentrobar.core.bench.learned import ROLL_U, Experiment, Found, Unknown, learn
from kentrobar.core.frame.condition import shifted
from kentrobar.core.measure.sample import NEVER_CHECKED, wander_u
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import READ, plain_figures
from tests.core.frames import READ as FIGURES_READ
from tests.core.frames import TERN

FIGURES = READ[:3]
CHANCE = {"mass_g": 0.1, "balance_mm": 0.6, "swing_kgcm2": 0.6}
"""One standard deviation of a reading before or after, by chance."""
SCALE: Unknown = ("instrument", "scale")
ROLL: Unknown = ("roll", "roll")
BEFORE = {ROLL: ROLL_U, SCALE: 2 * wander_u(0.5, NEVER_CHECKED)}
AXIS = 100.0


def fitting(rng: random.Random, roll: float, scale: float, slips: float = 0.05) -> Experiment:
    """A fitting of a few strips and a plug, with what really went on and was read."""
    before = FIGURES_READ.body().plain
    pieces = [
        *(
            Strip(mass_g=rng.uniform(1, 5), length_mm=rng.uniform(60, 160), clock=clock,
                  line="inner", mirror=clock != 12.0)
            for clock in rng.sample((12.0, 3.0, 2.0, 10.0), 2)
        ),
        Plug(mass_g=rng.uniform(2, 8), from_mm=5, to_mm=40),
    ]  # fmt: skip
    bodies = [body_of(one, TERN).plain for one in pieces]
    planned = sum(bodies, before)
    now = plain_figures(planned, AXIS, FIGURES)

    def change(body: Body) -> dict[str, float]:
        then = plain_figures(planned + body, AXIS, FIGURES)
        return {name: then[name] - now[name] for name in FIGURES}

    true = before
    for piece, body in zip(pieces, bodies, strict=True):
        heavier = roll if isinstance(piece, Strip) else 0.0
        true += shifted(body * (1 + heavier), rng.gauss(0, piece.place_u_mm))
    read = plain_figures(true, AXIS, FIGURES)
    off = {name: read[name] - now[name] + rng.gauss(0, 2**0.5 * CHANCE[name]) for name in FIGURES}
    off["mass_g"] += scale
    if rng.random() < slips:
        off["balance_mm"] += rng.choice((-10.0, 10.0))
    tape = bodies[0] + bodies[1]
    square = np.diag([2 * CHANCE[name] ** 2 for name in FIGURES])
    moves: dict[Unknown, Any] = {ROLL: change(tape), SCALE: {"mass_g": 1.0}}
    return Experiment(off, square.tolist(), moves)


def shop(seed: int, count: int, roll: float, scale: float) -> dict[Unknown, Found]:
    """What a shop learns from so many fittings."""
    rng = random.Random(seed)
    return learn([fitting(rng, roll, scale) for _ in range(count)], BEFORE)


def main(shops: int) -> None:
    print(f"{shops} shops each            off by (median)   ± 2u   told")
    for name, count, roll, scale, key, unit in (
        ("a roll 4 % heavy, 30 fittings", 30, 0.04, 0.0, ROLL, 100),
        ("a scale 1 g too much, 10", 10, 0.0, 1.0, SCALE, 1),
        ("both, 30: the roll", 30, 0.04, 1.0, ROLL, 100),
        ("honest, 30: the roll", 30, 0.0, 0.0, ROLL, 100),
        ("honest, 30: the scale", 30, 0.0, 0.0, SCALE, 1),
    ):
        true = roll if key == ROLL else scale
        found = [shop(seed, count, roll, scale)[key] for seed in range(shops)]
        off = statistics.median(abs(one.value - true) for one in found) * unit
        held = sum(abs(one.value - true) <= 2 * one.u for one in found) / shops
        told = sum(one.is_told for one in found) / shops
        print(f"{name:32}{off:>12.2f}{held:>10.0%}{told:>7.0%}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100)
