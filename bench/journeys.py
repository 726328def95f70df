"""How many pages and keys a job takes: .venv/bin/python -m bench.journeys

A browser walks three journeys over the demo workshop, at a desk and on a phone, and counts the
documents it loads, the keys it presses (ticks and buttons apart), and the steps of the job that had
to be called done by hand.
"""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable
from typing import Any

from selenium.common.exceptions import WebDriverException
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from ops.browser import chromium
from ops.demo import served
from ops.postgres import database

COUNT = """
if (location.protocol.startsWith("http")) {
  sessionStorage.loads = Number(sessionStorage.loads ?? 0) + 1;
}
addEventListener("submit", (e) => { window.isSending = !e.defaultPrevented; });
"""
SCREENS = {"desk": (1280, 800), "phone": (390, 844)}
"""All, or those named on the command line."""


def main() -> None:
    with database("postgres-bench"), served(None, reset=True) as address:
        for screen in sys.argv[1:] or SCREENS:
            width, height = SCREENS[screen]
            for name, walk, wanted in (
                ("a racket alone, from the counter to its card", alone, "12 pages, none forced"),
                (
                    "six frames in, matched, fitted, read after, handed over",
                    six,
                    "18 pages, 40 boxes",
                ),
                ("a quick answer, from sign-in", quick, "2 pages, 3 boxes"),
            ):
                walker = Walker(address, width, height)
                try:
                    walk(walker, screen)
                    print(f"{screen}: {name}: {walker.told()} (wanted: at most {wanted})")
                finally:
                    walker.browser.quit()


class Walker:
    """A hand that counts what it does."""

    def __init__(self, address: str, width: int, height: int) -> None:
        from kentrobar.demo.workshop import PASSWORD, USER

        self.browser = chromium(width, height)
        self.address, self.keys, self.boxes, self.forced = address, 0, 0, 0
        self.browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": COUNT})
        self.browser.get(address + "sign-in/")
        self.browser.find_element(By.ID, "id_username").send_keys(USER)
        self.browser.find_element(By.ID, "id_password").send_keys(PASSWORD)
        self.browser.execute_script("sessionStorage.loads = 0")
        self.press("Sign in", ".sign-in .btn")
        self.until(lambda: self.all(".bar"))

    def told(self) -> str:
        forced = f", {self.forced} forced" if self.forced else ", none forced"
        return f"{self.loads()} pages, {self.keys} keys in {self.boxes} boxes{forced}"

    def loads(self) -> int:
        return int(self.browser.execute_script("return sessionStorage.loads"))

    def begin(self, path: str) -> None:
        """Open a page, from which on is counted."""
        self.browser.execute_script("sessionStorage.loads = 0")
        self.browser.get(self.address + path.lstrip("/"))
        self.keys = self.boxes = 0

    def all(self, css: str) -> list[Any]:
        return self.browser.find_elements(By.CSS_SELECTOR, css)

    def until(self, true: Callable[[], Any], seconds: float = 60.0) -> Any:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            try:
                if found := true():
                    return found
            except (WebDriverException, IndexError, StopIteration):
                pass
            time.sleep(0.05)
        stands = " ".join(one.text for one in self.all(".job-next, .messages, .fault"))
        raise TimeoutError(f"{self.browser.current_url}: {stands}")

    def write(self, css: str, text: str) -> None:
        box = self.until(lambda: self.all(css)[0])
        box.send_keys(Keys.CONTROL + "a" + Keys.NULL + text)
        self.keys += len(text)
        self.boxes += 1

    def press(self, text: str, css: str = "button, a") -> None:
        def there() -> bool:
            found = next(
                one for one in self.all(css) if one.is_displayed() and one.text.startswith(text)
            )
            # At once: a page that scrolls smoothly would be sent off anew at every try.
            self.browser.execute_script(
                "arguments[0].scrollIntoView({block: 'center', behavior: 'instant'})", found
            )
            found.click()
            return True

        self.until(there)
        self.until(lambda: not self.browser.execute_script("return window.isSending"))

    def signed_off(self) -> None:
        """Every step of the bench sheet ticked, and the sheet signed off."""
        for key in self.until(lambda: [one.get_attribute("id") for one in self.all(".step-tick")]):

            def tick(key: str = key) -> bool:
                box = self.all(f"#{key}")[0]
                if box.get_attribute("aria-pressed") != "true":
                    self.browser.execute_script("arguments[0].click()", box)
                    time.sleep(0.15)
                return self.all(f"#{key}")[0].get_attribute("aria-pressed") == "true"

            self.until(tick)
        self.press("Sign off", "button")
        self.until(lambda: self.all(".messages"))


def alone(walker: Walker, screen: str) -> None:
    """One racket nobody knew: taken in with its figures, advised, made, read again, handed over."""
    walker.begin("/jobs/new/")
    walker.write("#j-who", f"Hild Arran, {screen}")
    walker.write("[name=new-0-model]", "Petrel 98")
    for name, text in (("mass_g", "301.2"), ("balance_mm", "324"), ("swing_kgcm2", "296")):
        walker.write(f"[name=new-0-{name}]", text)
    walker.press("Twists in my hand", ".say-word span")
    walker.press("Check in", "button")
    walker.press("Advice for", ".acts button")
    walker.press("Find recipes for it", "button")
    walker.press("Plan it", "#plan-1")
    walker.press("Bench sheet", ".strip a")
    walker.signed_off()
    board = walker.browser.current_url
    walker.press("Frame", ".strip a")
    predicted = _predicted(board)
    for name, value in predicted.items():
        walker.write(f"#reading-{name}", f"{value:.1f}")
    walker.press("Save", ".frame-read button")
    walker.press(f"Hild Arran, {screen}", ".thread a")
    walker.press("Hand over", "button")
    walker.until(lambda: "handed over" in walker.all(".head")[0].text)
    walker.forced = _forced()


def six(walker: Walker, screen: str) -> None:
    """Six frames in the grid, matched at once, each fitted, all read after on their set."""
    walker.begin("/jobs/new/")
    walker.write("#j-who", f"Edda Five, {screen}")
    walker.write("#j-said", "six to play alike")
    for i in range(6):
        row = f"[name=new-{i}-"
        if i == 0:
            walker.write(f"{row}model]", "Gull 100")
            walker.write(f"{row}serial]", "G1")
        figures = (300.0 + 0.7 * i, 322.0 - 0.4 * i, 300.0 + 0.5 * i)
        for name, value in zip(("mass_g", "balance_mm", "swing_kgcm2"), figures, strict=True):
            walker.write(f"{row}{name}]", f"{value:.1f}")
        walker.all(f"{row}swing_kgcm2]")[0].send_keys(Keys.ENTER)
    walker.press("Check in", "button")
    walker.press("Match the set", ".acts button")
    walker.until(lambda: "% sure" in walker.all("#answer")[0].text)
    walker.press("Make all plans", "button")
    walker.press("Bench sheet", ".lane-row a")
    walker.signed_off()
    while to_do := walker.until(lambda: walker.all(".set-sheets")) and walker.all(
        ".set-sheets a[href*=sheet]:not(:has(+ .word))"
    ):
        walker.press(to_do[0].text, ".set-sheets a")
        walker.signed_off()
    walker.press("Set", ".set-sheets a")
    walker.until(lambda: walker.all(".set-read"))
    for key, after in _planned().items():
        for name, value in after.items():
            walker.write(f"[name=after-{key}-{name}]", f"{value:.1f}")
    walker.press("Save readings", "button")
    walker.press(f"Edda Five, {screen}", ".thread a")
    walker.press("Hand over", "button")
    walker.until(lambda: "handed over" in walker.all(".head")[0].text)
    walker.forced = _forced()


def quick(walker: Walker, screen: str) -> None:
    """From the page after sign-in to what 5 g do."""
    walker.boxes = walker.keys = 0
    walker.press("Quick answer", "a")
    walker.write("#q-mass_g", "300")
    walker.write("#q-grams", "5")
    walker.until(lambda: len(walker.all(".quick-row")) >= 6)


def _predicted(address: str) -> dict[str, float]:
    """What the plan of a bench sheet comes to."""
    from kentrobar.plans.models import Plan

    pk = int(address.rstrip("/").split("/")[-2])
    return _comes_to(Plan.objects.get(pk=pk))


def _comes_to(plan: Any) -> dict[str, float]:
    from kentrobar.core.frame.predict import predict
    from kentrobar.core.quantities import NEEDED, plain_figures

    return plain_figures(predict(plan.to_plan()).after.plain, 100.0, NEEDED)


def _planned() -> dict[int, dict[str, float]]:
    """By key of a frame: what the plans of the newest job come to."""
    from kentrobar.workshop.models import Job

    job = Job.objects.latest("pk")
    plans = {one.frame_id: one.frame.plans.first() for one in job.taken_in.all()}
    return {key: _comes_to(plan) for key, plan in plans.items() if plan}


def _forced() -> int:
    """Steps of the newest job that somebody had to give a reason for."""
    from kentrobar.workshop.advance import PASSED
    from kentrobar.workshop.models import Job

    by_itself = {why for _, why in PASSED.values()}
    steps = Job.objects.latest("pk").steps.exclude(reason="")
    return sum(step.reason not in by_itself for step in steps)


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kentrobar.site.settings")
    main()
