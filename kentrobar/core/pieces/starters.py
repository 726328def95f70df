"""First pieces to lay on a bench, sized for the frame at hand: small steps people usually begin
with.

1-2 g at the tip, 3-4 g at the sides, 5 g in the handle; grips, strings and dampeners at the masses
a workshop starts from until it has weighed its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

from kentrobar.core.errors import OnAlreadyError
from kentrobar.core.geometry.kinds import UsualSite, kind_of
from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.pieces.bevels import Bevels
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
BELOW_THE_TOP_MM, BEVEL_MM = 10.0, 101.6
"""Where strips along the bevels begin below the top of the handle, and how long they are."""
HEAVIER_CAP_G, THINNER_G = 5.0, 1.5
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
    part: str = ""
    """The kind of part it is, that adds nothing where it is on already."""
    instead_of: str = ""
    """The kind of part that comes off for it."""


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


def _cap(outline: Outline) -> Piece:
    return replace(usual_piece("cap", outline, HEAVIER_CAP_G), material="butt cap, heavier")


def _leather(which: int) -> Callable[[Outline], Piece]:
    """The thinnest leather grip (0), or the thickest (2)."""
    name = {0: "thin leather grip", 2: "thick leather grip"}[which]
    grams = PARTS["leather-grip"].grams[which]
    return lambda outline: replace(usual_piece("leather-grip", outline, grams), material=name)


def _bevels(outline: Outline) -> Piece:
    top = max(outline.handle_length_mm - BELOW_THE_TOP_MM, 1.0)
    strips = Bevels(
        mass_g=1.0, from_mm=max(top - BEVEL_MM, 0.0), to_mm=top, material=TAPE.name, layers=1
    )
    length, count = strips.tape()
    return replace(strips, mass_g=round(TAPE.g_per_mm * length * count, 2))


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
    Starter("point", "Dampener, module", "d", _dampener),
    Starter("edge-tape", "Edge tape", "", _edge_tape, edged_only=True),
    Starter("bevels", "Bevels", "b", _bevels),
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
    Starter("no-point", "Dampener or module", "", _no_dampener),
    Starter("no-guard", "Bumper guard trim at the tip", "", _guard_trim, strung_only=True),
)


SWAP = (
    Starter("cap", "Heavier butt cap", "", _cap),
    Starter(
        "thin-leather", "Leather grip, thin", "", _leather(0),
        part="leather-grip", instead_of="grip",
    ),
    Starter(
        "thick-leather", "Leather grip, thick", "", _leather(2),
        part="leather-grip", instead_of="grip",
    ),
    Starter(
        "thinner-strings", "Thinner strings", "",
        lambda _: Strings(mass_g=-THINNER_G, material="thinner strings"), strung_only=True,
    ),
)  # fmt: skip
"""What takes the place of something on the frame."""


def for_kind(starters: Iterable[Starter], outline: Outline) -> list[Starter]:
    """The starters that make sense on this frame."""
    is_strung = outline.is_strung
    return [s for s in starters if not (s.edged_only if is_strung else s.strung_only)]


def start(
    name: str,
    outline: Outline,
    pieces: Iterable[Piece],
    access: Access = STRINGS_IN,
    noted_g: Mapping[str, float] | None = None,
) -> tuple[Piece, ...]:
    """The pieces a palette button lays on this bench: what comes off for it first.

    Args:
        noted_g: what parts on the frame weigh, by their kinds; others as usual.

    Raises:
        KeyError: there is no such button.
        OnAlreadyError: it is on the frame already.
    """
    if name == "tape":
        return (next_tape(outline, pieces, access),)
    every = for_kind((*PUT_ON, *TAKE_OFF, *SWAP), outline)
    chosen, noted = {one.name: one for one in every}[name], noted_g or {}
    if chosen.part in noted:
        raise OnAlreadyError(PARTS[chosen.part].label)
    if not chosen.instead_of:
        return (chosen.make(outline),)
    old = usual_piece(
        chosen.instead_of, outline, -noted.get(chosen.instead_of, _usual_g(chosen.instead_of))
    )
    return replace(old, material=PARTS[chosen.instead_of].label), chosen.make(outline)
