"""The swing in a recording, step by step, on signals whose answer is known beforehand."""

import math

import numpy as np
import pytest
from scipy.optimize import least_squares

from kentrobar.core.measure import least, motion, sines
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.numbers import nominal, uncertainty

RATE = 50
TIMES = np.arange(0, 30, 1 / RATE)
FREQUENCY = 0.8


def sine(frequency=FREQUENCY, times=TIMES, size=1.0, decay=0.0, phase=0.3):
    dying = size * np.exp(-decay * times)
    return dying * np.cos(2 * math.pi * frequency * times + phase)


COUNT = len(TIMES)


def noise(size=1.0, seed=4, count=COUNT):
    return np.random.default_rng(seed).normal(0, size, count)


# --- two swings ----------------------------------------------------------------------------------


def test_two_swings_of_a_sine_are_all_explained_whatever_they_ride_on():
    piece = TIMES[:125]
    size, share = motion._two_swings(piece, 5 - 0.4 * piece + sine(times=piece, size=3), FREQUENCY)
    assert (size, share) == (pytest.approx(3), pytest.approx(1))
    # A piece that begins later is no different.
    later = piece + 100
    assert motion._two_swings(later, sine(times=later, size=3), FREQUENCY)[0] == pytest.approx(3)


def test_what_no_sine_explains_is_counted_against_the_movement():
    piece = TIMES[:125]
    # Over two whole swings the second overtone is square to the swing: 4 parts of 4 + 1 are it.
    both = sine(times=piece, size=2) + sine(2 * FREQUENCY, piece, 1)
    size, share = motion._two_swings(piece, both, FREQUENCY)
    assert size == pytest.approx(2, abs=0.02)
    assert share == pytest.approx(0.8, abs=0.01)


def test_too_few_samples_and_no_movement_are_no_swing():
    assert motion._two_swings(TIMES[:11], sine()[:11], FREQUENCY) == (0, 0)
    assert motion._two_swings(TIMES[:12], sine()[:12], FREQUENCY)[1] == pytest.approx(1)
    size, share = motion._two_swings(TIMES[:125], np.zeros(125), FREQUENCY)
    assert (size, share) == (pytest.approx(0), 0)


# --- the peak ------------------------------------------------------------------------------------


@pytest.mark.parametrize("frequency", [0.3, 0.8, 1.7, 3.9])
def test_the_peak_stands_at_the_swing(frequency):
    found, share = motion.spectrum_peak(TIMES, 9 + sine(frequency))
    # A bin of the padded spectrum is RATE / 8192 wide.
    assert found == pytest.approx(frequency, abs=RATE / 8192)
    assert share > 0.98


def test_the_share_is_that_of_the_swing_in_all_the_movement():
    both = sine(0.8, size=2) + sine(3.0, size=1)
    found, share = motion.spectrum_peak(TIMES, both)
    assert (found, share) == (pytest.approx(0.8, abs=0.01), pytest.approx(0.8, abs=0.01))
    assert motion.spectrum_peak(TIMES, noise())[1] < 0.2
    # Below a tenth of a beat a second nothing counts: a sensor wanders.
    wandering = sine(0.8) + sine(0.04, size=3)
    assert motion.spectrum_peak(TIMES, wandering)[1] > 0.9


def test_what_is_slower_or_faster_than_any_frame_is_not_taken_for_its_swing():
    for beside, swing in ((8.0, 2.0), (0.15, 0.5)):
        found, share = motion.spectrum_peak(TIMES, sine(beside, size=3) + sine(swing))
        assert found == pytest.approx(swing, abs=0.02)
        assert share < 0.2


def test_knocks_are_cut_down_to_size():
    knocked = sine()
    knocked[[40, 41, 1400]] += 500
    found, share = motion.spectrum_peak(TIMES, knocked)
    assert found == pytest.approx(FREQUENCY, abs=0.01)
    assert share > 0.9


def test_a_flat_or_short_column_has_no_peak():
    assert motion.spectrum_peak(TIMES, np.full(len(TIMES), 7.0)) is None
    # Half of it stands still.
    still = np.where(TIMES > 17, sine(), 0.0)
    assert motion.spectrum_peak(TIMES, still) is None
    assert motion.spectrum_peak(TIMES[:42], sine()[:42]) is not None
    assert motion.spectrum_peak(TIMES[:40], sine()[:40]) is None


def test_uneven_stamps_and_a_fast_logger_change_nothing():
    uneven = np.delete(TIMES, slice(500, 560))
    found, _ = motion.spectrum_peak(uneven, sine(times=uneven))
    assert found == pytest.approx(FREQUENCY, abs=0.01)
    fast = np.arange(0, 30, 1 / 1000)
    found, share = motion.spectrum_peak(fast, sine(times=fast))
    assert (found, share > 0.98) == (pytest.approx(FREQUENCY, abs=0.01), True)


# --- the channel ---------------------------------------------------------------------------------


def best(expect_s=None, **channels):
    found = motion.best_channel(TIMES, channels, expect_s)
    return found and (found[0], round(found[2], 1))


def test_the_column_that_swings_most_clearly_is_taken():
    clear, weak = sine(), sine(size=0.8) + noise(0.6)
    assert best(weak=weak, clear=clear) == ("clear", 0.8)
    assert best(clear=clear, weak=weak) == ("clear", 0.8)
    assert best(a=noise(), b=noise(seed=5), c=np.zeros(len(TIMES))) is None
    # A third of the movement is too little, two fifths are enough.
    assert best(a=sine() + sine(0.4, size=1.0) + sine(2.4, size=1.0)) is None
    assert best(a=sine() + sine(0.4, size=0.85) + sine(2.4, size=0.85)) == ("a", 0.8)


def test_where_another_swings_at_half_the_beat_that_one_is_the_swing():
    beats, swing = sine(1.6), sine(0.8, size=0.9) + noise(0.3)
    assert best(beats=beats, swing=swing) == ("swing", 0.8)
    assert best(beats=beats, other=sine(0.95) + noise(0.3)) == ("beats", 1.6)


def test_the_expected_period_tells_the_swing():
    clear, other = sine(1.3), sine(0.8) + noise(0.5)
    assert best(clear=clear, other=other) == ("clear", 1.3)
    assert best(1 / 0.8, clear=clear, other=other) == ("other", 0.8)
    assert best(1.14 / 0.8, clear=clear, other=other) == ("other", 0.8)
    assert best(0.86 / 0.8, clear=clear, other=other) == ("other", 0.8)
    # Farther away than 15 % it tells nothing.
    assert best(1.17 / 0.8, clear=clear, other=other) == ("clear", 1.3)


# --- the clean stretch ---------------------------------------------------------------------------


def kept(values, times=TIMES):
    keep = motion.clean_stretch(times, values, FREQUENCY)
    return times[keep][0], times[keep][-1]


def test_the_longest_clean_stretch_is_kept():
    assert kept(sine()) == (0, pytest.approx(29.98, abs=0.7))
    handled = sine()
    handled[: 5 * RATE] = noise(3, count=5 * RATE)
    handled[20 * RATE :] = noise(3, count=10 * RATE)
    start, end = kept(handled)
    # In steps of half a swing, each piece two swings long and mostly clean.
    assert start == pytest.approx(5, abs=0.7)
    assert end == pytest.approx(20, abs=0.7)
    # Of two, the longer one, whichever comes first.
    two = sine()
    two[12 * RATE : 14 * RATE] = noise(9, count=2 * RATE)
    assert kept(two)[0] == pytest.approx(14, abs=1.3)
    two = sine()
    two[18 * RATE : 20 * RATE] = noise(9, count=2 * RATE)
    assert kept(two) == (0, pytest.approx(18, abs=1.3))


def test_what_has_all_but_died_away_is_left_out():
    # A tenth of what most of it swings: 10·e^(−0.25·t) falls below after about 14 s.
    values = sine(size=10) * np.where(TIMES < 15, 1.0, 0.05)
    assert kept(values)[1] == pytest.approx(15, abs=1.3)


def test_fewer_than_six_swings_are_refused_with_what_there_is():
    # 7.5 s are six swings.
    long, short = TIMES[TIMES < 7.6], TIMES[TIMES < 6.5]
    assert kept(sine(times=long), long)[1] == pytest.approx(7.5, abs=0.1)
    with pytest.raises(NoSwingError, match=r"is 5\.0 swings; 6 are"):
        kept(sine(times=short), short)
    with pytest.raises(NoSwingError, match=r"is 0\.0 swings"):
        kept(noise())


# --- the fit -------------------------------------------------------------------------------------


def test_a_dying_sine_with_its_overtone_is_found_exactly():
    values = 3 + 0.2 * TIMES + sine(decay=0.05) + 0.2 * sine(2 * FREQUENCY, decay=0.1)
    found = sines.dying_sines(TIMES, values, [2 * math.pi * 0.83])
    assert found.omega == pytest.approx(2 * math.pi * FREQUENCY, rel=1e-7)
    assert found.decay == pytest.approx(0.05, abs=1e-6)
    assert abs(found.left).max() < 1e-6
    assert found.u_omega < 1e-6
    # With noise, what is left is the noise, and u that of a sine of unit size: √(24/N)·σ/T.
    found = sines.dying_sines(TIMES, sine() + noise(0.1), [2 * math.pi * 0.8])
    assert found.left.std() == pytest.approx(0.1, rel=0.05)
    assert found.u_omega == pytest.approx(math.sqrt(24 / len(TIMES)) * 0.1 / 30, rel=0.1)
    assert found.omega == pytest.approx(2 * math.pi * FREQUENCY, abs=3 * found.u_omega)
    assert (found.size, found.next_size) == (pytest.approx(1, abs=0.01), 0)


def test_what_leaves_least_is_what_another_solver_finds():
    """Unknowns of sizes far apart, begun far off; and where no step helps, the beginning stays."""
    t = np.linspace(0, 4, 200)
    seen = 3e4 * np.exp(-0.02 * t) * np.cos(5 * t + 0.3) + noise(200, count=200)

    def rest(unknown):
        size, decay, omega, phase = unknown
        return seen - size * np.exp(-decay * t) * np.cos(omega * t + phase)

    def sloping(unknown):
        steps = np.diag(1e-7 * np.maximum(abs(unknown), 1))
        slopes = [(rest(unknown + one) - rest(unknown - one)) / 2 / one.max() for one in steps]
        return rest(unknown), np.column_stack(slopes)

    start = np.array([1e4, 0.0, 4.8, 0.0])
    other = least_squares(rest, start, method="lm", xtol=1e-12)
    found = least.fit(sloping, start)
    assert found.cost == pytest.approx(other.cost, rel=1e-8)
    assert found.x == pytest.approx(other.x, rel=1e-4)
    assert found.slopes.T @ found.left == pytest.approx(np.zeros(4), abs=2e-3 * found.cost)
    flat = least.fit(lambda unknown: (np.ones(3), np.zeros((3, 1))), np.array([2.0]))
    assert flat.x[0] == 2


def test_amounts_leave_least_and_their_slopes_tell_how_that_changes():
    """Columns of sizes far apart; held against NumPy's own, and against small steps."""
    t = np.linspace(0, 4, 200)
    seen = 5 + 100 * np.exp(-0.5 * t) * np.cos(3 * t) + noise(1, count=200)

    def columns_of(omega):
        return np.column_stack([1e6 * np.ones_like(t), np.cos(omega * t), 1e-6 * np.sin(omega * t)])

    def cost(omega):
        columns = columns_of(omega)
        left = seen - columns @ np.linalg.lstsq(columns, seen)[0]
        return left @ left / 2

    columns = columns_of(2.8)
    found = least.Amounts(columns, seen)
    assert found.each == pytest.approx(np.linalg.lstsq(columns, seen)[0], rel=1e-6)
    assert found.left == pytest.approx(seen - columns @ found.each, abs=1e-9)
    a, b = found.each[1:]
    slopes = found.slopes((t * (1e-6 * b * np.cos(2.8 * t) - a * np.sin(2.8 * t)))[:, None])
    by = 1e-6
    assert slopes[:, 0] @ found.left == pytest.approx(
        (cost(2.8 + by) - cost(2.8 - by)) / 2 / by, rel=1e-5
    )


def test_a_second_swing_beside_it_is_told_and_the_wider_one_taken():
    for shift, slower in ((0.96, 1 / 0.96 - 1), (1.04, 1 / 1.04 - 1)):
        both = sine(decay=0.02) + sine(FREQUENCY * shift, size=0.3) + noise(0.05)
        found = fitted(both)
        (told,) = found.notes
        assert told.code == "second-swing"
        assert told.figures["share"] == pytest.approx(0.40, abs=0.04)  # 0.3 of e^(−0.02·14)
        assert told.figures["apart"] == pytest.approx(slower, abs=0.003)
        error = nominal(found.period_s) - 1.25
        # Taken for one swing it is up to ten times that off.
        assert abs(error) < 3 * uncertainty(found.period_s) < 0.003
    # A hundredth of it is no swing, and neither is what a smoothing logger leaves.
    assert fitted(sine() + sine(FREQUENCY * 1.04, size=0.01) + noise(0.05)).notes == ()
    smoothed = np.convolve(noise(0.15), np.ones(4) / 4, "same")
    assert fitted(sine() + smoothed).notes == ()


def test_a_swing_is_let_go_where_what_a_hand_leaves_ends():
    handled = sine() + noise(0.05)
    handled[:120] += noise(1.0, seed=8)[:120]
    t, _, found = sines.let_go(TIMES, handled, 2 * math.pi * 0.8)
    # 2.4 s, and half a swing's step.
    assert t[0] == pytest.approx(2.4, abs=0.63)
    assert t[-1] == TIMES[-1]
    assert found.left.std() == pytest.approx(0.05, rel=0.1)
    caught = sine() + noise(0.05)
    caught[-120:] += noise(1.0, seed=8)[:120]
    assert sines.let_go(TIMES, caught, 2 * math.pi * 0.8)[0][-1] == pytest.approx(27.6, abs=0.63)


def test_the_u_of_the_first_unknown():
    slopes = np.zeros((108, 2))
    slopes[:, 0] = np.where(np.arange(108) % 4 < 2, 2.0, -2.0)  # 108 · 2² = 432
    slopes[:, 1] = np.where(np.arange(108) % 2, 1.0, -1.0)  # square to the first
    turning = np.where(np.arange(108) % 2, 1.0, -1.0)
    # Neighbours that err against each other count as independent: √(108/100) / √432.
    assert sines.u_of(0, turning, slopes) == pytest.approx(math.sqrt(1.08 / 432))
    # Pairs that err alike: half of the neighbours do, half do not: 54·1 − 53·1 of 108.
    pairs = np.where(np.arange(108) % 4 < 2, 1.0, -1.0)
    together = 1 / 108
    wider = math.sqrt((1 + together) / (1 - together))
    assert sines.u_of(0, pairs, slopes) == pytest.approx(math.sqrt(1.08 / 432) * wider)
    # All alike: not more than forty times fewer.
    alike = np.ones(108)
    assert sines.u_of(0, alike, slopes) == pytest.approx(math.sqrt(1.08 / 432 * 1.95 / 0.05))
    assert sines.u_of(0, np.zeros(108), slopes) == 0
    few = sines.u_of(0, np.array([1.0, -1, 1, -1]), slopes[:4])
    assert few == pytest.approx(math.sqrt(4 / 16))


def fitted(values, frequency=FREQUENCY, expect_s=None, times=TIMES):
    keep = np.ones(len(times), bool)
    keep[:100] = False
    return motion.fit_swing(times, values, keep, frequency, "gyro", expect_s, [])


def test_the_motion_carries_what_was_found_and_where():
    found = fitted(sine(decay=0.02) + noise(0.05))
    assert nominal(found.period_s) == pytest.approx(1.25, abs=3 * uncertainty(found.period_s))
    assert 0.00005 < uncertainty(found.period_s) < 0.0002
    assert (found.channel, found.rate_hz) == ("gyro", pytest.approx(50))
    assert (found.start_s, found.end_s) == (2.0, pytest.approx(29.98))
    assert found.swings == pytest.approx(27.98 / 1.25, abs=0.01)
    assert found.decay_per_s == pytest.approx(0.02, abs=0.002)
    # 1 400 samples kept, every fifth drawn: what was measured beside what was fitted.
    assert len(found.plot) == 280
    (first, measured, drawn), (second, *_) = found.plot[:2]
    assert (first, second) == (2.0, pytest.approx(2.1))
    assert measured == pytest.approx(drawn, abs=0.25)
    assert drawn == pytest.approx(sine(decay=0.02)[100], abs=0.02)
    few = fitted(sine()[:300], times=TIMES[:300])
    assert len(few.plot) == 200


def test_two_beats_a_swing_are_told_by_the_period_expected():
    beats = sine(1.6) + noise(0.05)
    plain = fitted(beats, 1.6)
    assert nominal(plain.period_s) == pytest.approx(0.625, abs=0.001)
    assert plain.notes == ()
    for expect in (1.25, 1.10, 1.45):
        told = fitted(beats, 1.6, expect)
        assert nominal(told.period_s) == pytest.approx(2 * nominal(plain.period_s))
        assert uncertainty(told.period_s) == pytest.approx(2 * uncertainty(plain.period_s))
        assert told.swings == pytest.approx(plain.swings / 2)
        assert [note.code for note in told.notes] == ["two-beats"]
    for expect in (0.625, 1.07, 1.5):
        assert nominal(fitted(beats, 1.6, expect).period_s) == nominal(plain.period_s)


def test_what_keeps_no_period_is_refused():
    for frequency in (6.0, 0.18):
        with pytest.raises(NoSwingError, match="one period"):
            fitted(sine(frequency), frequency)
    for frequency in (4.8, 0.22):
        assert nominal(fitted(sine(frequency), frequency).period_s) == pytest.approx(1 / frequency)


def test_the_last_amplitude_follows_from_the_first():
    found = fitted(sine(decay=0.02))
    assert found.amplitude_end(8.0) == pytest.approx(8 * math.exp(-0.02 * 27.98), rel=1e-3)
    growing = fitted(sine(decay=-0.02))
    assert growing.amplitude_end(8.0) == 8.0
