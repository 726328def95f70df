"""The same grams at every usual place of a frame, side by side: what each would make of it.

For somebody with a frame, a roll of tape and nothing measured but the mass. What nobody read is
assumed typical with its wide uncertainty, which every figure carries on.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kentrobar.core.frame.predict import LadenFrame, Measured, Prediction, predict
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.kinds import FRAME_KINDS, kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, READ, figures

from .brief import Site, Tape
from .player_words import PlayerWord
from .usual import laid, tapes, usual_sites

MOST_LAYERS = 3
"""More of them is no way to lay tape: it stands up, and peels."""
HELPS = 0.8
"""A reading that leaves more than this part of the ± is not worth asking for."""
HELD = 0.5
"""What a step of a figure that should not rise counts against one of a figure that should: as much
and nothing put on anywhere would ever come first."""


@dataclass(frozen=True, slots=True)
class NextReading:
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

    @property
    def layers(self) -> int:
        """The most layers any of its strips lies in."""
        return max(piece.layers or 1 for piece in self.pieces)


def quick_set_ups(
    outline: Outline,
    measured: Measured,
    axis_mm: float,
    grams: float,
    wanted: PlayerWord | None = None,
    rolls: Sequence[Tape] = (),
    more: Mapping[str, Site] | None = None,
) -> list[QuickSetUp]:
    """Every set-up of this kind of frame, tip to butt; where something is wanted what serves it
    best first, and what would lie in too many layers last.

    Args:
        measured: what is known, the rest as ``frame.typical`` has it.
        grams: about so many are laid, in whole steps of the cutting table. rolls: what may be cut,
            the usual first: the first of which few layers do. The usual tapes as they usually weigh
            where none is said. more: other sites to show, by key.
    """
    rolls = list(rolls) or tapes()
    shown = dict(more or {})
    sites = usual_sites(outline) | shown
    before = figures(measured.body(), axis_mm, READ)
    found = []
    for keys in (*kind_of(outline).quick, *((key,) for key in shown)):
        pieces = tuple(
            piece for key in keys for piece in _few_layers(sites[key], grams / len(keys), rolls)
        )
        prediction = predict(LadenFrame(frame=outline, measured=measured, pieces=pieces))
        after = figures(prediction.after, axis_mm, READ)
        change = {name: after[name] - before[name] for name in READ}
        score = _score(change, outline.kind, wanted)
        first, *others = (sites[key].name for key in keys)
        name = " and ".join([first, *(one[0].lower() + one[1:] for one in others)])
        found.append(QuickSetUp("-".join(keys), name, pieces, prediction, after, change, score))
    if wanted is None:
        return found
    return sorted(found, key=lambda one: (one.layers > MOST_LAYERS, -one.score))


def _few_layers(site: Site, grams: float, rolls: Sequence[Tape]) -> tuple[Piece, ...]:
    """So many grams there of the first roll that lies flat enough, else of the heaviest."""
    ways = [laid(site, grams, roll) for roll in rolls]
    flat = (way for way in ways if (way[0].layers or 1) <= MOST_LAYERS)
    return next(flat, min(ways, key=lambda way: way[0].layers or 1))


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


def next_reading(
    outline: Outline, known: Mapping[str, Number], read_at_mm: float, set_up: QuickSetUp,
    axis_mm: float | None = None,
) -> NextReading | None:  # fmt: skip
    """What to read next for the sake of this set-up's swing weight about ``axis_mm``: the easiest
    reading that halves its ±, else the one that helps most; None where none helps.

    Args:
        read_at_mm: the axis a known swing weight is about, and the other one where None is said.
    """
    axis_mm = read_at_mm if axis_mm is None else axis_mm
    u_now = uncertainty(set_up.after["swing_kgcm2"]) or 0.0
    found: list[NextReading] = []
    usual = typical(outline, known, read_at_mm)
    for name in READ:
        if name in known or name == "twist_kgcm2":
            continue
        as_read = ufloat(nominal(getattr(usual, name)), FIGURES[name].least_u, name)
        then = typical(outline, {**known, name: as_read}, read_at_mm)
        after: Body = predict(LadenFrame(frame=outline, measured=then, pieces=set_up.pieces)).after
        found.append(NextReading(name, u_now, uncertainty(after.swing_kgcm2(axis_mm)) or 0.0))
    found = [one for one in found if one.u_then <= HELPS * one.u_now]
    halving = (one for one in found if one.u_then <= one.u_now / 2)
    return next(halving, min(found, key=lambda one: one.u_then, default=None))
