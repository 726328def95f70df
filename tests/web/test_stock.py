"""The shelf: what a cut weighed here says replaces the maker's word, in plans and recipes too."""

import pytest

from kentrobar.core.pieces.strip import Strip
from kentrobar.plans.forms import PieceForm
from kentrobar.plans.models import Plan
from kentrobar.recipes.asked import materials_of
from kentrobar.shop.models import Settings
from kentrobar.stock import shelf
from kentrobar.stock.models import Material, Movement, Weighing
from tests.core.frames import TERN
from tests.pages import as_posted, faults, said


@pytest.fixture
def roll(db):
    return Material.objects.get(name="lead-free tape, 6 mm")


def weigh(bench, roll, **posted):
    return bench.post(
        f"/stock/{roll.pk}/weigh/", {"length": "200", "count": "1", "mass": "2.02 ± 0.01"} | posted
    )


def test_a_cut_weighed_here_replaces_the_makers_word(bench, roll):
    assert "the maker’s word" in bench.get("/stock/").content.decode()
    before = next(one for one in materials_of(Settings()) if one.name == roll.name)
    assert (before.g_per_mm, before.u_percent) == (0.0098, pytest.approx(5))
    assert weigh(bench, roll).status_code == 302
    weigh(bench, roll, length="20 cm", count="10", mass="20.1 ± 0.01")
    after = next(one for one in materials_of(Settings()) if one.name == roll.name)
    assert after.g_per_mm == pytest.approx(0.01005, rel=2e-3)
    assert after.u_percent < 0.5
    # A piece cut off another roll keeps its length: its grams follow what that is known to weigh.
    strip = Strip(mass_g=3.0, clock=3, length_mm=76.2, mirror=True, material=roll.name, layers=1)
    form = PieceForm(strip, TERN)
    typed = {f"piece-{name}": form.initial[name] for name in form.fields if form.initial.get(name)}
    copper = PieceForm(strip, TERN, typed | {"piece-material": "copper tape, 6 mm"})
    assert copper.is_valid(), copper.errors
    assert copper.changed.mass_g == 1.49  # 4 × 76.2 mm of 0.0049 g/mm


def test_what_is_begun_for_somebody_weighs_what_its_cut_does(bench, racket, roll):
    """A first step, a quick answer: no plan begins with a word against its own grams."""
    weigh(bench, roll, length="200", mass="2.2 ± 0.01")
    advice = bench.get(f"/frames/{racket.pk}/advice/").context["begun"]
    for begun in advice:
        bench.post(f"/frames/{racket.pk}/advice/plan/", {"pattern": begun.key})
    quick = {"shape": "racket-98", "mass_g": "317 g", "grams": "4"}
    for row in bench.get("/quick/", quick).context["rows"]:
        bench.post("/quick/plan/", quick | {"set-up": row.set_up.key})
    plans = Plan.objects.all()
    assert len(plans) > 10
    for plan in plans:
        board = bench.get(plan.get_absolute_url()).context["board"]
        assert [one.text for one in board.notices if "by the roll" in one.text] == []
    sides = next(one for one in advice if one.key == "sides")
    cut = plans.get(name="Sides, first step").state().pieces[0]
    assert cut.mass_g == pytest.approx(0.011 * cut.length_mm * 4, abs=0.005)
    assert f"+{cut.mass_g:.2f}" in {line.grams for line in sides.lines}


def test_the_backing_is_told_by_weighing_both_ways(bench, roll):
    weigh(bench, roll)
    weigh(bench, roll, mass="2.26 ± 0.01", backing_on="on")
    roll = Material.objects.get(pk=roll.pk)
    assert roll.backing_g_per_mm() == pytest.approx(0.0012)
    assert "1.20 g a metre more" in bench.get(f"/stock/{roll.pk}/").content.decode()
    wrong = Weighing.objects.get(backing_on=True)
    bench.post(f"/stock/weighings/{wrong.pk}/delete/")
    assert Weighing.objects.count() == 1


def test_a_plan_says_when_the_shelf_has_too_little_for_it(window, roll):
    window.do("edit/put", what="tape")
    page = f"/plans/{window.plan.pk}/"
    assert window.client.get(page).context["board"].short == []
    Movement.objects.create(material=roll, amount=100, reason="counted")
    length, count = window.pieces[0].strips()
    (words,) = window.client.get(page).context["board"].short
    assert words == f"{roll.name}: {length * count:.0f} mm needed, 100 mm left"
    assert words in window.client.get(page).content.decode()
    # What is on the frame already needs nothing more.
    bench = window.client
    bench.get(page + "sheet/")
    bench.post(page + "sheet/sign-off/", {"override": "1"})
    assert bench.get(page).context["board"].short == []


def test_a_sheet_is_weighed_by_its_area_and_bought_by_it(bench, db):
    """A piece 100 × 30 mm tells of strips 8 mm wide; until then density and thickness do."""
    typed = {
        "name": "slate sheet",
        "kind": "sheet",
        "thickness_mm": "0.5",
        "density": "11",
        "toxicity": "0",
        "price": "40",
        "pack": "100",
        "cure_hours": "0",
        "warn_below": "0",
    }
    assert faults(bench.post("/stock/new/", typed)) == {"width_mm"}
    bench.post("/stock/new/", typed | {"width_mm": "8"})
    sheet = Material.objects.get(name="slate sheet")
    assert (sheet.unit, sheet.per_length().g_per_mm) == ("cm²", pytest.approx(0.044))
    assert sheet.price_per_g == pytest.approx(40 / (100 * 100 * 0.5 * 0.011))
    where = f"/stock/{sheet.pk}/weigh/"
    cut = {"length": "100", "width": "30", "count": "1", "mass": "16.2 ± 0.01"}
    for name, value, words in (
        ("width", "", "required"),
        ("width", "1", "2 mm to a metre"),
        ("mass", "1.62", "Grams,"),
    ):
        answer = bench.post(where, cut | {name: value})
        assert answer.status_code == 422
        assert words in answer.content.decode()
    bench.post(where, cut)
    known = Material.objects.get(pk=sheet.pk).per_length()
    assert known.g_per_mm == pytest.approx(16.2 / 100 * 8 / 30)
    assert known.share == pytest.approx((0.005**2 + (0.5 / 30) ** 2) ** 0.5, rel=0.02)
    assert "of a strip 8 mm wide" in bench.get(sheet.get_absolute_url()).content.decode()
    tape = next(one for one in materials_of(Settings()) if one.name == "slate sheet")
    assert tape.g_per_mm == pytest.approx(known.g_per_mm)


@pytest.mark.parametrize(
    ("posted", "words"),
    [
        ({"length": "2"}, "5 mm to 20 m"),
        ({"mass": "0"}, "more than nothing"),
        ({"mass": "soft"}, "Write"),
        ({"count": "0"}, "At least 1."),
        ({"mass": "20.2"}, "Grams, length or the count"),
    ],
)
def test_a_slip_at_the_scale_is_said_beside_its_box(bench, roll, posted, words):
    answer = weigh(bench, roll, **posted)
    assert answer.status_code == 422
    assert words in answer.content.decode()
    assert not Weighing.objects.exists()


def test_stock_comes_and_goes_and_warns(bench, roll):
    where = f"/stock/{roll.pk}/move/"
    bench.post(where, {"amount": "3000", "reason": "delivered"})
    Material.objects.filter(pk=roll.pk).update(warn_below=2000)
    bench.post(where, {"amount": "-1500", "reason": "dropped into the drain"})
    assert Material.objects.get(pk=roll.pk).left == 1500
    assert "running out" in bench.get("/stock/").content.decode()
    for posted in (
        {"amount": "-1600", "reason": "x"},
        {"amount": "0", "reason": "x"},
        {"amount": "5", "reason": ""},
    ):
        assert bench.post(where, posted).status_code == 422
    assert Movement.objects.count() == 2
    (found,) = shelf.needed([(roll.name, 900.0), (roll.name, 700.0), ("moon dust", 3)])
    assert found == (roll, 1600.0, 1500)


def test_prices_are_compared_by_the_gram(roll):
    assert roll.price_per_g == pytest.approx(0.45, rel=1e-3)
    putty = Material.objects.get(name="putty")
    assert putty.price_per_g == pytest.approx(0.05)
    assert Material.objects.get(name="leather grip").price_per_g == pytest.approx(24 / 27)
    assert Material.objects.get(name="clip-on module, 3 g").test_only
    assert "clip-on module, 3 g" not in [one.name for one in materials_of(Settings())]


def test_materials_are_written_down_changed_and_put_away(bench, roll):
    new = {
        "name": "heavy tape",
        "kind": "tape",
        "maker_g_per_m": "20",
        "toxicity": "0",
        "cure_hours": "0",
        "warn_below": "0",
    }
    assert bench.post("/stock/new/", new).status_code == 302
    made = Material.objects.get(name="heavy tape")
    assert "heavy tape" in shelf.tape_names()
    for wrong in (
        {"name": "HEAVY tape"},
        {"maker_g_per_m": "0.02"},
        {"price": "-1"},
        {"toxicity": "3"},
        {"kind": "lead"},
    ):
        assert bench.post("/stock/new/", new | {"name": "other"} | wrong).status_code == 422, wrong
    bench.post(f"/stock/{made.pk}/archive/")
    assert "heavy tape" not in shelf.tape_names()
    bench.post(made.undo_address)
    assert "heavy tape" in shelf.tape_names()


@pytest.mark.parametrize(
    ("typed", "g_per_mm"),
    [("10.3", 0.0103), ("10,3 g/m", 0.0103), ("0.0103 g/mm", 0.0103), ("3 g/ft", 0.00984)],
)
def test_the_makers_word_is_written_by_the_metre_as_the_list_has_it(bench, roll, typed, g_per_mm):
    address = f"/stock/{roll.pk}/edit/"
    assert bench.get(address).context["form"]["maker_g_per_m"].value() == 9.8
    posted = as_posted(bench.get(address).context["form"])
    assert bench.post(address, posted | {"maker_g_per_m": typed}).status_code == 302
    roll.refresh_from_db()
    assert roll.maker_g_per_mm == pytest.approx(g_per_mm, rel=1e-3)
    form = bench.get(address).context["form"]
    bench.post(address, as_posted(form))
    again = Material.objects.get(pk=roll.pk)
    assert again.maker_g_per_mm == pytest.approx(roll.maker_g_per_mm, rel=1e-6)


@pytest.mark.parametrize(
    ("kind", "typed", "pack"),
    [("tape", "5 m", 5000.0), ("tape", "9,14 m", 9140.0), ("tape", "36 yd", None),
     ("putty", "100 g", 100.0), ("putty", "2 oz", 56.7), ("putty", "5 m", None),
     ("sheet", "300 cm²", 300.0), ("cap", "3 pieces", 3.0), ("cap", "30 g", None)],
)  # fmt: skip
def test_a_pack_is_written_with_its_unit(bench, db, kind, typed, pack):
    new = {"name": "Slate", "kind": kind, "width_mm": "8", "price": "12,50 kr", "pack": typed,
           "toxicity": "0", "warn_below": "0", "cure_hours": "0"}  # fmt: skip
    answer = bench.post("/stock/new/", new)
    made = Material.objects.filter(name="Slate").first()
    if pack is None:
        assert (made, faults(answer)) == (None, {"pack"})
        return
    assert made.pack == pytest.approx(pack, abs=0.01)
    assert float(made.price) == 12.5
    bench.post(f"/stock/{made.pk}/move/", {"amount": typed, "reason": "delivered"})
    assert made.movements.get().amount == pytest.approx(pack, abs=0.01)


def test_strips_of_a_fixed_weight_are_halved_and_quartered_and_counted(bench, db):
    wrong = bench.post("/stock/new/", {"name": "eighths", "kind": "strip", "each_g": "1/8 oz"})
    assert "its length" in said(wrong)
    typed = {"each_g": "1/8 oz", "each_mm": "3 in", "price": "4", "pack": "24", "toxicity": "0",
             "cure_hours": "0", "warn_below": "0"}  # fmt: skip
    bench.post("/stock/new/", {"name": "eighths", "kind": "strip"} | typed)
    eighths = Material.objects.get(name="eighths")
    assert eighths.unit == "pieces"
    assert eighths.price_per_g == pytest.approx(4 / (24 * 3.5437), rel=1e-4)
    tape = shelf.tape("eighths", 6.35, 12.7, 2)
    assert tape.step_mm == tape.least_mm == pytest.approx(76.2 / 4)
    assert tape.g_per_mm == pytest.approx(3.5437 / 76.2, rel=1e-4)
