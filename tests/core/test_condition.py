"""Parts and conditions, and naming what was off when two readings disagree."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.frame.condition import Part, converted, is_on, shifted, total
from kentrobar.core.frame.slips import axis_that_fits, disagreements
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import PARTS, usual_piece

from .frames import PADDLE_READ, READ, SHOAL, TERN, sizes

STRINGS = Part(kind="strings", mass_g=16.5, u_g=0.4)
OVERGRIP = Part(kind="overgrip", mass_g=5.5, u_g=0.3)
DAMPENER = Part(kind="dampener", mass_g=2.4, u_g=0.1)
AS_READ = {"mass_g": 319.8, "balance_mm": 323.0, "swing_kgcm2": 316.0, "twist_kgcm2": 13.5}


def test_the_example_of_the_trade():
    """Bare from as played: the strings', grip's and dampener's doubts come with them."""
    bare = converted(AS_READ, 100, total([STRINGS, OVERGRIP, DAMPENER], TERN) * -1)
    assert nominal(bare["mass_g"]) == pytest.approx(295.4)
    assert uncertainty(bare["mass_g"]) == pytest.approx(math.hypot(0.4, 0.3, 0.1))
    assert nominal(bare["swing_kgcm2"]) == pytest.approx(316 - 29, abs=3)
    assert nominal(bare["balance_mm"]) < 318


@pytest.mark.parametrize("outline", [TERN, SHOAL], ids=["racket", "paddle"])
def test_every_part_has_a_place_on_every_frame_it_serves(outline):
    for kind, known in PARTS.items():
        if outline.kind in known.frames:
            piece = usual_piece(kind, outline, known.grams[1])
            assert not list(piece.faults(outline))
            assert body_of(piece, outline).mass == pytest.approx(known.grams[1])
            assert known.mass_u > 0


@given(
    st.lists(
        st.sampled_from([STRINGS, OVERGRIP, DAMPENER, Part(kind="cap", mass_g=9)]), max_size=4
    ),
    sizes(0, 150),
)
def test_putting_on_and_taking_off_comes_back(parts, axis):
    change = total(parts, TERN)
    there = converted(AS_READ, axis, change)
    back = converted(there, axis, change * -1)
    for name, value in AS_READ.items():
        assert nominal(back[name]) == pytest.approx(value, rel=1e-9)


def test_what_cannot_be_converted_is_left_out():
    change = total([OVERGRIP], TERN)
    assert converted({"balance_mm": 320}, None, change) == {}
    assert set(converted({"swing_kgcm2": 310}, 100, change)) == {"swing_kgcm2"}


@given(sizes(-50, 50))
def test_shifting_a_body_moves_its_balance_and_keeps_its_recoil(by):
    body = READ.body()
    moved = shifted(body, by)
    assert moved.balance == pytest.approx(body.balance + by)
    assert moved.recoil == pytest.approx(body.recoil, rel=1e-6)


def test_named_conditions_nest():
    on = {
        name: {kind for kind in PARTS if is_on(kind, name)}
        for name in ("bare", "strung", "as-played")
    }
    assert on["bare"] < on["strung"] < on["as-played"] == set(PARTS)
    assert "strings" in on["strung"] - on["bare"]


# --- slips ---------------------------------------------------------------------------------------

ON_IT = {
    "overgrip": OVERGRIP.body(TERN),
    "butt cap": Part(kind="cap", mass_g=9).body(TERN),
    "handle wrapper": Part(kind="wrapper", mass_g=2).body(TERN),
}


def said(given, axis=None, earlier=READ, parts=ON_IT):
    return " ".join(doubt.text for doubt in disagreements(given, axis, earlier, parts, "on 3 Nov"))


def test_an_agreeing_reading_raises_no_doubt():
    assert said({"mass_g": 316.5, "balance_mm": 324.0, "swing_kgcm2": 315.5}, 100) == ""


@pytest.mark.parametrize(
    ("given", "axis", "words"),
    [
        (
            {"mass_g": 311.3},
            None,
            "below the 316.8 read on 3 Nov. As if without its overgrip (5.5 g).",
        ),
        ({"mass_g": 307.8}, None, "As if without its butt cap (9 g)."),
        ({"mass_g": 314.8}, None, "As if without its handle wrapper (2 g)."),
        ({"mass_g": 322.4}, None, "As if with a second overgrip"),
        ({"swing_kgcm2": 328.1}, 100, "as if clamped face-flat"),
        ({"swing_kgcm2": nominal(READ.body().swing_kgcm2(50.8))}, 100, "about 50.8 mm: which axis"),
        ({"swing_kgcm2": nominal(READ.body().swing_kgcm2(76))}, 100, "about 76 mm: which axis"),
        ({"mass_g": 361.8}, None, "Two digits may have changed places: 316.8 g would fit."),
        ({"mass_g": 346.8}, None, "One digit may be wrong: 316.8 g would fit."),
        (
            {"mass_g": 319.9, "balance_mm": 338.0},
            None,
            "Has something been put on or taken off since?",
        ),
    ],
)
def test_the_likely_slip_is_named(given, axis, words):
    assert words in said(given, axis)


def test_a_part_must_explain_every_figure_given():
    without = converted(AS_READ, 100, OVERGRIP.body(TERN) * -1)
    earlier = READ.__class__(**AS_READ, axis_mm=100)
    plain = {name: nominal(value) for name, value in without.items()}
    assert "without its overgrip" in said(plain, 100, earlier)
    assert "without its overgrip" not in said(
        plain | {"balance_mm": AS_READ["balance_mm"] - 12}, 100, earlier
    )


def test_the_axis_that_fits_is_found_exactly():
    swing = nominal(PADDLE_READ.body().swing_kgcm2(76.2))
    assert axis_that_fits(swing, PADDLE_READ) == pytest.approx(76.2)
    assert axis_that_fits(20, PADDLE_READ) is None
