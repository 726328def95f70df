"""Plans on PostgreSQL: every change answers with the core's figures, undo walks, windows do not
overwrite one another, files come and go."""

import io
import json
from dataclasses import replace
from datetime import timedelta

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from kentrobar.core.frame.predict import predict
from kentrobar.core.io.plans import load_plan
from kentrobar.core.numbers import nominal
from kentrobar.frames.models import Frame, Person
from kentrobar.plans import desk
from kentrobar.plans.forms import PieceForm
from kentrobar.plans.models import Plan, Step
from kentrobar.recipes.models import Wish
from kentrobar.stock.models import Material
from tests.core.frames import TERN
from tests.pages import said, told

from .conftest import Window


def shown(answer):
    """The four big figures of an answered board."""
    return {vial.name: vial.value for vial in answer.context["board"].vials}


def test_putting_on_tape_answers_with_the_cores_figures(window):
    answer = window.do("edit/put", what="tape")
    after = predict(window.plan.__class__.objects.get(pk=window.plan.pk).to_plan()).after
    assert shown(answer) == {
        "mass_g": f"{after.mass:.1f}",
        "balance_mm": f"{after.balance:.1f}",
        "swing_kgcm2": f"{after.swing(100) / 1e5:.1f}",
        "twist_kgcm2": f"{after.twist / 1e5:.2f}",
    }
    assert b"319.8" in answer.content
    assert window.pick == "p1"


def test_weighing_a_cut_of_the_roll_makes_the_plan_surer(window):
    """A maker's word is good to one in twenty; a cut on the scale here to one in a hundred."""
    answer = window.do("edit/put", what="tape")
    grams = window.pieces[0].mass_g
    mass = answer.context["board"].prediction.after.mass
    assert mass.std_dev == pytest.approx(grams * 0.05, rel=0.02)
    assert f"± {mass.std_dev:.2g} g" in answer.content.decode()
    roll = Material.objects.get(name=window.pieces[0].material)
    roll.weighings.create(length_mm=200, count=10, mass_g=19.6, u_g=0.02)
    assert (
        window.do("edit/slide", mm="5").context["board"].prediction.after.mass.std_dev
        < grams * 0.006
    )


def test_an_empty_plan_says_in_which_order_and_how_the_frame_stands(bench, plan):
    plan.frame.player = Person.objects.create(name="Edda Skarv", level="club")
    plan.frame.save()
    page = said(bench.get(plan.get_absolute_url()))
    assert "Balance first, with mass at the hand" in page
    assert "rackets of this weight are typically" in page
    assert "plays as a club player" not in page
    state = replace(plan.state(), measured=replace(plan.state().measured, mass_g=345.0))
    Plan.objects.filter(pk=plan.pk).update(content=state.dump())
    heavy = said(bench.get(plan.get_absolute_url()))
    assert "super heavy for a racket" in heavy
    assert "ask for a strong player; Edda Skarv plays as a club player" in heavy


def test_leather_takes_the_place_of_the_grip_that_is_on_in_one_act(window, plan):
    plan.frame.parts.create(kind="grip", mass_g=19.0)
    window.do("edit/put", what="thin-leather")
    assert [piece.mass_g for piece in window.pieces] == [-19.0, 24.0]
    window.do("undo")
    assert window.pieces == ()
    plan.frame.parts.all().delete()
    plan.frame.parts.create(kind="leather-grip", mass_g=27.0)
    answer = window.do("edit/put", what="thin-leather")
    assert "A leather grip is already on this frame" in answer.content.decode()
    assert window.pieces == ()


def test_foam_found_in_the_handle_is_one_press(window, plan):
    window.do("edit/put", what="putty")
    grams = window.pieces[0].mass_g
    assert "Found foam in the handle" in window.do("edit/slide", mm="1").content.decode()
    window.do("edit/foam")
    (strips,) = window.pieces
    assert (strips.kind, strips.mass_g) == ("bevels", pytest.approx(grams, abs=0.05))
    assert Frame.objects.get().is_foam
    answer = window.do("edit/put", what="putty")
    assert "filled with foam" in answer.content.decode()


def test_strips_under_the_grip_are_counted_in_pairs(window):
    window.do("edit/put", what="bevels")
    two = window.pieces[0]
    _, four = piece_form(window, count="4")
    assert (four.count, four.mass_g) == (4, pytest.approx(2 * two.mass_g, abs=0.01))


def test_every_move_by_key(window):
    window.do("edit/put", what="tape")
    window.do("edit/slide", mm="5")
    assert window.pieces[0].clock > 3
    window.do("edit/cut", mm="6.35")
    assert window.pieces[0].length_mm == pytest.approx(82.55)
    window.do("edit/line")
    assert window.pieces[0].line == "inner"
    window.do("edit/mirror")
    assert not window.pieces[0].mirror
    x, y = TERN.path("inner").point(TERN.path("inner").arc_of_clock(2))
    window.do("edit/drag", x=x, y=y)
    assert window.pieces[0].clock == 2
    window.do("edit/clear")
    assert window.pieces == ()


def test_undo_and_redo_to_the_start_and_back(window):
    for what in ("tape", "putty", "grip"):
        window.do("edit/put", what=what)
    pieces = window.pieces
    for left in (2, 1, 0):
        window.do("undo")
        assert len(window.pieces) == left
    assert window.do("undo").status_code == 409
    for _ in range(3):
        window.do("redo")
    assert window.pieces == pieces
    window.do("undo")
    window.do("edit/put", what="strings")
    assert window.do("redo").status_code == 409


def test_a_held_key_is_one_step_to_undo(window, monkeypatch):
    # However busy the machine is: six presses take as long as they take.
    monkeypatch.setattr(desk, "GESTURE", timedelta(minutes=5))
    window.do("edit/put", what="tape")
    before = window.pieces
    for _ in range(6):
        window.do("edit/slide", mm="5")
    assert window.pieces != before
    window.do("undo")
    assert window.pieces == before


def test_a_preview_keeps_nothing(window):
    window.do("edit/put", what="putty")
    before, version = window.pieces, window.version
    answer = window.do("edit/drag", x="150", y="0", preview="1")
    assert shown(answer)["balance_mm"] != "318.6"
    assert window.pieces == before
    assert Plan.objects.get(pk=window.plan.pk).version == version


def test_two_windows_on_different_pieces_merge(window, bench, plan):
    window.do("edit/put", what="tape")
    window.do("edit/put", what="putty")
    other = Window(bench, Plan.objects.get(pk=plan.pk))
    other.pick, window.pick = "p2", "p1"
    window.do("edit/slide", mm="5")
    answer = other.do("edit/slide", mm="5")
    assert answer.status_code == 200
    assert "Merged" in answer.content.decode()
    tape, putty = window.pieces
    assert tape.clock > 3
    assert putty.from_mm == 13


def test_two_windows_on_one_piece_refuse_the_later_and_show_it(window, bench, plan):
    window.do("edit/put", what="tape")
    other = Window(bench, Plan.objects.get(pk=plan.pk))
    other.pick = "p1"
    window.do("edit/slide", mm="5")
    first = window.pieces
    answer = other.do("edit/slide", mm="50")
    assert answer.status_code == 409
    assert "changed in another window" in answer.content.decode()
    assert window.pieces == first
    assert other.do("edit/slide", mm="5").status_code == 200


def test_a_drag_of_a_piece_moved_elsewhere_is_told_at_once(window, bench, plan):
    window.do("edit/put", what="putty")
    other = Window(bench, Plan.objects.get(pk=plan.pk))
    other.pick = "p1"
    window.do("edit/slide", mm="5")
    assert other.do("edit/drag", x="90", y="0", preview="1").status_code == 409
    seen = bench.get(f"/plans/{plan.pk}/board/?pick=p1&version=1", headers={"HX-Request": "true"})
    assert "Changed in another window" in seen.content.decode()


@pytest.mark.parametrize("late", ["undo", "redo", "edit/slide", "edit/clear"])
def test_a_stale_window_never_takes_back_what_it_did_not_see(window, bench, plan, late):
    window.do("edit/put", what="tape")
    other = Window(bench, Plan.objects.get(pk=plan.pk))
    other.pick = "p1"
    window.do("edit/clear")
    assert other.do(late, mm="5").status_code == 409
    assert window.pieces == ()


def test_undo_in_one_window_makes_the_other_stale(window, bench, plan):
    window.do("edit/put", what="tape")
    window.do("edit/slide", mm="5")
    other = Window(bench, Plan.objects.get(pk=plan.pk))
    other.pick = "p1"
    window.do("undo")
    assert other.do("edit/slide", mm="5").status_code == 409


def test_the_piece_form_reads_and_shows_back(window):
    window.do("edit/put", what="tape")
    form = {"piece-mass_g": "2.99 g", "piece-clock": "2:30", "piece-length_mm": "2 in",
            "piece-line": "face", "piece-mirror": "on", "piece-layers": "1",
            "piece-material": "lead-free tape, 6 mm"}  # fmt: skip
    answer = window.do("piece", **form)
    piece = window.pieces[0]
    assert (piece.clock, piece.length_mm) == (2.5, 50.8)
    assert piece.mass_g == 1.99  # 4 × 50.8 mm of 0.0098 g/mm
    assert "2 in = 50.8 mm" in answer.content.decode()


def test_a_refused_form_keeps_what_was_typed(window):
    window.do("edit/put", what="tape")
    form = {
        "piece-mass_g": "three",
        "piece-clock": "13",
        "piece-length_mm": "77 mm",
        "piece-line": "face",
    }
    answer = window.do("piece", **form)
    page = answer.content.decode()
    assert answer.status_code == 422
    assert "“three” is not a mass" in page
    assert 'value="13"' in page
    assert 'value="77 mm"' in page
    assert window.pieces[0].length_mm == 76.2


@pytest.mark.parametrize(
    ("name", "text", "value", "tol"),
    [
        ("mass_g", "326 ± 2", 326, 2),
        ("mass_g", "11.5 oz", 326.019, 1),
        ("balance_mm", "6 pts HL", 343 - 6 * 3.175, 1),
        ("balance_mm", "-3", 320.5, 1),
        ("swing_kgcm2", "+8", 322.6, 1),
        ("twist_kgcm2", "keep", 13.4, 0.2),
    ],
)
def test_targets_as_people_say_them(window, name, text, value, tol):
    window.do(f"target/{name}", **{f"{name}-target": text})
    window.plan.refresh_from_db()
    target = getattr(window.plan.state().targets, name)
    assert target.value == pytest.approx(value, abs=0.001)
    assert target.tol == tol
    window.do(f"target/{name}", **{f"{name}-target": ""})
    window.plan.refresh_from_db()
    assert getattr(window.plan.state().targets, name) is None


def test_a_swing_target_keeps_the_axis_it_was_meant_about(bench, window):
    window.do("target/swing_kgcm2", **{"swing_kgcm2-target": "322 ± 2"})
    bench.post("/units/", {"axis": "50 mm", "kind": "racket"})
    page = bench.get(f"/plans/{window.plan.pk}/").content.decode()
    assert 'value="322.0 ± 2 at 100 mm"' in page
    assert "under at 100 mm" in page
    window.do("target/swing_kgcm2", **{"swing_kgcm2-target": "322 ± 3 at 100 mm"})
    window.plan.refresh_from_db()
    target = window.plan.state().targets.swing_kgcm2
    assert (target.value, target.tol, target.axis_mm) == (322, 3, 100)
    assert (
        window.do("target/swing_kgcm2", **{"swing_kgcm2-target": "322 at 600"}).status_code == 422
    )


def test_a_target_that_cannot_be_read_stays_in_its_box(window):
    answer = window.do("target/mass_g", **{"mass_g-target": "plenty"})
    assert answer.status_code == 422
    assert 'value="plenty"' in answer.content.decode()


@pytest.mark.parametrize(
    ("path", "posted"),
    [
        ("edit/put", {"what": "anvil"}),
        ("edit/slide", {"mm": "far"}),
        ("edit/slide", {"mm": "nan"}),
        ("edit/slide", {"mm": "5", "pick": "p9"}),
        ("edit/drag", {"x": "1e9", "y": "0"}),
        ("piece", {"pick": "p9"}),
    ],
)
def test_what_cannot_be_done_says_so_and_changes_nothing(window, path, posted):
    window.do("edit/put", what="tape")
    before = window.pieces
    answer = window.do(path, **posted)
    assert answer.status_code == 422
    assert answer.context["board"].said
    assert window.pieces == before


def test_more_cannot_be_taken_off_than_there_is(window):
    window.do("edit/put", what="no-strings")
    answer = window.do("piece", **{"piece-mass_g": "-400"})
    assert answer.status_code == 422
    assert answer.context["board"].was_refused


def test_download_and_upload_give_the_same_plan(window, bench, racket):
    for what in ("tape", "putty", "no-guard"):
        window.do("edit/put", what=what)
    answer = bench.get(f"/plans/{window.plan.pk}/download/")
    assert "attachment" in answer["Content-Disposition"]
    plan = load_plan(answer.content)
    assert replace(plan, rolls=None) == Plan.objects.get(pk=window.plan.pk).to_plan()
    file = SimpleUploadedFile("again.json", answer.content)
    bench.post(f"/frames/{racket.pk}/plans/upload/", {"file": file})
    newest = Plan.objects.get(name="again")
    assert newest.frame == racket
    assert newest.to_plan() == replace(plan, rolls=None)


def test_a_plan_file_may_bring_its_own_frame(bench, window):
    content = bench.get(f"/plans/{window.plan.pk}/download/").content
    bench.post("/plans/upload/", {"file": SimpleUploadedFile("brought.json", content)})
    brought = Frame.objects.get(model="brought")
    assert brought.outline() == TERN
    assert brought.figures()[0].measured() == window.plan.state().measured


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b'{"format": "kentrobar-plan/1"}', "frame: missing"),
        (b"\x89PNG", "not UTF-8"),
        (b"", "empty"),
        (b" " * 600_000, "over 512 KB"),
    ],
)
def test_a_bad_file_is_refused_with_its_fault(bench, racket, content, says):
    file = SimpleUploadedFile("bad.json", content)
    answer = bench.post(f"/frames/{racket.pk}/plans/upload/", {"file": file}, follow=True)
    assert says in answer.content.decode()
    assert Plan.objects.count() == 0


def test_a_file_of_another_outline_is_not_laid_on_this_frame(bench, window, paddle):
    content = bench.get(f"/plans/{window.plan.pk}/download/").content
    file = SimpleUploadedFile("tern.json", content)
    answer = bench.post(f"/frames/{paddle.pk}/plans/upload/", {"file": file}, follow=True)
    assert "its outline is not this frame’s" in answer.content.decode()


def test_copy_rename_delete_and_undo(bench, window):
    window.do("edit/put", what="tape")
    bench.post(f"/plans/{window.plan.pk}/rename/", {"name": "First step", "was": window.plan.name})
    bench.post(f"/plans/{window.plan.pk}/rename/", {"name": "Lost", "was": "a name of before"})
    window.plan.refresh_from_db()
    assert window.plan.name == "First step"
    bench.post(f"/plans/{window.plan.pk}/copy/")
    copied = Plan.live.get(name="First step, copy")
    assert copied.state().pieces == window.pieces
    answer = bench.post(f"/plans/{copied.pk}/delete/", follow=True)
    assert "Undo" in answer.content.decode()
    assert bench.get(f"/plans/{copied.pk}/").status_code == 404
    bench.post(copied.undo_address)
    assert bench.get(f"/plans/{copied.pk}/").status_code == 200


def test_up_to_six_plans_stand_side_by_side(bench, window):
    bench.post(f"/plans/{window.plan.pk}/copy/")
    window.do("edit/put", what="putty")
    other = Plan.objects.exclude(pk=window.plan.pk).get()
    page = bench.get("/plans/compare/", {"p": [other.pk, window.plan.pk]})
    rows = {one.label: one.cells for one in page.context["differences"]}
    assert [change for _, change in rows["Static weight"]] == ["", "+5.00 g"]
    assert rows["Static weight"][1][0].startswith("321.8 ")
    assert page.content.decode().count('class="bench"') == 2
    more = [desk.copy(other).pk for _ in range(6)]
    page = bench.get("/plans/compare/", {"p": [other.pk, *more, "x", window.plan.pk]})
    assert [letter for letter, _ in page.context["boards"]] == list("ABCDEF")
    assert len(page.context["strokes"]) == 6
    assert told(bench.get("/plans/compare/?p=x&p=99", follow=True)) == ["error"]


def test_newer_readings_are_offered_and_taken_with_undo(bench, window, racket):
    racket.take_readings(window.plan.state().measured, "as-played")
    assert "read again" not in bench.get(f"/plans/{window.plan.pk}/").content.decode()
    bench.post(
        f"/frames/{racket.pk}/", {"condition": "as-played", "mass_g": "318.0", "axis": "100 mm"}
    )
    assert "read again" in bench.get(f"/plans/{window.plan.pk}/").content.decode()
    window.do("rebase")
    window.plan.refresh_from_db()
    assert nominal(window.plan.state().measured.mass_g) == 318
    window.do("undo")
    window.plan.refresh_from_db()
    assert window.plan.state().measured.mass_g == 316.8


def test_a_moved_piece_costs_a_constant_number_of_queries(window, django_assert_max_num_queries):
    for what in ("tape", "putty", "grip", "strings", "tape", "tape", "point"):
        window.do("edit/put", what=what)
    for _ in range(3):
        Step.objects.update(gesture="")  # so that no slide joins the one before
        with django_assert_max_num_queries(16):
            window.do("edit/slide", mm="5", pick="p2")


def test_without_script_a_change_leads_back_to_the_page(bench, plan):
    answer = bench.post(f"/plans/{plan.pk}/edit/put/", {"what": "tape", "version": 1, "pick": ""})
    assert answer.status_code == 302
    assert answer.url == f"/plans/{plan.pk}/?pick=p1"


def test_a_paddle_has_no_strings_to_put_on(bench, paddle):
    bench.post(f"/frames/{paddle.pk}/plans/new/")
    window = Window(bench, paddle.plans.get())
    assert window.do("edit/put", what="strings").status_code == 422
    answer = window.do("edit/put", what="tape")
    assert window.pieces[0].line == "edge"
    assert "about 50 mm" in answer.content.decode()


def test_the_download_is_plain_json(bench, window):
    text = bench.get(f"/plans/{window.plan.pk}/download/").content
    assert json.load(io.BytesIO(text))["format"] == "kentrobar-plan/1"


# --- grams and cut -------------------------------------------------------------------------------


def piece_form(window, **changed):
    """Post the piece form as the page gave it, with some boxes typed anew; (answer, its piece)."""
    form = PieceForm(window.pieces[-1], TERN)
    given = {name: value for name, value in form.initial.items() if value not in (None, False, "")}
    given = {name: value for name, value in (given | changed).items() if value is not None}
    answer = window.do("piece", **{f"piece-{name}": value for name, value in given.items()})
    return answer, window.pieces[-1]


def test_typing_grams_finds_a_cut_and_typing_a_cut_the_grams(window):
    window.do("edit/put", what="tape")
    answer, piece = piece_form(window, mass_g="2")
    # 51.0 mm of four strips of 0.0098 g/mm, in quarters of an inch.
    assert (piece.length_mm, piece.layers, piece.mass_g) == (50.8, 1, 1.99)
    both = "2.00 g wanted, 4 × 50.8 mm gives 1.99 g"
    assert both in answer.context["board"].said
    assert answer.context["board"].cut_words == both
    assert answer.context["board"].piece_form["mass_g"].value() == "2.00 g"
    answer, piece = piece_form(window, mass_g="10 g")
    assert (piece.layers, piece.length_mm, piece.mass_g) == (4, 63.5, 9.96)
    (other,) = answer.context["board"].other_ways
    assert other[1] == "4 × 254.0 mm"
    window.do("edit/recut", way=other[0])
    assert (window.pieces[0].layers, window.pieces[0].length_mm) == (1, 254.0)
    assert window.do("edit/recut", way="1.00 9").context["board"].was_refused
    answer, piece = piece_form(window, length_mm="3 in")
    assert (piece.mass_g, piece.length_mm) == (2.99, pytest.approx(76.2))
    assert answer.context["board"].cut_words == "10.00 g wanted, 4 × 76.2 mm gives 2.99 g"
    window.do("edit/cut", mm="6.35")
    assert window.pieces[0].wanted_g is None, "cut anew by hand, it is what is wanted"


def test_a_cut_that_was_weighed_stays_weighed_when_its_length_is_told(window):
    window.do("edit/put", what="tape")
    _, piece = piece_form(window, mass_g="2")
    _, piece = piece_form(window, weighed="on")
    assert (piece.mass_g, piece.weighed, piece.wanted_g) == (2.0, True, None)
    _, piece = piece_form(window, length_mm="51.2 mm", typed="piece-length_mm")
    assert (piece.mass_g, piece.weighed, piece.length_mm) == (2.0, True, 51.2)


@pytest.mark.parametrize(
    ("box", "text", "says"),
    [
        ("mass_g", "-2", "laid with “Take off”"),
        ("mass_g", "11.3oz", "Did you mean 11.3 g?"),
        ("mass_g", "320", "320 g in one piece is a lot"),
        ("length_mm", "12 1/2", "inches? Write 12 1/2 in, or 12.5 mm"),
    ],
)  # fmt: skip
def test_a_far_slip_on_the_plan_is_asked_about(window, box, text, says):
    window.do("edit/put", what="tape")
    answer, piece = piece_form(window, **{box: text}, typed=f"piece-{box}")
    assert (answer.status_code, piece.mass_g, piece.length_mm) == (422, 2.99, 76.2)
    assert says in answer.context["board"].piece_form.errors[box][0]
    if text == "320":
        assert "Yes, that’s correct" in said(answer)
        _, piece = piece_form(window, mass_g=text, sure="on", typed="piece-sure")
        assert piece.wanted_g == 320


@pytest.mark.parametrize(
    ("changed", "grams"),
    [
        ({"line": "edge"}, 1.49), ({"layers": "2"}, 5.97), ({"mirror": None}, 1.49),
        ({"material": "lead tape, 6 mm"}, 3.17), ({"material": "string of beads"}, 2.99),
    ],
)  # fmt: skip
def test_what_is_changed_carries_its_tape_along(window, changed, grams):
    window.do("edit/put", what="tape")
    answer, piece = piece_form(window, **changed)
    assert (piece.mass_g, piece.length_mm) == (grams, 76.2)
    if changed.get("material") == "string of beads":
        assert "No weight per length is known" in answer.context["board"].cut_words


def test_held_grams_find_a_new_cut(window):
    window.do("edit/put", what="tape")
    _, piece = piece_form(window, line="edge", hold="on")
    assert (piece.length_mm, piece.mass_g) == (152.4, 2.99)
    window.do("edit/line")
    assert (window.pieces[0].line, window.pieces[0].length_mm) == ("face", 76.2)


def test_what_was_weighed_is_kept_and_both_boxes_at_once_are_asked_about(window):
    window.do("edit/put", what="tape")
    answer, piece = piece_form(window, mass_g="3.3", length_mm="76.3 mm")
    assert (answer.status_code, piece.mass_g) == (422, 2.99)
    assert "This cut weighs 2.99 g" in answer.context["board"].piece_form.errors["mass_g"][0]
    answer, piece = piece_form(window, mass_g="3.05", weighed="on")
    assert (piece.mass_g, piece.length_mm, piece.weighed) == (3.05, 76.2, True)
    assert answer.context["board"].cut_words == "Weighed 3.05 g; the roll says 2.99."
    _, piece = piece_form(window, clock="4")
    assert (piece.mass_g, piece.weighed) == (3.05, True)
    answer, piece = piece_form(window, mass_g="6")
    assert "weighed-apart" in {one.code for one in answer.context["board"].picked_notices}
    _, piece = piece_form(window, weighed=None)
    assert (piece.mass_g, piece.weighed) == (2.99, None)


def test_what_comes_off_comes_off_however_it_is_typed(window):
    window.do("edit/put", what="no-overgrip")
    for text, grams in (("1", -1.0), ("-4.5", -4.5), ("+2", 2.0)):
        _, piece = piece_form(window, mass_g=text)
        assert piece.mass_g == grams


@pytest.mark.parametrize("text", ["0", "0 g", "0.00 oz"])
def test_a_piece_of_no_grams_is_refused_and_an_old_one_breaks_nothing(window, text):
    window.do("edit/put", what="tape")
    answer, piece = piece_form(window, mass_g=text)
    assert (answer.status_code, piece.mass_g) == (422, 2.99)
    plan = Plan.objects.get(pk=window.plan.pk)
    plan.content["pieces"][0] |= {"mass_g": 0.0, "weighed": True}
    plan.save()
    assert window.client.get(f"/plans/{plan.pk}/").status_code == 200


def test_another_grip_weighs_what_it_weighs(window):
    window.do("edit/put", what="grip")
    answer, piece = piece_form(window, material="leather grip")
    assert piece.mass_g == 27.0
    assert "leather grip: 27 g each" in answer.context["board"].said


@pytest.mark.parametrize(
    ("name", "text", "mm"),
    [
        ("middle", "22 in", 558.8), ("middle", "56 cm", 560), ("upper_end", "22 in", 558.8),
        ("from_tip", "120", 120),
    ],
)  # fmt: skip
def test_a_strip_is_laid_as_hands_find_its_place(window, name, text, mm):
    window.do("edit/put", what="tape")
    _, piece = piece_form(window, **{name: text})
    assert piece.place_of(TERN, name) == pytest.approx(mm, abs=0.02)
    assert piece.mass_g == 2.99
    _, piece = piece_form(window, clock="12:30")
    assert piece.clock == 0.5
    refused, _ = piece_form(window, middle="2 m")
    assert refused.context["board"].piece_form.errors["middle"] == [
        "2000.0 mm from the butt is off this line, 340.0 mm…680.0 mm."
    ]
    window.client.post("/units/", {"length": "in", "next": "/"})
    refused, _ = piece_form(window, middle="80 in")
    (said,) = refused.context["board"].piece_form.errors["middle"]
    assert said.startswith("80.00 in from the butt is off this line, ")


def test_a_bad_box_holds_up_no_other(window):
    window.do("edit/put", what="tape")
    bad = {"clock": "teatime", "length_mm": "50.8"}
    answer, piece = piece_form(window, **bad, typed="piece-length_mm")
    assert piece.length_mm == 50.8
    boxes = answer.context["board"].piece_form.boxes()
    boxes = {one.id: one for one in boxes}
    assert boxes["piece-clock"].value == "teatime"
    assert "clock hour" in boxes["piece-clock"].fault
    assert boxes["piece-length_mm"].value == "50.8 mm"
    answer, _ = piece_form(window, **bad, typed="piece-clock")
    assert answer.context["board"].was_refused


def test_a_strip_is_laid_by_its_grommet_holes(window):
    window.do("edit/put", what="tape")
    board = window.client.get(window.plan.get_absolute_url()).context["board"]
    assert board.piece_form is None or "hole" not in board.piece_form.fields
    Frame.objects.filter(pk=window.plan.frame_id).update(holes_mm=[10 + 20 * i for i in range(18)])
    answer, piece = piece_form(window, hole="6-7")
    edge = TERN.path("edge")
    # Halfway from 110 to 130 mm along the edge.
    assert edge.arc_of_clock(piece.clock) == pytest.approx(120, abs=0.1)
    assert answer.context["board"].piece_form["hole"].value() == "6.5"
    assert piece.mass_g == 2.99
    for text in ("19", "0", "left"):
        refused, _ = piece_form(window, hole=text)
        assert refused.context["board"].piece_form.errors["hole"]
    _, piece = piece_form(window, clock="12")
    assert piece.place_of(TERN, "hole", [10, 30]) is None


def test_a_copied_plan_can_be_edited(window):
    for _ in range(3):
        window.do("edit/put", what="tape")
    window.do("edit/slide", mm="5", pick=window.pieces[0].id)
    window.client.post(f"/plans/{window.plan.pk}/copy/")
    copied = Window(window.client, Plan.objects.latest("pk"))
    answer = copied.do("edit/slide", mm="5", pick=copied.pieces[0].id)
    assert not answer.context["board"].was_refused
    copied.do("target/mass_g", **{"mass_g-target": "320"})
    copied.plan.refresh_from_db()
    assert copied.plan.state().targets.mass_g is not None


def test_an_old_plan_says_where_grams_and_cut_disagree(window):
    window.do("edit/put", what="tape")
    plan = window.plan
    plan.refresh_from_db()
    plan.content["pieces"][0]["mass_g"] = 2.0
    plan.save()
    board = window.client.get(f"/plans/{plan.pk}/").context["board"]
    assert "cut-and-grams" in {one.code for one in board.notices}
    assert plan.state().pieces[0].mass_g == 2.0
    document = window.client.get(f"/plans/{plan.pk}/download/").json()
    assert document["rolls"]["lead-free tape, 6 mm"]["value"] == 0.0098


def test_a_twist_weight_nobody_read_is_aimed_at_by_its_change(bench, plan):
    state = plan.state()
    unread = replace(state, measured=replace(state.measured, twist_kgcm2=None))
    Plan.objects.filter(pk=plan.pk).update(content=unread.dump())
    window = Window(bench, Plan.objects.get(pk=plan.pk))
    refused = window.do("target/twist_kgcm2", **{"twist_kgcm2-target": "14"})
    assert set(refused.context["board"].target_form.errors) == {"target"}
    window.do("target/twist_kgcm2", **{"twist_kgcm2-target": "+0.5"})
    kept = Plan.objects.get(pk=plan.pk).state().targets.twist_kgcm2
    assert (kept.value, kept.tol, kept.is_change) == (0.5, 0.2, True)
    by = "the pieces change it by"
    assert by not in said(bench.get(f"/plans/{plan.pk}/")), "there are none"
    window.do("edit/put", what="tape")
    page = bench.get(f"/plans/{plan.pk}/")
    assert said(page).count(by) == 2, "beside the vial, and among the notices"
    vials = page.context["board"].vials
    vial = next(one for one in vials if one.name == "twist_kgcm2")
    assert vial.level.value > 0
    assert vial.level.off == pytest.approx(vial.level.value - 0.5)
    assert vial.aim == "+0.50 ± 0.2"
    # Recipes from this plan ask for what its pieces do not give yet.
    bench.post(f"/plans/{plan.pk}/recipes/")
    asked = Wish.objects.get(frame=plan.frame).content["goals"]["twist_kgcm2"]
    assert asked["change"] == pytest.approx(0.5 - vial.level.value, abs=1e-5)


def test_both_ends_of_a_stretch_that_were_typed_are_meant(window):
    """Putty from 8 to 38 mm: `from 45` has to wait for `to 190`, and was lost then."""
    window.do("edit/put", what="putty")
    begun = window.pieces[0]
    refused, piece = piece_form(window, from_mm="45", typed="piece-from_mm")
    assert refused.context["board"].was_refused or "45" in said(refused)
    assert piece == begun
    _, piece = piece_form(window, from_mm="45", to_mm="190", typed="piece-to_mm")
    assert (piece.from_mm, piece.to_mm) == (45, 190)
    # An end that could have been taken by itself and was not is older than the piece: it is left.
    _, piece = piece_form(window, from_mm="60", to_mm="170", typed="piece-to_mm")
    assert (piece.from_mm, piece.to_mm) == (45, 170)
