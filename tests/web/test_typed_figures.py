"""A figure that was typed is as sure as its instrument and its last digit, wherever typed."""

import math

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kentrobar.core.io.readings import READING_FORMAT, reading_of, reduced
from kentrobar.core.numbers import uncertainty
from kentrobar.frames.models import Reading
from kentrobar.shop.models import Settings
from kentrobar.workshop.models import Trial

from .test_measure import keep

WHOLE = 1 / math.sqrt(12)


def read(bench, frame, **figures):
    posted = {"condition": "as-played", "axis": "100 mm", "confirm": "on"} | figures
    bench.post(f"/frames/{frame.pk}/", posted)
    return {one.quantity: one for one in Reading.objects.filter(frame=frame).order_by("pk")}


def test_on_the_frame_page_the_last_digit_and_the_usual_instrument_say(bench, racket):
    found = read(bench, racket, mass_g="317", balance_mm="32.4 cm", swing_kgcm2="314.6")
    assert found["mass_g"].u == pytest.approx(WHOLE)
    assert found["balance_mm"].u == pytest.approx(WHOLE)
    assert found["swing_kgcm2"].u == pytest.approx(0.1 * WHOLE)
    assert found["mass_g"].number().std_dev == pytest.approx(WHOLE)
    Reading.objects.all().delete()
    usual = {"usual_mass": "scale-0.1", "usual_swing": "machine-1"}
    page = bench.get("/settings/").content.decode()
    assert "kitchen scale, 1 g" in page
    Settings.objects.update_or_create(pk=1, defaults=usual)
    found = read(bench, racket, mass_g="316.85", swing_kgcm2="314.6", balance_mm="324 ± 0.2")
    assert found["mass_g"].u == pytest.approx(math.hypot(0.1 * WHOLE, 0.05))
    assert found["swing_kgcm2"].u == pytest.approx(math.hypot(WHOLE, 0.3))
    assert found["balance_mm"].u == 0.2
    # A whole gram is not surer for the scale it might have been read on.
    Reading.objects.all().delete()
    assert read(bench, racket, mass_g="317")["mass_g"].u == pytest.approx(WHOLE)


def test_repeats_are_taken_wherever_one_figure_is(bench, racket):
    mass = read(bench, racket, mass_g="317 316 316")["mass_g"]
    assert (mass.repeats, mass.value) == (3, pytest.approx(949 / 3))
    assert mass.u == pytest.approx(math.hypot(1 / 3, WHOLE))
    found = reduced(reading_of(mass.raw))
    assert uncertainty(found.value) == pytest.approx(mass.u)


def test_measured_with_none_of_mine_whole_units_stay_whole(bench, racket):
    keep(bench, racket, "scale", readings="317 317 317")
    mass = Reading.objects.get(quantity="mass_g", method="scale")
    assert mass.raw["resolution_g"] == 1.0
    assert mass.u >= WHOLE
    keep(bench, racket, "machine", readings="315", axis="100 mm")
    assert Reading.objects.get(method="machine").u >= WHOLE


def test_a_table_and_a_trial_read_figures_so_too(bench, racket, plan, window):
    table = "name;serial;mass_g;balance_cm\nTern 98;t-1;318;32,4\n"
    file = SimpleUploadedFile("t.csv", table.encode())
    bench.post("/data/read/", {"file": file})
    bench.post("/data/write/")
    found = {one.quantity: one.u for one in Reading.objects.filter(frame__serial="t-1")}
    assert found == {"mass_g": pytest.approx(WHOLE), "balance_mm": pytest.approx(WHOLE)}
    window.do("edit/put", what="tape")
    posted = {"mass_g": "320 319 320", "swing_kgcm2": "320", "mass-0": "3"}
    bench.post(f"/plans/{plan.pk}/trial/keep/", posted)
    trial = Trial.objects.get()
    value, u = trial.read["mass_g"]
    assert (value, u) == (pytest.approx(959 / 3), pytest.approx(math.hypot(1 / 3, WHOLE)))
    assert trial.read["swing_kgcm2"] == [320.0, pytest.approx(WHOLE)]
    assert trial.put_on[0]["u_g"] == pytest.approx(WHOLE)


def test_a_document_may_say_that_its_figures_were_typed():
    told = {"format": READING_FORMAT, "method": "told", "quantity": "mass_g", "value": 324}
    assert uncertainty(reduced(reading_of(told)).value) is None
    typed = reduced(reading_of(told | {"typed": True})).value
    assert uncertainty(typed) == pytest.approx(WHOLE)
    scale = {"format": READING_FORMAT, "method": "scale", "readings_g": [324.7, 324.7]}
    assert uncertainty(reduced(reading_of(scale | {"typed": True})).value) == pytest.approx(
        0.1 * WHOLE
    )
