"""Everything that could be put on or taken off: each site × material × length × layers with its
exact Body."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.bevels import BEVELS, Bevels
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import THROAT_RUNS, Throat

from .brief import (
    Brief,
    PartSite,
    PlugSite,
    Putty,
    RecipeMaterial,
    Site,
    StripSite,
    Tape,
    ThroatSite,
    Weights,
)

LEAST_CUT_MM = 3.0
"""Shorter ends beside a keep-out do not stick: they are left off."""
ALIKE_MM = 0.5
NO_MATERIAL = -1
USUAL = Weights()
LAST_RESORT = 10.0
"""What is a last resort counts as so many parts taken off."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """One way to use one site: the pieces it comes to, and their Body together.

    Attributes:
        site, material: indexes into the brief's lists; ``NO_MATERIAL`` for a part taken off.
        cuts: how many strips are cut. length_mm: of each, infinite for what is dosed.
        cost: grams, pieces, looks, price and poison as the workshop weighs them.
    """

    site: int
    material: int
    pieces: tuple[Piece, ...]
    body: Body
    cuts: int
    length_mm: float
    cost: float
    price: float


def candidates_of(brief: Brief) -> list[Candidate]:
    return candidates(brief.frame, brief.materials, brief.all_sites(), brief.fitted, brief.weights)


def candidates(
    frame: Outline,
    materials: tuple[RecipeMaterial, ...],
    sites: tuple[Site, ...],
    fitted: Iterable[Piece] = (),
    weights: Weights = USUAL,
) -> list[Candidate]:
    """Every way to use every site, site after site, the shortest first."""
    found: list[Candidate] = []
    for s, site in enumerate(sites):
        if isinstance(site, PartSite):
            found += _lighter(s, site, frame, weights)
            continue
        free = beside(site, fitted, frame)
        for m, material in enumerate(materials):
            for pieces, cuts, length, body in _laid(frame, free, material):
                price = body.mass * material.price_per_g
                cost = weights.piece + weights.gram * body.mass + weights.price * price
                cost += weights.toxic * material.toxicity * body.mass
                cost += weights.seen * body.mass if getattr(site, "seen", False) else 0.0
                found.append(Candidate(s, m, pieces, body, cuts, length, cost, price))
    return found


@lru_cache(maxsize=200)
def _laid(
    frame: Outline, site: Site, material: RecipeMaterial
) -> tuple[tuple[tuple[Piece, ...], int, float, Body], ...]:
    """Every way with its Body: what would open a wish is tried on the same sites over and over."""
    return tuple(
        (pieces, cuts, length, sum((body_of(piece, frame) for piece in pieces), NOTHING))
        for pieces, cuts, length in _ways(frame, site, material)
    )


def _lighter(s: int, site: PartSite, frame: Outline, weights: Weights) -> Iterator[Candidate]:
    cost = weights.part * (LAST_RESORT if site.last_resort else 1.0)
    for less in site.less_g:
        piece = replace(site.piece, mass_g=-less, id=None, site=site.name)
        yield Candidate(s, NO_MATERIAL, (piece,), body_of(piece, frame), 0, math.inf, cost, 0.0)


def beside(site: Site, fitted: Iterable[Piece], frame: Outline) -> Site:
    """The site without the stretches where tape lies already."""
    for piece in fitted:
        if isinstance(site, StripSite) and isinstance(piece, Strip) and piece.line == site.line:
            path = frame.path(site.line)
            there, half = path.arc_of_clock(piece.clock), piece.length_mm / 2
            both = site.mirror or piece.mirror
            for arc in {there, -there} if both else {there}:
                for clock in site.clocks():
                    away = math.remainder(arc - path.arc_of_clock(clock), path.length)
                    taken = (away - half, away + half)
                    site = replace(site, keep_out_mm=(*site.keep_out_mm, taken))
        elif isinstance(site, ThroatSite) and isinstance(piece, Throat):
            overlaps = piece.from_mm < site.to_mm and piece.to_mm > site.from_mm
            if overlaps:
                site = replace(site, from_mm=min(piece.to_mm, site.to_mm))
    return site


def _ways(
    frame: Outline, site: Site, material: RecipeMaterial
) -> Iterator[tuple[tuple[Piece, ...], int, float]]:
    """(pieces, cuts, length in mm) of every way to use a material at a site."""
    if isinstance(site, PlugSite):
        yield from _inside(site, material)
    elif isinstance(material, Tape) and isinstance(site, (StripSite, ThroatSite)):
        longest = site.max_length_mm if isinstance(site, StripSite) else site.to_mm - site.from_mm
        for length in _cuts(site, material, longest):
            for layers in range(1, material.max_layers + 1):
                pieces, cuts = _tape(frame, site, material, length, layers)
                if pieces:
                    yield pieces, cuts * layers, length


def _inside(
    site: PlugSite, material: RecipeMaterial
) -> Iterator[tuple[tuple[Piece, ...], int, float]]:
    if isinstance(material, Putty) and site.filling == "cavity":
        doses = [
            (count * material.step_g, 0)
            for count in range(1, _whole(material.max_g / material.step_g) + 1)
        ]
    elif isinstance(material, Tape) and site.filling != "cavity":
        if site.filling == "grip":
            for cut in _lengths(material, min(site.to_mm - site.from_mm, site.max_length_mm / 2)):
                for count in range(2, BEVELS + 1, 2):
                    if cut * count <= site.max_length_mm + 1e-9:
                        yield (along_bevels(site, material, cut, count),), count, cut
            return
        # Strips as long as the place is deep, laid side by side: how they are divided is the hand's
        # choice.
        depth = max(site.to_mm - site.from_mm, material.step_mm)
        doses = [
            (material.g_per_mm * length, math.ceil(length / depth - 1e-9))
            for length in _lengths(material, site.max_length_mm)
        ]
    else:
        return
    for grams, cuts in doses:
        yield (in_handle(site, grams, material.name),), cuts, math.inf


def along_bevels(site: PlugSite, tape: Tape, cut_mm: float, count: int, layers: int = 1) -> Bevels:
    """So many strips of a tape under the grip, from the top of the place down."""
    grams = tape.g_per_mm * cut_mm * count * layers
    return Bevels(
        mass_g=grams, from_mm=site.to_mm - cut_mm, to_mm=site.to_mm, count=count, layers=layers,
        site=site.name, material=tape.name,
    )  # fmt: skip


def in_handle(site: PlugSite, grams: float, material: str | None = None) -> Piece:
    """Grams in a stretch of the handle, or along its bevels."""
    kind = Bevels if site.filling == "grip" else Plug
    return kind(
        mass_g=grams, from_mm=site.from_mm, to_mm=site.to_mm, site=site.name, material=material
    )


def _cuts(site: StripSite | ThroatSite, tape: Tape, longest: float) -> Iterator[float]:
    """Lengths of a strip there. Where its middle is kept free, each end is cut in whole steps."""
    free = _kept_free_about_its_middle(site)
    if not free:
        yield from _lengths(tape, longest)
        return
    for end in _lengths(tape, (longest - free) / 2):
        yield free + 2 * end


def _kept_free_about_its_middle(site: StripSite | ThroatSite) -> float:
    """How wide a stretch is kept free to both sides of a site's middle alike, mm; 0 for none."""
    free = site.keep_out_mm if isinstance(site, StripSite) else ()
    return max(
        (high - low for low, high in free if low < 0 < high and abs(low + high) < ALIKE_MM),
        default=0.0,
    )


def _lengths(tape: Tape, longest: float) -> Iterator[float]:
    """Whole steps up to the longest, none shorter than the tape may be cut."""
    for count in range(1, _whole(longest / tape.step_mm) + 1):
        if count * tape.step_mm >= tape.least_mm - 1e-9:
            yield count * tape.step_mm


def _whole(number: float) -> int:
    """Whole steps in a length; one that fits but for rounding counts."""
    return int(number + 1e-9)


def _tape(
    frame: Outline, site: StripSite | ThroatSite, tape: Tape, length: float, layers: int
) -> tuple[tuple[Piece, ...], int]:
    if isinstance(site, ThroatSite):
        throat = Throat(
            mass_g=tape.g_per_mm * length * THROAT_RUNS * layers, from_mm=site.from_mm,
            to_mm=site.from_mm + length, site=site.name, material=tape.name, layers=layers,
        )  # fmt: skip
        return (throat,), THROAT_RUNS
    path = frame.path(site.line)
    pieces = []
    least = max(LEAST_CUT_MM, tape.least_mm)
    for start, end in _outside(length, site.keep_out_mm, least):
        for strip in site.strips(end - start):
            if start != -end:
                middle = path.arc_of_clock(strip.clock) + (start + end) / 2
                strip = replace(strip, clock=path.clock_of_arc(middle))
            grams = tape.g_per_mm * (end - start) * strip.runs * layers
            pieces.append(replace(strip, mass_g=grams, material=tape.name, layers=layers))
    return tuple(pieces), sum(strip.runs for strip in pieces)


def _outside(
    length: float, keep_out: Iterable[tuple[float, float]], least: float
) -> list[tuple[float, float]]:
    """The stretches of a strip, from its centre, that lie outside what must be kept free."""
    free = [(-length / 2, length / 2)]
    for low, high in keep_out:
        cut = []
        for start, end in free:
            cut += [(start, min(end, low)), (max(start, high), end)]
        free = [(start, end) for start, end in cut if end > start]
    whole = not any(low < length / 2 and high > -length / 2 for low, high in keep_out)
    return free if whole else [(start, end) for start, end in free if end - start >= least]
