"""bin/shots: the pictures in docs/screenshots/, taken from fresh demo data in its own database."""

from __future__ import annotations

import math
import os
import random
import sys
import tempfile
import time

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By

from . import ROOT
from .browser import chromium, resize
from .demo import served
from .postgres import Trouble, database

FOLDER = ROOT / "docs" / "screenshots"
WIDE, PHONE = (1280, 800), (390, 844)


def main() -> int:
    FOLDER.mkdir(parents=True, exist_ok=True)
    try:
        with database("postgres-shots", durable=False), served(None, reset=True) as address:
            browser = chromium(*WIDE)
            try:
                take_all(browser, address)
            finally:
                browser.quit()
    except Trouble as trouble:
        print(f"bin/shots: {trouble}", file=sys.stderr)
        return 1
    return 0


def take_all(browser, address: str) -> None:
    from kentrobar.frames.models import Frame
    from kentrobar.planning.models import Plan
    from kentrobar.web.demo import PASSWORD, USER

    def plan(name: str) -> str:
        return f"plans/{Plan.objects.get(name=name).pk}/"

    def take(name: str, path: str | None = None, size: tuple[int, int] = WIDE) -> None:
        resize(browser, *size)
        if path is not None:
            browser.get(address + path)
        time.sleep(0.6)
        browser.save_screenshot(str(FOLDER / f"{name}.png"))
        print(f"docs/screenshots/{name}.png")

    def find(css: str):
        return browser.find_element(By.CSS_SELECTOR, css)

    take("sign-in", "sign-in/")
    find("#id_username").send_keys(USER)
    find("#id_password").send_keys(PASSWORD)
    find(".sign-in .btn").click()
    time.sleep(0.6)
    take("frames", "")
    tern = Frame.objects.get(serial="no. 07")
    take("frame", f"frames/{tern.pk}/")
    browser.get(address + "frames/new/?kind=racket")
    find("#id_hoop_base_mm").click()
    take("outline")
    take("plan", plan("Sides, tip and putty") + "?pick=p2")
    take("plan-paddle", plan("Sides, low profile"))
    both = (Plan.objects.get(name=name).pk for name in ("Sides, tip and putty", "Shoulders and leather"))
    take("compare", "plans/compare/?a={}&b={}".format(*both))
    take("plans", "plans/")
    # A wish out of tolerance, one gram too many, and what the last key changed.
    browser.get(address + plan("Tip and butt") + "?pick=p1")
    ActionChains(browser).send_keys("]").perform()
    take("plan-out-of-level")
    take("plan-phone", plan("Sides, tip and putty") + "?pick=p2", PHONE)
    measuring(browser, address, take, find)


def measuring(browser, address: str, take, find) -> None:
    """The Measure view with the stand-ins at work."""
    from kentrobar.core.documents import dump_frame
    from kentrobar.devices.standins import order
    from kentrobar.frames.models import Frame
    from kentrobar.measuring.models import Instrument

    blank, read = (Frame.objects.get(serial=serial) for serial in ("no. 23", "no. 11"))
    port = int(os.environ["KENTROBAR_STANDINS"])
    order(port, {"order": "warm"})
    on = {
        "name": str(blank),
        "frame": dump_frame(blank.outline()),
        "parts": ["strings", "overgrip", "dampener"],
    }
    order(port, {"order": "put", "station": "scale"} | on)
    resize(browser, *WIDE)
    browser.get(f"{address}frames/{blank.pk}/measure/")
    time.sleep(2.5)
    for _ in range(3):
        ActionChains(browser).send_keys("k").perform()
        time.sleep(0.7)
    take("measure")
    swings(browser, f"{address}frames/{read.pk}/measure/?quantity=swing_kgcm2&method=", take, find)
    reading = read.readings.filter(method="scale").first()
    take("reading", f"readings/{reading.pk}/")
    take("conditions", f"frames/{read.pk}/parts/")
    take("instruments", "instruments/")
    take("instrument", f"instruments/{Instrument.objects.get(name='Gannet machine').pk}/")


def swings(browser, there: str, take, find) -> None:
    """A swing weight by taps, from a recording, and off a machine that held the frame flat."""
    from kentrobar.core.measure.pendulum import pendulum_period

    gap = pendulum_period(319.87, 321.8, 160.2, 644) / 2
    rng = random.Random(7)
    taps = " ".join(f"{0.3 + i * gap + rng.gauss(0, 0.012):.4f}" for i in range(36))
    browser.get(there + "pendulum")
    time.sleep(0.6)
    browser.execute_script(
        "const [box, text] = arguments; box.value = text; box.dispatchEvent(new Event('input', {bubbles: true}));"
        "document.getElementById('tap-count').textContent = 36;",
        find("#m-tap_times"), taps,
    )  # fmt: skip
    time.sleep(0.8)
    take("measure-taps")
    resize(browser, *PHONE)
    browser.execute_script(
        "document.getElementById('tap').scrollIntoView({block: 'start', behavior: 'instant'})"
    )
    take("measure-phone", None, PHONE)
    resize(browser, *WIDE)
    find("#tap-again").click()
    with tempfile.NamedTemporaryFile("w", suffix=".csv", prefix="swing-") as file:
        rows = (
            f"{i * 20},{math.exp(-0.0006 * i) * math.cos(math.pi * i / 50 / gap) + rng.gauss(0, 0.06):.4f}"
            for i in range(1300)
        )
        file.write("ms,gyro x\n" + "\n".join(rows))
        file.flush()
        find(".motion summary").click()
        find("#motion").send_keys(file.name)
        browser.execute_script("document.getElementById('read-motion').click()")
        time.sleep(1.5)
    take("measure-recording")
    browser.get(there + "machine")
    find("#m-readings").send_keys("331.8 332.1")
    find("#m-drift").clear()
    time.sleep(0.8)
    take("measure-slip")


if __name__ == "__main__":
    sys.exit(main())
