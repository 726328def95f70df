"""What hands do to a piece: it stays on its frame, tape keeps its grams per length."""

from dataclasses import replace

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from kentrobar.core.errors import OnAlreadyError
from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.frame.targets import Target, Targets, level
from kentrobar.core.pieces import starters
from kentrobar.core.pieces.bevels import in_place_of
from kentrobar.core.pieces.cautions import LEAD_AT_THE_HAND
from kentrobar.core.pieces.grip_size import wound_mm
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.materials import TAPES
from kentrobar.core.pieces.piece import piece_faults
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.reader import Reader, read_by

from .frames import READ, SHOAL, TERN, laden, sizes

SIDES = Strip(mass_g=4, clock=3, length_mm=100, mirror=True)


@example(
    (replace(TERN, length_mm=686.390625), [Plug(mass_g=1, from_mm=0, to_mm=1.375)]), 685.0, 0.0, 0.0
)
@given(laden(), sizes(-900, 900), sizes(-200, 900), sizes(-200, 200))
def test_no_move_leaves_the_frame(bench, mm, x, y):
    outline, pieces = bench
    for piece in pieces:
        for moved in (
            piece.slid(outline, mm),
            piece.cut(outline, mm),
            piece.on_next_line(outline),
            piece.mirrored(),
            piece.dragged(outline, x, y),
            piece.dragged_end(outline, "start", x, y),
            piece.dragged_end(outline, "end", x, y),
        ):
            faults = [field for field, _ in piece_faults(moved, outline)]
            # Fifty kilograms of tape a metre, cut long, is refused elsewhere; its place is right.
            assert set(faults) <= {"mass_g"}


def test_tape_cut_longer_weighs_more_and_putty_packed_longer_does_not():
    longer = SIDES.cut(TERN, 25)
    assert (longer.length_mm, longer.mass_g) == (125, 5)
    putty = Plug(mass_g=5, from_mm=8, to_mm=32)
    assert putty.cut(TERN, 10) == replace(putty, to_mm=42)


def test_sliding_keeps_the_cut_and_moves_along_the_rim():
    moved = SIDES.slid(TERN, 10)
    path = TERN.path("face")
    assert path.arc_of_clock(moved.clock) - path.arc_of_clock(3) == pytest.approx(10, abs=0.1)
    assert (moved.length_mm, moved.mass_g) == (SIDES.length_mm, SIDES.mass_g)
    assert Plug(mass_g=1, from_mm=2, to_mm=12).slid(TERN, -50).from_mm == 0


def test_mirroring_doubles_the_tape_and_back():
    one = SIDES.mirrored()
    assert (one.mirror, one.mass_g) == (False, 2)
    assert one.mirrored() == SIDES


def test_a_dragged_strip_goes_to_the_nearest_place_and_snaps_to_an_hour():
    x, y = TERN.path("face").point(TERN.path("face").arc_of_clock(2))
    assert SIDES.dragged(TERN, x + 40, y + 55).clock == pytest.approx(2, abs=0.3)
    assert SIDES.dragged(TERN, x + 1, y + 1).clock == 2
    longer = SIDES.dragged_end(
        TERN, "end", *TERN.path("face").point(TERN.path("face").arc_of_clock(3) + 80)
    )
    assert longer.length_mm == pytest.approx(160, abs=0.5)


@pytest.mark.parametrize("outline", [TERN, SHOAL])
def test_every_starter_fits_its_frame(outline):
    every = (*starters.PUT_ON, *starters.TAKE_OFF, *starters.SWAP)
    for starter in starters.for_kind(every, outline):
        for piece in starters.start(starter.name, outline, ()):
            assert list(piece_faults(piece, outline)) == []
            assert piece.name(outline)
            assert piece.where()
    assert [s.name for s in starters.for_kind(starters.PUT_ON, SHOAL)] == [
        "tape",
        "putty",
        "grip",
        "point",
        "edge-tape",
        "bevels",
    ]
    with pytest.raises(KeyError):
        starters.start("strings", SHOAL, ())


def test_tape_goes_to_the_next_usual_site():
    (first,) = starters.start("tape", TERN, ())
    (second,) = starters.start("tape", TERN, (first,))
    assert (first.clock, second.clock) == (3, 12)


def test_words():
    assert SIDES.where() == "3 & 9 o’clock · 100.0 mm × 4"
    with read_by(Reader(length="in")):
        assert replace(SIDES, clock=2.25).where() == "2:15 & 9:45 · 3.94 in × 4"
    assert replace(SIDES, mass_g=-1).name(TERN) == "Sides, both faces, taken off"
    assert Point(mass_g=1, x_mm=350, y_mm=-20).where().endswith("20.0 mm to 9 o’clock")


def test_lead_is_cautioned_where_it_is_used():
    wrap = Sleeve(mass_g=5, from_mm=0, to_mm=60, material="lead tape, 6 mm")
    assert wrap.cautions()[0] == LEAD_AT_THE_HAND
    assert replace(wrap, material="lead-free tape, 6 mm").cautions() == ()


@given(sizes(-40, 40), sizes(0.1, 5))
def test_a_level_is_level_within_its_tolerance_and_its_bubble_keeps_its_side(off, tol):
    now = level("mass_g", READ.body(), READ.body(), Target(316.8 - off, tol), 100)
    assert now.is_level == (abs(now.off) <= tol + 1e-9)
    assert (abs(now.position) <= 0.5 + 1e-9) == now.is_level
    assert abs(now.position) <= 1
    assert now.position * off >= 0


def test_a_swing_target_is_judged_about_its_own_axis():
    after = predict(LadenFrame(frame=TERN, measured=READ, pieces=(SIDES,))).after
    target = Target(after.swing(101.6) / 1e5, 1, 101.6)
    assert level("swing_kgcm2", READ.body(), after, target, 50).off == pytest.approx(0)
    stored = Targets(swing_kgcm2=target).dump()
    assert Targets.parse(stored).swing_kgcm2 == target


@given(st.sampled_from(starters.TAKE_OFF))
def test_what_is_taken_off_lowers_the_mass(starter):
    (piece,) = starters.start(starter.name, TERN, ())
    assert body_of(piece, TERN).mass < 0


def test_a_leather_grip_takes_the_place_of_the_one_that_is_on():
    """24 g of thin leather for a grip that weighs 19 g here: 5 g, and less round than that one."""
    old, new = starters.start("thin-leather", TERN, (), noted_g={"grip": 19.0})
    assert (old.mass_g, new.mass_g) == (-19.0, 24.0)
    thin, thick = (
        wound_mm(starters.start(name, TERN, ()), TERN) for name in ("thin-leather", "thick-leather")
    )
    assert thin < 0 < thick - thin
    with pytest.raises(OnAlreadyError):
        starters.start("thick-leather", TERN, (), noted_g={"leather-grip": 27.0})


def test_strips_under_the_grip_go_in_pairs_and_make_the_handle_thicker():
    (two,) = starters.start("bevels", TERN, ())
    four = replace(two, count=4).with_tape_of(two)
    assert (two.strips(), four.strips()[1]) == ((pytest.approx(101.6), 2), 4)
    assert four.mass_g == pytest.approx(2 * two.mass_g)
    assert wound_mm([four], TERN) == pytest.approx(2 * wound_mm([two], TERN))
    assert [field for field, _ in piece_faults(replace(two, count=3), TERN)] == ["count"]


def test_putty_that_finds_foam_becomes_strips_of_as_many_grams_as_low():
    plug = Plug(mass_g=5.0, from_mm=8, to_mm=38, material="putty", id="p3")
    strips = in_place_of(plug, TERN)
    assert list(piece_faults(strips, TERN)) == []
    assert (strips.mass_g, strips.from_mm, strips.id) == (5.0, 8, "p3")
    length, count = strips.strips()
    assert length * count * TAPES[0].g_per_mm == pytest.approx(5.0, abs=0.02)
