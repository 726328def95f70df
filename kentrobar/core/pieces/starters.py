"""First pieces to lay on a bench, sized for the frame at hand: small steps people usually begin
with.

1-2 g at the tip, 3-4 g at the sides, 5 g in the handle; grips, strings and dampeners at the masses
a workshop starts from until it has weighed its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from kentrobar.core.geometry.kinds import UsualSite, kind_of
from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.pieces.parts import PARTS, usual_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sites import STRINGS_IN, Access, usual_places
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat

from .materials import TAPES

TAPE = TAPES[0]
NEAR_HOURS = 0.5
"""A site counts as taken where tape lies so near."""


@dataclass(frozen=True, slots=True)
class Starter:
    """One button of the palette. ``key`` is its shortcut, '' where it has none."""

    name: str
    label: str
    key: str
    make: Callable[[Outline], Piece]
    strung_only: bool = False
    edged_only: bool = False
    """Whether only a frame without strings has it."""


def tape_at(site: UsualSite) -> Strip:
    """One layer of the usual tape at a site, with the grams that follow from its cut."""
    strip = Strip(
        mass_g=1.0, clock=site.clock, length_mm=site.first_mm, line=site.line, mirror=site.mirror,
        material=TAPE.name, layers=1,
    )  # fmt: skip
    return replace(strip, mass_g=round(TAPE.g_per_mm * site.first_mm * strip.runs, 2))


def next_tape(outline: Outline, pieces: Iterable[Piece], access: Access = STRINGS_IN) -> Strip:
    """Tape at the first usual site that has none yet (the first one again when all have)."""
    sites = usual_places(outline, access)
    taken = [piece.clock for piece in pieces if isinstance(piece, Strip)]
    free = (site for site in sites if all(abs(site.clock - clock) > NEAR_HOURS for clock in taken))
    return tape_at(next(free, sites[0]))


def _usual_g(part: str) -> float:
    return PARTS[part].grams[1]


def _putty(outline: Outline) -> Piece:
    return Plug(mass_g=kind_of(outline).putty_g, from_mm=8.0, to_mm=32.0, material="putty")


def _grip(outline: Outline, mass: float, what: str) -> Piece:
    end = round(outline.handle_length_mm - 5)
    return Sleeve(mass_g=mass, from_mm=0.0, to_mm=max(end, 10.0), material=what)


def _dampener(outline: Outline) -> Piece:
    if isinstance(outline, Racket):
        x = outline.hoop_base_mm + outline.rim_mm + 8
        return Point(
            mass_g=_usual_g("dampener"), x_mm=min(x, outline.length_mm), material="dampener"
        )
    return Point(mass_g=3.0, x_mm=outline.length_mm - outline.rim_mm, material="test module")


def _no_dampener(outline: Outline) -> Piece:
    on = _dampener(outline)
    return replace(on, mass_g=-on.mass_g)


def _throat(outline: Outline) -> Piece:
    low, _, high, _ = outline.shaft() if isinstance(outline, Racket) else (0.0, 0.0, 1.0, 0.0)
    start, end = round(low + 0.4 * (high - low)), round(low + 0.85 * (high - low))
    return Throat(mass_g=1.0, from_mm=float(start), to_mm=float(end), material=TAPE.name)


def _edge_tape(outline: Outline) -> Piece:
    piece = usual_piece("edge-tape", outline, _usual_g("edge-tape"))
    return replace(piece, material=PARTS["edge-tape"].label)


def _guard_trim(outline: Outline) -> Piece:
    return Strip(
        mass_g=-1.5, clock=12, length_mm=114, line="edge", material="bumper guard, trimmed"
    )


PUT_ON = (
    Starter("tape", "Tape", "t", lambda outline: next_tape(outline, ())),
    Starter("putty", "Putty", "p", _putty),
    Starter("grip", "Grip", "g", lambda outline: _grip(outline, _usual_g("overgrip"), "overgrip")),
    Starter("point", "Dampener or module", "d", _dampener),
    Starter(
        "edge-tape",
        "Edge tape",
        "",
        _edge_tape,
        edged_only=True,
    ),
    Starter("throat", "Throat tape", "h", _throat, strung_only=True),
    Starter(
        "strings",
        "Strings",
        "s",
        lambda _: Strings(mass_g=_usual_g("strings"), material="strings"),
        strung_only=True,
    ),
)
TAKE_OFF = (
    Starter(
        "no-overgrip",
        "Overgrip",
        "",
        lambda outline: _grip(outline, -_usual_g("overgrip"), "overgrip"),
    ),
    Starter(
        "no-grip",
        "Replacement grip",
        "",
        lambda outline: _grip(outline, -_usual_g("grip"), "synthetic grip"),
    ),
    Starter(
        "no-strings",
        "Strings",
        "",
        lambda _: Strings(mass_g=-_usual_g("strings"), material="strings"),
        strung_only=True,
    ),
    Starter(
        "no-point",
        "Dampener or module",
        "",
        _no_dampener,
    ),
    Starter("no-guard", "Bumper guard trim at the tip", "", _guard_trim),
)


def for_kind(starters: Iterable[Starter], outline: Outline) -> list[Starter]:
    """The starters that make sense on this frame."""
    is_strung = outline.is_strung
    return [s for s in starters if not (s.edged_only if is_strung else s.strung_only)]


def start(
    name: str, outline: Outline, pieces: Iterable[Piece], access: Access = STRINGS_IN
) -> Piece:
    """The piece a palette button lays on this bench. KeyError where there is no such button."""
    if name == "tape":
        return next_tape(outline, pieces, access)
    by_name = {starter.name: starter for starter in for_kind((*PUT_ON, *TAKE_OFF), outline)}
    return by_name[name].make(outline)
