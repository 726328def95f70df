"""A frame and pieces as somebody gives them to the core: checked, or refused with field, value and
bound.

Inside, values are trusted; forms and documents check with ``faults()``, so that a person sees all
that is wrong at once. Whoever uses the core from a program comes in here.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from kentrobar.core.errors import DocumentError
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.piece import Piece, piece_faults

from .plausibility import measured_faults
from .predict import LadenFrame, Measured, Prediction
from .predict import predict as predict_plan


@dataclass(frozen=True, slots=True, kw_only=True)
class Frame:
    """A racket or paddle with its outline and its figures as read.

    Raises:
        DocumentError: with the path of the first thing that cannot be: ``outline.widest_mm``,
            ``measured.balance_mm``.

    Example:
        >>> from kentrobar.core import Frame, Measured, Racket, Strip, predict
        >>> tern = Racket(
        ...     length_mm=686, width_mm=256, widest_mm=512, hoop_base_mm=334, rim_mm=12, beam_mm=23,
        ...     handle_length_mm=195, handle_radius_mm=16,
        ... )
        >>> read = Measured(mass_g=316.8, balance_mm=323.5, swing_kgcm2=314.6, axis_mm=100)
        >>> sides = Strip(mass_g=3, clock=3, length_mm=76.2, line="face", mirror=True)
        >>> round(predict(Frame(outline=tern, measured=read), [sides]).after.swing_kgcm2(100), 1)
        319.7
    """

    outline: Outline
    measured: Measured

    def __post_init__(self) -> None:
        for name, reason in self.outline.faults():
            raise DocumentError(f"outline.{name}", reason)
        for path, reason in measured_faults(self.measured, self.outline):
            raise DocumentError(path, reason)


def predict(frame: Frame, pieces: Iterable[Piece]) -> Prediction:
    """What pieces do to a frame.

    Raises:
        DocumentError: with the path of the first thing that cannot be: ``pieces[2].clock``.
    """
    put_on = tuple(pieces)
    for i, piece in enumerate(put_on):
        for name, reason in piece_faults(piece, frame.outline):
            raise DocumentError(f"pieces[{i}].{name}", reason)
    try:
        return predict_plan(LadenFrame(frame=frame.outline, measured=frame.measured, pieces=put_on))
    except ValueError as error:
        raise DocumentError("pieces", str(error)) from None
