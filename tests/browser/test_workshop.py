"""Journeys of the workshop: from the counter to the hand-over, a sheet on a phone, a trial, an
answer on court."""

import pytest
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from kentrobar.core.frame.predict import predict
from kentrobar.core.numbers import nominal
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.stock.models import Material
from kentrobar.workshop.models import BlindTrial, Card, Job, Sheet
from ops.browser import resize

pytestmark = pytest.mark.django_db(transaction=True)


def plan_of(name):
    return Plan.objects.get(name=name)


def tick(hand, key):
    def act():
        hand.click(hand.find(f"#step-{key}"))
        return True

    hand.until(act)
    hand.until(
        lambda: hand.find(f"#step-{key}").get_attribute("aria-pressed") == "true",
        f"{key} is not ticked",
    )


def test_a_sheet_is_followed_on_a_phone_and_signed_off(hand):
    plan = plan_of("Sides, tip and putty")
    left = Material.objects.get(name="lead-free tape, 6 mm").left
    resize(hand.browser, 390, 844)
    hand.go(f"/plans/{plan.pk}/sheet/")
    assert hand.browser.execute_script("return document.documentElement.scrollWidth") <= 390
    size = hand.find(".step-tick").size
    assert min(size["width"], size["height"]) >= 48
    text = hand.find("#steps").text
    assert "pierce it crosswise at every hole" in text
    assert "from the tip’s centre" in text
    for key in (
        "look",
        "strings-out",
        "clean",
        "cut",
        "piece-3",
        "piece-1",
        "piece-2",
        "restring",
        "weigh",
    ):
        tick(hand, key)
    hand.until(lambda: "Every step is done" in hand.find("#steps").text)
    hand.press("Sign off", "button")
    hand.until(lambda: "Signed off" in hand.find(".messages").text)
    assert Material.objects.get(name="lead-free tape, 6 mm").left == pytest.approx(
        left - 4 * 76.2 - 101.6
    )
    # The card goes to the player, who has no account.
    hand.press("Make the card", "button")
    hand.until(lambda: hand.all("#link"))
    link = hand.find("#link").get_attribute("value")
    hand.browser.delete_all_cookies()
    hand.browser.get(link)
    hand.until(lambda: "What is fitted" in hand.find("body").text)
    assert "325.8" in hand.find("body").text
    assert hand.browser.execute_script("return document.documentElement.scrollWidth") <= 390
    Card.objects.update(revoked_at="2026-01-01T00:00Z")
    hand.browser.refresh()
    hand.until(lambda: "There is nothing here any more" in hand.find("body").text)
    assert hand.complained("404") == []


def test_a_trial_names_what_is_behind_it_and_plans_the_rest(hand):
    plan = plan_of("Sides, tip and putty")
    hand.go(f"/plans/{plan.pk}/")
    hand.press("Trial", "a")
    hand.until(lambda: hand.all(".trial-form"))
    after = predict(plan.to_plan()).after
    # The overgrip was off when it was read again.
    grip = 5.5
    mass = nominal(after.mass) - grip
    moment = nominal(after.moment) - grip * 97.5
    second = nominal(after.second) - grip * 195**2 / 3
    balance = moment / mass
    swing = (second - 200 * moment + 100**2 * mass) / 1e5
    typed = {
        "mass_g": f"{mass:.1f} ± 0.1",
        "balance_mm": f"{balance:.1f} ± 0.3",
        "swing_kgcm2": f"{swing:.1f} ± 0.3",
    }
    for name, text in typed.items():
        hand.write(f"#t-{name}", text)
    hand.press("Compare", "button")
    hand.until(lambda: hand.all(".suspicions"))
    assert "It does not read as predicted" in hand.find(".trial-answer").text
    assert hand.find(".suspicions li").text.startswith("1 · The overgrip is missing: 5.5 g")
    assert hand.all("[aria-label='On, or enough']")
    # A slip keeps what was typed.
    hand.write("#t-mass_g", "heavier")
    hand.press("Compare", "button")
    hand.until(lambda: hand.all(".trial-form .has-fault"))
    assert hand.find("#t-mass_g").get_attribute("value") == "heavier"


def test_a_job_is_taken_in_and_walks_over_the_bench(hand):
    hand.go("/")
    hand.press("Bench", "nav a")
    hand.until(lambda: hand.all(".board-list"))
    assert "late, was due" in hand.find(".board-list").text
    hand.press("Check in", "a")
    hand.until(lambda: hand.all("#j-who"))
    hand.write("#j-who", "Tove Ould")
    hand.write("#j-said", "slow at the net")
    frame = Frame.objects.get(serial="green dot")
    hand.write("#find", "green dot")
    box = f'input[name=frame][value="{frame.pk}"]'
    hand.until(lambda: hand.click(hand.find(box)) is None)
    hand.until(lambda: hand.all(f"{box}:checked"))
    # Another like it, and one typed in the grid, row after row.
    hand.write("[name=new-0-model]", "Fulmar 100")
    hand.write("[name=new-0-serial]", "F8")
    hand.write("[name=new-0-mass_g]", "302.1" + Keys.ENTER)
    hand.until(lambda: hand.all("[name=new-1-serial]"))
    assert hand.find("[name=new-1-serial]").get_attribute("value") == "F9"
    # The row that came after the last one was not meant.
    hand.browser.switch_to.active_element.send_keys("303.4" + Keys.ENTER)
    hand.until(lambda: hand.all("[name=new-2-serial]"))
    hand.press("Check in", "button")
    hand.until(lambda: hand.all(".step-line, .fault"))
    assert [fault.text for fault in hand.all(".fault")] == []
    job = Job.objects.get(person__name="Tove Ould")
    marks = sorted(one.frame.serial for one in job.taken_in.all())
    assert marks == ["F8", "F9", "green dot"]
    assert hand.find(".step-line .is-next b").text == "measure before"
    # The next act leads into the very place.
    hand.press("Measure balance of Fulmar 100 · F8", "button")
    hand.until(lambda: hand.all(".measure-grid"))
    assert "Tove Ould" in hand.find(".thread").text
    hand.press("Tove Ould", ".thread a")
    hand.until(lambda: hand.all("#otherwise"))
    for step, press, why in (("before", "Done", "his figures"), ("target", "Skip", "on court")):
        hand.until(lambda: hand.all("#otherwise"))
        hand.click(hand.find("#otherwise summary"))
        hand.write("#min-step", "20")
        hand.write("#why-step", why)
        hand.press(press, "#otherwise button")
        hand.until(lambda step=step: job.steps.get(kind=step).status != "open")
    assert job.steps.get(kind="before").minutes == 20
    hand.press("Bench", "nav a")
    hand.until(lambda: "Tove Ould" in hand.find(".bench-grid").text)


def test_a_blind_trial_is_answered_on_court(hand):
    frame = Frame.objects.get(serial="no. 07")
    hand.go(f"/frames/{frame.pk}/history/")
    hand.press("Blind trials of this frame", "a")
    hand.until(lambda: hand.all("#b-first"))
    hand.write("#b-first", "bare")
    hand.write("#b-second", "3 g at the sides")
    hand.write("#b-rounds", "4")
    hand.press("Draw the order", "button")
    hand.until(lambda: hand.all("#link"))
    trial = BlindTrial.objects.get()
    resize(hand.browser, 390, 844)
    hand.browser.get(hand.find("#link").get_attribute("value"))
    for number, truth in enumerate(trial.order, 1):
        hand.until(lambda number=number: f"Round {number} of 4" in hand.find("#court-count").text)
        hand.browser.find_element(By.CSS_SELECTOR, f'button[value="{truth}"]').click()
    hand.until(lambda: "That was all" in hand.find("#court-note").text)
    hand.go(f"/blind-trials/{trial.pk}/")
    assert "4 of 4 told right" in hand.find(".blind-result").text
    assert "0.0625" in hand.find(".blind-result").text


def test_a_table_is_seen_before_it_is_written_and_a_roll_is_weighed(hand):
    hand.go("/data/")
    hand.write(
        "#csv-text",
        "name;serial;mass_g;axis_mm;swing_kgcm2\nTern 98;no. 90;301,5;100;299\nTern 98;no."
        " 91;heavy;;",
    )
    hand.press("Show what would happen", "button")
    hand.until(lambda: "left out: mass_g: “heavy” is no number" in hand.find("main").text)
    assert not Frame.objects.filter(serial="no. 90").exists()
    hand.press("Write 1 row", "button")
    hand.until(lambda: "Written: 1 new frame, 2 readings." in hand.find("#table").text)
    assert Frame.objects.get(serial="no. 90").readings.count() == 2
    roll = Material.objects.get(name="copper tape, 6 mm")
    hand.go(f"/stock/{roll.pk}/")
    for box, text in (("length", "200 mm"), ("mass", "1.02 ± 0.01 g")):
        hand.write(f"#w-{box}", text)
    hand.press("Save", "section[aria-label='Grams per length'] button")
    hand.until(lambda: "from 1 cut weighed here" in hand.find("main").text)
    assert roll.per_length().g_per_mm == pytest.approx(0.0051)
    assert Sheet.objects.count() == 0


VIEWS = (
    "/bench/",
    "/jobs/new/",
    "/stock/",
    "/stock/{material}/",
    "/data/",
    "/frames/{frame}/history/",
    "/frames/{frame}/blind/",
    "/plans/{plan}/trial/",
    "/plans/{plan}/sheet/",
    "/jobs/{job}/",
    "/people/{person}/",
)


def test_the_workshop_fits_a_phone(hand):
    """Nothing sticks out sideways, and what a thumb must hit is as large as a thumb."""
    plan, job = plan_of("Sides, tip and putty"), Job.objects.first()
    keys = {
        "plan": plan.pk, "frame": plan.frame_id, "job": job.pk, "person": job.person_id,
        "material": Material.objects.get(name="tungsten sheet").pk,
    }  # fmt: skip
    resize(hand.browser, 390, 844)
    for view in VIEWS:
        hand.go(view.format(**keys))
        assert hand.find("h1").is_displayed(), view
        wide = hand.browser.execute_script("return document.documentElement.scrollWidth")
        assert wide <= 390, (view, wide)
        low = [
            (button.text, button.size["height"])
            for button in hand.all("main .btn-primary, main .next-step, main .step-tick")
            if button.is_displayed() and button.size["height"] < 30
        ]
        assert low == [], view


def test_what_is_taken_off_comes_off_with_one_press_and_back_with_another(hand):
    plan = plan_of("Sides only, first step")
    hand.go(f"/plans/{plan.pk}/sheet/")
    hand.until(lambda: hand.click(hand.find(".steps [name=override]")) is None)
    hand.press("Sign off", "button")
    hand.until(lambda: "Signed off" in hand.find(".messages").text)
    hand.go(f"/plans/{plan.pk}/")
    hand.press("Delete", "button")
    hand.until(lambda: "take it off on its bench sheet first" in hand.find(".messages").text)
    hand.go(f"/frames/{plan.frame_id}/history/")
    assert plan.name in hand.find("[aria-label='On it now']").text
    hand.press("Take it all off", "button")
    hand.until(lambda: "Taken off again" in hand.find(".messages").text)
    assert Sheet.objects.get(plan=plan).taken_off_at
    hand.press("Undo", ".messages button")
    hand.until(lambda: Sheet.objects.get(plan=plan).taken_off_at is None)
    # A recipe starts from the frame with it on, and says so.
    hand.go(f"/frames/{plan.frame_id}/recipes/")
    hand.until(
        lambda: f"Counted in: {plan.name} on since" in hand.find("#wishing, .wish, main").text
    )


def test_a_table_in_ounces_is_doubted_and_long_ones_show_how_far_they_are(hand):
    hand.go("/data/")
    lines = [
        "name;serial;mass_g",
        "Tern 98;no. 95;10.6",
        *(f"Petrel;p{i};301.5" for i in range(400)),
    ]
    hand.browser.execute_script(
        "arguments[0].value = arguments[1]", hand.find("#csv-text"), "\n".join(lines)
    )
    hand.press("Show what would happen", "button")
    hand.until(lambda: "1 of them is doubtful" in hand.find("#table").text)
    assert "Did you mean 10.6 oz (300.5 g)?" in hand.find("#table").text
    hand.press("Write 401 rows", "button")
    hand.until(lambda: "Written: 401 new frames, 401 readings." in hand.find("#table").text)
    assert Frame.objects.filter(model="Petrel").count() == 400
