"""The Measure view: forms of every method, facts kept, slips named, corrections with their
history."""

import math
import random
import re

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from kentrobar.core.frame.together import correlations
from kentrobar.core.io.plans import dump_piece
from kentrobar.core.io.readings import reading_of, reduced
from kentrobar.core.measure.bifilar import bifilar_period
from kentrobar.core.measure.hung import hung_period
from kentrobar.core.measure.pendulum import pendulum_period
from kentrobar.core.measure.surroundings import GRAVITY, face_air_kgcm2, gravity
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.plug import Plug
from kentrobar.frames.models import Frame, Reading
from kentrobar.measuring.models import Check, Draft, Instrument, Recording
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.stock import shelf
from kentrobar.stock.models import Material
from kentrobar.workshop.models import Sheet
from tests.core.frames import READ, SHOAL, TERN
from tests.pages import faults, said

from .conftest import measured_frame

pytestmark = pytest.mark.django_db


@pytest.fixture
def blank(db) -> Frame:
    frame = Frame(model="Tern 98", serial="no. 23")
    frame.set_outline(TERN)
    frame.save()
    return frame


@pytest.fixture
def scale(db) -> Instrument:
    return Instrument.objects.create(
        name="Skerrow scale", kind="scale", resolution=0.1, drift_band=0.3
    )


def keep(bench, frame, method, **typed):
    """A reading as posted; what swings, swings as little as makes no difference."""
    usual = {"method": method, "condition": "as-played", "quantity": ""}
    small = {"amplitude": "0"} if method in ("pendulum", "bifilar", "hung-flat") else {}
    return bench.post(f"/frames/{frame.pk}/measure/", usual | small | typed)


def newest(frame, quantity="mass_g") -> Reading:
    return frame.readings.filter(quantity=quantity).first()


TAPPED = " ".join(f"{0.4 + i * 1.382 / 2 + random.Random(i).gauss(0, 0.01):.4f}" for i in range(36))
BODY = {"mass": "316.8 ± 0.1 g", "balance": "323.5 ± 0.4 mm"}


def test_the_figure_still_missing_leads_the_page(bench, blank):
    def asked():
        page = bench.get(f"/frames/{blank.pk}/measure/")
        return page.context["quantity"], page.context["is_missing"]

    assert asked() == ("mass_g", True)
    keep(bench, blank, "scale", readings="316.8 316.7 316.8")
    assert asked() == ("balance_mm", True)
    keep(bench, blank, "knife-edge", readings="323 324 323.5")
    assert asked() == ("swing_kgcm2", True)
    keep(bench, blank, "machine", readings="314.2 314.8", axis="100 mm")
    assert bench.get(f"/frames/{blank.pk}/measure/").context["missing"] == []
    other = bench.get(f"/frames/{blank.pk}/measure/?condition=bare")
    assert other.context["missing"] == ["mass_g", "balance_mm", "swing_kgcm2"]


def test_twist_weight_belongs_to_the_baseline_once_it_is_planned_for(bench, racket, plan):
    racket.readings.filter(quantity="twist_kgcm2").delete()
    plan.content["targets"] = {"twist_kgcm2": {"value": 14, "tol": 0.2}}
    plan.save()
    page = bench.get(f"/frames/{racket.pk}/measure/")
    assert (page.context["quantity"], page.context["is_missing"]) == ("twist_kgcm2", True)


PERIOD = pendulum_period(316.8, 323.5, 156.3, 644)
METHODS = [
    ("scale", {"readings": "316.8 316.7; 11.175 oz"}, "mass_g", 316.8),
    ("balance-board", {"readings": "73.5 74 73", "offset": "25 cm"}, "balance_mm", 323.5),
    ("two-scales", {"m1": "168.9", "x1": "20", "m2": "147.9", "x2": "666"}, "balance_mm", 321.6),
    ("knife-edge", {"readings": "12 3/4 in"}, "balance_mm", 323.85),
    (
        "machine",
        {"readings": "314.2 315", "axis": "100 mm", "drift": "−0.4 ± 0.2"},
        "swing_kgcm2",
        315.0,
    ),
    (
        "pendulum",
        BODY | {"pivot": "644 mm", "axis": "100", "period": f"{PERIOD:.6f} s"},
        "swing_kgcm2",
        314.5,
    ),
    (
        "pendulum",
        BODY | {"pivot": "644 mm", "axis": "100", "tap_times": TAPPED},
        "swing_kgcm2",
        313.0,
    ),
    (
        "bifilar",
        {
            "hangs": "vertical",
            "mass": "316.8",
            "spacing_top": "236",
            "spacing_bottom": "236",
            "thread": "900",
            "period": f"{bifilar_period(316.8, 13.4, 236, 236, 900):.6f}",
        },
        "twist_kgcm2",
        13.4,
    ),
    (
        "bifilar",
        {
            "hangs": "level",
            **BODY,
            "axis": "100",
            "spacing_top": "200",
            "spacing_bottom": "200",
            "thread": "900",
            "period": f"{bifilar_period(316.8, 157, 200, 200, 900):.6f}",
        },
        "swing_kgcm2",
        315.2,
    ),
    (
        "hung-flat",
        {
            "mass": "316.8",
            "hang": "180",
            "amplitude": "0",
            "period": f"{hung_period(316.8, 13.4, 180):.6f}",
        },
        "twist_kgcm2",
        13.4,
    ),
]


@pytest.mark.parametrize(
    ("method", "typed", "quantity", "value"), METHODS, ids=lambda x: x if isinstance(x, str) else ""
)
def test_every_method_keeps_its_raw_facts_and_what_they_come_to(
    bench, blank, method, typed, quantity, value
):
    answer = keep(bench, blank, method, confirm="on", **typed)
    assert answer.status_code == 302, re.findall(
        r"role=\"alert\"[^>]*>([^<]+)", answer.content.decode()
    )
    reading = newest(blank, quantity)
    assert reading.value == pytest.approx(value, rel=5e-3)
    assert reading.u > 0
    assert (reading.method, reading.raw["format"]) == (method, "kentrobar-reading/1")
    assert reading.read_by is not None
    page = bench.get(f"/readings/{reading.pk}/").content.decode()
    assert "first saved" in page
    answer = bench.post(f"/readings/{reading.pk}/again/", follow=True).content.decode()
    assert "the same figure came out" in answer
    for quantities in (method, "told"):
        assert bench.get(f"/frames/{blank.pk}/measure/?method={quantities}").status_code == 200


def test_two_supports_weigh_as_well(bench, blank):
    keep(bench, blank, "two-scales", m1="168.9", x1="20", m2="147.9", x2="666")
    assert newest(blank).value == pytest.approx(316.8)
    form = {
        "method": "two-scales",
        "condition": "as-played",
        "x1": "20",
        "x2": "666",
        "m1": "168.9",
        "m2": "149.9",
    }
    there = f"/readings/{newest(blank).pk}/correct/"
    assert bench.post(there, form | {"reason": "misread the right one"}).status_code == 302
    assert (newest(blank).value, blank.readings.count()) == (pytest.approx(318.8), 2)
    assert newest(blank, "balance_mm").history.count() == 2


@pytest.mark.parametrize(
    ("method", "typed", "says"),
    [
        ("scale", {"readings": ""}, "Readings: still to be written"),
        ("scale", {"readings": "316.8 heavy"}, "is not a unit for a mass"),
        ("scale", {"readings": "316.8", "set_aside": "door"}, "write which reading and why"),
        (
            "scale",
            {"readings": "316.8 316.9", "set_aside": "7 door"},
            "There is no reading 7, only 2.",
        ),
        ("scale", {"readings": "316.8 316.9", "set_aside": "1"}, "set aside for a reason"),
        ("pendulum", BODY | {"pivot": "644", "axis": "100"}, "Tap at every pass"),
        (
            "pendulum",
            BODY | {"pivot": "323", "axis": "100", "period": "1.38"},
            "nothing swings there",
        ),
        ("pendulum", BODY | {"pivot": "644", "axis": "100", "tap_times": "0 .7"}, "a period needs"),
        (
            "pendulum",
            BODY | {"pivot": "644", "axis": "100", "tap_times": "0 .7 1.4 1.5 2.1 2.8"},
            "double tap",
        ),
        (
            "pendulum",
            BODY | {"pivot": "644", "axis": "100", "tap_times": "0 x"},
            "seconds, one after another",
        ),
        ("pendulum", BODY | {"pivot": "644", "axis": "100", "period": "0.4"}, "must be above 0"),
        (
            "bifilar",
            {
                "hangs": "level",
                "mass": "317",
                "spacing_top": "236",
                "spacing_bottom": "236",
                "thread": "800",
                "period": "1",
            },
            "needs balance and axis",
        ),
        ("machine", {"readings": "314", "axis": "500 mm"}, "axis lies in the handle"),
        ("balance-board", {"readings": "700", "offset": "250"}, "lies outside the frame"),
    ],
)
def test_a_refused_measurement_says_why_and_keeps_what_was_typed(bench, blank, method, typed, says):
    answer = keep(bench, blank, method, **typed)
    page = answer.content.decode()
    assert answer.status_code == 422
    assert says in page
    assert not blank.readings.exists()
    for text in typed.values():
        assert not text or text in page


def test_a_preview_shows_mean_spread_and_what_stands_apart_and_remembers(bench, blank, scale):
    typed = {
        "method": "scale",
        "condition": "as-played",
        "readings": "316.8 316.9 316.8 319.9 316.8",
        "instrument": scale.pk,
    }
    there = f"/frames/{blank.pk}/measure/preview/"
    seen = bench.post(there, typed).context["o"]
    assert [one.number for one in seen.singles if one.z] == [4]
    assert (len(seen.singles), len(seen.troubles)) == (5, 1)
    assert seen.facts[-1] == "scatter taken as usual, 0.05 g"
    scale.checks.create(reference="500 g", expected=500.0, read=500.4, read_u=0.03)
    seen = bench.post(there, typed).context["o"]
    assert seen.facts[-2] == "less the 0.4 g it reads too much", "why it is not the mean"
    scale.checks.all().delete()
    seen = bench.post(there, typed | {"set_aside": "4 the door"}).context["o"]
    assert [one.aside for one in seen.singles if one.aside is not None] == ["the door"]
    assert seen.results[0].value == "316.83"
    assert (
        "316.8 316.9 316.8 319.9 316.8"
        in bench.get(f"/frames/{blank.pk}/measure/?method=scale").content.decode()
    )
    keep(
        bench,
        blank,
        "scale",
        readings="316.8 316.9 316.8 319.9 316.8",
        set_aside="4 the door",
        instrument=scale.pk,
    )
    reading = newest(blank)
    assert reading.raw["readings_g"][3] == 319.9
    assert reading.raw["set_aside"] == [{"index": 3, "reason": "the door"}]
    assert (reading.repeats, reading.use.freedom) == (4, 3)
    late = {
        "readings": "316.8 316.9 316.8 319.9 316.8",
        "set_aside": "4 the door",
        "instrument": scale.pk,
    }
    bench.post(
        f"/frames/{blank.pk}/measure/preview/", {"method": "scale", "condition": "as-played"} | late
    )
    assert not Draft.objects.exists()


def test_before_a_reading_the_page_says_what_to_expect(bench, racket):
    def expected(method, quantity):
        page = bench.get(f"/frames/{racket.pk}/measure/?method={method}&quantity={quantity}")
        return page.context["o"]

    seen = expected("hung-flat", "twist_kgcm2")
    # How wide it swings is asked for before, in a word.
    assert (seen.expected.value, len(seen.notes)) == ("13.40", 2)
    assert len(expected("bifilar", "twist_kgcm2").notes) == 1
    assert expected("pendulum", "swing_kgcm2").improve


def test_a_correction_needs_a_reason_and_keeps_the_history(bench, blank):
    keep(bench, blank, "scale", readings="361.8 361.9")
    reading = newest(blank)
    there = f"/readings/{reading.pk}/correct/"
    assert "361.8 361.9" in bench.get(there).content.decode()
    form = {
        "method": "scale",
        "condition": "as-played",
        "readings": "316.8 316.9",
        "correct": reading.pk,
    }
    refused = bench.post(there, form)
    assert (refused.status_code, faults(refused)) == (422, {"reason"})
    bench.post(there, form | {"reason": "digits changed places"})
    reading.refresh_from_db()
    assert reading.value == pytest.approx(316.85)
    page = bench.get(f"/readings/{reading.pk}/").content.decode()
    assert "digits changed places" in page
    assert "361.8, 361.9 → 316.8, 316.9" in page
    old = reading.history.last()
    assert (old.value, old.history_user) == (pytest.approx(361.85), reading.read_by)
    assert blank.readings.count() == 1


@pytest.fixture
def swung(bench, blank):
    """A swing weight by the pendulum, which counts with the mass and balance of its time."""
    keep(
        bench,
        blank,
        "pendulum",
        pivot="644 mm",
        axis="100",
        amplitude="0",
        period=f"{PERIOD:.6f} s",
        confirm="on",
        **BODY,
    )
    return newest(blank, "swing_kgcm2")


def test_a_swing_is_not_reduced_again_with_what_was_read_after_the_frame_was_changed(
    bench, blank, swung
):
    plan = desk.start(blank, blank.figures()[0])
    putty = dump_piece(Plug(mass_g=2.0, from_mm=8, to_mm=38))
    Sheet.objects.create(plan=plan, pieces=[putty], signed_off_at=timezone.now())
    keep(bench, blank, "scale", readings="318.8 318.8")
    bench.post(f"/readings/{swung.pk}/again/")
    assert newest(blank, "swing_kgcm2").value == swung.value
    assert newest(blank, "swing_kgcm2").raw == swung.raw


def test_a_swing_is_reduced_again_with_the_newest_mass(bench, blank, swung):
    reading = swung
    keep(bench, blank, "scale", readings="318.8 318.8")
    said = bench.post(f"/readings/{reading.pk}/again/", follow=True).content.decode()
    assert "Reduced again with the newest mass" in said
    reading.refresh_from_db()
    assert reading.value == pytest.approx(314.5 * 318.8 / 316.8, rel=1e-3)


# --- slips ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("method", "typed", "says"),
    [
        ("scale", {"readings": "311.3 311.3"}, "As if without its overgrip"),
        ("scale", {"readings": "307.8"}, "As if without its butt cap"),
        ("scale", {"readings": "314.8"}, "As if without its handle wrapper"),
        ("scale", {"readings": "11.175"}, "Did you mean 11.175 oz"),
        ("scale", {"readings": "3168"}, "Mass may be ten times too large"),
        ("scale", {"readings": "361.8"}, "Two digits may have changed places"),
        ("knife-edge", {"readings": "32.35"}, "Did you mean 32.35 cm"),
        ("machine", {"readings": "328.1", "axis": "100"}, "as if clamped face-flat"),
        ("machine", {"readings": "393.3", "axis": "100"}, "about 50 mm: which axis was it read at"),
    ],
)
def test_a_slip_is_named_beside_an_earlier_reading(bench, racket, method, typed, says):
    answer = keep(bench, racket, method, **typed)
    assert answer.status_code == 422
    assert says in answer.content.decode()


def test_figures_as_told_are_held_against_each_other(bench, blank):
    swapped = {
        "condition": "as-played",
        "mass_g": "314.6",
        "balance_mm": "323.5",
        "swing_kgcm2": "13.4",
        "twist_kgcm2": "314.6",
        "axis": "100 mm",
        "next": f"/frames/{blank.pk}/measure/",
    }
    answer = bench.post(f"/frames/{blank.pk}/", swapped)
    assert faults(answer) == {"swing_kgcm2", "twist_kgcm2"}
    right = swapped | {"swing_kgcm2": "314.6", "twist_kgcm2": "13.4"}
    assert bench.post(f"/frames/{blank.pk}/", right).url == f"/frames/{blank.pk}/measure/"
    assert newest(blank, "swing_kgcm2").raw["axis_mm"] == 100
    leads_away = bench.post(
        f"/frames/{blank.pk}/", right | {"next": "//elsewhere.example/", "confirm": "on"}
    )
    assert leads_away.url == f"/frames/{blank.pk}/"


# --- recordings ----------------------------------------------------------------------------------


def csv(period: float, noise: float = 0.04) -> SimpleUploadedFile:
    rng = random.Random(5)

    def swing(i):
        return math.exp(-0.0004 * i) * math.cos(2 * math.pi * i / 50 / period)

    rows = [f"{i * 20},{swing(i) + rng.gauss(0, noise):.5f}" for i in range(1200)]
    return SimpleUploadedFile("swing.csv", ("ms,gyro\n" + "\n".join(rows)).encode(), "text/csv")


def test_a_recording_gives_the_period_and_is_kept(bench, blank):
    form = {
        "method": "pendulum",
        "quantity": "swing_kgcm2",
        "condition": "as-played",
        "pivot": "644 mm",
        "axis": "100",
    }
    there = f"/frames/{blank.pk}/measure/"
    page = bench.post(
        there + "recording/", form | BODY | {"file": csv(PERIOD)}, follow=True
    ).content.decode()
    found = Recording.objects.get()
    assert "samples a second" in page
    assert f'value="{found.pk}"' in page
    keep(
        bench,
        blank,
        "pendulum",
        recording=found.pk,
        pivot="644 mm",
        axis="100",
        confirm="on",
        **BODY,
    )
    reading = newest(blank, "swing_kgcm2")
    assert reading.value == pytest.approx(314.5, rel=3e-3)
    assert reading.recording.text().startswith("ms,gyro")
    assert "plot-fitted" in bench.get(f"/readings/{reading.pk}/").content.decode()


@pytest.mark.parametrize(
    ("upload", "says"),
    [
        (lambda: csv(PERIOD, noise=9), "was not taken"),
        (lambda: SimpleUploadedFile("x.csv", b"\xff\xfe\x00nothing"), "rows of numbers"),
        (lambda: None, "Choose the recording first"),
    ],
    ids=["noise", "not a table", "none"],
)
def test_a_recording_without_a_swing_is_refused(bench, blank, upload, says):
    form = {"method": "pendulum", "quantity": "swing_kgcm2", "condition": "as-played"} | BODY
    if upload():
        form["file"] = upload()
    page = bench.post(f"/frames/{blank.pk}/measure/recording/", form, follow=True).content.decode()
    assert says in page
    assert "316.8 ± 0.1 g" in page  # what was typed is still there
    assert not Recording.objects.exists()


def test_a_swing_weight_stays_tied_to_the_mass_and_balance_it_was_computed_with(bench, blank):
    keep(bench, blank, "scale", readings="316.8 316.7 316.8")
    keep(bench, blank, "knife-edge", readings="323 324 323.5")
    read = {one.quantity: one for one in blank.readings.all()}
    mass, balance = (
        f"{one.value:.4f} ± {one.u:.4f}" for one in (read["mass_g"], read["balance_mm"])
    )
    setup = {"mass": mass, "balance": balance, "pivot": "644 ± 0.5 mm", "axis": "100"}
    keep(bench, blank, "pendulum", **setup, period=f"{PERIOD:.6f} ± 0.0004 s", confirm="on")
    swing = newest(blank, "swing_kgcm2")
    recoil = reduced(reading_of(swing.raw)).figures["recoil_kgcm2"]
    figures = blank.figures()[0]
    tied = figures.measured()
    assert correlations(tied)["balance-swing"] > 0.5
    assert tied.swing_kgcm2.std_dev == pytest.approx(swing.u)
    assert tied.body().recoil_kgcm2.std_dev == pytest.approx(recoil.std_dev, rel=0.02)
    # A plan keeps them tied, a grip put on does too; what was weighed again is no longer what it
    # was computed with.
    bench.post(f"/frames/{blank.pk}/plans/new/")
    state = Plan.objects.get(frame=blank).state()
    assert correlations(state.measured) == pytest.approx(correlations(tied), abs=1e-6)
    assert desk.since(Plan.objects.get(frame=blank), state)[0] == ""
    put_on(bench, blank, "overgrip", mass="5.5 ± 0.01 g", since="now")
    grown = blank.figures()[0].measured()
    assert correlations(grown)["balance-swing"] > 0.5
    keep(bench, blank, "knife-edge", readings="330 330 330", confirm="on")
    blank.parts.all().delete()
    assert "balance-swing" not in correlations(blank.figures()[0].measured())


# --- parts and conditions ------------------------------------------------------------------------


def put_on(bench, frame, kind, **typed):
    return bench.post(
        f"/frames/{frame.pk}/parts/", {"kind": kind, "since": "before", "pieces": "1"} | typed
    )


def test_a_reading_converts_between_conditions(bench, racket):
    put_on(bench, racket, "strings", mass="16.5 ± 0.4 g", name="multifilament", gauge="1.25")
    put_on(bench, racket, "overgrip", mass="44 g", pieces="8")
    assert racket.parts.get(kind="overgrip").mass_g == pytest.approx(5.5)
    bare = racket.figures_in("bare")
    assert bare.found["mass_g"].value.nominal_value == pytest.approx(316.8 - 22)
    assert bare.found["mass_g"].computed == "− strings, − overgrip"
    page = bench.get(f"/frames/{racket.pk}/parts/").content.decode()
    assert "294.8" in page
    assert "computed" in bench.get("/?as=bare").content.decode()


def test_when_a_grip_changes_the_figures_follow_until_read_again(bench, racket):
    put_on(bench, racket, "overgrip", mass="5.5 g")
    assert not racket.figures()[0].is_computed
    put_on(bench, racket, "overgrip", mass="7.5 g", since="now")
    now = racket.figures()[0]
    assert now.found["mass_g"].value.nominal_value == pytest.approx(318.8)
    assert now.found["swing_kgcm2"].computed == "+ overgrip, − overgrip"
    page = bench.get(f"/frames/{racket.pk}/measure/")
    assert page.context["changes"] == ("as played", "+ overgrip, − overgrip")
    keep(bench, racket, "scale", readings="318.7 318.8 318.8")
    assert not racket.figures()[0].found["mass_g"].computed
    assert racket.figures()[0].found["balance_mm"].computed


def test_taking_off_and_putting_on_can_be_undone(bench, racket):
    put_on(bench, racket, "strings", mass="16.5 g")
    old = racket.parts.get()
    put_on(bench, racket, "strings", since="now")
    new = racket.parts.exclude(pk=old.pk).get()
    old.refresh_from_db()
    assert old.taken_off_at is not None
    assert not new.is_weighed
    bench.post(f"/parts/{new.pk}/forget/")
    old.refresh_from_db()
    assert (old.taken_off_at, racket.parts.count()) == (None, 1)
    bench.post(f"/parts/{old.pk}/off/")
    assert racket.figures()[0].found["mass_g"].value.nominal_value == pytest.approx(300.3)
    bench.post(f"/parts/{old.pk}/back-on/")
    assert not racket.figures()[0].is_computed


def test_a_racket_without_known_strings_is_not_converted_to_bare(bench, racket):
    put_on(bench, racket, "overgrip", mass="5.5 g")
    assert not racket.figures_in("bare").found
    assert racket.figures_in("strung").is_complete


def test_strung_and_as_played_are_not_the_same_because_nobody_noted_the_overgrip(bench, db):
    frame = measured_frame(TERN, READ, "bare")
    put_on(bench, frame, "strings", mass="16.5 g")
    assert frame.figures_in("strung").is_complete
    assert not frame.figures_in("as-played").found
    assert not frame.figures_in("no-grip").found
    page = bench.get(f"/frames/{frame.pk}/parts/")
    assert page.context["not_known"] == [
        ("bare, grip off", ["replacement grip"]), ("as played", ["overgrip"]),
    ]  # fmt: skip
    assert "Note first: overgrip" in said(page)
    put_on(bench, frame, "grip", mass="17.5 ± 0.1 g")
    off = frame.figures_in("no-grip").found["mass_g"]
    assert off.value.nominal_value == pytest.approx(READ.mass_g - 17.5)


def test_an_overgrip_that_came_off_again_is_as_unknown_as_one_nobody_noted(bench, db):
    """It stood in the frame's list, so nothing was said to be lacking, and no form was offered."""
    frame = measured_frame(TERN, READ, "bare")
    put_on(bench, frame, "strings", mass="16.5 g")
    put_on(bench, frame, "overgrip", mass="5.0 g")
    bench.post(f"/parts/{frame.parts.get(kind='overgrip').pk}/off/")
    page = bench.get(f"/frames/{frame.pk}/parts/")
    assert ("as played", ["overgrip"]) in page.context["not_known"]
    found, assumed = Frame.objects.get(pk=frame.pk).with_usual("as-played")
    assert (found.is_complete, [part.kind for part in assumed]) == (True, ["overgrip"])


def test_what_is_known_is_planned_without_anything_assumed(bench, racket):
    """Read as played with an overgrip that came off since: strung is known without a usual one."""
    put_on(bench, racket, "overgrip", mass="5.0 g")
    bench.post(f"/parts/{racket.parts.get().pk}/off/")
    found, assumed = Frame.objects.get(pk=racket.pk).with_usual("strung")
    assert (found.is_complete, assumed) == (True, [])
    mass = found.found["mass_g"].value.nominal_value
    assert mass == pytest.approx(READ.mass_g - 5.0, abs=0.01)


def test_a_frame_read_bare_is_planned_as_it_is_played(bench, db):
    """With what is noted, and what is not as it usually is; a plan without strings says what they
    will do."""
    frame = measured_frame(TERN, READ, "bare")
    page = said(bench.get(frame.get_absolute_url()))
    assert "as played, with usual strings and overgrip, ± 1.7 g" in page
    made = bench.post(f"/frames/{frame.pk}/plans/new/", {"condition": "as-played"}, follow=True)
    assert "Planned as played, with usual strings and overgrip" in said(made)
    state = Plan.objects.get().state()
    assert state.condition == "as-played"
    mass = state.measured.mass_g
    assert mass.nominal_value == pytest.approx(READ.mass_g + 16.5 + 5.5)
    assert mass.std_dev == pytest.approx(1.68, abs=0.05)
    bench.post(f"/frames/{frame.pk}/plans/new/", {"condition": "bare"})
    bare = bench.get(Plan.objects.latest("pk").get_absolute_url())
    assert "Planned unstrung: 16.5 g of strings will move the balance" in said(bare)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"mass": "500 g"}, "less than 200 g"),
        ({"from_mm": "10"}, "where it ends"),
        ({"from_mm": "100", "to_mm": "20"}, "before its beginning"),
        ({"to_mm": "900", "from_mm": "10"}, "lies off the frame"),
    ],
)
def test_bad_parts(bench, racket, typed, says):
    answer = put_on(bench, racket, "overgrip", **typed)
    assert (answer.status_code, says in answer.content.decode()) == (422, True)


def test_a_reading_with_something_off_counts_as_read_without_it(bench, racket):
    put_on(bench, racket, "overgrip", mass="5.5 g")
    part = racket.parts.get()
    keep(bench, racket, "scale", readings="311.3 311.3", without=[str(part.pk)], confirm="on")
    assert newest(racket).without == [part.pk]
    assert racket.figures()[0].found["mass_g"].value.nominal_value == pytest.approx(316.8, abs=0.1)


# --- instruments ---------------------------------------------------------------------------------


def test_an_instrument_is_checked_and_its_drift_taken_off(bench, blank):
    bench.post(
        "/instruments/new/",
        {
            "name": "Gannet",
            "kind": "machine",
            "resolution": "0.1",
            "axis_mm": "100",
            "offset_u_mm": "0.5",
            "drift_band": "1.5",
            "check_days": "30",
            "baud": "9600",
            "talk": "sends",
            "ask": "?",
            "tare": "0",
        },
    )
    machine = Instrument.objects.get()
    there = f"/instruments/{machine.pk}/"
    bar = {"reference": "the bar", "bar_mass": "400 g", "bar_length": "700 mm", "expected": ""}
    page = bench.post(there, bar | {"readings": "414.0 414.1 414.0"}, follow=True)
    assert "plot-dot" in page.content.decode()
    assert machine.last_check().drift == pytest.approx(0.7, abs=0.01)
    assert machine.last_check().is_level
    form = bench.get(f"/frames/{blank.pk}/measure/?quantity=swing_kgcm2").content.decode()
    assert "0.70 ± " in form
    bench.post(there, bar | {"readings": "420"})
    assert not machine.last_check().is_level
    assert len(machine.troubles()) == 1
    Check.objects.update(checked_at="2025-01-01T12:00Z")
    assert len(machine.troubles()) == 2
    assert bench.get("/instruments/").status_code == 200
    bench.post(there + "archive/")
    assert not Instrument.live.exists()


def test_repeatability_grows_from_an_instruments_own_repeats(bench, blank, scale):
    assert scale.repeatability() is None
    for readings in ("316.7 316.8 316.9", "316.8 316.8 316.7 316.9"):
        keep(bench, blank, "scale", readings=readings, instrument=scale.pk)
    assert scale.repeatability() == pytest.approx(math.sqrt((0.02 + 0.02) / 5), rel=0.02)
    assert newest(blank).raw["repeatability_g"] == 0.05  # what was known when it was read


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({"kind": "machine"}, "nothing without its axis"),
        ({"kind": "board"}, "how far is that from the butt stop"),
        ({"port": "telnet://scale"}, "is none of these"),
        ({"drift_band": "0"}, "Some drift must be allowed"),
        ({"name": "Skerrow scale"}, "already exists"),
    ],
)
def test_bad_instruments(bench, scale, typed, says):
    whole = {
        "name": "New",
        "kind": "scale",
        "resolution": "0.1",
        "drift_band": "1",
        "check_days": "30",
        "baud": "9600",
        "talk": "sends",
        "offset_u_mm": "0.5",
    }
    answer = bench.post("/instruments/new/", whole | typed)
    assert (answer.status_code, says in answer.content.decode()) == (422, True)


def test_a_check_without_a_reference_is_refused(bench, scale):
    answer = bench.post(f"/instruments/{scale.pk}/", {"reference": "mass", "readings": "500.1"})
    assert faults(answer) == {"expected"}


def test_a_paddle_measures_too(bench):
    frame = measured_frame(
        SHOAL,
        READ.__class__(mass_g=228, balance_mm=236, swing_kgcm2=114.4, axis_mm=50),
        model="Shoal 16",
    )
    answer = keep(
        bench,
        frame,
        "pendulum",
        mass="228 g",
        balance="236 mm",
        pivot="50 mm",
        axis="50 mm",
        amplitude="0",
        period="1.042 s",
    )
    # 114.4 was read off a machine, air and all.
    (doubt,) = answer.context["form"].doubts
    assert (doubt.slip.code, doubt.slip.message.figures["now"]) == ("air-in-one", False)
    Settings(pk=1, air="none").save()
    typed = {"mass": "228 g", "balance": "236 mm", "pivot": "50 mm", "axis": "50 mm"}
    typed |= {"amplitude": "0", "period": "1.042 s"}
    assert keep(bench, frame, "pendulum", **typed).status_code == 302
    assert newest(frame, "swing_kgcm2").value == pytest.approx(114.38, abs=0.01)
    # With it off, and where the ground pulls less.
    Settings(pk=1, air="timed", latitude_deg=0.0).save()
    assert keep(bench, frame, "pendulum", **typed, confirm="on").status_code == 302
    found = newest(frame, "swing_kgcm2")
    air = face_air_kgcm2(SHOAL, 50)
    assert found.raw["air_kgcm2"]["value"] == pytest.approx(air, abs=1e-4)
    assert found.raw["g_ms2"] == pytest.approx(gravity(0), abs=1e-5)
    weaker = 1 - gravity(0) / GRAVITY
    assert found.value == pytest.approx(114.38 - air - 114.38 * weaker, abs=0.02)
    # A machine's own reading stays, unless the workshop says that it has the air in too.
    answer = keep(bench, frame, "machine", readings="114.4", axis="50")
    (doubt,) = answer.context["form"].doubts
    assert (doubt.slip.code, doubt.slip.message.figures["now"]) == ("air-in-one", True)
    keep(bench, frame, "machine", readings="114.4", axis="50", confirm="on")
    assert newest(frame, "swing_kgcm2").value == pytest.approx(114.4)
    assert "air_kgcm2" not in newest(frame, "swing_kgcm2").raw
    Settings(pk=1, air="all").save()
    keep(bench, frame, "machine", readings="114.5", axis="50", confirm="on")
    assert newest(frame, "swing_kgcm2").value == pytest.approx(114.5 - air, abs=0.01)
    page = bench.get(
        f"/frames/{frame.pk}/measure/?method=pendulum&quantity=swing_kgcm2"
    ).content.decode()
    assert "strung" not in page


def test_a_figure_as_told_is_corrected_with_a_reason(bench, racket):
    old = racket.readings.get(quantity="swing_kgcm2")
    there = f"/readings/{old.pk}/correct/"
    assert "314.6" in bench.get(there).content.decode()
    form = {"figure": "413.6", "axis": "100 mm", "condition": "as-played"}
    assert faults(bench.post(there, form)) == {"reason"}
    assert bench.post(there, form | {"axis": "", "reason": "none"}).status_code == 422
    bench.post(there, form | {"figure": "312.6 ± 0.5", "reason": "read off the wrong line"})
    old.refresh_from_db()
    assert (old.value, old.u, old.typed) == (312.6, 0.5, "312.6 ± 0.5")
    assert "read off the wrong line" in bench.get(f"/readings/{old.pk}/").content.decode()


def test_own_weighings_stand_in_for_the_usual_mass(bench, racket, paddle):
    put_on(bench, racket, "overgrip", mass="5.1 g", name="tacky")
    put_on(bench, paddle, "overgrip", name="tacky")
    part = paddle.parts.get()
    assert (part.mass_g, part.is_weighed) == (pytest.approx(5.1), False)
    assert part.u_g < 0.5
    listed = dict(bench.get(f"/frames/{paddle.pk}/parts/").context["products"])
    assert listed["tacky"] == "overgrip, 5.1 g as weighed here"


def test_a_product_weighs_the_same_on_a_frame_and_on_the_shelf(bench, racket, paddle):
    Material.objects.create(name="Whin wrap", kind="overgrip", each_g=6.4)
    put_on(bench, racket, "overgrip", name="whin WRAP")
    part = racket.parts.get()
    assert (part.mass_g, part.u_g) == (6.4, pytest.approx(PARTS["overgrip"].mass_u / 2))
    assert shelf.each_g("Whin wrap") == 6.4
    put_on(bench, paddle, "overgrip", mass="6.1 g", name="Whin wrap")
    assert shelf.each_g("Whin wrap") == 6.1
    listed = dict(bench.get(f"/frames/{paddle.pk}/parts/").context["products"])
    assert listed["Whin wrap"] == "overgrip, 6.1 g as weighed here"
    assert listed["leather grip"] == "on the shelf, 27.0 g each"
    # What came off unnoted is no product, weighed or not.
    put_on(bench, racket, "grip", mass="16 g", name="felt", old_mass="19 g")
    assert "the old one" not in dict(bench.get(f"/frames/{paddle.pk}/parts/").context["products"])
    assert shelf.each_g("the old one") is None


NASTY = [
    "nan",
    "inf",
    "-1",
    "0",
    "999999999",
    "1e400",
    "½",
    "12 7/0",
    "± 3",
    "5 ± 99999",
    "\x00",
    "é" * 200,
    "1;2;;3",
    "%s",
    "3 3 3",
]


def test_a_width_that_cannot_be_is_said_beside_a_period_written_down(bench, racket):
    typed = BODY | {"pivot": "644", "axis": "100", "period": "1.38", "amplitude": "6"}
    form = {"method": "pendulum", "quantity": "swing_kgcm2", "condition": "as-played"} | typed
    there = f"/frames/{racket.pk}/measure/preview/"
    fine = bench.post(there, form | {"amplitude_end": "4"}).context["o"]
    assert (bool(fine.results), fine.faults) == (True, [])
    wider = bench.post(there, form | {"amplitude_end": "9"}).context["o"]
    assert len(wider.faults) == 1


@pytest.mark.parametrize(
    "method",
    [
        "scale",
        "balance-board",
        "two-scales",
        "knife-edge",
        "machine",
        "pendulum",
        "bifilar",
        "hung-flat",
    ],
)
def test_nothing_typed_breaks_a_preview(bench, racket, scale, method):
    page = bench.get(f"/frames/{racket.pk}/measure/?method={method}").context["form"]
    names = [field.name for field in page]
    rng = random.Random(method)
    for _ in range(12):
        typed = {
            name: rng.choice(NASTY) for name in rng.sample(names, rng.randrange(1, len(names)))
        }
        good = {field.name: field.value() or "" for field in page}
        answer = bench.post(
            f"/frames/{racket.pk}/measure/preview/", good | typed | {"method": method}
        )
        assert answer.status_code == 200, typed
        kept = bench.post(
            f"/frames/{racket.pk}/measure/",
            good | typed | {"method": method, "condition": "as-played"},
        )
        assert kept.status_code in (302, 422), typed


@pytest.mark.parametrize("method", ["scale", "pendulum", "machine"])
@pytest.mark.parametrize("quantity", ["mass_g", "swing_kgcm2", "colour", ""])
def test_a_recording_for_what_does_not_swing_is_told_in_words(bench, racket, method, quantity):
    rows = "".join(f"{i / 50},{(i % 35) - 17}\n" for i in range(900)).encode()
    posted = {"method": method, "quantity": quantity, "file": SimpleUploadedFile("a.csv", rows)}
    answer = bench.post(f"/frames/{racket.pk}/measure/recording/", posted)
    assert answer.status_code == 302
    film = {"method": method, "quantity": quantity, "file": SimpleUploadedFile("a.mp4", rows)}
    assert bench.post(f"/frames/{racket.pk}/film/", film).status_code == 302
