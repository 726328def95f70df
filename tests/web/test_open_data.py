"""Any workshop goes out, is wiped, and comes in again as it was."""

from datetime import UTC, datetime

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from kentrobar.frames.choices import Quantity
from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.plans import desk
from kentrobar.plans.state import PlanState
from kentrobar.stock.models import Material, Movement, Weighing
from kentrobar.workshop import whole
from kentrobar.workshop.models import Job
from tests.core.frames import PADDLE_READ, SHOAL, TERN

words = st.text(
    st.characters(exclude_categories=["Cs"], exclude_characters="\0"), min_size=1, max_size=30
)
grams = st.floats(0.01, 900)
moments = st.datetimes(datetime(2020, 1, 1), datetime(2030, 1, 1), timezones=st.just(UTC))
frames = st.tuples(
    st.sampled_from([TERN, SHOAL]),
    words,
    words,
    st.lists(st.tuples(grams, moments, words), max_size=3),
)
rolls = st.tuples(
    words, st.sampled_from(["tape", "putty", "silicone"]), st.lists(grams, max_size=3)
)
jobs = st.tuples(words, words, st.dates(datetime(2026, 1, 1).date()), words)


def everything():
    """Every table with every column, as PostgreSQL holds it."""
    return {
        model._meta.label: list(
            getattr(model, "objects", model._default_manager).order_by("pk").values()
        )
        for model in whole._models()
    }


def wipe():
    for model in reversed(whole._models()):
        getattr(model, "objects", model._default_manager).all().delete()


def fill(some_frames, some_rolls, some_jobs, user):
    made = []
    for outline, name, serial, readings in some_frames:
        frame = Frame(model=name, serial=serial, note=name + serial)
        frame.set_outline(outline)
        frame.save()
        made.append(frame)
        for value, when, note in readings:
            Reading.objects.create(
                frame=frame,
                quantity=Quantity.MASS,
                value=value,
                condition="as-played",
                read_at=when,
                read_by=user,
                raw={"note": note, "value": value},
            )
        desk.create(frame, name, PlanState(measured=PADDLE_READ, condition="as-played"), user=user)
    for number, (name, kind, lengths) in enumerate(some_rolls):
        material = Material.objects.create(name=f"{number}{name}", kind=kind)
        for length in lengths:
            Weighing.objects.create(
                material=material, length_mm=length, mass_g=length / 7, u_g=0.01
            )
            Movement.objects.create(material=material, amount=-length, reason=name)
    for who, said, day, why in some_jobs:
        person, _ = Person.objects.get_or_create(name=who)
        job = Job.objects.create(person=person, said=said, due=day)
        for frame in made:
            job.taken_in.create(frame=frame, arrived=why)
        job.steps.create(kind="plan", reason=why)


@pytest.mark.django_db(transaction=True)
@settings(
    max_examples=12,
    deadline=None,
    phases=[Phase.generate],
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
@given(st.lists(frames, max_size=3), st.lists(rolls, max_size=3), st.lists(jobs, max_size=2))
def test_any_workshop_comes_back_as_it_went_out(client, some_frames, some_rolls, some_jobs):
    user, _ = get_user_model().objects.get_or_create(username="edda")
    client.force_login(user)
    wipe()
    fill(some_frames, some_rolls, some_jobs, user)
    before = everything()
    text = b"".join(client.get("/data/workshop.json"))
    wipe()
    client.post("/data/restore/", {"file": SimpleUploadedFile("w.json", text)})
    assert everything() == before
