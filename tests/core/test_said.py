"""A wish as customers put it, worked out by hand."""

import pytest

from kentrobar.core.errors import UnreadableError
from kentrobar.core.io.said import read_said

NOW = {"mass_g": 320.0, "balance_mm": 325.0, "swing_kgcm2": 315.0, "twist_kgcm2": 13.0}
OTHER = {"no. 07": {"mass_g": 316.8, "balance_mm": 323.5, "swing_kgcm2": 314.6, "twist_kgcm2": 13}}


def goals(text, now=NOW):
    found = read_said(text, now, 685.0, 100.0, lambda name: OTHER.get(name))
    return {
        figure: (
            goal.value and round(goal.value, 2),
            None if goal.change is None else round(goal.change, 3),
        )
        for figure, goal in found.items()
    }


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        # A point is an eighth of an inch; head-light is towards the butt.
        ("3 points more head-light", {"balance_mm": (None, -9.525)}),
        ("2 pts head light", {"balance_mm": (None, -6.35)}),
        ("5 mm less head-light", {"balance_mm": (None, 5.0)}),
        ("½ point", None),
        ("1 cm more head-heavy", {"balance_mm": (None, 10.0)}),
        ("10 % steadier", {"twist_kgcm2": (None, 1.3)}),
        ("2,5 % quicker", {"swing_kgcm2": (None, -7.875)}),
        ("5 g lighter", {"mass_g": (None, -5.0)}),
        ("1 oz heavier", {"mass_g": (None, 28.35)}),
        ("swing weight +6", {"swing_kgcm2": (None, 6.0)}),
        ("Twist weight −0,5", {"twist_kgcm2": (None, -0.5)}),
        ("swing weight 6", None),
        ("make it 325 g, please", {"mass_g": (325.0, None)}),
        ("11.5 oz", {"mass_g": (326.02, None)}),
        ("5 g", None),
        ("about +10 SW", {"swing_kgcm2": (None, 10.0)}),
        ("sw: 330 twist 14,2", {"swing_kgcm2": (330.0, None), "twist_kgcm2": (14.2, None)}),
        ("make it 325g balance 10 pts HL", {"mass_g": (325.0, None), "balance_mm": (310.75, None)}),
        ("10 pts HL", None),
        ("balance 10 pts HL and keep weight", {
            "balance_mm": (310.75, None), "mass_g": (None, 0.0),
        }),
        ("twist weight +10 %", {"twist_kgcm2": (None, 1.3)}),
        ("2 % less swingweight", {"swing_kgcm2": (None, -6.3)}),
        ("recoil same", {"recoil_kgcm2": (None, 0.0)}),
        ("swing weight lots", None),
        ("sw 330, +10 sw", None),
        ("5 g steadier", None),
        # 320 g · 225 mm · 10 mm = 7.2 kg·cm², the balance kept.
        ("sweet spot 1 cm up", {"swing_kgcm2": (None, 7.2), "balance_mm": (None, 0.0)}),
        ("Sweetspot 5 mm lower", {"swing_kgcm2": (None, -3.6), "balance_mm": (None, 0.0)}),
        ("no slower at the net", {"swing_kgcm2": (None, 0.0)}),
        ("as no. 07", {
            "mass_g": (316.8, None), "balance_mm": (323.5, None),
            "swing_kgcm2": (314.6, None), "twist_kgcm2": (13, None),
        }),
        ("like nobody", None),
        ("just as quick and 3 points more head-light.", {
            "swing_kgcm2": (None, 0.0), "balance_mm": (None, -9.525),
        }),
        ("sweet spot 1 cm up, no slower", None),
        ("", None),
        ("green", None),
    ],
)  # fmt: skip
def test_what_customers_say(text, expected):
    if expected is None:
        with pytest.raises(UnreadableError):
            goals(text)
    else:
        assert goals(text) == expected


def test_what_was_not_read_is_no_share_of_anything():
    bare = {name: NOW[name] for name in ("mass_g", "balance_mm", "swing_kgcm2")}
    with pytest.raises(UnreadableError):
        goals("10 % steadier", bare)
    with pytest.raises(UnreadableError):
        goals("sweet spot 1 cm up", {"swing_kgcm2": 315.0})
    with pytest.raises(UnreadableError, match="not measured"):
        goals("twist 15", bare)
    assert "twist_kgcm2" not in goals("as no. 07", bare)


def test_a_swing_weight_is_meant_about_the_axis_it_is_read_about():
    found = read_said("no slower, 5 g heavier", NOW, 685.0, 50.8, lambda name: None)
    assert (found["swing_kgcm2"].axis_mm, found["mass_g"].axis_mm) == (50.8, None)
