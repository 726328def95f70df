"""Journeys in Chromium on the demo workshop: what a person does, and what the core says to it."""

import json
import time

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from kentrobar.core.frame.predict import predict
from kentrobar.core.numbers import nominal
from kentrobar.core.reader import fixed
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from ops.browser import resize
from tests.core.frames import TERN

pytestmark = pytest.mark.django_db(transaction=True)


def of_the_core(plan, axis):
    after = predict(Plan.objects.get(pk=plan).to_plan()).after
    return (
        fixed(nominal(after.mass), 1),
        fixed(nominal(after.balance), 1),
        fixed(nominal(after.swing(axis)) / 1e5, 1),
        fixed(nominal(after.twist) / 1e5, 2),
    )


def new_plan(hand, name):
    frame = next(one for one in Frame.objects.all() if str(one).startswith(name))
    hand.go(frame.get_absolute_url())
    return begun(hand)


def begun(hand):
    hand.press("New plan", "button")
    hand.until(lambda: hand.all("#board"))
    return int(hand.browser.current_url.split("?")[0].rstrip("/").rsplit("/", 1)[1])


def test_a_racket_from_tape_to_file_and_back(hand):
    hand.go("/")
    hand.press("Tern 98 · no. 11", "a")
    hand.until(lambda: hand.all(".frame-grid"))
    plan = begun(hand)
    empty = hand.figures()
    # By mouse: the palette, then a drag along the rim, then an end.
    hand.settled(lambda: hand.find("#put-tape").click())
    assert hand.figures() == of_the_core(plan, 100) != empty
    rim = TERN.path("face")
    at_three, at_two = (rim.point(rim.arc_of_clock(hour)) for hour in (3, 2))
    hand.settled(lambda: hand.drag(at_three, (540, 118), at_two))
    moved = Plan.objects.get(pk=plan).state().pieces[0]
    assert moved.clock == pytest.approx(2, abs=0.1)
    assert hand.figures() == of_the_core(plan, 100)
    s = rim.arc_of_clock(moved.clock)
    hand.settled(lambda: hand.drag(rim.point(s + moved.length_mm / 2), rim.point(s + 70)))
    longer = Plan.objects.get(pk=plan).state().pieces[0]
    assert longer.length_mm == pytest.approx(140, abs=4)
    assert longer.mass_g / longer.length_mm == pytest.approx(
        moved.mass_g / moved.length_mm, rel=1e-3
    )
    # By keys: putty, slid, cut, and the tape picked up, moved across the rim, made one-sided.
    hand.settled(lambda: hand.key("p"))
    for key in ".", ">", "]", ",":
        hand.settled(lambda key=key: hand.key(key))
    hand.key("1")
    hand.until(lambda: hand.find("#board-state").get_attribute("data-pick") == "p1")
    hand.settled(lambda: hand.key("f"))
    hand.settled(lambda: hand.key("m"))
    state = Plan.objects.get(pk=plan).state()
    assert (state.pieces[0].line, state.pieces[0].mirror) == ("inner", False)
    assert state.pieces[1].from_mm == pytest.approx(9)
    assert hand.figures() == of_the_core(plan, 100)
    assert "one side only" in hand.find(".in-hand").text
    # Undo, reload, redo: the past lies in the database.
    laden = hand.figures()
    hand.settled(lambda: hand.key("u"))
    undone = hand.figures()
    assert undone != laden
    hand.browser.refresh()
    assert hand.figures() == undone
    hand.settled(lambda: hand.key("r"))
    assert hand.figures() == laden
    # Take it away, and bring it back.
    hand.press("Download", "a")
    hand.until(lambda: list(hand.browser.downloads.glob("tern-98*.json")))
    time.sleep(0.3)
    file = next(hand.browser.downloads.glob("tern-98*.json"))
    assert json.loads(file.read_text())["pieces"][1]["kind"] == "plug"
    hand.find(".plan-head h1 a").click()
    hand.until(lambda: hand.all("#plan-file"))
    hand.find("#plan-file").send_keys(str(file))
    hand.press("Read it", "button")
    hand.until(lambda: hand.all("#board"))
    assert hand.figures() == laden
    file.unlink()


def test_a_paddle_by_mouse_keys_and_form(hand):
    plan = new_plan(hand, "Cockle Round")
    hand.settled(lambda: hand.key("t"))
    assert hand.figures() == of_the_core(plan, 50)
    frame = Plan.objects.get(pk=plan).frame.outline()
    rim = frame.path("edge")
    hand.settled(
        lambda: hand.drag(
            rim.point(rim.arc_of_clock(3)), (330, 95), rim.point(rim.arc_of_clock(1.5))
        )
    )
    assert Plan.objects.get(pk=plan).state().pieces[0].clock == pytest.approx(1.5, abs=0.1)
    hand.settled(lambda: hand.write_and_leave("#piece-length_mm", "3 in"))
    assert "3 in = 76.2 mm" in hand.find("#said").text
    assert Plan.objects.get(pk=plan).state().pieces[0].length_mm == pytest.approx(76.2)
    # What is already on comes off.
    hand.find("#take-off").click()
    hand.settled(lambda: hand.press("Overgrip", ".dropdown-item"))
    assert "−5.50" in hand.find(".pieces tbody").text
    assert hand.figures() == of_the_core(plan, 50)
    # Handle mass: the piece's own row proves what people believe otherwise.
    hand.settled(lambda: hand.key("p"))
    row = hand.all(".pieces tbody tr")[-1].text
    assert "+0.0" in row
    assert "−" in row
    assert "never lowers swing weight" in hand.find(".in-hand").text
    # The axis and the units are one click.
    hand.press("100", ".unit-set button")
    hand.until(lambda: "about 100 mm" in hand.find("#vial-swing_kgcm2").text)
    assert hand.figures() == of_the_core(plan, 100)
    hand.press("oz", ".unit-set button")
    hand.until(lambda: hand.find("#vial-mass_g .unit").text.endswith("oz"))
    # A dragged plug stays a plug, and Escape puts it down.
    hand.settled(lambda: hand.drag((20, 0), (60, 0), (80, 0)))
    assert Plan.objects.get(pk=plan).state().pieces[2].from_mm == pytest.approx(68, abs=3)
    hand.key(Keys.ESCAPE)
    hand.until(lambda: "No piece selected" in hand.find(".in-hand").text)


def test_a_target_is_written_and_its_vial_says_how_far(hand):
    new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.write_and_leave("#target-mass_g", "+8"))
    assert "8.0 g under" in hand.find("#vial-mass_g").text
    assert hand.find("#target-mass_g").get_attribute("value") == "327.9 ± 1 g"
    hand.write_and_leave("#target-mass_g", "some")
    hand.until(lambda: hand.all("#vial-mass_g .fault"))
    assert hand.find("#target-mass_g").get_attribute("value") == "some"


def test_bad_input_in_every_form_keeps_what_was_typed(hand):
    hand.go("/")
    hand.press("New racket", "a")
    hand.until(lambda: hand.all("#outline"))
    hand.write("#id_model", "Heron")
    hand.write_and_leave("#id_beam_mm", "thick")
    hand.until(lambda: hand.all(".waiting"))
    assert hand.find("#id_beam_mm").get_attribute("value") == "thick"
    hand.press("Save frame", "button")
    hand.until(lambda: hand.all(".fault-top"))
    assert hand.find("#id_model").get_attribute("value") == "Heron"
    assert hand.browser.switch_to.active_element.get_attribute("id") == "id_beam_mm"
    hand.write_and_leave("#id_beam_mm", "7/8 in")
    hand.until(lambda: hand.all("svg.bench-outline"))
    hand.find("#id_widest_mm").click()
    hand.until(lambda: hand.all('.dim.is-lit[data-dim="widest_mm"]'))
    hand.press("Save frame", "button")
    hand.until(lambda: hand.all(".frame-grid"))
    # Readings: an impossible one, then an unlikely one that is confirmed.
    hand.write("#reading-mass_g", "11.3 oz")
    hand.write("#reading-balance_mm", "32.4")
    hand.write("#reading-swing_kgcm2", "318")
    hand.press("Save", "button")
    hand.until(lambda: hand.all(".has-fault"))
    assert "32.4 cm (324 mm)" in hand.find(".frame-read").text
    assert hand.find("#reading-mass_g").get_attribute("value") == "11.3 oz"
    hand.write("#reading-balance_mm", "32.4 cm")
    hand.write("#reading-twist_kgcm2", "19")
    hand.press("Save", "button")
    hand.until(lambda: hand.all("#reading-confirm"))
    hand.find("#reading-confirm").click()
    hand.press("Save", "button")
    hand.until(lambda: "read 11.3 oz" in hand.find(".frame-figures").text)
    # A file that is no plan.
    bad = hand.browser.downloads / "not-a-plan.json"
    bad.write_text('{"format": "kentrobar-plan/1", "frame": {"kind": "boat"}}')
    hand.find("#plan-file").send_keys(str(bad))
    hand.press("Read it", "button")
    hand.until(lambda: hand.all(".message-error"))
    assert 'frame.kind: "boat" is not one of racket, paddle' in hand.find(".message-error").text


def test_a_piece_form_with_a_fault_has_the_cursor_and_keeps_its_words(hand):
    new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.key("t"))
    hand.write_and_leave("#piece-clock", "13")
    hand.until(lambda: hand.all("#piece-form .fault"))
    assert hand.find("#piece-clock").get_attribute("value") == "13"
    assert "is not a clock hour" in hand.find("#piece-form").text
    hand.until(lambda: hand.browser.switch_to.active_element.get_attribute("id") == "piece-clock")


def test_what_is_typed_while_an_answer_is_on_its_way_is_kept(hand):
    plan = new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.key("t"))
    hand.write("#piece-length_mm", "80 mm" + Keys.TAB + "2" + Keys.TAB * 2 + "3:30" + Keys.ENTER)

    def kept():
        piece = Plan.objects.get(pk=plan).state().pieces[0]
        # 8 × 80 mm of the roll as weighed in the demo
        return (piece.clock, piece.length_mm, piece.mass_g) == (3.5, 80, 6.3)

    hand.until(kept)


def test_two_windows_on_one_plan(hand):
    plan = new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.key("t"))
    first = hand.browser.current_window_handle
    hand.browser.switch_to.new_window("tab")
    hand.go(f"/plans/{plan}/?pick=p1")
    hand.settled(lambda: hand.key("."))
    hand.browser.close()
    hand.browser.switch_to.window(first)
    hand.key("]")
    hand.until(lambda: "another window" in hand.find("#said").text)
    assert Plan.objects.get(pk=plan).state().pieces[0].length_mm == 76.2
    hand.settled(lambda: hand.key("]"))
    assert Plan.objects.get(pk=plan).state().pieces[0].length_mm == pytest.approx(82.55)


def test_fast_keys_lose_nothing(hand):
    plan = new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.key("t"))
    before = Plan.objects.get(pk=plan).state().pieces[0]
    hand.key("." * 12)
    rim = TERN.path("face")
    goal = rim.arc_of_clock(before.clock) + 60
    hand.until(
        lambda: (
            abs(rim.arc_of_clock(Plan.objects.get(pk=plan).state().pieces[0].clock) - goal) < 0.5
        )
    )


def test_a_menu_opens_by_keys_and_goes_without_taking_the_piece_out_of_the_hand(hand):
    new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.find("#put-tape").click())
    button = hand.find("#take-off")
    menu = hand.find("#take-off-menu")
    button.send_keys(Keys.ARROW_DOWN)
    assert menu.is_displayed()
    chosen = hand.browser.switch_to.active_element
    assert chosen == menu.find_elements(By.TAG_NAME, "button")[0]
    chosen.send_keys(Keys.ARROW_UP)
    assert hand.browser.switch_to.active_element == menu.find_elements(By.TAG_NAME, "button")[-1]
    hand.browser.switch_to.active_element.send_keys(Keys.ESCAPE)
    assert not menu.is_displayed()
    assert hand.browser.switch_to.active_element == button
    assert hand.all("#piece-form"), "it is still in hand"
    hand.click(button)
    assert button.get_attribute("aria-expanded") == "true"
    hand.click(hand.find(".palette-name"))
    assert not menu.is_displayed()
    hand.click(button)
    button.send_keys(Keys.SHIFT + Keys.TAB)
    assert not menu.is_displayed()


def test_a_menu_of_long_names_stays_on_a_phone(hand):
    first = new_plan(hand, "Tern 98 · no. 11")
    second = Plan.objects.get(pk=first)
    second.pk, second.name = None, "Long, and narrower than any screen that could show it in " * 2
    second.name = second.name[:80]
    second.save()
    resize(hand.browser, 390, 844)
    hand.go(f"/plans/{first}/")
    hand.press("Compare")
    menu = hand.find("#compare-menu")
    assert menu.rect["x"] >= 0
    assert menu.rect["x"] + menu.rect["width"] <= 390
    assert second.name[:30] in menu.text


def test_a_phone_keeps_the_rest_of_the_bar_behind_a_button(hand):
    resize(hand.browser, 390, 844)
    hand.go("/")
    units = hand.find("#bar-menu .units")
    assert not units.is_displayed()
    for shown in (True, False):
        hand.click(hand.find(".bar-more"))
        assert units.is_displayed() is shown


def test_a_finger_drags_on_a_phone(hand):
    resize(hand.browser, 390, 844)
    plan = Plan.objects.get(name="Sides, tip and putty")
    hand.go(f"/plans/{plan.pk}/?pick=p2")
    rim = TERN.path("face")
    stops = [rim.point(rim.arc_of_clock(hour)) for hour in (3, 2.7, 2.3, 2)]

    def finger(kind, at=None):
        points = [] if at is None else [dict(zip("xy", hand.at(*at), strict=True))]
        event = {"type": kind, "touchPoints": points}
        hand.browser.execute_cdp_cmd("Input.dispatchTouchEvent", event)
        time.sleep(0.08)

    def drag():
        finger("touchStart", stops[0])
        for stop in stops[1:]:
            finger("touchMove", stop)
        finger("touchEnd")

    hand.settled(drag)
    assert plan.__class__.objects.get(pk=plan.pk).state().pieces[1].clock == pytest.approx(
        2, abs=0.15
    )


def test_deleting_offers_undo(hand):
    new_plan(hand, "Shoal 16 · A-114")
    hand.press("Delete", "button")
    hand.until(lambda: hand.all(".message form button"))
    hand.press("Undo", ".message button")
    hand.until(lambda: hand.all("#board"))


@pytest.mark.parametrize("width", [1280, 390])
def test_the_plan_fits_its_screen(hand, width):
    resize(hand.browser, width, 800)
    plan = Plan.objects.get(name="Sides, tip and putty")
    hand.go(f"/plans/{plan.pk}/?pick=p2")
    page = hand.find("html")
    assert page.get_property("scrollWidth") <= width
    if width == 1280:
        assert page.get_property("scrollHeight") <= 800
    targets = hand.browser.find_elements(By.CSS_SELECTOR, "#board button, .bar button")
    low = [
        t.text or t.get_attribute("id")
        for t in targets
        if t.is_displayed() and t.size["height"] < 32
    ]
    assert low == []
