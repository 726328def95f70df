"""A wish as customers put it: a table of sentences and what they mean, worked out by hand before
the code."""

from functools import partial
from pathlib import Path

import pytest

from kentrobar.core.errors import UnreadableError
from kentrobar.core.io.places import read_places
from kentrobar.core.io.said import FEELINGS, hear
from kentrobar.core.io.wishes import read_goal
from kentrobar.core.pieces.sites import Access
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.usual import usual_sites
from kentrobar.core.units import (
    read_axis,
    read_balance,
    read_clock,
    read_hole,
    read_inertia,
    read_length,
    read_mass,
    read_repeats,
    set_length,
)

from .frames import SHOAL, TERN

NOW = {
    "mass_g": 320.0, "balance_mm": 325.0, "swing_kgcm2": 315.0, "twist_kgcm2": 13.0,
    "recoil_kgcm2": 153.0,
}  # fmt: skip
OTHER = {"no. 07": {"mass_g": 316.8, "balance_mm": 323.5, "swing_kgcm2": 314.6, "twist_kgcm2": 13}}
SAID = Path(__file__).parent / "said"


def rows(name):
    lines = (SAID / name).read_text().splitlines()
    return [
        [part.strip() for part in line.split("|")]
        for line in lines
        if line and not line.startswith("#")
    ]


ROWS, BOXES, PLACES = rows("sentences.txt"), rows("boxes.txt"), rows("places.txt")
READERS = {
    "mass": partial(read_repeats, reader=read_mass), "length": read_length,
    "set": lambda text, default: set_length(read_length(text, default)),
    "axis": partial(read_axis, length_mm=685.0),
    "balance": lambda text, default: read_repeats(
        text, partial(read_balance, length_mm=685.0, default=default)
    ),
    "inertia": partial(read_repeats, reader=read_inertia), "clock": read_clock, "hole": read_hole,
}  # fmt: skip


def heard(text, now=NOW, axis=100.0):
    return hear(text, now, 685.0, axis, OTHER.get, lambda said: read_places(said, TERN))


def read(text, now=NOW, axis=100.0):
    """The goals of a sentence of which every clause is understood."""
    found = heard(text, now, axis)
    assert not any(one.why for one in found), found
    return {figure: goal for one in found for figure, goal in one.goals.items()}


def meaning(text):
    found = heard(text)
    if any(one.why for one in found):
        return next(({"advice": one.advice[0]} for one in found if one.advice), "ask")
    if any(one.sites or one.is_hidden for one in found):
        at = [key for one in found for key in one.sites]
        return "at " + " ".join(at) if at else "hidden"
    goals = read(text)
    return {
        name.partition("_")[0]: ("=", goal.value) if goal.value is not None else ("±", goal.change)
        for name, goal in goals.items()
    }


def wanted(text):
    if text in ("ask", "hidden") or text.startswith("at "):
        return text
    found = {}
    for part in text.split("; "):
        figure, *rest = part.split()
        if figure == "advice":
            return {"advice": rest[0]}
        sign = -1 if rest[0] == "−" else 1
        how = "=" if rest[0] == "=" else "±"
        found[figure] = how, pytest.approx(sign * float(rest[-1]), abs=0.006)
    return found


@pytest.mark.parametrize(("text", "said"), ROWS, ids=[row[0] for row in ROWS])
def test_what_customers_say(text, said):
    assert meaning(text) == wanted(said)


def wished(figure, text):
    try:
        goal = read_goal(figure, text, 685.0, 100.0, None, NOW[figure])
    except UnreadableError:
        return "ask"
    return ("=", goal.value) if goal.value is not None else ("±", goal.change)


@pytest.mark.parametrize(("box", "text", "said"), BOXES, ids=[f"{b} {t}" for b, t, _ in BOXES])
def test_what_is_typed_into_boxes(box, text, said):
    box, _, default = box.partition(" ")
    if box == "goal":
        assert wished(default, text) == (said if said == "ask" else wanted(f"x {said}")["x"])
        return
    reader = READERS[box]
    if box == "mass" and default:
        reader = partial(read_repeats, reader=partial(read_mass, default=default))
    elif default:
        reader = partial(reader, default=default)
    if said == "ask":
        with pytest.raises(UnreadableError):
            reader(text)
        return
    found = reader(text)
    value, _, u = said.partition(" ± ")
    assert getattr(found, "value", found) == pytest.approx(float(value), abs=1e-5)
    if u:
        assert found.read_u() == pytest.approx(float(u), abs=1e-5)


HOLES = tuple(20.0 * (hole + 1) for hole in range(20))


def placed(kind, text):
    outline = {"racket": TERN, "paddle": SHOAL}[kind]
    found = read_places(text, outline, Access(holes_mm=HOLES if kind == "racket" else ()))
    told = []
    for key, site in found.items():
        if not key.startswith("said-"):
            told.append(key)
            continue
        usual = {6.35 * round(0.08 * outline.path(site.line).length / 6.35)}
        usual |= {
            one.max_length_mm for one in usual_sites(outline).values() if hasattr(one, "clock")
        }
        length = "…" if site.max_length_mm in usual else f"{site.max_length_mm:g}"
        pair, seen = "pair" if site.mirror else "one", "seen" if site.seen else "hidden"
        told.append(f"{round(site.clock, 2):g} {site.line} {pair} {length} {seen}")
    return "; ".join(told)


@pytest.mark.parametrize(("kind", "text", "where"), PLACES, ids=[f"{k} {t}" for k, t, _ in PLACES])
def test_places_as_people_say_them(kind, text, where):
    if where == "ask":
        with pytest.raises(UnreadableError):
            placed(kind, text)
    else:
        assert placed(kind, text) == where


def test_where_two_things_may_be_meant_both_are_offered_as_they_would_be_said():
    asked, heavier = heard("3 points head light, 5 g heavier")
    assert asked.answers == ("balance 3 points head-light", "3 points more head-light")
    assert heavier.goals["mass_g"].change == 5
    there, by = (read(f"{one}, 5 g heavier") for one in asked.answers)
    assert there["balance_mm"].value == pytest.approx(342.5 - 9.525)
    assert by["balance_mm"].change == pytest.approx(-9.525)
    assert there["mass_g"].change == by["mass_g"].change == 5


def test_a_word_nobody_knows_is_named_with_the_nearest():
    (one,) = heard("swng weight 330")
    assert "“swng”: swing?" in one.why
    for text in ("banana 3", "sw 330 bananas", "5 g heavier yesterday"):
        assert "not understood" in heard(text)[-1].why


def test_every_feeling_is_a_word_of_advice():
    assert FEELINGS.keys() <= WISHES.keys()


def test_a_tolerance_and_an_axis_stay_with_their_figure():
    found = read("sw 330 ± 2 at 101.6 mm, balance 32.2 cm ± 1 mm")
    assert (found["swing_kgcm2"].tol, found["swing_kgcm2"].axis_mm) == (2, 101.6)
    assert found["balance_mm"].tol == 1


def test_what_was_not_read_is_no_share_of_anything():
    bare = {name: NOW[name] for name in ("mass_g", "balance_mm", "swing_kgcm2")}
    assert "not measured" in heard("10 % steadier", bare)[0].why
    assert "read first" in heard("sweet spot 1 cm up", {"swing_kgcm2": 315.0})[0].why
    assert "not measured" in heard("twist 15", bare)[0].why
    assert "twist_kgcm2" not in read("as no. 07", bare)


def test_a_swing_weight_is_meant_about_the_axis_it_is_read_about():
    found = read("no slower, 5 g heavier", axis=50.8)
    assert (found["swing_kgcm2"].axis_mm, found["mass_g"].axis_mm) == (50.8, None)
