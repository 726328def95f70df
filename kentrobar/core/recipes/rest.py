"""After a trial: the recipe for the rest, from where the frame stands now, or the advice to
stop."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import uncertainty
from kentrobar.core.pieces.bevels import Bevels
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.quantities import FIGURES, plain_figures
from kentrobar.core.words import Message, message

from .brief import Brief, PlugSite, Site, StripSite, ThroatSite, plain_body
from .chance import sureness
from .explain import Answer, solve
from .solve import Watch

MEETS_MM = 1.0
SAME_HOUR = 0.25
WORTH = 0.15
"""Another attempt is worth it where it raises the chance to end inside every tolerance by so
much."""


@dataclass(frozen=True, slots=True)
class Rest:
    """What is left to do.

    Attributes:
        misses: read − target now. chance_now: that the frame is inside every tolerance as it is.
        answer: recipes for the rest. is_enough: stop here, for the reason ``why``.
    """

    misses: dict[str, float]
    chance_now: float
    answer: Answer
    is_enough: bool
    why: Message

    @property
    def chance_then(self) -> float:
        return self.answer.recipes[0].sure.chance if self.answer.recipes else 0.0


def rest(
    brief: Brief,
    unnoticed: dict[str, float] | None = None,
    watch: Watch | None = None,
) -> Rest:
    """
    Args:
        brief: its ``measured`` is the frame as read after the trial, its ``fitted`` what is on it.
        unnoticed: what most players do not notice, where the workshop says otherwise than
            the usual ones of ``FIGURES``.
    """
    base, wanted = plain_body(brief.measured), brief.wanted()
    axis = brief.measured.axis_mm
    misses = {
        name: plain_figures(base, goal.about(axis))[name] - goal.value
        for name, goal in wanted.items()
    }
    now = sureness(brief, base, []).chance
    answer = solve(brief, watch)
    over = {name: miss for name, miss in misses.items() if abs(miss) > wanted[name].tol + 1e-9}
    if not over:
        return Rest(misses, now, answer, True, message("rest-inside"))
    then = answer.recipes[0].sure.chance
    noise = [name for name, miss in over.items() if abs(miss) - wanted[name].tol <= _u(brief, name)]
    limits = {name: one.unnoticed for name, one in FIGURES.items()} | (unnoticed or {})
    felt = [name for name, miss in over.items() if abs(miss) >= limits[name]]
    if len(noise) == len(over):
        return Rest(misses, now, answer, True, message("rest-noise", figures=noise, now=now))
    if not answer.is_whole and then < now + WORTH:
        return Rest(misses, now, answer, False, message("rest-unfinished"))
    if then < now + WORTH:
        why = message("rest-no-gain", then=100 * then, now=100 * now)
        return Rest(misses, now, answer, True, why)
    code = "rest-off" if felt else "rest-unnoticed"
    return Rest(misses, now, answer, not felt, message(code, figures=list(over)))


def _u(brief: Brief, name: str) -> float:
    read = getattr(brief.measured, name, None)
    return (uncertainty(read) or 0.0) if read is not None else 0.0


def lengthens(piece: Piece, fitted: Sequence[Piece], outline: Outline) -> int | None:
    """The index of the strip on the frame that a piece of the rest only makes longer: on the same
    line, of the same layers and material, end to end. None where it stands by itself."""
    if not isinstance(piece, Strip) or piece.mass_g < 0:
        return None
    path = outline.path(piece.line)
    for i, strip in enumerate(fitted):
        if not isinstance(strip, Strip) or (strip.line, strip.mirror) != (piece.line, piece.mirror):
            continue
        if (strip.layers or 1, strip.material) != (piece.layers or 1, piece.material):
            continue
        away = path.arc_of_clock(piece.clock) - path.arc_of_clock(strip.clock)
        gap = abs(math.remainder(away, path.length)) - (piece.length_mm + strip.length_mm) / 2
        if abs(gap) < MEETS_MM:
            return i
    return None


def is_at(piece: Piece, site: Site) -> bool:
    """Whether what was put on lies at a site."""
    if isinstance(site, StripSite) and isinstance(piece, Strip):
        away = min(abs(math.remainder(piece.clock - clock, 12)) for clock in site.clocks())
        return (piece.line, piece.mirror) == (site.line, site.mirror) and away < SAME_HOUR
    if isinstance(site, PlugSite):
        kinds = (Bevels, Sleeve) if site.filling == "grip" else Plug
        return (
            isinstance(piece, kinds) and piece.from_mm < site.to_mm and piece.to_mm > site.from_mm
        )
    return isinstance(site, ThroatSite) and isinstance(piece, Throat)
