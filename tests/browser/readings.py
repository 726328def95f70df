"""Taking readings on the pages, by the simulator instruments."""

import time
from functools import partial

from kentrobar.core.io.plans import dump_frame, dump_piece


def measure(hand, frame, quantity="", method=""):
    hand.go(f"/frames/{frame.pk}/measure/?quantity={quantity}&method={method}")
    hand.until(lambda: hand.all("#outcome"))


def result(hand) -> float:
    return hand.until(lambda: float(hand.find("#outcome .result:not(.is-expected) .figure b").text))


def keep(hand):
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"), "no result to keep")
    last = 0.0

    def is_kept():
        nonlocal last
        if hand.all(".message-success"):
            return True
        # The button is drawn anew with every answer: one pressed just then may be gone.
        if time.monotonic() - last > 6:
            hand.click(hand.find("#keep"))
            last = time.monotonic()
        return False

    hand.until(is_kept, "nothing was kept")


def repeated(hand, frame, quantity, method):
    """Three readings of one instrument, taken by key when it is at rest."""
    measure(hand, frame, quantity, method)
    for count in (1, 2, 3):
        hand.until(lambda: "at rest" in hand.find(".live-say").text, "it does not come to rest")
        taken = partial(_are_taken, hand, count)
        pressed(hand, "k", taken, "it was not taken")
    keep(hand)


def _are_taken(hand, count):
    return len(hand.find("#m-readings").get_attribute("value").split()) >= count


def pressed(hand, key, is_done, what=""):
    """Press a key until what it does is done, as a hand would: a figure that was at rest may be
    seconds old on a busy machine, and is then refused."""
    last = 0.0

    def looked():
        nonlocal last
        if is_done():
            return True
        if time.monotonic() - last > 6:
            last = time.monotonic()
            hand.key(key)
        return False

    hand.until(looked, what)


def on_two_supports(hand, frame):
    measure(hand, frame, "balance_mm", "two-scales")
    left, right = hand.all(".live")
    for live, box in ((left, "#m-m1"), (right, "#m-m2")):
        hand.until(lambda live=live: "at rest" in live.text)
        hand.click(live.find_element("css selector", ".btn-primary"))
        hand.until(lambda box=box: hand.find(box).get_attribute("value"))
    keep(hand)


def by_devices(hand, standing, frame, pieces=()):
    """Mass, balance and swing weight of a racket as it truly is with these pieces on."""
    thing = as_it_lies(frame, pieces)
    standing.put("scale", **thing)
    repeated(hand, frame, "mass_g", "scale")
    standing.put("supports", **thing)
    on_two_supports(hand, frame)
    standing.put("machine", **thing)
    repeated(hand, frame, "swing_kgcm2", "machine")


def as_it_lies(frame, pieces=()):
    """A frame as the simulators take it: what is on it, and where its supports stand."""
    return {
        "name": str(frame),
        "frame": dump_frame(frame.outline()),
        "pieces": [dump_piece(piece) for piece in pieces],
        "at": {"x1": 20, "x2": frame.length_mm - 20},
    }
