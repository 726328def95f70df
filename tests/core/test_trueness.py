"""The sharpest of ``bench/trueness.py``: whole measurements, the truth within ± 2u as often as
wanted, loose by two standard errors of so few runs."""

import math

import pytest

from bench import trueness

RUNS = 1200


def loose(share):
    return 2 * math.sqrt(share * (1 - share) / RUNS)


@pytest.mark.parametrize(
    "simulate", [trueness.wandered, trueness.guessed, trueness.unknown, trueness.tied]
)
def test_the_truth_lies_within_two_u_as_often_as_wanted(simulate):
    for name, share in trueness.coverage(simulate, RUNS).items():
        wanted = trueness.WANTED.get(name, "93–98")
        if wanted == "≥ 90":
            assert share >= 0.90 - loose(0.90), name
        elif wanted == "93–98":
            assert 0.93 - loose(0.93) <= share <= 0.98 + loose(0.98), name
        else:
            assert share > 0.99, name


def test_the_stated_chance_is_the_realised_one():
    for stated, realised, cases in trueness.stated_chance(12_000):
        error = math.sqrt(stated * (1 - stated) / cases)
        assert realised == pytest.approx(stated, abs=0.03 + 2 * error)
