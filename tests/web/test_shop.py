"""The shop's own place, money and name: on every page by its clock, on what leaves the house."""

import re
from datetime import UTC, date, datetime, timedelta

import pytest
from django.utils import timezone

from kentrobar.frames.models import Person, Reading
from kentrobar.shop.links import stays_here
from kentrobar.shop.models import Settings
from kentrobar.workshop.cards import make_card
from kentrobar.workshop.models import BlindTrial, Card, Job, Sheet
from tests.pages import faults, said

MIDDAY = datetime(2026, 11, 26, 12, 30, tzinfo=UTC)
"""Half past one in the night of the 27th in Auckland; in Los Angeles half past four before dawn."""


@pytest.fixture
def at(monkeypatch):
    def moment(when=MIDDAY, **shop):
        monkeypatch.setattr(timezone, "now", lambda: when)
        Settings(pk=1, **shop).save()

    return moment


@pytest.mark.parametrize(
    ("zone", "late", "head"),
    [
        ("Pacific/Auckland", True, "Friday 27 November"),
        ("America/Los_Angeles", False, "Thursday 26 November"),
        ("", False, "Thursday 26 November"),
    ],
)
def test_a_day_ends_at_the_shops_midnight(bench, racket, at, zone, late, head):
    at(time_zone=zone)
    job = Job.objects.create(person=Person.named("Edda"), due=date(2026, 11, 26))
    job.taken_in.create(frame=racket)
    job.steps.create(kind="hand-over")
    page = said(bench.get("/bench/"))
    assert head in page
    assert bench.get(f"/jobs/{job.pk}/").context["standing"].is_late is late


def test_what_is_written_out_is_read_by_as_the_same_day(bench, racket, at):
    """A reading late in the evening, in UTC still the day before: no second one is made of it."""
    at(time_zone="Pacific/Auckland")
    Reading.objects.update(read_at=datetime(2026, 11, 25, 20, 0, tzinfo=UTC))
    table = b"".join(bench.get("/data/frames.csv")).decode("utf-8-sig")
    assert "2026-11-26" in table
    assert "2026-11-25" not in table


@pytest.mark.parametrize("when", ["2026-03-29T02:30", "2026-10-25T02:30"])
def test_an_hour_that_is_not_or_twice_is_asked_about(bench, racket, at, when):
    """The clocks of Oslo go forward and back: half past two is no moment, or two."""
    at(time_zone="Europe/Oslo")
    posted = {"method": "reported", "quantity": "mass_g", "read_at": when}
    answer = bench.post(f"/frames/{racket.pk}/measure/", posted)
    assert "read_at" in faults(answer)


def test_times_stand_in_the_shops_zone(bench, at):
    at(time_zone="Europe/Oslo")
    assert re.search("times in CES?T", said(bench.get("/")))
    answer = bench.post("/settings/", {"time_zone": "Mars/Olympus"})
    assert "time_zone" in faults(answer)


def test_money_is_the_shops(bench, racket, at):
    at(currency="kr")
    job = Job.objects.create(person=Person.named("Edda"), due=date(2026, 11, 30), price=120)
    job.taken_in.create(frame=racket)
    page = said(bench.get(f"/jobs/{job.pk}/"))
    assert "120.00 kr" in page
    assert "5.00 kr" in page, "by the rates as well"


def test_a_card_carries_the_shop_and_its_public_address(bench, client, plan, at):
    at(
        shop_name="Bench on the Quay",
        contact="Quay 7, Skerrow",
        public_address="https://quay.example",
    )
    sheet = Sheet.objects.create(plan=plan, signed_off_at=timezone.now())
    card: Card = make_card(plan, sheet, None)
    page = said(bench.get(f"/cards/{card.pk}/"))
    assert f"https://quay.example/card/{card.token}/" in page
    assert "on this machine only" not in page
    assert "Bench on the Quay, Quay 7" in said(client.get(f"/card/{card.token}/")).replace(
        "</b>", ""
    )
    at(shop_name="Bench on the Quay")
    here = said(bench.get(f"/cards/{card.pk}/", headers={"host": "localhost"}))
    assert "on this machine only" in here


@pytest.mark.parametrize(
    ("link", "here"),
    [("http://127.0.0.1:8831/card/", True), ("http://localhost/", True), ("http://[::1]:1/", True),
     ("https://192.168.7.20:8841/", False), ("https://quay.example/", False)],
)  # fmt: skip
def test_links_that_stay_here(link, here):
    assert stays_here(link) is here


# --- links players have ---


def given(plan, **facts):
    sheet = Sheet.objects.create(plan=plan, signed_off_at=timezone.now())
    card = make_card(plan, sheet, None)
    Card.objects.filter(pk=card.pk).update(**facts)
    trial = BlindTrial.objects.create(
        frame=plan.frame, first="bare", second="3 g", order="ABBA", codes=["heron", "avocet"],
        token=card.token[::-1], **facts,
    )  # fmt: skip
    return {
        "card": (f"/card/{card.token}/", card.pk),
        "blind": (f"/blind/{trial.token}/", trial.pk),
    }


@pytest.mark.parametrize("kind", ["card", "blind"])
def test_a_link_ends_when_it_is_wished_or_its_frame_goes(bench, client, plan, at, kind):
    link, pk = given(plan)[kind]
    assert client.get(link).status_code == 200
    bench.post(f"/links/{kind}/{pk}/end/", {"lasts": "30"})
    at(timezone.now() + timedelta(days=29))
    assert client.get(link).status_code == 200
    at(timezone.now() + timedelta(days=2))
    assert client.get(link).status_code == 404, "its day is over"
    bench.post(f"/links/{kind}/{pk}/end/", {"lasts": "ever"})
    assert client.get(link).status_code == 200
    plan.frame.remove()
    assert client.get(link).status_code == 404, "the frame is gone"
    plan.frame.restore()
    bench.post(f"/links/{kind}/{pk}/end/", {"lasts": "now"})
    assert client.get(link).status_code == 404
    assert client.post(link, {"answer": "A", "round": "1"}).status_code in (404, 405)


def test_every_link_is_listed_on_its_frame(bench, plan):
    given(plan)
    page = bench.get(f"/frames/{plan.frame.pk}/")
    assert "Links players have" in said(page)
    assert (said(page).count('value="now"'), "bare or 3 g" in said(page)) == (2, True)


@pytest.mark.parametrize("token", ["a%00b", "%F0%9F%8E%BE", "x" * 400, "..%2f"])
@pytest.mark.parametrize("where", ["card", "blind", "join", "calendar"])
def test_a_link_that_is_none_is_not_found(client, db, where, token):
    tail = ".ics" if where == "calendar" else "/"
    assert client.get(f"/{where}/{token}{tail}").status_code in (400, 404)


def test_a_card_goes_by_mail_only_where_mail_is_set_up(bench, plan, at, settings, mailoutbox):
    plan.frame.player = Person.named("Edda")
    plan.frame.save()
    Person.objects.update(email="edda@example.com")
    at(shop_name="Bench on the Quay", public_address="https://quay.example")
    _, pk = given(plan)["card"]
    bench.post(f"/cards/{pk}/mail/")
    assert mailoutbox == []
    settings.MAIL = "smtp://127.0.0.1"
    assert "Mail it to edda@example.com" in said(bench.get(f"/cards/{pk}/"))
    bench.post(f"/cards/{pk}/mail/")
    (mail,) = mailoutbox
    assert mail.to == ["edda@example.com"]
    assert ("https://quay.example/card/" in mail.body, "Bench on the Quay" in mail.body) == (
        True,
        True,
    )
