"""How sure a recipe is, and a set of them: what honest cutting and measuring leave open, and the
chance to end inside tolerance.

Sources that are independent of each other each move all figures at once: the frame's readings, the
grams per length of a roll (for all its strips together), every cut, every place, every dose. Their
effects add in quadrature; the chance is counted over draws from a fixed seed, so that it is the
same every time. What all frames of a set share (a scale, a board, a roll of tape) moves them
together and does not part them: it is drawn once for all.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from kentrobar.core.frame.condition import shifted
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.together import moves
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.quantities import figure, plain_figures

from .brief import Brief, PartSite, Tape, plain_body
from .candidates import NO_MATERIAL, Candidate

CUT_U_MM = 0.5
"""One standard uncertainty of a strip's length, cut by hand along a ruler."""
DRAWS = 4000


@dataclass(frozen=True, slots=True)
class Sureness:
    """``u`` is one standard uncertainty of each figure after; ``chance`` that all targets are
    met."""

    u: dict[str, float]
    chance: float


def sureness(brief: Brief, after: Body, chosen: Sequence[Candidate]) -> Sureness:
    import numpy as np

    wanted = brief.wanted()
    axis = brief.measured.axis_mm
    names = list(plain_figures(after, axis))
    start = plain_figures(after, axis)
    moves = []
    misses = []
    for change in _changes(brief, chosen):
        moved = plain_figures(after + change, axis)
        moves.append([moved[name] - start[name] for name in names])
        misses.append(
            [figure(name, after + change, goal.about(axis)) for name, goal in wanted.items()]
        )
    if not moves:
        return Sureness(dict.fromkeys(names, 0.0), float(_is_met(brief, after)))
    by_source = np.array(moves)
    at = np.array([figure(name, after, goal.about(axis)) for name, goal in wanted.items()])
    off = at - np.array([goal.value for goal in wanted.values()])
    draws = np.random.default_rng(0).standard_normal((DRAWS, len(moves)))
    drawn = off + draws @ (np.array(misses) - at)
    inside = (np.abs(drawn) <= np.array([goal.tol for goal in wanted.values()]) + 1e-9).all(axis=1)
    u = np.sqrt((by_source**2).sum(axis=0))
    return Sureness(dict(zip(names, map(float, u), strict=True)), round(float(inside.mean()), 2))


def _is_met(brief: Brief, after: Body) -> bool:
    return all(
        abs(figure(name, after, goal.about(brief.measured.axis_mm)) - goal.value) <= goal.tol + 1e-9
        for name, goal in brief.wanted().items()
    )


def _changes(brief: Brief, chosen: Sequence[Candidate]) -> Iterator[Body]:
    """What one standard uncertainty of each source changes."""
    yield from read_changes(brief.measured)
    yield from (change for _, change in made_changes(brief, chosen))


def made_changes(brief: Brief, chosen: Sequence[Candidate]) -> Iterator[tuple[str, Body]]:
    """(roll that errs through all cut off it, '' for none; change) of what is cut, dosed and
    placed, one standard uncertainty each."""
    by_roll: dict[int, Body] = {}
    sites = brief.all_sites()
    for way in chosen:
        site = sites[way.site]
        if way.material == NO_MATERIAL:
            assert isinstance(site, PartSite)
            yield "", way.body * (site.u_g / way.body.mass)
            continue
        material = brief.materials[way.material]
        if isinstance(material, Tape):
            rolled = way.body * (material.u_percent / 100)
            by_roll[way.material] = by_roll.get(way.material, NOTHING) + rolled
            # Every run is cut by itself, so a hand's errors of the runs even out.
            yield "", way.body * (CUT_U_MM / way.length_mm / max(way.cuts, 1) ** 0.5)
        else:
            yield "", way.body * (material.u_g / way.body.mass)
        yield "", shifted(way.body, way.pieces[0].place_u_mm) - way.body
    yield from ((brief.materials[m].name, change) for m, change in by_roll.items())


def read_changes(measured: Measured) -> Iterator[Body]:
    """What one standard uncertainty of each reading changes; readings that are tied change
    together."""
    plain = measured.plain
    body = plain_body(plain)
    for move in moves(measured):
        moved = {name: getattr(plain, name) + by for name, by in move.items()}
        yield plain_body(replace(plain, **moved)) - body
