"""What to try first when a player says what is wrong: one table of rules, applied to the frame at
hand.

A wish turns into changes of figures (small ones), each with its price. A pattern is where such a
change usually begins. Their effects are never quoted from a table: they are computed for the very
frame.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES
from kentrobar.core.units import fixed
from kentrobar.core.words import Message, message

from .feel import Noticed, polarisation
from .usual import laid, usual_sites

# --- the table -----------------------------------------------------------------------------------


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
        Pattern("sides", "Sides", {"sides": 3.5}, {"sides": 3.0}),
        Pattern("tip", "Tip", {"tip": 1.5}, {"tip": 1.0}),
        Pattern("shoulders", "Shoulders, 10 & 2", {"shoulders": 2.5}, {}),
        Pattern(
            "tip-butt", "Tip and butt", {"tip": 1.5, "handle": 5.0}, {"tip": 1.0, "handle": 3.0}
        ),
        Pattern("throat", "Throat", {"throat": 4.0}, {}),
        Pattern("handle", "Handle", {"handle": 5.0}, {"handle": 3.0}),
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
class PlayerWord:
    """What a player says.

    Attributes:
        up, down: figures that should rise or fall. keep: figures that should stay.
        means: what is usually behind the words. costs: what is paid for the change.
        racket, paddle: patterns to begin with, the likeliest first.
        like: 'other' or 'old' where the answer is another frame.
    """

    key: str
    says: str
    means: str
    costs: str
    up: tuple[str, ...] = ()
    down: tuple[str, ...] = ()
    keep: tuple[str, ...] = ()
    racket: tuple[str, ...] = ()
    paddle: tuple[str, ...] = ()
    like: str = ""


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
        ),
        PlayerWord(
            "depth",
            "No depth on serve",
            "Little comes back at the end of the swing: swing weight is low.",
            "Slower to start and to stop, felt most at the net.",
            up=("swing_kgcm2",),
            racket=("tip", "shoulders", "sides"),
            paddle=("high-corners", "tip"),
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

FIRST_STEP = {"mass_g": 4.0, "balance_mm": 4.0, "swing_kgcm2": 6.0, "twist_kgcm2": 0.6}
FIRST_STEP_PADDLE = {"mass_g": 4.0, "balance_mm": 4.0, "swing_kgcm2": 4.0, "twist_kgcm2": 0.4}
"""How far a figure should move at first, in its unit: enough to be felt, little enough to go
back."""
STEP_TOL = {"mass_g": 1.5, "balance_mm": 1.5, "swing_kgcm2": 1.5, "twist_kgcm2": 0.2}
HEAVY_G = {"racket": 330.0, "paddle": 245.0}
"""Playing weight above which a frame is for strong, advanced players."""
MOST_AT_ONCE_G = {"racket": 8.0, "paddle": 7.0}

# --- applied to a frame --------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Change:
    """A figure that should move: by how much, which wishes ask for it, and its word."""

    figure: str
    by: float
    tol: float
    asked_by: tuple[str, ...]

    @property
    def label(self) -> str:
        return FIGURES[self.figure].label

    @property
    def text(self) -> str:
        """``swing weight +6 kg·cm²`` or ``balance kept``."""
        if not self.by:
            return f"{self.label} kept"
        return (
            f"{self.label} {fixed(self.by, 1, True).removesuffix('.0')} {FIGURES[self.figure].unit}"
        )


@dataclass(frozen=True, slots=True)
class TriedPattern:
    """A pattern laid on this frame: what it changes, and what speaks for caution."""

    key: str
    name: str
    pieces: tuple[Piece, ...]
    after: Body
    mass_g: float
    balance_mm: float
    swing_kgcm2: float
    twist_kgcm2: float
    polarisation: float
    serves: tuple[str, ...]
    rails: tuple[Message, ...]


@dataclass(frozen=True, slots=True)
class Advice:
    """``against`` names wishes that pull a figure both ways; ``changes`` what is left of the
    others."""

    wishes: tuple[PlayerWord, ...]
    changes: tuple[Change, ...]
    against: tuple[Message, ...]
    patterns: tuple[TriedPattern, ...]
    rails: tuple[Message, ...]

    @property
    def likes(self) -> tuple[PlayerWord, ...]:
        return tuple(wish for wish in self.wishes if wish.like)


def advise(
    keys: Iterable[str],
    outline: Outline,
    body: Body,
    axis_mm: float,
    noticed: Noticed,
    is_played: bool = False,
) -> Advice:
    """What to try for what a player says; without a wish, every pattern of this kind of frame.

    Args:
        body: the frame as read. is_played: read as played, so that its mass is the playing weight.
    """
    wishes = tuple(WISHES[key] for key in WISHES if key in set(keys))
    twist_known = body.twist > 0
    names = _patterns(wishes, outline.kind)
    patterns = tuple(
        _begun(PATTERNS[name], wishes, outline, body, axis_mm, noticed, is_played) for name in names
    )
    changes = [
        change
        for change in _changes(wishes, outline.kind)
        if twist_known or change.figure != "twist_kgcm2"
    ]
    rails = tuple(_rails(wishes, twist_known))
    return Advice(wishes, tuple(changes), tuple(_against(wishes)), patterns, rails)


def _changes(wishes: Sequence[PlayerWord], kind: str) -> Iterator[Change]:
    """A first step for every figure that is pulled one way only."""
    steps = FIRST_STEP if kind == "racket" else FIRST_STEP_PADDLE
    for figure, step in steps.items():
        up = tuple(wish.says for wish in wishes if figure in wish.up)
        down = tuple(wish.says for wish in wishes if figure in wish.down)
        kept = tuple(wish.says for wish in wishes if figure in wish.keep)
        if up and down:
            continue
        if up or down:
            # Mass cannot come off the head, so what should be quicker keeps its swing weight at
            # least.
            by = step if up else (0.0 if figure == "swing_kgcm2" else -step)
            yield Change(figure, by, STEP_TOL[figure], up or down)
        elif kept:
            yield Change(figure, 0.0, STEP_TOL[figure], kept)


def _against(wishes: Sequence[PlayerWord]) -> Iterator[Message]:
    """Wishes that pull one figure both ways, said as a choice."""
    for figure in FIGURES:
        up = [wish.says for wish in wishes if figure in wish.up]
        down = [wish.says for wish in wishes if figure in wish.down]
        if up and down:
            yield message("against", figure=figure, up=up, down=down)


def _patterns(wishes: Sequence[PlayerWord], kind: str) -> list[str]:
    """Patterns to begin with: those that serve most wishes first; all of the kind where none is
    asked."""
    of_kind = [key for key, pattern in PATTERNS.items() if getattr(pattern, kind)]
    asked = [key for wish in wishes for key in getattr(wish, kind)]
    if not asked:
        return [] if any(wish.like for wish in wishes) else of_kind
    return sorted(dict.fromkeys(asked), key=lambda key: (-asked.count(key), asked.index(key)))


def _begun(
    pattern: Pattern,
    wishes: Sequence[PlayerWord],
    outline: Outline,
    body: Body,
    axis_mm: float,
    noticed: Noticed,
    is_played: bool,
) -> TriedPattern:
    sites = usual_sites(outline)
    grams: dict[str, float] = getattr(pattern, outline.kind)
    pieces = tuple(laid(sites[key], mass) for key, mass in grams.items())
    put_on = sum((body_of(piece, outline) for piece in pieces), NOTHING)
    after = body + put_on
    swing = put_on.swing_kgcm2(axis_mm)
    return TriedPattern(
        pattern.key,
        pattern.name,
        pieces,
        after,
        put_on.mass,
        after.balance - body.balance,
        swing,
        put_on.twist_kgcm2,
        polarisation(after, outline.length_mm) - polarisation(body, outline.length_mm),
        tuple(wish.says for wish in wishes if pattern.key in getattr(wish, outline.kind)),
        tuple(_begun_rails(outline, after, put_on, swing, noticed, is_played, wishes)),
    )


def _begun_rails(
    outline: Outline,
    after: Body,
    put_on: Body,
    swing: float,
    noticed: Noticed,
    is_played: bool,
    wishes: Sequence[PlayerWord],
) -> Iterator[Message]:
    """What speaks for caution about one pattern on this frame."""
    heavy = HEAVY_G[outline.kind]
    if is_played and after.mass > heavy:
        yield message("heavy", mass=after.mass, heavy=heavy)
    if put_on.mass > MOST_AT_ONCE_G[outline.kind]:
        yield message("much-at-once", mass=put_on.mass)
    if swing >= noticed.serious:
        yield message("noticed-at-once", swing=swing)
    slows = any("swing_kgcm2" in wish.down for wish in wishes)
    if slows and swing > noticed.few:
        yield message("slower", swing=swing)


def _rails(wishes: Sequence[PlayerWord], twist_known: bool) -> Iterator[Message]:
    """What holds whatever is tried."""
    yield message("try-first")
    if any(wish.key == "arm" for wish in wishes):
        yield message("arm")
    if any("twist_kgcm2" in wish.up for wish in wishes) and not twist_known:
        yield message("measure-twist")
    yield message("lead-free")
    yield message("rules")
