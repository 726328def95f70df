"""The sharpest of ``bench/trueness.py``: whole measurements, the truth within ± 2u as often as
wanted, loose by two standard errors of so few runs."""

import math
import random
from dataclasses import replace

import pytest

from bench import diagnosis, trueness
from kentrobar.core.bench.stages import FittedStage, run
from kentrobar.core.frame.predict import Measured
from kentrobar.core.numbers import ufloat
from kentrobar.core.pieces.plug import Plug
from tests.core.frames import READ, TERN

RUNS = {
    trueness.wandered: 1200, trueness.drifted: 1200, trueness.typed: 600, trueness.balanced: 600,
     trueness.guessed: 1200, trueness.unknown: 1200, trueness.tied: 1200,
    trueness.tapped: 1200, trueness.swung: 1200, trueness.swung_wide: 600,
    trueness.recorded: 40,
}  # fmt: skip


@pytest.mark.parametrize(
    ("simulate", "runs"), RUNS.items(), ids=lambda one: getattr(one, "__name__", "")
)
def test_the_truth_lies_within_two_u_as_often_as_wanted(simulate, runs):
    def loose(share):
        return 2 * math.sqrt(share * (1 - share) / runs)

    for name, share in trueness.coverage(simulate, runs).items():
        wanted = trueness.WANTED.get(name, "92–99")
        if wanted == "≥ 90":
            assert share >= 0.90 - loose(0.90), name
        elif wanted == "92–99":
            assert 0.92 - loose(0.92) <= share <= 0.99 + loose(0.99), name
        elif wanted == "wider":
            # With the unevenness of the taps alone: under one half, and under a tenth.
            assert share > 0.6, name
        else:
            assert share > 0.99, name


def test_the_stated_chance_is_the_realised_one():
    for stated, realised, cases in trueness.stated_chance(12_000):
        error = math.sqrt(stated * (1 - stated) / cases)
        assert realised == pytest.approx(stated, abs=0.03 + 2 * error)


FIRST = {
    diagnosis.half_missing: (0.90, 0.90),
    diagnosis.swapped: (0.65, 0.65),
    diagnosis.tenfold: (0.98, 0.98),
    diagnosis.an_hour_off: (0.30, 0.05),
    diagnosis.drifted: (0.28, 0.28),
}
"""How often a planted mistake must be named first, on rackets and on paddles."""
FIRST_TWO = {diagnosis.scale_off: 0.75, diagnosis.board_off: 0.81}
"""How often among the first two: an instrument that was knocked, or not set to zero."""
TRIALS = 100


@pytest.mark.parametrize(
    ("plant", "wanted"), FIRST.items(), ids=lambda one: getattr(one, "__name__", "")
)
def test_a_planted_mistake_is_named_first(plant, wanted):
    for kind, least in zip(("racket", "paddle"), wanted, strict=True):
        _, first, axis, _ = diagnosis.rates(plant, kind, TRIALS)
        assert first >= least - 2 * math.sqrt(least * (1 - least) / TRIALS)
        assert axis <= 0.05, "an axis that is known leads"


def test_an_honest_trial_is_seldom_called_off():
    off = [diagnosis.rates(diagnosis.honest, kind, 400)[0] for kind in ("racket", "paddle")]
    assert sum(off) / 2 <= 0.06 + 2 * math.sqrt(0.06 * 0.94 / 800)


@pytest.mark.parametrize(
    ("plant", "wanted"), FIRST_TWO.items(), ids=lambda one: getattr(one, "__name__", "")
)
def test_an_instrument_far_off_is_among_the_first_two(plant, wanted):
    for kind in ("racket", "paddle"):
        *_, two = diagnosis.rates(plant, kind, TRIALS)
        assert two >= wanted - 2 * math.sqrt(wanted * (1 - wanted) / TRIALS)


def test_honest_stages_seldom_cry_wolf():
    """Judged one figure after the other, without roll and places, three in ten did."""
    rng, runs, cried = random.Random("stages in Skerrow"), 300, 0
    for _ in range(runs):
        one = diagnosis.Fitting(TERN, READ, rng)
        one.true = [
            replace(
                piece, mass_g=noted.mass_g * rng.gauss(1, 0.03),
                **({} if not isinstance(noted, Plug) else {
                    "from_mm": noted.from_mm + (by := rng.gauss(0, 3)), "to_mm": noted.to_mm + by,
                }),
            )
            for piece, noted in zip(one.true, one.noted, strict=True)
        ]  # fmt: skip
        read = {name: ufloat(value, u) for name, (value, u) in one.read().items()}
        us = tuple(0.03 * piece.mass_g for piece in one.noted)
        body = one.before
        measured = Measured(
            mass_g=body.mass,
            balance_mm=body.balance,
            swing_kgcm2=body.swing_kgcm2(one.axis),
            axis_mm=one.axis,
            twist_kgcm2=body.twist_kgcm2,
        )
        row = run(TERN, measured, [FittedStage(tuple(one.noted), read, us)], one.axis)[0]
        cried += not all(figure.agrees for figure in row.values())
    assert cried / runs <= 0.06 + 0.02
