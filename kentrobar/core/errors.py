"""What can be wrong with what somebody gives the core, told so that a person can mend it."""

from __future__ import annotations

from collections.abc import Callable

SENTENCES = {
    "outside": "{given} is outside {low}…{high}",
    "not-above": "{given} must be above {low}",
    "not-after": "{given} is not after {low}",
    "below": "{given} is below {low}",
    "before-start": "{given} is before the start, {low}",
    "off-line": "{given} from the butt is off this line, {low}…{high}",
    "beyond-line": "{given} from the tip lies beyond this line, 0…{high}",
    "no-hole": "hole {given} is outside {low}…{high}",
    "not-met": "{given} o'clock does not meet this outline",
    "too-long": "{given} characters are more than {high}",
    "too-many": "{given} are more than {high}",
    "hoop-in-handle": "the hoop begins at {given}, not above the handle, which ends at {low}",
    "widest-in-throat": "the widest point is at {given}, not above the hoop’s bottom at {low}",
    "widest-above-tip": "the widest point is at {given}, not below the tip at {high}",
    "rim-fills-hoop": "a rim of {given} leaves no opening inside the hoop: below {high}",
    "rim-fills-face": "a rim of {given} leaves no face: below {high}",
    "handle-wider": "a handle of radius {given} is wider than the face: at most {high}",
    "face-above-tip": "the face begins at {given}, not below the tip at {high}",
    "corners-wider": "two corners of {given} are wider than the face: at most {high} each",
    "corners-longer": "corners of {given} together are longer than the face, {high}",
}
"""What a code of a refusal says in English."""


class Refusal(str):
    """Why a value cannot be: a sentence that also carries its code, the value and its bounds.

    ``where`` says what the bounds are of.

    >>> refused = Refusal("not-above", -3.0, low=0.0)
    >>> f"{refused} ({refused.code})"
    '-3 must be above 0 (not-above)'
    >>> refused.said(lambda mm: f"{mm / 10:g} cm")
    '-0.3 cm must be above 0'
    """

    code: str
    given: float
    low: float | None
    high: float | None
    where: str

    def __new__(
        cls,
        code: str,
        given: float,
        low: float | None = None,
        high: float | None = None,
        where: str = "",
    ) -> Refusal:
        made = super().__new__(cls, _sentence(code, given, low, high, where))
        made.code, made.given, made.low, made.high, made.where = code, given, low, high, where
        return made

    def said(self, show: Callable[[float], str]) -> str:
        """The sentence, its figures said by ``show``: a length in the reader's unit."""
        return _sentence(self.code, self.given, self.low, self.high, self.where, show)


def _sentence(
    code: str,
    given: float,
    low: float | None,
    high: float | None,
    where: str,
    show: Callable[[float], str] | None = None,
) -> str:
    bounds = {"low": low, "high": high}
    # A bound that was computed is told to five digits, what was given as it was given.
    said = {
        name: (show or _five)(bound) if bound else "0"
        for name, bound in bounds.items()
        if bound is not None
    }
    said["given"] = (show or "{:g}".format)(given)
    return ", ".join(filter(None, (SENTENCES[code].format(**said), where)))


class PlacementError(ValueError):
    """A place that is not on the frame; ``refusal`` says which it was and what there is."""

    def __init__(self, refusal: Refusal) -> None:
        self.refusal = refusal
        super().__init__(refusal)


class OnAlreadyError(ValueError):
    """What is on the frame already, by its name."""

    def __init__(self, label: str) -> None:
        super().__init__(f"A {label} is already on this frame: another adds nothing")


class DocumentError(ValueError):
    """Something wrong in a document: ``path`` says where, ``reason`` what."""

    def __init__(self, path: str, reason: str) -> None:
        self.path = path
        self.reason = reason
        super().__init__(f"{path}: {reason}" if path else reason)


def _five(bound: float) -> str:
    return f"{bound:.5g}".replace("-", "−")


class UnreadableError(ValueError):
    """What was typed cannot be read; the message says what was read, what is wrong, what to do."""
