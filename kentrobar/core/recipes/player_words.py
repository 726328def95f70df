"""What a player says, and where a change usually begins: one table of words and patterns.

A word turns into changes of figures (small ones), each with its price; a style or the sport may
begin elsewhere and pay otherwise. Nothing here quotes an effect: ``advice`` computes them for the
very frame.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from kentrobar.core.geometry.kinds import FRAME_KINDS

Style = Literal["", "spin", "flat", "net"]


@dataclass(frozen=True, slots=True)
class Pattern:
    """Where a first step goes: grams by site, for rackets and for paddles (empty: not on that
    kind)."""

    key: str
    name: str
    racket: dict[str, float]
    paddle: dict[str, float]


PATTERNS = {
    pattern.key: pattern
    for pattern in (
        Pattern("handle", "Handle", {"handle": 5.0}, {"handle": 3.0}),
        Pattern("sides", "Sides", {"sides": 3.5}, {"sides": 3.0}),
        Pattern("tip", "Tip", {"tip": 1.5}, {"tip": 1.0}),
        Pattern("shoulders", "Shoulders", {"shoulders": 2.5}, {}),
        Pattern(
            "tip-butt", "Tip and butt", {"tip": 1.5, "handle": 5.0}, {"tip": 1.0, "handle": 3.0}
        ),
        Pattern("ends", "12 and 6", {"ends": 2.0}, {}),
        Pattern("throat", "Throat", {"throat": 4.0}, {}),
        Pattern(
            "sides-handle",
            "Sides and handle",
            {"sides": 3.0, "handle": 4.0},
            {"sides": 2.5, "handle": 3.0},
        ),
        Pattern("high-corners", "High corners", {}, {"high-corners": 2.0}),
        Pattern("low-corners", "Low corners", {}, {"low-corners": 3.0}),
    )
}


@dataclass(frozen=True, slots=True)
class Turn:
    """What a style changes of a word: other patterns to begin with (none: the word's own), another
    price."""

    costs: str = ""
    racket: tuple[str, ...] = ()
    paddle: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PlayerWord:
    """What a player says.

    Attributes:
        up, down: figures that should rise or fall. keep: figures that should stay where nothing
            else moves them; hold: figures that must not rise.
        means: what is usually behind the words. costs: what is paid for the change;
            paddle_costs: with a paddle, where that is something else.
        racket, paddle: patterns to begin with, the likeliest first.
        turns: by style.
        like: 'other' or 'old' where the answer is another frame.
    """

    key: str
    says: str
    means: str
    costs: str
    up: tuple[str, ...] = ()
    down: tuple[str, ...] = ()
    keep: tuple[str, ...] = ()
    hold: tuple[str, ...] = ()
    racket: tuple[str, ...] = ()
    paddle: tuple[str, ...] = ()
    like: str = ""
    paddle_costs: str = ""
    turns: Mapping[Style, Turn] = field(default_factory=dict)

    def of(self, kind: str, style: Style = "") -> PlayerWord:
        """The word as a player of that style means it, with a racket or a paddle."""
        like = FRAME_KINDS[kind].plays_like
        costs = self.paddle_costs if like == "paddle" and self.paddle_costs else self.costs
        turn = self.turns.get(style, Turn())
        return replace(
            self, costs=turn.costs or costs, racket=turn.racket or self.racket,
            paddle=turn.paddle or self.paddle,
        )  # fmt: skip


WISHES = {
    wish.key: wish
    for wish in (
        PlayerWord(
            "light",
            "Feels light",
            "The ball pushes the frame back: mass and swing weight are low for this swing.",
            "Later to the ball, and more to carry through a long match.",
            up=("mass_g", "swing_kgcm2"),
            racket=("sides-handle", "sides", "tip-butt"),
            paddle=("sides-handle", "low-corners", "sides"),
            turns={
                "flat": Turn(racket=("sides", "tip-butt"), paddle=("sides", "low-corners")),
                "net": Turn(
                    "Blocks hold their ground; hands are later in a quick exchange.",
                    racket=("sides-handle", "handle"),
                    paddle=("sides-handle", "low-corners"),
                ),
            },
        ),
        PlayerWord(
            "twists",
            "Twists in my hand on returns",
            "Balls off the centre line turn the frame: twist weight is low.",
            "Swing weight rises with it; the last small adjustment of the face comes harder.",
            up=("twist_kgcm2",),
            keep=("balance_mm",),
            racket=("sides", "sides-handle"),
            paddle=("sides", "low-corners"),
            turns={"net": Turn(racket=("sides-handle", "sides"), paddle=("low-corners", "sides"))},
        ),
        PlayerWord(
            "depth",
            "No depth on serve",
            "Balls met with a light head fall short: swing weight is low. On the serve itself it"
            " pays only where the frame is swung hardly slower: each step below says what it is"
            " worth.",
            "Slower to start and to stop, felt most at the net.",
            up=("swing_kgcm2",),
            racket=("tip", "shoulders", "sides"),
            paddle=("high-corners", "tip"),
            turns={
                "spin": Turn(
                    "The head comes up later under the ball: some of the spin goes with it.",
                    racket=("shoulders", "sides"),
                    paddle=("sides", "high-corners"),
                ),
                "flat": Turn(racket=("tip", "tip-butt"), paddle=("high-corners", "tip")),
                "net": Turn(racket=("sides", "sides-handle"), paddle=("sides", "low-corners")),
            },
        ),
        PlayerWord(
            "slow",
            "Slow at the net",
            "The head lags: swing weight or balance is high for the hand. Mass at the hand moves"
            " the balance back; only what comes off the head lowers swing weight.",
            "Mass at the hand makes the whole heavier; lighter parts take strength off the ball.",
            down=("balance_mm", "swing_kgcm2"),
            racket=("handle",),
            paddle=("handle",),
            turns={
                "flat": Turn("What makes it quicker takes weight from behind a flat ball."),
                "spin": Turn(racket=("handle", "tip-butt"), paddle=("handle",)),
            },
        ),
        PlayerWord(
            "arm",
            "Sore arm",
            "A frame that is knocked about sends the shock on: a little more mass, near the hand"
            " and at the sides, calms it. It may as well be strokes, strings or grip.",
            "More to carry: small steps, days apart. Stop at pain and ask a physician or"
            " physiotherapist.",
            up=("mass_g", "twist_kgcm2"),
            racket=("sides-handle", "handle", "throat"),
            paddle=("sides-handle", "low-corners"),
            turns={"net": Turn(racket=("throat", "sides-handle"), paddle=("sides-handle",))},
        ),
        PlayerWord(
            "power",
            "More power",
            "More comes off a head that is heavier where the ball lands, as long as it is still"
            " swung.",
            "Later to the ball, and to the next one: a heavier head is swung slower.",
            up=("swing_kgcm2",),
            racket=("shoulders", "tip", "sides"),
            paddle=("sides", "high-corners"),
            paddle_costs="A paddle is swung from the wrist: hands are slower in a quick exchange.",
            turns={
                "spin": Turn(
                    "The head comes up later under the ball: some of the spin goes with it.",
                    racket=("shoulders", "sides"),
                    paddle=("sides", "high-corners"),
                ),
                "flat": Turn(racket=("tip", "shoulders"), paddle=("high-corners", "tip")),
                "net": Turn(
                    "Blocks go deeper, but the frame is later to the next ball at the net.",
                    racket=("sides", "sides-handle"),
                    paddle=("sides", "low-corners"),
                ),
            },
        ),
        PlayerWord(
            "dead",
            "Dead, no feel",
            "Little comes back through the hand: the head is light for the ball, or foam and"
            " silicone in the handle swallow it. Strings, face and grip first, then mass where the"
            " ball lands.",
            "What is felt more is felt by the arm as well.",
            up=("swing_kgcm2",),
            racket=("sides", "tip"),
            paddle=("sides", "high-corners"),
            turns={
                "spin": Turn(racket=("shoulders", "sides"), paddle=("sides", "high-corners")),
                "net": Turn(racket=("sides", "sides-handle"), paddle=("sides", "low-corners")),
            },
        ),
        PlayerWord(
            "pops",
            "Balls pop up",
            "The face gives way where the ball lands off its middle and opens, or a light head is"
            " swung too fast at a soft ball: twist weight keeps it closed.",
            "Swing weight rises with it: hands are a little later at the net.",
            up=("twist_kgcm2",),
            keep=("balance_mm",),
            racket=("sides", "sides-handle"),
            paddle=("low-corners", "sides"),
            turns={
                "net": Turn(
                    racket=("sides-handle", "sides"), paddle=("low-corners", "sides-handle")
                )
            },
        ),
        PlayerWord(
            "spin",
            "More spin",
            "Spin is the speed of the head across the ball: mass at the hand lets it come round"
            " fast. The strings do as much.",
            "A light head is pushed back by heavy balls: less depth on blocks and returns.",
            down=("balance_mm",),
            hold=("swing_kgcm2",),
            racket=("handle", "tip-butt"),
            paddle=("handle",),
            turns={
                "flat": Turn("A flat swing makes little of it, and loses weight behind the ball."),
                "net": Turn("Volleys are pushed back: at the net spin is worth little."),
            },
        ),
        PlayerWord(
            "forgiving",
            "More forgiving",
            "Balls off the centre line come back weaker and turn the frame: twist weight widens the"
            " face.",
            "Swing weight rises with it, and the frame comes round a little later.",
            up=("twist_kgcm2",),
            racket=("sides", "shoulders", "ends"),
            paddle=("sides", "low-corners"),
            turns={"net": Turn(racket=("sides-handle", "sides"), paddle=("low-corners", "sides"))},
        ),
        PlayerWord(
            "steadier",
            "Steadier, but no slower",
            "Twist weight without swing weight: mass at the sides, but low, and the balance held by"
            " some at the hand.",
            "Low on the face it steadies less: it takes more grams, and the whole is heavier.",
            up=("twist_kgcm2",),
            hold=("swing_kgcm2",),
            racket=("throat", "sides-handle"),
            paddle=("low-corners", "sides-handle"),
        ),
        PlayerWord(
            "spot",
            "Sweet spot higher",
            "The ball is hit above where the frame answers best: mass at the tip lifts that point.",
            "Millimetres for a gram, and nowhere does a gram add more swing weight.",
            up=("balance_mm", "swing_kgcm2"),
            racket=("tip", "shoulders"),
            paddle=("high-corners", "tip"),
            turns={
                "spin": Turn(racket=("shoulders", "tip"), paddle=("high-corners", "tip")),
                "net": Turn(
                    "A higher sweet spot is worth little on volleys, and costs swing weight.",
                    racket=("shoulders",),
                    paddle=("high-corners",),
                ),
            },
        ),
        PlayerWord(
            "whippy",
            "Whippier",
            "Mass at the two ends and none between: the frame feels light at first and comes round"
            " with the wrist.",
            "Polarised frames forgive less off the centre line.",
            down=("balance_mm",),
            hold=("swing_kgcm2",),
            racket=("tip-butt", "handle"),
            paddle=("handle", "tip-butt"),
            turns={"net": Turn("At the net it is pushed about: volleys want a steadier head.")},
        ),
        PlayerWord(
            "hefty",
            "Heavier in the hand",
            "More to hold on to, without a slower head: mass under the palm.",
            "Grams at the hand do little for the ball, and the head feels lighter than it is.",
            up=("mass_g",),
            keep=("swing_kgcm2",),
            racket=("handle", "sides-handle"),
            paddle=("handle", "sides-handle"),
        ),
        PlayerWord(
            "friendly",
            "Kind to the arm",
            "Shock is what a light, unsteady frame sends on: mass and twist weight take it up"
            " before the arm must. Softer strings and a fresh grip do as much.",
            "More to carry: small steps, days apart.",
            up=("mass_g", "twist_kgcm2"),
            racket=("sides-handle", "throat", "handle"),
            paddle=("sides-handle", "low-corners"),
            turns={"net": Turn(racket=("throat", "sides-handle"))},
        ),
        PlayerWord(
            "unlike",
            "Unlike my other frame",
            "Frames of one model differ by 7 g and 7 mm. Measure both, then make them meet.",
            "Mass comes off hardly at all: the lighter one follows the heavier.",
            like="other",
        ),
        PlayerWord(
            "old",
            "Like my old frame",
            "The old frame's figures are the target, not its model's name.",
            "What the old frame was heavier in can be put on; what it was lighter in cannot be"
            " taken off.",
            like="old",
        ),
    )
}

STEP_TOL = {"mass_g": 1.5, "balance_mm": 1.5, "swing_kgcm2": 1.5, "twist_kgcm2": 0.2}
