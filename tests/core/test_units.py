"""What people write is read as they mean it, and shown back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core import units
from kentrobar.core.errors import Unreadable
from kentrobar.core.units import (
    fixed,
    read_balance,
    read_clock,
    read_inertia,
    read_length,
    read_mass,
)


@pytest.mark.parametrize(
    ("reader", "text", "value"),
    [
        (read_mass, "11.3 oz", 320.35),
        (read_mass, "320 g", 320),
        (read_mass, "320", 320),
        (read_mass, " 11,3 OZ ", 320.35),
        (read_mass, "8 1/4 ounces", 233.884),
        (read_mass, "0.3 kg", 300),
        (read_mass, "-5.5 g", -5.5),
        (read_mass, "−5.5", -5.5),
        (read_length, "32.4 cm", 324),
        (read_length, "12 7/8 in", 327.025),
        (read_length, '12 7/8"', 327.025),
        (read_length, "12⅞ in", 327.025),
        (read_length, "27in", 685.8),
        (read_length, "685,8", 685.8),
        (read_length, ".5 in", 12.7),
        (read_inertia, "320", 320),
        (read_inertia, "320 kg·cm²", 320),
        (read_inertia, "320 kgcm2", 320),
        (read_inertia, "0.032 kg m2", 320),
        (lambda text: read_balance(text, 685.8), "6 pts HL", 323.85),
        (lambda text: read_balance(text, 685.8), "3 HH", 352.425),
        (lambda text: read_balance(text, 685.8), "6 points head-light", 323.85),
        (lambda text: read_balance(text, 685.8), "even", 342.9),
        (lambda text: read_balance(text, 685.8), "32.4 cm", 324),
        (lambda text: read_balance(text, 406), "56 %", 227.36),
        (lambda text: read_balance(text, 685.8, "pt"), "6", 323.85),
    ],
)
def test_read_as_people_write_it(reader, text, value):
    assert reader(text).value == pytest.approx(value, abs=0.005)


def test_the_uncertainty_the_unit_and_the_text_are_kept():
    typed = read_mass("11.3 ± 0.1 oz")
    assert (typed.unit, typed.text) == ("oz", "11.3 ± 0.1 oz")
    assert typed.u == pytest.approx(2.835, abs=0.001)
    assert read_balance("6 ± 0.5 pts HL", 685.8).u == pytest.approx(0.5 * 3.175)


@pytest.mark.parametrize(
    ("reader", "text", "says"),
    [
        (read_mass, "heavy", "is not a mass"),
        (read_mass, "320 mm", "mm is not a unit for a mass"),
        (read_mass, "", "Write a mass"),
        (read_length, "12 7/0 in", "over 0"),
        (read_length, "1.2.3 cm", "is not a length"),
        (read_length, "12 13 mm", "two numbers"),
        (read_length, "9" * 40, "is not a length"),
        (lambda text: read_balance(text, 685.8), "6 pts", "head-light or head-heavy"),
    ],
)
def test_what_cannot_be_read_says_what_to_write(reader, text, says):
    with pytest.raises(Unreadable, match=says):
        reader(text)


@given(st.text(max_size=30))
def test_any_text_is_read_or_refused_in_words(text):
    for reader in (
        read_mass,
        read_length,
        read_inertia,
        lambda t: read_balance(t, 686),
        read_clock,
    ):
        try:
            reader(text)
        except Unreadable as error:
            assert str(error)  # noqa: PT017


@pytest.mark.parametrize(
    ("text", "hour"), [("3", 3), ("2:30", 2.5), ("12 o’clock", 12), ("0", 12), ("2.25", 2.25)]
)
def test_clock(text, hour):
    assert read_clock(text) == pytest.approx(hour)


@pytest.mark.parametrize("text", ["13", "2:75", "tea", "-1"])
def test_no_such_hour(text):
    with pytest.raises(Unreadable):
        read_clock(text)


def test_shown():
    assert fixed(-0.04, 1) == "0.0"
    assert fixed(-4.66, 1, signed=True) == "−4.7"
    assert fixed(1.04, 1, signed=True) == "+1.0"
    assert units.show_mass(320, "oz") == "11.29"
    assert units.show_points(323.85, 685.8) == "6.0 pt head-light"
    assert units.show_points(352.425, 685.8) == "3.0 pt head-heavy"
    assert units.show_percent(227.36, 406) == "56.0 % of length"
