"""One Chromium for all journeys, a live server on PostgreSQL, and a hand at the bench."""

import re
import time

import pytest
from django.conf import settings as django_settings
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.contrib.staticfiles.handlers import StaticFilesHandler
from django.test import Client
from selenium.common.exceptions import (
    NoSuchElementException,
    StaleElementReferenceException,
    TimeoutException,
    WebDriverException,
)
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from kentrobar.demo import workshop as demo
from kentrobar.demo.instruments import plug_in
from kentrobar.shop.models import forget as forget_shop
from ops.browser import chromium, resize
from tests import emptied
from tests.simulated import Bench, reading
from tests.working import working


@pytest.fixture(scope="session", autouse=True)
def _as_served():
    """Styles and scripts are kept by the browser, as their hashed names let it elsewhere, and pages
    have room."""
    plain = StaticFilesHandler.serve

    def serve(handler, request):
        answer = plain(handler, request)
        answer["Cache-Control"] = "max-age=3600"
        return answer

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(StaticFilesHandler, "serve", serve)
        yield


@pytest.fixture(scope="session", autouse=True)
def _worker(django_db_setup):
    """Who does what pages leave to others."""
    with working():
        yield


@pytest.fixture(scope="session")
def _chromium(tmp_path_factory):
    browser = chromium()
    browser.downloads = tmp_path_factory.mktemp("downloads")
    browser._web_element_cls = Element
    browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": MARK_SENDING})
    yield browser
    browser.quit()


# A form the browser itself sends (htmx prevents that for its own) marks its page until the answer
# replaces it.
MARK_SENDING = "addEventListener('submit', (e) => { window.isSending = !e.defaultPrevented; })"


class Element(WebElement):
    """What is on a page, asked of the page itself: what the driver asks takes it up to 20 ms each
    time, a tenth of all journeys."""

    @property
    def text(self):
        return self.parent.execute_script(TEXT, self)

    def is_displayed(self):
        return self.parent.execute_script(f"return {SEEN.format('arguments[0]')}", self)

    def get_attribute(self, name):
        if name in ("value", "textContent", "open"):
            return self.get_property(name)
        if name == "index":  # as a list of choices asks for it
            return str(self.get_property(name))
        return self.get_dom_attribute(name)


SEEN = "({0}.checkVisibility({{visibilityProperty: true}}) && {0}.getClientRects().length > 0)"
TEXT = f"""const [one] = arguments, shown = one.closest("select") ?? one;
    return {SEEN.format("shown")} ? (one.innerText ?? one.textContent).trim() : ''"""
# One for all tests: an answer to what a browser asked in the test before would take a cookie away
# whose session is gone.
KEY = "of-a-browser-that-signed-in-before"
# The first that is seen and begins so.
SAYING = f"""return [...document.querySelectorAll(arguments[0])].find((one) =>
    {SEEN.format("one")} && one.innerText.trim().startsWith(arguments[1]))"""
SAID = ".fault, .warn, .message, .live-say, .refused, h1"


class Hand:
    """What a person does on the pages, in their words."""

    def __init__(self, browser, address):
        self.browser, self.address = browser, address

    def go(self, path):
        """Once what was sent is answered: a form still on its way takes the page back, in one of
        seven tries."""
        self.until(
            lambda: not self.browser.execute_script("return window.isSending"), "no answer came"
        )
        self.browser.get(self.address + path)

    def find(self, css, seconds=3):
        """What is there, or comes within a moment: an answer may just be on its way."""
        deadline = time.monotonic() + seconds
        while True:
            found = self.all(css)
            if found:
                return found[0]
            if time.monotonic() > deadline:
                raise NoSuchElementException(f"nothing on the page is {css}")
            time.sleep(0.03)

    def all(self, css):
        return self.browser.find_elements(By.CSS_SELECTOR, css)

    def press(self, text, css="button, a"):
        def there():
            found = self.browser.execute_script(SAYING, css, text)
            if found:
                self.click(found)
            return bool(found)

        self.until(there, f"nothing says {text}")

    def click(self, element):
        """Bring it into sight first: pages scroll smoothly, and the driver does not wait."""
        self.browser.execute_script(
            "arguments[0].scrollIntoView({block: 'center', behavior: 'instant'})", element
        )
        element.click()

    def write(self, css, text):
        # Over what is there, as a person does; clearing first would count as a change of its own.
        self.find(css).send_keys(Keys.CONTROL + "a" + Keys.NULL + text)

    def write_and_leave(self, css, text):
        self.write(css, text)
        self.find(css).send_keys("\t")

    def key(self, keys):
        """Press keys outside any text box."""
        self.browser.execute_script("document.activeElement.blur()")
        ActionChains(self.browser).send_keys(keys).perform()

    def until(self, true, what="", seconds=60):
        def look(_):
            try:
                return true()
            except (
                StaleElementReferenceException,
                NoSuchElementException,
                IndexError,
                StopIteration,
            ):
                return False
            except WebDriverException as error:
                # The page went while it was read: what was found on it is gone as well.
                if "does not belong to the document" not in str(error):
                    raise
                return False

        try:
            return WebDriverWait(self.browser, seconds, poll_frequency=0.05).until(look, what)
        except TimeoutException as late:
            said = [one.text for one in self.all(SAID) if one.is_displayed()]
            raise AssertionError(f"{what or 'nothing came'}; the page says {said}") from late

    def until_done(self, press, is_done, what="", every=6):
        """Press until what it does is done, as a hand would: on a busy machine a figure that was at
        rest may be seconds old, and is then refused."""
        last = 0.0

        def looked():
            nonlocal last
            if is_done():
                return True
            if time.monotonic() - last > every:
                press()
                last = time.monotonic()
            return False

        self.until(looked, what)

    def answered(self, model, act):
        """Do something that searches (a wish's, a set's ``model``) and see the answer to it: what
        the page says until then is of what was asked before."""
        runs = model.objects.values_list("run", flat=True)
        before = max(runs, default=0)
        act()
        self.until(lambda: max(runs.all(), default=0) > before, "nothing was asked")
        at_it = model.objects.filter(status__in=("waiting", "working"))
        self.until(lambda: not at_it.exists(), "no answer")
        run = max(runs.all())
        self.until(lambda: self.all(f"#answer[data-run='{run}']:not(:has(progress))"))
        time.sleep(0.05)

    def figure(self, name):
        return self.find(f"#vial-{name} .figure b").text

    def figures(self):
        return tuple(self.figure(n) for n in ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"))

    def version(self):
        return int(self.find("#board-state").get_attribute("data-version"))

    def settled(self, act):
        """Do something and wait until the board has answered with a newer version."""
        before = self.version()
        act()
        self.until(lambda: self.version() > before, "the board did not answer")
        time.sleep(0.05)

    def at(self, x, y):
        """Where on the page a place on the frame, in mm, lies."""
        return self.browser.execute_script(
            """const svg = document.querySelector('svg.bench'), {x0, y0, k} = svg.dataset;
            const at = new DOMPoint(+x0 + k * arguments[0], +y0 + k * arguments[1]);
            const {x, y} = at.matrixTransform(svg.getScreenCTM());
            return [x, y];""",
            x, y,
        )  # fmt: skip

    def drag(self, start, *stops):
        """Press at one place on the frame, move through others, let go; places in mm."""
        actions = ActionChains(self.browser, duration=30)
        x, y = self.at(*start)
        actions.w3c_actions.pointer_action.move_to_location(round(x), round(y))
        actions.w3c_actions.pointer_action.pointer_down()
        for stop in stops:
            x, y = self.at(*stop)
            actions.w3c_actions.pointer_action.move_to_location(round(x), round(y))
            actions.w3c_actions.pointer_action.pause(0.05)
        actions.w3c_actions.pointer_action.pointer_up()
        actions.perform()

    def complaints(self):
        """What the browser's console has against the pages: nothing, we hope.

        Refusals are answers; a live figure asked for as its page is left (a div asks for it) gets
        none, nor do the words of a vial that was pulled on (an output shows them).
        """
        expected = re.compile(
            r"(status of|Error Code) (422|409)\b"
            r"|htmx:(afterRequest|sendError|sendAbort), \[object HTML(Div|Output)Element\]"
        )
        return [
            entry["message"]
            for entry in self.browser.get_log("browser")
            if entry["level"] == "SEVERE" and not expected.search(entry["message"])
        ]

    def complained(self, of):
        """A complaint that must come, maybe a little after its page; whatever else there was."""
        found = []

        def has_come():
            found.extend(self.complaints())
            return any(of in one for one in found)

        self.until(has_come, f"the browser never said {of}")
        return [one for one in found if of not in one]


@pytest.fixture(autouse=True)
def _nothing_remembered():
    """What this process keeps for a few seconds is of the test before."""
    forget_shop()


def sign_in(hand):
    hand.go("/sign-in/")
    hand.write("#id_username", demo.USER)
    hand.write("#id_password", demo.PASSWORD)
    hand.find(".sign-in .btn").click()
    hand.until(lambda: hand.all("nav[aria-label=Views]"))


def signed_in(hand):
    """As somebody who signed in before: their browser has the cookie."""
    client = Client()
    client.force_login(get_user_model().objects.get(username=demo.USER))
    Session.objects.save(KEY, dict(client.session.items()), client.session.get_expiry_date())
    cookie = {"name": django_settings.SESSION_COOKIE_NAME, "value": KEY, "url": hand.address}
    hand.browser.execute_cdp_cmd("Network.setCookie", cookie | {"httpOnly": True})


@pytest.fixture
def hand(_chromium, live_server):
    emptied.filled(demo.load)
    resize(_chromium, 1280, 800)
    # Anew for each test: the browser forgets it where a window was closed.
    allowed = {"behavior": "allow", "downloadPath": str(_chromium.downloads)}
    _chromium.execute_cdp_cmd("Browser.setDownloadBehavior", allowed)
    _chromium.delete_all_cookies()
    # What pages keep in the browser is kept by what they are of, and that has the same keys again.
    kept = {"origin": live_server.url, "storageTypes": "local_storage,service_workers"}
    _chromium.execute_cdp_cmd("Storage.clearDataForOrigin", kept)
    hand = Hand(_chromium, live_server.url)
    hand.complaints()
    signed_in(hand)
    # Something small that is served there: the test begins with a page of its own.
    hand.go("/static/hands.css")
    _chromium.execute_script("sessionStorage.clear()")
    yield hand
    complaints = hand.complaints()
    # A page that asks for live figures must not reach into the next test's settings.
    _chromium.get("about:blank")
    assert complaints == []


@pytest.fixture
def standing(hand, settings):
    """The simulator instruments on their lines, read as bin/demo reads them."""
    bench = Bench()
    settings.SIMULATORS = bench.port
    plug_in(bench.port)
    with reading():
        yield bench
    bench.close()
