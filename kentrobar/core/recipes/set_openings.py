"""What would let a set meet that cannot: another roll, another site, a part off, a wider tolerance,
fewer frames, another target."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from kentrobar.core.words import message

from .brief import PartSite
from .explain import Opening, is_last_resort
from .frame_set import FrameSet, Member
from .matched import Matched
from .set_search import SetSearch, matched
from .solve import Search

WIDER = (1.25, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.5, 8.0, 10.0, 13.0, 16.0)
"""Tolerances that are tried, in those asked for."""


@dataclass(frozen=True, slots=True)
class Addition:
    """A set with sites, materials or parts nobody chose; where it then meets, what is added, and
    what it costs: grams moved, with poison counted as the workshop weighs it."""

    kind: str
    names: tuple[str, ...]
    frames: FrameSet
    added_g: float = 0.0
    cost: float = math.inf

    @property
    def opening(self) -> Opening:
        name = "; ".join(self.names)
        told = message(f"open-{self.kind}", name=name, added=self.added_g)
        return Opening(self.kind, told, name)


def additions(set_: SetSearch) -> Iterator[Addition]:
    """What more would let all meet: another roll, else another site, else a part off, else all
    together; the fewest grams first."""
    frames = set_.frames
    set_.search.say("opening")
    gentle = [one for one in _spare_sites(frames) if not is_last_resort(one)]
    rolls = [
        Addition("material", (one.name,), replace(frames, materials=(*frames.materials, one)))
        for one in frames.spare_materials
    ]
    sites = [Addition("site", (one,), _with_sites(frames, (one,)))
             for one in _names(gentle, is_part=False)]  # fmt: skip
    parts = [Addition("part", (one,), _with_sites(frames, (one,)))
             for one in _names(gentle, is_part=True)]  # fmt: skip
    every = tuple(name for one in (*sites, *rolls, *parts) for name in one.names)
    whole = replace(_with_sites(frames, every), materials=frames.materials + frames.spare_materials)
    together = [Addition("together", every, whole)] if len(every) > 1 else []
    resorts = {one.name for one in _spare_sites(frames) if is_last_resort(one)}
    last = [Addition("last-resort", (one,), _with_sites(frames, (one,))) for one in sorted(resorts)]
    for group in (rolls, sites, parts, together, last):
        met = [done for one in group if (done := _tried(one, set_.search)) is not None]
        if met:
            yield from sorted(met, key=lambda one: one.cost)
            return


def _tried(addition: Addition, search: Search) -> Addition | None:
    """With the grams it takes; None where not all meet."""
    search.check()
    found = SetSearch(addition.frames, search)
    met = found.meeting(found.frames.target)
    if met.out:
        return None
    used: set[str] = set()
    poison = {one.name: getattr(one, "toxicity", 0.0) for one in found.frames.materials}
    added = toxic = 0.0
    grid = found.grid_of(found.frames.target)
    for k, (one, columns) in enumerate(
        zip(grid.reachable, grid.inside(met.target, found.tolerances), strict=True)
    ):
        column = int(columns[one.loads.grams[columns].argmin()])
        added += float(one.loads.sums[0, column])
        for i in one.loads.chosen(column):
            for piece in found.ways[k][i].pieces:
                used |= {str(piece.site), str(piece.material)}
                toxic += piece.mass_g * poison.get(piece.material or "", 0.0)
    names = addition.names
    if addition.kind == "together":
        names = tuple(name for name in names if name in used)
    cost = met.moved_g + found.frames.weights.toxic * toxic
    return replace(addition, names=names, added_g=added, cost=cost)


def wider(set_: SetSearch) -> Iterator[Opening]:
    """For each figure alone: the tolerance that would do, were the others kept."""
    code = "open-spread" if set_.frames.judged == "spread" else "open-tolerance"
    twice = 2 if set_.frames.judged == "spread" else 1
    for name, tol in set_.tolerances.items():

        def misses(factor: float, name: str = name, tol: float = tol) -> bool:
            set_.search.check()
            to = _rounded(factor * twice * tol) / twice
            return bool(set_.meeting(set_.frames.target, set_.tolerances | {name: to}).out)

        first = bisect_left(WIDER, True, key=lambda factor: not misses(factor))
        if first < len(WIDER):
            to = _rounded(WIDER[first] * twice * tol)
            told = message(code, figure=name, to=to, tol=twice * tol)
            yield Opening("tolerance", told, name, to)


def _rounded(tol: float) -> float:
    return float(f"{tol:.3g}")


def without(set_: SetSearch, answer: Matched) -> Matched | None:
    """The set without the frames that cannot reach its target, where the fewest grams do."""
    able = tuple(one for one in set_.frames.frames if one.name not in answer.left_out)
    if not 2 <= len(able) < len(set_.frames.frames):
        return None
    set_.search.say("without", names=answer.left_out)
    return SetSearch(_towards_least(replace(set_.frames, frames=able)), set_.search).answer()


def others(set_: SetSearch) -> Iterator[tuple[str, float]]:
    """Other targets that every frame can reach, with their grams."""
    set_.search.say("other-targets")
    for target in ("least-mass", *(f"frame:{member.name}" for member in set_.frames.frames)):
        if target != set_.frames.target:
            set_.search.check()
            met = set_.meeting(target)
            if not met.out:
                yield target, met.moved_g


def _towards_least(frames: FrameSet) -> FrameSet:
    """The same set on the target that adds least, with a tolerance for every figure."""
    given = frames.targets.given() if frames.targets else {}
    asked = {name: goal.tol for name, goal in given.items()} | frames.tolerances
    tolerances = {name: asked[name] for name in matched(frames)}
    return replace(frames, target="least-mass", targets=None, tolerances=tolerances)


def _spare_sites(frames: FrameSet) -> list[Any]:
    return [site for member in frames.frames for site in member.spare_sites]


def _names(sites: Sequence[Any], is_part: bool) -> list[str]:
    return list(dict.fromkeys(one.name for one in sites if isinstance(one, PartSite) == is_part))


def _with_sites(frames: FrameSet, names: Sequence[str]) -> FrameSet:
    """The set with the spare sites of these names, on every frame that has them."""

    def more(member: Member) -> Member:
        brought = tuple(site for site in member.spare_sites if site.name in names)
        if not brought:
            return member
        own = frames.sites if member.sites is None else member.sites
        return replace(member, sites=(*own, *brought))

    return replace(frames, frames=tuple(more(member) for member in frames.frames))
