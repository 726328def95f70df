"""Grams and cut are one relation: they say each other, in whatever order a hand changes them."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.frame.notices import notices
from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.io.plans import dump_plan, plan_of
from kentrobar.core.pieces.cutting import (
    SAME_G,
    by_cut,
    carried,
    grams_of,
    off_its_roll,
    ways_to,
)
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.pieces.uncertain import mass_u
from kentrobar.core.reader import clock_text, hole_text
from kentrobar.core.units import read_clock, read_hole
from tests.core.frames import READ, SHOAL, TERN, sizes

ROLL = PerLength(0.0103, 0.0001, 4)
TAPE = "tape"


def strip(**more):
    given = {"mass_g": 1.0, "clock": 3, "length_mm": 76.2, "line": "face", "mirror": True}
    return by_cut(Strip(**(given | {"material": TAPE, "layers": 1} | more)), ROLL)


TAPES = st.one_of(
    st.builds(
        lambda clock, length, line, mirror, layers: (
            TERN,
            strip(clock=clock, length_mm=length, line=line, mirror=mirror, layers=layers),
        ),
        sizes(0.1, 12), sizes(10, 200), st.sampled_from(("edge", "face", "inner")),
        st.booleans(), st.integers(1, 5),
    ),
    st.builds(
        lambda low, long, layers: (
            TERN,
            by_cut(Throat(mass_g=1, from_mm=low, to_mm=low + long, layers=layers), ROLL),
        ),
        sizes(200, 260), sizes(10, 100), st.integers(1, 3),
    ),
)  # fmt: skip


@given(TAPES, sizes(1.0, 12.7))
def test_the_grams_of_a_cut_lead_back_to_it(laid, step):
    outline, piece = laid
    room = piece.room_mm(outline)
    ways = ways_to(piece, piece.mass_g, ROLL, outline, step, room)
    best = min(ways, key=lambda way: abs(way.piece.mass_g - piece.mass_g))
    per_mm = ROLL.g_per_mm * piece.tape()[1]
    # Half a step of every strip is what rounding to steps may leave.
    assert abs(best.piece.mass_g - piece.mass_g) <= per_mm * max(step, 5) / 2 + 2 * SAME_G
    for way in ways:
        assert way.piece.mass_g == pytest.approx(grams_of(way.piece, ROLL), abs=0.0051)
        assert off_its_roll(way.piece, ROLL) == 0
        assert way.fits == (way.length_mm <= room + 1e-9)


@given(TAPES, st.data())
def test_whatever_a_hand_does_to_tape_its_grams_follow(laid, data):
    outline, piece = laid
    moved = data.draw(
        st.sampled_from(
            (
                piece.mirrored(),
                piece.on_next_line(outline),
                piece.cut(outline, 6.35),
                replace(piece, layers=(piece.layers or 1) + 1),
                piece.slid(outline, 7),
            )
        )
    )
    after = carried(moved, piece, ROLL)
    assert after.mass_g == pytest.approx(grams_of(after, ROLL), abs=0.0051)
    # And without a roll by as much more tape as it is.
    unknown = carried(moved, piece, None)
    (length, strips), (was, count) = moved.tape(), piece.tape()
    assert unknown.mass_g == pytest.approx(
        piece.mass_g * length * strips / (was * count), rel=1e-3, abs=1e-3
    )


def test_ten_grams_at_the_sides_are_three_layers_or_one_long_strip():
    layered, long = ways_to(strip(), 10.0, ROLL, TERN, 6.35, 96.0)
    assert (layered.fits, layered.piece.layers, layered.piece.tape()) == (True, 3, (82.55, 12))
    assert layered.piece.mass_g == pytest.approx(0.0103 * 82.55 * 12, abs=0.0051)
    assert (long.fits, long.piece.layers, long.piece.tape()) == (False, 1, (241.3, 4))
    finer = ways_to(strip(), 10.0, ROLL, TERN, 1.0, 96.0)
    assert [round(way.length_mm) for way in finer] == [81, 243]


def test_what_was_weighed_stays_and_is_held_against_its_roll():
    piece = replace(strip(), mass_g=3.22, weighed=True)
    assert carried(replace(piece, clock=4.0), piece, ROLL).mass_g == 3.22
    cut = carried(piece.cut(TERN, 6.35), piece, ROLL)
    assert (cut.weighed, cut.mass_g) == (None, pytest.approx(0.0103 * 82.55 * 4, abs=0.0051))
    # 3.139 g by the roll, ± 0.0305 of it, ± 0.0103 of four cuts, ± 0.03 of the scale: 3 u are 0.13.
    assert off_its_roll(piece, ROLL) == 0
    assert off_its_roll(replace(piece, mass_g=3.29), ROLL) == pytest.approx(0.1505, abs=1e-3)
    assert off_its_roll(replace(piece, weighed=None), ROLL) == pytest.approx(0.0806, abs=1e-3)
    assert off_its_roll(replace(piece, mass_g=-3.22, weighed=None), ROLL) == 0
    assert mass_u(piece, {TAPE: ROLL}) == 0.03
    assert mass_u(strip(), {TAPE: ROLL}) == pytest.approx(math.hypot(0.03048, 0.0103), rel=1e-3)


def test_across_the_centre_line_both_sides_are_one_strip():
    tip = strip(clock=12, line="edge")
    assert tip.tape() == (76.2, 1)
    assert tip.mirrored().mass_g == tip.mass_g
    assert strip(clock=6, line="face").tape() == (76.2, 2)
    assert strip(clock=11.5, line="edge").tape() == (76.2, 2)


def said(*pieces, rolls=None):
    plan = LadenFrame(frame=TERN, measured=READ, pieces=pieces, rolls=rolls or {TAPE: ROLL})
    return [
        (one.code, one.message.figures)
        for one in notices(plan, predict(plan))
        if one.code not in ("one-side", "off-centre")
    ]


def test_contradictions_and_overlaps_are_named():
    wrong = replace(strip(), mass_g=2.0)
    assert said(wrong) == [
        ("cut-and-grams", {"piece": 1, "mass": 2.0, "roll": pytest.approx(3.1394, abs=1e-3)})
    ]
    (one,) = said(replace(wrong, weighed=True))
    assert one[0] == "weighed-apart"
    assert said(strip(clock=12, line="edge")) == [("sides-as-one", {"piece": 1})]
    # At 12:15 on the edge the middle lies so far from the tip that both runs share the rest.
    near = strip(clock=0.25, line="edge", length_mm=100)
    away = TERN.path("edge").arc_of_clock(0.25)
    assert said(near) == [
        ("sides-overlap", {"piece": 1, "mm": pytest.approx(100 - 2 * away, abs=0.01)})
    ]
    first, second = strip(), strip(clock=3.5, mirror=False)
    apart = TERN.path("face").arc_of_clock(3.5) - TERN.path("face").arc_of_clock(3)
    assert said(first, second) == [
        ("overlap", {"piece": 2, "other": 1, "mm": pytest.approx(76.2 - apart, abs=0.01)})
    ]
    assert said(first, strip(clock=3, line="inner")) == []
    assert said(first, replace(strip(clock=3), mass_g=-1.0)) == []
    plugs = [Plug(mass_g=2, from_mm=low, to_mm=low + 20) for low in (10, 25)]
    assert [one for one in said(*plugs) if one[0] == "overlap"] == [
        ("overlap", {"piece": 2, "other": 1, "mm": 5})
    ]


def test_a_strip_across_the_tip_overlaps_one_beside_it():
    over = strip(clock=11.95, line="edge", mirror=False, length_mm=100)
    beside = strip(clock=0.4, line="edge", mirror=False, length_mm=20)
    arc = TERN.path("edge").arc_of_clock(0.4)
    back = TERN.path("edge").length - TERN.path("edge").arc_of_clock(11.95)
    shared = min(50 - back, arc + 10) - (arc - 10)
    for pair in ((over, beside), (beside, over)):
        assert said(*pair) == [
            ("overlap", {"piece": 2, "other": 1, "mm": pytest.approx(shared, abs=0.01)})
        ]


@given(
    st.sampled_from((TERN, SHOAL)), sizes(0.2, 11.8), sizes(10, 120),
    st.sampled_from(("edge", "face", "inner")),
)  # fmt: skip
def test_every_way_to_find_a_place_leads_back_to_it(outline, clock, length, line):
    piece = strip(clock=clock, length_mm=length, line=line)
    for name in ("middle", "upper_end", "from_tip"):
        at = piece.place_of(outline, name)
        if name != "from_tip" and at >= outline.path(line).point(0.0)[0] - 0.01:
            continue  # at the tip, where a line is level, one distance from the butt is many places
        there = piece.placed(outline, name, at)
        assert there.place_of(outline, name) == pytest.approx(at, abs=0.02)
        assert (there.clock > 6) == (piece.clock > 6)
        if name == "from_tip":
            assert there.clock == pytest.approx(piece.clock, abs=1e-3)


@given(sizes(0.2, 11.8), st.sampled_from(("edge", "face", "inner")))
def test_a_place_is_found_again_by_its_hole(clock, line):
    holes_mm = [float(arc) for arc in range(6, 400, 13)]
    piece = strip(clock=clock, line=line)
    hole = piece.place_of(TERN, "hole", holes_mm)
    if hole is None:
        away = abs(math.remainder(TERN.path("edge").arc_of_clock(clock), TERN.path("edge").length))
        assert not 6 <= away <= holes_mm[-1]
    else:
        assert piece.placed(TERN, "hole", hole, holes_mm).clock == pytest.approx(clock, abs=1e-3)
        assert read_hole(hole_text(hole)).value == pytest.approx(hole, abs=0.0501)


def test_a_place_off_the_line_is_refused():
    for hole in (0.9, 3.1):
        with pytest.raises(ValueError, match="outside 1…3"):
            strip().placed(TERN, "hole", hole, [6, 19, 32])
    for name, mm in (("middle", 300.0), ("middle", 700.0), ("from_tip", 600.0), ("from_tip", -1)):
        with pytest.raises(ValueError, match="line"):
            strip().placed(TERN, name, mm)


def test_a_document_carries_rolls_and_what_was_weighed():
    plan = LadenFrame(
        frame=TERN, measured=READ, rolls={TAPE: PerLength(0.0103, 0.0001, 0)},
        pieces=(strip(), replace(strip(clock=4), mass_g=3.2, weighed=True)),
    )  # fmt: skip
    assert plan_of(dump_plan(plan)) == plan


@given(st.integers(0, 719))
def test_every_clock_that_is_printed_is_read_back(minutes):
    hour = minutes / 60
    assert read_clock(clock_text(hour)) % 12 == pytest.approx(hour, abs=1e-9)


def test_half_past_twelve_is_half_past_nought():
    assert read_clock("12:30") == read_clock("0:30") == 0.5
    assert read_clock("12:03") == pytest.approx(0.05)
    assert clock_text(0.5) == "12:30"
