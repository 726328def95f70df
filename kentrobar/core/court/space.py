"""The set-ups that can be tried on a frame with reversible tape, and what they change."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.recipes.brief import Site, Tape
from kentrobar.core.recipes.candidates import Candidate, candidates

from .search import NOTICED

LEVELS = 3
MOST_SITES = 3
FIGURES = ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2")


@dataclass(frozen=True, slots=True)
class Setup:
    """What lies at each site, by its key in grams, the pieces that makes, and by how many noticed
    steps each of FIGURES differs from the frame as it came."""

    grams: dict[str, float]
    pieces: tuple[Piece, ...]
    place: tuple[float, ...]

    def moves(self, other: Setup) -> int:
        """Sites at which tape is moved to come from this one to another."""
        keys = self.grams.keys() | other.grams.keys()
        return sum(abs(self.grams.get(k, 0.0) - other.grams.get(k, 0.0)) > 1e-6 for k in keys)


def space(
    outline: Outline,
    measured: Measured,
    sites: Mapping[str, Site],
    tape: Tape,
    most_g: float,
    rails: Mapping[str, float] = MappingProxyType({}),
) -> list[Setup]:
    """Every set-up of some levels at up to three sites inside the guard rails; the first is the
    frame as it came.

    Args:
        most_g: of tape in all. rails: how far others of FIGURES may go from the frame as it came,
            either way, in their own units.

    Raises:
        ValueError: no tape of this kind fits any of the sites, or none stays inside the rails.
    """
    chosen = dict(list(sites.items())[:MOST_SITES])
    ways = candidates(outline, (tape,), tuple(chosen.values()))
    levels = {
        key: _levels([one for one in ways if one.site == i], most_g / 2)
        for i, key in enumerate(chosen)
    }
    if not any(levels.values()):
        raise ValueError("This tape fits none of these sites: choose another, or other sites.")
    body = measured.body()
    axis = measured.axis_mm if measured.axis_mm is not None else 100.0
    found = []
    for combined in itertools.product(*([None, *one] for one in levels.values())):
        grams = {
            key: nominal(one.body.mass) for key, one in zip(levels, combined, strict=True) if one
        }
        if sum(grams.values()) > most_g + 1e-9:
            continue
        pieces = tuple(piece for one in combined if one for piece in one.pieces)
        laden = sum((body_of(piece, outline) for piece in pieces), NOTHING)
        place = _place(body, body + laden, axis)
        steps = dict(zip(FIGURES, place, strict=True))
        if all(abs(steps[name]) * NOTICED[name] <= most + 1e-3 for name, most in rails.items()):
            found.append(Setup(grams, pieces, place))
    if len(found) < 2:
        raise ValueError("Nothing that can be put on stays inside these limits: widen one.")
    return found


def _levels(ways: list[Candidate], most_g: float) -> list[Candidate]:
    """A few amounts at one site, evenly up to the most that fits, told apart by a third of that."""
    there = sorted(
        (one for one in ways if nominal(one.body.mass) <= most_g),
        key=lambda one: (nominal(one.body.mass), one.cuts),
    )
    if not there:
        return []
    top = nominal(there[-1].body.mass)
    found: list[Candidate] = []
    for k in range(1, LEVELS + 1):
        wanted = top * k / LEVELS
        near = min(there, key=lambda one: (abs(nominal(one.body.mass) - wanted), one.cuts))
        if near not in found:
            found.append(near)
    return found


def _place(before: Body, after: Body, axis_mm: float) -> tuple[float, ...]:
    changes = (
        after.mass - before.mass,
        after.balance - before.balance,
        after.swing_kgcm2(axis_mm) - before.swing_kgcm2(axis_mm),
        after.twist_kgcm2 - before.twist_kgcm2,
    )
    return tuple(
        round(nominal(change) / NOTICED[name], 4)
        for name, change in zip(FIGURES, changes, strict=True)
    )
