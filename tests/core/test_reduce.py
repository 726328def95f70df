"""Raw readings and what they come to: the vectors, the laws behind the formulas, and bad
documents."""

import json
import math
from pathlib import Path

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from kentrobar.core.cli import main
from kentrobar.core.errors import DocumentError
from kentrobar.core.frame.typical import typical
from kentrobar.core.io.readings import (
    dump_reading,
    expected,
    measurement_document,
    reading_of,
    reduced,
)
from kentrobar.core.measure.balance import BalanceBoard, TwoScales, support_loads
from kentrobar.core.measure.bifilar import Bifilar, bifilar_period
from kentrobar.core.measure.hung import HungFlat, hung_period
from kentrobar.core.measure.machine import Machine
from kentrobar.core.measure.method import best_improvement
from kentrobar.core.measure.pendulum import Jig, Pendulum, pendulum_period
from kentrobar.core.measure.registry import READINGS
from kentrobar.core.measure.sample import modified_z, sample
from kentrobar.core.measure.scale import Scale
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.pieces.body import KGCM2

from .frames import TERN

CASES = json.loads((Path(__file__).parent / "vectors" / "reduce.json").read_text())["cases"]
PENDULUM = next(case["reading"] for case in CASES if "tap" in case["name"])


@pytest.mark.parametrize("case", CASES, ids=lambda case: case["name"])
def test_vectors(case):
    answer = measurement_document(case["reading"])
    for name, value in case["expect"].items():
        assert answer[name] == pytest.approx(value, rel=1e-4)


@pytest.mark.parametrize("case", CASES, ids=lambda case: case["name"])
def test_a_reading_survives_its_document(case):
    reading = reading_of(case["reading"])
    assert reading_of(json.loads(json.dumps(dump_reading(reading)))) == reading


masses, balances = st.floats(180, 400), st.floats(180, 400)
recoils = st.floats(30, 250)


@given(masses, balances, recoils, st.floats(0, 680), st.floats(0, 200))
def test_a_pendulum_tells_what_swings_on_it(mass, balance, recoil, pivot, axis):
    assume(abs(pivot - balance) >= 10)
    period = pendulum_period(mass, balance, recoil, pivot)
    found = Pendulum(
        mass_g=mass, balance_mm=balance, pivot_mm=pivot, period_s=period, axis_mm=axis
    ).reduce()
    assert found.value == pytest.approx(recoil + mass * (balance - axis) ** 2 / KGCM2, rel=1e-9)


@given(masses, recoils, st.floats(10, 60), st.floats(0.1, 5), st.sampled_from([60, 100, 640]))
def test_a_clamp_is_subtracted_wherever_it_sits(mass, recoil, clamp, inertia, pivot):
    jig = Jig(mass_g=clamp, balance_mm=pivot - 14, inertia_kgcm2=inertia)
    period = pendulum_period(mass, 320, recoil, pivot, jig)
    reading = Pendulum(mass_g=mass, balance_mm=320, pivot_mm=pivot, period_s=period, jig=jig)
    assert reading.reduce().value == pytest.approx(recoil, rel=1e-8)


@given(masses, st.floats(3, 20), st.floats(50, 300), st.floats(200, 2000))
def test_two_threads_and_a_flat_hang_tell_the_same(mass, twist, spacing, length):
    threads = Bifilar(
        mass_g=mass, spacing_top_mm=spacing, spacing_bottom_mm=spacing, thread_mm=length,
        period_s=bifilar_period(mass, twist, spacing, spacing, length), long_axis="vertical",
    )  # fmt: skip
    hung = HungFlat(mass_g=mass, hang_mm=180, period_s=hung_period(mass, twist, 180))
    assert threads.reduce().value == pytest.approx(hung.reduce().value, rel=1e-6)


@given(masses, balances)
def test_two_supports_carry_the_frame(mass, balance):
    m1, m2 = support_loads(mass, balance, 20, 650)
    assume(min(m1, m2) > 0)
    found = TwoScales(m1_g=m1, x1_mm=20, m2_g=m2, x2_mm=650).reduce()
    assert (found.figures["mass_g"], found.value) == (pytest.approx(mass), pytest.approx(balance))


def test_large_swings_are_freed_from_their_width_as_they_die():
    wide = Pendulum(mass_g=318, balance_mm=321, pivot_mm=643, period_s=1.39, amplitude_deg=12.0)
    dying = Pendulum(
        mass_g=318,
        balance_mm=321,
        pivot_mm=643,
        period_s=1.39,
        amplitude_deg=12.0,
        amplitude_end_deg=4.0,
    )
    t_wide, t_dying = (nominal(r.reduce().figures["period_s"]) for r in (wide, dying))
    square = math.radians(12) ** 2
    assert t_wide == pytest.approx(1.39 / (1 + square / 16 + 11 * square**2 / 3072))
    assert t_wide < t_dying < 1.39


def test_a_batch_shares_its_uncertainty_among_the_scraps():
    one = Scale(readings_g=[8.0], resolution_g=1).reduce()
    eighth = Scale(readings_g=[8.0], resolution_g=1, count=8).reduce()
    assert eighth.u == pytest.approx(one.u / 8)


def test_drift_is_taken_off_and_a_reading_set_aside_stays_on_record():
    reading = reading_of(
        {
            "format": "kentrobar-reading/1", "method": "machine", "axis_mm": 100,
            "readings_kgcm2": [320.5, 320.6, 331.0, 320.4], "drift_kgcm2": {"value": 1.0, "u": 0.2},
            "set_aside": [{"index": 2, "reason": "the door slammed"}],
        }
    )  # fmt: skip
    assert nominal(reading.reduce().value) == pytest.approx(319.5)
    assert reading.readings_kgcm2[2] == 331.0
    pointed_out = Machine(readings_kgcm2=[320.5, 320.6, 331.0, 320.4], axis_mm=100).reduce()
    assert [i for i, _ in pointed_out.apart] == [2]
    assert "Reading 3" in pointed_out.notes[0].said


def test_modified_z_knows_a_coarse_display():
    assert max(map(abs, modified_z([311.2, 311.3, 311.2, 311.1, 311.2], 0.1))) < 3.5
    assert modified_z([10, 10, 10, 10, 14], 0.1)[-1] > 3.5
    assert modified_z([5, 5, 5]) == [0, 0, 0]


def test_a_known_repeatability_steadies_a_few_readings():
    lucky = sample([300.0, 300.0], 0.1, repeatability=0.3)
    assert lucky.sigma == pytest.approx(0.3, rel=0.05)
    assert sample([300.0], 0.1).spread is None


def test_expectations_say_what_would_improve_a_method_most():
    frame = typical(TERN, {}, 100)
    setup = {
        "mass_g": {"value": 318, "u": 0.1}, "balance_mm": {"value": 321, "u": 2.0},
        "pivot_mm": {"value": 640, "u": 0.5}, "axis_mm": 100.0,
    }  # fmt: skip
    found = expected("pendulum", setup, frame)
    assert best_improvement(found.value) == "a finer balance reading"
    finer = expected("pendulum", setup | {"balance_mm": {"value": 321, "u": 0.3}}, frame)
    assert finer.u < found.u / 2
    weak = expected("hung-flat", {"mass_g": 318.0, "hang_mm": {"value": 180, "u": 0.5}}, frame)
    strong = expected(
        "bifilar",
        {"mass_g": 318.0, "spacing_top_mm": 236.0, "spacing_bottom_mm": 236.0, "thread_mm": 1000.0}
        | {"long_axis": "vertical"},
        frame,
    )
    assert weak.u > 3 * strong.u
    assert weak.notes[0].code == "weak"


def test_typical_figures_keep_what_is_known_and_doubt_the_rest():
    found = typical(TERN, {"mass_g": 311.0}, 100)
    assert found.mass_g == 311.0
    assert uncertainty(found.swing_kgcm2) > 5


BAD = [
    (
        {"format": "kentrobar-reading/2"},
        "format: 'kentrobar-reading/2' is not 'kentrobar-reading/1'",
    ),
    ({"method": "crystal ball"}, 'method: "crystal ball" is not one of scale, balance-board'),
    ({"method": None}, "method: null is not one of"),
    ({"colour": "red"}, "colour: unknown key"),
    ({"mass_g": None}, "mass_g: null"),
    ({"mass_g": {"value": 318, "u": -1}}, "mass_g.u: -1 is below 0"),
    ({"mass_g": {"value": 318}}, "mass_g.u: missing"),
    ({"mass_g": "318"}, 'mass_g: "318" is not a number'),
    ({"pivot_mm": 321}, "pivot_mm: 321 lies at the balance point"),
    ({"period_s": 1.38}, "period_s: give tap_times_s, period_s or film, one of them"),
    ({"tap_times_s": [0, 0.7]}, "tap_times_s: 2 taps"),
    ({"tap_times_s": [0, 0.7, 0.6, 2.1, 2.8]}, "tap_times_s[2]: 0.6 is not after 0.7"),
    ({"tap_times_s": [0, 0.7, 1.4, 1.5, 2.1, 2.8, 3.5]}, "tap_times_s[3]: a double tap"),
    ({"taps_per_period": 9}, "taps_per_period: 9 is outside 1…4"),
    ({"amplitude_deg": 90}, "amplitude_deg: 90 is outside 0…60"),
    ({"amplitude_end_deg": 9}, "amplitude_end_deg: 9 is outside 0…8"),
    (
        {"set_aside": [{"index": 40, "reason": "late"}]},
        "set_aside[0].index: there is no reading 41, only 33",
    ),
    (
        {"set_aside": [{"index": 4, "reason": " "}]},
        "set_aside[0].reason: a reading is set aside for a reason",
    ),
    ({"jig": {"mass_g": 0, "balance_mm": 90}}, "jig.mass_g: 0 must be above 0"),
]


@pytest.mark.parametrize(("change", "words"), BAD)
def test_a_bad_reading_is_refused_by_its_path(change, words):
    with pytest.raises(DocumentError) as fault:
        measurement_document(PENDULUM | change)
    assert str(fault.value).startswith(words)


def test_nonsense_that_comes_to_nothing_physical_is_refused():
    with pytest.raises(DocumentError, match="must be above 0: look at the period"):
        reduced(reading_of({"format": "kentrobar-reading/1", "method": "hung-flat", "mass_g": 320,
                            "hang_mm": 400, "period_s": 0.6}))  # fmt: skip
    for empty in (
        {},
        [],
        {"format": "kentrobar-reading/1"},
        {"format": "kentrobar-reading/1", "method": "scale"},
    ):
        with pytest.raises(DocumentError):
            measurement_document(empty)


def test_every_method_of_the_command_line_is_documented():
    page = (Path(__file__).parents[2] / "docs" / "measuring.md").read_text()
    for method in READINGS:
        assert f"`{method}`" in page


def test_reduce_on_the_command_line(tmp_path, capsys):
    lines = tmp_path / "shop.jsonl"
    lines.write_text(
        json.dumps(PENDULUM) + "\n" + json.dumps(PENDULUM | {"mass_g": -1}) + "\nnot json\n"
    )
    assert main(["reduce", "--lines", str(lines)]) == 0
    good, bad, worse = map(json.loads, capsys.readouterr().out.splitlines())
    assert good["format"] == "kentrobar-measurement/1"
    assert good["swing_kgcm2"] == pytest.approx(311.7124, rel=1e-4)
    assert bad == {"error": "mass_g: -1 must be above 0"}
    assert worse["error"].startswith("not JSON")


def test_the_shortest_run_that_has_a_line():
    answer = measurement_document(PENDULUM | {"tap_times_s": [0.0, 0.71, 1.42], "pivot_mm": 643})
    assert answer["measured_period_s"] == pytest.approx(1.42)
    assert answer["us"]["period_s"] > 0.01  # three taps of a hand tell little, and say so


def test_a_board_read_turned_round_too_needs_no_zero():
    """323 mm of 686: butt at the stop it reads 323 less its zero, tip at the stop 363 less it."""
    for zero in (250.0, 251.5):
        board = {"readings_mm": [323 - zero] * 3, "offset_mm": 250.0, "turned_mm": 363 - zero}
        read = BalanceBoard(**board, length_mm=686.0)
        assert nominal(read.reduce().value) == pytest.approx(323)
        assert [path for path, _ in BalanceBoard(**board).faults()] == ["length_mm"]
    guess = {"resolution_mm": 0.5, "repeatability_mm": 0.5}
    known, unsure = (
        BalanceBoard(**board, length_mm=686.0, **guess, repeatability_freedom=one).reduce().u
        for one in (20.0, 3.0)
    )
    # One reading turned round is as unsure of its scatter as those before.
    assert unsure > 1.3 * known
