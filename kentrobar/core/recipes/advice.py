"""What to try first when a player says what is wrong: the words and patterns of ``player_words``
applied to the frame at hand.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from kentrobar.core.geometry.kinds import FRAME_KINDS, kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.sites import STRINGS_IN, Access
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import fixed
from kentrobar.core.words import Message, message

from .brief import Site, Tape
from .feel import Noticed, polarisation
from .player_words import (
    PATTERNS,
    STEP_TOL,
    WISHES,
    Pattern,
    PlayerWord,
    Style,
)
from .site_words import site_words
from .usual import laid, usual_sites

OWN_G = 2.0
"""A first step at a place of the shop's own."""


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
    style: Style = "",
    tape: Tape | None = None,
    own: Mapping[str, Site] | None = None,
    access: Access = STRINGS_IN,
) -> Advice:
    """What to try for what a player says; without a wish, every pattern of this kind of frame.

    Args:
        body: the frame as read. is_played: read as played, so that its mass is the playing weight.
        style: how the player plays, where that is known. tape: what steps are cut from, the usual
            as it usually weighs where none is said. own: the shop's own places, tried last.
    """
    sites = usual_sites(outline, access) | dict(own or {})
    wishes = tuple(WISHES[key].of(outline.kind, style) for key in WISHES if key in set(keys))
    twist_known = body.twist > 0
    begins = [PATTERNS[name] for name in _patterns(wishes, outline.kind)]
    begins += [
        Pattern(key, site.name, {key: OWN_G}, {key: OWN_G}) for key, site in (own or {}).items()
    ]
    patterns = tuple(
        _begun(one, sites, wishes, outline, body, axis_mm, noticed, is_played, tape)
        for one in begins
    )
    held, raised = (
        any("swing_kgcm2" in pulled for pulled in pulls)
        for pulls in ([wish.hold for wish in wishes], [wish.up for wish in wishes])
    )
    if held and not raised:
        # What must not be slower is promised nothing that is: what raises it least comes first.
        unnoticed = (one for one in patterns if one.swing_kgcm2 < noticed.few)
        patterns = tuple(sorted(unnoticed, key=lambda one: one.swing_kgcm2))
    changes = [
        change
        for change in _changes(wishes, outline.kind)
        # Of a twist weight nobody read a change can be wished, but not that it stay as it is.
        if twist_known or change.by or change.figure != "twist_kgcm2"
    ]
    order = () if wishes or not outline.is_strung else (message("order"),)
    rails = (*order, *_rails(wishes, twist_known))
    return Advice(wishes, tuple(changes), tuple(_against(wishes)), patterns, rails)


def _changes(wishes: Sequence[PlayerWord], kind: str) -> Iterator[Change]:
    """A first step for every figure that is pulled one way only."""
    steps = FRAME_KINDS[kind].first_step
    for figure, step in steps.items():
        up = tuple(wish.says for wish in wishes if figure in wish.up)
        down = tuple(wish.says for wish in wishes if figure in wish.down)
        held = tuple(wish.says for wish in wishes if figure in wish.hold)
        kept = tuple(wish.says for wish in wishes if figure in wish.keep)
        if up and (down or held):
            continue
        if up or down:
            # Mass cannot come off the head, so what should be quicker keeps its swing weight at
            # least.
            by = step if up else (0.0 if figure == "swing_kgcm2" else -step)
            yield Change(figure, by, STEP_TOL[figure], up or down)
        elif held or kept:
            yield Change(figure, 0.0, STEP_TOL[figure], held or kept)


def _against(wishes: Sequence[PlayerWord]) -> Iterator[Message]:
    """Wishes that pull one figure both ways, said as a choice."""
    for figure in FIGURES:
        up = [wish.says for wish in wishes if figure in wish.up]
        down = [wish.says for wish in wishes if figure in wish.down]
        if up and down:
            yield message("against", figure=figure, up=up, down=down)
        held = [wish.says for wish in wishes if figure in wish.hold]
        if up and held:
            yield message("against-held", figure=figure, up=up, held=held)


def _patterns(wishes: Sequence[PlayerWord], kind: str) -> list[str]:
    """Patterns to begin with: those that serve most wishes first; all of the kind where none is
    asked."""
    like = FRAME_KINDS[kind].plays_like
    of_kind = [key for key, pattern in PATTERNS.items() if getattr(pattern, like)]
    asked = [key for wish in wishes for key in getattr(wish, like)]
    if not asked:
        return [] if any(wish.like for wish in wishes) else of_kind
    return sorted(dict.fromkeys(asked), key=lambda key: (-asked.count(key), asked.index(key)))


def _begun(
    pattern: Pattern,
    sites: Mapping[str, Site],
    wishes: Sequence[PlayerWord],
    outline: Outline,
    body: Body,
    axis_mm: float,
    noticed: Noticed,
    is_played: bool,
    tape: Tape | None,
) -> TriedPattern:
    like = kind_of(outline).plays_like
    grams: dict[str, float] = getattr(pattern, like)
    pieces = tuple(piece for key, mass in grams.items() for piece in laid(sites[key], mass, tape))
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
        tuple(wish.says for wish in wishes if pattern.key in getattr(wish, like)),
        (
            *_begun_rails(outline, after, put_on, swing, noticed, is_played, wishes),
            *site_words({key: sites[key] for key in grams}, outline, body, axis_mm).values(),
        ),
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
    heavy = kind_of(outline).heavy_g
    if is_played and after.mass > heavy:
        yield message("heavy", mass=after.mass, heavy=heavy)
    if put_on.mass > kind_of(outline).most_at_once_g:
        yield message("much-at-once", mass=put_on.mass)
    if swing >= noticed.serious:
        yield message("noticed-at-once", swing=swing)
    slows = any("swing_kgcm2" in wish.down for wish in wishes)
    if slows and swing > noticed.few:
        yield message("slower", swing=swing)


def _rails(wishes: Sequence[PlayerWord], twist_known: bool) -> Iterator[Message]:
    """What holds whatever is tried."""
    yield message("try-first")
    if any(wish.key in ("arm", "friendly") for wish in wishes):
        yield message("arm")
    if any("twist_kgcm2" in wish.up for wish in wishes) and not twist_known:
        yield message("measure-twist")
    yield message("lead-free")
    yield message("rules")
