"""Small parts of recipes, worked out by hand: what ranks before what, and where an edge lies."""

import math
from dataclasses import replace
from types import SimpleNamespace

import pytest

from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.numbers import ufloat
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.recipes import quick, solve
from kentrobar.core.recipes.advice import PATTERNS, _patterns
from kentrobar.core.recipes.brief import (
    Brief,
    Goal,
    Goals,
    PlugSite,
    Putty,
    StripSite,
    ThroatSite,
)
from kentrobar.core.recipes.candidates import Candidate, candidates
from kentrobar.core.recipes.candidates import beside as beside_it
from kentrobar.core.recipes.feel import effective_mass
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.loads import exchanges
from kentrobar.core.recipes.meeting import TargetGrid
from kentrobar.core.recipes.player_words import WISHES
from kentrobar.core.recipes.programme import Chosen
from kentrobar.core.recipes.relaxed import Together, relaxed
from kentrobar.core.recipes.rest import is_at, lengthens
from kentrobar.core.recipes.set_openings import without
from kentrobar.core.recipes.set_search import SetSearch
from kentrobar.core.recipes.solve import Search

from .frames import READ, TERN

HANDLE = PlugSite(name="handle", from_mm=5, to_mm=40)


def body(mass):
    return Body.from_figures(mass_g=mass, balance_mm=320.0, swing_kgcm2=300.0, axis_mm=100.0)


@pytest.mark.parametrize(
    ("held", "grams"),
    [({}, 0.0), ({"mass_g": (302.0, 302.0)}, 0.0), ({"mass_g": (303.5, 310.0)}, 1.5)],
)
def test_frames_meet_where_one_figure_is_within_all_their_tolerances(held, grams):
    """300 and 304 g, 2 g each: 302 alone is within both; the lighter needs 1.5 g to reach 303.5."""
    putty = candidates(TERN, (Putty(name="putty", step_g=0.5, max_g=5),), (HANDLE,))
    set_ = Together([body(300.0), body(304.0)], [putty, ()], 100.0, {"mass_g": 2.0}, held)
    found = TargetGrid(set_, relaxed(set_), lambda: None).least(set_.tolerances, held)
    assert (found.out, found.moved_g) == (0, pytest.approx(grams, abs=1e-3))
    assert abs(found.target[0] - 304) <= 2
    assert found.bound_g == pytest.approx(grams, abs=1e-3)


def test_frames_of_a_narrow_tolerance_meet_between_two_targets_of_the_usual_grid():
    """300.03 g and 300.04 g, 0.01 g each: 300.035 lies on no sixteenth, and no thirty-second."""
    set_ = Together([body(300.03), body(300.04)], [(), ()], 100.0, {"mass_g": 0.01}, {})
    found = TargetGrid(set_, relaxed(set_), lambda: None).least(set_.tolerances, {})
    assert (found.out, found.moved_g) == (0, 0.0)
    assert 300.03 <= found.target[0] <= 300.04


def test_loads_that_differ_in_two_sites_are_all_tried():
    """5 g in one site may become 2 g there and 1 g in the other; 4 g there as well is too heavy."""
    here = [Candidate(0, 0, (), body(g), 1, math.inf, g, 0.0) for g in (2.0, 5.0)]
    there = [Candidate(1, 0, (), body(g), 1, math.inf, g, 0.0) for g in (1.0, 4.0)]
    (found,) = exchanges([*here, *there], (1,), 1.0, 0)
    tried = {found.chosen(k): float(found.grams[k]) for k in range(len(found.grams))}
    assert tried == {(): 0, (0,): 2, (1,): 5, (2,): 1, (3,): 4, (0, 2): 3, (0, 3): 6, (1, 2): 6}
    (one_cut,) = exchanges([*here, *there], (1,), 1.0, 1)
    assert max(one_cut.cuts) == 1


def test_frames_that_nothing_brings_together_are_known_to_be_apart():
    """300 and 304 g, 1.9 g each: 0.2 g are missing, and one of the two is out."""
    set_ = Together([body(300.0), body(304.0)], [(), ()], 100.0, {"mass_g": 1.9}, {})
    parts = relaxed(set_)
    assert parts.beyond == pytest.approx(0.2 / 1.9)
    found = TargetGrid(set_, parts, lambda: None).least(set_.tolerances, {})
    assert (found.out, found.is_proven, found.bound_g) == (1, True, None)


@pytest.mark.parametrize(("names", "left_out", "rest"), [
    ("abc", ("b",), ["a", "c"]), ("ab", ("b",), None), ("ab", (), None),
])  # fmt: skip
def test_two_that_can_are_a_set_and_one_is_none(names, left_out, rest, monkeypatch):
    frames = FrameSet(
        frames=tuple(Member(name=name, frame=TERN, measured=READ) for name in names),
        tolerances={"mass_g": 1.0}, materials=(), sites=(),
    )  # fmt: skip
    set_ = SetSearch(frames, Search())
    found = without(set_, SimpleNamespace(left_out=left_out))
    assert (found and list(found.names)) == rest


def test_steps_towards_what_is_wanted_less_those_away_from_what_should_stay():
    word = SimpleNamespace(up=("mass_g",), down=("balance_mm",), keep=("swing_kgcm2", "mass_g"),
                           hold=("twist_kgcm2",))  # fmt: skip
    wanted = SimpleNamespace(of=lambda kind: word)
    for kind in ("racket", "paddle"):
        steps = FRAME_KINDS[kind].first_step
        change = {name: 2 * step for name, step in steps.items()}
        # Two steps up, two too many up, two off what is kept, and half of two that is held.
        assert quick._score(change, kind, wanted) == pytest.approx(2 - 2 - 2 - 2 * quick.HELD)
        less = change | {"swing_kgcm2": -change["swing_kgcm2"], "twist_kgcm2": -1.0}
        assert quick._score(less, kind, wanted) == pytest.approx(2 - 2 - 2)
    assert quick._score({}, "racket", None) == 0


def test_patterns_that_serve_most_wishes_come_first():
    wishes = [WISHES["twists"], WISHES["steadier"], WISHES["whippy"]]
    found = _patterns(wishes, "racket")
    served = [sum(key in wish.racket for wish in wishes) for key in found]
    assert served == sorted(served, reverse=True)
    assert served[0] > served[-1], "or the order says nothing"
    assert set(_patterns([], "racket")) == {key for key, one in PATTERNS.items() if one.racket}


def test_a_site_in_the_throat_begins_above_what_lies_there():
    site = ThroatSite(name="throat", from_mm=350, to_mm=450)
    lies = Throat(mass_g=2.0, from_mm=340, to_mm=380)
    assert beside_it(site, [lies], TERN).from_mm == 380
    assert beside_it(site, [replace(lies, to_mm=470)], TERN).from_mm == 450
    assert beside_it(site, [replace(lies, from_mm=300, to_mm=340)], TERN) == site
    assert (
        beside_it(StripSite(name="tip", clock=12, max_length_mm=200), [lies], TERN).keep_out_mm
        == ()
    )


def test_a_ball_off_the_centre_line_meets_less_the_smaller_the_twist_weight():
    """1/m + d²/I + y²/T: at the balance, 40 mm off, of 300 g: T of 0.5 g·mm² is as good as none."""
    slim = SimpleNamespace(mass=300.0, balance=320.0, recoil=1e7, twist=0.5)
    assert effective_mass(slim, 320.0, 40.0) == pytest.approx(1 / (1 / 300 + 1600 / 0.5))
    with pytest.raises(ValueError, match="twist weight"):
        effective_mass(SimpleNamespace(mass=300.0, balance=320.0, recoil=1e7, twist=0.0), 320, 1)


def test_one_layer_is_one_layer_said_or_not():
    on = Strip(mass_g=2.0, clock=12, length_mm=60, line="edge", material="tape")
    beside = TERN.path("edge").clock_of_arc(50)
    for was, more in ((None, 1), (1, None), (None, None)):
        put = replace(on, clock=beside, length_mm=40, layers=more)
        assert lengthens(put, (replace(on, layers=was),), TERN) == 0
    assert lengthens(replace(put, layers=2), (on,), TERN) is None


def test_what_was_put_on_is_known_by_its_site():
    tip = StripSite(name="tip", clock=12, max_length_mm=200, line="edge")
    lies = Strip(mass_g=2.0, clock=0.02, length_mm=60, line="edge", material="tape")
    assert is_at(lies, tip)
    assert not is_at(replace(lies, clock=3), tip)
    assert not is_at(replace(lies, line="inner"), tip)
    plug = Plug(mass_g=5.0, from_mm=10, to_mm=60)
    wound = Sleeve(mass_g=5.0, from_mm=10, to_mm=60)
    for filling, inside in (("cavity", plug), ("grip", wound)):
        handle = PlugSite(name="handle", from_mm=0, to_mm=100, filling=filling)
        assert [is_at(one, handle) for one in (plug, wound)] == [inside is plug, inside is wound]
        assert not is_at(replace(inside, from_mm=100, to_mm=150), handle)


def test_a_strip_only_meets_the_one_it_lies_beside_on_its_own_side():
    """60 and 40 mm end to end to the right of 1 o'clock; as far to the left it stands alone."""
    path = TERN.path("edge")
    on = Strip(mass_g=2.0, clock=1, length_mm=60, line="edge", material="tape")
    at = path.arc_of_clock(1)
    for arc, meets in ((at + 50, 0), (at - 50, 0), (-at - 50, None), (50 - at, None)):
        more = replace(on, clock=path.clock_of_arc(arc), length_mm=40)
        assert lengthens(more, (on,), TERN) == meets, arc


def test_misses_are_about_the_axis_of_each_target():
    """Read about 90 mm and wished about 80: the miss is of the swing weight about 80."""
    read = replace(READ, axis_mm=90.0)
    brief = Brief(
        frame=TERN, measured=read, targets=Goals(swing_kgcm2=Goal(value=300, tol=1, axis_mm=80)),
        materials=(), sites=(),
    )  # fmt: skip
    base = read.body()
    found = solve.recipe_of(brief, base, [], Chosen((), 0.0, 0.0))
    assert found.misses["swing_kgcm2"] == pytest.approx(base.swing_kgcm2(80) - 300)
    plain = replace(brief, targets=Goals(swing_kgcm2=Goal(value=300, tol=1)))
    found = solve.recipe_of(plain, base, [], Chosen((), 0.0, 0.0))
    assert found.misses["swing_kgcm2"] == pytest.approx(base.swing_kgcm2(90) - 300)


def test_what_to_read_next_is_never_twist_and_places_read_as_a_phrase():
    known = {"mass_g": ufloat(300.0, 0.3, "mass_g")}
    set_up = quick.quick_set_ups(TERN, typical(TERN, known, 100), 100, 40.0, None)[0]
    found = quick.next_reading(TERN, known, 100, set_up)
    assert found.figure == "balance_mm"
    whole = known | {"balance_mm": ufloat(325.0, 0.3), "swing_kgcm2": ufloat(300.0, 0.4)}
    assert quick.next_reading(TERN, whole, 100, set_up) is None
    both = quick.quick_set_ups(TERN, typical(TERN, known, 100), 100, 5.0, None)[-1]
    first, second = both.name.split(" and ")
    assert (first[0].isupper(), second[0].islower()) == (True, True)
