"""A phone at the swing: a film handed in, and one of a wall refused."""

from dataclasses import replace

import pytest

from kentrobar.frames.models import Frame, Reading
from ops.browser import resize
from tests.core.films import Scene, written

pytestmark = pytest.mark.django_db(transaction=True)
SWING = Scene(period_s=1.382, seconds=12.0, width=128, height=72)


def hand_in(hand, path):
    hand.find("#film-file").send_keys(str(path))
    hand.press("Look it through", "button")


def test_a_film_handed_in_on_a_phone_becomes_a_reading(hand, tmp_path):
    frame = Frame.objects.get(serial="no. 07")
    resize(hand.browser, 390, 844)
    hand.go(f"/frames/{frame.pk}/measure/?method=pendulum&quantity=swing_kgcm2")
    hand.press("Film the swing", "a")
    hand.until(lambda: hand.all("#film-form"))
    wall = written(replace(SWING, wide_deg=0.0, seconds=5.0), tmp_path / "wall.mp4")
    hand_in(hand, wall)
    hand.until(lambda: "Not taken." in hand.find("#film-answer").text)
    hand_in(hand, written(SWING, tmp_path / "swing.mp4"))
    hand.until(lambda: "It swung" in hand.find("#film-answer").text)
    width = hand.browser.execute_script("return document.documentElement.scrollWidth")
    assert width <= 390
    hand.press("Take it into the reading", "button")
    hand.until(lambda: "from the film" in hand.find("#measure-form").text)
    hand.until(lambda: hand.all("#outcome .figure, #outcome b"))
    hand.click(hand.find("#measure-form .btn-primary"))
    filmed = Reading.objects.filter(frame=frame, raw__has_key="film")
    hand.until(filmed.exists)
    assert filmed.get().value == pytest.approx(314.6, abs=4)
    hand.complaints()
