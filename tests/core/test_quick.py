"""The quick answer: the same grams at every place, with what nobody read carried as ±."""

import pytest

from kentrobar.core.frame.typical import typical
from kentrobar.core.numbers import nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import NOTHING
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.quick import next_reading, quick_set_ups

from .frames import SHOAL, TERN

MASS = {"mass_g": ufloat(300.0, 0.3, "mass_g")}
WHOLE = MASS | {
    "balance_mm": ufloat(325.0, 0.3), "swing_kgcm2": ufloat(300.0, 0.4),
    "twist_kgcm2": ufloat(13.0, 0.06),
}  # fmt: skip


def set_ups(known=MASS, outline=TERN, grams=5.0, wanted=None):
    return quick_set_ups(outline, typical(outline, known, 100), 100, grams, wanted)


@pytest.mark.parametrize(
    ("outline", "keys"),
    [
        (TERN, ["tip", "shoulders", "sides", "throat", "handle", "tip-handle", "sides-shoulders"]),
        (
            SHOAL,
            [
                "tip",
                "high-corners",
                "sides",
                "low-corners",
                "handle",
                "tip-handle",
                "high-corners-low-corners",
            ],
        ),
    ],
)
def test_every_place_takes_about_the_grams_and_tells_what_they_do(outline, keys):
    found = set_ups(outline=outline)
    assert [one.key for one in found] == keys
    before = typical(outline, MASS, 100)
    for one in found:
        put_on = sum((body_of(piece, outline) for piece in one.pieces), NOTHING)
        assert put_on.mass == pytest.approx(5.0, abs=0.45)
        assert nominal(one.change["mass_g"]) == pytest.approx(put_on.mass)
        assert nominal(one.change["swing_kgcm2"]) == pytest.approx(put_on.swing_kgcm2(100))
        after = nominal(before.swing_kgcm2) + put_on.swing_kgcm2(100)
        assert nominal(one.after["swing_kgcm2"]) == pytest.approx(after)
    shared = next(one for one in found if one.key == "tip-handle")
    assert [piece.mass_g for piece in shared.pieces] == pytest.approx([2.5, 2.5], abs=0.15)


def test_what_is_assumed_is_carried_as_its_uncertainty():
    assumed, read = set_ups()[0], set_ups(WHOLE)[0]
    assert uncertainty(assumed.after["swing_kgcm2"]) > 12
    assert uncertainty(read.after["swing_kgcm2"]) < 1
    adds = uncertainty(assumed.change["swing_kgcm2"]) or 0
    assert adds < 1, "what tape adds is known all the same"


def test_the_easiest_reading_that_halves_it_is_named():
    found = next_reading(TERN, MASS, 100, set_ups()[0])
    assert (found.figure, round(found.u_now), round(found.u_then, 1)) == ("balance_mm", 13, 5.6)
    beside = MASS | {"balance_mm": WHOLE["balance_mm"]}
    assert next_reading(TERN, beside, 100, set_ups(beside)[0]).figure == "swing_kgcm2"
    assert next_reading(TERN, WHOLE, 100, set_ups(WHOLE)[0]) is None


@pytest.mark.parametrize(
    ("word", "first"),
    [("twists", "sides"), ("whippy", "handle"), ("steadier", "sides"), ("spot", "tip")],
)
def test_what_serves_the_words_best_stands_first(word, first):
    found = set_ups(wanted=WISHES[word])
    assert found[0].key == first
    assert [one.score for one in found] == sorted((one.score for one in found), reverse=True)
