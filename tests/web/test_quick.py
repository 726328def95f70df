"""A quick answer, and a wish in a customer's words, on PostgreSQL."""

from dataclasses import replace

import pytest
from django.utils.timezone import now

from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Wish
from kentrobar.workshop.cards import make_card
from kentrobar.workshop.models import Sheet
from tests.pages import said, told

from .conftest import Window

ASKED = {"shape": "racket-98", "mass_g": "300 g", "grams": "5"}


def test_a_mass_and_some_tape_are_answered_at_every_place(bench):
    assert bench.get("/quick/").context["rows"] == []
    rows = bench.get("/quick/", ASKED).context["rows"]
    assert [row.set_up.key for row in rows][:3] == ["tip", "shoulders", "sides"]
    told_of = {one.title: one for one in rows[0].figures}
    mass = told_of["Static weight"]
    assert (mass.number, mass.u, mass.change, mass.is_assumed) == ("305.0", "0.36", "+4.98", False)
    swing = told_of["Swing weight about 100 mm"]
    assert (swing.change, swing.change_u, swing.is_assumed) == ("+16.36", "", True)
    assert rows[0].balance == "3.6 pt head-light · 48.3 % of length"
    wanted = bench.get("/quick/", ASKED | {"wants": "twists"}).context["rows"]
    assert wanted[0].set_up.key == "sides"


@pytest.mark.parametrize(
    ("more", "at"),
    [
        ({"grams": "much"}, "grams"),
        ({"grams": "900"}, "grams"),
        ({"grams": "0"}, "grams"),
        ({"mass_g": "31"}, "mass_g"),
        ({"shape": "spoon"}, "shape"),
    ],
)
def test_what_cannot_be_answered_is_said(bench, more, at):
    answer = bench.get("/quick/", ASKED | more)
    assert (answer.status_code, set(answer.context["form"].errors)) == (422, {at})
    assert len(answer.context["faults"]) == 1
    assert answer.context["rows"] == []
    # One box is empty yet: that is no fault.
    assert bench.get("/quick/", ASKED | {"grams": ""}).status_code == 200


def test_one_click_makes_a_plan_on_a_frame_known_as_far_as_it_is(bench):
    chosen = ASKED | {"balance_mm": "32.4 cm", "set-up": "sides", "model": ""}
    made = bench.post("/quick/plan/", chosen, follow=True)
    frame, plan = Frame.objects.get(), Plan.objects.get()
    assert made.redirect_chain[-1][0] == plan.get_absolute_url()
    assert frame.model == "Racket, 98 in² head"
    assert sorted(one.typed for one in frame.readings.all()) == ["300 g", "32.4 cm"]
    state = plan.state()
    assert (state.assumed, len(state.pieces)) == (("swing_kgcm2", "twist_kgcm2"), 1)
    assert bench.post("/quick/plan/", ASKED | {"set-up": "moon"}).url == "/quick/"
    assert Frame.objects.count() == 1


def test_a_paddles_swing_weight_is_read_and_judged_about_its_own_axis(bench):
    asked = {"shape": "paddle-even", "mass_g": "7.9 oz", "swing_kgcm2": "108", "grams": "4"}
    answer = bench.get("/quick/", asked)
    assert answer.status_code == 200, "without a balance, too"
    first = answer.context["rows"][0]
    titles = {one.title: one for one in first.figures}
    swing = titles["Swing weight about 50 mm"]
    assert (swing.is_assumed, titles["Balance"].is_assumed) == (False, True)
    assert float(swing.number) == pytest.approx(108 + float(swing.change), abs=0.06)
    # Read about 100 mm it says another swing weight about 50 mm.
    other = bench.get("/quick/", asked | {"swing_kgcm2": "75", "axis": "100 mm"})
    about_50 = {one.title: one for one in other.context["rows"][0].figures}
    assert float(about_50["Swing weight about 50 mm"].number) == pytest.approx(115, abs=5)
    assert bench.get("/quick/", asked | {"axis": "5"}).context["form"].errors["axis"]


def test_what_is_unlikely_may_be_kept_and_goes_along_into_the_plan(bench):
    asked = ASKED | {"mass_g": "395 g"}
    doubted = bench.get("/quick/", asked)
    assert (doubted.status_code, doubted.context["form"].asks_to_confirm) == (422, True)
    assert "Yes, that’s correct" in said(doubted)
    kept = bench.get("/quick/", asked | {"confirm": "on"})
    assert len(kept.context["rows"]) > 5
    bench.post("/quick/plan/", asked | {"confirm": "True", "set-up": "sides"})
    assert Frame.objects.get().readings.get().confirmed
    plan = Plan.objects.get()
    page = said(bench.get(plan.get_absolute_url()))
    assert "as measured" not in page
    assert "assumed 3" in page, "beside its wedge"
    assert page.count("an assumed") >= 3, "balance, swing and twist weight"


def test_the_cut_stands_beside_the_grams_and_what_differs_is_said(bench):
    rows = bench.get("/quick/", ASKED | {"grams": "0.4 oz"}).context["rows"]
    by_key = {row.set_up.key: row for row in rows}
    assert by_key["sides"].cuts == [
        "11.20 g: lead-free tape, 6 mm, 4 × 95.3 mm, 3 layers",
        "11.20 g in all, of 11.34 g asked",
    ]  # fmt: skip
    assert by_key["handle"].cuts[-1] == "11.50 g in all, of 11.34 g asked"
    heavy = bench.get("/quick/", ASKED | {"grams": "30"}).context["rows"]
    tip = next(row for row in heavy if row.set_up.key == "tip")
    assert "Too many layers" in tip.warning


def test_another_kind_brings_the_page_whole_with_its_axis(bench):
    asked = ASKED | {"shape": "paddle-even", "mass_g": "224", "kind": "racket"}
    answer = bench.get("/quick/", asked, headers={"HX-Request": "true"})
    assert "kind=paddle" in answer["HX-Redirect"]


def test_a_wish_in_their_words_becomes_goals(bench, racket):
    there = f"/frames/{racket.pk}/recipes/"
    bench.post(there + "say/", {"said": "3 points more head-light, no slower"})
    goals = Wish.objects.get().content["goals"]
    assert goals["balance_mm"]["change"] == -9.525
    assert goals["swing_kgcm2"] == {"change": 0.0, "tol": 1.5, "axis_mm": 100.0}
    answer = bench.post(there + "say/", {"said": "rounder"})
    assert (answer.status_code, answer.context["said"]) == (422, "rounder")
    assert "not understood" in answer.context["said_chips"][0].why
    assert Wish.objects.get().content["goals"] == goals
    other = Frame(model="Fulmar 100", serial="F2")
    other.set_outline(racket.outline())
    other.save()
    other.take_readings(racket.figures()[0].measured(), "as-played")
    bench.post(there + "say/", {"said": "as f2"})
    assert Wish.objects.get().content["goals"]["mass_g"]["value"] == 316.8
    assert told(bench.get(there)) == []


def test_feel_compare_and_card_never_call_measured_what_was_assumed(bench, user):
    bench.post("/quick/plan/", ASKED | {"set-up": "sides"})
    plan = Plan.objects.get()
    bench.post(f"/plans/{plan.pk}/copy/")
    other = Plan.objects.exclude(pk=plan.pk).get()
    page = bench.get("/plans/compare/", {"p": [plan.pk, other.pk]})
    rows = {one.label: one.cells for one in page.context["differences"]}
    assert rows["Recoil weight"][0][0].endswith("kg·cm², start assumed")
    assert "assumed" not in rows["Static weight"][0][0]
    assert "as measured" not in said(page)
    feel = bench.get(f"/frames/{plan.frame_id}/feel/", {"with": f"plan:{plan.pk}"})
    assert "Partly assumed" in said(feel)
    assert "As measured" not in said(feel).partition("<main")[2]
    sheet = Sheet.objects.create(plan=plan, pieces=plan.content["pieces"], signed_off_at=now())
    card = said(bench.get(f"/cards/{make_card(plan, sheet, user).pk}/"))
    assert card.count("<small>assumed</small>") == 3
    assert "as measured" not in card


def test_what_nobody_read_is_compared_by_what_its_pieces_change(bench, plan, racket):
    state = plan.state()
    unread = replace(state, measured=replace(state.measured, twist_kgcm2=None))
    plan.content = unread.dump()
    plan.save()
    window = Window(bench, plan)
    window.do("edit/put", what="tape")
    bench.post(f"/plans/{plan.pk}/copy/")
    other = Plan.objects.exclude(pk=plan.pk).get()
    page = bench.get("/plans/compare/", {"p": [plan.pk, other.pk]})
    cells = {one.label: one.cells for one in page.context["differences"]}["Twist weight"]
    assert cells[0][0].startswith("not measured, +0.")
    assert cells[1][1] == "0.00 kg·cm²"
