"""A quick answer, and a wish in a customer's words, on PostgreSQL."""

import pytest

from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Wish
from tests.pages import told

ASKED = {"shape": "racket-98", "mass_g": "300 g", "grams": "5"}


def test_a_mass_and_some_tape_are_answered_at_every_place(bench):
    assert bench.get("/quick/").context["rows"] == []
    rows = bench.get("/quick/", ASKED).context["rows"]
    assert [row.set_up.key for row in rows][:3] == ["tip", "shoulders", "sides"]
    told_of = {title: (value, u, change) for title, value, u, _, change in rows[0].figures}
    assert told_of["Static weight"] == ("305.0", "0.36", "+4.98")
    assert told_of["Swing weight"][2] == "+16.72"
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
    assert (state.assumed, len(state.pieces)) == (("swing_kgcm2",), 1)
    assert bench.post("/quick/plan/", ASKED | {"set-up": "moon"}).url == "/quick/"
    assert Frame.objects.count() == 1


def test_a_wish_in_their_words_becomes_goals(bench, racket):
    there = f"/frames/{racket.pk}/recipes/"
    bench.post(there + "say/", {"said": "3 points more head-light, no slower"})
    goals = Wish.objects.get().content["goals"]
    assert goals["balance_mm"]["change"] == -9.525
    assert goals["swing_kgcm2"] == {"change": 0.0, "tol": 1.5, "axis_mm": 100.0}
    answer = bench.post(there + "say/", {"said": "rounder"})
    assert (answer.status_code, answer.context["said"]) == (422, "rounder")
    assert "not understood" in answer.context["said_rows"][0]["why"]
    assert Wish.objects.get().content["goals"] == goals
    other = Frame(model="Fulmar 100", serial="F2")
    other.set_outline(racket.outline())
    other.save()
    other.take_readings(racket.figures()[0].measured(), "as-played")
    bench.post(there + "say/", {"said": "as f2"})
    assert Wish.objects.get().content["goals"]["mass_g"]["value"] == 316.8
    assert told(bench.get(there)) == []
