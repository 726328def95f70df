"""Recipes: planted answers are found, brute force agrees, unreachable wishes are explained
truthfully."""

import json
import math
import random
from dataclasses import replace
from unittest import mock

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kentrobar.core.cli import main
from kentrobar.core.errors import DocumentError
from kentrobar.core.frame.condition import shifted
from kentrobar.core.frame.predict import LadenFrame, Measured, predict
from kentrobar.core.io.plans import dump_frame, dump_measured
from kentrobar.core.io.recipes import brief_of, match_document, recipes_document
from kentrobar.core.numbers import nominal, ufloat
from kentrobar.core.pieces.body import KGCM2, NOTHING
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import plain_figures
from kentrobar.core.recipes import usual
from kentrobar.core.recipes.brief import (
    Brief,
    Goal,
    Goals,
    PartSite,
    PlugSite,
    Putty,
    StripSite,
    Tape,
    ThroatSite,
    Weights,
)
from kentrobar.core.recipes.candidates import candidates
from kentrobar.core.recipes.explain import solve
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.join import TooManyStatesError
from kentrobar.core.recipes.match import match
from kentrobar.core.recipes.programme import as_light
from kentrobar.core.recipes.rest import lengthens
from kentrobar.core.recipes.solve import NEARLY, SearchResult

from .frames import PADDLE_READ, READ, SHOAL, TERN
from .plain import cost_of, enumerated

TAPE = Tape(name="quarter-inch tape", g_per_mm=0.0098, step_mm=6.35, max_layers=2)
COARSE = Tape(name="coarse tape", g_per_mm=0.012, step_mm=25.4)
PUTTY = Putty(name="putty", step_g=0.5, max_g=20)
SIDES = StripSite(name="3 & 9", clock=3, mirror=True, line="face", max_length_mm=150)
TIP = StripSite(name="tip", clock=12, line="edge", max_length_mm=150, keep_out_mm=((-8.0, 8.0),))
THROAT = ThroatSite(name="throat", from_mm=240, to_mm=300)
HANDLE = PlugSite(name="handle", from_mm=5, to_mm=40)
DAMPENER = PartSite(name="dampener: leave it off", piece=Point(mass_g=2.4, x_mm=352), less_g=[2.4])
SITES = (SIDES, TIP, HANDLE)
UNSURE = Measured(
    mass_g=ufloat(316.8, 0.1),
    balance_mm=ufloat(323.5, 0.3),
    swing_kgcm2=ufloat(314.6, 0.4),
    axis_mm=100,
    twist_kgcm2=ufloat(13.4, 0.05),
)


def brief(goals, sites=SITES, materials=(TAPE, PUTTY), frame=TERN, measured=READ, **more) -> Brief:
    found = Brief(
        frame=frame, measured=measured, targets=goals, materials=materials, sites=sites, **more
    )
    assert not list(found.faults())
    return found


def goals_from(body, axis, tol=1.0, names=("mass_g", "balance_mm", "swing_kgcm2")) -> Goals:
    figures = plain_figures(body, axis)
    return Goals(**{name: Goal(value=figures[name], tol=tol) for name in names})


def planted(rng, frame, measured, sites, materials):
    """A hidden plan: some way at some sites. Returns (the frame after it, grams)."""
    ways = candidates(frame, materials, sites)
    body, grams = measured.body(), 0.0
    for s in rng.sample(range(len(sites)), rng.randrange(1, len(sites) + 1)):
        way = rng.choice([way for way in ways if way.site == s])
        body, grams = body + way.body, grams + way.body.mass
    return body, grams


@pytest.mark.parametrize("seed", range(12))
def test_a_planted_answer_is_found_with_no_more_than_its_mass(seed):
    rng = random.Random(seed)
    frame, measured = (TERN, READ) if seed % 3 else (SHOAL, PADDLE_READ)
    sites = (
        (SIDES, HANDLE, TIP)
        if seed % 3
        else (
            StripSite(name="sides", clock=3, mirror=True, line="edge", max_length_mm=120),
            StripSite(name="corners", clock=1.2, mirror=True, line="edge", max_length_mm=60),
            PlugSite(name="handle", from_mm=5, to_mm=60),
        )
    )
    body, grams = planted(rng, frame, measured, sites, (TAPE, PUTTY))
    answer = solve(
        brief(goals_from(body, measured.axis_mm, 0.5), sites, frame=frame, measured=measured)
    )
    assert answer.status == "ok"
    best = answer.recipes[0]
    assert best.is_proven
    assert best.least_g <= grams + 1e-6
    assert best.added_g <= grams + max(0.5, 0.1 * grams)
    assert all(abs(miss) <= 0.5 + 1e-9 for miss in best.misses.values())


def test_every_recipe_does_what_it_claims_when_predicted():
    goals = Goals(
        mass_g=Goal(value=326, tol=1),
        balance_mm=Goal(value=321, tol=1),
        swing_kgcm2=Goal(value=325, tol=1),
    )
    answer = solve(brief(goals, (*SITES, THROAT), recipes=6))
    assert len(answer.recipes) > 3
    for recipe in answer.recipes:
        after = predict(LadenFrame(frame=TERN, measured=READ, pieces=recipe.pieces)).after
        assert nominal(after.mass) == pytest.approx(recipe.after.mass)
        assert nominal(after.swing(100)) == pytest.approx(recipe.after.swing(100))
        assert recipe.misses["swing_kgcm2"] == pytest.approx(nominal(after.swing_kgcm2(100)) - 325)
    used = [
        frozenset((piece.site, piece.material) for piece in recipe.pieces)
        for recipe in answer.recipes
    ]
    assert len(set(used)) >= 3


@pytest.mark.parametrize("seed", range(10))
def test_three_cards_are_three_ideas_and_none_weighs_more_for_nothing(seed):
    """Fewer places, surer, or lighter by what a scale tells; no first plus 0.4 g elsewhere."""
    rng = random.Random(seed)
    body, _ = planted(rng, TERN, READ, (SIDES, TIP, HANDLE, THROAT), (TAPE, PUTTY))
    found = solve(brief(goals_from(body, 100, 1.0), (*SITES, THROAT), measured=UNSURE)).recipes
    first, *others = found
    for one in others:
        assert (
            one.moved_g <= first.moved_g - 0.2
            or len(one.pieces) < len(first.pieces)
            or one.sure.chance >= first.sure.chance + 0.1
        )
        assert one.moved_g <= first.moved_g + 0.2 or one.sure.chance >= first.sure.chance + 0.1
    assert min(one.moved_g for one in found) <= first.least_g + 0.2


def test_what_opens_a_wish_is_found_under_a_limit_of_cuts():
    """Two strips of a coarse tape reach nothing; ten of a finer one, which is spare, do."""
    ways = candidates(TERN, (TAPE,), (SIDES,))
    goals = goals_from(READ.body() + next(one for one in ways if one.cuts == 8).body, 100, 0.3)
    few = brief(goals, (SIDES,), (COARSE,), spare_materials=(TAPE,), weights=Weights(most_cuts=2))
    answer = solve(few)
    assert answer.status == "nearest"
    assert [one.name for one in answer.openings if one.kind == "material"] == [TAPE.name]


SMALL_SITES = (
    StripSite(name="3 & 9", clock=3, mirror=True, max_length_mm=102),
    HANDLE,
    StripSite(name="tip", clock=12, line="edge", max_length_mm=102, keep_out_mm=((-8.0, 8.0),)),
    PartSite(name="dampener", piece=Point(mass_g=2.4, x_mm=352), less_g=[2.4]),
)
SMALL_MATERIALS = (COARSE, Putty(name="lumps", step_g=2, max_g=10))


@settings(max_examples=40, deadline=None)
@given(
    st.integers(0, 10_000),
    st.floats(0.4, 2.0),
    st.sampled_from([None, 3.0, 6.0]),
    st.sampled_from([("mass_g", "swing_kgcm2"), ("balance_mm", "swing_kgcm2"), ("twist_kgcm2",)]),
    st.sampled_from([READ, UNSURE]),
)
def test_plain_enumeration_agrees_on_small_cases(seed, tol, most, names, read):
    rng = random.Random(seed)
    body, _ = planted(rng, TERN, READ, SMALL_SITES[:3], SMALL_MATERIALS)
    body = body + NOTHING * rng.uniform(0, 1)
    goals = goals_from(body, 100, tol, names)
    asked = brief(goals, SMALL_SITES, SMALL_MATERIALS, measured=read, max_added_g=most)
    plainly = enumerated(asked)
    answer = solve(asked)
    assert (answer.status == "ok") == (plainly is not None)
    if plainly is not None:
        best, grams, _ = plainly
        near = grams + max(0.5, 0.1 * grams)
        light = [one for one in answer.recipes if one.moved_g <= near]
        # Of all that is found: of three, a surer or the lightest may stand for the cheapest.
        every = [one for one in solve(replace(asked, recipes=9)).recipes if one.moved_g <= near]
        cheapest = min(cost_of(asked, recipe) for recipe in every)
        assert cheapest == pytest.approx(best, abs=1e-6)
        assert all(recipe.least_g == pytest.approx(grams) for recipe in answer.recipes)
        assert light
        # The lightest there is stands among them, unless it is the first with a little less.
        lightest = min(one.moved_g for one in answer.recipes)
        assert lightest == pytest.approx(grams) or 0.9 * answer.recipes[0].moved_g <= grams + 1e-6
        assert answer.recipes[0] in light or answer.recipes[0].sure.chance >= 0.6


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000), st.floats(0.3, 2.0), st.floats(1.0, 4.0), st.booleans())
def test_a_looser_tolerance_never_costs_more_grams(seed, tol, looser, is_weighed_up):
    """The lightest there is never weighs more, and what stands first is as light as it."""
    rng = random.Random(seed)
    body, grams = planted(rng, TERN, READ, SITES, (TAPE, PUTTY))
    read = UNSURE if is_weighed_up else READ
    tight, loose = (
        solve(brief(goals_from(body, 100, one), measured=read)).recipes
        for one in (tol, tol * looser)
    )
    assert tight[0].least_g <= grams + 1e-6
    assert loose[0].least_g <= tight[0].least_g + 1e-6
    for found in (tight, loose):
        assert min(one.moved_g for one in found) <= as_light(found[0].least_g, 0.5)
        # What is heavier stands first only where everything lighter is a gamble.
        likely = [one for one in found if one.sure.chance >= 0.6] or found
        assert found[0].moved_g <= as_light(min(one.moved_g for one in likely), 0.5)
    # Nor by the other search, for more ways than can be gone through.
    with mock.patch("kentrobar.core.recipes.solve.best_by_support", side_effect=TooManyStatesError):
        programmed = solve(brief(goals_from(body, 100, tol), measured=read)).recipes[0]
    assert programmed.least_g == pytest.approx(tight[0].least_g, rel=6e-3, abs=1e-3)


@pytest.mark.parametrize("seed", [1, 2, 4, 7])
def test_the_lightest_of_all_is_among_the_recipes(seed):
    """However much of a gamble, and though a sturdier one of the same sites is as light."""
    body, _ = planted(random.Random(seed), TERN, READ, SITES, (TAPE, PUTTY))
    found = solve(brief(goals_from(body, 100, 1.0), measured=UNSURE)).recipes
    assert min(one.moved_g for one in found) == pytest.approx(found[0].least_g)


def test_of_recipes_about_as_heavy_the_surest_stands_first():
    goals = Goals(swing_kgcm2=Goal(value=322, tol=1), mass_g=Goal(change=6, tol=1))
    found = solve(brief(goals, measured=UNSURE, recipes=3)).recipes
    least = min(recipe.added_g for recipe in found)
    near = [one for one in found if one.added_g <= least + max(0.5, 0.1 * least)]
    assert len(near) > 1
    assert found[0].sure.chance == max(one.sure.chance for one in near)
    alone = solve(brief(goals, measured=UNSURE, recipes=3, weights=Weights(near=0.0))).recipes
    assert {one.added_g for one in alone} == {one.added_g for one in found}


def test_the_programme_agrees_with_going_through_all(monkeypatch):
    """Both searches answer one question: HiGHS is given what is otherwise gone through."""

    def too_many(*_):
        raise TooManyStatesError

    goals = goals_from(READ.body() + candidates(TERN, (COARSE,), (SIDES,))[2].body, 100)
    asked = brief(goals, SMALL_SITES, SMALL_MATERIALS, measured=UNSURE)
    gone_through = solve(asked).recipes
    monkeypatch.setattr("kentrobar.core.recipes.solve.best_by_support", too_many)
    programmed = solve(asked).recipes
    assert cost_of(asked, programmed[0]) == pytest.approx(cost_of(asked, gone_through[0]), rel=6e-3)
    assert all(recipe.is_ok for recipe in programmed)


@pytest.mark.parametrize(
    "goals",
    [
        Goals(mass_g=Goal(value=300, tol=1), swing_kgcm2=Goal(value=330, tol=1)),
        Goals(swing_kgcm2=Goal(value=400, tol=1)),
        Goals(balance_mm=Goal(value=350, tol=1), mass_g=Goal(value=318, tol=1)),
        Goals(recoil_kgcm2=Goal(value=120, tol=1)),
    ],
)
@pytest.mark.parametrize("priority", ["swing", "balance", "inertia"])
def test_an_unreachable_wish_is_explained_and_opened_by_what_is_named(goals, priority):
    asked = brief(goals, priority=priority)
    answer = solve(asked)
    assert answer.status == "nearest"
    assert answer.why.code == "missed"
    nearest = answer.recipes[0]
    wider = {
        name: Goal(value=goal.value, tol=max(goal.tol, abs(nearest.misses[name]) + 1e-3))
        for name, goal in goals.given().items()
    }
    assert solve(brief(Goals(**wider), priority=priority)).status == "ok"


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 10_000))
def test_a_target_widened_by_what_is_named_is_reached_and_by_less_is_not(seed):
    rng = random.Random(seed)
    goals = Goals(
        mass_g=Goal(value=316.8 + rng.uniform(-6, 2), tol=1),
        balance_mm=Goal(value=323.5 + rng.uniform(-8, 8), tol=1),
        swing_kgcm2=Goal(value=314.6 + rng.uniform(-6, 14), tol=1),
    )
    asked = brief(goals, priority=rng.choice(["swing", "balance", "inertia"]))
    answer = solve(asked)
    for opening in answer.openings:
        assert opening.kind == "tolerance"
        goal = goals.given()[opening.name]

        def with_tol(tol, name=opening.name, goal=goal):
            return Goals(**(goals.given() | {name: Goal(value=goal.value, tol=tol)}))

        assert solve(brief(with_tol(opening.to))).status == "ok"
        assert abs(opening.recipe.misses[opening.name]) <= opening.to
        # The named figure is the least, but for the hair that makes it round.
        less = goal.tol + 0.9 * (opening.to - goal.tol) - 0.02
        if opening.name != "balance_mm" and less > goal.tol:
            assert solve(brief(with_tol(less))).status != "ok"


def goals_of(mass, swing):
    return Goals(mass_g=Goal(value=mass, tol=1), swing_kgcm2=Goal(value=swing, tol=1))


GRIP = PartSite(
    name="grip: a lighter one", piece=Sleeve(mass_g=17, from_mm=0, to_mm=190), less_g=[2.0]
)
TRIM = PartSite(
    name="guard: trim",
    piece=Strip(mass_g=12, clock=12, length_mm=114, line="edge"),
    less_g=[1.5],
    last_resort=True,
)


@pytest.mark.parametrize(
    ("goals", "more", "kinds"),
    [
        # Heavier without more swing weight: the handle is what opens it.
        (
            {"mass_g": (321, 1), "swing_kgcm2": (314.8, 0.6)},
            {"sites": (TIP,), "spare_sites": (SIDES, HANDLE)},
            ["site"],
        ),
        (
            {"swing_kgcm2": (317, 0.5)},
            {"sites": (SIDES,), "materials": (PUTTY,), "spare_materials": (TAPE,)},
            ["material"],
        ),
        ({"mass_g": (314.8, 0.5)}, {"spare_sites": (TRIM, GRIP)}, ["part"]),
        ({"mass_g": (315.3, 0.2)}, {"spare_sites": (TRIM,)}, ["last-resort"]),
        ({"mass_g": (313.3, 0.2)}, {"spare_sites": (GRIP, DAMPENER)}, ["together"]),
        ({"swing_kgcm2": (330, 1)}, {"max_added_g": 2.0}, ["limit"]),
        (
            {"mass_g": (313, 1), "swing_kgcm2": (312, 1)},
            {
                "spare_targets": {
                    "too light": goals_of(310, 309),
                    "within reach": goals_of(319, 320),
                }
            },
            ["target"],
        ),
    ],
)
def test_what_would_open_it_does_open_it(goals, more, kinds):
    wanted = Goals(**{name: Goal(value=value, tol=tol) for name, (value, tol) in goals.items()})
    more = {"sites": (SIDES, TIP)} | more
    asked = brief(wanted, **more)
    answer = solve(asked)
    openings = [opening for opening in answer.openings if opening.kind != "tolerance"]
    assert [opening.kind for opening in openings] == kinds
    opening = openings[0]
    after = plain_figures(
        predict(LadenFrame(frame=TERN, measured=READ, pieces=opening.recipe.pieces)).after,
        READ.axis_mm,
    )
    if opening.kind == "target":
        assert opening.name == "within reach"
        wanted = goals_of(319, 320)
    for name, goal in wanted.given().items():
        assert abs(nominal(after[name]) - goal.value) <= goal.tol + 1e-9


def test_what_must_come_off_is_taken_off_parts_that_are_on():
    asked = brief(Goals(mass_g=Goal(value=312.4, tol=0.3)), sites=(SIDES, DAMPENER, GRIP))
    recipe = solve(asked).recipes[0]
    off = {piece.site: piece.mass_g for piece in recipe.pieces if piece.mass_g < 0}
    assert off == {DAMPENER.name: -2.4, GRIP.name: -2.0}
    assert recipe.added_g == pytest.approx(-4.4)


def test_what_is_fitted_stays_out_of_the_way_and_may_come_off():
    lying = Strip(mass_g=2.0, clock=3, length_mm=60, line="face", mirror=True, site="old tape")
    ways = candidates(TERN, (TAPE,), (SIDES,), (lying,))
    path = TERN.path("face")
    three = path.arc_of_clock(3)
    assert ways
    for way in ways:
        for piece in way.pieces:
            away = abs(path.arc_of_clock(piece.clock) - three)
            assert away - piece.length_mm / 2 >= 30 - 1e-6
    asked = brief(Goals(mass_g=Goal(value=314.8, tol=0.1)), fitted=(lying,))
    assert [piece.mass_g for piece in solve(asked).recipes[0].pieces] == [-2.0]


def test_a_foam_filled_handle_takes_strips_and_no_putty():
    foam = PlugSite(name="handle", from_mm=5, to_mm=40, filling="foam")
    ways = candidates(TERN, (TAPE, PUTTY), (foam,))
    assert {way.material for way in ways} == {0}
    assert ways[-1].body.mass == pytest.approx(TAPE.g_per_mm * TAPE.step_mm * int(300 / 6.35))
    assert ways[-1].cuts == 9  # 298 mm in strips as long as the cap is deep


def test_a_search_can_be_watched_and_stopped():
    goals = goals_from(READ.body() + candidates(TERN, (TAPE,), (SIDES,))[9].body, 100)
    told = []

    def watch(progress):
        told.append(progress)
        return not progress.recipes

    answer = solve(brief(goals), watch)
    assert not answer.is_whole
    assert answer.recipes == told[-1].recipes
    assert answer.recipes[0].is_ok
    hurried = solve(brief(goals), lambda progress: False)
    assert (hurried.status, hurried.is_whole, hurried.recipes[0].is_proven) == (
        "nearest",
        False,
        False,
    )
    assert (hurried.why.code, hurried.is_undecided) == ("stopped-early", True)
    nothing = solve(brief(Goals(mass_g=Goal(value=300, tol=1))))
    assert (nothing.status, nothing.is_undecided) == ("nearest", False)


def test_what_was_found_before_the_time_was_up_is_not_called_the_nearest(monkeypatch):
    asked = brief(Goals(swing_kgcm2=Goal(value=400, tol=1)))
    nearest = solve(asked)
    assert nearest.recipes[0].pieces
    found = SearchResult("nearest", nearest.recipes, is_whole=False)
    monkeypatch.setattr("kentrobar.core.recipes.explain.find", lambda *asked: found)
    cut_off = solve(asked)
    assert (nearest.why.code, nearest.is_undecided) == ("missed", False)
    assert (cut_off.why.code, cut_off.is_undecided, cut_off.openings) == ("missed-so-far", True, ())


@pytest.mark.parametrize("seed", range(4))
def test_the_chance_is_that_of_hands_that_cut_and_lay_by_themselves(seed):
    """Many hands cut every strip, 0.5 mm off, and lay every piece anew, 1 mm off; so often all
    targets are met."""
    rng = random.Random(seed)
    sides = StripSite(name="sides", clock=3, mirror=True, line="inner", max_length_mm=110)
    body, _ = planted(rng, TERN, READ, (sides, HANDLE), (TAPE, PUTTY))
    asked = brief(goals_from(body, 100, 0.8), (sides, HANDLE), measured=UNSURE)
    recipe = solve(asked).recipes[0]
    inside = 0
    for _ in range(3000):
        roll = rng.gauss(1, TAPE.u_percent / 100)
        after = Measured(
            mass_g=rng.gauss(316.8, 0.1),
            balance_mm=rng.gauss(323.5, 0.3),
            swing_kgcm2=rng.gauss(314.6, 0.4),
            axis_mm=100,
            twist_kgcm2=13.4,
        ).body()
        for piece in recipe.pieces:
            if isinstance(piece, Plug):
                own = body_of(replace(piece, mass_g=rng.gauss(piece.mass_g, PUTTY.u_g)), TERN)
            else:
                cut = sum(rng.gauss(0, 0.5) for _ in range(piece.runs * piece.layers))
                longer = 1 + cut / (piece.runs * piece.layers) / piece.length_mm
                own = body_of(replace(piece, mass_g=piece.mass_g * roll * longer), TERN)
            after = after + shifted(own, rng.gauss(0, 1.0))
        figures = plain_figures(after, 100)
        inside += all(
            abs(figures[n] - goal.value) <= goal.tol for n, goal in asked.wanted().items()
        )
    assert recipe.sure.chance == pytest.approx(inside / 3000, abs=0.035)


def test_the_school_decides_which_figure_is_missed():
    goals = Goals(
        mass_g=Goal(value=317, tol=0.2),
        swing_kgcm2=Goal(value=330, tol=0.2),
        balance_mm=Goal(value=318, tol=0.2),
    )
    swing, balance = (
        solve(brief(goals, priority=school)).recipes[0].misses for school in ("swing", "balance")
    )
    assert abs(swing["swing_kgcm2"]) <= 0.2 + 1e-6
    assert abs(balance["balance_mm"]) <= 0.2 + 1e-6
    assert abs(balance["swing_kgcm2"]) > 1


def test_candidates_keep_out_of_what_must_stay_free():
    ways = candidates(TERN, (TAPE,), (TIP,))
    path = TERN.path("edge")
    assert all(way.cuts in (2, 4) for way in ways)
    for way in ways:
        for piece in way.pieces:
            middle = path.arc_of_clock(piece.clock)
            middle = min(middle, path.length - middle)
            assert middle - piece.length_mm / 2 >= 8 - 1e-6
            assert piece.mass_g == pytest.approx(TAPE.g_per_mm * piece.length_mm * piece.layers)
    assert not any(way.pieces[0].length_mm < 3 for way in ways)
    assert all(way.body.lateral == pytest.approx(0, abs=1e-6) for way in ways)


def test_limits_are_kept():
    goals = Goals(swing_kgcm2=Goal(value=330, tol=1))
    light = solve(brief(goals, max_added_g=2.0))
    assert light.recipes[0].added_g <= 2.0 + 1e-9
    assert light.status == "nearest"
    assert solve(brief(goals)) == solve(brief(goals))
    nothing = solve(
        brief(Goals(mass_g=Goal(value=316.8, tol=1)), sites=(HANDLE,), materials=(TAPE,))
    )
    assert (nothing.status, nothing.recipes[0].pieces) == ("ok", ())


# --- sets ----------------------------------------------------------------------------------------


def a_set(count, target="least-mass", seed=1, **more) -> FrameSet:
    """Frames of one model as they leave a maker: masses and balances apart, much alike about their
    balance."""
    rng = random.Random(seed)
    members = []
    for i in range(count):
        mass, balance = rng.uniform(313, 319), rng.uniform(319, 324)
        swing = rng.gauss(156, 0.8) + mass * (balance - 100) ** 2 / KGCM2
        read = Measured(
            mass_g=mass, balance_mm=balance, swing_kgcm2=swing, axis_mm=100, twist_kgcm2=13.4
        )
        members.append(Member(name=f"no. {i}", frame=TERN, measured=read))
    tolerances = {"mass_g": 1.0, "balance_mm": 1.0, "swing_kgcm2": 1.0}
    found = FrameSet(
        frames=members,
        tolerances=tolerances,
        materials=(TAPE, PUTTY),
        sites=SITES,
        target=target,
        **more,
    )
    assert not list(found.faults())
    return found


def test_a_set_comes_together_on_the_target_that_adds_least():
    frames = a_set(4)
    found = match(frames)
    assert found.status == "ok"
    for recipe in found.recipes:
        assert all(abs(miss) <= 1 + 1e-9 for miss in recipe.misses.values())
    for name, spread in found.after.items():
        assert spread <= 2 + 1e-9
        assert spread <= found.before[name] + 1e-9


def test_a_frame_above_the_target_is_named_and_the_others_are_offered_theirs():
    frames = a_set(4)
    heavy = max(frames.frames, key=lambda member: member.measured.mass_g)
    chased = sorted(frames.frames, key=lambda member: member.measured.mass_g)[-2]
    gap = heavy.measured.mass_g - chased.measured.mass_g
    tolerances = {"mass_g": gap / 2}
    found = match(replace(frames, target=f"frame:{chased.name}", tolerances=tolerances))
    assert (found.status, found.left_out) == ("nearest", (heavy.name,))
    assert [name for name, _ in found.why.figures["frames"]] == [heavy.name]
    assert found.without.status == "ok"
    assert heavy.name not in found.without.names
    assert all(abs(recipe.misses["mass_g"]) <= gap / 2 + 1e-9 for recipe in found.without.recipes)
    # What else could be chased really can be, at that price at most.
    targets = dict(found.others)
    assert f"frame:{heavy.name}" in targets
    for target, moved in targets.items():
        again = match(replace(frames, target=target, tolerances=tolerances))
        assert again.status == "ok"
        assert moved - 1e-3 <= again.moved_g <= moved + frames.weights.near + 1e-3


def test_a_set_says_nearest_where_nothing_can_be_done():
    frames = a_set(3, target="", targets=Goals(mass_g=Goal(value=312, tol=1)))
    found = match(replace(frames, tolerances={}))
    assert found.status == "nearest"
    assert found.without is None
    assert all(recipe.added_g == 0 for recipe in found.recipes)


def test_frames_judged_by_each_other_come_within_the_grams_named_with_the_fewest():
    """315 and 320 g, within 1 g of each other, putty by the half gram: 4 g on the lighter."""
    light, heavy = (replace(READ, mass_g=mass) for mass in (315.0, 320.0))
    members = (
        Member(name="a", frame=TERN, measured=light),
        Member(name="b", frame=TERN, measured=heavy),
    )
    frames = FrameSet(
        frames=members, tolerances={"mass_g": 1.0}, materials=(PUTTY,), sites=(HANDLE,),
        judged="spread", weights=Weights(near=0.0),
    )  # fmt: skip
    found = match(frames)
    assert (found.status, found.added_g, found.after["mass_g"]) == ("ok", 4.0, 1.0)
    # By their distance from a common target they may be twice as far apart.
    assert match(replace(frames, judged="distance")).added_g == 3.0
    # Followed, the heavier stays as it is; a band that is given lies where it was put.
    assert match(replace(frames, target="frame:b")).added_g == 4.0
    given = replace(frames, target="", targets=Goals(mass_g=Goal(value=320.5, tol=1)))
    assert match(given).added_g == 5.0


@pytest.mark.parametrize("judged", ["distance", "spread"])
@pytest.mark.parametrize("seed", range(4))
def test_a_looser_tolerance_never_costs_a_set_more_grams(seed, judged):
    """In one figure or in all: nor is it out of reach where a tighter one was met."""
    frames = a_set(3, seed=seed, judged=judged)
    before = math.inf
    for tol in (0.4, 0.6, 0.8, 1.2, 2.0, 3.0):
        found = match(replace(frames, tolerances=dict.fromkeys(frames.tolerances, tol)))
        assert found.is_ok or before == math.inf
        if found.is_ok:
            assert found.moved_g <= before + 1e-3
            before = found.moved_g
            widest = 2.0 if judged == "distance" else 1.0
            assert all(spread <= widest * tol + 1e-6 for spread in found.after.values())
    at_one = match(frames)
    for name in frames.tolerances:
        looser = match(replace(frames, tolerances=frames.tolerances | {name: 1.3}))
        assert looser.moved_g <= at_one.moved_g + 1e-3 or not at_one.is_ok
    # Whatever frame is followed instead costs no less.
    heaviest = max(frames.frames, key=lambda member: member.measured.mass_g)
    followed = match(replace(frames, target=f"frame:{heaviest.name}"))
    if followed.status == "ok":
        assert at_one.moved_g <= followed.moved_g + frames.weights.near + 1e-3


def test_the_same_set_meets_at_the_same_place_and_says_how_light_it_could_be():
    frames = replace(a_set(5, judged="spread"), sites=SITES[:3])
    one, other = match(frames), match(frames)
    assert (one.target, one.moved_g) == (other.target, other.moved_g)
    assert 0.85 * one.moved_g <= one.bound_g <= one.moved_g


def test_of_sets_as_light_the_surest_is_taken():
    frames = a_set(4, judged="spread")
    light = match(replace(frames, weights=Weights(near=0.0)))
    sure = match(replace(frames, weights=Weights(near=0.5)))
    assert light.moved_g - 1e-3 <= sure.moved_g <= light.moved_g + 0.5 + 1e-3
    assert sure.chance >= light.chance


def test_what_frames_share_does_not_part_them():
    """A scale 0.4 g out reads all frames alike: by each other they end as close as before."""
    read = {"mass_g": ufloat(316.0, 0.5), "balance_mm": 321.0, "swing_kgcm2": 310.0}
    members = [
        Member(name=name, frame=TERN, measured=Measured(**read, axis_mm=100)) for name in "abcdef"
    ]
    frames = FrameSet(
        frames=tuple(members), tolerances={"mass_g": 1.0}, materials=(TAPE,), sites=(SIDES,),
        judged="spread",
    )  # fmt: skip
    alone = match(frames)
    # The furthest of six normal errors of 0.5 g lie within 1 g of one another, by Monte Carlo.
    assert alone.chance == pytest.approx(0.28, abs=0.02)
    shared = replace(
        frames, frames=tuple(replace(one, shared_u={"mass_g": {"scale": 0.49}}) for one in members)
    )
    assert match(shared).chance > 0.97
    target = replace(frames, target="", targets=Goals(mass_g=Goal(value=316.0, tol=1)))
    alike = replace(target, frames=shared.frames, judged="distance")
    assert match(alike).chance == pytest.approx(0.93, abs=0.02), "all of them, or none"
    better = alone.sharper
    assert (better.figure, better.u) == ("mass_g", 0.05)
    assert better.chance > 0.99
    assert match(shared).sharper is None, "it could not be much surer"


def test_another_roll_is_tried_before_another_site_and_both_before_a_wider_tolerance():
    """Strips of 6.35 mm on the sides alone cannot bring two frames within a tenth of a unit; a
    finer roll can, and is said first."""
    light, heavy = (replace(READ, mass_g=mass) for mass in (315.0, 317.0))
    coarse = replace(TAPE, g_per_mm=0.2, name="coarse")
    fine = replace(TAPE, g_per_mm=0.01, name="fine")
    frames = FrameSet(
        frames=(Member(name="a", frame=TERN, measured=light, spare_sites=(HANDLE,)),
                Member(name="b", frame=TERN, measured=heavy)),
        tolerances={"mass_g": 0.3}, materials=(coarse, PUTTY), sites=(SIDES,), judged="spread",
        spare_materials=(fine,),
    )  # fmt: skip
    found = match(frames)
    assert not found.is_ok
    kinds = [(one.kind, one.name) for one in found.openings]
    assert kinds[0] == ("material", "fine")
    assert kinds[-1] == ("tolerance", "mass_g")
    assert found.openings[-1].to > 0.3
    no_roll = match(replace(frames, spare_materials=()))
    assert [one.kind for one in no_roll.openings][:1] == ["site"]
    # Left to the search, it is brought in and said.
    left = match(replace(frames, may_add=True))
    assert (left.is_ok, left.also) == (True, ("fine",))
    assert {piece.material for recipe in left.recipes for piece in recipe.pieces} == {"fine"}
    assert left.moved_g == pytest.approx(match(replace(frames, materials=(fine,))).moved_g, abs=0.5)


@pytest.mark.parametrize(("site", "seed"), [(HANDLE, 5), (HANDLE, 6), (TIP, 3)])
@pytest.mark.parametrize("target", ["least-mass", "frame:no. 0", "frame:no. 2"])
def test_no_nearest_is_farther_apart_than_the_start(site, seed, target):
    frames = replace(a_set(3, seed=seed, judged="spread"), sites=(site,), target=target)
    found = match(replace(frames, tolerances=dict.fromkeys(frames.tolerances, 0.2)))
    assert not found.is_ok
    assert max(found.after.values()) <= max(found.before.values()) + 1e-9


@pytest.mark.parametrize(("count", "seed"), [(3, 5), (5, 3), (5, 6)])
def test_a_set_comes_together_where_strips_fall_badly(count, seed):
    """Were tape cut anywhere about the balances as read, the second would count as out of reach."""
    found = match(a_set(count, seed=seed, judged="spread"))
    assert found.is_ok
    assert all(spread <= 1 + 1e-6 for spread in found.after.values())


@pytest.mark.parametrize("seed", range(8))
def test_a_set_meets_where_going_through_everything_would_have_it(seed):
    """Three frames, every way of each beside every way of the others, 1.5 million sets: none is
    lighter, and what lies inside by a tenth of the tolerance is not passed over."""
    frames = replace(
        a_set(3, seed=seed, judged="spread"), sites=(SIDES, HANDLE),
        materials=(COARSE, replace(PUTTY, step_g=1.0)), weights=Weights(near=0.0),
    )  # fmt: skip
    tol = 3.0
    found = match(replace(frames, tolerances=dict.fromkeys(frames.tolerances, tol)))
    ways = candidates(TERN, frames.materials, frames.sites)
    on = [NOTHING, *(way.body for way in ways if way.site == 0)]
    put = [a + b for a in on for b in (NOTHING, *(way.body for way in ways if way.site == 1))]
    apart = np.zeros((len(put),) * 3)
    for name in frames.tolerances:
        one, two, three = (
            np.array([plain_figures(member.measured.body() + body, 100)[name] for body in put])
            for member in frames.frames
        )
        one, two = one[:, None, None], two[:, None]
        high, low = np.maximum(np.maximum(one, two), three), np.minimum(np.minimum(one, two), three)
        apart = np.maximum(apart, high - low)
    mass = np.array([body.mass for body in put])
    grams = mass[:, None, None] + mass[:, None] + mass
    assert found.is_ok
    assert grams[apart <= tol].min() - 1e-9 <= found.moved_g
    assert found.moved_g <= as_light(grams[apart <= 0.9 * tol].min(), 0.0)


def test_that_a_set_is_out_of_reach_is_known_or_said_to_be_open():
    tight = dict.fromkeys(("mass_g", "balance_mm", "swing_kgcm2"), 0.05)
    frames = replace(a_set(4, judged="spread"), tolerances=tight)
    one_place = match(replace(frames, sites=(HANDLE,)))
    assert (one_place.status, one_place.is_undecided) == ("nearest", False)
    stopped = match(frames, watch=lambda progress: False)
    assert (stopped.status, stopped.is_undecided) == ("nearest", True)
    chased = replace(frames, target=f"frame:{frames.frames[0].name}", judged="distance")
    chased = match(chased, watch=lambda progress: False)
    assert (chased.status, chased.is_undecided) == ("nearest", True)


def test_a_set_can_be_watched_and_stopped():
    told = []

    def watch(progress):
        told.append(progress)
        return len(told) < 3

    stopped = match(a_set(5), watch=watch)
    assert (stopped.is_whole, stopped.is_undecided) == (False, True)
    assert stopped.after == stopped.before
    assert str(told[0].step) == "Looking for the target that moves the fewest grams"


@pytest.mark.parametrize("tol", [1.0, 0.1])
def test_a_set_is_stopped_at_any_moment_with_what_there_is(tol):
    frames = a_set(3, judged="spread")
    frames = replace(frames, tolerances=dict.fromkeys(frames.tolerances, tol))
    told = []
    whole = match(frames, watch=lambda progress: not told.append(progress))
    for moment in range(0, len(told), max(len(told) // 12, 1)):
        seen = []
        found = match(
            frames, watch=lambda _, seen=seen, n=moment: not seen.append(1) and len(seen) <= n
        )
        assert found.names == whole.names
        assert found.is_ok or max(found.after.values()) <= max(found.before.values()) + 1e-9


def test_ends_beside_what_is_kept_free_are_cut_in_whole_steps():
    """A post 16 mm wide in the middle of the tip: 6.35 mm either side of it, 12.7, …"""
    ways = candidates(TERN, (TAPE,), (TIP,))
    assert len(ways) == 2 * 10  # (150 − 16) / 2 / 6.35 steps, in one layer and in two
    for way in ways:
        assert len(way.pieces) == 2
        assert all(round(one.length_mm / TAPE.step_mm, 6) % 1 == 0 for one in way.pieces)


def test_what_is_shown_of_a_set_on_the_way_is_an_answer_for_all_of_it():
    """Not one for the frames that are left when some cannot follow, nor for another target."""
    frames = a_set(4, judged="spread")
    tight = replace(frames, tolerances=dict.fromkeys(frames.tolerances, 0.05), sites=(HANDLE,))
    shown = []
    found = match(tight, watch=lambda progress: not shown.append(progress.so_far))
    assert found.status == "nearest"
    assert {one.names for one in shown if one} == {found.names}
    assert shown[-1].target == found.target


# --- documents -----------------------------------------------------------------------------------

BRIEF = {
    "format": "kentrobar-brief/1",
    "frame": dump_frame(TERN),
    "measured": dump_measured(READ),
    "targets": {"mass_g": {"value": 326, "tol": 1}, "swing_kgcm2": {"value": 325, "tol": 1}},
    "materials": [
        {"name": "tape", "kind": "tape", "g_per_mm": 0.0098, "step_mm": 6.35, "max_layers": 2},
        {"name": "putty", "kind": "putty", "step_g": 0.5, "max_g": 30},
    ],
    "sites": [
        {
            "name": "3 & 9",
            "kind": "strip",
            "clock": 3,
            "mirror": True,
            "line": "face",
            "max_length_mm": 150,
        },
        {
            "name": "tip",
            "kind": "strip",
            "clock": 12,
            "line": "edge",
            "max_length_mm": 150,
            "keep_out_mm": [[-8, 8]],
        },
        {"name": "handle", "kind": "plug", "from_mm": 5, "to_mm": 40},
    ],
    "priority": "swing",
    "recipes": 2,
}


def test_solve_and_match_on_the_command_line(tmp_path, capsys):
    file = tmp_path / "brief.json"
    file.write_text(json.dumps(BRIEF))
    assert main(["solve", str(file)]) == 0
    answer = json.loads(capsys.readouterr().out)
    assert (answer["format"], answer["status"], len(answer["recipes"])) == (
        "kentrobar-recipes/1",
        "ok",
        2,
    )
    assert answer["recipes"][0]["misses"].keys() == {"mass_g", "swing_kgcm2"}
    frames = [
        {"name": name, "frame": BRIEF["frame"], "measured": BRIEF["measured"] | {"mass_g": grams}}
        for name, grams in (("A", 316.8), ("B", 319.0))
    ]
    kit = {key: BRIEF[key] for key in ("materials", "sites")}
    asked = {
        "format": "kentrobar-set/1",
        "frames": frames,
        "tolerances": {"mass_g": 1, "swing_kgcm2": 1},
        **kit,
    }
    found = match_document(asked | {"target": "frame:B"})
    assert found["format"] == "kentrobar-match/1"
    assert found["target"]["mass_g"] == pytest.approx(319.0)
    assert [one["status"] for one in found["frames"]] == ["ok", "ok"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"targets": {}}, "targets: at least one figure"),
        ({"targets": {"mass_g": {"value": 326}}}, "targets.mass_g.tol: missing"),
        (
            {"targets": {"mass_g": {"value": 326, "tol": 0}}},
            "targets.mass_g.tol: 0 must be above 0",
        ),
        ({"targets": {"colour": 3}}, "targets.colour: unknown key"),
        ({"materials": [{"kind": "lead"}]}, 'materials[0].kind: "lead" is not one of tape, putty'),
        (
            {"sites": [{"kind": "strip", "name": "x", "clock": 13, "max_length_mm": 50}]},
            "sites[0].clock: 13 is",
        ),
        (
            {"sites": [{"kind": "plug", "name": "x", "from_mm": 5, "to_mm": 900}]},
            "sites[0].to_mm: 900 is outside",
        ),
        ({"priority": "looks"}, 'priority: "looks" is not'),
        ({"recipes": 0}, "recipes: 0 is outside"),
        ({"measured": {**BRIEF["measured"], "swing_kgcm2": 31}}, "measured.swing_kgcm2"),
    ],
)
def test_a_bad_brief_is_refused_by_its_path(change, words):
    with pytest.raises(DocumentError) as fault:
        brief_of(BRIEF | change)
    assert str(fault.value).startswith(words)
    with pytest.raises(DocumentError):
        recipes_document(BRIEF | change)


def test_a_set_with_a_frame_of_no_mass_is_refused_by_its_path():
    frames = [
        {"name": name, "frame": BRIEF["frame"], "measured": BRIEF["measured"] | {"mass_g": grams}}
        for name, grams in (("A", 316.8), ("B", 0))
    ]
    kit = {key: BRIEF[key] for key in ("materials", "sites")}
    with pytest.raises(DocumentError, match=r"frames\[1\]\.measured\.mass_g"):
        match_document(
            {"format": "kentrobar-set/1", "frames": frames, "tolerances": {"mass_g": 1},
             "target": "least-mass", **kit}
        )  # fmt: skip


def test_what_lies_inside_the_noise_buys_no_grams():
    """20 g at the hand bring a swing weight that is 60 out of reach 1.2 nearer, a fifth of its
    tolerance: what is as near without them stands first, the very nearest beside it."""
    far = Goals(swing_kgcm2=Goal(value=400, tol=6))
    found = solve(brief(far, sites=(SIDES, HANDLE))).recipes
    putty = [
        sum(one.mass_g for one in recipe.pieces if one.material == "putty") for recipe in found
    ]
    assert putty[0] == 0
    assert max(putty) >= 15
    misses = [abs(recipe.misses["swing_kgcm2"]) for recipe in found]
    assert misses[0] - min(misses) <= NEARLY * 6 + 1e-6
    # What comes later in the priority is brought nearer for it: 14 g are wished, and given.
    both = Goals(swing_kgcm2=Goal(value=400, tol=6), mass_g=Goal(change=14, tol=2))
    first = solve(brief(both, sites=(SIDES, HANDLE))).recipes[0]
    assert abs(first.misses["mass_g"]) <= 2


# --- what cannot be a set, and what a rest only makes longer --------------------------------------

TWO = tuple(Member(name=name, frame=TERN, measured=READ) for name in ("a", "b"))


@pytest.mark.parametrize(
    ("change", "path"),
    [
        ({}, None),
        ({"frames": TWO[:1]}, "frames"),
        ({"frames": tuple(replace(TWO[0], name=str(i)) for i in range(12))}, None),
        ({"frames": tuple(replace(TWO[0], name=str(i)) for i in range(13))}, "frames"),
        ({"frames": (TWO[0], TWO[0])}, "frames"),
        ({"tolerances": {}}, "tolerances"),
        ({"tolerances": {"twist_kgcm2": 1.0}}, "tolerances.twist_kgcm2"),
        ({"tolerances": {"mass_g": 0.0}}, "tolerances.mass_g"),
        ({"target": "frame:b"}, None),
        ({"target": "frame:c"}, "target"),
        ({"target": "lightest"}, "target"),
        ({"target": ""}, "targets"),
        ({"target": "", "targets": Goals(mass_g=Goal(change=1, tol=1))}, "targets.mass_g.value"),
        ({"target": "", "targets": Goals(mass_g=Goal(value=320.0, tol=1.0))}, None),
        (
            {"frames": (TWO[0], replace(TWO[1], measured=replace(READ, mass_g=-1.0)))},
            "frames[1].measured",
        ),
        (
            {"frames": (TWO[0], replace(TWO[1], sites=(replace(SIDES, max_length_mm=-5.0),)))},
            "frames[1].sites[0].max_length_mm",
        ),
    ],
)
def test_what_cannot_be_a_set_is_named_where_it_stands(change, path):
    whole = {
        "frames": TWO, "tolerances": {"mass_g": 1.0}, "materials": tuple(usual.tapes()),
        "sites": (SIDES,),
    }  # fmt: skip
    found = [name for name, _ in FrameSet(**(whole | change)).faults()]
    assert (found[:1] or [None]) == [path] or (path and found[0].startswith(path)), found


def test_a_strip_laid_on_end_to_end_only_makes_the_one_there_longer():
    on = Strip(mass_g=2.0, clock=12, length_mm=60, line="edge", material="tape", layers=1)
    path = TERN.path("edge")
    beside = path.clock_of_arc(30 + 20)  # 60 / 2 and 40 / 2 from middle to middle
    more = replace(on, clock=beside, length_mm=40)
    assert lengthens(more, (on,), TERN) == 0
    assert lengthens(more, (Plug(mass_g=1.0, from_mm=0, to_mm=9), on), TERN) == 1
    apart = replace(more, clock=path.clock_of_arc(54))
    for other in (
        apart, replace(more, line="inner"), replace(more, mirror=True), replace(more, layers=2),
        replace(more, material="lead"), replace(more, mass_g=-1.0),
    ):  # fmt: skip
        assert lengthens(other, (on,), TERN) is None
