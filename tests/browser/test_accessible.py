"""Every page and state: nothing axe objects to, nothing too small for a finger or an eye, nothing
wider than the page at four times its size."""

import contextlib
import re
import socket
from functools import partial
from pathlib import Path

import pytest
from django.utils import timezone
from selenium.webdriver.common.by import By

from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Wish
from ops.browser import resize
from tests.working import server, until

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()
FIRST = ["/", "/bench/", "/plans/", "/sets/", "/stock/", "/instruments/", "/settings/",
         "/account/", "/colleagues/", "/programs/", "/phones/", "/data/", "/jobs/",
         "/people/", "/quick/",
         "/find/?q=tern", "/removed/"]  # fmt: skip
PUBLIC = ["/sign-in/", "/trust/", "/offline/", "/join/nothing/", "/card/nothing/", "/no-such-page/"]
NO_PAGE = re.compile(
    r"\.(pdf|csv|json|ics|png|crt|jpg|svg|webmanifest)|sign-out|/api/|/schema/|/photo|download"
)
FOUND = """
const [how, done] = arguments;
axe.run(document, { resultTypes: ["violations"], ...how }).then((found) => done(
  found.violations.flatMap(
    (one) => one.nodes.map((node) => `${one.id}: ${node.html.slice(0, 160)}`))));
"""
LINKS = "return [...document.querySelectorAll('a[href]')].map((one) => one.href)"
WIDTH = """
const done = arguments[0];
const width = () => done(document.documentElement.scrollWidth);
requestAnimationFrame(() => requestAnimationFrame(width));
"""
# The same at a desk as on a phone, and most of the work.
NO_COLOURS = {"rules": {"color-contrast": {"enabled": False}}}
SMALL = (Path(__file__).parent / "small.js").read_text()


@pytest.fixture
def with_axe(hand):
    """Every page comes with axe: sending it to one takes as long as loading the page."""
    add, remove = (f"Page.{verb}ScriptToEvaluateOnNewDocument" for verb in ("add", "remove"))
    added = hand.browser.execute_cdp_cmd(add, {"source": AXE})
    yield
    hand.browser.execute_cdp_cmd(remove, added)


def shape(address):
    """Pages of one kind are looked at once."""
    path, _, query = address.partition("?")
    return re.sub(r"\d+", "N", path), re.sub(r"=[^&]*", "=", query)


def pages(hand):
    """Every kind of page that can be reached from the bar, walked once."""
    todo, seen = list(FIRST), {}
    while todo:
        path = todo.pop(0).partition("#")[0]
        if shape(path) in seen or NO_PAGE.search(path):
            continue
        seen[shape(path)] = path
        hand.go(path)
        yield path
        links = hand.browser.execute_script(LINKS)
        todo += [one.removeprefix(hand.address) for one in links if one.startswith(hand.address)]


def on_a_phone(chrome, is_phone):
    """The page that is open, held in a hand and touched, or at a desk again."""
    if is_phone:
        metrics = {"width": 390, "height": 844, "deviceScaleFactor": 2, "mobile": True}
        chrome.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)
    chrome.execute_cdp_cmd("Emulation.setTouchEmulationEnabled", {"enabled": is_phone})
    if not is_phone:
        resize(chrome, 1280, 800)


def test_every_page_is_accessible_at_a_desk_on_a_phone_and_at_four_times_its_size(hand, with_axe):
    objections, walked = {}, 0
    chrome = hand.browser
    for path in pages(hand):
        walked += 1
        found = chrome.execute_async_script(FOUND, {})
        resize(chrome, 320, 800)
        if chrome.execute_async_script(WIDTH) > 320:
            found.append("wider than 320")
        on_a_phone(chrome, True)
        assert chrome.execute_script("return matchMedia('(pointer: coarse)').matches")
        found += chrome.execute_script(SMALL) + chrome.execute_async_script(FOUND, NO_COLOURS)
        on_a_phone(chrome, False)
        if found:
            objections[path] = found
    assert walked > 50
    assert objections == {}


def sent(hand):
    """The page's own button, the last of its kind, pressed; boxes just left may be drawn anew."""

    def pressed():
        hand.click([one for one in hand.all("main button.btn-primary") if one.is_displayed()][-1])
        return True

    hand.until(pressed)


def looked_at(hand, objections, name):
    """Keep what axe has against a page as it is now."""
    found = hand.browser.execute_async_script(FOUND, {})
    if found:
        objections[name] = found


def test_public_pages_and_pages_with_faults_are_accessible(hand, with_axe):
    objections = {}
    look = partial(looked_at, hand, objections)
    measure = f"/frames/{Frame.objects.first().pk}/measure/?method=scale"
    for path, box in (
        ("/frames/new/?kind=racket", "#id_length_mm"), ("/jobs/new/", "#j-who"),
        (measure, "#m-readings"), ("/stock/new/", "#m-name"),
    ):  # fmt: skip
        hand.go(path)
        hand.write(box, "none")
        sent(hand)
        hand.until(lambda: hand.all(".fault, .warn"))
        look(f"{path} at fault")
    hand.browser.delete_all_cookies()
    for path in PUBLIC:
        hand.browser.get(hand.address + path)
        look(path)
    hand.complaints()
    assert objections == {}


def test_a_search_is_accessible_in_every_state_and_a_set_at_fault(hand, with_axe):
    objections = {}
    look = partial(looked_at, hand, objections)
    frame = Frame.objects.get(serial="no. 07")
    recipes = f"/frames/{frame.pk}/recipes/"
    hand.go(recipes)
    hand.write_and_leave("#wish-goal-swing_kgcm2", "+6")
    hand.until(lambda: hand.all(".recipe"))
    look("answered")
    for status in ("waiting", "working", "stopped", "failed"):
        Wish.objects.update(status=status, progress="first laid out", seen_at=timezone.now())
        hand.go(recipes)
        hand.until(lambda: hand.all("#answer"))
        look(status)
    Wish.objects.all().delete()
    hand.go("/sets/")
    for one in Frame.objects.filter(model="Fulmar 100")[:2]:
        hand.click(hand.find(f'#new-set input[value="{one.pk}"]'))
    hand.press("Match these", "button")
    hand.until(lambda: hand.all(".lanes"))
    look("a set matched")
    hand.click(hand.find("#set-settings summary"))
    hand.write_and_leave(".set-held input", "none")
    hand.until(lambda: hand.all("#ask .fault"))
    look("a set at fault")
    for path, box in (("/account/code/", "#id_code"), ("/account/", "#id_present")):
        hand.go(path)
        hand.write(box, "12")
        sent(hand)
        hand.until(lambda: hand.all(".fault"))
        look(f"{path} at fault")
    hand.complaints()
    assert objections == {}


CONTROLS = "main button, main a[href], main input, main select, main textarea, .bar a, .bar button"
RINGS = """
return [...document.querySelectorAll(arguments[0])]
  .filter((one) => one.checkVisibility({visibilityProperty: true}) && !one.disabled)
  .map((one) => {
    one.focus({focusVisible: true});
    const s = getComputedStyle(one);
    const ring = [s.outlineStyle, parseFloat(s.outlineWidth), s.outlineColor];
    return [!!one.closest('.bar'), ...ring, one.outerHTML.slice(0, 120)];
  });
"""


def test_whatever_has_the_cursor_is_ringed(hand):
    """2 px at least, in ink on paper or the vial's green on the bar: both over 3 to 1."""
    plan = Plan.objects.first()
    recipes = f"/frames/{plan.frame_id}/recipes/"
    for path in ("/", "/settings/", plan.get_absolute_url(), recipes):
        hand.go(path)
        ringed = hand.browser.execute_script(RINGS, CONTROLS)
        assert len(ringed) > 20
        for is_bar, style, width, colour, told in ringed:
            assert (style, width >= 2) == ("solid", True), told
            assert colour == ("rgb(195, 209, 62)" if is_bar else "rgb(38, 65, 58)"), told


def test_changed_figures_are_said_once(hand):
    hand.go(Plan.objects.first().get_absolute_url())
    hand.key("t")
    hand.until(lambda: "swing weight" in hand.find("#heard").get_attribute("textContent"))
    said = hand.find("#heard").get_attribute("textContent")
    assert hand.find("#vial-swing_kgcm2 .figure b").text in said
    assert said.count("swing weight") == 1
    assert hand.all("#board [aria-live]") == []


CONTROLLED = "return navigator.serviceWorker.controller !== null"
UNREGISTER = """
const done = arguments[0];
navigator.serviceWorker.getRegistrations()
  .then((all) => Promise.all(all.map((one) => one.unregister()))).then(() => done());
"""


def test_without_the_server_the_shell_opens_and_says_what_waits(hand):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    hand.address = f"http://localhost:{port}"
    there = f"/frames/{Frame.objects.first().pk}/measure/"
    running = server(port)
    try:
        until(lambda: answers(port), "the server did not start")
        hand.go(there)
        hand.until(lambda: hand.browser.execute_script(CONTROLLED), "nobody keeps the shell")
        hand.write("#m-readings", "316.8 316.9")
        running.terminate()
        running.wait(20)
        hand.browser.get(hand.address + "/bench/")
        hand.until(lambda: "cannot be reached" in hand.find("h1").text)
        hand.until(lambda: f"written on {there}" in hand.find("#waiting-list").text)
        running = server(port)
        until(lambda: answers(port), "the server did not start again")
        hand.click(hand.find("#again"))
        hand.until(lambda: hand.find("#m-readings").get_attribute("value") == "316.8 316.9")
        hand.browser.execute_async_script(UNREGISTER)
    finally:
        hand.browser.get("about:blank")
        running.terminate()
        running.wait(20)
        hand.complaints()


def answers(port):
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
        return True
    return False


def test_an_answer_with_a_fault_puts_the_cursor_there(hand):
    hand.go("/frames/new/?kind=racket")
    hand.write("#id_length_mm", "long")
    hand.browser.find_element(By.CSS_SELECTOR, "main .btn-primary").click()
    hand.until(lambda: hand.all(".has-fault"))
    hand.until(
        lambda: hand.browser.switch_to.active_element.find_element(
            By.XPATH, "./ancestor::*[contains(@class, 'has-fault')]"
        )
    )
