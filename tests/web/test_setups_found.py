"""Finding a set-up on PostgreSQL: drawn, told as moves, answered on court, ended, made a plan and
remembered."""

import json
import re

import pytest
from django.test import Client

from kentrobar.core.court.search import standing
from kentrobar.frames.models import Frame, Person
from kentrobar.plans.models import Plan
from kentrobar.workshop import liked
from kentrobar.workshop.models import SetupSearch
from tests.core.frames import READ, TERN
from tests.pages import faults, said

from .conftest import measured_frame


@pytest.fixture
def search(bench, racket):
    racket.player = Person.objects.create(name="Edda Skarv", level="club")
    racket.save()
    page = bench.get(f"/frames/{racket.pk}/set-ups/")
    form = page.context["form"]
    posted = {name: form[name].value() for name in form.fields if form[name].value() is not None}
    posted["tape"] = form.fields["tape"].choices[0][0]
    bench.post(f"/frames/{racket.pk}/set-ups/", posted | {"pairs": "2", "is_blind": "on"})
    return fitted(SetupSearch.objects.get())


def fitted(search, sessions=99):
    """So many sessions were fitted by the bench."""
    search.content["fitted"] = sessions
    search.save()
    return search


def answer(search, *said_of):
    """As a phone sends them; ``said_of`` are (session, pair, word)."""
    sent = [{"session": s, "pair": p, "said": word, "aspects": {}} for s, p, word in said_of]
    found = Client().post(
        f"/court/{search.token}/", json.dumps({"answers": sent}), "application/json"
    )
    search.refresh_from_db()
    return found


def play(search, likes):
    """Answer every pair until it is over; ``likes`` says how much a set-up is liked."""
    for _ in range(12):
        if search.is_answered:
            return
        last = len(search.sessions) - 1
        words = []
        for i, (a, b) in enumerate(search.sessions[last]):
            d = likes(search.content["setups"][a]) - likes(search.content["setups"][b])
            words.append((last, i, "same" if abs(d) < 0.5 else "better" if d > 0 else "worse"))
        answer(search, *words)


def test_a_search_from_the_first_pair_to_a_plan_and_what_is_liked(bench, racket, search):
    answer_page = bench.get(f"/set-ups/{search.pk}/")
    page = said(answer_page)
    assert "Fit the first pair" in page
    steps = [step for pair in answer_page.context["session"] for step in pair["steps"]]
    felt = [step["felt"] for step in steps if step["setup"]]
    assert felt
    assert all("km/h" in words and words in page for words in felt), "what it does to strokes"
    assert search.token in page
    play(search, lambda one: -3 * abs(one["place"][2] - 2.0) - abs(one["place"][0] - 1.2))
    assert search.is_answered
    now = standing(search.places(), search.told(), search.cost)
    assert now.verdict == "better"
    swing = search.content["setups"][now.best]["place"][2]
    assert swing >= 1.5
    page = said(bench.get(f"/set-ups/{search.pk}/"))
    assert "Stop: the best is liked more" in page
    assert page.count("spot-best") == 2
    bench.post(f"/set-ups/{search.pk}/plan/")
    plan = Plan.objects.get()
    assert sum(piece.mass_g for piece in plan.state().pieces) == pytest.approx(
        sum(search.content["setups"][now.best]["grams"].values()), abs=0.02
    )
    likes = Person.objects.get().likes["racket"]["swing_kgcm2"]
    assert likes[0] - 0.01 <= 5 * swing <= likes[1] + 0.01
    # The next frame of this player starts from it.
    other = measured_frame(TERN, READ, serial="9")
    other.player = racket.player
    other.save()
    for view in ("recipes", "advice"):
        page = said(bench.get(f"/frames/{other.pk}/{view}/"))
        assert "likes, as found on court" in page
    other = Frame.objects.get(pk=other.pk)
    wish = liked.wish_of(other)
    asked = bench.post(f"/frames/{other.pk}/recipes/say/", {"said": wish}, follow=True)
    assert not asked.context.get("said_fault"), wish
    assert wish.startswith("swing weight +")


def test_who_always_likes_more_is_offered_a_search_with_more(bench, racket, search):
    play(search, lambda one: 3 * one["place"][0])
    page = said(bench.get(f"/set-ups/{search.pk}/"))
    assert "The best lies beyond them" in page
    (further,) = re.findall(r"/frames/\d+/set-ups/\?beyond=\d+", page)
    form = bench.get(further).context["form"]
    assert (form["most_g"].value(), form["swing_kgcm2"].value()) == (18.0, 37.5)
    assert form["sites"].value() == search.content["asked"]["sites"]
    other = measured_frame(TERN, READ, serial="9")
    usual = bench.get(f"/frames/{other.pk}/set-ups/?beyond={search.pk}").context["form"]
    assert usual["most_g"].value() == 12.0, "a search of another frame says nothing here"


def test_what_is_to_be_cut_weighs_what_stands_beside_it(search):
    """Strips on both faces and in layers were told as one or two: a quarter of the grams."""
    found = []
    for number in range(len(search.content["setups"])):
        for piece in search.pieces(number):
            words = search.at_site(number, piece.site)
            if cut := re.match(r"(?:(\d+) × )?([\d.]+) mm, .*: ([\d.]+) g", words):
                found.append(float(cut[3]) / (float(cut[1] or 1) * float(cut[2])))
    assert len(found) > 10
    assert max(found) < 1.1 * min(found), "g of a mm of one tape"


def test_who_feels_nothing_is_told_so_and_nothing_is_remembered(bench, search):
    play(search, lambda one: 0.0)
    page = said(bench.get(f"/set-ups/{search.pk}/"))
    assert "not told apart" in page or "nothing tried is liked more" in page
    bench.post(f"/set-ups/{search.pk}/plan/")
    assert Person.objects.get().likes == {}
    assert not Plan.objects.exists()


def test_the_phone_never_asks_about_a_set_up_nobody_fitted(bench, search):
    fitted(search, 0)
    waits = answer(search, (0, 0, "better")).json()
    assert (waits["rounds"], waits["waits"], search.answers) == ([], True, [])
    assert "is fitted: ask the player" in said(bench.get(f"/set-ups/{search.pk}/"))
    bench.post(f"/set-ups/{search.pk}/fitted/")
    assert not any(one["moves"] for one in answer(search).json()["rounds"]), "under covers"
    search.content["is_blind"] = False
    search.save()
    asked = answer(search).json()
    (first, second), moves = asked["rounds"][0]["which"], asked["rounds"][0]["moves"]
    assert all(move.startswith(f"{second}: ") for move in moves), "the first was fitted here"
    assert first != second
    assert moves
    between = answer(search, (0, 0, "same"), (0, 1, "same")).json()
    assert (between["session"], between["waits"]) == (1, True), "the bench fits the next"


def test_names_on_court_never_collide(search):
    search.sessions = [[[n, n + 1] for n in range(0, 120, 2)]]
    names = [search.cover(number) for number in range(120)]
    assert len(set(names)) == 120
    assert not any(re.fullmatch(rf"{one} \d+", other) for one in names for other in names)


def test_only_tape_that_comes_off_in_a_minute_is_changed_on_court(bench, racket):
    form = bench.get(f"/frames/{racket.pk}/set-ups/").context["form"]
    assert not {"under-grip", "handle", "cap"} & set(form.there)
    posted = {name: form[name].value() for name in form.fields if form[name].value() is not None}
    posted |= {"sites": [], "place": "under the grip", "tape": form.fields["tape"].choices[0][0]}
    refused = bench.post(f"/frames/{racket.pk}/set-ups/", posted)
    assert "does not come off in a minute" in said(refused)


def test_answers_come_together_and_each_counts_once(search):
    first = answer(search, (0, 1, "better"), (0, 0, "same"))
    assert first.json()["session"] == 1, "all answered: the next session is drawn"
    assert len(search.answers) == 2
    answer(
        search, (0, 0, "worse"), (0, 1, "worse"), (7, 0, "same"), (0, 9, "same"), (-1, 0, "same")
    )
    assert [one["said"] for one in search.answers] == ["better", "same"]
    assert len(search.sessions) == 2


@pytest.mark.parametrize(
    "body", ["", "[]", '{"answers": [{}]}', '{"answers": 5}', "[" * 9000,
             '{"answers": [{"session": Infinity, "pair": 0, "said": "same"}]}'],
)  # fmt: skip
def test_what_is_no_answer_is_refused(search, body):
    found = Client().post(f"/court/{search.token}/", body, "application/json")
    assert found.status_code == 400
    search.refresh_from_db()
    assert search.answers == []


def test_on_court_only_covers_are_shown_and_the_link_ends(bench, search):
    page = Client().get(f"/court/{search.token}/")
    shown = said(page)
    for setup in search.content["setups"][1:]:
        for site in setup["grams"]:
            assert search.content["names"][site] not in shown
    assert page.headers["Cache-Control"].startswith("max-age=0")
    bench.post(f"/links/setup-search/{search.pk}/end/", {"lasts": "now"})
    assert Client().get(f"/court/{search.token}/").status_code == 404
    assert answer(search, (0, 0, "same")).status_code == 404


def test_a_frame_nobody_read_is_searched_on_by_what_is_usual_or_says_why_not(bench, db):
    frame = Frame(model="Gull")
    frame.set_outline(TERN)
    frame.save()
    assert bench.get(f"/frames/{frame.pk}/set-ups/").status_code == 200


def test_too_many_sites_or_a_tape_that_fits_nowhere_is_said_beside_the_box(bench, racket):
    page = f"/frames/{racket.pk}/set-ups/"
    tape = bench.get(page).context["form"].fields["tape"].choices[0][0]
    posted = {"tape": tape, "most_g": "12", "swing_kgcm2": "", "pairs": "3"}
    many = bench.post(page, posted | {"sites": ["tip", "sides", "shoulders", "throat"]})
    assert faults(many) == {"sites"}
    narrow = posted | {"sites": ["tip"], "swing_kgcm2": "0,5", "twist_kgcm2": "-2"}
    assert faults(bench.post(page, narrow)) == {"twist_kgcm2"}
    assert faults(bench.post(page, narrow | {"twist_kgcm2": ""})) == {"tape"}
    assert not SetupSearch.objects.exists()
    bench.post(page, narrow | {"swing_kgcm2": "15", "twist_kgcm2": ""})
    swings = [one["place"][2] for one in SetupSearch.objects.get().content["setups"]]
    assert 0 < 5 * max(swings) <= 15
