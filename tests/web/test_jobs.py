"""Jobs, cards, blind trials, history and open data on PostgreSQL."""

import io
import json
from dataclasses import replace
from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from kentrobar.core.frame.targets import Targets
from kentrobar.core.numbers import ufloat
from kentrobar.core.pieces.strip import Strip
from kentrobar.demo import workshop as demo
from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material, Movement
from kentrobar.workshop import whole
from kentrobar.workshop.models import BlindTrial, Card, Job, JobStep, Sheet
from tests.core.frames import PADDLE_READ, TERN
from tests.pages import said, told

TAPE = "lead-free tape, 6 mm"


def due(days=5):
    return (timezone.localdate() + timedelta(days=days)).isoformat()


def take_in(bench, *frames, **more):
    posted = {
        "who": "Ilva Sorrel",
        "said": "twists",
        "due": due(),
        "frame": [frame.pk for frame in frames],
    } | more
    return bench.post("/jobs/new/", posted)


@pytest.fixture
def job(bench, racket):
    about = {"hand": "left", "level": "strong", "style": "net"}
    assert take_in(bench, racket, **about).status_code == 302
    return Job.objects.get()


def act(bench, job, kind, what, **more):
    return bench.post(f"/jobs/{job.pk}/step/", {"step": kind, "act": what} | more, follow=True)


def status(job, kind):
    return JobStep.objects.get(job=job, kind=kind).status


def fitted(racket, user=None, targets=None):
    """A plan with tape at the sides, signed off."""
    plan = desk.start(racket, racket.figures()[0], user)
    strip = Strip(
        id="p1", mass_g=2.99, clock=3, length_mm=76.2, mirror=True, material=TAPE, layers=1
    )
    state = replace(plan.state(), pieces=(strip,), targets=targets or Targets())
    Plan.objects.filter(pk=plan.pk).update(content=state.dump())
    return Plan.objects.get(pk=plan.pk)


# --- taking in, step by step
# -------------------------------------------------------------------------


def test_a_job_in_which_every_frame_is_refused_can_only_be_skipped(bench, racket):
    take_in(bench, racket, **{f"refused-{racket.pk}": "crack at the throat"})
    job = Job.objects.get()
    page = bench.get(job.get_absolute_url())
    assert [lack.code for lack in page.context["lacks"]] == ["all-refused"]
    assert [one.refused for one, _ in page.context["taken_in"]] == ["crack at the throat"]
    assert told(act(bench, job, "before", "done")) == ["error"]


def test_a_frame_is_found_among_many_and_what_is_ticked_stays(bench, racket):
    for i in range(30):
        other = Frame(model=f"Fulmar {i}")
        other.set_outline(racket.outline())
        other.save()
    typed = {"frame": racket.pk, f"arrived-{racket.pk}": "scuffed", "said": "no depth", "find": "1"}
    answer = bench.post("/jobs/new/", typed | {"q": "fulmar"})
    assert (len(answer.context["frames"]), answer.context["more"]) == (21, True)
    answer = bench.post("/jobs/new/", typed | {"q": "fulmar 29"})
    assert (answer.status_code, Job.objects.count()) == (200, 0)
    found = [(one.frame.model, on, one.arrived) for one, on in answer.context["frames"]]
    assert found == [("Tern 98", True, "scuffed"), ("Fulmar 29", False, "")]
    page = said(answer)
    for words in (f'value="{racket.pk}" checked', 'value="scuffed"', 'value="no depth"'):
        assert words in page


@pytest.mark.parametrize(
    ("more", "at"),
    [
        ({"due": "2020-01-01"}, "due"),
        ({"due": "soon"}, "due"),
        ({"who": ""}, "who"),
        ({"email": "ilva at home"}, "email"),
        ({"frame": []}, "__all__"),
        ({"due": due(800)}, "due"),
    ],
)
def test_a_job_that_cannot_be_taken_in_keeps_what_was_written(bench, racket, more, at):
    answer = take_in(bench, racket, said="no depth", **more)
    assert answer.status_code == 422
    assert set(answer.context["form"].errors) == {at}
    assert answer.context["form"]["said"].value() == "no depth"
    assert not Job.objects.exists()


def test_an_overfull_day_is_shown_before_it_is_promised(bench, racket):
    Settings(pk=1, day_minutes=60).save()
    answer = take_in(bench, racket, due=due(0))
    assert answer.status_code == 422
    assert answer.context["form"].errors.as_data()["due"][0].code == "over-full"
    assert take_in(bench, racket, due=due(0), over_full="on").status_code == 302
    assert "too much is due by then" in bench.get("/bench/").content.decode()


def test_waits_end_by_themselves(bench, job):
    act(bench, job, "target", "wait", reason="strings ordered")
    assert "strings ordered" in bench.get("/bench/").content.decode()
    assert bench.get("/bench/").context["waiting"]
    past = (timezone.now() - timedelta(hours=1)).isoformat(timespec="minutes")
    assert told(act(bench, job, "target", "wait", until=past)) == ["error"]
    soon = (timezone.now() + timedelta(hours=5)).isoformat(timespec="minutes")
    act(bench, job, "target", "wait", reason="glue", until=soon)
    (waits,) = bench.get("/bench/").context["waiting"]
    assert waits["waits"].startswith("glue until ")
    JobStep.objects.filter(kind="target").update(
        waits_until=timezone.now() - timedelta(minutes=1), waits_for=""
    )
    assert not bench.get("/bench/").context["waiting"]


def test_what_steps_took_here_corrects_the_estimates(bench, job):
    def estimate():
        return {one.kind: minutes for one, minutes in page().context["rows"]}["target"]

    def page():
        return bench.get(job.get_absolute_url())

    before = estimate()
    JobStep.objects.filter(kind="target").update(status="done", minutes=100, done_at=timezone.now())
    assert estimate() > before
    assert page().context["price"]["all"] > 0
    # By hand, what the clock said is put right.
    act(bench, job, "target", "took", minutes="5,5")
    assert JobStep.objects.get(kind="target").minutes == 5.5
    assert told(act(bench, job, "target", "took", minutes="long")) == ["error"]
    assert JobStep.objects.get(kind="target").minutes == 5.5


def test_people_keep_their_frames_under_a_new_name(bench, job, racket):
    Frame.objects.filter(pk=racket.pk).update(player=Person.named("Ilva Sorrel"))
    assert Person.objects.get().style == "net"
    bench.post(
        f"/people/{job.person_id}/", {"name": "Ilva Ould", "hand": "", "level": "", "notes": "tall"}
    )
    racket.refresh_from_db()
    assert racket.player.name == "Ilva Ould"
    assert Person.objects.get().frames.get() == racket
    bench.post(f"/jobs/{job.pk}/verdict/", {"verdict": "steadier"})
    bench.post(f"/jobs/{job.pk}/delete/")
    assert bench.get(job.get_absolute_url()).status_code == 404
    bench.post(job.undo_address)
    assert "steadier" in bench.get(job.get_absolute_url()).content.decode()


# --- cards
# ------------------------------------------------------------------------------------------


def test_a_card_shows_itself_alone_until_it_is_revoked(bench, racket, client, user):
    plan = fitted(racket, user)
    assert (
        "Sign the bench sheet off first"
        in bench.post(f"/plans/{plan.pk}/card/", follow=True).content.decode()
    )
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    bench.post(f"/plans/{plan.pk}/card/")
    card = Card.objects.get()
    assert len(card.token) >= 43
    assert bench.get(f"/cards/{card.pk}.pdf").content.startswith(b"%PDF-")
    client.logout()
    page = client.get(f"/card/{card.token}/")
    text = page.content.decode()
    assert "319.8" in text
    assert "as predicted; not read again yet" in text
    assert page["Referrer-Policy"] == "no-referrer"
    assert "noindex" in page["X-Robots-Tag"]
    assert "/frames/" not in text
    assert client.get(f"/cards/{card.pk}/").status_code == 302
    assert client.get(f"/card/{card.token[:-1]}/").status_code == 404
    client.force_login(user)
    client.post(f"/links/card/{card.pk}/end/")
    client.logout()
    assert client.get(f"/card/{card.token}/").status_code == 404
    # What was handed over does not change with the plan.
    assert card.content["plan"]["pieces"][0]["mass_g"] == 2.99


def test_a_card_tells_what_was_read_after(bench, racket, user):
    plan = fitted(racket, user)
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    racket.take_readings(replace(racket.figures()[0].measured(), mass_g=319.9), "as-played", user)
    bench.post(f"/plans/{plan.pk}/card/")
    assert Card.objects.get().content["is_read"]
    assert "319.9" in bench.get(f"/cards/{Card.objects.get().pk}/").content.decode()


# --- history
# ----------------------------------------------------------------------------------------


def test_history_shows_what_is_on_and_explains_what_was_lost(bench, racket, user):
    plan = fitted(racket, user)
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    whole = replace(
        racket.figures()[0].measured(),
        mass_g=319.79,
        balance_mm=325.26,
        swing_kgcm2=319.7,
        twist_kgcm2=13.84,
    )
    racket.take_readings(whole, "as-played", user)
    assert plan.name in bench.get(f"/frames/{racket.pk}/history/").content.decode()
    # Weeks later the tape is gone.
    lost = replace(whole, mass_g=316.8, balance_mm=323.5, swing_kgcm2=314.6, twist_kgcm2=13.4)
    racket.take_readings(lost, "as-played", user)
    page = bench.get(f"/frames/{racket.pk}/history/")
    assert not page.context["drift"].is_agreed
    assert "Piece 1 is lost" in page.context["drift"].suspicions[0].text
    bench.post(f"/plans/{plan.pk}/sheet/take-off/")
    page = bench.get(f"/frames/{racket.pk}/history/")
    assert page.context["on"] == []
    assert len(page.context["plots"]) == 4


# --- blind trials
# -----------------------------------------------------------------------------------


def test_a_blind_trial_is_answered_on_court_and_judged_exactly(bench, racket, client):
    where = f"/frames/{racket.pk}/blind/"
    assert (
        bench.post(
            where, {"first": "as it was", "second": "As it was", "asks": "tell", "rounds": 12}
        ).status_code
        == 422
    )
    bench.post(
        where, {"first": "as it was", "second": "3 g at the sides", "asks": "tell", "rounds": 12}
    )
    trial = BlindTrial.objects.get()
    client.logout()
    court = f"/blind/{trial.token}/"
    page = client.get(court)
    assert len(page.context["told"]["rounds"]) == 12
    assert not any(code in page.content.decode() for code in trial.codes)

    def answer(number, said):
        one = {"session": 0, "pair": number, "said": said}
        return client.post(court, json.dumps({"answers": [one]}), "application/json")

    for number, truth in enumerate(trial.order):
        said = truth if number > 1 else ("B" if truth == "A" else "A")
        answer(number, said)
        answer(number, said)  # pressed twice
    assert answer(12, "A").json()["is_over"]
    trial.refresh_from_db()
    assert len(trial.answers) == 12
    assert client.get("/blind/guessed/").status_code == 404
    client.force_login(trial.made_by)
    page = client.get(f"/blind-trials/{trial.pk}/")
    assert page.context["result"]["words"] == "10 of 12 told right"
    assert page.context["result"]["chance"] == pytest.approx(79 / 4096)


# --- open data
# --------------------------------------------------------------------------------------

TABLE = """name;serial;condition;mass_g;balance_cm;swing_kgcm2;axis_mm;measured_on
Tern 98;no. 07;as played;316,8;32,35;314,6;100;
Tern 98;no. 40;strung;300,1;32,1;300;100;14.3.2026
Tern 98;no. 41;strung;300,1;32,1;300;;14.3.2026
Tern 98;no. 42;strung;300,1;321;300;100;14.3.2026
Tern 98;no. 40;bare;284;;;;15.3.2026
"""


def test_a_table_shows_the_fate_of_every_row_before_anything_is_written(bench, racket):
    page = bench.post("/data/read/", {"text": TABLE})
    fates = [(fate["what"], bool(fate["faults"])) for fate in page.context["table"].answer["fates"]]
    assert fates == [
        ("already there", False),
        ("a new frame", False),
        ("a new frame", True),
        ("a new frame", True),
        ("readings for line 3", False),
    ]
    assert Frame.objects.count() == 1
    file = SimpleUploadedFile("t.csv", TABLE.encode("cp1252"))
    assert len(bench.post("/data/read/", {"file": file}).context["table"].answer["fates"]) == 5
    bench.post("/data/write/")
    made = Frame.objects.get(serial="no. 40")
    assert {(r.condition, r.quantity): r.value for r in made.readings.all()} == {
        ("strung", "mass_g"): 300.1,
        ("strung", "balance_mm"): pytest.approx(321),
        ("strung", "swing_kgcm2"): 300.0,
        ("bare", "mass_g"): 284.0,
    }
    assert Frame.objects.count() == 2
    # Sent twice, or brought in twice, nothing is there twice.
    assert bench.post("/data/write/").context["table"].answer["new"] == 1
    bench.post("/data/read/", {"text": TABLE})
    bench.post("/data/write/")
    assert Frame.objects.count() == 2
    assert made.readings.count() == 4
    assert bench.post("/data/read/", {"text": "colour\nred"}).status_code == 422


def test_a_row_in_another_unit_is_doubted_before_it_is_written(bench, racket):
    page = bench.post(
        "/data/read/", {"text": "name;serial;mass_g\nTern 98;no. 41;10,6\nTern 98;no. 42;301"}
    )
    ounces, sound = page.context["table"].answer["fates"]
    assert "Did you mean 10.6 oz (300.5 g)?" in ounces["doubts"][0]
    assert sound["doubts"] == []
    assert "1 of them is doubtful" in said(page)


def test_frames_go_out_as_a_table_that_comes_in_again(bench, racket, paddle):
    """Where they are, nothing is written; elsewhere, the same figures, as sure as they were, in
    every condition, of a frame without a mark too."""
    Frame.objects.filter(pk=paddle.pk).update(serial="")
    paddle.take_readings(replace(PADDLE_READ, mass_g=ufloat(231.4, 0.037)), "bare")
    text = bench.get("/data/frames.csv").content.decode()
    page = bench.post("/data/read/", {"text": text})
    fates = [fate["what"] for fate in page.context["table"].answer["fates"]]
    assert sorted(set(fates)) == ["a new frame", "already there", "readings for line 2"]

    def figures():
        rows = Reading.objects.values_list("frame__model", "quantity", "condition", "value", "u")
        return sorted(rows, key=str)

    before = figures()
    Frame.objects.all().delete()
    bench.post("/data/read/", {"text": text})
    bench.post("/data/write/")
    assert Frame.objects.count() == 2
    known = {row[:4]: row[4] for row in figures()}
    assert known.keys() == {row[:4] for row in before}
    for row in before:
        assert row[4] is None or known[row[:4]] == pytest.approx(row[4]), row


def test_no_row_of_a_table_is_lost_unseen(bench):
    """Rows behind a quotation mark that stands open, and those beyond a file too large."""
    rows = [f"Tern {i};{300 + i}" for i in range(20)]
    rows[4] = '"Tern 4;304'
    rows[15] = '"Tern 15";315'
    page = bench.post("/data/read/", {"text": "\n".join(["name;mass_g", *rows])})
    fates = page.context["table"].answer["fates"]
    assert "lines 6 to 17 are one row: a quotation mark stands open" in fates[4]["faults"]
    assert page.context["table"].answer["kept"] == 8
    large = SimpleUploadedFile("t.csv", b"name;mass_g\n" + b"Tern;300\n" * 600_000)
    assert "5 MB at most" in said(bench.post("/data/read/", {"file": large}))


@pytest.mark.django_db(transaction=True)
def test_the_whole_workshop_is_restored_into_an_empty_one_as_it_was(client):
    demo.load()
    before = json.loads("".join(whole.streamed()))
    client.force_login(
        Plan.objects.first().steps.first().made_by
        or Reading.objects.exclude(read_by=None)[0].read_by
    )
    text = b"".join(client.get("/data/workshop.json"))
    refused = client.post(
        "/data/restore/", {"file": SimpleUploadedFile("w.json", text)}, follow=True
    )
    assert "a workshop is restored into an empty one" in refused.content.decode()
    assert b"password" not in text
    for model in reversed(whole.tables()):
        getattr(model, "objects", model._default_manager).all().delete()
    for wrong in (
        b"{}",
        b"no",
        b'{"format": "kentrobar-workshop/2", "rows": [{"model": "auth.user", "fields": {}}]}',
    ):
        answer = client.post("/data/restore/", {"file": io.BytesIO(wrong)}, follow=True)
        assert "Not restored, nothing was changed" in answer.content.decode()
    client.post("/data/restore/", {"file": SimpleUploadedFile("w.json", text)})
    after = json.loads("".join(whole.streamed()))
    assert after["rows"] == before["rows"]
    # And work goes on: new rows are numbered after the restored ones.
    made = Frame(model="Tern 98", serial="after")
    made.set_outline(TERN)
    made.save()
    assert made.pk > max(row["pk"] for row in before["rows"] if row["model"] == "frames.frame")
    assert Movement.objects.count() == sum(
        row["model"] == "stock.movement" for row in before["rows"]
    )
    assert Material.objects.exists()
    assert json.loads(text)["format"] == "kentrobar-workshop/2"
    assert Sheet.objects.count() == 0
