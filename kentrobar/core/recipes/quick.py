"""The same grams at every usual place of a frame, side by side: what each would make of it.

For somebody with a frame, a roll of tape and nothing measured but the mass. What nobody read is
assumed typical with its wide uncertainty, which every figure carries on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kentrobar.core.frame.predict import LadenFrame, Measured, Prediction, predict
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.kinds import FRAME_KINDS, kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, READ, figures

from .brief import Tape
from .player_words import PlayerWord
from .usual import laid, usual_sites

HELD = 0.5
"""What a step of a figure that should not rise counts against one of a figure that should: as much
and nothing put on anywhere would ever come first."""


@dataclass(frozen=True, slots=True)
class Sharper:
    """A figure worth reading: what one standard uncertainty of the swing weight falls to."""

    figure: str
    u_now: float
    u_then: float


@dataclass(frozen=True, slots=True)
class QuickSetUp:
    """Some grams at one place, or shared by two.

    Attributes:
        after, change: by key of a figure, in the unit people read, with their uncertainties.
        score: how well it serves what is wanted, in first steps of the figures; 0 where nothing is.
    """

    key: str
    name: str
    pieces: tuple[Piece, ...]
    prediction: Prediction
    after: Mapping[str, Number]
    change: Mapping[str, Number]
    score: float


def quick_set_ups(
    outline: Outline,
    measured: Measured,
    axis_mm: float,
    grams: float,
    wanted: PlayerWord | None = None,
    tape: Tape | None = None,
) -> list[QuickSetUp]:
    """Every set-up of this kind of frame; what serves best first, else tip to butt.

    Args:
        measured: what is known, the rest as ``frame.typical`` has it.
        grams: about so many are laid, in whole steps of the cutting table. tape: what is cut, the
            usual as it usually weighs where none is said.
    """
    sites = usual_sites(outline)
    before = figures(measured.body(), axis_mm, READ)
    found = []
    for keys in kind_of(outline).quick:
        pieces = tuple(laid(sites[key], grams / len(keys), tape) for key in keys)
        prediction = predict(LadenFrame(frame=outline, measured=measured, pieces=pieces))
        after = figures(prediction.after, axis_mm, READ)
        change = {name: after[name] - before[name] for name in READ}
        score = _score(change, outline.kind, wanted)
        first, *more = (sites[key].name for key in keys)
        name = " and ".join([first, *(one[0].lower() + one[1:] for one in more)])
        found.append(QuickSetUp("-".join(keys), name, pieces, prediction, after, change, score))
    return sorted(found, key=lambda one: -one.score)


def _score(change: Mapping[str, Number], kind: str, wanted: PlayerWord | None) -> float:
    """First steps towards what is wanted, less those away from what should stay."""
    if wanted is None:
        return 0.0
    word = wanted.of(kind)
    steps = FRAME_KINDS[kind].first_step
    by = {name: nominal(change[name]) / step for name, step in steps.items()}
    kept = set(word.keep) - set(word.up) - set(word.down)
    return (
        sum(by[name] for name in word.up if name in by)
        - sum(by[name] for name in word.down if name in by)
        - sum(abs(by[name]) for name in kept if name in by)
        - sum(max(by[name], 0.0) * HELD for name in word.hold if name in by)
    )


def sharper(
    outline: Outline, known: Mapping[str, Number], axis_mm: float, set_up: QuickSetUp
) -> Sharper | None:
    """What to read next for the sake of this set-up's swing weight: the easiest reading that halves
    its ±, else the one that helps most; None where everything is read."""
    u_now = uncertainty(set_up.after["swing_kgcm2"]) or 0.0
    found: list[Sharper] = []
    usual = typical(outline, known, axis_mm)
    for name in READ:
        if name in known or name == "twist_kgcm2":
            continue
        as_read = ufloat(nominal(getattr(usual, name)), FIGURES[name].least_u, name)
        then = typical(outline, {**known, name: as_read}, axis_mm)
        after: Body = predict(LadenFrame(frame=outline, measured=then, pieces=set_up.pieces)).after
        found.append(Sharper(name, u_now, uncertainty(after.swing_kgcm2(axis_mm)) or 0.0))
    halving = (one for one in found if one.u_then <= one.u_now / 2)
    return next(halving, min(found, key=lambda one: one.u_then, default=None))
