"""A common target settled at once: where the set would come together were tape cut anywhere, or by
small steps from there, as long as what exchanges find for the frames comes nearer, or moves fewer
grams.

Strips and half grams fall either side of the figures they were meant for, so the best target for
parts of them is seldom the best for whole ones; but it is near. A few hundred exchanges look there,
the same ones on a slow machine as on a quick one. Nothing is proven by it: ``joint`` does that.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import chain, product

from .exchange import exchanged
from .frame_set import FrameSet
from .joint import BEYOND, Common, Together, were_tape_cut_anywhere
from .programme import Programme, as_light

INSIDE = (0.95, 0.85, 0.7, 0.4)
"""Shares of the tolerances that parts of candidates are brought within, beside all of them: where
it is begun from."""
STEPS = (0.5, 0.25)
"""How far a target is moved, in tolerances: the smaller where the larger does not help."""

Check = Callable[[], None]


def settled(
    frames: FrameSet, set_: Together, in_parts: Common | None, check: Check
) -> Iterator[Common]:
    """Targets with whole steps for every frame, each better than the one before: first those that
    bring more frames inside, then those that move fewer grams.

    Args:
        in_parts: where the set would come together were tape cut anywhere.
        check: called between steps; may raise SearchStoppedError.
    """
    ground = _Ground(frames, set_, check)
    starts: list[Common] = []
    tighter = (were_tape_cut_anywhere(set_, inside) for inside in INSIDE)
    for parts in filter(None, chain((in_parts,), tighter)):
        start = ground.laid(parts.target)
        if all(_far(start) < _far(other) for other in starts):
            yield start
        starts.append(start)
    if not starts:
        return
    starts.sort(key=_far)
    best = starts[0]
    walked: list[Common] = []
    for start in starts:
        if any(_is_beside(start, other, set_) for other in walked):
            continue
        walked.append(start)
        for one in ground.walk(start):
            if _far(one) < _far(best):
                best = one
                yield one


def _is_beside(one: Common, other: Common, set_: Together) -> bool:
    """Whether two targets lie less than a step apart: from either the same is found, nearly
    always."""
    return all(
        abs(value - other.target[name]) < STEPS[0] * set_.tolerances[name]
        for name, value in one.target.items()
    )


def _far(common: Common) -> tuple[bool, float]:
    """Sets that are inside first; then what is beyond a tolerance and grams, in one figure: nothing
    light stays outside where anything comes in."""
    return not common.is_met, BEYOND * common.beyond + common.moved_g


class _Ground:
    """The targets about a set, each with what exchanges find for its frames."""

    def __init__(self, frames: FrameSet, set_: Together, check: Check) -> None:
        self.frames, self.set, self.check = frames, set_, check
        self.known: dict[tuple[float, ...], Common] = {}

    def walk(self, start: Common) -> Iterator[Common]:
        """Ever better targets, from a step aside to where no step helps."""
        best = start
        for share in STEPS:
            is_moving = True
            while is_moving:
                is_moving = False
                for one in self._about(best, share):
                    if _far(one) < _far(best):
                        best, is_moving = one, True
                        yield best
                        break

    def _about(self, common: Common, share: float) -> Iterator[Common]:
        """A step aside in one figure or in all of them, as far as the target is free."""
        count = len(common.target)
        for signs in product((-1, 0, 1), repeat=count):
            if sum(map(abs, signs)) not in (1, count):
                continue
            moved = {}
            for (name, value), sign in zip(common.target.items(), signs, strict=True):
                low, high = self.set.held.get(name, (value - 1e9, value + 1e9))
                aside = value + sign * share * self.set.tolerances[name]
                moved[name] = min(max(aside, low), high)
            if moved != common.target:
                yield self.laid(moved)

    def laid(self, target: dict[str, float]) -> Common:
        """A target with the whole steps that exchanges find for each frame."""
        key = tuple(round(value, 6) for value in target.values())
        if key not in self.known:
            self.check()
            self.known[key] = self._laid(target)
        return self.known[key]

    def _laid(self, target: dict[str, float]) -> Common:
        chosen, moved, beyond = [], 0.0, 0.0
        for member, body, ways in zip(
            self.frames.frames, self.set.bodies, self.set.ways, strict=True
        ):
            brief = self.frames.asked_of(member, target, self.set.axis)
            about = target.get("balance_mm", body.balance)
            p = Programme(brief, body, list(ways), about, self.check)
            found = exchanged(p, dict.fromkeys(p.names, 0.0), starts=1)
            chosen.append(found)
            moved += float(p.moved[list(found)].sum())
            # Over a limit on grams or cuts is further out than any figure.
            beyond += sum(p.beyond(found).values()) + (not p.may_be(found))
        return Common(
            target, tuple(chosen), False, beyond <= 1e-6, moved,
            as_light(moved, self.frames.weights.near), beyond,
        )  # fmt: skip
