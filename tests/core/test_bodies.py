"""The laws of Bodies: what adds, what does not care about order or axis, what can never fall."""

import math
from dataclasses import astuple, replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from uncertainties import ufloat

from kentrobar.core.frame.predict import LadenFrame, Measured, as_it_is, predict
from kentrobar.core.geometry.outline import Racket
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import KGCM2, NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.reader import points_head_light

from .frames import PADDLE_READ, READ, SHOAL, TERN, grams, laden, outlines, sizes


def close(one: Body, two: Body) -> bool:
    return all(
        math.isclose(a, b, rel_tol=1e-9, abs_tol=1e-5)
        for a, b in zip(astuple(one), astuple(two), strict=True)
    )


@given(laden())
def test_putting_on_and_taking_off_again_is_nothing(bench):
    outline, pieces = bench
    frame = READ.body()
    body = frame
    for piece in pieces:
        body = body + body_of(piece, outline)
    for piece in pieces:
        body = body + body_of(replace(piece, mass_g=-piece.mass_g), outline)
    assert close(body, frame)
    assert close(body - frame, NOTHING)


@given(laden(), st.randoms(use_true_random=False))
def test_order_does_not_matter(bench, random):
    outline, pieces = bench
    shuffled = list(pieces)
    random.shuffle(shuffled)
    one, two = (sum((body_of(p, outline) for p in ps), READ.body()) for ps in (pieces, shuffled))
    assert close(one, two)


@given(laden(), sizes(0, 200), sizes(0, 200))
def test_an_axis_moved_there_and_back_changes_nothing(bench, here, there):
    outline, pieces = bench
    body = sum((body_of(piece, outline) for piece in pieces), READ.body())
    moved = Body.from_figures(
        mass_g=body.mass,
        balance_mm=body.balance,
        swing_kgcm2=body.swing_kgcm2(there),
        axis_mm=there,
        twist_kgcm2=body.twist_kgcm2,
    )
    assert moved.swing(here) == pytest.approx(body.swing(here), rel=1e-9)
    assert moved.recoil == pytest.approx(body.recoil, rel=1e-9)
    # The textbook's way between axes, which the sums must agree with.
    by_hand = body.swing(here) + body.mass * (
        (body.balance - there) ** 2 - (body.balance - here) ** 2
    )
    assert body.swing(there) == pytest.approx(by_hand, rel=1e-9)


@given(laden(), sizes(0, 200))
def test_mass_put_on_never_lowers_swing_or_twist_weight(bench, axis):
    outline, pieces = bench
    for piece in pieces:
        body = body_of(piece, outline)
        assert body.swing(axis) >= -1e-6
        assert body.twist >= 0
        assert body.recoil >= -1e-6


@given(outlines, grams, sizes(0, 12), sizes(10, 300))
def test_a_mirrored_pair_leaves_the_centre_of_mass_on_the_line(outline, mass, clock, length):
    pair = Strip(mass_g=mass, clock=clock, length_mm=length, mirror=True)
    one_side = replace(pair, mirror=False)
    both, left = body_of(pair, outline), body_of(one_side, outline)
    right = body_of(replace(one_side, clock=(12 - clock) % 12), outline)
    assert both.lateral == 0
    assert left.lateral + right.lateral == pytest.approx(0, abs=1e-5)
    assert both.swing(100) == pytest.approx((left.swing(100) + right.swing(100)) / 2, rel=1e-9)


@given(outlines, sizes(0.2, 11.8), sizes(20, 250), st.integers(2, 9))
def test_a_long_strip_is_the_sum_of_its_parts(outline, clock, length, parts):
    path = outline.path("face")
    whole = body_of(Strip(mass_g=10, clock=clock, length_mm=length), outline)
    start = path.arc_of_clock(clock) - length / 2
    bits = [
        Strip(
            mass_g=10 / parts,
            clock=path.clock_of_arc(start + length * (i + 0.5) / parts),
            length_mm=length / parts,
        )
        for i in range(parts)
    ]
    sum_of_parts = sum((body_of(bit, outline) for bit in bits), NOTHING)
    assert sum_of_parts.swing_kgcm2(100) == pytest.approx(whole.swing_kgcm2(100), abs=1e-6)
    assert sum_of_parts.twist_kgcm2 == pytest.approx(whole.twist_kgcm2, abs=1e-6)
    assert sum_of_parts.lateral == pytest.approx(whole.lateral, abs=1e-4)


@settings(max_examples=30)
@given(outlines)
def test_a_strip_holds_against_hundreds_of_points(outline):
    strip = Strip(mass_g=7, clock=1.4, length_mm=310, line="edge")
    path = outline.path("edge")
    start, count = path.arc_of_clock(1.4) - 155, 500
    points = [path.point(start + 310 * (i + 0.5) / count) for i in range(count)]
    swing = sum((x - 100) ** 2 for x, _ in points) * 7 / count / KGCM2
    twist = sum(y * y for _, y in points) * 7 / count / KGCM2
    assert body_of(strip, outline).swing(100) / KGCM2 == pytest.approx(swing, abs=1e-3)
    assert body_of(strip, outline).twist / KGCM2 == pytest.approx(twist, abs=1e-3)


def test_handle_mass_raises_swing_weight_least_at_the_axis_and_lowers_balance():
    def added(x: float) -> float:
        return body_of(Plug(mass_g=10, from_mm=x - 5, to_mm=x + 5), TERN).swing(100)

    assert 0 < added(100) < added(60) < added(20)
    assert 0 < added(100) < added(140)
    plan = LadenFrame(frame=TERN, measured=READ, pieces=(Plug(mass_g=10, from_mm=5, to_mm=30),))
    done = predict(plan)
    assert done.after.swing(100) > done.before.swing(100)
    assert done.after.balance < done.before.balance


def test_spin_recoil_points_and_offset_by_hand():
    body = Body.from_figures(
        mass_g=300, balance_mm=320, swing_kgcm2=300, axis_mm=100, twist_kgcm2=13
    )
    assert body.recoil_kgcm2 == pytest.approx(300 - 300 * 220**2 / KGCM2)
    assert body.spin_kgcm2(100) == pytest.approx(313)
    assert points_head_light(body.balance, 685.8) == pytest.approx((342.9 - 320) / 3.175)
    one_side = body + body_of(Point(mass_g=10, x_mm=500, y_mm=124), TERN)
    assert one_side.offset == pytest.approx(1240 / 310)


def test_uncertainty_goes_through_the_same_sums():
    """u of balance after 10 g at the tip, propagated by hand."""
    measured = Measured(
        mass_g=ufloat(300, 0.5), balance_mm=ufloat(320, 1.0), swing_kgcm2=300.0, axis_mm=100
    )
    plan = LadenFrame(frame=TERN, measured=measured, pieces=(Point(mass_g=10, x_mm=680),))
    after = predict(plan).after
    by_mass = (320 - after.balance.nominal_value) / 310 * 0.5
    by_balance = 300 / 310 * 1.0
    assert after.mass.std_dev == pytest.approx(0.5)
    assert after.balance.std_dev == pytest.approx(math.hypot(by_mass, by_balance))
    plain = LadenFrame(
        frame=TERN,
        measured=Measured(mass_g=300, balance_mm=320, swing_kgcm2=300, axis_mm=100),
        pieces=plan.pieces,
    )
    assert after.balance.nominal_value == pytest.approx(predict(plain).after.balance)


def test_what_a_roll_leaves_open_goes_through_all_cut_off_it():
    """Two strips of one roll err alike, of two rolls apart; each cut errs by itself; dosing by its
    scale."""
    strip = Strip(mass_g=4, clock=3, length_mm=100, line="edge", mirror=True, material="one")
    roll, exact = PerLength(0.02, 0.001, 1), PerLength(0.02, 0.0, 9)

    def u(pieces, **rolls) -> float:
        plan = LadenFrame(frame=TERN, measured=READ, pieces=tuple(pieces), rolls=rolls)
        after = predict(plan).after
        assert nominal(after.mass) == pytest.approx(predict(replace(plan, rolls=None)).after.mass)
        return after.mass.std_dev

    cut = u([strip], one=exact)
    assert cut == pytest.approx(0.02 * 0.5 * 2**0.5)
    assert u([strip], one=roll) == pytest.approx(math.hypot(4 * 0.05, cut))
    assert u([strip, strip], one=roll) == pytest.approx(math.hypot(8 * 0.05, cut * 2**0.5))
    other = replace(strip, material="two")
    assert u([strip, other], one=roll, two=roll) == pytest.approx(
        2**0.5 * math.hypot(4 * 0.05, cut)
    )
    assert u([strip]) == pytest.approx(4 * 0.05)
    assert u([Plug(mass_g=8, from_mm=5, to_mm=30)]) == pytest.approx(0.05)
    assert u([Sleeve(mass_g=-20, from_mm=0, to_mm=190)]) == pytest.approx(20 * 0.03)


@given(laden(), st.sets(st.sampled_from(["mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"])))
def test_figures_read_before_and_after_a_fitting_are_brought_to_one_time(bench, before):
    """Whichever of them were read before the pieces came on: together they are the frame with its
    pieces."""
    outline, pieces = bench
    read = READ if isinstance(outline, Racket) else PADDLE_READ
    put_on = sum((body_of(piece, outline) for piece in pieces), NOTHING)
    body = read.body() + put_on
    whole = Measured(
        mass_g=body.mass,
        balance_mm=body.balance,
        swing_kgcm2=body.swing_kgcm2(read.axis_mm),
        axis_mm=read.axis_mm,
        twist_kgcm2=body.twist_kgcm2,
    )
    mixed = replace(whole, **{name: getattr(read, name) for name in before})
    now = as_it_is(mixed, dict.fromkeys(before, put_on))
    assert astuple(now)[:5] == pytest.approx(astuple(whole)[:5], rel=1e-9, abs=1e-6)


@given(laden())
def test_shares_add_up_to_the_change(bench):
    outline, pieces = bench
    measured = READ if isinstance(outline, Racket) else PADDLE_READ
    done = predict(LadenFrame(frame=outline, measured=measured, pieces=tuple(pieces)))
    for spec in (lambda b: b.mass, lambda b: b.swing(100), lambda b: b.twist):
        change = spec(done.after) - spec(done.before)
        assert sum(spec(share.body) for share in done.shares) == pytest.approx(
            change, rel=1e-6, abs=1e-3
        )
    last = done.shares[-1]
    without = predict(LadenFrame(frame=outline, measured=measured, pieces=tuple(pieces[:-1]))).after
    assert last.balance_mm == pytest.approx(done.after.balance - without.balance, abs=1e-6)


def test_a_sleeve_is_a_ring_and_not_a_rod():
    ring, rod = (kind(mass_g=20, from_mm=0, to_mm=190) for kind in (Sleeve, Plug))
    extra = 20 * SHOAL.handle_radius_mm**2
    assert body_of(ring, SHOAL).twist == pytest.approx(extra)
    assert body_of(ring, SHOAL).second - body_of(rod, SHOAL).second == pytest.approx(extra / 2)


def test_the_frame_worked_by_hand_in_the_docs():
    heron = Measured(mass_g=300, balance_mm=320, swing_kgcm2=300, axis_mm=100)
    pieces = (Point(mass_g=2, x_mm=680), Plug(mass_g=6, from_mm=5, to_mm=35))
    done = predict(LadenFrame(frame=TERN, measured=heron, pieces=pieces))
    assert (done.before.moment, done.before.second) == (96_000, 46_200_000)
    assert (done.after.mass, done.after.moment, done.after.second) == (308, 97_480, 47_127_650)
    assert done.after.balance == pytest.approx(316.49, abs=0.005)
    assert done.after.swing_kgcm2(50) == pytest.approx(381.4965)
    assert done.after.recoil_kgcm2 == pytest.approx(162.76, abs=0.005)
    assert done.shares[1].body.swing_kgcm2(100) == pytest.approx(0.3885)
