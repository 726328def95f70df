"""What makes something makes it once, however often it is sent."""

import threading
from datetime import timedelta

import pytest
from django.apps import apps
from django.db import connection
from django.test import Client
from django.utils import timezone

from kentrobar.frames.models import Frame, Reading
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match
from kentrobar.ui import once
from kentrobar.ui.models import Sent
from kentrobar.workshop.models import Job

OUTLINE = {
    "kind": "racket", "preset": "racket-98", "model": "Twice 98", "length_mm": "686",
    "width_mm": "256", "widest_mm": "512", "hoop_base_mm": "334", "rim_mm": "12", "beam_mm": "23",
    "handle_length_mm": "195", "handle_radius_mm": "16",
}  # fmt: skip
READ = {"condition": "as-played", "axis": "100 mm", "mass_g": "317.5", "confirm": "on"}
DUE = (timezone.localdate() + timedelta(days=5)).isoformat()
MAKERS = {
    "a frame": ("frames.Frame", "/frames/new/", OUTLINE),
    "a reading": ("frames.Reading", "/frames/{racket}/", READ),
    "a measurement": ("frames.Reading", "/frames/{racket}/measure/",
                      {"method": "scale", "condition": "as-played", "readings": "317.1 317.2",
                       "confirm": "on"}),
    "a part": ("frames.FittedPart", "/frames/{racket}/parts/",
               {"kind": "overgrip", "since": "before", "pieces": "1", "mass": "5.5 g"}),
    "a plan": ("planning.Plan", "/frames/{racket}/plans/new/", {}),
    "a copy": ("planning.Plan", "/plans/{plan}/copy/", {}),
    "a set": ("recipes.Match", "/sets/new/", {"frame": ["{racket}", "{other}"]}),
    "a cut": ("stock.Weighing", "/stock/{material}/weigh/",
              {"length": "20 cm", "count": "1", "mass": "2.0 ± 0.01"}),
    "a delivery": ("stock.Movement", "/stock/{material}/move/",
                   {"amount": "5", "reason": "delivered"}),
    "a trial": ("workshop.Trial", "/plans/{plan}/trial/keep/", {"mass_g": "317.3"}),
    "a job": (
        "workshop.Job",
        "/jobs/new/",
        {"who": "Edda Twice", "hand": "left", "level": "strong", "said": "twists", "due": DUE,
         "frame": ["{racket}"]},
    ),
}  # fmt: skip


@pytest.fixture
def there(racket, plan, roll, db):
    other = Frame(model="Tern 98", serial="no. 8")
    other.set_outline(racket.outline())
    other.save()
    other.take_readings(racket.figures()[0].measured(), "as-played")
    return {"racket": racket.pk, "plan": plan.pk, "material": roll.pk, "other": other.pk}


@pytest.fixture
def roll(db):
    return apps.get_model("stock.Material").objects.get(name="lead-free tape, 6 mm")


def filled(posted, there):
    def put(value):
        return value.format(**there) if isinstance(value, str) else [put(one) for one in value]

    return {key: put(value) for key, value in posted.items()}


@pytest.mark.parametrize("what", MAKERS)
def test_sent_twice_is_stored_once(bench, there, what):
    model, address, posted = MAKERS[what]
    rows = apps.get_model(model)._base_manager
    before = rows.count()
    first = bench.post(address.format(**there), filled(posted, there))
    assert first.status_code == 302, getattr(first, "context", None) and first.context.get("form")
    made = rows.count() - before
    assert made >= 1
    again = bench.post(address.format(**there), filled(posted, there))
    assert (again.status_code, again["Location"]) == (302, first["Location"])
    assert rows.count() - before == made


def test_what_was_refused_may_be_sent_again_and_what_is_meant_again_too(bench, racket):
    for _ in range(2):
        refused = bench.post(f"/frames/{racket.pk}/", READ | {"mass_g": "heavy"})
        assert refused.status_code == 422
    count = Reading.objects.count()
    bench.post(f"/frames/{racket.pk}/", READ)
    bench.post(f"/frames/{racket.pk}/", READ | {"mass_g": "317.6"})
    assert Reading.objects.count() == count + 2
    # Later the same words are meant again.
    Sent.objects.update(at=timezone.now() - timedelta(hours=2))
    bench.post(f"/frames/{racket.pk}/", READ)
    assert Reading.objects.count() == count + 3


@pytest.mark.django_db(transaction=True)
def test_two_clicks_at_once_make_one(user, racket, monkeypatch):
    monkeypatch.setattr(once, "PATIENCE_S", 5.0)
    answers = []

    def click():
        try:
            client = Client()
            client.force_login(user)
            answers.append(client.post(f"/frames/{racket.pk}/plans/new/")["Location"])
        finally:
            connection.close()

    hands = [threading.Thread(target=click) for _ in range(4)]
    for hand in hands:
        hand.start()
    for hand in hands:
        hand.join()
    assert Plan.objects.count() == 1
    assert set(answers) == {Plan.objects.get().get_absolute_url()}
    assert not Match.objects.exists()
    assert not Job.objects.exists()


def test_a_page_tells_its_double_click_from_the_same_meant_again(bench, racket):
    there = f"/frames/{racket.pk}/"
    count = Reading.objects.count()
    for token in ("of one page", "of one page", "of the page opened again"):
        bench.post(there, READ | {"csrfmiddlewaretoken": token})
    assert Reading.objects.count() == count + 2
