"""Everything that could be put on: each site × material × length × layers with its exact Body."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

from ..body import NOTHING, Body
from ..outline import Outline
from ..pieces import Piece, Plug, Strip, Throat, body_of
from .brief import Material, PlugSite, Putty, Site, StripSite, Tape, ThroatSite

LEAST_CUT_MM = 3.0
"""Shorter ends beside a keep-out do not stick: they are left off."""
THROAT_RUNS = 4
"""Both shafts, both sides."""


@dataclass(frozen=True, slots=True)
class Candidate:
    """One way to use one site: the pieces it comes to, and their Body together.

    Attributes:
        site, material: indexes into the brief's lists.
        cuts: how many strips are cut. length_mm: of each, infinite for what is dosed.
    """

    site: int
    material: int
    pieces: tuple[Piece, ...]
    body: Body
    cuts: int
    length_mm: float


def candidates(frame: Outline, materials: tuple[Material, ...], sites: tuple[Site, ...]) -> list[Candidate]:
    found = []
    for s, site in enumerate(sites):
        for m, material in enumerate(materials):
            for pieces, cuts, length in _ways(frame, site, material):
                body = sum((body_of(piece, frame) for piece in pieces), NOTHING)
                found.append(Candidate(s, m, pieces, body, cuts, length))
    return found


def _ways(frame: Outline, site: Site, material: Material) -> Iterator[tuple[tuple[Piece, ...], int, float]]:
    """(pieces, cuts, length in mm) of every way to use a material at a site."""
    if isinstance(site, PlugSite):
        if isinstance(material, Putty):
            for count in range(1, _whole(material.max_g / material.step_g) + 1):
                plug = Plug(
                    mass_g=count * material.step_g, from_mm=site.from_mm, to_mm=site.to_mm, site=site.name,
                    material=material.name,
                )  # fmt: skip
                yield (plug,), 0, math.inf
        return
    if not isinstance(material, Tape):
        return
    longest = site.max_length_mm if isinstance(site, StripSite) else site.to_mm - site.from_mm
    for count in range(1, _whole(longest / material.step_mm) + 1):
        length = count * material.step_mm
        for layers in range(1, material.max_layers + 1):
            pieces, cuts = _tape(frame, site, material, length, layers)
            if pieces:
                yield pieces, cuts * layers, length


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
    middle = path.arc_of_clock(site.clock)
    pieces = []
    for start, end in _outside(length, site.keep_out_mm):
        clock = site.clock if start == -end else path.clock_of_arc(middle + (start + end) / 2)
        strip = Strip(
            mass_g=1.0, clock=clock, length_mm=end - start, line=site.line, mirror=site.mirror, site=site.name,
            material=tape.name, layers=layers,
        )  # fmt: skip
        grams = tape.g_per_mm * (end - start) * strip.runs * layers
        pieces.append(replace(strip, mass_g=grams))
    return tuple(pieces), sum(strip.runs for strip in pieces)


def _outside(length: float, keep_out: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """The stretches of a strip, from its centre, that lie outside what must be kept free."""
    free = [(-length / 2, length / 2)]
    for low, high in keep_out:
        cut = []
        for start, end in free:
            cut += [(start, min(end, low)), (max(start, high), end)]
        free = [(start, end) for start, end in cut if end > start]
    whole = not any(low < length / 2 and high > -length / 2 for low, high in keep_out)
    return free if whole else [(start, end) for start, end in free if end - start >= LEAST_CUT_MM]
