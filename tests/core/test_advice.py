"""Advice, one gram, feel and wishes in words: laws of the algebra, and figures worked out by
hand."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.condition import Part
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.io.places import read_places
from kentrobar.core.io.wishes import read_goal, say_goal
from kentrobar.core.pieces.body import KGCM2, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.materials import TAPES
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.sites import Access
from kentrobar.core.pieces.starters import start
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import Reader, read_by
from kentrobar.core.recipes import feel
from kentrobar.core.recipes import usual as kit
from kentrobar.core.recipes.advice import advise
from kentrobar.core.recipes.brief import Goal, kit_faults, plain_body
from kentrobar.core.recipes.candidates import beside
from kentrobar.core.recipes.feel import Hits, Noticed
from kentrobar.core.recipes.one_gram import curve, effects
from kentrobar.core.recipes.player_words import PATTERNS, WISHES
from kentrobar.core.recipes.site_words import site_words
from kentrobar.core.recipes.strokes import worth

from .frames import PADDLE_READ, READ, SHOAL, TERN, outlines

RACKET, PADDLE = plain_body(READ), plain_body(PADDLE_READ)


def asked(*keys, frame=TERN, body=RACKET, **more):
    return advise(keys, frame, body, 100 if frame is TERN else 50, Noticed(), **more)


def codes(messages):
    return {one.code for one in messages}


# --- the player's words ---------------------------------------------------------------------------


def test_every_word_leads_somewhere_and_says_its_price():
    for wish in WISHES.values():
        assert wish.costs
        for kind in ("racket", "paddle"):
            assert wish.like or all(getattr(PATTERNS[key], kind) for key in getattr(wish, kind))
        given_advice = asked(wish.key)
        assert bool(given_advice.changes) != bool(wish.like)
        assert bool(given_advice.patterns) != bool(wish.like)


def test_where_nothing_is_said_the_balance_comes_first():
    """With mass at the hand; not three grams at the sides."""
    given_advice = asked()
    assert given_advice.patterns[0].key == "handle"
    assert given_advice.rails[0].code == "order"
    assert asked("light").rails[0].code != "order"


@pytest.mark.parametrize("style", ["spin", "flat", "net"])
def test_how_somebody_plays_changes_the_first_steps_of_many_words(style):
    turned = [key for key in WISHES if WISHES[key].of("racket", style) != WISHES[key].of("racket")]
    assert len(turned) >= 4, turned


def test_words_that_contradict_are_said_to_and_the_rest_is_kept():
    both = asked("slow", "depth", "twists")
    assert [(one.code, one.figures) for one in both.against] == [
        (
            "against",
            {"figure": "swing_kgcm2", "up": ["No depth on serve"], "down": ["Slow at the net"]},
        )
    ]
    assert {change.figure for change in both.changes} == {"balance_mm", "twist_kgcm2"}
    assert not asked("light", "twists").against


def test_a_pattern_does_to_this_frame_what_its_pieces_do():
    for frame, body, axis in ((TERN, RACKET, 100), (SHOAL, PADDLE, 50)):
        for begun in advise((), frame, body, axis, Noticed()).patterns:
            after = sum((body_of(piece, frame) for piece in begun.pieces), body)
            assert begun.mass_g == pytest.approx(after.mass - body.mass)
            assert begun.balance_mm == pytest.approx(after.balance - body.balance)
            assert begun.swing_kgcm2 == pytest.approx(
                (after.swing(axis) - body.swing(axis)) / KGCM2
            )
            assert begun.twist_kgcm2 == pytest.approx((after.twist - body.twist) / KGCM2)


def test_first_steps_are_small_and_rails_say_why():
    for begun in asked().patterns:
        assert begun.mass_g <= 8
    arm = asked("arm", is_played=True, body=RACKET * 1.1)
    heavy = [rail for one in arm.patterns for rail in one.rails if rail.code == "heavy"]
    assert heavy[0].figures["heavy"] == 330
    assert "arm" in codes(arm.rails)
    assert "arm" not in codes(asked("light").rails)
    assert any("slower" in codes(one.rails) for one in asked("slow", "depth").patterns)


def test_without_twist_weight_a_change_of_it_is_wished_and_no_value_promised():
    flat = Body(RACKET.mass, RACKET.moment, RACKET.second, 0.0, 0.0)
    found = asked("twists", body=flat)
    changes = {change.figure: change.by for change in found.changes}
    assert changes == {"balance_mm": 0.0, "twist_kgcm2": 0.6}
    assert "measure-twist" in codes(found.rails)


# --- the kit --------------------------------------------------------------------------------------


@given(outlines)
def test_usual_sites_fit_every_frame_and_take_what_is_laid(outline):
    sites = kit.usual_sites(outline)
    materials = (*kit.tapes(), kit.putty())
    assert list(kit_faults(materials, tuple(sites.values()), outline)) == []
    for site in sites.values():
        pieces = kit.laid(site, 3.0)
        assert [fault for piece in pieces for fault in piece.faults(outline)] == []
        assert sum(piece.mass_g for piece in pieces) == pytest.approx(3.0, abs=0.55)


@given(st.one_of(outlines, st.sampled_from([preset for _, preset in PRESETS.values()])))
def test_usual_sites_do_not_lie_over_one_another(outline):
    taken: dict[str, list[tuple[float, float]]] = {}
    for site in kit.usual_sites(outline).values():
        if site.kind != "strip":
            continue
        path = outline.path(site.line)
        middle = path.arc_of_clock(site.clock)
        middle = math.remainder(middle, path.length)
        for at in {middle, -middle} if site.mirror else {middle}:
            low, high = at - site.max_length_mm / 2, at + site.max_length_mm / 2
            for other_low, other_high in taken.get(site.line, []):
                assert high <= other_low + 1e-6 or low >= other_high - 1e-6, site.name
            taken.setdefault(site.line, []).append((low, high))


def test_lighter_parts_come_gentle_first():
    parts = [
        Part(kind="guard", mass_g=12),
        Part(kind="grip", mass_g=17.5),
        Part(kind="strings", mass_g=16.5),
    ]
    found = kit.lighter_parts(parts, TERN)
    assert [part.last_resort for part in found] == [False, False, True]
    assert {part.name.split(":")[0]: part.less_g for part in found} == {
        "replacement grip": [2.5], "strings": [1.5], "bumper guard": [1.5],
    }  # fmt: skip


# --- one gram -------------------------------------------------------------------------------------


@given(outlines, st.integers(0, 1500).map(lambda tenths: tenths / 10), st.floats(0.1, 10))
def test_no_gram_lowers_swing_weight_and_the_axis_is_where_it_does_least(outline, axis, grams):
    points = curve(outline.length_mm, axis, grams)
    assert min(points, key=lambda point: point[1]) == (axis, 0.0)
    for x, change in points[::20]:
        plug = Plug(mass_g=grams, from_mm=max(x - 1e-6, 0), to_mm=min(x + 1e-6, outline.length_mm))
        assert body_of(plug, outline).swing(axis) / KGCM2 == pytest.approx(change, abs=1e-4)


def test_one_gram_at_the_sites_of_a_frame():
    found = {effect.key: effect for effect in effects(TERN, RACKET, 100)}
    # By hand: 1 g centred 512 mm up, on both sides of the beam: 0.001·(41.2² + 1.15²), and a hair
    # along its length.
    assert found["sides"].swing_kgcm2 == pytest.approx(0.001 * (41.2**2 + 1.15**2), abs=0.02)
    assert found["handle"].swing_kgcm2 == pytest.approx(0.001 * (7.7**2 + 3.0**2 / 12), abs=1e-6)
    assert found["handle"].balance_mm == pytest.approx((23 - 323.5) / 317.8, abs=1e-6)
    assert found["handle"].swing_kgcm2 > 0 > found["handle"].balance_mm
    assert [effect.x_mm for effect in effects(TERN, RACKET, 100)] == sorted(
        (effect.x_mm for effect in found.values()), reverse=True
    )
    twice = effects(TERN, RACKET, 100, 2.0)
    assert all(b.swing_kgcm2 == pytest.approx(2 * found[b.key].swing_kgcm2) for b in twice)
    assert all(sum(one.mass_g for one in effect.pieces) == 1 for effect in found.values())


def test_style_and_sport_change_where_one_begins_and_what_it_costs():
    def begun(style="", frame=TERN, body=RACKET):
        found = asked("power", frame=frame, body=body, style=style)
        return [one.key for one in found.patterns], found.wishes[0].costs

    by_style = {style: begun(style) for style in ("", "spin", "flat", "net")}
    assert by_style["flat"][0][0] == "tip"
    assert by_style["net"][0][0] == "sides"
    assert len({costs for _, costs in by_style.values()}) >= 3
    assert begun(frame=SHOAL, body=PADDLE)[1] != by_style[""][1]
    # A style nobody turns a word for changes nothing.
    assert asked("light", style="spin").patterns == asked("light").patterns


def test_what_must_not_get_slower_is_held_and_pulls_against_power():
    steady = {one.figure: one.by for one in asked("steadier").changes}
    assert steady["twist_kgcm2"] > 0
    assert steady["swing_kgcm2"] == 0
    both = asked("steadier", "power")
    assert [(one.code, one.figures["figure"]) for one in both.against] == [
        ("against-held", "swing_kgcm2")
    ]
    assert "swing_kgcm2" not in {one.figure for one in both.changes}
    assert codes(asked("whippy", "spot").against) == {"against", "against-held"}


@pytest.mark.parametrize(("frame", "body"), [(TERN, RACKET), (SHOAL, PADDLE)])
@pytest.mark.parametrize("key", ["steadier", "whippy"])
def test_no_first_step_makes_slower_what_must_not_be(frame, body, key):
    """A step of +5.5 kg·cm² stood first under “swing weight kept”."""
    swings = [one.swing_kgcm2 for one in asked(key, frame=frame, body=body).patterns]
    assert swings
    assert max(swings) < Noticed().few
    assert swings == sorted(swings)


# --- feel -----------------------------------------------------------------------------------------


def test_a_ball_at_the_balance_meets_the_whole_mass_and_less_elsewhere():
    assert feel.effective_mass(RACKET, 323.5, 0) == pytest.approx(316.8)
    recoil = 314.6e5 - 316.8 * 223.5**2
    assert feel.effective_mass(RACKET, 523.5, 30) == pytest.approx(
        1 / (1 / 316.8 + 200**2 / recoil + 30**2 / 13.4e5)
    )
    e = feel.rebound(RACKET, 323.5, 0, "racket", 0.85)
    assert e == pytest.approx((0.85 * 316.8 - 57.7) / (316.8 + 57.7))
    with pytest.raises(ValueError, match="twist weight"):
        feel.effective_mass(Body(300, 300 * 320, 300 * 320**2 + 1.5e7, 0.0), 500, 10)


@given(st.floats(-0.95, 0.95), st.floats(-0.95, 0.95))
def test_strength_falls_off_either_side_of_the_centre_line(along, across):
    low, high = feel.face_span(TERN)
    x = (low + high) / 2 + along * (high - low) / 2
    y = across * TERN.width_mm / 2
    if feel.is_on_face(TERN, x, y):
        assert feel.is_on_face(TERN, x, -y)
        assert feel.rebound(RACKET, x, y, "racket") <= feel.rebound(RACKET, x, 0, "racket") + 1e-12


def test_percussion_polarisation_and_sync():
    # A plain rod's centre of percussion for one end lies at two thirds of it.
    rod = Body(300.0, 300 * 350.0, 300 * 700.0**2 / 3, 0.0)
    assert feel.percussion_mm(rod, 0.0) == pytest.approx(700 * 2 / 3)
    assert feel.polarisation(rod, 700) == pytest.approx(1 / 3)
    assert feel.sync(rod) == pytest.approx(9806.65 * 1.5 / 700)
    ends = Body(300.0, 300 * 350.0, 150 * 700.0**2, 0.0)
    assert feel.polarisation(ends, 700) == pytest.approx(1)


def test_hits_have_a_centre_and_a_spread():
    hits = Hits(((500, 0), (520, 20), (540, -20)))
    assert hits.centre == pytest.approx((520, 0))
    assert hits.spread == pytest.approx((20, 20))
    assert Hits(((500, 3),)).spread == (0.0, 0.0)
    # Mass at the sides is worth more to balls aside than to those on the centre line.
    sides = body_of(Strip(mass_g=5, clock=3, length_mm=60, mirror=True), TERN)
    block = FRAME_KINDS["racket"].strokes[0]
    aside, on = (
        worth(RACKET, RACKET + sides, "racket", block, 100, [(520.0, y)]).gain_kmh for y in (60, 0)
    )
    assert aside > on > 0


def test_what_changed_in_words():
    tip = body_of(Strip(mass_g=4, clock=12, length_mm=60, line="edge"), TERN)
    felt = {one.code: one for one in feel.changed(RACKET, RACKET + tip, 100, Noticed(), True)}
    assert felt["felt-swing"].figures["change"] == pytest.approx(13.7, abs=0.05)
    assert felt["felt-swing"].figures["noticed"].code == "serious-notice"
    assert felt["felt-balance"].figures["change"] > 0
    assert feel.changed(RACKET, RACKET, 100, Noticed(), True) == []
    assert [Noticed().by(d).code for d in (3, -7, 12)] == [
        "unnoticed", "some-notice", "serious-notice",
    ]  # fmt: skip


# --- wishes in words ------------------------------------------------------------------------------

READERS = [
    Reader(),
    Reader(mass="oz", length="in"),
    Reader(length="cm"),
    Reader(balance="pt"),
    Reader(balance="%"),
]


@given(
    st.sampled_from(list(FIGURES)), st.one_of(st.none(), st.floats(5, 400)), st.floats(-20, 20),
    st.floats(0.2, 5), st.sampled_from(READERS),
)  # fmt: skip
def test_a_wish_said_and_read_again_is_the_same_wish(figure, value, change, tol, who):
    goal = Goal(value=value, tol=tol) if value is not None else Goal(change=change, tol=tol)
    with read_by(who):
        again = read_goal(figure, say_goal(figure, goal, 100), 686, 100, None)
    near = {"abs": 0.6 if who.mass == "oz" or who.length == "in" else 0.11}
    assert (again.value is None) == (value is None)
    if value is None:
        assert again.change == pytest.approx(change, **near)
    else:
        assert again.value == pytest.approx(value, **near)
    assert again.tol == pytest.approx(tol, abs=0.16)


@pytest.mark.parametrize(
    ("figure", "text", "goal"),
    [
        ("swing_kgcm2", "+8", Goal(change=8, tol=1, axis_mm=100)),
        ("swing_kgcm2", "keep", Goal(change=0, tol=1, axis_mm=100)),
        ("swing_kgcm2", "keep ± 2", Goal(change=0, tol=2, axis_mm=100)),
        ("swing_kgcm2", "325 ± 2 at 101.6 mm", Goal(value=325, tol=2, axis_mm=101.6)),
        ("mass_g", "−3 g", Goal(change=-3, tol=1)),
        ("mass_g", "11.5 oz", Goal(value=326.0195, tol=1)),
        ("balance_mm", "32,4 cm", Goal(value=324, tol=1)),
        ("balance_mm", "6 pts HL", Goal(value=343 - 6 * 3.175, tol=1)),
        ("balance_mm", "10 HL", Goal(value=343 - 10 * 3.175, tol=1)),
        ("balance_mm", "even balance", Goal(value=343, tol=1)),
        ("balance_mm", "2 pts less head light", Goal(change=6.35, tol=1)),
        ("balance_mm", "5 mm more head-heavy", Goal(change=5, tol=1)),
        ("twist_kgcm2", "14 ± 0.3", Goal(value=14, tol=0.3)),
    ],
)
def test_wishes_as_people_write_them(figure, text, goal):
    found = read_goal(figure, text, 686, 100, None)
    assert found.value == pytest.approx(goal.value, abs=1e-3) if goal.value else found.value is None
    assert found.change == goal.change
    assert (found.tol, found.axis_mm) == (goal.tol, goal.axis_mm)


@pytest.mark.parametrize(
    "text", ["heavier", "", "±", "320 ± 0", "900000", "-", "320 at the moon", "320 at 500 mm"]
)
def test_wishes_nobody_can_read_say_so(text):
    with pytest.raises(UnreadableError) as refused:
        read_goal("swing_kgcm2", text, 686, 100, None)
    assert str(refused.value).strip()


def test_rackets_have_a_throat_and_paddles_corners():
    assert "throat" in kit.usual_sites(TERN)
    assert {"high-corners", "low-corners"} <= set(kit.usual_sites(SHOAL))


def test_what_is_hidden_and_what_lies_under_the_bumper():
    racket, paddle = kit.usual_sites(TERN, Access(strings_in=False)), kit.usual_sites(SHOAL)
    seen = {key for key, site in racket.items() if not kit.hidden(site)}
    assert seen == {"sides", "shoulders", "lower-sides", "ends", "throat"}, "the inside is in sight"
    assert {key for key, site in paddle.items() if kit.hidden(site)} == {
        "handle", "cap", "under-grip",
    }  # fmt: skip
    under = [key for key, site in racket.items() if kit.under_the_bumper(site, TERN)]
    assert under == ["tip"]
    assert not any(kit.under_the_bumper(site, SHOAL) for site in paddle.values())


@pytest.mark.parametrize(
    ("access", "line"),
    [
        (Access(), "face"),
        (Access(strings_in=False), "edge"),
        (Access(strings_in=False, bumper_stays=True), "face"),
    ],
)
def test_the_tip_is_taped_where_a_hand_can_get_at_it(access, line):
    """Strings in, or the bumper on: the two faces of the tip. Else the edge, under the bumper."""
    assert kit.usual_sites(TERN, access)["tip"].line == line
    (laid,) = start("tape", TERN, start("tape", TERN, (), access), access)
    assert (laid.clock, laid.line) == (12, line)
    assert laid.mass_g == pytest.approx(
        (2 if line == "face" else 1) * TAPES[0].g_per_mm * 101.6, abs=0.01
    )


def test_tape_at_both_ends_of_the_hoop_lengthens_the_sweet_spot():
    """Half of it at 12, half at 6, where it hardly moves the balance."""
    site = kit.usual_sites(TERN)["ends"]
    tip, foot = kit.laid(site, 4.0)
    assert (tip.clock, foot.clock, tip.mass_g) == (12, 6, foot.mass_g)
    assert tip.mass_g + foot.mass_g == pytest.approx(4.0, abs=0.3)
    said = site_words({"ends": site}, TERN, RACKET, 100)["ends"].figures
    heavier = (
        RACKET + body_of(replace(tip, mass_g=1), TERN) + body_of(replace(foot, mass_g=1), TERN)
    )
    back = {
        x: feel.rebound(heavier, x, 0, "racket") for x in range(686) if feel.is_on_face(TERN, x, 0)
    }
    sweet = [x for x, share in back.items() if share >= feel.SWEET * max(back.values())]
    assert said["before"] + said["longer"] == pytest.approx(sweet[-1] - sweet[0], abs=2)
    assert said["longer"] > 0
    assert abs(said["foot"]) < 0.2 < said["balance"]


def test_what_lies_at_either_end_of_the_hoop_is_kept_clear_of():
    site = kit.usual_sites(TERN)["ends"]
    on = [Strip(mass_g=1, clock=6, length_mm=20, line="inner")]
    assert beside(site, on, TERN).keep_out_mm[1] == (pytest.approx(-10), pytest.approx(10))


def test_halfway_up_a_gram_does_little_but_weigh_and_at_the_sides_it_does_not():
    sites = kit.usual_sites(TERN) | read_places("355 mm up, inside", TERN)
    little = {
        key
        for key, one in site_words(sites, TERN, RACKET, 100).items()
        if one.code == "site-little"
    }
    assert "throat" in little
    assert not little & {"sides", "tip", "handle", "ends"}


def test_tape_under_the_grip_lies_along_the_bevels_and_in_the_cap_is_a_plug():
    """In pairs from the top of the handle down, as few as fit: 4 g of 9.8 mg/mm are four strips of
    102 mm, as two of 203 would be longer than the handle. At its radius: twist weight m·r²."""
    sites = kit.usual_sites(TERN)
    (strips,) = kit.laid(sites["under-grip"], 4.0)
    top = TERN.handle_length_mm - 10
    length, count = strips.strips()
    assert (strips.to_mm, count, length) == (top, 4, pytest.approx(101.6))
    assert strips.mass_g == pytest.approx(TAPES[0].g_per_mm * 4 * 101.6)
    along = body_of(strips, TERN)
    assert along.balance == pytest.approx(top - 50.8)
    assert along.twist / along.mass == pytest.approx(TERN.handle_radius_mm**2)
    assert body_of(kit.laid(sites["cap"], 5.0)[0], TERN).balance == pytest.approx(4)
