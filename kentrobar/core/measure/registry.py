"""The ways to measure there are. A new one is a class in a file beside this, and a row here."""

from __future__ import annotations

from .balance import BalanceBoard, KnifeEdge, TwoScales
from .bar import ReferenceBar
from .bifilar import Bifilar
from .filmed import Filmed
from .hung import HungFlat
from .machine import Machine
from .method import Method, RawReading
from .pendulum import Pendulum
from .reported import Reported
from .scale import Scale

METHODS: dict[str, type[Method]] = {
    "scale": Scale,
    "balance-board": BalanceBoard,
    "two-scales": TwoScales,
    "knife-edge": KnifeEdge,
    "machine": Machine,
    "pendulum": Pendulum,
    "bifilar": Bifilar,
    "hung-flat": HungFlat,
}
"""What one measures with at the bench, the surest at a plain bench first."""
REPORTED = "told"
READINGS: dict[str, type[RawReading]] = {
    **METHODS,
    "reference-bar": ReferenceBar,
    "film": Filmed,
    REPORTED: Reported,
}
"""What a document may hold."""


def key_of(method: type[Method]) -> str:
    """A method's key in documents and addresses."""
    return next(key for key, one in METHODS.items() if one is method)


def methods_for(figure: str) -> dict[str, type[Method]]:
    """Ways to come to a figure, by their keys."""
    return {key: method for key, method in METHODS.items() if figure in method.gives}
