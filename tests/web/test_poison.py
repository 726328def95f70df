"""One odd row never kills a page: it is refused at every border, and what got in is passed over."""

import json
from datetime import UTC, datetime, timedelta

import pytest
from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import IntegrityError, transaction
from django.db.models import JSONField, Value
from django.test import Client
from django.utils import timezone

from kentrobar.core.io.plans import dump_plan
from kentrobar.frames import shown
from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match
from kentrobar.ui import moments
from kentrobar.workshop.models import Trial
from tests.core.frames import READ, TERN
from tests.pages import faults, said

from .conftest import measured_frame
from .test_ground import paths_of


def broken(user, frame):
    """Pages that no longer open."""
    own = Client(raise_request_exception=False)
    own.force_login(user)
    of_frame = ("", "measure/", "history/", "recipes/", "advice/", "feel/", "one-gram/")
    paths = ["/", "/bench/", "/plans/", "/sets/", "/jobs/", "/quick/", "/data/frames.csv"]
    paths += [f"/frames/{frame.pk}/{page}" for page in of_frame]
    for plan in Plan.objects.all():
        of_plan = ("", "trial/", "sheet/", "stages/", "download/", "drawing.svg")
        paths += [f"/plans/{plan.pk}/{page}" for page in of_plan]
    found = []
    for path in paths:
        answer = own.get(path)
        if answer.streaming:
            b"".join(answer)
        if answer.status_code >= 500:
            found.append(path)
    return found


@pytest.mark.parametrize("when", ["9999-12-31T23:59", "0001-01-01T00:00", "1969-12-31T12:00", "+2"])
def test_a_reading_is_of_a_day_it_can_have_been_read(bench, user, racket, when):
    if when == "+2":
        when = f"{timezone.now() + timedelta(days=2):%Y-%m-%dT%H:%M}"
    posted = {"method": "scale", "condition": "as-played", "readings": "310 310",
              "resolution": "0.1", "read_at": when}  # fmt: skip
    before = Reading.objects.count()
    assert "read_at" in faults(bench.post(f"/frames/{racket.pk}/measure/", posted))
    assert (Reading.objects.count(), broken(user, racket)) == (before, [])


@pytest.mark.parametrize("day", ["9999-12-31", "0001-01-01", "1969-12-31"])
def test_a_table_holds_no_impossible_day(bench, user, racket, day):
    text = (
        "name,kind,mass_g,balance_mm,swing_kgcm2,axis_mm,condition,measured_on\n"
        f"Gull,racket,310,325,310,100,as-played,{day}\n"
        "Tern,racket,310,325,310,100,as-played,2026-03-14\n"
    )
    file = SimpleUploadedFile("t.csv", text.encode())
    page = said(bench.post("/data/read/", {"file": file}, follow=True))
    assert "between 1970 and tomorrow" in page
    bench.post("/data/write/")
    assert {one.model for one in Frame.objects.exclude(pk=racket.pk)} <= {"Tern"}
    assert broken(user, racket) == []


def document(plan, **changes):
    found = json.loads(json.dumps(dump_plan(plan.state().to_plan(plan.frame.outline()))))
    for path, value in changes.items():
        *parts, last = path.split("__")
        at = found
        for part in parts:
            at = at[part]
        at[last] = value
    return SimpleUploadedFile("plan.json", json.dumps(found).encode())


STRIP = {"kind": "strip", "clock": 12, "mass_g": 1}


@pytest.mark.parametrize(
    "changes",
    [
        {"measured__mass_g": {"value": 305, "u": 1e160}}, {"measured__swing_kgcm2": 1e308},
        {"frame__length_mm": 1e-300}, {"pieces": [STRIP | {"length_mm": 1e-300}]},
        {"pieces": [{"kind": "point", "mass_g": 1, "x_mm": 1e300}]},
        {"measured__axis_mm": 1e13}, {"targets": {"mass_g": {"value": 310, "tol": 1e200}}},
    ],
)  # fmt: skip
def test_a_plan_file_with_figures_of_no_world_is_refused(bench, user, plan, changes):
    answer = bench.post("/plans/upload/", {"file": document(plan, **changes)}, follow=True)
    assert "message-error" in said(answer)
    assert (Plan.objects.count(), broken(user, plan.frame)) == (1, [])


@pytest.mark.parametrize("twist", ["0.00001", "1e-9", "1e9", "0", "-3"])
def test_a_trials_figure_breaks_no_page(bench, user, plan, twist):
    bench.post(f"/plans/{plan.pk}/edit/put/", {"what": "tape"})
    read = {"mass_g": "310", "balance_mm": "325", "swing_kgcm2": "310", "twist_kgcm2": twist}
    bench.post(f"/plans/{plan.pk}/trial/keep/", read)
    assert Trial.objects.count() <= 1
    assert broken(user, plan.frame) == []


@pytest.mark.parametrize(
    "facts",
    [{"value": 1e300}, {"value": 1e-300}, {"u": 1e200},
     {"axis_mm": 1e300, "quantity": "swing_kgcm2"},
     {"read_at": datetime(9999, 12, 31, 23, tzinfo=UTC)}],
)  # fmt: skip
def test_no_way_leads_an_odd_reading_into_the_database(racket, facts):
    rows = Reading.objects.filter(frame=racket, quantity=facts.pop("quantity", "mass_g"))
    with pytest.raises(IntegrityError), transaction.atomic():
        rows.update(**facts)


def test_a_frame_that_cannot_be_shown_is_named_and_the_others_stand(bench, racket, monkeypatch):
    measured_frame(TERN, READ, model="Gull", serial="9")
    figures = shown.shown_figures

    def odd(frame, *more):
        if frame.model == "Gull":
            raise OverflowError
        return figures(frame, *more)

    monkeypatch.setattr(shown, "shown_figures", odd)
    page = said(bench.get("/"))
    assert page.count("figures are invalid") == 1
    assert f"{READ.mass_g:.1f}" in page, "the other stands"


@pytest.mark.parametrize(
    ("text", "is_one"),
    [("2026-99-99T10:00", False), ("9999-12-31T23:59", False), ("soon", False), ("", False),
     (f"{timezone.now() + timedelta(days=3):%Y-%m-%dT%H:%M}", True)],
)  # fmt: skip
def test_a_moment_as_typed(text, is_one):
    assert (moments.read_moment(text) is not None) is is_one


def test_nothing_is_promised_for_another_century():
    moments.promised_for(timezone.localdate() + timedelta(days=3000))
    with pytest.raises(ValidationError):
        moments.promised_for(timezone.localdate() + timedelta(days=5000))


@pytest.mark.parametrize(
    "piece",
    [
        {"kind": "strip", "mass_g": 2, "clock": 3, "length_mm": 1e9, "line": "face", "id": "p1"},
        {"kind": "rope", "mass_g": 2, "id": "p1"},
        {"kind": "plug", "mass_g": -1e6, "from_mm": 8, "to_mm": 32, "id": "p1"},
        "strip",
    ],
)
def test_a_plan_that_cannot_be_is_named_on_every_page_and_can_be_put_away(bench, plan, piece):
    Plan.objects.filter(pk=plan.pk).update(content=plan.content | {"pieces": [piece]})
    frame = plan.frame
    other = measured_frame(TERN, READ, serial="9")
    for _ in range(2):  # the second has not the key of the plan's frame
        bench.post("/sets/new/", {"frame": [frame.pk, other.pk]})
    match = Match.objects.latest("pk")
    for path in (*paths_of(frame, plan), "/plans/", "/", "/bench/", match.get_absolute_url()):
        answer = bench.get(path)
        assert answer.status_code in (200, 422), path
        if answer.status_code == 422:
            assert "holds what cannot be" in answer.content.decode(), path
    assert bench.get(plan.get_absolute_url()).status_code == 422
    bench.post(f"/plans/{plan.pk}/delete/")
    assert bench.get(f"/frames/{frame.pk}/recipes/").status_code == 200


@pytest.mark.parametrize("content", [[None], {}, 7, "x", {"pieces": None}])
def test_a_plan_of_no_known_form_breaks_no_page(bench, user, plan, content):
    Plan.objects.filter(pk=plan.pk).update(content=content)
    for path in (*paths_of(plan.frame, plan), "/plans/", "/", "/bench/"):
        assert bench.get(path).status_code in (200, 422), path
    bench.post(f"/plans/{plan.pk}/delete/")
    assert bench.get(f"/frames/{plan.frame.pk}/recipes/").status_code == 200


@pytest.mark.parametrize("likes", [None, [], 7, {"racket": None}, {"racket": {"best": None}}])
def test_likes_of_no_known_form_are_none(bench, user, racket, likes):
    player = Person.objects.create(name="Edda")
    Person.objects.filter(pk=player.pk).update(likes=Value(likes, JSONField()))
    Frame.objects.filter(pk=racket.pk).update(player=player)
    assert broken(user, racket) == []
    assert bench.get(f"/people/{player.pk}/").status_code == 200
