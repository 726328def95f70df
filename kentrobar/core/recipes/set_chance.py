"""The chance that all frames of a set end inside together, and what would raise it most.

Every source of uncertainty is drawn once. One that frames share, a scale, a board, a roll of tape,
moves them together: where they are judged by each other it does not part them.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from kentrobar.core.frame.together import moves
from kentrobar.core.numbers import nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.quantities import FIGURES, READ, figure, plain_figures

from .brief import Brief, plain_body
from .candidates import Candidate
from .chance import DRAWS, made_changes, read_changes
from .frame_set import FrameSet, Member
from .quick import HELPS

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    Table = NDArray[np.float64]

WORTH = 0.05
"""Gain in success probability worth reading again for."""


@dataclass(frozen=True, slots=True)
class Sharper:
    """A figure worth reading better in every frame: to one standard uncertainty of ``u``, with what
    the set's chance is then."""

    figure: str
    u: float
    chance: float


@dataclass(frozen=True, slots=True)
class ChosenRecipes:
    """A set with what was chosen for it: the brief and the candidates of each frame, towards a
    ``target``."""

    frames: FrameSet
    briefs: Sequence[Brief]
    chosen: Sequence[Sequence[Candidate]]
    target: Mapping[str, float]

    def chance(self, better: Mapping[str, float] | None = None) -> float:
        """That all frames end inside together; ``better``: uncertainties of figures read anew."""
        import numpy as np

        axis, names = self.briefs[0].measured.axis_mm, list(self.target)
        sources = np.random.default_rng(0)
        shared: dict[str, Table] = {}
        drawn = []
        for member, brief, ways in zip(self.frames.frames, self.briefs, self.chosen, strict=True):
            read = _read_better(member, better or {})
            body = plain_body(brief.measured)
            after = sum((way.body for way in ways), body)
            at = np.array([figure(name, after, axis) for name in names])
            off = np.tile(at, (DRAWS, 1))
            for source, change in _sources(read, brief, ways):
                by = np.array([figure(name, after + change, axis) for name in names]) - at
                if not source:
                    off += sources.standard_normal(DRAWS)[:, None] * by
                    continue
                if source not in shared:
                    shared[source] = sources.standard_normal(DRAWS)
                off += shared[source][:, None] * by
            drawn.append(off)
        return round(float(self._inside(np.array(drawn)).mean()), 2)

    def _inside(self, drawn: Table) -> Table:
        """Of each draw whether all frames are inside; ``drawn``: (frames, draws, figures)."""
        import numpy as np

        tol = np.array([self.frames.tol(name) for name in self.target]) + 1e-9
        followed = [f"frame:{one.name}" for one in self.frames.frames]
        if self.frames.judged == "spread":
            inside: Table = (np.ptp(drawn, axis=0) <= 2 * tol).all(axis=1)
            return inside
        about = np.array(list(self.target.values()))
        if self.frames.target in followed:
            about = drawn[followed.index(self.frames.target)]
        off: Table = (abs(drawn - about) <= tol).all(axis=(0, 2))
        return off

    def sharper(self, now: float) -> Sharper | None:
        """The figure whose better reading raises the chance most; None where none does by much."""
        found = []
        for name in (one for one in READ if one != "twist_kgcm2"):
            u = FIGURES[name].least_u
            reads = [uncertainty(getattr(one.measured, name)) or 0.0 for one in self.frames.frames]
            if name in _parts_of(self.target) and max(reads) * HELPS > u:
                found.append(Sharper(name, u, self.chance({name: u})))
        best = max(found, key=lambda one: one.chance, default=None)
        return best if best and best.chance >= now + WORTH else None


def _parts_of(target: Mapping[str, float]) -> set[str]:
    """The figures that are read for those that should agree: a recoil weight is of all three."""
    return set(READ) if "recoil_kgcm2" in target else set(target)


def _read_better(member: Member, better: Mapping[str, float]) -> Member:
    """A member with some figures read better, by themselves."""
    for name, u in better.items():
        was = uncertainty(getattr(member.measured, name)) or 0.0
        if was <= u:
            continue
        sharp = ufloat(nominal(getattr(member.measured, name)), u)
        less = {source: one * u / was for source, one in member.shared_u.get(name, {}).items()}
        member = replace(
            member, measured=replace(member.measured, **{name: sharp}),  # type: ignore[arg-type]
            shared_u={**member.shared_u, name: less},
        )  # fmt: skip
    return member


def _sources(member: Member, brief: Brief, ways: Sequence[Candidate]) -> Iterator[tuple[str, Body]]:
    """(source that others share, '' for one of the frame's own; change by one standard
    uncertainty)."""
    plain = member.measured.plain
    body = plain_body(plain)

    def changed(by: Mapping[str, float]) -> Body:
        moved = {name: getattr(plain, name) + one for name, one in by.items()}
        return plain_body(replace(plain, **moved)) - body

    own = {name: _own_share(member, name) for name in READ}
    for move in moves(member.measured):
        yield "", changed({name: own[name] * by for name, by in move.items()})
    for name, sources in member.shared_u.items():
        for source, u in sources.items():
            yield f"{name}: {source}", changed({name: u})
    yield from ((f"roll: {roll}" if roll else "", change)
                for roll, change in made_changes(brief, ways))  # fmt: skip


def _own_share(member: Member, name: str) -> float:
    """The part of a reading's uncertainty that is the frame's own."""
    shared = math.hypot(*member.shared_u.get(name, {}).values())
    value = getattr(member.measured, name)
    u = (uncertainty(value) or 0.0) if value is not None else 0.0
    return math.sqrt(max(1 - (shared / u) ** 2, 0.0)) if u else 1.0


def read_u(brief: Brief, names: Sequence[str]) -> dict[str, float]:
    """One standard uncertainty that the readings of a frame leave in each figure."""
    body, axis = plain_body(brief.measured), brief.measured.axis_mm
    at = plain_figures(body, axis, names)
    by = [plain_figures(body + change, axis, names) for change in read_changes(brief.measured)]
    return {name: math.hypot(*(one[name] - at[name] for one in by)) for name in names}
