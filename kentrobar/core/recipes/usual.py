"""The sites people use on a racket or a paddle, sized for the frame at hand, and what a bench has
to put there."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import lru_cache

from kentrobar.core.frame.condition import Part
from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.pieces.bevels import BEVELS
from kentrobar.core.pieces.materials import PUTTY_PRICE_PER_G, TAPES
from kentrobar.core.pieces.parts import PARTS, part_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.sites import (
    CAP,
    HANDLE,
    STRINGS_IN,
    THROAT,
    UNDER_GRIP,
    Access,
    usual_places,
)
from kentrobar.core.pieces.starters import BELOW_THE_TOP_MM
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import THROAT_RUNS, Throat

from .brief import PartSite, PlugSite, Putty, Site, StripSite, Tape, ThroatSite
from .candidates import along_bevels, in_handle

CUT_STEP_MM = 6.35
"""A quarter of an inch."""
LEAST_CUT_MM = 12.7
PUTTY_STEP_G, PUTTY_MOST_G = 0.5, 20.0
HANDLE_FROM_MM, HANDLE_TO_MM = 8.0, 38.0
CAP_MOST_MM = 120.0
GRIP_FROM_MM, GRIP_MOST_MM = 20.0, 600.0
BUMPER_HOURS = 2.0


def usual_sites(outline: Outline, access: Access = STRINGS_IN) -> dict[str, Site]:
    """Every usual site of this frame by its key, tip to butt."""
    return dict(_usual_sites(outline, access))


@lru_cache(maxsize=512)
def _usual_sites(outline: Outline, access: Access) -> Mapping[str, Site]:
    racket = isinstance(outline, Racket)
    sites: dict[str, Site] = {}
    for usual in usual_places(outline, access):
        longest = usual.share * outline.path(usual.line).length
        sites[usual.key] = StripSite(
            name=usual.name,
            clock=usual.clock,
            mirror=usual.mirror,
            line=usual.line,
            max_length_mm=round(longest / CUT_STEP_MM) * CUT_STEP_MM,
            seen=not (racket and usual.line == "edge"),
            both_ends=usual.both_ends,
        )
    _keep_apart(sites, outline)
    if isinstance(outline, Racket):
        low, _, high, _ = outline.shaft()
        start, end = round(low + 0.35 * (high - low)), round(low + 0.9 * (high - low))
        sites["throat"] = ThroatSite(name=THROAT, from_mm=float(start), to_mm=float(end))
    sites["handle"] = PlugSite(
        name=HANDLE, from_mm=HANDLE_FROM_MM, to_mm=min(HANDLE_TO_MM, outline.handle_length_mm),
        filling="foam" if access.is_foam else "cavity",
    )  # fmt: skip
    if not access.is_foam:
        # Of a handle filled with foam the cap is the only inside there is.
        sites["cap"] = PlugSite(
            name=CAP, from_mm=0.0, to_mm=HANDLE_FROM_MM, filling="foam", max_length_mm=CAP_MOST_MM
        )
    top = outline.handle_length_mm - BELOW_THE_TOP_MM
    if top > GRIP_FROM_MM:
        sites["under-grip"] = PlugSite(
            name=UNDER_GRIP, from_mm=GRIP_FROM_MM, to_mm=top, filling="grip",
            max_length_mm=GRIP_MOST_MM,
        )  # fmt: skip
    return sites


def hidden(site: Site) -> bool:
    """Whether nobody sees what lies there: under the grommet strip, in the handle or its cap, under
    the grip."""
    return isinstance(site, PlugSite) or (isinstance(site, StripSite) and not site.seen)


def under_the_bumper(site: Site, outline: Outline) -> bool:
    """Whether the bumper guard must come off for it: tape on the edge of a racket's tip."""
    return (
        isinstance(outline, Racket)
        and isinstance(site, StripSite)
        and site.line == "edge"
        and abs(math.remainder(site.clock, 12)) < BUMPER_HOURS
    )


def _keep_apart(sites: dict[str, Site], outline: Outline) -> None:
    """Shorten what would lie over its neighbour on the same line, in whole steps."""
    strips = [(key, site) for key, site in sites.items() if isinstance(site, StripSite)]
    for (key, one), (other_key, other) in itertools.combinations(strips, 2):
        if one.line != other.line:
            continue
        path = outline.path(one.line)
        here, there = path.arc_of_clock(one.clock), path.arc_of_clock(other.clock)
        # One side of the frame tells it for both: mirrored sites are named by their clock hour
        # before 6.
        gap = abs(math.remainder(there - here, path.length))
        lengths = (sites[key].max_length_mm, sites[other_key].max_length_mm)  # type: ignore[union-attr]
        if sum(lengths) / 2 > gap:
            for name, site, length in ((key, one, lengths[0]), (other_key, other, lengths[1])):
                steps = math.floor(length * gap / (sum(lengths) / 2) / CUT_STEP_MM + 1e-9)
                sites[name] = replace(site, max_length_mm=steps * CUT_STEP_MM)


def tapes(
    step_mm: float = CUT_STEP_MM, least_mm: float = LEAST_CUT_MM, max_layers: int = 2
) -> list[Tape]:
    """The tapes a bench starts with."""
    return [
        Tape(
            name=tape.name,
            g_per_mm=tape.g_per_mm,
            step_mm=step_mm,
            least_mm=least_mm,
            max_layers=max_layers,
            price_per_g=tape.price_per_g,
            toxicity=tape.toxicity,
        )
        for tape in TAPES
    ]


def laid(site: Site, grams: float, tape: Tape | None = None) -> tuple[Piece, ...]:
    """About so many grams at a site as a hand would lay them: whole steps of the usual tape, as few
    layers as fit, or putty in the handle. What a piece weighs follows from its cut."""
    tape = tape or tapes()[0]
    if isinstance(site, PartSite):
        return (replace(site.piece, mass_g=grams),)
    if isinstance(site, PlugSite) and site.filling == "grip":
        longest = site.to_mm - site.from_mm
        full = grams / tape.g_per_mm
        count = min(2 * max(math.ceil(full / 2 / longest - 0.05), 1), BEVELS)
        layers = max(math.ceil(full / count / longest - 0.05), 1)
        cut = max(round(full / count / layers / tape.step_mm), 1) * tape.step_mm
        return (along_bevels(site, tape, min(cut, longest), count, layers),)
    if isinstance(site, PlugSite) and site.filling != "cavity":
        cut = max(round(grams / tape.g_per_mm / tape.step_mm), 1) * tape.step_mm
        return (in_handle(site, tape.g_per_mm * cut, tape.name),)
    if isinstance(site, PlugSite):
        whole = max(round(grams / PUTTY_STEP_G), 1) * PUTTY_STEP_G
        plug = Plug(
            mass_g=whole, from_mm=site.from_mm, to_mm=site.to_mm, site=site.name, material="putty"
        )
        return (plug,)
    longest = site.to_mm - site.from_mm if isinstance(site, ThroatSite) else site.max_length_mm
    strips = () if isinstance(site, ThroatSite) else site.strips(longest)
    runs = sum(strip.runs for strip in strips) or THROAT_RUNS
    full = grams / (tape.g_per_mm * runs)
    # A hair too long is cut a hair shorter, not laid twice.
    layers = max(math.ceil(full / longest - 0.05), 1)
    steps = max(round(full / layers / tape.step_mm), math.ceil(tape.least_mm / tape.step_mm), 1)
    length = min(steps * tape.step_mm, longest)
    mass = tape.g_per_mm * length * runs * layers
    if isinstance(site, ThroatSite):
        throat = Throat(
            mass_g=mass, from_mm=site.from_mm, to_mm=site.from_mm + length, site=site.name,
            material=tape.name, layers=layers,
        )  # fmt: skip
        return (throat,)
    return tuple(
        replace(strip, material=tape.name, layers=layers) for strip in site.strips(length, mass)
    )


def putty() -> Putty:
    return Putty(
        name="putty", step_g=PUTTY_STEP_G, max_g=PUTTY_MOST_G, price_per_g=PUTTY_PRICE_PER_G
    )


LIGHTER: dict[str, tuple[str, str, bool]] = {
    "overgrip": ("overgrip: leave it off", "off", False),
    "grip": ("replacement grip: a lighter one", "lightest", False),
    "leather-grip": ("leather grip: a synthetic one", "synthetic", False),
    "strings": ("strings: a thinner gauge", "gauge", False),
    "dampener": ("dampener: leave it off", "off", False),
    "edge-tape": ("edge tape: leave it off", "off", False),
    "old-tape": ("tape it came with: take it off", "off", False),
    "bumper": ("bumper guard: trim it at the tip", "trim", True),
    "guard": ("bumper guard: trim it at the tip", "trim", True),
}
GAUGE_G, TRIM_G, TRIM_MM = 1.5, 1.5, 114.0


def lighter_parts(parts: Iterable[Part], outline: Outline) -> list[PartSite]:
    """How the parts on a frame could be lighter, gentlest first; the guard's trim is a last
    resort."""
    found: dict[str, PartSite] = {}
    parts = list(parts)
    if outline.is_strung and not any(part.kind in ("bumper", "guard") for part in parts):
        # Every racket has one, noted or not.
        bumper = PARTS["bumper"]
        parts.append(Part(kind="bumper", mass_g=bumper.grams[1], u_g=bumper.mass_u))
    for part in parts:
        if part.kind not in LIGHTER or LIGHTER[part.kind][0] in found:
            continue
        name, way, last = LIGHTER[part.kind]
        less = _less(part, way)
        if less > 0:
            u = max(part.u_g, 0.1)
            piece = _where(part, outline)
            found[name] = PartSite(name=name, piece=piece, less_g=[less], last_resort=last, u_g=u)
    return sorted(found.values(), key=lambda site: site.last_resort)


def _less(part: Part, way: str) -> float:
    """By how many grams a part can be lighter."""
    if way == "off":
        return part.mass_g
    if way == "lightest":
        return round(part.mass_g - PARTS["grip"].grams[0], 2)
    if way == "synthetic":
        return round(part.mass_g - PARTS["grip"].grams[1], 2)
    return min(GAUGE_G if way == "gauge" else TRIM_G, part.mass_g)


def _where(part: Part, outline: Outline) -> Piece:
    if part.kind in ("bumper", "guard"):
        # Only the stretch over the tip can be spared.
        return Strip(
            mass_g=part.mass_g,
            clock=12,
            length_mm=TRIM_MM,
            line="edge",
            material="bumper guard, trimmed",
        )
    piece = part_piece(part.kind, outline, part.mass_g, part.from_mm, part.to_mm)
    return replace(piece, material=PARTS[part.kind].label)
