"""What lies exactly on a border, or just beyond it, room by room."""

import math
from dataclasses import replace

import pytest

from kentrobar.core.bench.stages import FittedStage, run
from kentrobar.core.errors import DocumentError, PlacementError, UnreadableError
from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.geometry.likely import units_meant
from kentrobar.core.geometry.paddle_face import half_width, stations
from kentrobar.core.io import tables
from kentrobar.core.io.plans import dump_measured, parse_measured
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.holes import arc_of, hole_at
from kentrobar.core.pieces.piece import FINE_MM
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.stringing import (
    DENSITY,
    SPREAD,
    THICKEST_MM,
    THINNEST_MM,
    fitted_mass,
    packet_mass,
    read_gauge,
)  # fmt: skip
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.quick import quick_set_ups
from kentrobar.core.units import read_length
from tests.core.frames import PADDLE_READ, READ, SHOAL, TERN

HOLES = (6.0, 19.0, 32.0, 46.0)


def test_each_stage_counts_in_everything_before_it():
    tape = Strip(mass_g=3, clock=12, length_mm=100, mirror=False)
    putty = Plug(mass_g=5, from_mm=8, to_mm=32)
    rows = run(TERN, READ, [FittedStage((tape,), {}), FittedStage((putty,), {"mass_g": 325.0})], 98)
    for row, pieces in zip(rows, ((tape,), (tape, putty)), strict=True):
        after = predict(LadenFrame(frame=TERN, measured=READ, pieces=pieces)).after
        assert nominal(row["swing_kgcm2"].predicted) == pytest.approx(
            nominal(after.swing_kgcm2(98))
        )
    assert rows[0]["mass_g"].read is None
    assert rows[1]["mass_g"].off == pytest.approx(325.0 - nominal(READ.mass_g) - 8)
    untwisted = replace(READ, twist_kgcm2=None)
    assert "twist_kgcm2" not in run(TERN, untwisted, [FittedStage((), {})], 98)[0]


@pytest.mark.parametrize(
    ("text", "mm"),
    [("16", 1.32), ("16L", 1.28), ("16 l gauge", 1.28), ("17 ga.", 1.24), ("15L GA", 1.38),
     (f"{THINNEST_MM}", THINNEST_MM), (f"{THICKEST_MM} mm", THICKEST_MM)],
)  # fmt: skip
def test_a_gauge_by_its_number_or_in_mm(text, mm):
    assert read_gauge(text).value == pytest.approx(mm)


@pytest.mark.parametrize("text", ["0.79", "1.61", "20", "16M"])
def test_no_gauge(text):
    with pytest.raises(UnreadableError):
        read_gauge(text)


def test_holes_are_counted_between_the_first_and_the_last():
    assert [hole_at(arc, HOLES) for arc in HOLES] == [1, 2, 3, 4]
    assert hole_at(9.25, HOLES) == 1.25
    assert hole_at(39.0, HOLES) == 3.5
    assert hole_at(5.9, HOLES) is None
    assert hole_at(46.1, HOLES) is None
    assert [arc_of(hole, HOLES) for hole in (1, 1.5, 4)] == [6.0, 12.5, 46.0]
    for hole in (0.9, 4.1):
        with pytest.raises(PlacementError):
            arc_of(hole, HOLES)


@pytest.mark.parametrize(("tie", "is_fine"), [(-1, True), (1, True), (-1.01, False), (1.01, False)])
def test_a_correlation_lies_between_minus_one_and_one(tie, is_fine):
    read = {"mass_g": {"value": 316.8, "u": 0.1}, "balance_mm": {"value": 323.5, "u": 0.5}}
    document = dump_measured(READ) | read | {"correlations": {"mass-balance": tie}}
    if is_fine:
        parse_measured(document)
        return
    with pytest.raises(DocumentError) as refused:
        parse_measured(document)
    assert "correlations.mass-balance" in refused.value.path


def test_throat_tape_is_cut_about_its_middle_and_stays_on_the_shafts():
    tape = Throat(mass_g=4, from_mm=230, to_mm=290)
    low, high = tape.span(TERN)
    shorter = tape.cut_to(TERN, 40)
    assert (shorter.from_mm, shorter.to_mm) == (240, 280)
    assert tape.cut_to(TERN, 0).room_mm(TERN) == high - low
    assert tape.cut_to(TERN, 0).to_mm - tape.cut_to(TERN, 0).from_mm == pytest.approx(FINE_MM)
    whole = tape.cut_to(TERN, 1000)
    assert (whole.from_mm, whole.to_mm) == pytest.approx((low, high))
    for at in (low, high - 60):
        end = replace(tape, from_mm=at, to_mm=at + 60).cut_to(TERN, 80)
        assert end.from_mm >= low - 1e-9
        assert end.to_mm <= high + 1e-9
        assert end.to_mm - end.from_mm == pytest.approx(80)


def test_what_a_strip_covers_is_counted_on_both_sides_and_over_the_tip():
    length = TERN.path("edge").length
    tip = Strip(mass_g=3, clock=12, length_mm=100, line="edge").cover(TERN)["edge"]
    assert sum(sorted(tip), ()) == pytest.approx((-50, 50, length - 50, length + 50))
    sides = Strip(mass_g=3, clock=3, length_mm=60, line="edge", mirror=True).cover(TERN)["edge"]
    middle = TERN.path("edge").arc_of_clock(3)
    other = length - middle
    assert sum(sorted(sides), ()) == pytest.approx(
        (middle - 30, middle + 30, other - 30, other + 30)
    )
    one = Strip(mass_g=3, clock=3, length_mm=60, line="edge").cover(TERN)["edge"]
    assert sum(one, ()) == pytest.approx((middle - 30, middle + 30))


def test_strings_weigh_what_their_cross_section_and_density_make():
    """1.25 mm of polyester, 10.5 m: π/4 · 1.25² · 10.5 · 1.38 g."""
    mass, u = fitted_mass(1.25, "polyester")
    assert mass == pytest.approx(math.pi / 4 * 1.25**2 * 10.5 * DENSITY["polyester"])
    assert u / mass == pytest.approx(SPREAD)
    vague, wide = fitted_mass(None, None)
    assert vague == pytest.approx(math.pi / 4 * 1.27**2 * 10.5 * 1.22)
    assert wide / vague == pytest.approx(math.hypot(SPREAD, 0.09, 0.06))
    assert fitted_mass(1.25, None)[1] / fitted_mass(1.25, None)[0] == pytest.approx(
        math.hypot(SPREAD, 0.09)
    )
    assert packet_mass(1.25, "polyester") == pytest.approx(mass * 12 / 10.5)


def test_a_paddles_sides_are_straight_between_its_stations_and_beyond():
    face = replace(SHOAL, width_high_mm=180.0, width_middle_mm=200.0, width_low_mm=190.0)
    (xh, _), (xm, _), (xl, _) = stations(face)
    assert [half_width(face, x) for x in (xh, xm, xl)] == pytest.approx([90, 100, 95])
    assert half_width(face, (xh + xm) / 2) == pytest.approx(95)
    assert half_width(face, (xm + xl) / 2) == pytest.approx(97.5)
    assert half_width(face, xh + (xh - xm) / 2) == pytest.approx(85)
    assert half_width(face, xl - (xm - xl) / 2) == pytest.approx(92.5)


def test_a_dimension_on_the_border_of_what_is_likely_is_taken_as_typed():
    low, high = FRAME_KINDS["paddle"].likely_mm["handle_mm"]
    for text in (f"{low}", f"{high}"):
        assert units_meant("paddle", "handle_mm", read_length(text)) == []
    assert "cm" in units_meant("paddle", "handle_mm", read_length(f"{low / 10}"))
    assert units_meant("paddle", "handle_mm", read_length(f"{low / 10} mm")) == []


@pytest.mark.parametrize("sign", [";", "\t", ",", "|"])
def test_a_table_is_parted_by_the_sign_its_first_line_has_most_of(sign):
    text = f"name{sign}mass_g{sign}owner\nTern{sign}316.8{sign}a b c\n"
    (row,) = tables.read(text)
    assert row.texts["name"] == "Tern"
    assert row.figures["mass_g"] == pytest.approx(316.8)
    assert row.texts["owner"] == "a b c"


def test_what_serves_a_paddle_best_is_judged_by_a_paddles_first_steps():
    wanted = next(word for word in WISHES.values() if word.of("paddle").up == ("twist_kgcm2",))
    found = quick_set_ups(SHOAL, PADDLE_READ, 50, 5.0, wanted)
    assert found == sorted(found, key=lambda one: -one.score)
    word = wanted.of("paddle")
    for one in found:
        by = {
            name: nominal(one.change[name]) / step
            for name, step in FRAME_KINDS["paddle"].first_step.items()
        }
        kept = set(word.keep) - set(word.up) - set(word.down)
        held = sum(max(by[name], 0.0) for name in word.hold if name in by)
        plain = by["twist_kgcm2"] - sum(abs(by[name]) for name in kept if name in by)
        assert held or one.score == pytest.approx(plain)
