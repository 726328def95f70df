"""What a little mass does at every usual site, and along the whole frame."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import KGCM2, NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.throat import Throat

from .brief import PartSite, Site, StripSite, ThroatSite
from .candidates import in_handle
from .usual import usual_sites

SHORT_MM = 50.8
"""A strip short enough to stand for its site."""


@dataclass(frozen=True, slots=True)
class Effect:
    """What some grams at a site change: mm, kg·cm². ``x_mm`` is how far from the butt they lie."""

    key: str
    name: str
    pieces: tuple[Piece, ...]
    x_mm: float
    balance_mm: float
    swing_kgcm2: float
    twist_kgcm2: float
    recoil_kgcm2: float


def pieces_at(site: Site, grams: float, longest_mm: float = SHORT_MM) -> tuple[Piece, ...]:
    """Some grams at a site, whatever they are made of; a strip no longer than ``longest_mm``."""
    if isinstance(site, StripSite):
        return site.strips(min(longest_mm, site.max_length_mm), grams)
    if isinstance(site, ThroatSite):
        throat = Throat(mass_g=grams, from_mm=site.from_mm, to_mm=site.to_mm, site=site.name)
        return (throat,)
    if isinstance(site, PartSite):
        return (replace(site.piece, mass_g=grams),)
    return (in_handle(site, grams),)


def effects(
    outline: Outline, body: Body, axis_mm: float, grams: float = 1.0,
    sites: Mapping[str, Site] | None = None,
) -> list[Effect]:  # fmt: skip
    """What ``grams`` do at every site of a frame, the usual ones where none are said, tip to
    butt."""
    sites = usual_sites(outline) if sites is None else sites
    grip_end = round(outline.handle_length_mm - 5.0)
    places = [(key, site.name, pieces_at(site, grams)) for key, site in sites.items()]
    grip = Sleeve(mass_g=grams, from_mm=0.0, to_mm=max(grip_end, 10.0))
    places.append(("grip", "Round the handle", (grip,)))
    found = [effect(key, name, pieces, outline, body, axis_mm) for key, name, pieces in places]
    return sorted(found, key=lambda one: -one.x_mm)


def effect(
    key: str, name: str, pieces: tuple[Piece, ...], outline: Outline, body: Body, axis_mm: float
) -> Effect:
    """What pieces at one site change on a frame."""
    own = sum((body_of(piece, outline) for piece in pieces), NOTHING)
    after = body + own
    return Effect(
        key, name, pieces, own.balance, after.balance - body.balance, own.swing_kgcm2(axis_mm),
        own.twist_kgcm2, after.recoil_kgcm2 - body.recoil_kgcm2,
    )  # fmt: skip


def curve(
    length_mm: float, axis_mm: float, grams: float = 1.0, points: int = 121
) -> list[tuple[float, float]]:
    """(distance from the butt, change of swing weight) of grams on the centre line: a square about
    the axis.

    It is zero at the axis and above it everywhere else: no mass put on lowers a swing weight.
    """
    xs = sorted({length_mm * i / (points - 1) for i in range(points)} | {axis_mm})
    return [(x, grams * (x - axis_mm) ** 2 / KGCM2) for x in xs]
