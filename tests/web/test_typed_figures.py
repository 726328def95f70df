"""A figure that was typed is as sure as its instrument and its last digit, wherever typed."""

import math
import re
from dataclasses import replace
from statistics import stdev

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kentrobar.core.frame.targets import Target
from kentrobar.core.io.readings import READING_FORMAT, reading_of, reduced
from kentrobar.core.measure.usual import instrument
from kentrobar.core.numbers import uncertainty
from kentrobar.frames.models import Reading
from kentrobar.frames.typed import say_units
from kentrobar.measuring.models import Instrument
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Wish
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material
from kentrobar.ui.models import Preferences
from kentrobar.workshop.models import Trial
from tests.core.frames import READ, TERN
from tests.pages import as_posted, faults, said

from .conftest import measured_frame
from .test_measure import keep, put_on

SCRIPT = {"HX-Request": "true"}
WHOLE = 1 / math.sqrt(12)


def read(bench, frame, **figures):
    posted = {"condition": "as-played", "axis": "100 mm", "confirm": "on"} | figures
    bench.post(f"/frames/{frame.pk}/", posted)
    return {one.quantity: one for one in Reading.objects.filter(frame=frame).order_by("pk")}


def test_on_the_frame_page_the_last_digit_and_the_usual_instrument_say(bench, racket):
    found = read(bench, racket, mass_g="317", balance_mm="32.4 cm", swing_kgcm2="314.6")
    # Nobody said with what: a scale of 0.1 g, a ruler, a machine of whole units, as most have.
    for name, step, key in (("mass_g", 1, ""), ("balance_mm", 1, ""), ("swing_kgcm2", 1, "")):
        assert found[name].u == pytest.approx(as_read(name, step, key))
    assert found["mass_g"].number().std_dev == found["mass_g"].u
    Reading.objects.all().delete()
    usual = {"usual_mass": "scale-0.01", "usual_swing": "machine-0.1"}
    page = bench.get("/settings/").content.decode()
    assert "kitchen scale, 1 g" in page
    Settings.objects.update_or_create(pk=1, defaults=usual)
    found = read(bench, racket, mass_g="316.85", swing_kgcm2="314.6", balance_mm="324 ± 0.2")
    assert found["mass_g"].u == pytest.approx(as_read("mass_g", 0.01, "scale-0.01"))
    assert found["swing_kgcm2"].u == pytest.approx(as_read("swing_kgcm2", 0.1, "machine-0.1"))
    assert found["balance_mm"].u == 0.2
    # A whole gram is not surer for the scale it might have been read on.
    Reading.objects.all().delete()
    assert read(bench, racket, mass_g="317")["mass_g"].u >= WHOLE
    # What a customer names was read on nobody knows what.
    Reading.objects.all().delete()
    told = read(bench, racket, mass_g="317.0", swing_kgcm2="315", is_told="on")
    assert told["mass_g"].u > 1.0
    assert told["swing_kgcm2"].u > 2.0
    assert "told by the customer" in said(bench.get(f"/readings/{told['mass_g'].pk}/"))


def as_read(figure, step, key="", values=(0.0,)):
    """The last digit, the scatter as Student's t has it, and what all its readings are off by."""
    one = instrument(figure, key)
    spread = 0.0 if len(values) < 2 else stdev(values)
    freedom = len(values) - 1 + 3
    sigma = math.sqrt((3 * one.scatter**2 + (len(values) - 1) * spread**2) / freedom)
    t = {3: 3.31, 5: 2.65}[freedom] / 2
    scatter = t * sigma / math.sqrt(len(values))
    alone = 3.31 / 2 * one.scatter
    digit = max(step, one.step) / math.sqrt(12)
    if max(values) - min(values) <= 4 * math.hypot(alone, digit):
        scatter = min(scatter, alone)
    return math.hypot(scatter, digit, one.off)


def test_repeats_are_taken_wherever_one_figure_is(bench, racket):
    mass = read(bench, racket, mass_g="317 316 316")["mass_g"]
    assert (mass.repeats, mass.value) == (3, pytest.approx(949 / 3))
    assert mass.u == pytest.approx(as_read("mass_g", 1, "", (317, 316, 316)))
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
    assert found == {
        name: pytest.approx(as_read(name, 1)) for name in ("mass_g", "balance_mm")
    }  # fmt: skip
    window.do("edit/put", what="tape")
    posted = {"mass_g": "320 319 320", "swing_kgcm2": "320", "mass-0": "3"}
    bench.post(f"/plans/{plan.pk}/trial/keep/", posted)
    trial = Trial.objects.get()
    value, u = trial.read["mass_g"]
    whole = as_read("mass_g", 1, "", (320, 319, 320))
    assert (value, u) == (pytest.approx(959 / 3), pytest.approx(whole))
    assert trial.read["swing_kgcm2"] == [320.0, pytest.approx(as_read("swing_kgcm2", 1))]
    assert trial.put_on[0]["u_g"] == pytest.approx(WHOLE)


def test_a_weighed_part_and_a_weighed_cut_are_no_surer_than_their_last_digit(bench, racket):
    put_on(bench, racket, "strings", mass="19 g", cut_off="2.4 g", name="multifilament")
    put_on(bench, racket, "overgrip", mass="44", pieces="8")
    found = {one.kind: one.u_g for one in racket.parts.all()}
    assert found == {
        "strings": pytest.approx(math.hypot(WHOLE, 0.1)), "overgrip": pytest.approx(WHOLE / 8),
    }  # fmt: skip
    roll = Material.objects.create(name="reel B", kind="tape")
    for mass, u in (("2", WHOLE), ("2.02", 0.03), ("2.02 ± 0.01", 0.01)):
        bench.post(f"/stock/{roll.pk}/weigh/", {"length": "200", "count": "1", "mass": mass})
        assert roll.weighings.latest("pk").u_g == pytest.approx(u)


def test_a_document_may_say_that_its_figures_were_typed():
    told = {"format": READING_FORMAT, "method": "told", "quantity": "mass_g", "value": 324}
    assert uncertainty(reduced(reading_of(told)).value) is None
    typed = reduced(reading_of(told | {"typed": True})).value
    assert uncertainty(typed) == pytest.approx(WHOLE)
    scale = {"format": READING_FORMAT, "method": "scale", "readings_g": [324.7]}
    assert uncertainty(reduced(reading_of(scale | {"typed": True})).value) == pytest.approx(
        0.1 * WHOLE
    )


def test_a_decimal_comma_is_read_by_settings_prices_and_materials(bench):
    form = bench.get("/settings/").context["form"]
    posted = as_posted(form) | {"cut_step_mm": "6,35"}
    assert bench.post("/settings/", posted | {"rate_hour": "42,50"}).status_code == 302
    assert (Settings.load().cut_step_mm, Settings.load().rate_hour) == (6.35, 42.5)
    material = {"name": "comma tape", "kind": "tape", "maker_g_per_m": "10,5", "toxicity": "0",
                "price": "7,90", "cure_hours": "0", "warn_below": "0"}  # fmt: skip
    assert bench.post("/stock/new/", material).status_code == 302
    made = Material.objects.get(name="comma tape")
    assert (made.maker_g_per_mm, float(made.price)) == (0.0105, 7.9)


def test_boxes_in_mm_or_grams_take_any_unit(bench):
    form = bench.get("/settings/").context["form"]
    posted = as_posted(form)
    assert bench.post("/settings/", posted | {"cut_step_mm": "1/4 in"}).status_code == 302
    assert Settings.load().cut_step_mm == pytest.approx(6.35)
    answer = bench.post("/settings/", posted | {"cut_step_mm": "a bit", "near": "½ oz"})
    assert faults(answer) == {"cut_step_mm", "near"}
    assert answer.context["form"]["cut_step_mm"].value() == "a bit"
    material = {"name": "wide tape", "kind": "overgrip", "width_mm": "1 1/2 in", "each_g": "0.2 oz",
                "toxicity": "0", "cure_hours": "0", "warn_below": "0"}  # fmt: skip
    assert bench.post("/stock/new/", material).status_code == 302
    made = Material.objects.get(name="wide tape")
    assert (made.width_mm, made.each_g) == (pytest.approx(38.1), pytest.approx(5.67, abs=0.001))


def test_a_twist_weight_nobody_read_can_be_wished_a_change_of(bench):
    frame = measured_frame(TERN, replace(READ, twist_kgcm2=None))
    wish = f"/frames/{frame.pk}/recipes/wish/"
    posted = {"base": "as-played", "priority": "inertia", "sites": ["sides"],
              "materials": ["lead-free tape, 6 mm"]}  # fmt: skip
    answer = bench.post(wish, posted | {"goal-twist_kgcm2": "14"}, headers={"HX-Request": "true"})
    assert faults(answer) == {"goal-twist_kgcm2"}
    bench.post(wish, posted | {"goal-twist_kgcm2": "+0.5 ± 0.1"}, headers={"HX-Request": "true"})
    kept = Wish.objects.get(frame=frame)
    assert kept.found.recipes[0].misses["twist_kgcm2"] == pytest.approx(0, abs=0.1)
    page = bench.get(f"/frames/{frame.pk}/recipes/")
    (vial,) = page.context["cards"][0].vials
    assert (vial.value[0], vial.before) == ("+", "not measured")
    bench.post(f"/frames/{frame.pk}/recipes/plan/", {"recipe": "1", "run": kept.run})
    assert Plan.objects.get().state().targets.twist_kgcm2 == Target(0.5, 0.1, is_change=True)


def test_find_recipes_from_a_plan_starts_from_that_plan(bench, window):
    window.do("edit/put", what="tape")
    for _ in range(10):
        Plan.objects.create(frame=window.plan.frame, name="newer", content=window.plan.content)
    bench.post(f"/plans/{window.plan.pk}/recipes/")
    page = bench.get(f"/frames/{window.plan.frame_id}/recipes/")
    assert page.context["form"].base_chosen.key == f"plan:{window.plan.pk}"


def test_another_instruments_correction_never_stays_behind(bench, racket):
    """The long board's zero lies at 250 mm, the short one's at 180: the box follows the board
    chosen, unless somebody wrote into it; 0 written is 0."""
    long, short = (
        Instrument.objects.create(
            name=name,
            kind="board",
            resolution=0.5,
            drift_band=1,
            offset_mm=zero,
            offset_u_mm=0.4,
        )
        for name, zero in (("long", 250.0), ("short", 180.0))
    )
    there = f"/frames/{racket.pk}/measure/?method=balance-board&quantity=balance_mm"
    page = bench.get(there).content.decode()
    assert f'name="filled_for" value="{long.pk}"' in page
    posted = {
        "method": "balance-board", "condition": "as-played", "quantity": "balance_mm",
        "readings": "143.5 143.5", "instrument": short.pk, "filled_for": long.pk,
        "offset": "250 ± 0.4 mm",
    }  # fmt: skip
    preview = f"/frames/{racket.pk}/measure/preview/?look"
    shown = bench.post(preview, posted, headers=SCRIPT).content.decode()
    assert 'value="180 ± 0.75 mm"' in shown
    assert 'hx-swap-oob="true"' in shown
    # Sent at once, before the page could show it: the reading is the short board's all the same.
    bench.post(f"/frames/{racket.pk}/measure/", posted)
    assert racket.readings.filter(method="balance-board").first().value == 323.5
    for typed, readings, zero in (("175 mm", "148.5", 175.0), ("0 mm", "323.5", 0.0)):
        mine = {"offset": typed, "readings": readings}
        bench.post(f"/frames/{racket.pk}/measure/", posted | mine)
        assert racket.readings.first().raw["offset_mm"]["value"] == zero


def test_a_corrected_figure_is_no_surer_than_it_was_written(bench, racket):
    found = read(bench, racket, mass_g="317 316 316", balance_mm="324.0")
    there = f"/readings/{found['mass_g'].pk}/correct/"
    posted = as_posted(bench.get(there).context["form"]) | {"reason": "another condition"}
    # Nobody wrote another figure: it stays as it is, repeats and all.
    bench.post(there, posted | {"condition": "strung"})
    mass = Reading.objects.get(pk=found["mass_g"].pk)
    assert (mass.repeats, mass.condition) == (3, "strung")
    assert mass.u == pytest.approx(as_read("mass_g", 1, "", (317, 316, 316)))
    bench.post(there, posted | {"figure": "316", "reason": "one was enough"})
    mass.refresh_from_db()
    assert (mass.repeats, mass.typed) == (1, "316 g")
    assert mass.u == pytest.approx(as_read("mass_g", 1))
    assert uncertainty(reduced(reading_of(mass.raw)).value) == pytest.approx(mass.u)


@pytest.fixture
def in_ounces(user):
    """Turns the pages of whoever is signed in to ounces, inches and points."""

    def turn():
        units = {"mass": "oz", "length": "in", "balance": "pt"}
        Preferences.objects.update_or_create(user=user, defaults=units)

    return turn


def test_what_was_typed_is_corrected_as_it_was_meant_in_whatever_units(bench, in_ounces, racket):
    found = read(bench, racket, mass_g="317", balance_mm="324", swing_kgcm2="314.6")
    typed = [one.typed for one in found.values() if one.typed]
    assert typed == ["317 g", "324 mm", "314.6"]
    keep(bench, racket, "scale", readings="317.2 317.4")
    weighed = Reading.objects.filter(method="scale").latest("pk")
    keep(bench, racket, "balance-board", readings="324.2", offset="0 mm")
    lain = Reading.objects.filter(method="balance-board").latest("pk")
    told = Reading.objects.create(frame=racket, quantity="mass_g", value=317.25, condition="bare")
    in_ounces()
    boxes = {
        found["mass_g"]: ("figure", "317 g"), found["balance_mm"]: ("figure", "324 mm"),
        told: ("figure", "317.25 g"), weighed: ("readings", "317.2 317.4 g"),
        lain: ("readings", "324.2 mm"),
    }  # fmt: skip
    for reading, (box, text) in boxes.items():
        there = f"/readings/{reading.pk}/correct/"
        form = bench.get(there).context["form"]
        assert form[box].value() == text
        posted = {"method": reading.method, "correct": reading.pk} | as_posted(form)
        before = reading.value
        answer = bench.post(there, posted | {"reason": "looked at again", "confirm": "on"})
        assert answer.status_code == 302, faults(answer)
        reading.refresh_from_db()
        assert reading.value == pytest.approx(before)


def test_what_is_being_filled_in_is_read_as_it_was_meant_in_other_units(bench, in_ounces, racket):
    posted = {"method": "balance-board", "condition": "as-played", "readings": "324.2 324.4"}
    bench.post(f"/frames/{racket.pk}/measure/preview/", posted)

    def stands():
        page = bench.get(f"/frames/{racket.pk}/measure/?method=balance-board")
        return page.context["form"]["readings"].value()

    assert stands() == "324.2 324.4"
    in_ounces()
    assert stands() == "324.2 324.4 mm"


def test_a_reading_is_told_in_the_readers_units(bench, in_ounces, racket):
    keep(bench, racket, "scale", readings="317.2 317.4")
    reading = Reading.objects.latest("pk")
    there = f"/readings/{reading.pk}/"
    assert "317.2, 317.4 <small>g" in said(bench.get(there))
    in_ounces()
    page = said(bench.get(there)).partition("<main")[2]
    assert "<b>11.192</b>" in page
    assert "11.1889, 11.196 <small>oz" in page
    assert not re.findall(r"\d ?(?:<small>)?g\b", page)
    posted = {"method": "scale", "condition": "as-played", "readings": "11.19 11.20"}
    o = bench.post(f"/frames/{racket.pk}/measure/preview/", posted).context["o"]
    # Each share beside the whole they make.
    whole = math.hypot(*(float(u.removesuffix(" oz")) for _, u, _ in o.shares))
    assert whole == pytest.approx(float(o.results[0].u), rel=0.1)
    for path in (f"/frames/{racket.pk}/", f"/frames/{racket.pk}/measure/"):
        assert "<b>11.192</b> <small>± 0.0031 oz</small>" in said(bench.get(path))
    withdrawn = bench.post(f"/readings/{reading.pk}/withdraw/", follow=True)
    for page in (withdrawn, bench.get("/removed/")):
        assert "mass 11.192 oz" in said(page)


def test_bare_figures_of_before_say_what_they_were_read_by(racket):
    rows = {"11.2": 11.2 * 28.349523125, "317": 317.0, "11.3 oz": 320.3496, "12.5 12.7": 999.0}
    readings = [
        Reading(frame=racket, quantity="mass_g", value=value, typed=text, condition="bare")
        for text, value in rows.items()
    ]
    points = Reading(
        frame=racket, quantity="balance_mm", value=racket.length_mm / 2 - 6 * 3.175, typed="6",
        condition="bare",
    )  # fmt: skip
    Reading.objects.bulk_create([*readings, points])
    say_units(Reading)
    found = Reading.objects.filter(condition="bare").order_by("pk").values_list("typed", flat=True)
    assert list(found) == ["11.2 oz", "317 g", "11.3 oz", "12.5 12.7", "6 pts HL"]


def test_a_form_is_read_by_the_units_its_page_was_made_in(bench, in_ounces, racket):
    """Whatever was chosen on another device since."""
    in_ounces()
    made_in = "g mm length 98 50"
    found = read(bench, racket, mass_g="317", balance_mm="324", shown=made_in)
    assert [found[name].value for name in ("mass_g", "balance_mm")] == [317, 324]
    refused = bench.post(f"/frames/{racket.pk}/", {"mass_g": "heavy", "shown": made_in})
    assert f'data-shown="{made_in}"' in said(refused)
    there = f"/frames/{racket.pk}/measure/preview/"
    posted = {"method": "scale", "condition": "as-played", "readings": "317 318"}
    o = bench.post(there, posted, headers=SCRIPT | {"Kentrobar-Shown": made_in}).context["o"]
    assert o.results[0].unit == "g"
    for odd in ("kg mm length 98 50", "g mm length 98", "g mm length 98 nan", "oz in pt 900 1"):
        assert bench.post(there, posted | {"shown": odd}).context["o"].results[0].unit == "oz"


def test_what_no_measurement_reads_is_refused_in_the_readers_units(bench, in_ounces, racket):
    in_ounces()
    posted = {"method": "scale", "condition": "as-played", "readings": "-7"}
    there = f"/frames/{racket.pk}/measure/"
    assert "−7.00 oz must be above 0." in said(bench.post(there, posted))
    posted |= {"readings": "11.2 11.3", "set_aside": "5 the door"}
    assert "There is no reading 5, only 2." in said(bench.post(there, posted))
    board = {"method": "balance-board", "condition": "as-played", "readings": "5 in"}
    assert "a balance of −2.01 in," in said(bench.post(there, board | {"offset": "-7.008 in"}))


def test_a_trial_and_a_stage_take_no_figure_that_no_frame_has(bench, plan, window):
    window.do("edit/put", what="tape")
    odd = {"mass_g": "-7", "swing_kgcm2": "0", "balance_mm": "99999"}
    for there in (f"/plans/{plan.pk}/trial/keep/", f"/plans/{plan.pk}/stages/"):
        assert faults(bench.post(there, odd)) == set(odd), there
    assert not Trial.objects.exists()


def test_a_check_far_off_is_asked_about_before_readings_are_corrected_by_it(bench):
    scale = Instrument.objects.create(name="one", kind="scale", resolution=0.1, drift_band=0.3)
    posted = {"reference": "500 g mass", "expected": "500", "readings": "5000 5000.1"}
    asked = bench.post(scale.get_absolute_url(), posted)
    assert "+4500 g off, where 0.3 g is allowed" in said(asked)
    assert (faults(asked), scale.drift().value) == ({"readings"}, 0)
    assert 'name="confirm"' in said(asked)
    bench.post(scale.get_absolute_url(), posted | {"readings": "500.5"})
    assert scale.checks.count() == 1
    bench.post(scale.get_absolute_url(), posted | {"readings": "510", "confirm": "on"})
    assert scale.checks.count() == 2
    assert 'name="confirm"' not in said(bench.get(scale.get_absolute_url()))


def test_every_box_of_a_mass_or_a_length_says_what_a_bare_number_is(bench, racket, plan, window):
    """So that the page can take it along into other units."""
    window.do("edit/put", what="tape")
    frame = racket.pk
    boxes = {
        f"/frames/{frame}/": ("mass_g", "balance_mm", "axis"),
        "/frames/new/?kind=racket": ("length_mm", "rim_mm", "holes"),
        f"/frames/{frame}/parts/": ("mass", "cut_off", "from_mm"),
        f"/frames/{frame}/feel/": ("along", "across"),
        f"/frames/{frame}/one-gram/": ("grams",), "/quick/": ("mass_g", "grams", "balance_mm"),
        f"/frames/{frame}/measure/?method=scale": ("readings",),
        f"/frames/{frame}/measure/?method=pendulum": ("mass", "balance", "pivot"),
        f"/plans/{plan.pk}/trial/": ("mass-0", "holding", "mass_g", "balance_mm"),
        f"/plans/{plan.pk}/stages/": ("weighs", "mass_g", "balance_mm"),
        "/jobs/new/?rows=1": ("new-0-mass_g", "new-0-balance_mm"),
    }  # fmt: skip
    bare = []
    for path, names in boxes.items():
        page = said(bench.get(path)).partition("<main")[2]
        tags = re.findall(r"<(?:input|textarea)[^>]*>", page)
        for name in names:
            own = [tag for tag in tags if f'name="{name}"' in tag]
            if not own or not all("data-unit=" in tag for tag in own):
                bare.append((path, name, len(own)))
    assert bare == []
