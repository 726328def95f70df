"""A camera held at the swing. The browser plays a film for one, and falls behind where much else is
done: what it shows then swings slower than it was made, by as much as it shows fewer pictures."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from kentrobar.demo import workshop as demo
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Recording
from ops.browser import chromium
from tests.core.films import written

from .conftest import Hand, sign_in
from .test_films import SWING

pytestmark = pytest.mark.django_db(transaction=True)


RATE = 30
COUNT = """const view = document.getElementById("film-view");
    window.shown = [];
    setInterval(() => {
        const track = view.srcObject?.getVideoTracks()[0];
        if (track?.readyState === "live")
            window.shown.push([performance.now() / 1000, track.stats.totalFrames]);
    }, 50);"""


def pictures_a_second(shown, seconds):
    """The fewest and the most of the film that was played for a camera, over any stretch so long:
    the player stumbles where the machine is busy, and nobody tells which stretch was filmed."""
    at, count = np.array(shown).T
    begins = np.arange(at[0], max(at[-1] - seconds, at[0]) + 0.5, 0.5)
    stretches = [(at >= begin) & (at < begin + seconds) for begin in begins]
    rates = [np.polyfit(at[one], count[one], 1)[0] for one in stretches]
    return min(rates), max(rates)


def test_a_camera_held_at_the_swing_stops_by_itself(live_server, tmp_path):
    demo.load()
    scene = replace(SWING, width=160, height=90, seconds=24.0, noise=2.0, blur_s=0.0)
    seen = written(scene, tmp_path / "seen.mjpeg", "mjpeg", Fraction(1, RATE))
    browser = chromium(camera=str(seen))
    try:
        hand = Hand(browser, live_server.url)
        sign_in(hand)
        frame = Frame.objects.get(serial="no. 07")
        hand.go(f"/frames/{frame.pk}/film/?method=pendulum&quantity=swing_kgcm2")
        browser.execute_script(COUNT)
        hand.press("Start the camera", "button")
        hand.until(lambda: "more" in hand.find("#film-words").text)
        hand.until(lambda: hand.find("#film-go").text.startswith("Start"), seconds=180)
        hand.until(lambda: "It swung" in hand.find("#film-answer").text)
        found = Recording.objects.get().found
        shown = browser.execute_script("return window.shown")
        fewest, most = pictures_a_second(shown, found["seconds"])
        assert found["period_s"] * fewest / RATE < 1.3826 + 0.003
        assert found["period_s"] * most / RATE > 1.3826 - 0.003
        assert hand.complaints() == []
    finally:
        browser.quit()
