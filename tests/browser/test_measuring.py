"""Measuring in Chromium: by devices alone, by hand, from a recording; slips named; a line
unplugged."""

import math
import random
import re

import pytest
from selenium.webdriver.support.ui import Select

from kentrobar.core.measure.pendulum import pendulum_period
from kentrobar.demo import simulators
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Recording
from ops.browser import resize
from tests.core.frames import TERN

from . import readings
from .readings import keep, result

pytestmark = pytest.mark.django_db(transaction=True)
NAME = "Tern 98 · no. 23"


def truth() -> tuple[float, float, float, float]:
    """What the demo's unmeasured Tern truly is, as played."""
    body = simulators.bare_body(NAME, TERN) + simulators.parts_body(
        ["strings", "overgrip", "dampener"], TERN
    )
    return tuple(x.nominal_value if hasattr(x, "nominal_value") else x for x in
                 (body.mass, body.balance, body.swing(100) / 1e5, body.twist / 1e5))  # fmt: skip


def tern() -> Frame:
    return Frame.objects.get(serial="no. 23")


def measure(hand, quantity="", method="", frame=None):
    readings.measure(hand, frame or tern(), quantity, method)


def asked(hand) -> str:
    return hand.find(".ask-word").text


def put(hand, station):
    """By the panel, like anybody."""
    hand.go(f"/simulators/?frame={tern().pk}")
    hand.press(station)
    hand.until(lambda: hand.all(".messages .message"))


def test_a_baseline_from_an_empty_frame_by_devices_alone(hand, standing):
    mass, balance, swing, twist = truth()
    put(hand, "On the scale")
    measure(hand)
    hand.until(lambda: "Mass is missing" in asked(hand))
    hand.until(lambda: "at rest" in hand.find(".live-say").text, "the scale does not come to rest")
    for count in (1, 2, 3):
        hand.key("k")
        hand.until(
            lambda n=count: len(hand.find("#m-readings").get_attribute("value").split()) == n
        )
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"))
    assert result(hand) == pytest.approx(mass, abs=0.3)
    keep(hand)
    hand.until(lambda: "Balance is missing" in asked(hand))
    put(hand, "On two supports")
    measure(hand, "balance_mm", "two-scales")
    left, right = hand.all(".live")
    for live, box in ((left, "#m-m1"), (right, "#m-m2")):
        hand.until(lambda live=live: "at rest" in live.text)
        hand.click(live.find_element("css selector", ".btn-primary"))
        hand.until(lambda box=box: hand.find(box).get_attribute("value"))
    hand.until(lambda: len(hand.all("#outcome .result .figure")) == 2)
    assert result(hand) == pytest.approx(balance, abs=0.8)
    keep(hand)
    put(hand, "In the machine, face upright")
    measure(hand)
    hand.until(lambda: "Swing weight is missing" in asked(hand))
    for count in (1, 2, 3):
        hand.until(lambda: "at rest" in hand.find(".live-say").text)
        hand.key("k")
        hand.until(
            lambda n=count: len(hand.find("#m-readings").get_attribute("value").split()) == n
        )
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"))
    assert result(hand) == pytest.approx(swing, abs=1.5)  # its drift of 0.7 is taken off
    keep(hand)
    hand.until(lambda: "Complete" in asked(hand))
    put(hand, "On two threads")
    measure(hand, "twist_kgcm2", "bifilar")
    for box, text in (
        ("#m-spacing_top", "236"),
        ("#m-spacing_bottom", "236"),
        ("#m-thread", "800 ± 0.5 mm"),
        *WIDE,
    ):
        hand.write(box, text)
    hand.until(
        lambda: re.search(r"1\d passes", hand.find(".live-say").text.replace("\n", " ")),
        "too few passes",
    )
    hand.key("k")
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"))
    assert result(hand) == pytest.approx(twist, abs=0.25)
    keep(hand)
    frame = tern()
    assert frame.figures()[0].is_complete
    by_devices = frame.readings.filter(quantity__in=["swing_kgcm2", "twist_kgcm2"])
    assert {one.use.instrument.name for one in by_devices} == {"Gannet machine", "Light gate"}


def test_planned_fitted_and_read_again_closes_on_one_machine(hand, standing):
    """Measure, plan, fit, measure: what was predicted is read."""
    from kentrobar.core.frame.predict import predict
    from kentrobar.plans.models import Plan

    plan = Plan.objects.get(name="Sides, tip and putty")
    standing.put("scale", pieces=plan.content["pieces"])
    measure(hand, "mass_g", "scale", plan.frame)
    hand.until(lambda: "at rest" in hand.find(".live-say").text)
    hand.key("k")
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"))
    assert result(hand) == pytest.approx(predict(plan.to_plan()).after.mass.nominal_value, abs=0.5)


WIDE = (("#m-amplitude", "6 ± 2°"), ("#m-amplitude_end", "4 ± 2°"))
"""A hand's breadth at first, as the page asks."""
TAP = """
// Taps that say themselves when they came: a slow machine must not make an unsteady hand.
const [gap, count, doubled] = arguments;
const began = performance.now();
const fire = (at) => {
  const tap = new KeyboardEvent("keydown", { key: " ", bubbles: true });
  Object.defineProperty(tap, "timeStamp", { value: began + at });
  document.body.dispatchEvent(tap);
};
for (let i = 0; i < count; i++) {
  setTimeout(() => {
    fire(i * gap);
    if (doubled && i === doubled) fire(i * gap + 110);
  }, 30 + i * 150);
}
"""


def test_a_baseline_by_hand_with_the_tap_timer(hand):
    measure(hand)
    Select(hand.find("#m-instrument")).select_by_visible_text("Kitchen scale")
    hand.write("#m-readings", "317 317 318")
    hand.until(lambda: "3 readings" in hand.find("#outcome").text)
    assert "was last checked 210 days ago" in hand.find("#outcome").text
    keep(hand)
    measure(hand, "balance_mm", "knife-edge")
    hand.write("#m-readings", "323 323.5 330 323")
    hand.until(
        lambda: "stands apart" in hand.find("#outcome").text, "the odd one was not pointed out"
    )
    hand.click(hand.find("[data-aside]"))
    assert hand.browser.switch_to.active_element.get_attribute("id") == "m-set_aside"
    hand.browser.switch_to.active_element.send_keys("slipped off the edge")
    hand.until(lambda: "aside: slipped off the edge" in hand.find("#outcome").text)
    keep(hand)
    measure(hand, "swing_kgcm2", "pendulum")
    for box, text in WIDE:
        hand.write(box, text)
    hand.write_and_leave("#m-goal", "2.5")
    gap = pendulum_period(317.3, 323.2, 156.6, 644) / 2
    hand.browser.execute_script("document.activeElement.blur()")
    hand.browser.execute_script(TAP, gap * 1000, 9, 5)
    hand.until(
        lambda: "looks like a double" in hand.find("#outcome").text, "the double tap was not found"
    )
    hand.until(lambda: hand.find("#tap-count").text == "10")
    hand.press("Set it aside", "#outcome button")
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"))
    assert len(hand.all(".plot-dot")) == 9
    early = result(hand)
    # Again, and this time on to where it is good enough.
    hand.press("Start over", "button")
    hand.browser.execute_script("document.activeElement.blur()")
    hand.browser.execute_script(TAP, gap * 1000, 26, 0)
    hand.until(lambda: hand.all("#outcome .is-enough"), "never good enough", seconds=60)
    assert "Good enough: stop here" in hand.find("#outcome").text
    taken = int(hand.find("#tap-count").text)
    assert taken >= 10
    # It has stopped: another pass no longer counts.
    hand.key(" ")
    assert int(hand.find("#tap-count").text) == taken
    assert result(hand) == pytest.approx(early, abs=8)
    assert result(hand) == pytest.approx(156.6 + 317.3 * 223.2**2 / 1e5, abs=4)
    keep(hand)
    hand.until(lambda: "Complete" in asked(hand))
    swing = tern().readings.get(quantity="swing_kgcm2")
    assert len(swing.raw["tap_times_s"]) == taken


def test_a_baseline_from_a_recording(hand, tmp_path):
    hand.go(f"/frames/{tern().pk}/measure/?method=told")
    for box, text in (("#reading-mass_g", "317.4 ± 0.1 g"), ("#reading-balance_mm", "32.3 cm")):
        hand.write(box, text)
    hand.press("Save", ".told button")
    hand.until(lambda: "Swing weight" in asked(hand))
    period = pendulum_period(317.4, 323.0, 157.0, 644)
    rng = random.Random(8)
    good, bad = tmp_path / "swing.csv", tmp_path / "pocket.csv"
    rows = [
        (i / 50, math.exp(-0.02 * i / 50) * math.cos(2 * math.pi * i / 50 / period))
        for i in range(1500)
    ]
    good.write_text(
        "Elapsed (s);wx\n" + "\n".join(f"{t:.3f};{x + rng.gauss(0, 0.05):.4f}" for t, x in rows)
    )
    bad.write_text("t,x\n" + "\n".join(f"{t:.3f},{rng.gauss(0, 1):.4f}" for t, _ in rows))
    measure(hand, "swing_kgcm2", "pendulum")
    hand.press("Recording", "summary")
    hand.find("#motion").send_keys(str(bad))
    hand.click(hand.find("#read-motion"))
    hand.until(lambda: "pocket.csv was not taken" in hand.find("#main").text)
    hand.press("Recording", "summary")
    hand.find("#motion").send_keys(str(good))
    hand.click(hand.find("#read-motion"))
    hand.until(lambda: "The period comes from the recording" in hand.find("#main").text)
    for box, text in WIDE:
        hand.write_and_leave(box, text)
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)") and hand.all(".plot-fitted"))
    hand.until(lambda: "was not written" not in hand.find("#outcome").text)
    assert result(hand) == pytest.approx(157 + 317.4 * 223**2 / 1e5, abs=2)
    keep(hand)
    hand.until(lambda: "Complete" in asked(hand))
    assert Recording.objects.get().reading.quantity == "swing_kgcm2"


SLIPS = [
    ("mass_g", "scale", {"readings": "314.4 314.4"}, "As if without its overgrip"),
    ("mass_g", "scale", {"readings": "310.9"}, "As if without its butt cap"),
    ("mass_g", "scale", {"readings": "11.28"}, "Did you mean"),
    ("mass_g", "scale", {"readings": "3199"}, "ten times too large"),
    ("mass_g", "scale", {"readings": "391.9"}, "Two digits may have changed places"),
    ("balance_mm", "knife-edge", {"readings": "32.2"}, "Did you mean"),
    ("swing_kgcm2", "machine", {"readings": "331.9", "drift": "0"}, "as if clamped face-flat"),
    ("swing_kgcm2", "machine", {"readings": "398.5", "drift": "0"}, "about 50 mm: which axis"),
]


def test_each_kind_of_slip_is_named_as_it_is_typed(hand):
    frame = Frame.objects.get(serial="no. 11")
    for quantity, method, typed, says in SLIPS:
        measure(hand, quantity, method, frame)
        for name, text in typed.items():
            hand.write(f"#m-{name}", text)
        hand.until(lambda says=says: says in hand.find("#outcome").text, f"“{says}” was not said")
    before = frame.readings.count()
    hand.click(hand.find("#keep"))
    hand.until(lambda: hand.all(".has-fault"))
    assert hand.browser.switch_to.active_element.get_attribute("id") == "m-readings"
    assert "398.5" in hand.find("#m-readings").get_attribute("value")
    assert frame.readings.count() == before
    # The neighbouring box shows where several figures are written down together.
    measure_told = f"/frames/{tern().pk}/measure/?method=told"
    hand.go(measure_told)
    for box, text in (
        ("mass_g", "320"),
        ("balance_mm", "322"),
        ("swing_kgcm2", "13.5"),
        ("twist_kgcm2", "318"),
    ):
        hand.write(f"#reading-{box}", text)
    hand.press("Save", ".told button")
    hand.until(lambda: "gone into each other" in hand.find("#main").text)


def test_a_device_unplugged_in_mid_reading(hand, standing):
    standing.put("scale", name=NAME)
    measure(hand, "mass_g", "scale")
    hand.until(lambda: "at rest" in hand.find(".live-say").text)
    hand.key("k")
    hand.until(lambda: hand.find("#m-readings").get_attribute("value"))
    first = hand.find("#m-readings").get_attribute("value")
    standing.fault("scale", "unplugged")
    hand.until(lambda: "was unplugged while it was being read" in hand.find(".live-say").text)
    hand.key("k")
    hand.until(lambda: "unplugged" in hand.find("#live-refused").text)
    assert hand.find("#m-readings").get_attribute("value") == first
    standing.fault("scale", "frozen")
    hand.until(
        lambda: (
            "Waiting" in hand.find(".live-say").text
            or "said nothing" in hand.find(".live-say").text
        )
    )
    standing.fault("scale", "none")
    hand.until(lambda: "at rest" in hand.find(".live-say").text)
    hand.key("k")
    hand.until(lambda: len(hand.find("#m-readings").get_attribute("value").split()) == 2)
    keep(hand)


def test_a_draft_survives_a_closed_page_and_a_phone_takes_taps(hand):
    measure(hand, "mass_g", "scale")
    hand.write("#m-readings", "317.2 317.3")
    hand.until(lambda: "2 readings" in hand.find("#outcome").text)
    hand.go("/plans/")
    measure(hand, "mass_g", "scale")
    assert hand.find("#m-readings").get_attribute("value") == "317.2 317.3"
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"))
    resize(hand.browser, 390, 844)
    measure(hand, "swing_kgcm2", "pendulum")
    wide = hand.browser.execute_script("return document.documentElement.scrollWidth")
    assert wide <= 390
    assert hand.find("#tap").size["height"] >= 100
    for count in (1, 2):
        hand.click(hand.find("#tap"))
        assert hand.find("#tap-count").text == str(count)
    hand.press("Last tap off", "button")
    assert hand.find("#tap-count").text == "1"


def test_three_measures_make_an_outline(hand):
    hand.go("/frames/new/?kind=racket")
    hand.write("#id_model", "Knot")
    hand.write("#id_length_mm", "27.5 in")
    assert hand.all('.dim[data-dim="length_mm"].is-lit')
    hand.find("#id_length_mm").send_keys("\n")
    hand.until(lambda: hand.browser.switch_to.active_element.get_attribute("id") == "id_width_mm")
    hand.until(lambda: hand.all('.dim[data-dim="width_mm"].is-lit'))
    hand.until(lambda: hand.find("#id_widest_mm").get_attribute("value") != "519.0 mm")
    hand.press("Save frame", "button")
    hand.until(lambda: hand.all(".frame-grid"))
    assert Frame.objects.get(model="Knot").length_mm == pytest.approx(698.5)
