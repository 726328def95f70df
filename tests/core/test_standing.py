"""How figures stand among such frames: one order, own frames first, what is demanding."""

from dataclasses import replace

import pytest
from hypothesis import given

from kentrobar.core.frame.standing import OWN_FRAMES, standing

from .frames import PADDLE_READ, READ, SHOAL, TERN, sizes

SWING = "swing_kgcm2"


def stands(body, outline=TERN, axis=100.0, own=None):
    return {one.figure: one for one in standing(outline, body, axis, own)}


@given(sizes(250, 370), sizes(250, 370))
def test_more_swing_weight_never_stands_lower(one, other):
    low, high = sorted((one, other))
    shares = [
        stands(replace(READ, swing_kgcm2=swing).body().plain)[SWING].share for swing in (low, high)
    ]
    assert 0 <= shares[0] <= shares[1] <= 1


def test_a_heavier_frame_is_usually_balanced_nearer_the_hand():
    """At the same balance the heavier one is the more head-heavy among frames of its weight."""
    light, heavy = (
        stands(replace(READ, mass_g=mass).body().plain)["balance_mm"] for mass in (290.0, 340.0)
    )
    assert light.share < heavy.share
    assert "of this weight" in str(light.message)


def test_own_frames_come_first_once_there_are_enough():
    own = [300.0 + i for i in range(OWN_FRAMES)]
    body = replace(READ, swing_kgcm2=303.5).body().plain
    told = stands(body, own={SWING: own})[SWING]
    assert (told.share, str(told.message)) == (
        pytest.approx(0.5), "Swing weight is usual: above 4 of 8 rackets here.",
    )  # fmt: skip
    assert "typically" in str(stands(body, own={SWING: own[:-1]})[SWING].message)


def test_a_paddle_is_called_super_heavy_before_it_is_built():
    heavy = stands(replace(PADDLE_READ, mass_g=262.0).body().plain, SHOAL, 50.0)["mass_g"]
    assert str(heavy.message) == "262 g is super heavy for a paddle."
    assert heavy.is_demanding
    assert not stands(PADDLE_READ.body().plain, SHOAL, 50.0)["mass_g"].is_demanding
