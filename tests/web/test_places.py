"""Places on a frame: the shop's own names, and what is typed as it is said, wherever sites are."""

import pytest

from kentrobar.core.io.recipes import brief_of
from kentrobar.frames.models import Frame
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.models import Match, Place, Wish
from tests.pages import said

from .test_api import Program

UP = "21 in up, inside, under the grommets"


@pytest.fixture
def under(bench, racket):
    bench.post("/places/", {"name": "Under the crossbar", "kind": "racket", "said": UP})
    return f"own-{Place.objects.get().pk}-0"


def test_a_place_of_the_shop_is_offered_wherever_sites_are(bench, racket, under):
    recipes = bench.get(f"/frames/{racket.pk}/recipes/").context["form"]
    site = recipes.all_sites[under]
    assert (site.name, site.line, site.mirror, site.seen) == (
        "Under the crossbar",
        "inner",
        True,
        False,
    )
    gram = bench.get(f"/frames/{racket.pk}/one-gram/")
    assert "Under the crossbar" in [row["name"] for row in gram.context["rows"]]
    at = next(one for one in gram.context["effects"] if one.key == under)
    assert at.x_mm == pytest.approx(533.4, abs=1), "21 inches up"
    quick = bench.get("/quick/", {"shape": "racket-98", "mass_g": "300", "grams": "5"})
    assert under in [row.set_up.key for row in quick.context["rows"]]
    other = Frame(model="Fulmar 100")
    other.set_outline(racket.outline())
    other.save()
    other.take_readings(racket.figures()[0].measured(), "as-played")
    bench.post("/sets/new/", {"frame": [racket.pk, other.pk]})
    form = bench.get(Match.objects.get().get_absolute_url()).context["form"]
    assert under in form.all_sites
    court = bench.get(f"/frames/{racket.pk}/set-ups/").context["form"]
    assert under not in dict(court.fields["sites"].choices), "that does not come off on court"
    # By the frame it is on: a paddle has none.
    quick = bench.get("/quick/", {"shape": "paddle-even", "mass_g": "220", "grams": "5"})
    assert under not in [row.set_up.key for row in quick.context["rows"]]


def test_a_place_is_typed_as_it_is_said_and_stays_with_the_wish(bench, racket):
    there = f"/frames/{racket.pk}/recipes/"
    form = bench.get(there).context["form"]
    posted = {
        "base": form["base"].value(), "sites": ["handle"], "materials": form["materials"].value(),
        "priority": "swing", "goal-swing_kgcm2": "+5", "place": "5 cm from the tip, on both faces",
    }  # fmt: skip
    bench.post(there + "wish/", posted)
    wish = Wish.objects.get()
    key = "said-5-cm-from-the-tip-on-both-faces"
    assert wish.content["places"] == ["5 cm from the tip, on both faces"]
    assert set(wish.content["sites"]) == {"handle", key}
    form = bench.get(there).context["form"]
    assert form.all_sites[key].line == "face"
    refused = bench.post(there + "wish/", posted | {"place": "behind the moon"})
    assert refused.status_code == 422
    assert "no place" in said(refused)
    assert "behind the moon" in said(refused)


def test_a_place_that_is_none_or_there_already_is_refused(bench, under):
    for given, box in (
        ({"name": "Sides", "kind": "racket", "said": UP}, "name"),
        ({"name": "under the CROSSBAR", "kind": "racket", "said": UP}, "name"),
        ({"name": "Moon", "kind": "racket", "said": "behind the moon"}, "said"),
        ({"name": "Corner", "kind": "racket", "said": "bottom corners"}, "said"),
    ):
        answer = bench.post("/places/", given)
        assert (answer.status_code, set(answer.context["form"].errors)) == (422, {box})
    bench.post(f"/places/{Place.objects.get().pk}/delete/")
    assert not Place.live.exists()
    assert Place.objects.get().can_be_restored


@pytest.mark.parametrize(
    ("condition", "more", "line"),
    [
        ("as-played", {}, "face"),
        ("strung", {"strings_out": True}, "edge"),
        ("bare", {}, "edge"),
        ("bare", {"bumper_stays": True}, "face"),
    ],
)
def test_the_tip_is_where_strings_and_bumper_let_a_hand_go(racket, condition, more, line):
    assert Limited(**more).sites(racket.outline(), condition)["tip"].line == line


def test_what_lies_in_sight_is_not_hidden(bench, racket, under):
    hidden = Limited(hidden_only=True).sites(racket.outline(), "bare")
    assert set(hidden) == {"tip", "handle", "cap", "under-grip", under}
    said_so = Limited(hidden_only=True).sites(
        racket.outline(), "bare", ["10 and 2 under the grommets", "10 and 2, inside"]
    )
    assert set(said_so) - set(hidden) == {"said-10-and-2-under-the-grommets"}


def test_a_brief_takes_places_as_they_are_said():
    brief = {
        "format": "kentrobar-brief/1", "sites": ["all four corners", "in the handle"],
        "frame": {"kind": "paddle", "length_mm": 406, "width_mm": 192, "handle_mm": 133,
                  "corner_top_mm": 40, "corner_bottom_mm": 30, "rim_mm": 8, "beam_mm": 14,
                  "handle_radius_mm": 16},
        "measured": {"mass_g": 225, "balance_mm": 235, "swing_kgcm2": 112, "axis_mm": 50},
        "targets": {"swing_kgcm2": {"change": 4, "tol": 1}},
        "materials": [{"kind": "tape", "name": "tape", "g_per_mm": 0.01, "step_mm": 5}],
    }  # fmt: skip
    sites = brief_of(brief).sites
    assert [site.name for site in sites] == ["High corners", "Low corners", "Inside the handle"]
    with pytest.raises(ValueError, match=r"sites\[0\]"):
        brief_of(brief | {"sites": ["under the moon"]})


def test_advice_tries_the_shops_own_places_and_programs_are_told_them(bench, racket, under, user):
    page = bench.get(f"/frames/{racket.pk}/advice/", {"w": "power"})
    (own,) = [one for one in page.context["advice"].patterns if one.key == under]
    assert (own.name, own.mass_g) == ("Under the crossbar", pytest.approx(2.0, abs=0.2))
    program, there = Program(user), f"/frames/{racket.pk}/places"
    found = {one["key"]: one["site"] for one in program.do("get", there).json()}
    assert found[under]["line"] == "inner"
    told = program.do("get", f"{there}?said=10+and+2,+on+the+face").json()
    assert told[-1]["site"] | {"line": "face", "clock": 2} == told[-1]["site"]
    refused = program.do("get", f"{there}?said=behind+the+moon")
    assert (refused.status_code, refused.json()["at"]) == (422, "said")


def test_advice_and_set_ups_take_a_place_as_it_is_said(bench, racket):
    said_so = "5 cm from the tip, inside"
    page = bench.get(f"/frames/{racket.pk}/advice/", {"w": "power", "place": said_so})
    own = page.context["advice"].patterns[-1]
    assert own.name == said_so
    bench.post(
        f"/frames/{racket.pk}/advice/plan/", {"w": "power", "place": said_so, "pattern": own.key}
    )
    assert racket.plans.get().state().pieces[0].site == said_so
    refused = bench.get(f"/frames/{racket.pk}/advice/", {"place": "behind the moon"})
    assert "no place" in refused.context["place_fault"]
    there = f"/frames/{racket.pk}/set-ups/"
    form = bench.get(there).context["form"]
    posted = {name: form[name].value() for name in form.fields if form[name].value() is not None}
    posted["tape"] = form.fields["tape"].choices[0][0]
    made = bench.post(there, posted | {"sites": ["tip"], "place": said_so})
    assert made.status_code == 302, made.context["form"].errors
    search = racket.setup_searches.get()
    assert bench.get(f"/set-ups/{search.pk}/").status_code == 200
    refused = bench.post(there, {k: v for k, v in posted.items() if k != "sites"})
    assert refused.context["form"].errors["sites"]
