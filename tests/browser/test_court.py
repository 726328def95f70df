"""A search for a set-up on a phone on court, with the connection cut in the middle."""

import pytest
from selenium.webdriver.support.ui import Select

from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.workshop.models import SetupSearch
from ops.browser import resize

pytestmark = pytest.mark.django_db(transaction=True)
OFF = {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0}
ON = {"offline": False, "latency": 0, "downloadThroughput": -1, "uploadThroughput": -1}


def likes_more_plough(search, cover):
    """By the covers on the phone; a player would feel it."""
    names = {search.cover(one): one for pairs in search.sessions for pair in pairs for one in pair}
    return search.content["setups"][names[cover]]["place"][2]


def play(hand, search):
    """Answer the pair on the phone as a player would who likes a heavier swing."""
    first, second = [one.text for one in hand.all("#court-which b")]
    d = likes_more_plough(search, second) - likes_more_plough(search, first)
    word = "the same" if abs(d) < 0.3 else "better" if d > 0 else "worse"
    before = hand.find("#court-count").text
    hand.press(word, ".court-said button")
    hand.until(lambda: hand.find("#court-count").text != before)


def test_a_set_up_is_found_on_court_though_the_connection_is_cut(hand):
    frame = Frame.objects.get(serial="no. 07")
    hand.go(f"/frames/{frame.pk}/set-ups/")
    Select(hand.find("#u-tape")).select_by_index(0)
    hand.write("#u-pairs", "3")
    hand.press("Begin", "button")
    hand.until(lambda: hand.all(".setup-pair"))
    search = SetupSearch.objects.get()
    assert len(hand.all(".setup-pair")) == 3
    assert hand.all(".setup-pair li li")
    plans = Plan.objects.count()
    resize(hand.browser, 390, 844)
    hand.go(f"/court/{search.token}/")
    hand.until(lambda: "The bench fits the next" in hand.find("#court-note").text)
    hand.go(f"/set-ups/{search.pk}/")
    hand.press(f"{search.cover(search.sessions[0][0][0])} is fitted: ask the player", "button")
    hand.until(lambda: SetupSearch.objects.get().is_fitted)
    SetupSearch.objects.update(content=SetupSearch.objects.get().content | {"fitted": 99})
    hand.go(f"/court/{search.token}/")
    hand.until(lambda: hand.all("#court-which b"))
    play(hand, search)
    hand.until(lambda: len(SetupSearch.objects.get().answers) == 1)
    hand.browser.execute_cdp_cmd("Network.enable", {})
    hand.browser.execute_cdp_cmd("Network.emulateNetworkConditions", OFF)
    play(hand, search)
    first = hand.find("#court-which b").text
    assert first
    hand.until(lambda: "waits here" in hand.find("#court-note").text)
    hand.press("the same", ".court-said button")
    hand.until(lambda: not hand.find("#court-which").is_displayed())
    assert len(SetupSearch.objects.get().answers) == 1
    hand.browser.execute_cdp_cmd("Network.emulateNetworkConditions", ON)
    hand.until(lambda: len(SetupSearch.objects.get().answers) == 3)
    # The next sessions are drawn, and come to the phone by themselves.
    while is_asked_more(hand):
        search.refresh_from_db()
        play_or_end(hand, search)
    width = hand.browser.execute_script("return document.documentElement.scrollWidth")
    assert width <= 390
    resize(hand.browser, 1280, 800)
    hand.go(f"/set-ups/{search.pk}/")
    assert "Stop:" in hand.find(".setup-verdict").text
    hand.press("Make a plan of it", "button")
    hand.until(lambda: hand.all("#board"))
    assert Plan.objects.count() == plans + 1
    hand.complaints()


def is_asked_more(hand):
    """Whether another pair comes; between two sessions there is neither a pair nor an end."""
    which, note = hand.find("#court-which"), hand.find("#court-note")
    hand.until(lambda: which.is_displayed() or "That was all" in note.text)
    return which.is_displayed()


def play_or_end(hand, search):
    """As ``play``; after the last pair nothing more is asked."""
    given = len(SetupSearch.objects.get().answers)
    first, second = [one.text for one in hand.all("#court-which b")]
    d = likes_more_plough(search, second) - likes_more_plough(search, first)
    hand.press("the same" if abs(d) < 0.3 else "better" if d > 0 else "worse", ".court-said button")
    hand.until(lambda: len(SetupSearch.objects.get().answers) > given)
