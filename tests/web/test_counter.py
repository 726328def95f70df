"""The counter on PostgreSQL: a person, their words, their frames, figures and photos, at once."""

import io
import json
import re
from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from PIL import Image

from kentrobar.accounts.models import Role
from kentrobar.frames.models import FittedPart, Frame, Person, Reading
from kentrobar.shop.models import Settings, forget
from kentrobar.ui import pictures
from kentrobar.workshop import counter, labels, photos, restoring, whole
from kentrobar.workshop.models import Card, Job, Photo, TakenIn
from tests.pages import said, told

from .conftest import as_file, somebody
from .test_jobs import fitted

DUE = (timezone.localdate() + timedelta(days=5)).isoformat()
WHO = {"who": "Hild Arran", "due": DUE, "said": "slides in my hand", "words": ["depth", "arm"]}


def rows(*written):
    posted = {"new-TOTAL_FORMS": len(written), "new-INITIAL_FORMS": 0}
    for i, row in enumerate(written):
        full = {"like": "racket-98", "condition": "as-played"} | row
        posted |= {f"new-{i}-{name}": text for name, text in full.items()}
    return posted


def picture(size=(2400, 1800), kind="JPEG", **more):
    file = io.BytesIO()
    Image.new("RGB", size, (120, 90, 60)).save(file, kind, **more)
    return SimpleUploadedFile("IMG_1.jpg", file.getvalue(), "image/jpeg")


def figures_of(frame):
    return {one.quantity: (one.value, one.typed) for one in frame.readings.all()}


def test_a_new_customer_with_new_frames_is_one_form(bench, user):
    typed = WHO | {"phone": "0717 22 19", "email": "hild@skerrow.example", "hand": "left"}
    typed |= rows(
        {"maker": "Skua", "model": "Petrel 98", "serial": "3", "mass_g": "11 oz",
         "balance_mm": "6 pts HL", "swing_kgcm2": "305", "arrived": "scuffed at 10",
         "condition": "strung"},
        {"model": "Petrel 98", "serial": "4", "mass_g": "301.4", "refused": "crack at the throat"},
        {},
    )  # fmt: skip
    assert bench.post("/jobs/new/", typed).status_code == 302
    job = Job.objects.get()
    about = (job.person.name, job.person.phone, job.person.email, job.person.hand)
    assert about == ("Hild Arran", "0717 22 19", "hild@skerrow.example", "left")
    assert (job.said, job.words) == ("slides in my hand", ["depth", "arm"])
    assert job.asked == "slides in my hand; No depth on serve; Sore arm"
    first, second = (one.frame for one in job.taken_in.order_by("pk"))
    assert (first.player, first.length_mm) == (job.person, 685.8)
    found = figures_of(first)
    assert found["mass_g"] == (pytest.approx(311.845, abs=0.01), "11 oz")
    assert found["balance_mm"] == (pytest.approx(342.9 - 19.05), "6 pts HL")
    assert first.readings.get(quantity="swing_kgcm2").axis_mm == 100
    assert {one.condition for one in first.readings.all()} == {"strung"}
    assert job.steps.get(kind="before").status == "done"  # nothing of the other may be done
    assert second.jobs.get().refused == "crack at the throat"
    # A second time nothing of what is known has to be said again, and nothing is lost by it.
    bench.post("/jobs/new/", WHO | {"who": "hild  ARRAN", "frame": first.pk})
    assert Person.objects.get() == job.person
    assert Person.objects.get().phone == "0717 22 19"


@pytest.mark.parametrize(
    ("row", "at"),
    [
        ({"serial": "4"}, "model"),
        ({"model": "Petrel", "mass_g": "heavy"}, "mass_g"),
        ({"model": "Petrel", "mass_g": "31.2"}, "mass_g"),
        ({"model": "Petrel", "balance_mm": "far"}, "balance_mm"),
        ({"model": "Fulmar", "like": "paddle-even", "condition": "strung"}, "condition"),
        ({"model": "Petrel", "like": "frame:999"}, "like"),
        ({"model": "petrel 98", "serial": "3"}, "serial"),
    ],
)
def test_a_row_at_fault_holds_everything_and_loses_nothing(bench, row, at):
    sound = {"model": "Petrel 98", "serial": "3", "mass_g": "301.4"}
    answer = bench.post("/jobs/new/", WHO | rows(sound, row))
    assert answer.status_code == 422
    first, second = answer.context["rows"].forms
    assert (dict(first.errors), set(second.errors)) == ({}, {at})
    assert first["mass_g"].value() == "301.4"
    assert (Job.objects.count(), Frame.objects.count(), Person.objects.count()) == (0, 0, 0)


def test_what_is_unlikely_is_kept_when_it_is_confirmed(bench):
    row = {"model": "Petrel 98", "mass_g": "391"}
    answer = bench.post("/jobs/new/", WHO | rows(row))
    assert answer.context["rows"].forms[0].asks_to_confirm
    bench.post("/jobs/new/", WHO | rows(row | {"confirm": "on"}))
    assert Reading.objects.get().confirmed


def test_another_like_it_has_its_shape_its_holes_and_what_is_on_it(bench, racket):
    racket.holes_mm = [6.0, 19.0]
    racket.save()
    FittedPart.objects.create(
        frame=racket, kind="overgrip", name="dry", mass_g=5.5, u_g=0.01, is_weighed=True
    )
    FittedPart.objects.create(
        frame=racket, kind="grip", mass_g=17, u_g=1, taken_off_at=timezone.now()
    )
    page = bench.post("/jobs/new/", WHO | {"more": f"frame:{racket.pk}"} | rows())
    (row,) = page.context["rows"].forms
    offered = {row[name].value() for name in ("like", "model")}
    assert offered == {f"frame:{racket.pk}", "Tern 98"}
    assert page.context["form"]["said"].value() == WHO["said"]
    row = {"model": "Tern 98", "serial": "no. 8", "like": f"frame:{racket.pk}"}
    bench.post("/jobs/new/", WHO | rows(row))
    other = Frame.objects.get(serial="no. 8")
    assert (other.outline(), other.holes_mm) == (racket.outline(), racket.holes_mm)
    part = other.parts.get()
    assert (part.name, part.mass_g, part.is_weighed) == ("dry", 5.5, False)
    assert part.u_g > 0.1, "another overgrip than the one that was weighed"


def test_people_are_found_as_one_types_by_name_phone_or_mail(bench, racket):
    ilva = Person.objects.create(name="Ilva Sorrel", phone="0717 22", hand="left")
    Person.objects.create(name="Ilvana Kett", email="kett@skerrow.example")
    Frame.objects.filter(pk=racket.pk).update(player=ilva)
    before = Job.objects.create(
        person=ilva, said="twists", verdict="steadier", due=timezone.localdate()
    )

    def found(who):
        return bench.post("/jobs/new/", {"find": "1", "who": who} | rows()).context

    assert {one.name for one in found("ilva")["near"]} == {"Ilva Sorrel", "Ilvana Kett"}
    assert [one.name for one in found("0717")["near"]] == ["Ilva Sorrel"]
    assert [one.name for one in found("skerrow.ex")["near"]] == ["Ilvana Kett"]
    known = found("ilva sorrel")
    assert (known["person"], known["last"].verdict) == (ilva, "steadier")
    assert [(one.frame, on) for one, on in known["frames"]] == [(racket, False)]
    # A job that is changed is not what its own player came with the time before.
    later = Job.objects.create(person=ilva, said="too light", due=timezone.localdate())
    changed = [bench.get(f"/jobs/{job.pk}/edit/").context["last"] for job in (before, later)]
    assert changed == [None, before]


# --- photos
# -------------------------------------------------------------------------------------------


def test_a_photo_is_made_small_stripped_and_outlives_a_refused_form(bench, user, racket):
    exif = Image.Exif()
    exif[0x0112], exif[0x010F], exif[0x8825] = 6, "Skua camera", {1: "N", 2: (55.0, 1.0, 2.0)}
    shot = picture(exif=exif)
    typed = WHO | {"who": ""} | rows({"model": "Petrel 98"})
    answer = bench.post(
        "/jobs/new/", typed | {"new-0-photo": shot, f"photo-{racket.pk}": picture()}
    )
    assert answer.status_code == 422
    # It was held upright, so that its long side stands; and it tells nothing of where it was.
    kept = Photo.objects.order_by("pk").first()
    assert (kept.width, kept.height) == (960, 1280)
    small = Image.open(io.BytesIO(bytes(kept.jpeg)))
    assert (small.size, dict(small.getexif())) == ((960, 1280), {})
    assert b"Skua" not in bytes(kept.jpeg)
    (row,) = answer.context["rows"].forms
    assert row.photo_keys == [str(kept.pk)]
    # Sent again with what was missing, it belongs to its frame.
    again = WHO | {"frame": racket.pk} | rows({"model": "Petrel 98", "photos": str(kept.pk)})
    assert bench.post("/jobs/new/", again).status_code == 302
    assert kept == TakenIn.objects.get(frame__model="Petrel 98").photos.get()
    assert bench.get(kept.get_absolute_url())["Content-Type"] == "image/jpeg"
    bench.logout()
    assert bench.get(kept.get_absolute_url()).status_code == 302


def test_what_is_no_picture_is_said_and_the_rest_is_kept(bench, monkeypatch):
    typed = WHO | rows({"model": "Petrel 98"})
    broken = SimpleUploadedFile("note.jpg", b"no picture at all")
    answer = bench.post("/jobs/new/", typed | {"new-0-photo": broken})
    assert (answer.status_code, told(answer)) == (422, ["error"])
    assert answer.context["rows"].forms[0]["model"].value() == "Petrel 98"
    monkeypatch.setattr(pictures, "MOST_PIXELS", 100)
    answer = bench.post("/jobs/new/", typed | {"new-0-photo": picture()})
    assert (answer.status_code, Photo.objects.count()) == (422, 0)


def test_nobody_takes_the_photo_another_is_about_to_check_in(bench, racket):
    other = somebody("ould", Role.BENCH)
    theirs = photos.keep(picture(), other)
    bench.post("/jobs/new/", WHO | {"frame": racket.pk, f"photos-{racket.pk}": str(theirs.pk)})
    assert not TakenIn.objects.get().photos.exists()


def test_the_whole_workshop_carries_its_photos(bench, user, racket):
    bench.post("/jobs/new/", WHO | {"frame": racket.pk, f"photo-{racket.pk}": picture((64, 48))})
    before = bytes(Photo.objects.get().jpeg)
    document = json.loads(b"".join(bench.get("/data/workshop.json").streaming_content))
    for model in reversed(whole.tables()):
        model._base_manager.all().delete()
    restoring.restored(as_file(document))
    assert bytes(Photo.objects.get().jpeg) == before
    assert Photo.objects.get().taken_in.frame_id == racket.pk


# --- words once, changed later, on paper
# ----------------------------------------------------------------------------------------


def test_words_said_at_the_counter_are_there_wherever_they_are_needed(bench, racket, user):
    bench.post("/jobs/new/", WHO | {"frame": racket.pk, "words": ["twists"]})
    advice = f"/frames/{racket.pk}/advice/"
    assert bench.get(advice).context["keys"] == ["twists"]
    # What is unticked there stays unticked.
    assert bench.get(advice, {"style": ""}).context["keys"] == []
    assert bench.get(f"/frames/{racket.pk}/recipes/").context["spoken"].keys == ("twists",)
    plan = fitted(racket, user)
    asked = "“slides in my hand; Twists in my hand on returns”"
    for page in (f"/plans/{plan.pk}/", f"/plans/{plan.pk}/sheet/", f"/frames/{racket.pk}/measure/"):
        assert asked in said(bench.get(page)), page
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    bench.post(f"/plans/{plan.pk}/card/")
    card = Card.objects.get()
    assert card.content["asked"] == asked.strip("“”")
    bench.logout()
    assert asked in said(bench.get(f"/card/{card.token}/"))


def test_a_job_is_changed_at_the_same_counter(bench, racket, paddle):
    bench.post("/jobs/new/", WHO | {"frame": racket.pk, f"arrived-{racket.pk}": "scuffed"})
    job = Job.objects.get()
    there = f"/jobs/{job.pk}/edit/"
    form = bench.get(there).context["form"]
    assert (form["who"].value(), form["words"].value()) == ("Hild Arran", ["depth", "arm"])
    assert [(one.frame, one.arrived) for one in form.frames] == [(racket, "scuffed")]
    Job.objects.update(due=timezone.localdate() - timedelta(days=1))
    late = WHO | {"due": (timezone.localdate() - timedelta(days=1)).isoformat(), "price": "45"}
    changed = late | {"said": "twists", "words": [], "frame": [racket.pk, paddle.pk]}
    assert bench.post(there, changed | rows()).status_code == 302, "a day that stays may be past"
    job = Job.objects.get()
    assert (job.asked, job.price, job.taken_in.count()) == ("twists", 45, 2)
    assert job.steps.count() == 8
    assert bench.post(there, changed | {"due": "2020-01-01"} | rows()).status_code == 422


@pytest.mark.parametrize(
    ("typed", "shown"),
    [("twenty", "twenty"), ("20, by card", "20, by card"), ("20,5", "20.50 kr"), ("7", "7.00 kr"),
     ("1e999999", "1e999999"), ("NaN", "NaN"), ("<b>", "&lt;b&gt;")],
)  # fmt: skip
def test_a_deposit_is_shown_as_it_was_written(bench, racket, typed, shown):
    Settings.objects.update_or_create(pk=1, defaults={"currency": "kr"})
    forget()
    bench.post("/jobs/new/", WHO | {"frame": [racket.pk], "deposit": typed})
    job = Job.objects.get()
    assert f"<dd>{shown}</dd>" in said(bench.get(job.get_absolute_url()))
    assert bench.get(f"/jobs/{job.pk}/ticket.pdf").content.startswith(b"%PDF-")


@pytest.mark.parametrize(
    ("price", "deposit", "words"),
    [("45.5", "20,5", "left to pay 25.00"), ("45.5", "50", "to give back 4.50"),
     ("1.234,50", "50 KR", "left to pay 1184.50"), ("45 kr", "kr 5", "left to pay 40.00"),
     ("0", "", "agreed 0.00"), ("0", "0", "left to pay 0.00"), ("45.5", "a bag", "deposit a bag")],
)  # fmt: skip
def test_what_is_left_to_pay_stands_beside_the_price(bench, racket, price, deposit, words):
    Settings.objects.update_or_create(pk=1, defaults={"currency": "kr"})
    forget()
    bench.post("/jobs/new/", WHO | {"frame": [racket.pk], "price": price, "deposit": deposit})
    page = said(bench.get(Job.objects.get().get_absolute_url()))
    panel = " ".join(re.sub("<[^>]+>", " ", page[page.index("By the rates") :]).split()).lower()
    assert words in panel
    assert ("left to pay" in panel or "to give back" in panel) == (deposit not in ("", "a bag"))


def test_codes_on_paper_lead_back_to_their_pages(bench, racket, paddle, monkeypatch):
    bench.post("/jobs/new/", WHO | {"frame": [racket.pk, paddle.pk]})
    job = Job.objects.get()
    led = []
    real = labels.segno.make
    monkeypatch.setattr(labels.segno, "make", lambda link, **_: led.append(link) or real(link))
    for paper in ("ticket", "labels"):
        assert bench.get(f"/jobs/{job.pk}/{paper}.pdf").content.startswith(b"%PDF-")
    assert bench.get(f"/frames/{racket.pk}/label.pdf?after=23").content.startswith(b"%PDF-")
    paths = [link.removeprefix("http://testserver") for link in led]
    frame = racket.get_absolute_url()
    assert paths == [job.get_absolute_url(), frame, paddle.get_absolute_url(), frame]


def test_another_like_one_of_long_ago_is_as_good_as_one_of_yesterday(bench, racket):
    for i in range(counter.LIKELY + 5):
        other = Frame(model=f"Fulmar {i}")
        other.set_outline(racket.outline())
        other.save()
    page = bench.post("/jobs/new/", WHO | {"more": f"frame:{racket.pk}"} | rows())
    (row,) = page.context["rows"].forms
    offered = [key for _, group in row.fields["like"].choices for key, _ in group]
    assert f"frame:{racket.pk}" in offered
    row = {"model": "Tern 98", "serial": "no. 8", "like": f"frame:{racket.pk}"}
    assert bench.post("/jobs/new/", WHO | rows(row)).status_code == 302
    assert Frame.objects.get(serial="no. 8").outline() == racket.outline()


def test_what_they_say_is_heard_clause_by_clause_while_it_is_written(bench, racket):
    """For the first frame that is ticked, else for one of the shape that is chosen."""
    text = "more stable on returns but not slower, about 2 pts less head light"
    page = bench.get("/jobs/heard/", {"said": text, "frame": racket.pk})
    feeling, kept, balance = page.context["chips"]
    assert feeling.advice == ("forgiving",)
    assert (kept.wishes, balance.wishes) == ("swing weight kept", "balance +6.4 ± 1 mm")
    assert "first steps, in Advice" in said(page)
    less = bench.get("/jobs/heard/", {"said": balance.rest, "frame": racket.pk, "less": "1"})
    assert "hx-swap-oob" in said(less)
    assert balance.clause not in said(less)
    paddle = bench.get(
        "/jobs/heard/", {"said": "10 % steadier, corners", "new-0-like": "paddle-even"}
    )
    steadier, corners = paddle.context["chips"]
    assert "of an assumed" in steadier.wishes
    assert corners.wishes == "at High corners, Low corners"


def test_what_was_written_goes_along_with_what_was_ticked(bench, racket, user):
    """Balance and swing weight were said, the twist weight only ticked."""
    person = Person.named("Edda")
    job = Job.objects.create(
        person=person, due=DUE, said="not slower, about 2 pts less head light", words=["steadier"]
    )
    job.taken_in.create(frame=racket)
    page = said(bench.get(f"/frames/{racket.pk}/recipes/"))
    assert f'name="said" value="{job.said}"' in page
    bench.post(f"/frames/{racket.pk}/advice/wish/", {"w": ["steadier"], "said": job.said})
    goals = racket.wishes.get().content["goals"]
    assert goals["balance_mm"]["change"] == 6.35
    assert goals["swing_kgcm2"]["change"] == 0
    assert goals["twist_kgcm2"]["change"] > 0


def test_what_is_no_target_stays_as_written_at_the_counter(bench):
    (chip,) = bench.get("/jobs/heard/", {"said": "the bnana wobbles"}).context["chips"]
    page = said(bench.get("/jobs/heard/", {"said": "the bnana wobbles"}))
    assert "It stays as written." in page
    assert "Say it so" not in page
    assert chip.short == "“the bnana wobbles” is not understood."
