"""Weeks, blind trials and tables: laws by Hypothesis, cases by hand, slips at the border."""

import contextlib
from datetime import date, timedelta
from fractions import Fraction
from itertools import product
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.bench.blind import as_uneven, at_least, drawn, right_answers, verdict
from kentrobar.core.bench.schedule import MINUTES, Load, estimate, week
from kentrobar.core.errors import UnreadableError
from kentrobar.core.io.tables import read, write

MONDAY = date(2026, 11, 23)


def load(key, minutes, due, ready=0):
    return Load(key, minutes, MONDAY + timedelta(days=ready), MONDAY + timedelta(days=due))


# --- the week -------------------------------------------------------------------------------------


def test_what_is_due_first_is_done_first_and_sunday_is_free():
    days = week([load("late", 60, -2), load("a", 200, 1), load("b", 300, 6)], 240, MONDAY)
    assert [one.work for one in days[:3]] == [
        [("late", 60), ("a", 180)],
        [("a", 20), ("b", 220)],
        [("b", 80)],
    ]
    assert days[6].capacity == 0
    assert not any(one.is_over for one in days)


def test_an_overfull_day_is_told_before_it_is_promised():
    assert not any(day.is_over for day in week([load("a", 400, 1)], 240, MONDAY))
    days = week([load("a", 400, 1), load("new", 100, 1)], 240, MONDAY)
    assert (days[1].is_over, days[1].over) == (True, 20)
    # What waits cannot be begun, however much room there was before.
    assert week([load("a", 100, 1, ready=2)], 240, MONDAY)[1].over == 100


@given(
    st.lists(st.tuples(st.floats(1, 600), st.integers(-3, 9), st.integers(0, 6)), max_size=8),
    st.integers(60, 480),
)
def test_no_minute_is_lost_and_no_day_holds_more_than_it_can(jobs, capacity):
    loads = [load(str(i), minutes, due, ready) for i, (minutes, due, ready) in enumerate(jobs)]
    days = week(loads, capacity, MONDAY, 14)
    assert all(day.minutes <= day.capacity + 1e-6 for day in days)
    done = sum(day.minutes for day in days) + sum(day.over for day in days)
    assert done == pytest.approx(sum(one.minutes for one in loads))


def test_estimates_follow_what_things_took_here():
    assert estimate("trial", []) == MINUTES["trial"]
    assert MINUTES["trial"] < estimate("trial", [60, 60, 60]) < 60
    assert estimate("trial", [60] * 50) == pytest.approx(60, abs=2)


# --- blind ----------------------------------------------------------------------------------------


@given(st.integers(0, 40), st.integers(0, 2**32))
def test_an_order_is_even_and_drawn(rounds, seed):
    order = drawn(rounds, Random(seed))
    assert len(order) == rounds
    assert abs(order.count("A") - order.count("B")) <= 1


@pytest.mark.parametrize("rounds", [1, 4, 7])
def test_the_chance_is_that_of_counting_every_way_to_guess(rounds):
    for right in range(rounds + 1):
        ways = [sum(guess) for guess in product((0, 1), repeat=rounds)]
        exact = Fraction(sum(one >= right for one in ways), len(ways))
        assert at_least(right, rounds) == pytest.approx(float(exact))
        uneven = Fraction(
            sum(max(one, rounds - one) >= max(right, rounds - right) for one in ways), len(ways)
        )
        assert as_uneven(right, rounds) == pytest.approx(float(uneven))


def test_twelve_rounds_can_tell():
    assert at_least(10, 12) == pytest.approx(79 / 4096)
    assert [verdict(at_least(n, 12)).code for n in (10, 8, 6)] == [
        "hardly-chance",
        "perhaps",
        "guessing",
    ]
    assert right_answers("AABB", "ABBB") == 3


# --- tables ---------------------------------------------------------------------------------------


def test_tables_as_people_keep_them():
    text = (
        "\ufeffName;Serial;Condition;Mass (oz);Balance cm;swing kgcm²;Axis [in];measured on\nTern"
        " 98;no. 1;strung;11,2;32,4;314,6;4;14.3.2026\n;;;;;;;\nTern 98;no."
        " 2;;1.134,5;;;;2026-3-15\n"
    )
    first, second = read(text)
    assert first.texts == {"name": "Tern 98", "serial": "no. 1", "condition": "strung"}
    assert first.figures == {
        "mass_g": pytest.approx(11.2 * 28.349523125),
        "balance_mm": pytest.approx(324),
        "swing_kgcm2": 314.6,
        "axis_mm": pytest.approx(101.6),
    }
    assert (first.measured_on, first.faults) == (date(2026, 3, 14), ())
    assert (second.line, second.figures["mass_g"]) == (4, pytest.approx(1134.5 * 28.349523125))


@pytest.mark.parametrize(
    ("cells", "words"),
    [
        ("Tern,heavy,", "“heavy” is no number"),
        (",320,", "name is empty"),
        ("Tern,320,31.2.2026", "no day of the"),
        ("Tern,320,spring", "is no day"),
        ("Tern,320,,,", "5 cells under 3 columns"),
        ("Tern,nan,", "is no number"),
        ("Tern,1e300,", "is no number"),
    ],
)
def test_a_faulty_row_says_what_is_wrong_with_it(cells, words):
    (row,) = read(f"name,mass_g,measured_on\n{cells}\n")
    assert any(words in fault for fault in row.faults)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("mass_g\n3", "No column is called name"),
        ("name,colour\nx,y", "colour is not known"),
        ("name,mass_g,mass g\na,1,2", "Two columns"),
    ],
)
def test_a_table_that_cannot_be_read_says_why(text, words):
    with pytest.raises(UnreadableError, match=words):
        read(text)


names = st.text("abc ;,\"'=é", min_size=1).filter(
    lambda text: text == text.strip() and text[0] != "'"
)
frames = st.fixed_dictionaries({"name": names}, optional={"mass_g": st.floats(1, 999)})


@given(st.lists(frames, min_size=1))
def test_what_is_written_is_read_again(rows):
    again = read(write(rows))
    assert [row.texts["name"] for row in again] == [row["name"] for row in rows]
    for row, one in zip(rows, again, strict=True):
        assert one.figures.get("mass_g") == (
            pytest.approx(row["mass_g"], rel=1e-8) if "mass_g" in row else None
        )
        assert not one.faults


@given(st.text(max_size=400))
def test_no_table_breaks_the_reader(text):
    with contextlib.suppress(UnreadableError):
        read("name,mass_g\n" + text)
