"""What is typed, cut and read is what is computed, as a hand at the bench meets it."""

import math

import pytest
from selenium.webdriver.common.keys import Keys

from kentrobar.frames.models import Frame, Reading
from kentrobar.plans.models import Plan

from .test_journeys import new_plan

pytestmark = pytest.mark.django_db(transaction=True)


def value(hand, css):
    return hand.find(css).get_attribute("value")


def choose(hand, css):
    """Choose an option, again where an answer put a new box in its place meanwhile."""
    hand.until(lambda: hand.find(css).click() or True)


def test_a_piece_is_told_by_its_cut_from_the_plan_to_the_sheet(hand):
    pk = new_plan(hand, "Tern 98 · no. 11")

    def piece():
        return Plan.objects.get(pk=pk).state().pieces[0]

    hand.settled(lambda: hand.key("t"))
    # Grams find the cut off the roll as weighed in the demo, and the cut says its grams.
    hand.settled(lambda: hand.write_and_leave("#piece-mass_g", "2"))
    grams, cut = piece().mass_g, value(hand, "#piece-length_mm")
    assert piece().length_mm == 50.8
    assert cut == "50.8 mm"
    assert grams == pytest.approx(4 * 50.8 * 0.00984, abs=0.02)
    # On the edge the same four strips become two: half the tape, half the grams.
    hand.settled(lambda: choose(hand, "#piece-line option[value=edge]"))
    assert piece().mass_g == pytest.approx(grams / 2, abs=0.006)
    hand.settled(lambda: choose(hand, "#piece-line option[value=face]"))
    # By hole, while another box holds nonsense.
    hand.write_and_leave("#piece-clock", "teatime")
    hand.until(lambda: hand.all("#piece-clock_error"))
    hand.settled(lambda: hand.write_and_leave("#piece-hole", "6-7"))
    assert value(hand, "#piece-hole") == "6.5"
    edge = Frame.objects.get(serial="no. 11").outline().path("edge")
    assert edge.arc_of_clock(piece().clock) == pytest.approx(6 + 13 * 5.5, abs=0.2)
    assert value(hand, "#piece-clock") == "teatime"
    assert "is not a clock hour" in hand.find("#piece-form").text
    hand.settled(lambda: hand.write_and_leave("#piece-clock", "12:30"))
    assert piece().clock == 0.5
    hand.go(f"/plans/{pk}/sheet/")
    sheet = hand.find("main").text
    assert "4 × 50.8 mm" in sheet
    assert f"{grams:.2f} g" in sheet


def test_a_figure_is_a_reading_with_an_instrument(hand):
    frame = Frame.objects.get(serial="no. 11")

    def newest(quantity):
        return Reading.objects.filter(frame=frame, quantity=quantity).latest("pk")

    mass, balance = round(newest("mass_g").value), f"{newest('balance_mm').value:.1f}"
    repeats = f"{mass} {mass + 1} {mass}"
    hand.go(f"/frames/{frame.pk}/")
    hand.write_and_leave("#reading-mass_g", repeats)
    hand.until(lambda: "the mean of 3" in hand.find(".frame-read").text)
    hand.write("#reading-balance_mm", balance.replace(".", ""))
    hand.press("Save", "button")
    hand.until(lambda: hand.all(".has-fault"))
    assert "lies off the frame" in hand.find(".frame-read .has-fault").text
    assert value(hand, "#reading-mass_g") == repeats
    hand.write("#reading-balance_mm", balance)
    hand.press("Save", "button")
    hand.until(lambda: newest("balance_mm").typed == f"{balance} mm")
    read = newest("mass_g")
    assert (read.value, read.repeats) == (pytest.approx(mass + 1 / 3), 3)
    assert read.u > 0.3
    # Read over an edge with a ruler, as nobody said with what: its mm, its scatter by Student's t,
    # and what it is usually off by.
    assert newest("balance_mm").u == pytest.approx(math.hypot(1 / 12**0.5, 1.0 * 3.31 / 2, 0.3))
    # With whole units in the settings a bare figure is no surer than they are.
    hand.go("/settings/")
    hand.press("How you measure", "summary")
    choose(hand, "[name=usual_mass] option[value='scale-1']")
    hand.press("Save", "button")
    hand.go(f"/frames/{frame.pk}/")
    hand.write("#reading-mass_g", f"{mass}.0")
    hand.press("Save", "button")
    hand.until(lambda: newest("mass_g").typed == f"{mass}.0 g")
    assert newest("mass_g").u == pytest.approx(math.hypot(1 / 12**0.5, 0.2 * 3.31 / 2, 0.2))


def test_one_language_in_every_box(hand):
    frame = Frame.objects.get(serial="no. 07")
    hand.go(f"/frames/{frame.pk}/")
    hand.press("in", ".unit-set button")
    hand.until(lambda: "12.74" in hand.find(".frame-figures").text)
    for text, words in (
        ("12 7/8", "= 12.88 in"), ("HL 6", "= 12.75 in"), ("5-6 pts HH", "= 14.19 ± 0.06 in"),
        ("32,4 cm", "= 12.76 in"),
    ):  # fmt: skip
        hand.write_and_leave("#reading-balance_mm", text)
        said = "#reading-balance_mm + .understood"
        hand.until(lambda said=said, words=words: hand.find(said).text == words, text)
    hand.go("/")
    pk = new_plan(hand, "Tern 98 · no. 07")

    def targets():
        return Plan.objects.get(pk=pk).state().targets

    hand.settled(lambda: hand.write_and_leave("#target-balance_mm", "-3 pts"))
    assert targets().balance_mm.value == pytest.approx(323.5 + 3 * 3.175, abs=0.1)
    hand.settled(lambda: hand.write_and_leave("#target-mass_g", "+10 %"))
    assert targets().mass_g.value == pytest.approx(1.1 * 316.8)
    hand.settled(lambda: hand.write_and_leave("#target-twist_kgcm2", "+0,5" + Keys.NULL))
    assert targets().twist_kgcm2.value == pytest.approx(13.9)
