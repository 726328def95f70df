"""What is on a frame for good, whatever was signed off, taken off and read in whatever order."""

import re
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from kentrobar.core.io.plans import dump_piece
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.recipes.brief import Goal
from kentrobar.core.recipes.candidates import beside
from kentrobar.frames import fitted
from kentrobar.frames.models import Frame
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.recipes import asked, sets
from kentrobar.recipes.asked import Asked
from kentrobar.recipes.models import Wish
from kentrobar.shop.models import Settings
from kentrobar.workshop.models import Sheet
from tests.core.frames import READ, TERN
from tests.pages import said

from .conftest import measured_frame

BEGUN = datetime(2026, 3, 1, tzinfo=UTC)
SETS = (
    (
        Strip(
            mass_g=3.0, clock=3, length_mm=76.2, line="face", mirror=True, material="tape", layers=1
        ),
    ),
    (Plug(mass_g=6.0, from_mm=8, to_mm=38, material="putty"),),
    (
        Strip(mass_g=1.0, clock=12, length_mm=60, line="edge", material="tape", layers=1),
        Plug(mass_g=4.0, from_mm=2, to_mm=20, material="putty"),
    ),
)


def pressed_twice_at_most(story):
    """A sheet is signed off once and taken off once; taken back, it was on all the time."""
    return [one for i, one in enumerate(story) if one[0] == "read" or story[:i].count(one) < 2]


acts = st.lists(
    st.one_of(
        st.tuples(st.just("press"), st.integers(0, len(SETS) - 1)),
        st.tuples(
            st.just("read"), st.sampled_from(["mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"])
        ),
    ),
    max_size=9,
).map(pressed_twice_at_most)


class Story:
    """A frame through its life, an hour between two acts, and what it truly is meanwhile."""

    def __init__(self):
        self.clock = BEGUN
        self.frame = measured_frame(TERN, READ, serial="of a story")
        self.frame.readings.update(read_at=BEGUN)
        self.plans = [
            desk.create(self.frame, f"set {i}", replace(self.state(), pieces=pieces))
            for i, pieces in enumerate(SETS)
        ]
        self.on = set()

    def state(self):
        return desk.state_from(self.frame, self.frame.figures()[0])

    @property
    def truth(self):
        pieces = (piece for i in self.on for piece in SETS[i])
        return sum((body_of(piece, TERN) for piece in pieces), READ.body())

    def press(self, i):
        """Sign a sheet off that is off, take one off that is on."""
        sheet, _ = Sheet.objects.get_or_create(
            plan=self.plans[i], defaults={"pieces": [dump_piece(piece) for piece in SETS[i]]}
        )
        if i in self.on:
            sheet.taken_off_at = self.clock
        else:
            sheet.signed_off_at, sheet.taken_off_at = self.clock, None
        sheet.save()
        self.on ^= {i}

    def read(self, quantity):
        body = self.truth
        value = {
            "mass_g": body.mass, "balance_mm": body.balance, "swing_kgcm2": body.swing_kgcm2(100),
            "twist_kgcm2": body.twist_kgcm2,
        }[quantity]  # fmt: skip
        axis = 100 if quantity == "swing_kgcm2" else None
        self.frame.readings.create(
            quantity=quantity, value=value, axis_mm=axis, condition="as-played", read_at=self.clock
        )

    def live(self, story):
        for act, what in story:
            self.clock += timedelta(hours=1)
            getattr(self, act)(what)


def same(one, other):
    return all(
        getattr(one, name) == pytest.approx(getattr(other, name), rel=1e-9, abs=1e-6)
        for name in ("mass", "moment", "second", "twist")
    )


LIVES = settings(
    max_examples=25, deadline=None, phases=[Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)  # fmt: skip


@pytest.mark.django_db
@LIVES
@given(acts)
def test_figures_read_at_any_time_are_brought_to_now(story):
    Frame.objects.all().delete()
    told = Story()
    told.live(story)
    now = fitted.now(told.frame, told.frame.figures()[0])
    assert same(now.measured.body(), told.truth), story
    assert {replace(piece, id=None) for piece in now.on} == {
        piece for i in told.on for piece in SETS[i]
    }
    shown = fitted.brought(told.frame, told.frame.figures()[0])
    assert same(shown.measured().body(), told.truth), story
    assert same(fitted.now(told.frame, shown).measured.body(), told.truth), "once, not twice"


@pytest.mark.django_db
@LIVES
@given(acts, st.integers(0, len(SETS) - 1))
def test_a_plan_stands_on_the_frame_without_its_own_pieces(story, own):
    """Whenever it is asked, a plan's figures and its pieces are the frame with the plan carried
    out, once."""
    Frame.objects.all().delete()
    told = Story()
    told.live(story)
    plan = told.plans[own]
    bare = fitted.now(told.frame, told.frame.figures()[0], without=(plan.pk,)).measured.body()
    told.on.discard(own)
    assert same(bare, told.truth), story


def words(page):
    return " ".join(re.sub("<[^>]+>", " ", said(page)).split())


@pytest.mark.django_db
def test_pages_tell_what_is_as_it_was_before_and_count_it_as_it_is_now(bench):
    told = Story()
    told.live([("press", 0), ("read", "mass_g")])
    truth, frame = told.truth, told.frame
    measure = f"/frames/{frame.pk}/measure/"
    page = bench.get(measure)
    assert page.context["quantity"] == "balance_mm", "mass is read again already"
    assert "is computed until it is read again" in words(page)
    cards = {card["quantity"]: card["row"] for card in page.context["cards"]}
    assert [bool(cards[name].computed) for name in ("mass_g", "balance_mm")] == [False, True]
    assert cards["swing_kgcm2"].computed == "set 0 on since"
    assert cards["balance_mm"].value == f"{truth.balance:.1f}"
    for address in (frame.get_absolute_url(), f"/frames/{frame.pk}/parts/", "/"):
        page = words(bench.get(address))
        assert f"{truth.mass:.1f} g" in page
        assert f"{truth.swing_kgcm2(100):.1f}" in page
        # But as it was read, in the list of readings.
        was = f"{READ.swing_kgcm2:.1f} kg·cm²"
        assert was not in page.replace(f"{was} about 100 mm as played Delete reading", "")
    assert f"recoil {truth.recoil_kgcm2:.1f}" in words(bench.get(frame.get_absolute_url()))
    # Read so, it is what was to be expected; read as before, it is not.
    for typed, status in ((truth.balance, 302), (READ.balance_mm - 8, 422)):
        posted = {"condition": "as-played", "balance_mm": f"{typed:.1f}"}
        assert bench.post(frame.get_absolute_url(), posted).status_code == status
    told.live([("read", "balance_mm"), ("read", "swing_kgcm2"), ("read", "twist_kgcm2")])
    assert "Complete" in words(bench.get(measure))


@pytest.mark.django_db
def test_another_is_made_like_it_as_it_is_now(bench, user):
    told = Story()
    told.live([("press", 0)])
    other = measured_frame(TERN, READ, serial="beside it")
    there = f"/frames/{other.pk}/recipes/"
    chosen = {"like/": {"frame": told.frame.pk}, "say/": {"said": "as of a story"}}
    for ask, posted in chosen.items():
        bench.post(there + ask, posted)
        goals = Wish.objects.get(frame=other).content["goals"]
        assert goals["mass_g"]["value"] == pytest.approx(told.truth.mass), ask
        Wish.objects.all().delete()
    wanted = Asked(
        goals={"mass_g": Goal(value=300.0, tol=1.0), "balance_mm": Goal(value=1.0, tol=1.0)}
    )
    (goals,) = asked.other_targets(other, wanted, asked.base(other), 100.0).values()
    assert goals.mass_g.value == pytest.approx(told.truth.mass)


@pytest.mark.django_db
def test_what_was_read_in_two_conditions_before_and_after_is_no_contradiction(bench):
    told = Story()
    told.frame.parts.create(kind="overgrip", mass_g=5.0, u_g=0.1)
    strung = {"quantity": "mass_g", "value": READ.mass_g - 5, "condition": "strung"}
    told.frame.readings.create(**strung, read_at=BEGUN)
    told.live([("press", 1), ("read", "mass_g")])
    assert told.frame.contradictions() == []
    told.frame.readings.create(**strung, read_at=told.clock)
    frame = Frame.objects.get(pk=told.frame.pk)
    assert [one.quantity for one in frame.contradictions()] == ["mass_g"]


@pytest.mark.django_db
def test_copies_of_copies_carry_all_that_is_below_them():
    told = Story()
    copy = desk.copy(told.plans[0])
    again = desk.copy(copy)
    assert again.state().carries == (copy.pk, told.plans[0].pk)
    # It outlives being changed, undone, and read back.
    outcome = desk.undo(again.pk, 1)
    assert outcome.state.carries == again.state().carries
    assert Plan.objects.get(pk=again.pk).state().dump()["carries"] == [copy.pk, told.plans[0].pk]
    assert "carries" not in told.plans[0].content


@pytest.mark.django_db
def test_a_set_starts_from_the_frames_as_they_are_and_keeps_clear_of_what_lies_there(user):
    told = Story()
    told.live([("press", 0)])
    other = measured_frame(TERN, READ, serial="beside it")
    found = sets.readied([told.frame, other], "as-played")
    asked = sets.AskedSet(sites=("sides",))
    laden, plain = sets.set_of(found, asked, Settings.load(), 100.0).frames
    assert laden.measured.mass_g == pytest.approx(plain.measured.mass_g + 3.0)
    (site,), (free,) = laden.sites, plain.sites
    assert site == beside(free, [replace(SETS[0][0], id="p1")], TERN)
    assert (free.keep_out_mm, len(site.keep_out_mm)) == ((), 2)


# --- putting on and taking off --------------------------------------------------------------------


def on(bench, frame, kind, **typed):
    posted = {"kind": kind, "since": "now", "pieces": "1"} | typed
    return bench.post(f"/frames/{frame.pk}/parts/", posted, follow=True)


@pytest.fixture
def grip_frame(bench):
    return measured_frame(TERN, READ, serial="grips")


def test_a_second_grip_is_one_step_old_off_and_new_on(bench, grip_frame):
    """Nobody noted the grip it was read with: it comes off all the same, as weighed or as usual."""
    page = on(bench, grip_frame, "leather-grip", mass="27 g", old_mass="15.2 g").content.decode()
    assert "Off: replacement grip, the old one, 15.2 g." in page
    now = grip_frame.figures()[0].found["mass_g"].value
    assert now.nominal_value == pytest.approx(316.8 + 27 - 15.2)
    # Taken back, the frame is as it was read, and nothing is noted of the old one.
    bench.post(f"/parts/{grip_frame.parts.get(kind='leather-grip').pk}/forget/")
    assert not grip_frame.parts.exists()
    on(bench, grip_frame, "grip", mass="16 g")
    old = grip_frame.parts.get(taken_off_at__isnull=False)
    assert (old.mass_g, old.is_weighed) == (17.5, False)
    # A frame nobody has read, and one that had none, have nothing to take off.
    bare = measured_frame(TERN, READ, serial="bare")
    on(bench, bare, "cap", mass="9 g", had_none="on")
    assert bare.parts.count() == 1


def test_weighings_teach_the_product_and_nothing_else(bench, grip_frame):
    other = measured_frame(TERN, READ, serial="other")
    on(bench, grip_frame, "cap", mass="4 g", name="light", since="before")
    on(bench, other, "cap", mass="13 g", name="deep", since="before")
    third = measured_frame(TERN, READ, serial="third")
    on(bench, third, "cap", since="before")
    on(bench, third, "cap", name="Deep", since="now")
    masses = list(third.parts.order_by("pk").values_list("mass_g", flat=True))
    assert masses == [9.0, 13.0]


@pytest.mark.parametrize(
    ("typed", "grams"),
    [
        ({"name": "polyester", "gauge": "1.25"}, 17.8),
        ({"name": "multi, soft", "gauge": "16L"}, 16.2),
        ({"name": "natural gut", "gauge": "1.32 mm"}, 18.4),
        ({"name": "blue", "gauge": "17"}, 15.5),
        ({"name": "blue"}, 16.5),
        ({"mass": "21.3", "cut_off": "2.9 g"}, 18.4),
    ],
)
def test_strings_weigh_what_gauge_make_and_cut_ends_say(bench, grip_frame, typed, grams):
    on(bench, grip_frame, "strings", since="before", **typed)
    assert grip_frame.parts.get().mass_g == pytest.approx(grams, abs=0.05)


@pytest.mark.parametrize(
    ("kind", "typed", "says"),
    [
        ("strings", {"mass": "21 g"}, "in its packet; about 16.2 g stay"),
        ("overgrip", {"mass": "55 g"}, "usually 4–7 g. A point left out?"),
        ("grip", {"mass": "0.6"}, "Ounces?"),
        ("strings", {"gauge": "2.5"}, "no gauge of a string"),
        ("strings", {"old_mass": "-1"}, "weighs more than nothing"),
        ("strings", {"cut_off": "3"}, "what the whole set weighed too"),
    ],
)
def test_a_mass_that_cannot_be_meant_is_asked_about(bench, grip_frame, kind, typed, says):
    answer = on(bench, grip_frame, kind, **typed)
    assert says in answer.content.decode()
    assert not grip_frame.parts.exists()
    if answer.context["form"].asks_to_confirm:
        on(bench, grip_frame, kind, confirm="on", had_none="on", **typed)
        assert grip_frame.parts.exists()


def test_putting_on_a_grip_says_what_it_does_to_the_grip_size(bench, racket):
    there = f"/frames/{racket.pk}/parts/"
    on = {"kind": "leather-grip", "since": "now", "pieces": "1", "mass": "27 g", "had_none": "on"}
    answer = bench.post(there, on, follow=True)
    # 27 g at 0.71 g/cm³ over 195 mm of a handle of radius 16 mm.
    round_mm = 27 / 0.00071 / (195 * 16)
    assert f"{round_mm:+.1f} mm round, {round_mm / 3.175:+.1f} of a grip size: more" in str(
        next(iter(answer.context["messages"]))
    )
    dampener = {
        "kind": "dampener",
        "since": "now",
        "pieces": "1",
        "mass": "2.5 g",
        "had_none": "on",
    }
    answer = bench.post(there, dampener, follow=True)
    assert not any("grip size" in str(one) for one in answer.context["messages"])
