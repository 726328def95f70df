"""bin/shots: the pictures in docs/screenshots/, taken from fresh demo data in its own database."""

from __future__ import annotations

import os
import sys
import time

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from . import ROOT
from .browser import chromium, resize
from .demo import served
from .postgres import StartError, database

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
    except StartError as trouble:
        print(f"bin/shots: {trouble}", file=sys.stderr)
        return 1
    return 0


def take_all(browser, address: str) -> None:
    from kentrobar.demo.workshop import PASSWORD, USER
    from kentrobar.frames.models import Frame
    from kentrobar.plans.models import Plan

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

    browser.get(address + "sign-in/")
    find("#id_username").send_keys(USER)
    find("#id_password").send_keys(PASSWORD)
    find(".sign-in .btn").click()
    time.sleep(0.6)
    take("frames", "")
    tern = Frame.objects.get(serial="no. 07")
    take("frame", f"frames/{tern.pk}/")
    take("plan", plan("Sides, tip and putty") + "?pick=p2")
    take("plan-phone", plan("Sides, tip and putty") + "?pick=p2", PHONE)
    recipes(browser, address, take, find)
    workshop(browser, address, take, find)
    measuring(browser, address, take, find)


def recipes(browser, address: str, take, find) -> None:
    """A wish reached, a set, advice, a quick answer, feel."""
    from kentrobar.frames.models import Frame
    from kentrobar.recipes.models import Match

    def wish(figure: str, words: str) -> None:
        find(f"#wish-goal-{figure}").send_keys(Keys.CONTROL + "a" + Keys.NULL + words + "\t")
        time.sleep(1.2)

    tern, plover = (Frame.objects.get(serial=serial) for serial in ("no. 07", "HP 2231"))
    resize(browser, *WIDE)
    browser.get(f"{address}frames/{tern.pk}/recipes/")
    for figure, words in (
        ("twist_kgcm2", "14 ± 0.2"),
        ("swing_kgcm2", "+8"),
        ("balance_mm", "keep"),
    ):
        wish(figure, words)
    find("#site-shoulders").click()
    time.sleep(1.2)
    take("recipes")
    browser.get(address.rstrip("/") + Match.objects.get().get_absolute_url())
    find("#find").click()
    for _ in range(100):
        time.sleep(1)
        if browser.find_elements("css selector", ".lane-vial .vial"):
            break
    take("set")
    take("advice", f"frames/{plover.pk}/advice/?w=depth&w=slow")
    take("quick", "quick/?shape=racket-98&mass_g=300+g&grams=5&wants=twists")
    laid = tern.plans.get(name="Sides, tip and putty")
    take("feel", f"frames/{tern.pk}/feel/?with=plan:{laid.pk}")


def workshop(browser, address: str, take, find) -> None:
    """The counter, the bench, a job, a sheet, a trial with a piece that is too heavy, the shelf."""
    from kentrobar.plans.models import Plan
    from kentrobar.workshop.models import Job

    counter(browser, address, take, find)
    take("bench", "bench/")
    take("job", f"jobs/{Job.objects.get(said='five to play alike').pk}/")
    plan = Plan.objects.get(name="Sides, tip and putty")
    resize(browser, *WIDE)
    browser.get(f"{address}plans/{plan.pk}/sheet/")
    for key in ("look", "clean"):
        find(f"#step-{key}").click()
        time.sleep(0.5)
    take("sheet")
    browser.get(f"{address}plans/{plan.pk}/trial/")
    read = {
        "mass_g": "326.3 ± 0.1",
        "balance_mm": "322.3 ± 0.3",
        "swing_kgcm2": "325.8 ± 0.4",
        "twist_kgcm2": "13.9",
    }
    for name, text in read.items():
        find(f"#t-{name}").send_keys(text)
    find(".trial-form .btn-primary").click()
    time.sleep(2)
    take("trial")
    take("stock", "stock/")


def counter(browser, address: str, take, find) -> None:
    """A customer who is known, with three new frames typed in the grid."""
    resize(browser, *WIDE)
    browser.get(f"{address}jobs/new/")
    find("#j-who").send_keys("Matis Ould")
    find("#j-said").send_keys("two more like my old one")
    find(".say-word span").click()
    find("[name=new-0-model]").send_keys("Plover Tour")
    find("[name=new-0-serial]").send_keys("P4")
    for i, figures in enumerate((("312.4", "319", "322"), ("310.9", "320.5", "320"))):
        for name, text in zip(("mass_g", "balance_mm", "swing_kgcm2"), figures, strict=True):
            find(f"[name=new-{i}-{name}]").send_keys(text)
        find(f"[name=new-{i}-mass_g]").send_keys(Keys.ENTER)
    time.sleep(1.0)
    take("counter")


def measuring(browser, address: str, take, find) -> None:
    """The Measure view with the simulators at work."""
    from kentrobar.core.io.plans import dump_frame
    from kentrobar.demo.simulators import order
    from kentrobar.frames.models import Frame

    blank, read = (Frame.objects.get(serial=serial) for serial in ("no. 23", "no. 11"))
    port = int(os.environ["KENTROBAR_SIMULATORS"])
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
    filmed(browser, f"{address}frames/{read.pk}/film/?method=pendulum", take, find)
    set_up(browser, address, Frame.objects.get(serial="no. 07"), take, find)
    take("instruments", "instruments/")


def filmed(browser, there: str, take, find) -> None:
    """A swing weight from a film of the swing."""
    import tempfile

    from tests.core.films import Scene, written

    scene = Scene(period_s=1.361, seconds=20.0, width=240, height=136, hand_s=2.0)
    with tempfile.TemporaryDirectory() as folder:
        browser.get(there)
        find("#film-file").send_keys(str(written(scene, f"{folder}/swing.mp4")))
        find("#film-form .btn-primary").click()
        for _ in range(60):
            time.sleep(0.5)
            if browser.find_elements(By.CSS_SELECTOR, ".film-period"):
                break
    take("film")


def set_up(browser, address: str, frame, take, find) -> None:
    """A search on court, some pairs on, of a player who likes a heavier swing."""
    from kentrobar.workshop import setup_search
    from kentrobar.workshop.models import SetupSearch

    browser.get(f"{address}frames/{frame.pk}/set-ups/")
    find(".row-end .btn-primary").click()
    time.sleep(3.0)
    row = SetupSearch.objects.get()
    for last in range(3):
        row.content["fitted"] = len(row.sessions)
        row.save()
        said = []
        for i, (a, b) in enumerate(row.sessions[last]):
            d = 2 * (row.places()[a][2] - row.places()[b][2])
            word = "same" if abs(d) < 0.5 else "better" if d > 0 else "worse"
            said.append({"session": last, "pair": i, "said": word})
        setup_search.keep_answers(row, said)
        if row.is_answered:
            break
    take("set-up", f"set-ups/{row.pk}/")


if __name__ == "__main__":
    sys.exit(main())
