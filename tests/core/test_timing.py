"""Periods from taps and from recordings, with the mishaps a bench knows."""

import math
import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.measure.motion import read_motion
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.measure.taps import TooFewTapsError, fit
from kentrobar.core.numbers import nominal, uncertainty


def taps(count: int, gap: float = 0.69, jitter: float = 0.015, seed: int = 4) -> list[float]:
    rng = random.Random(seed)
    return [0.3 + i * gap + rng.gauss(0, jitter) for i in range(count)]


def test_the_slope_of_all_taps_beats_last_minus_first():
    ours, ends = [], []
    for seed in range(200):
        times = taps(33, seed=seed)
        ours.append(fit(times).interval - 0.69)
        ends.append((times[-1] - times[0]) / 32 - 0.69)
    assert sum(x * x for x in ours) < 0.75 * sum(x * x for x in ends)


@given(st.lists(st.integers(2, 36), min_size=1, max_size=4, unique=True), st.integers(0, 50))
def test_missed_passes_are_found_and_counted(gone, seed):
    whole = taps(40, seed=seed)
    found = fit([t for i, t in enumerate(whole) if i not in gone])
    assert sum(count for _, count in found.missed) == len(gone)
    assert found.interval == pytest.approx(0.69, abs=0.004)


@given(st.integers(1, 29), st.floats(0.04, 0.2), st.integers(0, 50))
def test_a_double_tap_is_found(at, late, seed):
    times = taps(30, seed=seed)
    doubled = [*times[: at + 1], times[at] + late, *times[at + 1 :]]
    found = fit(doubled)
    assert found.doubles == (at + 1,)
    assert fit(doubled, set_aside={at + 1}).interval == pytest.approx(0.69, abs=0.004)


def test_a_stray_tap_is_pointed_out_and_counts_until_set_aside():
    times = taps(30)
    times[17] += 0.16
    found = fit(times)
    assert found.stray == (17,)
    assert 17 in found.kept
    assert fit(times, set_aside={17}).u < found.u


def test_too_few_taps_say_so():
    with pytest.raises(TooFewTapsError, match="2 taps: a period needs 3"):
        fit([0, 0.7])
    with pytest.raises(TooFewTapsError):
        fit(taps(5), set_aside={0, 1, 2})


# --- recordings ----------------------------------------------------------------------------------


def recording(
    period=1.31,
    rate=50,
    seconds=25,
    noise=0.05,
    header="time_s,gyro_x",
    seed=1,
    before=2.0,
    second=False,
) -> str:
    """A hand lets go after ``before`` seconds; then the frame swings and dies away."""
    rng = random.Random(seed)
    rows = []
    for i in range(int(seconds * rate)):
        t = i / rate
        swing, beat = (
            math.exp(-0.02 * t) * math.cos(2 * math.pi * t / period),
            math.cos(4 * math.pi * t / period),
        )
        x, beat = (swing, 0.6 * beat) if t >= before else (rng.gauss(0, 2.5), rng.gauss(0, 2.5))
        rows.append((t, x + rng.gauss(0, noise), beat + rng.gauss(0, noise)))
    return (
        header
        + "\n"
        + "\n".join(f"{t:.4f},{x:.5f}" + (f",{beat:.5f}" if second else "") for t, x, beat in rows)
    )


def test_a_recording_gives_its_period():
    found = read_motion(recording())
    assert nominal(found.period_s) == pytest.approx(1.31, abs=3 * uncertainty(found.period_s))
    assert uncertainty(found.period_s) < 0.001
    assert found.start_s > 1
    assert found.channel == "gyro_x"
    assert found.swings > 15
    assert found.decay_per_s == pytest.approx(0.02, abs=0.01)
    assert len(found.plot) > 100


def milliseconds(text: str) -> str:
    _head, *rows = text.splitlines()
    return "\n".join(
        [
            "Sensor log 7",
            "zeit;rot",
            *(
                f"{float(t) * 1000:.1f};{x}".replace(".", ",")
                for t, x in (r.split(",") for r in rows)
            ),
        ]
    )


@pytest.mark.parametrize(
    "text",
    [
        milliseconds(recording()),
        recording(rate=21),
        recording(header="index,a").replace(",", "\t"),
        "\n".join(recording().splitlines()[1:]),
        "\n".join(
            line for i, line in enumerate(recording(noise=0.2).splitlines()) if not 500 < i < 560
        ),
        "\n".join(f"{line},phone,{i}" for i, line in enumerate(recording().splitlines())),
    ],
    ids=["milliseconds, comma", "21 Hz", "tabs", "no header", "a gap", "words and a counter"],
)
def test_any_logger_will_do(text):
    assert nominal(read_motion(text).period_s) == pytest.approx(1.31, abs=0.004)


def test_a_sensor_that_beats_twice_a_swing_is_told_from_the_swing():
    both = read_motion(recording(header="t,x,along", second=True))
    assert (both.channel, nominal(both.period_s)) == ("x", pytest.approx(1.31, abs=0.003))
    _head, *rows = recording(header="t,x,along", second=True).splitlines()
    only = "t,along\n" + "\n".join(",".join(row.split(",")[::2]) for row in rows)
    assert nominal(read_motion(only).period_s) == pytest.approx(0.655, abs=0.002)
    told = read_motion(only, expect_s=1.29)
    assert nominal(told.period_s) == pytest.approx(1.31, abs=0.004)
    assert told.notes[-1].code == "two-beats"


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("", "rows of numbers"),
        ("a,b\n1,2\n", "1 rows of numbers"),
        (recording(noise=8), "swings steadily|clean stretch|one period"),
        (recording(seconds=7, before=2), "clean stretch is .* swings; 6 are the least"),
        (recording(rate=8, seconds=60), "8 samples a second: 20 are the least"),
        ("t,x\n" + "\n".join(f"{i / 50},{5}" for i in range(900)), "flat or moves at random"),
        (
            "x,y\n" + "\n".join(f"{math.sin(i)},{math.cos(3 * i)}" for i in range(900)),
            "No column is a clock",
        ),
        (
            "t,x\n" + "\n".join(f"{i / 50},{i * i}" for i in range(900)),
            "swings steadily|clean stretch|one period",
        ),
    ],
    ids=["empty", "one row", "noise", "short", "slow", "flat", "no clock", "a ramp"],
)
def test_a_recording_without_a_clean_swing_is_refused_with_the_reason(text, reason):
    with pytest.raises(NoSwingError, match=reason):
        read_motion(text)
