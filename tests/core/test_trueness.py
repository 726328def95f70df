"""The sharpest of ``bench/trueness.py``: whole measurements, the truth within ± 2u as often as
wanted, loose by two standard errors of so few runs."""

import math

import pytest

from bench import diagnosis, trueness

RUNS = {
    trueness.wandered: 1200, trueness.guessed: 1200, trueness.unknown: 1200, trueness.tied: 1200,
    trueness.tapped: 1200, trueness.swung: 1200, trueness.recorded: 40,
}  # fmt: skip


@pytest.mark.parametrize(
    ("simulate", "runs"), RUNS.items(), ids=lambda one: getattr(one, "__name__", "")
)
def test_the_truth_lies_within_two_u_as_often_as_wanted(simulate, runs):
    def loose(share):
        return 2 * math.sqrt(share * (1 - share) / runs)

    for name, share in trueness.coverage(simulate, runs).items():
        wanted = trueness.WANTED.get(name, "93–98")
        if wanted == "≥ 90":
            assert share >= 0.90 - loose(0.90), name
        elif wanted == "93–98":
            assert 0.93 - loose(0.93) <= share <= 0.98 + loose(0.98), name
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
TRIALS = 100


@pytest.mark.parametrize(
    ("plant", "wanted"), FIRST.items(), ids=lambda one: getattr(one, "__name__", "")
)
def test_a_planted_mistake_is_named_first(plant, wanted):
    for kind, least in zip(("racket", "paddle"), wanted, strict=True):
        _, first, axis = diagnosis.rates(plant, kind, TRIALS)
        assert first >= least - 2 * math.sqrt(least * (1 - least) / TRIALS)
        assert axis <= 0.05, "an axis that is known leads"


def test_an_honest_trial_is_seldom_called_off():
    off = [diagnosis.rates(diagnosis.honest, kind, 400)[0] for kind in ("racket", "paddle")]
    assert sum(off) / 2 <= 0.06 + 2 * math.sqrt(0.06 * 0.94 / 800)
