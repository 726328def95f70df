"""The ways to measure, as the bench knows them: what each gives, what it needs, how it is done.

``METHODS`` is the one table behind the Measure page; the sums are the core's.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from kentrobar.core.geometry.outline import Outline, Racket
from kentrobar.core.measure.balance import BalanceBoard, KnifeEdge, TwoScales
from kentrobar.core.measure.bifilar import Bifilar
from kentrobar.core.measure.hung import HungFlat
from kentrobar.core.measure.machine import Machine
from kentrobar.core.measure.pendulum import Pendulum
from kentrobar.core.measure.scale import Scale
from kentrobar.core.units import Shown, show_length
from kentrobar.frames.models import Quantity

from .models import Kind

Steps = Callable[[Outline, Shown], list[str]]


@dataclass(frozen=True, slots=True)
class Method:
    """One way to measure.

    Attributes:
        reading: the core's class. gives: the quantities it can give, the chief one first.
        instrument: the kind it is read from. fields: the boxes of its form, in order.
        steps: how it is done on a given frame.
        is_timed: whether it needs a period. caution: its weakness, '' where it has none of note.
    """

    key: str
    label: str
    reading: type[Any]
    gives: tuple[Quantity, ...]
    instrument: Kind
    fields: tuple[str, ...]
    steps: Steps
    is_timed: bool = False
    caution: str = ""
    more: tuple[str, ...] = field(default=())


def _mm(mm: float, shown: Shown) -> str:
    return f"{show_length(mm, shown.length)} {shown.length}"


def pin_mm(outline: Outline) -> float:
    """Where a frame hangs best: a racket under a cross string near the tip, a paddle by a clamp."""
    if isinstance(outline, Racket):
        return round(outline.length_mm - outline.rim_mm - 30)
    return 50.0


def supports_mm(outline: Outline) -> tuple[float, float]:
    return 20.0, round(outline.length_mm - 20.0)


def _scale(outline: Outline, shown: Shown) -> list[str]:
    return [
        "Let the scale warm up and set it to nought.",
        "Lay the frame across it, clear of the table on all sides.",
        "Read, lift off, put back: three to five times. Write all of them down.",
    ]


def _board(outline: Outline, shown: Shown) -> list[str]:
    return [
        "Butt against the stop, face level.",
        "Move the frame or the weight until the board rests between its marks.",
        "Read the board, lift off, set again: three times.",
    ]


def _two_scales(outline: Outline, shown: Shown) -> list[str]:
    x1, x2 = supports_mm(outline)
    return [
        f"A narrow support on each scale, near the ends: {_mm(x1, shown)} and {_mm(x2, shown)} from the butt.",
        "Set both to nought with their supports on. Lay the frame on both, level.",
        "Read both, and measure where the supports stand from the butt end.",
    ]


def _edge(outline: Outline, shown: Shown) -> list[str]:
    return [
        "Lay the frame across a ruler’s edge or a dowel, face level.",
        "Move it until it just tips one way, then the other; the middle is its balance.",
        "Measure from the butt end to the edge. Do it again from the start, three times.",
    ]


def _machine(outline: Outline, shown: Shown) -> list[str]:
    return [
        "Clamp the butt end against the stop with the face upright, so that it cuts the air with its rim.",
        "Start it gently and let it finish.",
        "Take out, put back, read again: three times.",
    ]


def _pendulum(outline: Outline, shown: Shown) -> list[str]:
    pin = _mm(pin_mm(outline), shown)
    hang = (
        f"Hang it butt down on a thin pin under a cross string near the tip, about {pin} from the butt."
        if isinstance(outline, Racket)
        else f"Clamp a thin axle across the handle, about {pin} from the butt, and let it hang tip down."
    )
    return [
        hang + " It swings face first.",
        "Measure from the butt end to where it turns.",
        "Let it swing a hand’s breadth. Tap at every pass of the middle, forty times.",
    ]


def _bifilar(outline: Outline, shown: Shown) -> list[str]:
    spacing = _mm(outline.width_mm - 20, shown)
    return [
        f"Two threads of the same length, parallel, about {spacing} apart above and below.",
        "For twist weight the handle hangs straight down; for recoil weight the frame hangs level, face upright.",
        "Turn it a little about the vertical and let go. Tap at every pass of the middle, forty times.",
    ]


def _hung(outline: Outline, shown: Shown) -> list[str]:
    return [
        "Hang the frame level, centre line below a straight axis and along it.",
        "Measure from the axis down to the centre line.",
        "Let it rock sideways. Tap at every pass of the middle, forty times.",
    ]


METHODS: dict[str, Method] = {
    method.key: method
    for method in (
        Method("scale", "scale", Scale, (Quantity.MASS,), Kind.SCALE, ("readings",), _scale),
        Method(
            "balance-board", "balance board", BalanceBoard, (Quantity.BALANCE,), Kind.BOARD,
            ("readings", "offset"), _board,
        ),
        Method(
            "two-scales", "two supports", TwoScales, (Quantity.BALANCE, Quantity.MASS), Kind.SCALE,
            ("m1", "x1", "m2", "x2"), _two_scales,
        ),
        Method("knife-edge", "knife edge", KnifeEdge, (Quantity.BALANCE,), Kind.TAPE, ("readings",), _edge),
        Method(
            "machine", "machine", Machine, (Quantity.SWING,), Kind.MACHINE, ("readings", "axis", "drift"),
            _machine, caution="Clamped face-flat it reads high by the twist weight.",
        ),
        Method(
            "pendulum", "pendulum", Pendulum, (Quantity.SWING,), Kind.TIMER,
            ("mass", "balance", "pivot", "axis"), _pendulum, is_timed=True,
            more=("jig_mass", "jig_balance", "jig_inertia"),
        ),
        Method(
            "bifilar", "two threads", Bifilar, (Quantity.TWIST, Quantity.SWING), Kind.TIMER,
            ("hangs", "mass", "spacing_top", "spacing_bottom", "thread"), _bifilar, is_timed=True,
            more=("balance", "axis"),
        ),
        Method(
            "hung-flat", "hung flat", HungFlat, (Quantity.TWIST,), Kind.TIMER, ("mass", "hang"), _hung,
            is_timed=True,
            caution="Weakly determined: the difference of two large numbers. Two threads tell it better.",
        ),
    )
}  # fmt: skip
TOLD = "told"


def methods_for(quantity: str) -> list[Method]:
    """Ways to come to a quantity, the surest at a plain bench first."""
    return [method for method in METHODS.values() if quantity in method.gives]
