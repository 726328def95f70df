"""Any workshop goes out, is wiped, and comes in again as it was."""

import gc
import json
import tracemalloc
from datetime import UTC, datetime

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from kentrobar.accounts.models import Member, Role
from kentrobar.frames.choices import Quantity
from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.plans import desk
from kentrobar.plans.state import PlanState
from kentrobar.stock.models import Material, Movement, Weighing
from kentrobar.workshop import restoring, whole
from kentrobar.workshop.models import Job
from tests.core.frames import PADDLE_READ, SHOAL, TERN
from tests.pages import said

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
        for model in whole.tables()
    }


def wipe():
    for model in reversed(whole.tables()):
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
    for who, words_said, day, why in some_jobs:
        person, _ = Person.objects.get_or_create(name=who)
        job = Job.objects.create(person=person, said=words_said, due=day)
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
    Member.objects.update_or_create(user=user, defaults={"role": Role.OWNER})
    client.force_login(user)
    wipe()
    fill(some_frames, some_rolls, some_jobs, user)
    before = everything()
    text = b"".join(client.get("/data/workshop.json"))
    wipe()
    client.post("/data/restore/", {"file": SimpleUploadedFile("w.json", text)})
    assert everything() == before


# --- back from a file ---


def exported(user):
    made = [(datetime(2026, 3, 1 + i, tzinfo=UTC)) for i in range(3)]
    read = [(300.0 + i, at, "x") for i, at in enumerate(made)]
    fill([(TERN, "Gull", "9", read)], [("roll", "tape", [30.0])], [], user)
    return "".join(whole.streamed())


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda text: text[: len(text) // 2], "no whole JSON"),
        (lambda text: text.replace('"rows": [', '"rows": [], "more": ['), "nothing in it"),
        (lambda text: text.replace('"kentrobar-workshop/2"', '"kentrobar-workshop/9"'), "format"),
        (lambda text: text.replace('"stock.weighing"', '"auth.user"'), "no table"),
        (lambda text: text.replace('"value": 300.0', '"value": 1e300'), ""),
        (lambda text: text.replace('"value": 300.0', '"value": "heavy"'), "heavy"),
        (lambda text: text.replace('"frame": ', '"frame": 9'), ""),
        (lambda text: text.replace('"kind": "tape"', '"kind": "boat"'), "boat"),
        (lambda text: text.replace('"people"', '"poeple"'), "poeple: no such key"),
        (lambda text: text.replace('"note": ', '"noet": '), "noet"),
        (lambda text: text.replace('"name": "sorrel"', '"name": 7'), "people[0].name"),
        (lambda text: text.replace('"people": [', '"people": 7, "made": ['), "people: a list"),
        (lambda text: "[" * 200_000, ""),
        (lambda text: text.replace('"people": [', '"people": [' + "[" * 200_000), ""),
        (lambda text: text.replace('"note": ', '"note": ' + "[" * 200_000), ""),
        (lambda text: "[]", "format"), (lambda text: "\x00", "JSON"), (lambda text: "", "JSON"),
    ],
)  # fmt: skip
def test_a_file_that_is_wrong_changes_nothing(bench, user, change, words):
    text = exported(user)
    wipe()
    Material.objects.create(name="mine", kind="putty")
    before = everything()
    file = SimpleUploadedFile("w.json", change(text).encode())
    page = said(bench.post("/data/restore/", {"file": file}, follow=True))
    assert "Not restored, nothing was changed" in page
    assert words in page
    assert everything() == before
    # A number that was counted on stays so: nothing is made under one that is taken.
    numbered = Material.objects.create(name="the next", kind="putty").pk
    assert numbered > max(row.pk for row in Material.objects.exclude(name="the next"))


def test_a_workshop_with_anything_in_it_is_not_restored_over(bench, user):
    text = exported(user)
    wipe()
    person = Person.objects.create(name="Edda")
    for empty in (b'{"format": "kentrobar-workshop/2", "rows": []}', text.encode()):
        bench.post("/data/restore/", {"file": SimpleUploadedFile("w.json", empty)})
        assert list(Person.objects.all()) == [person]


def test_people_come_along_with_their_roles_and_without_passwords(bench, user):
    from .conftest import somebody

    somebody("ivo", Role.COUNTER)
    text = exported(user)
    assert "password" not in text
    wipe()
    get_user_model().objects.filter(username="ivo").delete()
    bench.post("/data/restore/", {"file": SimpleUploadedFile("w.json", text.encode())})
    ivo = get_user_model().objects.get(username="ivo")
    assert (ivo.member.role, ivo.has_usable_password()) == (Role.COUNTER, False)
    user.refresh_from_db()
    assert (user.member.role, user.has_usable_password()) == (Role.OWNER, True), "stays as it was"


def test_whoever_has_an_account_here_gets_no_role_by_a_file(bench, user):
    text = exported(user).replace('"people": [', '"people": [{"name": "ivo", "role": "owner"}, ')
    wipe()
    ivo = get_user_model().objects.create_user("ivo", password="long-grass-7")
    bench.post("/data/restore/", {"file": SimpleUploadedFile("w.json", text.encode())})
    assert Frame.objects.exists()
    assert not Member.objects.filter(user=ivo).exists()


def test_a_large_file_takes_no_more_memory_than_a_small_one(db, user, tmp_path):
    """Rows are read as they come: the tallest heap of a file ten times as long is the same."""
    text = exported(user)
    wipe()
    head, _, rest = text.partition('"rows": [')
    rows = json.loads("[" + rest.rstrip().removesuffix("}"))
    roll = next(row for row in rows if row["model"] == "stock.material")
    tallest = []
    for count in (500, 5000):
        made = [roll | {"pk": i, "fields": roll["fields"] | {"name": f"roll {i}"}}
                for i in range(1, count)]  # fmt: skip
        path = tmp_path / f"{count}.json"
        path.write_text(head + '"rows": [' + ",\n".join(map(json.dumps, made)) + "]}\n")
        del made
        gc.collect()
        tracemalloc.start()
        with path.open("rb") as file:
            assert restoring.restored(file) == count - 1
        tallest.append(tracemalloc.get_traced_memory()[1])
        tracemalloc.stop()
        wipe()
    assert tallest[1] < 2.5 * tallest[0]


def test_keys_of_programs_leave_no_shop(bench):
    bench.post("/programs/make/", {"name": "till", "may": "write"})
    assert b"shop.token" not in b"".join(bench.get("/data/workshop.json"))
