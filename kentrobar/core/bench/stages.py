"""Fitting in stages: after each, what the frame should read and what it does read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from kentrobar.core.frame.predict import LadenFrame, Measured, predict
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.uncertain import unweighed_u
from kentrobar.core.quantities import READ, figures

from .suspicions import Fitted
from .trial import Compared, compare

AGREES_SIGMAS = 2.0
"""Beyond so many standard uncertainties of both together a figure is pointed out, where the stage
as a whole does not read as predicted."""


@dataclass(frozen=True, slots=True)
class FittedStage:
    """What one stage put on, with one standard uncertainty of each piece's grams, and what was read
    after it: any of the figures, by key."""

    pieces: tuple[Piece, ...]
    read: Mapping[str, Number]
    u_g: tuple[float, ...] = ()


@dataclass(frozen=True, slots=True)
class StageFigure:
    """One figure after a stage. ``off`` is what was read less what was predicted, ``sigmas`` that
    in standard uncertainties of both; None where it was not read. ``agrees``: the stage as a whole
    reads as predicted, or this figure of it does."""

    predicted: Number
    read: Number | None = None
    off: float | None = None
    sigmas: float | None = None
    agrees: bool = True


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
    on: list[Fitted] = []
    names = [name for name in READ if name != "twist_kgcm2" or measured.twist_kgcm2 is not None]
    rows = []
    for stage in stages:
        us = stage.u_g or tuple(unweighed_u(piece) for piece in stage.pieces)
        on += [Fitted(piece, u) for piece, u in zip(stage.pieces, us, strict=True)]
        pieces = tuple(one.piece for one in on)
        laden = LadenFrame(frame=outline, measured=measured, pieces=pieces)
        predicted = figures(predict(laden).after, axis_mm, names)
        read = {
            name: (nominal(stage.read[name]), uncertainty(stage.read[name]))
            for name in names
            if name in stage.read
        }
        # Figures that share a cause move together: roll, place and reading are judged at once.
        compared = compare(outline, measured.body(), on, read, axis_mm) if read else None
        rows.append(
            {name: _figure(name, predicted[name], stage.read.get(name), compared) for name in names}
        )
    return rows


def _figure(
    name: str, predicted: Number, read: Number | None, compared: Compared | None
) -> StageFigure:
    if read is None or compared is None:
        return StageFigure(predicted)
    one = next(one for one in compared.residuals if one.figure == name)
    sigmas = abs(one.z)
    agrees = compared.is_agreed or sigmas <= AGREES_SIGMAS
    return StageFigure(predicted, read, one.off, sigmas, agrees)
