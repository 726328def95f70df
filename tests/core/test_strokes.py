"""Strokes: what a ball leaves with, by hand; and what a change is worth."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.geometry.kinds import FRAME_KINDS, Stroke
from kentrobar.core.pieces.body import Body
from kentrobar.core.recipes import feel
from kentrobar.core.recipes.strokes import SwingLaw, best_hit, leaves_kmh, stroke_change
from tests.core.frames import READ, SHOAL, TERN

FRAME = READ.body()
BLOCK, VOLLEY, GROUND, SERVE = FRAME_KINDS["racket"].strokes
AT_TIP = Body(3.0, 3 * 675, 3 * 675**2, 3 * 20**2)
"""3 g near the tip."""
IN_HAND = Body(8.0, 8 * 40, 8 * 1800, 0.0)


def test_a_ball_leaves_as_it_comes_and_as_it_is_hit():
    share = feel.rebound(FRAME, 520, 0, "racket", 0.85)
    assert leaves_kmh(FRAME, BLOCK, 520, 0, "racket", 0.85) == pytest.approx(share * 90)
    # A serve: 50 rad/s, 570 mm from the wrist: 28.5 m/s of the frame.
    assert leaves_kmh(FRAME, SERVE, 520, 0, "racket", 0.85) == pytest.approx(
        (1 + share) * 28.5 * 3.6
    )
    both = Stroke("volley", "", 80, 10, -300)
    assert leaves_kmh(FRAME, both, 520, 0, "racket", 0.85, slowed=0.9) == pytest.approx(
        share * 80 + (1 + share) * 0.9 * 8.2 * 3.6
    )
    aside = leaves_kmh(FRAME, SERVE, 520, 50, "racket")
    assert aside < leaves_kmh(FRAME, SERVE, 520, 0, "racket")


def test_the_best_point_lies_where_the_stroke_puts_it():
    """At the throat for a ball that is blocked, towards the tip the faster the frame turns: and no
    point of the face beats it."""
    low, high = feel.face_span(TERN)
    points = [best_hit(FRAME, TERN, stroke).x_mm for stroke in (BLOCK, VOLLEY, GROUND, SERVE)]
    assert points == sorted(points)
    assert points[0] == pytest.approx(low, abs=0.3)
    assert points[0] < points[2] - 50
    assert low < points[3] < high
    for stroke in FRAME_KINDS["paddle"].strokes:
        best = best_hit(SHOAL_BODY, SHOAL, stroke)
        start, end = feel.face_span(SHOAL)
        steps = [start + (end - start) * i / 900 for i in range(901)]
        most = max(leaves_kmh(SHOAL_BODY, stroke, x, 0, "paddle") for x in steps)
        assert best.kmh == pytest.approx(most, abs=0.002)


SHOAL_BODY = Body.from_figures(
    mass_g=228, balance_mm=236, swing_kgcm2=114.4, axis_mm=50, twist_kgcm2=6.3
)


def test_mass_at_the_tip_moves_the_best_point_of_a_serve_and_not_of_a_block():
    serve = stroke_change(FRAME, FRAME + AT_TIP, TERN, SERVE, 100)
    block = stroke_change(FRAME, FRAME + AT_TIP, TERN, BLOCK, 100)
    assert serve.after.x_mm > serve.before.x_mm + 3
    slow = SwingLaw().slowed(FRAME, FRAME + AT_TIP, 100)
    assert serve.after == best_hit(FRAME + AT_TIP, TERN, SERVE, None, slow)
    assert serve.after.kmh < best_hit(FRAME + AT_TIP, TERN, SERVE).kmh
    assert block.after.x_mm == pytest.approx(block.before.x_mm, abs=0.3)
    # 3 g · 575² mm² of 314.6 kg·cm²: 3.15 % more swing weight, 0.78 % slower, give or take 0.31.
    heavier = 1 + 3 * 575**2 / 1e5 / 314.6
    assert serve.worth.later == pytest.approx(heavier**0.25 - 1)
    assert serve.worth.later_band == pytest.approx((heavier**0.35 - heavier**0.15) / 2)
    assert (block.worth.later, block.worth.band_kmh) == (0.0, 0.0)
    assert block.worth.gain_kmh == pytest.approx(
        90 * (feel.rebound(FRAME + AT_TIP, block.before.x_mm, 0, "racket")
              - feel.rebound(FRAME, block.before.x_mm, 0, "racket"))
    )  # fmt: skip


def test_what_a_change_is_worth_carries_what_the_law_leaves_open():
    at = [(560.0, 0.0)]
    change = stroke_change(FRAME, FRAME + AT_TIP, TERN, SERVE, 100, marks=at)
    was = leaves_kmh(FRAME, SERVE, 560, 0, "racket")

    def gains(power):
        slow = SwingLaw().slowed(FRAME, FRAME + AT_TIP, 100, power)
        return leaves_kmh(FRAME + AT_TIP, SERVE, 560, 0, "racket", None, slow) - was

    assert change.worth.gain_kmh == pytest.approx(gains(0.25))
    assert change.worth.band_kmh == pytest.approx((gains(0.15) - gains(0.35)) / 2)
    # Where nothing is swung slower it is all gain.
    free = stroke_change(FRAME, FRAME + AT_TIP, TERN, SERVE, 100, SwingLaw(0.0, 0.0), marks=at)
    assert (free.worth.gain_kmh > change.worth.gain_kmh, free.worth.band_kmh, free.worth.later) == (
        True,
        0.0,
        0.0,
    )


@given(st.floats(0.5, 8), st.floats(5, 150), st.floats(0.1, 0.4))
def test_mass_in_the_hand_costs_next_to_no_time(grams, x, power):
    heavy = FRAME + Body(grams, grams * x, grams * x * x, 0.0)
    law = SwingLaw(power, 0.05)
    change = stroke_change(FRAME, heavy, TERN, GROUND, 100, law)
    assert 0 <= change.worth.later <= power * grams * 95**2 / 1e5 / 314.6 + 1e-9
    assert change.worth.band_kmh < 0.1
    assert math.isfinite(change.worth.gain_kmh)


def test_nothing_changed_is_worth_nothing():
    for stroke in FRAME_KINDS["racket"].strokes:
        change = stroke_change(FRAME, FRAME, TERN, stroke, 100)
        assert (change.worth.gain_kmh, change.worth.band_kmh, change.worth.later) == (0.0, 0.0, 0.0)
        assert change.before == change.after
    in_hand = stroke_change(FRAME, FRAME + IN_HAND, TERN, SERVE, 100)
    assert abs(in_hand.worth.gain_kmh) < 0.5
