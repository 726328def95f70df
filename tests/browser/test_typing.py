"""Keys sent at the speed of a machine, to a server that is near, slow or very slow: each box keeps
exactly what was typed there."""

import time

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.core.handlers.base import BaseHandler
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match, Wish
from kentrobar.stock.models import Material
from kentrobar.stock.shelf import rolls
from kentrobar.ui.models import Preferences

from .test_journeys import new_plan

DELAYS = (0.05, 0.3, 1.5)


@pytest.fixture(params=DELAYS, ids=lambda seconds: f"{seconds * 1000:.0f} ms")
def late(request, monkeypatch):
    """A server that answers every question asked by a script so much later."""
    answer = BaseHandler.get_response

    def slow(self, asked):
        if asked.headers.get("HX-Request"):
            time.sleep(request.param)
        return answer(self, asked)

    monkeypatch.setattr(BaseHandler, "get_response", slow)
    return request.param


def quiet(hand):
    """Wait until nothing is on its way any more."""
    hand.until(lambda: not hand.all(".htmx-request"))
    time.sleep(0.3)
    hand.until(lambda: not hand.all(".htmx-request"))


def stands(hand, name):
    return hand.find(f"[name='{name}']").get_attribute("value")


def test_on_the_outline(hand, late):
    hand.go("/frames/new/?kind=racket")
    typed = {"length_mm": "27 in", "width_mm": "258", "hoop_base_mm": "335 mm"}
    keys = Keys.TAB.join(text for text in typed.values())
    hand.write("[name=length_mm]", keys + Keys.TAB)
    quiet(hand)
    for name, text in typed.items():
        assert stands(hand, name) == text
    # And with nothing typed on the way, Tab still leaves every box as it is.
    before = stands(hand, "rim_mm")
    hand.find("[name=length_mm]").send_keys(Keys.TAB * 6)
    quiet(hand)
    assert stands(hand, "rim_mm") == before


def test_on_a_plan(hand, late):
    plan = new_plan(hand, "Tern 98 · no. 11")
    hand.settled(lambda: hand.key("t"))
    quiet(hand)
    hand.write("#piece-mass_g", "6" + Keys.TAB + "80 mm" + Keys.TAB + "2" + Keys.TAB * 2 + "3:30\t")

    def kept():
        piece = Plan.objects.get(pk=plan).state().pieces[0]
        return (piece.length_mm, piece.layers, piece.clock) == (80, 2, 3.5)

    hand.until(kept)
    (piece,) = Plan.objects.get(pk=plan).state().pieces
    per_mm = rolls({piece.material})[piece.material].g_per_mm
    assert piece.mass_g == pytest.approx(8 * 80 * per_mm, abs=0.01)
    quiet(hand)
    hand.write("#target-mass_g", "322" + Keys.TAB + "320 ± 2" + Keys.TAB + "+5" + Keys.TAB)
    hand.until(lambda: Plan.objects.get(pk=plan).state().targets.swing_kgcm2 is not None)
    targets = Plan.objects.get(pk=plan).state().targets
    assert (targets.mass_g.value, targets.balance_mm.value) == (322, 320)
    assert targets.balance_mm.tol == 2


def test_on_a_wish(hand, late):
    frame = Frame.objects.get(serial="no. 07")
    hand.go(f"/frames/{frame.pk}/recipes/")
    names = ("mass_g", "balance_mm", "swing_kgcm2")
    hand.write("#aim-mass_g input", (Keys.TAB * 2).join(("326 ± 2", "322", "325 ± 3")) + Keys.TAB)

    def asked():
        wish = Wish.objects.filter(frame=frame).first()
        return wish and len(wish.content.get("goals", {})) == len(names)

    hand.until(asked)
    quiet(hand)
    goals = Wish.objects.get(frame=frame).content["goals"]
    assert [goals[name]["value"] for name in names] == [326, 322, 325]


def test_on_a_measurement(hand, late):
    frame = Frame.objects.get(serial="no. 11")
    hand.go(f"/frames/{frame.pk}/measure/?method=pendulum")
    hand.write("#m-mass", Keys.TAB.join(("318.4 ± 0.1 g", "32.1 cm", "643 mm")) + Keys.TAB)
    quiet(hand)
    found = [
        hand.find(f"#m-{name}").get_attribute("value") for name in ("mass", "balance", "pivot")
    ]
    assert found == ["318.4 ± 0.1 g", "32.1 cm", "643 mm"]


def test_on_a_set(hand, late):
    match = Match.objects.filter(removed_at=None).first()
    hand.go(match.get_absolute_url())
    hand.click(hand.find("#set-settings summary"))
    boxes = [e.get_attribute("name") for e in hand.all("#ask input[name^=tol]") if e.is_displayed()]
    texts = ("1.5", "2", "2.5", "3")[: len(boxes)]
    # Between them stands a box each for where the figure should be.
    hand.write(f"#ask [name='{boxes[0]}']", (2 * Keys.TAB).join(texts) + Keys.TAB)
    quiet(hand)
    for name, text in zip(boxes, texts, strict=False):
        assert stands(hand, name).startswith(text)

    def kept():
        held = Match.objects.get(pk=match.pk).content["tolerances"]
        return [f"{held[name.removeprefix('tol-')]:g}" for name in boxes] == list(texts)

    hand.until(kept)


@pytest.mark.parametrize("by", ["the button", "what is asked for while typing"])
def test_a_session_that_ended_meanwhile_loses_nothing(hand, by):
    hand.go("/jobs/new/")
    hand.write("#j-said", "the head is slow at the net, and it twists")
    hand.write("#j-who", "Ilva Sorre")
    hand.until(lambda: "Ilva Sorrel" in hand.find("main").text)
    if by == "the button":
        hand.find("#j-who").send_keys("l")
        hand.until(lambda: "Known here" in hand.find("main").text)
    Session.objects.all().delete()
    if by == "the button":
        hand.press("Check in", "main button")
    else:
        hand.find("#j-who").send_keys("l")
    hand.until(lambda: hand.all("#sign-in"))
    hand.write("#id_username", "vastrand")
    hand.write("#id_password", "bench-and-bob" + Keys.ENTER)
    hand.until(lambda: hand.all("#j-said"))
    assert hand.find("#j-said").get_attribute("value").startswith("the head is slow")
    assert hand.find("#j-who").get_attribute("value") == "Ilva Sorrel"
    assert "What you had written is back" in hand.find("#page-says").text


def test_a_refused_form_that_was_left_by_a_link_comes_back(hand):
    frame = Frame.objects.get(serial="no. 11")
    hand.go(frame.get_absolute_url())
    hand.write("#reading-mass_g", "31.9 kg")
    hand.press("Save", "main button")
    hand.until(lambda: hand.all("main .fault"))
    hand.go("/stock/")
    hand.go(frame.get_absolute_url())
    hand.until(lambda: stands(hand, "mass_g") == "31.9 kg")
    assert "It is back" in hand.find("#page-says").text
    hand.write("#reading-mass_g", "319.9")
    hand.press("Save", "main button")
    hand.until(lambda: frame.readings.filter(typed="319.9 g").exists())
    hand.go(frame.get_absolute_url())
    assert stands(hand, "mass_g") == ""


def test_other_units_lose_nothing_that_was_written(hand):
    """A bare number stays what it was, and a swing weight about its axis."""
    frame = Frame.objects.get(serial="no. 11")

    def written():
        return [
            hand.find(f"#reading-{name}").get_attribute("value")
            for name in ("mass_g", "balance_mm", "swing_kgcm2", "axis")
        ]

    hand.go(frame.get_absolute_url())
    hand.write("#reading-mass_g", "319.9 319.7" + Keys.TAB + "32.2 cm" + Keys.TAB + "318.2")
    for button in ("oz", "98"):
        hand.press(button, "form.units button")
        hand.until(lambda button=button: hand.find(f"[value^='{button}'][aria-pressed]"))
        hand.until(lambda: written() == ["319.9 319.7 g", "32.2 cm", "318.2", "100 mm"])
        hand.until(lambda: "What you had written is back" in hand.find("#page-says").text)
    hand.press("Save", "main button")
    swing = frame.readings.filter(quantity="swing_kgcm2", value=318.2)
    hand.until(lambda: swing.exists())
    assert swing.latest("pk").axis_mm == 100
    assert frame.readings.filter(quantity="mass_g").latest("pk").value == pytest.approx(319.8)
    hand.go(frame.get_absolute_url())
    assert written()[:3] == ["", "", ""]
    # What is asked by an address, which knows it only since it was typed.
    hand.go("/quick/")
    hand.write("#q-mass_g", "11.2" + Keys.TAB + "5 g" + Keys.TAB)
    hand.until(lambda: "grams=5" in hand.browser.current_url)
    hand.press("g", "form.units button")
    hand.until(lambda: hand.find("[value='g'][aria-pressed]"))
    boxes = [hand.find(f"#q-{name}").get_attribute("value") for name in ("mass_g", "grams")]
    assert boxes == ["11.2 oz", "5 g"]
    # A form that came back refused stands at an address that is no page.
    material = Material.objects.get(name="putty")
    hand.go(material.get_absolute_url())
    hand.write("#s-amount", "a bit\n")
    hand.until(lambda: hand.all(".fault"))
    assert hand.browser.current_url.endswith("/move/")
    hand.press("in", "form.units button")
    hand.until(lambda: hand.browser.current_url.endswith(material.get_absolute_url()))
    hand.until(lambda: hand.find("#s-amount").get_attribute("value") == "a bit")


def test_a_page_is_read_as_it_was_made_whatever_another_device_chose_since(hand):
    plan = new_plan(hand, "Tern 98 · no. 11")
    frame = Plan.objects.get(pk=plan).frame
    user = User.objects.get(username="vastrand")
    Preferences.objects.update_or_create(user=user, defaults={"mass": "oz"})
    hand.settled(lambda: hand.write_and_leave("#target-mass_g", "326"))
    assert Plan.objects.get(pk=plan).state().targets.mass_g.value == 326
    hand.until(lambda: hand.find("#vial-mass_g .unit").text.endswith("g"))
    Preferences.objects.update(mass="g")
    hand.go(frame.get_absolute_url())
    Preferences.objects.update(mass="oz")
    hand.write("#reading-mass_g", "319.7\n")
    hand.until(lambda: frame.readings.filter(quantity="mass_g", value=319.7).exists())


def test_a_server_that_is_gone_is_said_and_nothing_is_lost(hand):
    network = {"latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    frame = Frame.objects.get(serial="no. 07")
    hand.go(f"/frames/{frame.pk}/recipes/")
    hand.browser.execute_cdp_cmd("Network.enable", {})
    hand.browser.execute_cdp_cmd("Network.emulateNetworkConditions", network | {"offline": True})
    try:
        hand.write("#aim-mass_g input", "326" + Keys.TAB)
        hand.until(lambda: "No answer from the server" in hand.find("#page-says").text)
        assert hand.find("#aim-mass_g input").get_attribute("value") == "326"
    finally:
        off = network | {"offline": False}
        hand.browser.execute_cdp_cmd("Network.emulateNetworkConditions", off)
    hand.write("#aim-mass_g input", "327" + Keys.TAB)
    hand.until(lambda: not hand.find("#page-says").is_displayed())
    hand.complained("ERR_INTERNET_DISCONNECTED")


# A name was looked up while it was typed; its answer comes when the server is gone.
ANSWERED_LATE = """window.late ??= new XMLHttpRequest();
    const detail = {xhr: window.late, successful: true};
    document.dispatchEvent(new CustomEvent(`htmx:${arguments[0]}Request`, {detail}));"""


def test_a_plain_form_is_only_sent_while_somebody_takes_it(hand):
    """Taken in at the counter with the server gone: the page stays, says so, and keeps it all."""
    network = {"latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}
    hand.go("/jobs/new/")
    hand.write("#j-who", "Ilva Sorrel")
    hand.write("#j-said", "the head is slow")
    hand.browser.execute_script(ANSWERED_LATE, "before")
    hand.browser.execute_cdp_cmd("Network.enable", {})
    hand.browser.execute_cdp_cmd("Network.emulateNetworkConditions", network | {"offline": True})
    try:
        hand.press("Check in", "button")
        hand.until(lambda: "No answer from the server" in hand.find("#page-says").text)
        assert hand.find("#j-said").get_attribute("value") == "the head is slow"
        hand.browser.execute_script(ANSWERED_LATE, "after")
        assert hand.find("#page-says").text, "what was asked before answers nothing of it"
    finally:
        off = network | {"offline": False}
        hand.browser.execute_cdp_cmd("Network.emulateNetworkConditions", off)
    hand.press("Check in", "button")
    # It is there again, and answers: no frame was ticked.
    hand.until(lambda: hand.all(".has-fault, .fault"))
    assert hand.find("#j-said").get_attribute("value") == "the head is slow"
    hand.complained("ERR_INTERNET_DISCONNECTED")


KEEP_COMES_ANEW = """const keep = document.getElementById("keep");
    keep.outerHTML = keep.outerHTML;"""
KEEP_IS_ANOTHER = KEEP_COMES_ANEW.replace(
    "= keep.outerHTML", "= keep.outerHTML.replace('keep', 'another')"
)
# An answer comes after the press, before the server was found there.
COMES_LATE = f"""const asked = window.fetch;
    window.fetch = async (...what) => {{
        const answer = await asked(...what);
        {KEEP_COMES_ANEW}
        return answer;
    }};"""


@pytest.mark.parametrize("when", ["under the finger", "just after"])
def test_a_button_that_comes_anew_while_it_is_pressed_is_pressed_once(hand, when):
    frame = Frame.objects.get(serial="no. 11")
    before = frame.readings.count()
    hand.go(f"/frames/{frame.pk}/measure/?method=scale")
    hand.write_and_leave("#m-readings", "319.9 320.0 319.9")
    quiet(hand)
    if when == "just after":
        hand.browser.execute_script(COMES_LATE)
        hand.click(hand.find("#keep"))
    else:
        ActionChains(hand.browser).click_and_hold(hand.find("#keep")).perform()
        hand.browser.execute_script(KEEP_COMES_ANEW)
        ActionChains(hand.browser).release().perform()
    hand.until(lambda: frame.readings.count() > before, "it was not kept")
    quiet(hand)
    assert frame.readings.count() == before + 1


def test_a_button_that_goes_while_it_is_pressed_sends_nothing_and_presses_no_other(hand):
    frame = Frame.objects.get(serial="no. 11")
    before = frame.readings.count()
    hand.go(f"/frames/{frame.pk}/measure/?method=scale")
    hand.write_and_leave("#m-readings", "319.9 320.0 319.9")
    quiet(hand)
    hand.browser.execute_script(COMES_LATE.replace(KEEP_COMES_ANEW, KEEP_IS_ANOTHER))
    hand.click(hand.find("#keep"))
    hand.until(lambda: "The page changed" in hand.find("#page-says").text)
    ActionChains(hand.browser).click_and_hold(hand.find("#another")).perform()
    hand.browser.execute_script("another.outerHTML = another.outerHTML.replace('another', 'third')")
    ActionChains(hand.browser).release().perform()
    quiet(hand)
    assert frame.readings.count() == before
