"""Fitting in stages: after each, what the frame should read and what it does read."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kentrobar.core.frame.predict import LadenFrame, Measured, predict
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import READ, figures

AGREES_SIGMAS = 2.0
"""Beyond so many standard uncertainties of both together a stage does not read as predicted."""


@dataclass(frozen=True, slots=True)
class FittedStage:
    """What one stage put on, and what was read after it: any of the figures, by key."""

    pieces: tuple[Piece, ...]
    read: Mapping[str, Number]


@dataclass(frozen=True, slots=True)
class StageFigure:
    """One figure after a stage. ``off`` is what was read less what was predicted, ``sigmas`` that
    in standard uncertainties of both; None where it was not read."""

    predicted: Number
    read: Number | None
    off: float | None
    sigmas: float | None

    @property
    def agrees(self) -> bool:
        return self.sigmas is None or self.sigmas <= AGREES_SIGMAS


def run(
    outline: Outline, measured: Measured, stages: Sequence[FittedStage], axis_mm: float
) -> list[dict[str, StageFigure]]:
    """A row a stage, everything of the stages before it counted in; twist weight only where it was
    known before.

    >>> from kentrobar.core.geometry.presets import PRESETS
    >>> racket = PRESETS["racket-98"][1]
    >>> before = Measured(mass_g=300.0, balance_mm=325.0, swing_kgcm2=290.0, axis_mm=100.0)
    >>> rows = run(racket, before, [FittedStage((), {"mass_g": 300.4})], 100.0)
    >>> round(rows[0]["mass_g"].off, 1)
    0.4
    """
    on: list[Piece] = []
    names = [name for name in READ if name != "twist_kgcm2" or measured.twist_kgcm2 is not None]
    rows = []
    for stage in stages:
        on += stage.pieces
        laden = LadenFrame(frame=outline, measured=measured, pieces=tuple(on))
        predicted = figures(predict(laden).after, axis_mm, names)
        rows.append({name: _figure(predicted[name], stage.read.get(name)) for name in names})
    return rows


def _figure(predicted: Number, read: Number | None) -> StageFigure:
    if read is None:
        return StageFigure(predicted, None, None, None)
    off = nominal(read) - nominal(predicted)
    u = math.hypot(uncertainty(read) or 0.0, uncertainty(predicted) or 0.0)
    return StageFigure(predicted, read, off, abs(off) / u if u else None)
