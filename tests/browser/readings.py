"""Taking readings on the pages, by the simulator instruments."""

import re
from functools import partial

from kentrobar.core.io.plans import dump_frame, dump_piece


def measure(hand, frame, quantity="", method=""):
    hand.go(f"/frames/{frame.pk}/measure/?quantity={quantity}&method={method}")
    hand.until(lambda: hand.all("#outcome"))


def result(hand) -> float:
    return hand.until(lambda: float(hand.find("#outcome .result:not(.is-expected) .figure b").text))


def keep(hand):
    hand.until(lambda: hand.all("#outcome .result:not(.is-expected)"), "no result to keep")
    hand.until_done(
        # The button is drawn anew with every answer: one pressed just then may be gone.
        lambda: hand.click(hand.find("#keep")),
        lambda: hand.all(".message-success"),
        "nothing was kept",
    )


def comes_to(hand, near, within, line=0):
    """Whether an instrument is said to be at rest near what lies on it now: on a busy machine its
    page may be seconds behind, and still say what lay there before."""
    said = hand.all(".live-say")[line].text.replace("−", "-")
    figure = re.search(r"-?[0-9.]+(?=\s+(g|kg))", said)
    return "at rest" in said and figure and abs(float(figure[0]) - near) < within


def repeated(hand, frame, quantity, method, near):
    """Three readings of one instrument, taken by key when it is at rest."""
    measure(hand, frame, quantity, method)
    for count in (1, 2, 3):
        hand.until(partial(comes_to, hand, near, 1.5), f"it does not come to rest at {near}")
        taken = partial(_are_taken, hand, count)
        hand.until_done(partial(hand.key, "k"), taken, "it was not taken")
    keep(hand)


def _are_taken(hand, count):
    return len(hand.find("#m-readings").get_attribute("value").split()) >= count


def on_two_supports(hand, frame, loads):
    measure(hand, frame, "balance_mm", "two-scales")

    def take(side):
        hand.click(hand.all(".live")[side].find_element("css selector", ".btn-primary"))

    def is_taken(box):
        return hand.find(box).get_attribute("value")

    for side, box in enumerate(("#m-m1", "#m-m2")):
        hand.until(partial(comes_to, hand, loads[side], 1.5, side), f"{box} is not still")
        hand.until_done(partial(take, side), partial(is_taken, box), f"{box} stays empty")
    keep(hand)


def by_devices(hand, standing, frame, pieces=()):
    """Mass, balance and swing weight of a racket as it truly is with these pieces on."""
    thing = as_it_lies(frame, pieces)
    standing.put("scale", **thing)
    repeated(hand, frame, "mass_g", "scale", standing.inside.load("scale"))
    standing.put("supports", **thing)
    on_two_supports(hand, frame, [standing.inside.load(d) for d in ("scale", "second scale")])
    standing.put("machine", **thing)
    repeated(hand, frame, "swing_kgcm2", "machine", standing.inside.swing_weight())


def as_it_lies(frame, pieces=()):
    """A frame as the simulators take it: what is on it, and where its supports stand."""
    return {
        "name": str(frame),
        "frame": dump_frame(frame.outline()),
        "pieces": [dump_piece(piece) for piece in pieces],
        "at": {"x1": 20, "x2": frame.length_mm - 20},
    }
