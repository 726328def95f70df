"""Films on PostgreSQL: handed in, looked through, asked about, taken into a reading; and a camera's
pictures, a second's worth at a time."""

import re
import struct
from dataclasses import replace

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from kentrobar.backups import tidy
from kentrobar.core.io.readings import reading_of, reduced
from kentrobar.core.numbers import nominal
from kentrobar.frames.models import Reading
from kentrobar.measuring import films, films_live
from kentrobar.measuring.models import Film, FilmPart, Recording
from kentrobar.site import bodies
from kentrobar.workshop import whole
from tests.core.films import Scene, shrunk, written
from tests.pages import said

from .conftest import measured_frame  # noqa: F401

# As this racket swings on a pin 644 mm from its butt.
SWING = Scene(period_s=1.382, seconds=12.0, width=128, height=72)


@pytest.fixture(scope="module")
def swing(tmp_path_factory):
    return written(SWING, tmp_path_factory.mktemp("films") / "swing.mp4").read_bytes()


@pytest.fixture
def page(racket, settings, tmp_path):
    settings.LOCAL = tmp_path
    return f"/frames/{racket.pk}/film/"


ASKED = {"method": "pendulum", "quantity": "swing_kgcm2", "condition": "as-played"}


def hand_in(bench, page, data, **more):
    file = SimpleUploadedFile("swing.mp4", data, "video/mp4")
    return bench.post(page, ASKED | {"file": file, "slowed": "1"} | more, follow=True)


def lying(settings):
    return sorted(one.name for one in (settings.LOCAL / "films").glob("*"))


def test_a_film_becomes_a_reading_that_can_be_reduced_again(bench, racket, page, swing, settings):
    answer = hand_in(bench, page, swing)
    recording = Recording.objects.get()
    assert abs(recording.found["period_s"] - SWING.period_s) < 0.003
    assert recording.found["amplitude_deg"]["value"] == pytest.approx(6, abs=1.5)
    assert "swings" in said(answer)
    assert said(answer).count('class="plot"') == 2
    assert lying(settings) == [], "the film goes as soon as it was looked through"
    state = answer.context["query"]
    assert bench.get(f"{page}answer/?{state}").status_code == 204, "nothing new: nothing is swapped"
    assert bench.get(f"{page}answer/").status_code == 200
    strip = bench.get(f"/films/{recording.pk}/strip.jpg")
    assert strip.content[:2] == b"\xff\xd8"
    taken = bench.post(f"{page}take/", ASKED | {"recording": recording.pk}, follow=True)
    assert "from the film" in said(taken)
    form = taken.context["form"]
    posted = ASKED | {
        name: form.initial.get(name, "") for name in form.fields if form.initial.get(name)
    }
    assert form.initial["amplitude"].startswith(f"{recording.found['amplitude_deg']['value']:.2g}")
    bench.post(f"/frames/{racket.pk}/measure/", posted | {"confirm": "on"})
    kept = Reading.objects.get(method="pendulum")
    assert kept.raw["film"]["beats"] == 1
    assert "period_s" not in kept.raw
    again = reduced(reading_of(kept.raw))
    assert nominal(again.figures["swing_kgcm2"]) == pytest.approx(kept.value)
    shown = said(bench.get(f"/readings/{kept.pk}/"))
    assert "pictures in" in shown
    assert f"/films/{recording.pk}/strip.jpg" in shown


def test_a_film_is_kept_only_where_that_was_asked(bench, page, swing, settings):
    hand_in(bench, page, swing, keep="on")
    recording = Recording.objects.get()
    assert lying(settings) == [recording.film]
    whole_film = b"".join(bench.get(f"/films/{recording.pk}/file/").streaming_content)
    assert whole_film == swing
    Film.objects.update(changed_at=timezone.now() - tidy.FILMS * 2)
    assert tidy.tidy()["films"] == 1
    assert lying(settings) == [recording.film]


def test_slow_motion_is_asked_about_and_read_from_the_same_file(bench, page, settings, tmp_path):
    slow = written(
        replace(SWING, rate=96.0, seconds=9.0, width=96, height=54), tmp_path / "s.mp4", slower=4
    )
    asked = said(hand_in(bench, page, slow.read_bytes()))
    assert "Yes, 4× slow motion" in asked
    assert len(lying(settings)) == 1
    bench.post(page, ASKED | {"again": "on", "slowed": "4"})
    assert abs(Recording.objects.get().found["period_s"] - SWING.period_s) < 0.004
    assert lying(settings) == []


def test_stamps_that_a_program_wrote_are_asked_about(bench, page, settings, tmp_path):
    lied = written(replace(SWING, rate=25.0), tmp_path / "s.mp4", slower=1.2)
    asked = said(hand_in(bench, page, lied.read_bytes()))
    assert "exactly even" in asked
    answers = re.findall(r'name="filmed_hz" value="([^"]+)"', asked)
    assert len(answers) == 2
    bench.post(page, ASKED | {"again": "on", "filmed_hz": answers[0]})
    assert abs(Recording.objects.get().found["period_s"] - SWING.period_s) < 0.004
    assert lying(settings) == []


@pytest.mark.parametrize("kind", ["text", "none", "large"])
def test_what_is_no_film_is_refused_and_nothing_stays(
    bench, page, swing, settings, kind, monkeypatch
):
    if kind == "large":
        monkeypatch.setattr(films, "MOST_FILM", 1000)
        assert "twenty seconds are enough" in said(hand_in(bench, page, swing))
    elif kind == "none":
        assert "Choose the film first" in said(bench.post(page, ASKED, follow=True))
    else:
        assert "cannot be read as a film" in said(hand_in(bench, page, b"a,b\n" * 90))
    assert not Recording.objects.exists()
    assert lying(settings) == []


def test_a_film_has_so_much_work_and_no_more(bench, page, swing, monkeypatch):
    monkeypatch.setattr(films, "MOST_WORK_S", 0.0)
    assert "takes too long to look through" in said(hand_in(bench, page, swing))
    assert not Recording.objects.exists()


def test_a_film_may_be_larger_than_other_things_that_come_in(rf, monkeypatch):
    monkeypatch.setattr(bodies, "_not_let_in", lambda *_: None)
    for path, megabytes, is_refused in (
        ("/frames/7/film/", 299, False), ("/frames/7/film/", 310, True),
        ("/frames/7/film/take/", 299, True), ("/frames/7/measure/", 299, True),
    ):  # fmt: skip
        found = bodies.refusal(rf.post(path), path, str(megabytes << 20))
        assert (found is not None and found.status == 413) is is_refused, (path, megabytes)


def test_what_is_looked_through_is_shown_and_stopped(bench, page, swing, settings, user, racket):
    folder = settings.LOCAL / "films"
    folder.mkdir()
    (folder / "abc").write_bytes(swing)
    row = Film.objects.create(
        frame=racket, user=user, status="working", progress="Looking at the pictures, 40 %",
        content={"file": "abc", "asked": ASKED},
    )  # fmt: skip
    assert "40 %" in said(bench.get(f"{page}answer/"))
    bench.post(f"{page}stop/")
    row.refresh_from_db()
    assert (row.status, lying(settings)) == ("stopped", [])


def test_numbers_of_no_world_are_refused_and_break_nothing(bench, page, racket):
    for odd in ("9" * 5000, "9" * 30, "x", "-1"):
        assert bench.post(f"{page}take/", ASKED | {"recording": odd}).status_code == 302
        assert bench.get(f"/frames/{racket.pk}/measure/?recording={odd}").status_code == 200
        posted = {"method": "pendulum", "condition": "as-played", "recording": odd}
        assert bench.post(f"/frames/{racket.pk}/measure/preview/", posted).status_code == 200
        assert send(bench, page, odd, b"").status_code == 400
        wish = {"base": f"plan:{odd}"}
        assert bench.post(f"/frames/{racket.pk}/recipes/wish/", wish).status_code < 500
        grid = {"new-TOTAL_FORMS": odd, "new-INITIAL_FORMS": odd, "more": "row"}
        assert bench.post("/jobs/new/", grid).status_code < 500


def test_films_at_work_are_no_content_of_the_workshop():
    assert not {Film, FilmPart} & set(whole.tables())


# --- a camera ------------------------------------------------------------------------------------


def part(times, grey):
    count, height, width = grey.shape
    return (
        struct.pack("<HHH", count, width, height)
        + struct.pack(f"<{count}d", *times)
        + grey.tobytes()
    )


def seconds(pictures, length=30):
    for start in range(0, len(pictures.times_s), length):
        some = slice(start, start + length)
        yield part(pictures.times_s[some], pictures.grey[some])


def send(bench, page, number, body, run="one", last=""):
    at = f"{page}part/?run={run}&number={number}&method=pendulum{last}"
    return bench.post(at, body, "application/octet-stream")


def test_a_camera_is_told_how_many_swings_are_needed_and_when_it_is_enough(bench, page):
    pictures = shrunk(replace(SWING, width=64, height=36, seconds=30.0))
    words = []
    for number, body in enumerate(seconds(pictures)):
        answer = send(bench, page, number, body).json()
        if number == 2:
            send(bench, page, number, body)  # sent twice, it counts once
        words.append(answer["words"])
        if answer["is_over"]:
            break
    assert 10 < number < 25
    assert "let it swing freely" in words[0]
    assert any("more" in one for one in words)
    recording = Recording.objects.get()
    assert abs(recording.found["period_s"] - SWING.period_s) < 0.003
    assert recording.found["u"] < films_live.GOOD * SWING.period_s
    assert not FilmPart.objects.exists()
    assert send(bench, page, number + 1, body).json()["is_over"], "a part that was on its way"
    assert not FilmPart.objects.exists()
    assert "Take it into the reading" in said(bench.get(f"{page}answer/"))


def test_a_camera_that_sees_nothing_swing_says_so_at_the_end(bench, page):
    pictures = shrunk(replace(SWING, width=64, height=36, seconds=8.0, wide_deg=0.0))
    parts = list(seconds(pictures))
    for number, body in enumerate(parts):
        answer = send(bench, page, number, body, last="&last" if body is parts[-1] else "")
    assert answer.json()["is_over"]
    assert "Nothing in the picture swings" in answer.json()["words"]
    assert not Recording.objects.exists()


@pytest.mark.parametrize(
    "body",
    [b"", b"\1", part([0.0], shrunk(replace(SWING, seconds=0.1)).grey[:1]) + b"x",
     struct.pack("<HHH", 0, 64, 36), struct.pack("<HHH", 1, 9000, 9000),
     part([float("nan")], shrunk(replace(SWING, seconds=0.1)).grey[:1])],
)  # fmt: skip
def test_what_is_no_part_is_refused(bench, page, body):
    assert send(bench, page, 0, body).status_code == 400
    assert send(bench, page, "x", body).status_code == 400
    assert not Film.objects.exists()
