"""The impossible is refused, the unlikely questioned, the likely slip named."""

from dataclasses import replace

import pytest

from kentrobar.core.frame.plausibility import alone, doubts
from kentrobar.core.numbers import nominal

from .frames import PADDLE_READ, READ, SHOAL, TERN


def judged(**change):
    return doubts(replace(READ, **change), TERN)


def test_ordinary_figures_raise_no_doubt():
    assert doubts(READ, TERN) == []
    assert doubts(PADDLE_READ, SHOAL) == []
    assert doubts(replace(READ, twist_kgcm2=None), TERN) == []


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"mass_g": 0}, "mass_g"),
        ({"balance_mm": 700}, "balance_mm"),
        ({"swing_kgcm2": 158}, "swing_kgcm2"),
        ({"swing_kgcm2": 530}, "swing_kgcm2"),
        ({"twist_kgcm2": 52}, "twist_kgcm2"),
        ({"twist_kgcm2": 0}, "twist_kgcm2"),
    ],
)
def test_the_impossible(change, field):
    found = judged(**change)
    assert [doubt.field for doubt in found] == [field]
    assert found[0].severity == "impossible"


def test_the_bounds_of_the_impossible_are_those_of_mechanics():
    body = READ.body()
    nearly = body.mass * body.balance * (TERN.length_mm - body.balance)
    swing = (nearly + body.swing(100) - body.recoil) / 1e5
    assert judged(swing_kgcm2=swing * 1.001)[0].severity == "impossible"
    assert judged(swing_kgcm2=swing * 0.999)[0].severity == "unlikely"


@pytest.mark.parametrize(
    ("change", "slip"),
    [
        ({"mass_g": 11.17}, "Did you mean 11.17 oz (316.7 g)?"),
        ({"balance_mm": 32.35}, "Did you mean 32.35 cm (323.5 mm)?"),
        ({"balance_mm": 12.74}, "Did you mean 12.74 in"),
        ({"swing_kgcm2": 13.4, "twist_kgcm2": 314.6}, "gone into each other’s box"),
        ({"swing_kgcm2": 3146}, "ten times too large"),
        ({"mass_g": 2316.8}, "A digit may be left over in the mass"),
        ({"swing_kgcm2": 423.1}, "about 50 mm: which axis"),
    ],
)
def test_the_likely_slip_is_named(change, slip):
    found = judged(**change)
    assert found
    assert slip.replace("’", "'") in found[0].text.replace("’", "'")


def test_the_unlikely_is_only_questioned():
    found = judged(mass_g=410, swing_kgcm2=400, balance_mm=330)
    assert {doubt.severity for doubt in found} == {"unlikely"}


@pytest.mark.parametrize(
    ("name", "value", "slip"),
    [
        ("mass_g", 10.8, "ounces"),
        ("mass_g", 3240, "tenfold"),
        ("balance_mm", 6, "points"),
        ("balance_mm", 32.4, "centimetres"),
        ("balance_mm", 12.75, "inches"),
        ("balance_mm", 3184, "tenfold"),
        ("swing_kgcm2", 32.4, "tenfold"),
        ("twist_kgcm2", 134, "tenfold"),
        ("mass_g", 700, None),
    ],
)
def test_one_figure_is_judged_where_nothing_else_is_known(name, value, slip):
    doubt = alone(name, value, 100.0, TERN)
    assert (doubt.field, doubt.severity) == (name, "unlikely")
    assert (doubt.slip.code if doubt.slip else None) == slip


def test_ordinary_figures_alone_raise_no_doubt():
    for name in ("mass_g", "balance_mm", "twist_kgcm2"):
        assert alone(name, nominal(getattr(READ, name)), 100, TERN) is None
    for about in (50, 98, 101.6):
        assert alone("swing_kgcm2", nominal(READ.body().swing_kgcm2(about)), about, TERN) is None
