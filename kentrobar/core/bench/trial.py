"""Predicted against read: how far apart, what accounts for it best, and whether to go on.

A residual is what was read less what was predicted. Figures that share a cause of uncertainty move
together, so they are judged together: by χ² with their joint covariance. Each suspicion says what
it would do to all figures at once, by a known amount (an overgrip left off) or by one that is
fitted (a piece that is heavier). What is left of the residuals then, and how common such a thing
is, ranks it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import NormalDist

from kentrobar.core.frame.condition import shifted
from kentrobar.core.frame.together import covariance, triangle
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.quantities import FIGURES, READ, figure, plain_figures
from kentrobar.core.words import Message, message

from .suspicions import (
    Checked,
    Fitted,
    Suspicion,
    of_before,
    of_the_fitting,
    of_the_reading,
    of_what_varies,
)

SUSPECT = 2.0
"""A figure by itself so many uncertainties off is pointed out."""
COARSE_U_G, FINE_U_G = 0.25, 0.03
"""Standard uncertainty of a mass, g, from which a scale is too coarse for a trial; on a scale that
reads 0.1 g."""
AGREED = (3.841, 5.991, 7.815, 9.488)
"""χ² that one, two, three and four figures exceed by chance one time in twenty."""
ONE_REASON_LEAVES = 4.0
"""χ² for each figure: what is left beyond that has a reason of its own."""


@dataclass(frozen=True, slots=True)
class Residual:
    """One figure predicted and read. ``u`` is of both together, ``z`` how many of it they lie
    apart."""

    figure: str
    predicted: float
    read: float
    u: float

    @property
    def off(self) -> float:
        return self.read - self.predicted

    @property
    def z(self) -> float:
        return self.off / self.u


@dataclass(frozen=True, slots=True)
class Compared:
    """``chi2`` is of all residuals together; ``is_agreed`` where chance alone leaves as much."""

    residuals: tuple[Residual, ...]
    suspicions: tuple[Suspicion, ...]
    chi2: float = 0.0

    @property
    def is_agreed(self) -> bool:
        return not self.residuals or self.chi2 <= AGREED[len(self.residuals) - 1]

    @property
    def is_more_than_one(self) -> bool:
        """Whether even the likeliest suspicion leaves a gap that wants another reason."""
        return bool(self.suspicions) and self.suspicions[0].left > ONE_REASON_LEAVES * len(
            self.residuals
        )


@dataclass(frozen=True, slots=True)
class Gap:
    """What was read less what was predicted, and the lower triangle of their joint covariance."""

    off: Mapping[str, float]
    rows: Sequence[Sequence[float]]

    def spun(self, change: Mapping[str, float]) -> list[float]:
        """A change of the figures in independent units of one standard uncertainty each."""
        found: list[float] = []
        for i, name in enumerate(self.off):
            known = sum(self.rows[i][k] * found[k] for k in range(i))
            found.append((change[name] - known) / self.rows[i][i])
        return found

    def chi2(self, change: Mapping[str, float]) -> float:
        return sum(one * one for one in self.spun(change))


def coarse(fitted: Sequence[Fitted], mass_u: float | None) -> Message | None:
    """What a coarse scale costs: how often the lightest piece, half of it missing, is seen in the
    mass, and how often on a scale that reads 0.1 g; None where it is fine enough."""
    grams = [abs(one.piece.mass_g) / 2 for one in fitted]
    if mass_u is None or mass_u < COARSE_U_G or not grams:
        return None
    seen = [NormalDist().cdf(min(grams) / u - SUSPECT) for u in (mass_u, FINE_U_G)]
    return message("coarse-scale", u=mass_u, now=seen[0], then=seen[1])


def compare(
    outline: Outline,
    before: Body,
    fitted: Sequence[Fitted],
    read: Mapping[str, tuple[float, float | None]],
    axis_mm: float,
    parts: Mapping[str, Body] | None = None,
    checks: Mapping[str, Checked] | None = None,
    varying: Mapping[str, Body] | None = None,
) -> Compared:
    """Hold what was read after a fitting against what was predicted.

    Args:
        before: the frame as read before, with its uncertainties. fitted: what was really put on.
        read: figures after, each with one standard uncertainty or None; swing weight about
            ``axis_mm``.
        parts: what may be missing or one too many, by its name: an overgrip, a dampener.
        checks: the last check of what each figure is read with, by figure, where there was one.
        varying: what may be heavier or lighter than it was, by its name: strings, a damp grip.
    """
    bodies = [body_of(one.piece, outline) for one in fitted]
    after = sum(bodies, before)
    predicted = plain_figures(after, axis_mm, READ)
    square = joint_covariance(after, bodies, fitted, read, axis_mm)
    residuals = tuple(
        Residual(name, predicted[name], value, math.sqrt(square[i][i]))
        for i, (name, (value, _)) in enumerate(read.items())
    )
    gap = Gap({one.figure: one.off for one in residuals}, triangle(square))
    compared = Compared(residuals, (), gap.chi2(gap.off))
    if compared.is_agreed:
        return compared
    found = [
        *of_the_fitting(outline, after.plain, bodies, fitted, parts or {}, axis_mm),
        *of_what_varies(after.plain, varying or {}, axis_mm),
        *of_before(before.plain, after.plain, axis_mm),
        *of_the_reading(after.plain, read, axis_mm, checks or {}),
    ]
    return replace(compared, suspicions=tuple(_ranked(found, gap)))


def joint_covariance(
    after: Body,
    bodies: Sequence[Body],
    fitted: Sequence[Fitted],
    read: Mapping[str, tuple[float, float | None]],
    axis_mm: float,
) -> list[list[float]]:
    """Of read less predicted, by figure: the frame's readings before, which move several
    figures at once, the pieces' masses and places, which do too, and each reading by itself."""
    given = [figure(name, after, axis_mm) for name in read]
    square = [[covariance(one, other) for other in given] for one in given]
    plain = after.plain
    now = plain_figures(plain, axis_mm, READ)
    for body, one in zip(bodies, fitted, strict=True):
        own = body.plain
        for moved in (own * (one.u_g / abs(own.mass)), shifted(own, one.piece.place_u_mm) - own):
            then = plain_figures(plain + moved, axis_mm, READ)
            change = [then[name] - now[name] for name in read]
            for i, mine in enumerate(change):
                for k, theirs in enumerate(change):
                    square[i][k] += mine * theirs
    for i, (name, (_, u)) in enumerate(read.items()):
        # What says nothing of how it was read is as sure as such figures are.
        square[i][i] += (u or FIGURES[name].least_u) ** 2
    return square


def _ranked(found: Sequence[Suspicion | tuple[Suspicion, float]], gap: Gap) -> list[Suspicion]:
    """Best first; what explains next to nothing more than chance is left out."""
    scored = []
    for one in found:
        suspicion, spread = one if isinstance(one, tuple) else (one, None)
        scored.append(_settled(suspicion, spread, gap))
    scored = _best_of_each_piece(_best_of_each_key(scored))
    scores = {one.key: one.left + one.cost for one in scored}
    least = min(scores.values())
    weights = {key: math.exp(-(score - least) / 2) for key, score in scores.items()}
    total = sum(weights.values())
    ranked = sorted(
        (replace(one, likely=weights[one.key] / total) for one in scored),
        key=lambda one: -one.likely,
    )
    return [one for one in ranked if one.likely >= 0.01][:8]


def _best_of_each_key(scored: Sequence[Suspicion]) -> list[Suspicion]:
    """Of one thing that may be little or much, the likelier."""
    best: dict[str, Suspicion] = {}
    for one in scored:
        known = best.get(one.key)
        if known is None or one.left + one.cost < known.left + known.cost:
            best[one.key] = one
    return list(best.values())


def _best_of_each_piece(scored: Sequence[Suspicion]) -> list[Suspicion]:
    """Of the many places one piece could lie, the likeliest alone."""
    places = sorted(
        (one for one in scored if one.key.startswith("place-")), key=lambda one: one.left + one.cost
    )
    first = {one.piece: one for one in reversed(places)}
    rest = [one for one in scored if not one.key.startswith("place-")]
    return rest + [replace(one, key=f"place-{one.piece}") for one in first.values()]


def _settled(one: Suspicion, spread: float | None, gap: Gap) -> Suspicion:
    """A suspicion with its amount fitted, and χ² that it leaves."""
    amount = 1.0
    explains = dict(one.explains)
    if spread is not None:
        # Least squares with the usual spread of such a thing as one more observation.
        off, unit = gap.spun(gap.off), gap.spun(explains)
        top = sum(mine * theirs for mine, theirs in zip(off, unit, strict=True))
        bottom = sum(mine * mine for mine in unit) + 1 / spread**2
        amount = top / bottom
        explains = {name: value * amount for name, value in explains.items()}
    left = gap.chi2({name: off - explains[name] for name, off in gap.off.items()})
    accounts = max(0.0, 1 - left / gap.chi2(gap.off))
    if spread is None:
        return replace(one, left=left, accounts=accounts)
    cost = one.cost + (amount / spread) ** 2 + math.log(spread**2 * bottom)
    return replace(
        one, message=_of(one.message, amount), explains=explains, left=left, accounts=accounts,
        cost=cost, grams=_grams(one, amount),
    )  # fmt: skip


def _grams(one: Suspicion, amount: float) -> float | None:
    return amount if one.key.startswith("mass-") else None


def _of(said: Message, amount: float) -> Message:
    return replace(said, figures={**said.figures, "amount": amount})
