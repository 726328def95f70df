"""What a bench learns of itself: a few of the shops of bench.learning, and one by hand."""

import pytest

from bench import learning as shops
from kentrobar.core.bench.learned import Experiment, learn


@pytest.mark.parametrize("seed", range(4))
def test_a_heavy_roll_and_a_scale_that_reads_too_much_are_told_apart(seed):
    found = shops.shop(seed, 30, roll=0.04, scale=1.0)
    assert found[shops.ROLL].value == pytest.approx(0.04, abs=0.015)
    assert found[shops.SCALE].value == pytest.approx(1.0, abs=0.2)
    assert all(one.is_told and one.count == 30 for one in found.values())
    ten = shops.shop(seed, 10, roll=0.0, scale=1.0)
    assert ten[shops.SCALE].is_told
    assert not ten[shops.ROLL].is_told


def test_an_honest_shop_is_told_nothing():
    found = [one for seed in range(8) for one in shops.shop(seed, 30, 0.0, 0.0).values()]
    assert not any(one.is_told for one in found)


def test_one_scale_by_hand_and_a_slip_counts_little():
    """Five residuals of 1 g ± 0.5, before them 0 ± 1: 1 · 20/(20 + 1), ± 1/√21, were they sure to
    be no slips."""

    def off(grams):
        return Experiment({"mass_g": grams}, [[0.25]], {shops.SCALE: {"mass_g": 1.0}})

    one = learn([off(1.0)] * 5, {shops.SCALE: 1.0})[shops.SCALE]
    assert one.value == pytest.approx(20 / 21, abs=0.01)
    assert one.u == pytest.approx(21**-0.5, abs=0.03)
    slipped = learn([off(1.0)] * 5 + [off(40.0)], {shops.SCALE: 1.0})[shops.SCALE]
    assert slipped.value == pytest.approx(one.value, abs=0.1)
    assert not learn([off(1.0)] * 4, {shops.SCALE: 1.0})[shops.SCALE].is_told, "too few"
    assert learn([off(1.0)], {}) == {}
