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
    """Of the film that was played for a camera, over that time from its first picture."""
    at, count = np.array([one for one in shown if one[0] < shown[0][0] + seconds]).T
    return np.polyfit(at, count, 1)[0]


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
        rate = pictures_a_second(browser.execute_script("return window.shown"), found["seconds"])
        # The browser plays to its own clock, which stumbles on a busy machine: how exact a film is
        # read, films with stamps tell.
        assert found["period_s"] * rate / RATE == pytest.approx(1.3826, rel=0.01)
        assert hand.complaints() == []
    finally:
        browser.quit()
