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
        if outline.is_strung or not known.strung_only:
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


def slips(given, axis=None, earlier=READ, parts=ON_IT):
    """(code, figures) of the slip of each doubt; None where nothing explains it."""
    return [
        doubt.slip and (doubt.slip.code, doubt.slip.message.figures)
        for doubt in disagreements(given, axis, earlier, parts, "on 3 Nov")
    ]


def test_an_agreeing_reading_raises_no_doubt():
    assert slips({"mass_g": 316.5, "balance_mm": 324.0, "swing_kgcm2": 315.5}, 100) == []


def about(axis):
    return {"swing_kgcm2": nominal(READ.body().swing_kgcm2(axis))}


@pytest.mark.parametrize(
    ("given", "axis", "code", "figures"),
    [
        ({"mass_g": 311.3}, None, "part-off", {"part": "overgrip", "mass": 5.5}),
        ({"mass_g": 307.8}, None, "part-off", {"part": "butt cap", "mass": 9}),
        ({"mass_g": 314.8}, None, "part-off", {"part": "handle wrapper", "mass": 2}),
        ({"mass_g": 322.4}, None, "part-twice", {"part": "overgrip", "mass": 5.5}),
        ({"swing_kgcm2": 328.1}, 100, "face-flat", {}),
        (about(50.8), 100, "another-axis", {"axis": 50.8}),
        (about(76), 100, "another-axis", {"axis": 76}),
        ({"mass_g": 361.8}, None, "digits-swapped", {"figure": "mass_g", "meant": 316.8}),
        ({"mass_g": 346.8}, None, "digit-wrong", {"figure": "mass_g", "meant": 316.8}),
    ],
)
def test_the_likely_slip_is_named(given, axis, code, figures):
    assert slips(given, axis) == [(code, figures)]


def test_what_no_slip_explains_is_asked_about():
    given = {"mass_g": 319.9, "balance_mm": 338.0}
    assert slips(given) == [None, None]
    one, _ = disagreements(given, None, READ, ON_IT, "on 3 Nov")
    assert one.text == (
        "Mass 319.9 g is 3.1 above the 316.8 read on 3 Nov. Has something been put on or taken off"
        " since?"
    )


def test_a_part_must_explain_every_figure_given():
    without = converted(AS_READ, 100, OVERGRIP.body(TERN) * -1)
    earlier = READ.__class__(**AS_READ, axis_mm=100)
    plain = {name: nominal(value) for name, value in without.items()}
    off = ("part-off", {"part": "overgrip", "mass": 5.5})
    assert off in slips(plain, 100, earlier)
    further = plain | {"balance_mm": AS_READ["balance_mm"] - 12}
    assert off not in slips(further, 100, earlier)


def test_the_axis_that_fits_is_found_exactly():
    swing = nominal(PADDLE_READ.body().swing_kgcm2(76.2))
    assert axis_that_fits(swing, PADDLE_READ) == pytest.approx(76.2)
    assert axis_that_fits(20, PADDLE_READ) is None
