"""The workshop's borders: what cannot be read, what is asked twice at once, what was deleted, what
is too long."""

import json
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta

import pytest
from django.db import connection
from django.test import Client
from django.utils import timezone

from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.frames.models import Frame, Person
from kentrobar.plans import desk
from kentrobar.plans.models import Plan, Step
from kentrobar.stock.models import Material, Movement
from kentrobar.workshop.models import BlindTrial, Card, Job, JobStep, Sheet, Trial
from tests.pages import faults, told

TAPE = "lead-free tape, 6 mm"
LONG = "very " * 400 + "\0 long"
STRIP = Strip(id="p1", mass_g=3.0, clock=3, length_mm=76.2, mirror=True, material=TAPE, layers=1)


@pytest.fixture
def laid(racket):
    state = desk.state_from(racket, racket.figures()[0])
    putty = Plug(id="p2", mass_g=5.0, from_mm=8, to_mm=38, material="putty")
    return desk.create(racket, "laid", replace(state, pieces=(STRIP, putty)))


@pytest.fixture
def job(bench, racket):
    due = (timezone.localdate() + timedelta(days=5)).isoformat()
    bench.post(
        "/jobs/new/", {"who": "Ilva Sorrel", "said": "twists", "due": due, "frame": [racket.pk]}
    )
    return Job.objects.get()


# --- jobs
# ---------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("act", "posted", "words"),
    [
        ("done", {"minutes": "long"}, "no number of minutes"),
        ("done", {"minutes": "0"}, "between a minute and a hundred hours"),
        ("done", {"minutes": "1e9"}, "between a minute and a hundred hours"),
        ("done", {"minutes": "nan"}, "between a minute and a hundred hours"),
        ("skip", {}, "Why is it skipped"),
        ("skip", {"reason": "  "}, "Why is it skipped"),
        ("wait", {"until": "tomorrow"}, "is no day and time"),
        ("wait", {"until": "2020-01-01T10:00"}, "That time is past"),
    ],
)
def test_a_step_that_cannot_be_done_so_stays_open_and_says_why(bench, job, act, posted, words):
    posted = {"step": "target", "act": act} | posted
    page = bench.post(f"/jobs/{job.pk}/step/", posted, follow=True).content.decode()
    assert words in page
    step = JobStep.objects.get(job=job, kind="target")
    assert (step.status, step.waits_for, step.waits_until) == ("open", "", None)


def test_what_is_missing_is_done_only_knowingly_and_with_a_reason(bench, job):
    where = f"/jobs/{job.pk}/step/"
    done = {"step": "target", "act": "done"}
    assert told(bench.post(where, done, follow=True)) == ["error"]
    assert JobStep.objects.get(job=job, kind="target").status == "open"
    bench.post(where, done | {"reason": LONG})
    step = JobStep.objects.get(job=job, kind="target")
    assert step.status == "done"
    assert len(step.reason) <= 200
    assert "\0" not in step.reason


@pytest.mark.parametrize(
    "posted", [{}, {"step": "before"}, {"step": "nap", "act": "done"}, {"act": "done"}]
)
def test_a_step_there_is_not_is_not_found(bench, job, posted):
    assert bench.post(f"/jobs/{job.pk}/step/", posted).status_code == 404


def test_a_deleted_job_is_gone_until_it_is_undone(bench, job):
    bench.post(f"/jobs/{job.pk}/delete/")
    assert bench.get("/bench/").context["now"] == []
    for path in ("", "verdict/", "step/"):
        page = bench.post(f"/jobs/{job.pk}/{path}") if path else bench.get(f"/jobs/{job.pk}/")
        assert page.status_code == 404
    bench.post(job.undo_address)
    assert [line["who"] for line in bench.get("/bench/").context["now"]] == ["Ilva Sorrel"]
    assert bench.get(f"/jobs/{job.pk}/").status_code == 200


def test_a_job_of_more_frames_than_it_holds_says_so_and_drops_none_unseen(bench, racket):
    keys = list(range(racket.pk, racket.pk + 41))
    answer = bench.post("/jobs/new/", {"who": "Edda", "said": "all alike", "frame": keys})
    assert answer.status_code == 422
    assert faults(answer) == {"__all__", "due"}


def test_two_people_do_not_share_a_name_and_nothing_typed_is_lost(bench, job):
    Person.objects.create(name="Edda Quillan")
    typed = {"name": "Edda Quillan", "hand": "left", "level": "club", "notes": "prefers mornings"}
    answer = bench.post(f"/people/{job.person_id}/", typed)
    assert answer.status_code == 422
    assert faults(answer) == {"name"}
    assert "prefers mornings" in answer.content.decode()
    assert Person.objects.get(pk=job.person_id).name == "Ilva Sorrel"


def test_words_of_any_length_are_kept_as_far_as_they_fit(bench, job):
    bench.post(f"/jobs/{job.pk}/verdict/", {"verdict": LONG})
    job.refresh_from_db()
    assert 100 < len(job.verdict) <= 300
    bench.post(f"/jobs/{job.pk}/step/", {"step": "before", "act": "wait", "reason": LONG})
    assert len(JobStep.objects.get(job=job, kind="before").waits_for) <= 120


# --- sheets and stock
# ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("arcs", "words"),
    [
        ("6 19 no", "not a unit"),
        ("6 19 9999", "lies between 0 and"),
        ("-4 19", "lies between 0 and"),
        (" ".join(str(i) for i in range(1, 99)), "at most 80"),
    ],
)
def test_holes_that_cannot_be_are_not_kept(bench, laid, arcs, words):
    where = f"/frames/{laid.frame_id}/edit/"
    typed = {k: v or "" for k, v in bench.get(where).context["form"].initial.items()}
    answer = bench.post(where, typed | {"kind": "racket", "holes": arcs})
    assert words in answer.context["form"].errors["holes"][0]
    assert answer.context["form"]["holes"].value() == arcs
    assert bench.post(where, typed | {"kind": "racket", "holes": "6 19\n1.3 in"}).status_code == 302
    assert Frame.objects.get(pk=laid.frame_id).holes_mm == [6, 19, 33]


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ({"name": TAPE.upper()}, "of this name already"),
        ({"name": ""}, "required"),
        ({"width_mm": "-6"}, "above 0"),
        ({"maker_g_per_m": "0.0098"}, "A metre of strip weighs"),
        ({"toxicity": "3"}, "to 1, lead"),
        ({"price": "dear"}, "Write an amount"),
        ({"kind": "gold"}, "is none of these"),
    ],
)
def test_a_material_that_cannot_be_says_so_beside_the_box(bench, db, typed, words):
    sound = {
        "name": "slate tape",
        "kind": "tape",
        "width_mm": "6",
        "toxicity": "0",
        "cure_hours": "0",
        "warn_below": "0",
    }
    answer = bench.post("/stock/new/", sound | typed)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Material.objects.filter(name="slate tape").exists()


@pytest.mark.parametrize(
    ("amount", "words"),
    [("", "required"), ("0", "How much came"), ("-5", "Only 0"), ("1e9", "How much")],
)
def test_what_cannot_have_come_or_gone_is_asked_about(bench, db, amount, words):
    roll = Material.objects.get(name=TAPE)
    answer = bench.post(f"/stock/{roll.pk}/move/", {"amount": amount, "reason": "counted"})
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Movement.objects.exists()


def test_a_card_wants_a_signed_sheet_and_a_guessed_link_shows_nothing(bench, laid, client):
    page = bench.post(f"/plans/{laid.pk}/card/", follow=True).content.decode()
    assert "Sign the bench sheet off first" in page
    assert not Card.objects.exists()
    for token in ("x", "x" * 43, "..%2f..", "1"):
        assert client.get(f"/card/{token}/").status_code == 404


POSTED_ONLY = (
    "/plans/{plan}/sheet/tick/",
    "/plans/{plan}/sheet/sign-off/",
    "/plans/{plan}/sheet/take-off/",
    "/plans/{plan}/trial/keep/",
    "/plans/{plan}/card/",
    "/jobs/{job}/step/",
    "/jobs/{job}/verdict/",
    "/jobs/{job}/delete/",
    "/removed/workshop.job/{job}/restore/",
    "/data/read/",
    "/data/write/",
    "/data/restore/",
)


def test_nothing_is_changed_by_looking_and_a_browser_is_led_to_the_page_above(bench, laid, job):
    """As where a form came back refused, and its address is opened again."""
    kinds = (Plan, Step, Sheet, Trial, Card, Job, JobStep, Frame)
    before = [one.objects.count() for one in kinds]
    for path in POSTED_ONLY:
        path = path.format(plan=laid.pk, job=job.pk)
        assert bench.get(path, headers={"HX-Request": "true"}).status_code == 405, path
        answer = bench.get(path, follow=True)
        assert answer.status_code == 200, path
        led_to = answer.redirect_chain[-1][0]
        assert led_to == "/" or (path.startswith(led_to) and led_to.count("/") > 1), path
    assert [one.objects.count() for one in kinds] == before


# --- two hands at once
# --------------------------------------------------------------------------------


def at_once(user, act, hands=4):
    """Several people press one button in the same moment; their answers."""

    def press(_):
        client = Client()
        client.force_login(user)
        try:
            return act(client)
        finally:
            connection.close()

    with ThreadPoolExecutor(hands) as pool:
        return list(pool.map(press, range(hands)))


@pytest.mark.django_db(transaction=True)
def test_a_sheet_signed_off_by_four_hands_at_once_takes_from_the_shelf_once(user, laid):
    sign = f"/plans/{laid.pk}/sheet/sign-off/"
    answers = at_once(user, lambda client: client.post(sign, {"override": "1"}).status_code)
    assert set(answers) == {302}
    assert Sheet.objects.get(plan=laid).is_on
    taken = Movement.objects.filter(material__name=TAPE)
    assert [one.amount for one in taken] == [pytest.approx(-4 * 76.2)]


@pytest.mark.django_db(transaction=True)
def test_a_round_answered_by_four_thumbs_is_answered_once(user, racket):
    trial = BlindTrial.objects.create(
        frame=racket,
        first="as it was",
        second="3 g",
        order="ABBA",
        codes=["blue", "red"],
        token="t" * 43,
    )
    sent = json.dumps({"answers": [{"session": 0, "pair": 0, "said": "A"}]})
    court = f"/blind/{trial.token}/"
    at_once(user, lambda client: client.post(court, sent, "application/json"))
    trial.refresh_from_db()
    assert trial.answers == "A"


@pytest.mark.django_db(transaction=True)
def test_a_step_ticked_by_three_thumbs_is_ticked_unticked_and_ticked(user, laid):
    tick = f"/plans/{laid.pk}/sheet/tick/"
    answers = at_once(user, lambda client: client.post(tick, {"step": "look"}).status_code, hands=3)
    assert set(answers) == {302}
    assert set(Sheet.objects.get(plan=laid).ticks) == {"look"}
