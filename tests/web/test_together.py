"""Several people at once: what is judged is held, what is taken is taken once, a stale form says
so."""

import itertools
import re

import pytest
from django.test import Client

from kentrobar.frames.models import Frame, Person
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material, Movement
from kentrobar.workshop.models import Job, JobStep, Sheet
from tests.pages import as_posted, faults, said

from .conftest import measured_frame
from .test_borders import TAPE, at_once, laid  # noqa: F401

TURNS = itertools.count()
pytestmark = pytest.mark.django_db(transaction=True)


def counted(name, amount):
    roll = Material.objects.get(name=name)
    Movement.objects.create(material=roll, amount=amount, reason="counted")
    return roll


def left(name):
    return Material.objects.get(name=name).left


def test_a_sheet_signed_while_its_plan_is_edited_charges_what_it_records(user, laid):  # noqa: F811
    Movement.objects.create(
        material=Material.objects.get(name=TAPE), amount=50_000.0, reason="counted"
    )
    for _ in range(6):
        before = left(TAPE)
        Sheet.objects.all().delete()

        def hands(client):
            number = next(TURNS)
            if number % 2:
                return client.post(f"/plans/{laid.pk}/sheet/sign-off/", {"override": "1"})
            asked = {"pick": "p1", "version": laid.version + 5, "mm": "3", "end": "end"}
            return client.post(f"/plans/{laid.pk}/edit/stretch/", asked)

        at_once(user, hands)
        sheet = Sheet.objects.get(plan=laid)
        cut = sum(
            piece.strips()[1] * piece.length_mm
            for piece in sheet.core_pieces() if piece.material == TAPE
        )  # fmt: skip
        assert sheet.signed_off_at
        assert before - left(TAPE) == pytest.approx(cut, abs=0.01)


def test_two_sheets_of_one_roll_never_take_more_than_there_is(user, laid):  # noqa: F811
    roll = counted(TAPE, 400.0)
    sign = f"/plans/{laid.pk}/sheet/sign-off/"
    for _ in range(3):
        Sheet.objects.all().delete()
        at_once(user, lambda client: client.post(sign, {"override": "1"}))
    assert left(TAPE) == pytest.approx(0.0, abs=0.01)
    assert "more than was counted" in Movement.objects.filter(material=roll).first().reason


def test_what_goes_from_the_shelf_by_hand_is_held_too(user, db):
    roll = counted(TAPE, 1000.0)

    def lose(client):
        gone = {"amount": f"-{400 + next(TURNS)}", "reason": "lost"}
        return client.post(f"/stock/{roll.pk}/move/", gone)

    at_once(user, lose)
    assert 0 <= left(TAPE) < 400
    assert Movement.objects.filter(material=roll, amount__lt=0).count() == 2


def test_what_was_never_counted_is_not_below_nought(db, user, laid):  # noqa: F811
    client = Client()
    client.force_login(user)
    client.post(f"/plans/{laid.pk}/sheet/sign-off/", {"override": "1"})
    roll = Material.objects.get(name=TAPE)
    assert (roll.is_counted, roll.is_short, roll.lacks(10)) == (False, False, False)


def test_a_job_whose_last_steps_come_together_closes(user, racket):
    kinds = [JobStep.Kind.AFTER, JobStep.Kind.HAND_OVER]
    for _ in range(5):
        job = Job.objects.create(person=Person.named("Edda"), due="2026-12-24")
        for kind in kinds:
            job.steps.create(kind=kind)

        def skip(client, job=job):
            asked = {"step": kinds[next(TURNS) % 2], "act": "skip", "reason": "as agreed"}
            return client.post(f"/jobs/{job.pk}/step/", asked)

        at_once(user, skip)
        job.refresh_from_db()
        assert not job.steps.filter(status="open").exists()
        assert job.closed_at is not None


def form_of(client, path, css=""):
    """What a form posts that nobody touched, with what its row was like."""
    page = client.get(path)
    found = re.search(r'name="row-as-shown" value="([^"]+)"', page.content.decode())
    return as_posted(page.context["form"]) | {"row-as-shown": found[1] if found else ""}


@pytest.mark.parametrize("what", ["frame", "person", "settings"])
def test_the_second_person_at_a_form_is_told(user, db, what):
    frame = measured_frame_of()
    person = Person.named("Edda")
    Settings(pk=1).save()
    path, box, row, label = {
        "frame": (f"/frames/{frame.pk}/edit/", "note", frame, "note"),
        "person": (f"/people/{person.pk}/", "notes", person, "notes"),
        "settings": ("/settings/", "shop_name", Settings.load(), "name of the shop"),
    }[what]
    first, second = Client(), Client()
    for one in (first, second):
        one.force_login(user)
    mine, theirs = form_of(first, path), form_of(second, path)
    assert mine["row-as-shown"]
    saved = first.post(path, mine | {box: "first"})
    assert saved.status_code == 302, (faults(saved), saved.context["fault"])
    told = second.post(path, theirs | {box: "second"})
    assert told.status_code == 422
    assert "Somebody else changed this" in said(told)
    assert ("second" in said(told), faults(told)) == (True, set())
    row.refresh_from_db()
    assert getattr(row, box) == "first", "nothing is lost yet"
    now = re.search(r'name="row-as-shown" value="([^"]+)"', told.content.decode())[1]
    assert second.post(path, theirs | {box: "second", "row-as-shown": now}).status_code == 302
    row.refresh_from_db()
    assert getattr(row, box) == "second", "saved once more, it holds"
    assert label


def measured_frame_of():
    from tests.core.frames import READ, TERN

    return measured_frame(TERN, READ)


def test_nobody_is_told_where_nobody_changed_anything(user, db):
    frame = measured_frame_of()
    client = Client()
    client.force_login(user)
    path = f"/frames/{frame.pk}/edit/"
    assert client.post(path, form_of(client, path) | {"note": "mine"}).status_code == 302
    assert client.post(path, form_of(client, path) | {"note": "again"}).status_code == 302
    assert Frame.objects.get(pk=frame.pk).note == "again"
