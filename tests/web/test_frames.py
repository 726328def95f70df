"""Frames and their readings: what people write is kept, the impossible refused, the unlikely
asked."""

from dataclasses import replace

import pytest
from django.db import IntegrityError, transaction
from django.utils import timezone

from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.plans import desk
from kentrobar.ui.models import Preferences
from tests.core.frames import READ, TERN
from tests.pages import as_posted, faults, said

from .conftest import measured_frame

SIZES = {
    "length_mm": "27 in",
    "width_mm": "25.6 cm",
    "widest_mm": "512",
    "hoop_base_mm": "334",
    "rim_mm": "12",
    "beam_mm": "23",
    "handle_length_mm": "195",
    "handle_radius_mm": "16",
}


def test_a_new_racket_with_sizes_as_people_write_them(bench):
    answer = bench.post("/frames/new/", {"kind": "racket", "model": "Wren", **SIZES}, follow=True)
    frame = Frame.objects.get()
    assert frame.length_mm == pytest.approx(685.8)
    assert frame.width_mm == 256
    assert "27 in" in answer.content.decode()


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"model": ""}, "What model is it"),
        ({"beam_mm": ""}, "Measure the beam too"),
        ({"beam_mm": "thick"}, "“thick” is not a length"),
        ({"widest_mm": "640", "length_mm": "600"}, "is at 640.0 mm, not below the tip at 600.0 mm"),
        ({"hoop_base_mm": "13 1/8"}, "“13 1/8”: inches? Write 13 1/8 in, or 13.125 mm"),
        ({"handle_radius_mm": "1.6"}, "1.6 mm cannot be: 1.6 cm? Write the unit"),
        ({"length_mm": "6858"}, "6858.0 mm is outside 0…1200.0 mm"),
    ],
)
def test_a_refused_frame_keeps_what_was_typed(bench, change, says):
    answer = bench.post("/frames/new/", {"kind": "racket", "model": "Wren", **SIZES} | change)
    page = answer.content.decode()
    assert answer.status_code == 422
    assert says in page
    assert 'value="25.6 cm"' in page
    assert not Frame.objects.exists()


def test_a_bare_number_is_in_the_unit_beside_the_box_and_so_is_its_refusal(bench):
    bench.post("/units/", {"length": "in", "next": "/"})
    inches = {
        "length_mm": "27", "width_mm": "10 1/16", "widest_mm": "20.2", "hoop_base_mm": "13.1",
        "rim_mm": "0.47", "beam_mm": "0.9", "handle_length_mm": "7.7", "handle_radius_mm": "5/8",
    }  # fmt: skip
    wrong = inches | {"hoop_base_mm": "7.6"}
    page = bench.post("/frames/new/", {"kind": "racket", "model": "Wren", **wrong})
    assert faults(page) == {"hoop_base_mm"}
    bench.post("/frames/new/", {"kind": "racket", "model": "Wren", **inches})
    frame = Frame.objects.get()
    assert (frame.width_mm, frame.handle_radius_mm) == pytest.approx((10.0625 * 25.4, 15.875))


def test_a_box_left_alone_keeps_its_exact_size(bench):
    frame = measured_frame(
        TERN.__class__(**{f: getattr(TERN, f) for f in SIZES} | {"beam_mm": 22.987}), READ
    )
    page = bench.get(f"/frames/{frame.pk}/edit/").context["form"].initial
    values = {name: page[name] for name in SIZES} | {
        "model": "Tern",
        "kind": "racket",
        "rim_mm": "13 mm",
    }
    bench.post(f"/frames/{frame.pk}/edit/", values)
    frame.refresh_from_db()
    assert (frame.beam_mm, frame.rim_mm) == (22.987, 13)


def test_stiffness_and_pattern_are_noted_as_people_write_them(bench, racket):
    page = bench.get(f"/frames/{racket.pk}/edit/")
    posted = as_posted(page.context["form"]) | {"stiffness": "63", "string_pattern": "16 x 19"}
    assert bench.post(f"/frames/{racket.pk}/edit/", posted).status_code == 302
    racket.refresh_from_db()
    assert (racket.stiffness, racket.string_pattern) == (63.0, "16×19")
    refused = bench.post(f"/frames/{racket.pk}/edit/", posted | {"string_pattern": "open"})
    assert "Mains by crosses: 16x19" in said(refused)


def test_a_preset_fills_the_outline_and_the_drawing_follows(bench):
    values = {"kind": "paddle", "model": "Cockle", "preset": "paddle-round"}
    answer = bench.post(
        "/frames/outline/", values, headers={"HX-Request": "true", "HX-Trigger-Name": "preset"}
    )
    assert 'value="410.0 mm"' in answer.content.decode()
    assert 'data-dim="corner_top_mm"' in answer.content.decode()
    bad = bench.post("/frames/outline/", {"kind": "racket", **SIZES, "rim_mm": "200"})
    assert "No drawing yet: rim" in bad.content.decode()


def test_a_paddles_face_as_it_is(bench):
    sizes = {
        "length_mm": "413 mm", "width_mm": "190 mm", "handle_mm": "13.5 cm",
        "corner_top_mm": "85 mm", "corner_bottom_mm": "30 mm", "rim_mm": "8 mm", "beam_mm": "14 mm",
        "handle_radius_mm": "16.5 mm", "top_rise_mm": "6.2 cm", "width_high_mm": "186 mm",
        "width_middle_mm": "", "width_low_mm": "", "neck_mm": "3 cm",
    }  # fmt: skip
    about = {"kind": "paddle", "model": "Dory"} | sizes
    drawn = bench.post("/frames/outline/", about).content.decode()
    assert all(f'data-dim="{name}_mm"' in drawn for name in ("top_rise", "width_high", "neck"))
    assert 'data-dim="width_low_mm"' not in drawn
    bench.post("/frames/new/", about)
    frame = Frame.objects.get()
    assert (frame.top_rise_mm, frame.width_high_mm, frame.width_low_mm) == (62, 186, None)
    assert frame.outline().path("edge").length > 0
    assert bench.get(f"/frames/{frame.pk}/").status_code == 200
    # What stands empty again is as round and straight as any paddle.
    plain = about | {"top_rise_mm": "", "width_high_mm": "", "neck_mm": ""}
    assert bench.post(f"/frames/{frame.pk}/edit/", plain).status_code == 302
    frame.refresh_from_db()
    assert (frame.top_rise_mm, frame.width_high_mm, frame.neck_mm) == (None, None, None)
    refused = bench.post(f"/frames/{frame.pk}/edit/", about | {"width_high_mm": "20 in"})
    assert faults(refused) == {"width_high_mm"}
    refused = bench.post(f"/frames/{frame.pk}/edit/", about | {"neck_mm": "a bit"})
    assert faults(refused) == {"neck_mm"}
    # A preset brings its top and neck along.
    answer = bench.post(
        "/frames/outline/",
        {"kind": "paddle", "model": "Dory", "preset": "paddle-ellipse"},
        headers={"HX-Request": "true", "HX-Trigger-Name": "preset"},
    )
    assert 'data-dim="neck_mm"' in answer.content.decode()


def read(bench, frame, **typed):
    values = {"condition": "as-played", "axis": "100 mm"} | typed
    return bench.post(f"/frames/{frame.pk}/", values)


def test_readings_keep_value_axis_condition_and_words(bench, racket):
    read(bench, racket, mass_g="11.2 oz", balance_mm="6 pts HL", swing_kgcm2="311", axis="4 in")
    figures = racket.figures()[0]
    measured = figures.measured()
    assert nominal(measured.mass_g) == pytest.approx(317.51, abs=0.01)
    assert uncertainty(measured.mass_g) == pytest.approx(0.847, abs=0.001)
    assert nominal(measured.balance_mm) == pytest.approx(343 - 19.05)
    assert measured.axis_mm == pytest.approx(101.6)
    page = bench.get(f"/frames/{racket.pk}/").content.decode()
    assert "read 11.2 oz" in page
    assert "read 311 about 101.6 mm" in page


def test_the_impossible_is_refused_with_its_slip(bench, racket):
    answer = read(bench, racket, balance_mm="32.4")
    assert answer.status_code == 422
    assert (
        "Did you mean 32.4 cm (324 mm)?" in answer.content.decode()
        or "usual" in answer.content.decode()
    )
    assert racket.readings.count() == 4


def test_the_unlikely_is_questioned_and_can_be_confirmed(bench, racket):
    typed = {"mass_g": "395", "balance_mm": "320", "swing_kgcm2": "372"}
    answer = read(bench, racket, **typed)
    assert answer.status_code == 422
    assert faults(answer) == {"mass_g", "balance_mm", "swing_kgcm2"}
    assert answer.context["form"].asks_to_confirm
    assert read(bench, racket, confirm="on", **typed).status_code == 302
    assert racket.readings.filter(confirmed=True, value=395).exists()


def test_the_impossible_cannot_be_confirmed(bench, racket):
    assert read(bench, racket, swing_kgcm2="31", confirm="on").status_code == 422


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ({}, "Write at least one figure"),
        ({"swing_kgcm2": "316", "axis": ""}, "means nothing without its axis"),
        ({"swing_kgcm2": "316", "axis": "500"}, "axis lies in the handle"),
        ({"mass_g": "a lot"}, "is not a mass"),
        ({"balance_mm": "6 pts"}, "head-light or head-heavy"),
    ],
)
def test_bad_readings(bench, racket, typed, says):
    answer = read(bench, racket, **typed)
    assert answer.status_code == 422
    assert says in answer.content.decode()


def test_a_plan_on_an_incomplete_baseline_is_marked_until_the_rest_is_read(bench):
    frame = measured_frame(TERN, READ)
    frame.readings.filter(quantity="swing_kgcm2").delete()
    page = bench.get(f"/frames/{frame.pk}/").content.decode()
    assert "no swing weight yet" in page
    page = bench.post(f"/frames/{frame.pk}/plans/new/", follow=True).content.decode()
    assert "Not read yet: swing weight" in page
    assert "assumed, not read" in page
    plan = frame.plans.get()
    assert 290 < plan.state().measured.swing_kgcm2.nominal_value < 350
    bench.post(f"/plans/{plan.pk}/edit/put/", {"version": plan.version, "what": "tape"})
    changes = {v.name: v.change for v in bench.get(f"/plans/{plan.pk}/").context["board"].vials}
    assert " from an assumed " in changes["swing_kgcm2"]
    assert changes["mass_g"].endswith(" from 316.8")
    plan.refresh_from_db()
    read(bench, frame, swing_kgcm2="314.6")
    assert "read again since" in bench.get(f"/plans/{plan.pk}/").content.decode()
    bench.post(f"/plans/{plan.pk}/rebase/", {"version": plan.version})
    plan.refresh_from_db()
    assert (plan.state().assumed, nominal(plan.state().measured.swing_kgcm2)) == ((), 314.6)
    frame.readings.all().delete()
    page = bench.post(f"/frames/{frame.pk}/plans/new/", follow=True).content.decode()
    assert "Not read yet: static weight, balance, swing weight" in page


def test_a_reading_is_taken_back_and_given_again(bench, racket):
    read(bench, racket, mass_g="318")
    newest = racket.readings.get(value=318)
    bench.post(f"/readings/{newest.pk}/withdraw/")
    assert racket.figures()[0].measured().mass_g == 316.8
    bench.post(newest.undo_address)
    assert nominal(racket.figures()[0].measured().mass_g) == 318


def test_a_deleted_frame_comes_back_with_its_plans(bench, racket, plan):
    answer = bench.post(f"/frames/{racket.pk}/delete/", follow=True)
    assert "Undo" in answer.content.decode()
    assert bench.get(f"/plans/{plan.pk}/").status_code == 404
    bench.post(racket.undo_address)
    assert bench.get(f"/plans/{plan.pk}/").status_code == 200


def test_frames_are_found_by_any_name(bench, racket, paddle):
    assert "Shoal 16" not in bench.get("/?q=tern").content.decode()
    assert "Tern 98" not in bench.get("/?kind=paddle").content.decode()
    assert "No frame by that name" in bench.get("/?q=%25nobody").content.decode()
    assert bench.get("/?q=a%00b&page=x").status_code == 400
    assert bench.get("/?q=ab&page=x").status_code == 200


def test_the_database_keeps_its_own_rules(racket):
    with pytest.raises(IntegrityError), transaction.atomic():
        Frame.objects.filter(pk=racket.pk).update(hoop_base_mm=None)
    with pytest.raises(IntegrityError), transaction.atomic():
        Reading.objects.filter(quantity="swing_kgcm2").update(axis_mm=None)
    with pytest.raises(IntegrityError), transaction.atomic():
        Reading.objects.update(value=-1)


def test_three_measures_suffice_and_the_rest_follows_until_overwritten(bench):
    page = bench.get("/frames/new/?kind=racket")
    form = page.context["form"]
    whole = {f.name: f.value() or "" for f in form} | {
        "kind": "racket",
        "model": "Knot",
        "preset": "racket-98",
    }
    whole |= {
        "followed": form.followed,
        "length_mm": "27.5 in",
        "width_mm": "262",
        "hoop_base_mm": "331",
    }
    answer = bench.post(
        "/frames/outline/", whole | {"rim_mm": "13"}, headers={"HX-Request": "true"}
    )
    follows = answer.context["form"]
    assert follows["widest_mm"].value() == "518.5 mm"
    assert follows["rim_mm"].value() == "13"
    assert "rim_mm" not in follows.followed
    # Without script the same three suffice.
    bench.post("/frames/new/?kind=racket", whole)
    frame = Frame.objects.get(model="Knot")
    assert (frame.length_mm, frame.widest_mm, frame.beam_mm) == (698.5, pytest.approx(518.5), 22)
    page = bench.get(f"/frames/{frame.pk}/edit/")
    assert page.context["form"].followed == ""


def test_every_page_begins_with_the_condition_last_read(bench, racket):
    fresh = Frame(model="Tern 98", serial="no. 40")
    fresh.set_outline(TERN)
    fresh.save()
    for frame, condition in ((fresh, "as-played"), (racket, "as-played")):
        assert bench.get(f"/frames/{frame.pk}/").context["form"].initial["condition"] == condition
    read(bench, racket, condition="strung", mass_g="311.3", confirm="on")
    page = bench.get(f"/frames/{racket.pk}/").context["form"]
    assert page.initial["condition"] == racket.usual_condition() == "strung"
    assert (
        bench.get(f"/frames/{racket.pk}/measure/").context["form"]["condition"].value() == "strung"
    )


def test_a_figure_is_judged_the_moment_it_stands_alone(bench):
    frame = Frame(model="Wren")
    frame.set_outline(TERN)
    frame.save()
    for typed, says in (("6 mm", "6 pts head-light"), ("3184", "Did you mean 318.4 mm?")):
        answer = bench.post(f"/frames/{frame.pk}/", {"condition": "as-played", "balance_mm": typed})
        assert says in answer.content.decode()
    assert not frame.readings.exists()
    posted = {"condition": "as-played", "balance_mm": "6 mm", "confirm": "on"}
    bench.post(f"/frames/{frame.pk}/", posted)
    assert frame.readings.get().value == 6


def test_a_reading_is_judged_by_another_condition_and_the_parts_between(bench, racket):
    """READ is 316.8 g as played; with 5.5 g of overgrip noted it should read 311.3 g strung."""
    racket.parts.create(kind="overgrip", mass_g=5.5, u_g=0.1, is_weighed=True)
    there, posted = f"/frames/{racket.pk}/", {"condition": "strung", "mass_g": "296.0 ± 0.1"}
    answer = bench.post(there, posted)
    assert answer.status_code == 422
    assert faults(answer) == {"mass_g"}
    assert bench.post(there, posted | {"mass_g": "311.2 ± 0.1"}).status_code == 302
    assert "apart. Read one" not in bench.get(there).content.decode()
    bench.post(there, posted | {"confirm": "on"})
    page = " ".join(bench.get(there).content.decode().split())
    assert "Mass strung reads 296.0 ± 0.1 g; read as played, it comes to 311.3" in page
    assert "15.30 apart. Read one of them again" in page


def anew(frame, **changed):
    type(frame).objects.filter(pk=frame.pk).update(**changed)


CHANGES = {
    "model": lambda frame, _: anew(frame, model="Gannet 100"),
    "note": lambda frame, _: anew(frame, note="calmer, please"),
    "a reading more": lambda frame, _: frame.take_readings(replace(READ, mass_g=319), "as-played"),
    "a reading withdrawn": lambda frame, _: anew(
        frame.readings.get(quantity="swing_kgcm2"), removed_at=timezone.now()
    ),
    "a reading corrected": lambda frame, _: anew(
        frame.readings.get(quantity="mass_g"), value=300.5
    ),
    "put on": lambda frame, _: frame.parts.create(
        kind="dampener", mass_g=2, from_mm=480, to_mm=500, put_on_at=timezone.now()
    ),
    "its player": lambda frame, _: anew(frame, player=Person.named("Wren Ashdown")),
    "a plan": lambda frame, _: desk.start(frame, frame.figures()[0]),
    "a plan put away": lambda frame, plan: anew(plan, removed_at=timezone.now()),
    "units": lambda frame, _: Preferences.objects.update(mass="oz"),
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES)
def test_a_row_of_the_list_changes_with_whatever_it_is_made_of(bench, user, racket, plan, change):
    Preferences.objects.create(user=user)
    before = bench.get("/").context["rows"]
    change(racket, plan)
    assert bench.get("/").context["rows"] != before


def test_a_player_who_is_called_otherwise_is_so_in_the_list(bench, racket):
    anew(racket, player=Person.named("Wren Ashdown"))
    assert "Wren Ashdown" in bench.get("/").content.decode()
    Person.objects.update(name="Wren Vale")
    assert "Wren Vale" in bench.get("/").content.decode()
