"""What people write is read as they mean it, and shown back."""

import math
from functools import partial

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from kentrobar.core import units
from kentrobar.core.errors import UnreadableError
from kentrobar.core.io.wishes import read_goal, say_goal
from kentrobar.core.numbers import digit_step
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import (
    Reader,
    fixed,
    in_points,
    length_text,
    percent_of_length,
    read_by,
)
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.units import (
    read_balance,
    read_clock,
    read_inertia,
    read_length,
    read_mass,
    read_repeats,
)
from kentrobar.core.words.amounts import Amount, mass_number
from kentrobar.core.written import with_unit


@pytest.mark.parametrize(
    ("reader", "text", "value"),
    [
        (read_mass, "11.3 oz", 320.35),
        (read_mass, "320 g", 320),
        (read_mass, "320", 320),
        (read_mass, " 11,3 OZ ", 320.35),
        (read_mass, "8 1/4 ounces", 233.884),
        (read_mass, "0.3 kg", 300),
        (read_mass, "1 lb 3 oz", 19 * 28.349523125),
        (read_mass, "1 lb 3.5 oz", 19.5 * 28.349523125),
        (read_length, "6 ft", 1828.8),
        (read_length, "6 ft 2 in", 1879.6),
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
        (read_mass, "10 g ±", "behind ± stands one number"),
        (read_mass, "320 g ± 3 mm", "two units"),
        (read_mass, "3 oz 1 lb", "is not a unit for a mass"),
        (read_mass, "320 ± 1/2", "behind ± stands one number"),
        (lambda text: read_balance(text, 685.8), "6 pts", "head-light or head-heavy"),
    ],
)
def test_what_cannot_be_read_says_what_to_write(reader, text, says):
    with pytest.raises(UnreadableError, match=says):
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
        except UnreadableError as error:
            assert str(error)  # noqa: PT017


@pytest.mark.parametrize(
    ("text", "hour"), [("3", 3), ("2:30", 2.5), ("12 o’clock", 12), ("0", 12), ("2.25", 2.25)]
)
def test_clock(text, hour):
    assert read_clock(text) == pytest.approx(hour)


@pytest.mark.parametrize("text", ["13", "2:75", "tea", "-1"])
def test_no_such_hour(text):
    with pytest.raises(UnreadableError):
        read_clock(text)


def test_shown():
    assert fixed(-0.04, 1) == "0.0"
    assert fixed(-4.66, 1, signed=True) == "−4.7"
    assert fixed(1.04, 1, signed=True) == "+1.0"
    with read_by(Reader(mass="oz")):
        assert mass_number(320) == "11.29"
    assert in_points(323.85, 685.8) == "6.0 pt head-light"
    assert in_points(352.425, 685.8) == "3.0 pt head-heavy"
    assert percent_of_length(227.36, 406) == "56.0 % of length"


# --- what the last digit leaves open -------------------------------------------------------------


@pytest.mark.parametrize(
    ("typed", "u"),
    [
        (read_mass("324"), 0.289), (read_mass("324.7"), 0.0289), (read_mass("8.0 oz"), 0.818),
        (read_length("32.9 cm"), 0.289), (read_length("12 7/8 in"), 0.458),
        (read_length("12 1/2 in"), 0.458),
        (read_balance("6.5 pts HL", 686), 0.458), (read_balance("7 pts HL", 686), 0.917),
        (read_balance("56 %", 686), 1.980), (read_inertia("320"), 0.289),
        (read_mass("324 ± 0.1"), 0.1), (read_mass("324 ± 0"), 0.0),
        (read_length("32.4 cm ± 1 mm"), 1.0), (read_mass("11 oz ± 1 g"), 1.0),
        (read_mass("1 lb 3.0 oz"), 0.818),
    ],
)  # fmt: skip
def test_a_figure_is_never_surer_than_its_last_digit(typed, u):
    assert typed.read_u() == pytest.approx(u, abs=0.001)
    assert typed.read_u(usual=5.0) == (5.0 if typed.u is None else typed.u)


@given(st.decimals(1, 900, allow_nan=False, allow_infinity=False, places=2), st.integers(0, 2))
def test_the_last_digit_written_is_what_it_is_as_sure_as(value, places):
    text = f"{value:.{places}f}"
    assume(float(text) > 0)
    typed = read_mass(text)
    assert typed.read_u() == pytest.approx(10.0**-places / math.sqrt(12))
    # And a number in a document is as fine as it is shortest written.
    assert digit_step(float(text)) >= 10.0**-places - 1e-12


@pytest.mark.parametrize("text", ["306 305 305", "306; 305; 305", "306, 305, 305"])
def test_repeats_are_read_wherever_one_figure_is(text):
    typed = read_repeats(text, read_mass)
    assert (typed.count, typed.value) == (3, pytest.approx(916 / 3))
    assert (typed.u, typed.step, typed.values) == (None, 1.0, (306.0, 305.0, 305.0))
    # s/√3 of 306, 305, 305 is 1/3, beside what the last digit or a usual weighing leaves open.
    assert typed.read_u() == pytest.approx(math.hypot(1 / 3, 1 / math.sqrt(12)))
    assert typed.read_u(usual=0.5) == pytest.approx(math.hypot(1 / 3, 0.5))


def test_repeats_in_mixed_units_and_with_their_own_u():
    for row in ("306 305 305 g", "306g 305g 305g", "306 g 305 g 305 g", "306 g, 305 305 g"):
        assert read_repeats(row, read_mass).value == pytest.approx(916 / 3), row
    assert read_repeats("1 lb 3 oz", read_mass).count == 1
    mixed = read_repeats("10.8 oz; 306.2 g", read_mass)
    assert mixed.value == pytest.approx((10.8 * 28.349523125 + 306.2) / 2)
    paired = read_repeats("306 ± 0.4; 306 ± 0.3", read_mass)
    assert paired.u == pytest.approx(0.25)
    assert read_repeats("12 7/8 in", read_length).count == 1
    with pytest.raises(UnreadableError, match="Write"):
        read_repeats("", read_mass)


# --- one language of quantities ------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "mm", "u"),
    [
        ("HL 6", 343 - 19.05, None), ("hh 2", 343 + 6.35, None),
        ("5-6 pts HH", 343 + 5.5 * 3.175, 0.5 * 3.175), ("7 pts HL", 343 - 22.225, None),
        ("head-light 6 pts", 343 - 19.05, None),
    ],
)  # fmt: skip
def test_balances_as_people_say_them(text, mm, u):
    typed = read_balance(text, 686)
    assert typed.value == pytest.approx(mm)
    assert typed.u == (None if u is None else pytest.approx(u))


def test_a_time_by_a_count():
    typed = units.read_seconds("23.52/17")
    assert typed.value == pytest.approx(23.52 / 17)
    assert typed.step == pytest.approx(0.01 / 17)
    assert units.read_seconds("23,52 s / 17").value == pytest.approx(23.52 / 17)


IN_POINTS = Reader(balance="pt")


@pytest.mark.parametrize(
    ("figure", "text", "who", "change"),
    [
        ("balance_mm", "+3 pts", Reader(), -9.525), ("balance_mm", "-3", IN_POINTS, 9.525),
        ("balance_mm", "+2 pts HH ± 1", Reader(), 6.35),
        ("balance_mm", "-3", Reader(), -3),
        ("balance_mm", "-3 mm", IN_POINTS, -3), ("swing_kgcm2", "+10 %", Reader(), 32.0),
        ("balance_mm", "+2 %", Reader(), 13.72), ("mass_g", "-1,5 %", Reader(), -4.8),
    ],
)  # fmt: skip
def test_changes_as_people_say_them(figure, text, who, change):
    with read_by(who):
        goal = read_goal(figure, text, 686, 100, None, 320.0)
        assert goal.change == pytest.approx(change)
        again = say_goal(figure, goal, 100)
        assert read_goal(figure, again, 686, 100, None).change == pytest.approx(change, abs=0.06)


def test_tolerances_beside_changes_are_lengths_and_grams():
    for text, who, tol in (
        ("+10 % ± 2", Reader(), 2), ("keep ± 1", IN_POINTS, 1),
        ("-3 pts ± 1", IN_POINTS, 3.175),
    ):  # fmt: skip
        figure = "balance_mm" if "%" not in text else "swing_kgcm2"
        with read_by(who):
            assert read_goal(figure, text, 686, 100, None, 320.0).tol == pytest.approx(tol)


def test_what_no_frame_comes_to_is_said_in_the_unit_it_was_read_in():
    with (
        read_by(Reader(mass="oz")),
        pytest.raises(UnreadableError, match=r"^326 oz cannot be reached"),
    ):
        read_goal("mass_g", "326", 686, 100, None, 320.0)


def test_a_share_of_what_nobody_read_is_asked_about():
    with pytest.raises(UnreadableError, match="not measured"):
        read_goal("twist_kgcm2", "+10 %", 686, 100, None, None)
    assert read_goal("twist_kgcm2", "+0.5", 686, 100, None, None).change == 0.5


# --- what is printed is read back -----------------------------------------------------------------

LENGTH_MM = 686.0
balances = st.floats(100, 600)


@given(st.floats(0.5, 900), st.sampled_from(sorted(units.MASS)))
def test_a_mass_that_is_printed_is_read_back(grams, unit):
    with read_by(Reader(mass=unit)):
        text = Amount("mass_g", grams).told()
    last = 10.0 ** -len(text.split()[0].partition(".")[2]) * units.MASS[unit]
    assert units.read_mass(text).value == pytest.approx(grams, abs=last / 2 + 1e-9)


@given(st.floats(0.5, 900), st.sampled_from(sorted(units.LENGTH)))
def test_a_length_that_is_printed_is_read_back(mm, unit):
    with read_by(Reader(length=unit)):
        text = length_text(mm)
    last = 10.0 ** -len(text.split()[0].partition(".")[2]) * units.LENGTH[unit]
    assert units.read_length(text).value == pytest.approx(mm, abs=last / 2 + 1e-9)


@given(balances)
def test_a_balance_that_is_printed_in_points_or_percent_is_read_back(mm):
    points = units.read_balance(in_points(mm, LENGTH_MM), LENGTH_MM)
    assert points.value == pytest.approx(mm, abs=0.05 * units.POINT_MM + 1e-9)
    percent = units.read_balance(percent_of_length(mm, LENGTH_MM), LENGTH_MM)
    assert percent.value == pytest.approx(mm, abs=0.0005 * LENGTH_MM + 1e-9)


@given(
    st.sampled_from(sorted(FIGURES)),
    st.sampled_from(["g", "oz"]),
    st.sampled_from(["mm", "cm", "in"]),
    st.sampled_from(["length", "pt", "%"]),
    st.floats(120, 600),
    st.floats(-9, 9),
    st.sampled_from([0.2, 0.5, 1.0, 2.5]),
    st.sampled_from([50.0, 98.0, 100.0, 101.6]),
    st.booleans(),
)
def test_a_wish_that_is_printed_is_read_back(
    figure, mass, length, balance, value, change, tol, axis, is_change
):
    about = axis if figure == "swing_kgcm2" else None
    goal = (
        Goal(change=round(change, 6), tol=tol, axis_mm=about)
        if is_change
        else Goal(value=value, tol=tol, axis_mm=about)
    )
    with read_by(Reader(mass, length, balance)):
        text = say_goal(figure, goal, 100.0)
        again = read_goal(figure, text, LENGTH_MM, 100.0, None, value)
    factor = {"mass_g": units.MASS[mass], "balance_mm": units.LENGTH[length]}.get(figure, 1.0)
    off = 0.5 * factor * 10.0 ** -FIGURES[figure].places
    for name in ("value", "change"):
        was, now = getattr(goal, name), getattr(again, name)
        assert (was is None) == (now is None)
        assert was is None or now == pytest.approx(was, abs=off + 1e-6)
    assert again.tol == pytest.approx(tol, abs=off)
    assert again.axis_mm == about


@given(st.integers(0, 10**6), st.floats(1e-3, 1e3))
def test_a_figure_computed_in_two_ways_is_shown_as_one(tens, by):
    half = tens / 10 + 0.05
    shown = f"{tens // 10}.{tens % 10 + 1}" if tens % 10 < 9 else f"{tens // 10 + 1}.0"
    assert {fixed(half, 1), fixed(half / by * by, 1), fixed(half * by / by, 1)} == {shown}


WRITTEN = st.lists(
    st.sampled_from(
        ["317", "316.9 317", "12 7/8", "12 ⅞", "11.3 ± 0.1", "-4", "6,5", "320 g", "5 in", "7 HL"]
    ),
    min_size=1, max_size=3,
).map("; ".join)  # fmt: skip
READERS = {
    units.read_mass: ("g", "oz", "kg"),
    units.read_length: ("mm", "cm", "in"),
    partial(units.read_balance, length_mm=685): ("mm", "in", "pt", "%"),
}


@given(WRITTEN, st.sampled_from(sorted(READERS, key=str)), st.data())
def test_a_text_with_its_unit_means_the_same_whatever_bare_numbers_are(text, reader, data):
    was, now = (data.draw(st.sampled_from(READERS[reader])) for _ in range(2))
    try:
        meant = units.read_many(text, partial(reader, default=was))
    except UnreadableError:
        return
    found = units.read_many(with_unit(text, was), partial(reader, default=now))
    assert [(one.value, one.u) for one in found] == [(one.value, one.u) for one in meant]
