"""Balance: on a board whose zero is known, between two supports on scales, or over an edge."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import ClassVar, Literal

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import (
    IMAGINED,
    TAPE_U_MM,
    Document,
    Input,
    InstrumentKind,
    Kit,
    Method,
    plain,
)
from kentrobar.core.numbers import Given, Number, nominal, number, ufloat, uncertainty, value_of

from .method import (
    Faults,
    Measurement,
    above_zero,
    apart_notes,
    no_negative_u,
    not_negative,
    readings_faults,
)
from .sample import KNOWN_DOF, Sample, SetAside, sample
from .scale import Scale

ZERO_U_MM = 0.7
"""How well a board's zero is measured from its stop, unless ± is written."""
SUPPORT_U_MM = 1.0
"""How well it is known where a support, which is no line, bears a frame."""
EDGE_MM = 1.5
"""Usual width of a sawn or filed edge, mm."""


def edge_input() -> Input:
    return Input(
        "edge", "edge_mm", "length", "edge, how wide", "1.5 mm", is_needed=False, is_exact=True,
        offered=lambda outline: EDGE_MM,
    )  # fmt: skip


def edge_u(edge_mm: float) -> Number:
    """Where on an edge a frame tips, mm: anywhere over its width alike."""
    return ufloat(0.0, edge_mm / math.sqrt(12), "edge") if edge_mm else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class BalanceBoard(Method):
    """Readings in mm on a board whose zero lies ``offset_mm`` from the butt stop, its edge
    ``edge_mm`` wide; ``turned_mm`` is read with the tip of a frame ``length_mm`` long at the
    stop."""

    label: ClassVar[str] = "balance board"
    gives: ClassVar[tuple[str, ...]] = ("balance_mm",)
    instrument: ClassVar[InstrumentKind] = "board"
    inputs: ClassVar[tuple[Input, ...]] = (
        Input(
            "offset", "offset_mm", "length", "board’s zero at", "250 mm", u=ZERO_U_MM,
            usual=lambda outline, frame: (250.0, ZERO_U_MM),
        ),
    )  # fmt: skip
    more_label: ClassVar[str] = "edge, turned round"
    more: ClassVar[tuple[Input, ...]] = (
        edge_input(),
        Input("turned", "turned_mm", "length", "turned round it reads", "109 mm", is_needed=False),
        Input(
            "length", "length_mm", "length", "the frame is long", "686 mm", is_needed=False,
            u=TAPE_U_MM, offered=lambda outline: outline.length_mm,
        ),
    )  # fmt: skip
    readings: ClassVar[tuple[str, str, str] | None] = ("readings_mm", "mm", "71.5 71 71.5")
    usual_kit: ClassVar[Kit] = Kit(1.0, 0.5)
    is_by_hand: ClassVar[bool] = False

    readings_mm: list[float]
    offset_mm: Given
    edge_mm: float = 0.0
    turned_mm: Given | None = None
    length_mm: Given | None = None
    resolution_mm: float = 0.0
    repeatability_mm: float | None = None
    repeatability_freedom: float = KNOWN_DOF
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["balance-board"] = "balance-board"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            "Butt against the stop, face level.",
            "Move the frame or the weight until the board rests between its marks.",
            "Read the board, lift off, set again: three times; once more turned round, tip at the"
            " stop, and the board’s zero drops out.",
        ]

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        return {"readings_mm": [nominal(frame.balance_mm) - plain(given["offset_mm"])] * IMAGINED}

    def faults(self) -> Faults:
        yield from readings_faults("readings_mm", self.readings_mm, self.set_aside, positive=False)
        yield from no_negative_u({"offset_mm": self.offset_mm, "turned_mm": self.turned_mm})
        if self.turned_mm is not None and self.length_mm is None:
            yield "length_mm", "turned round, a balance is counted from the tip: measure its length"
        yield from above_zero({"length_mm": self.length_mm})
        yield from not_negative(
            {
                "edge_mm": self.edge_mm,
                "resolution_mm": self.resolution_mm,
                "repeatability_mm": self.repeatability_mm,
                "repeatability_freedom": self.repeatability_freedom,
            }
        )

    def reduce(self) -> Measurement:
        """balance = offset + mean reading; read turned round as well, (length + mean reading −
        turned) / 2, whatever the offset."""
        seen = sample(
            self.readings_mm, self.resolution_mm, self.repeatability_mm, self.set_aside,
            self.repeatability_freedom,
        )  # fmt: skip
        if self.turned_mm is None or self.length_mm is None:
            balance = number(self.offset_mm, "offset") + seen.result()
        else:
            once = sample(
                [value_of(self.turned_mm)], self.resolution_mm, self.repeatability_mm,
                freedom=self.repeatability_freedom,
            )  # fmt: skip
            turned = number(self.turned_mm, "scatter") + once.result() - value_of(self.turned_mm)
            balance = (number(self.length_mm, "length") + seen.result() - turned) / 2
        return _balance("balance-board", balance + edge_u(self.edge_mm), seen)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnifeEdge(Method):
    """Tape readings in mm from the butt to an edge on which the frame just tips."""

    label: ClassVar[str] = "knife edge"
    gives: ClassVar[tuple[str, ...]] = ("balance_mm",)
    instrument: ClassVar[InstrumentKind] = "tape"
    readings: ClassVar[tuple[str, str, str] | None] = ("readings_mm", "mm", "321 322 321")
    usual_kit: ClassVar[Kit] = Kit(1.0, 1.0)
    more_label: ClassVar[str] = "edge"
    more: ClassVar[tuple[Input, ...]] = (edge_input(),)

    readings_mm: list[float]
    edge_mm: float = 0.0
    resolution_mm: float = 1.0
    repeatability_mm: float | None = None
    repeatability_freedom: float = KNOWN_DOF
    set_aside: list[SetAside] = field(default_factory=list)
    method: Literal["knife-edge"] = "knife-edge"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            "Lay the frame across a ruler’s edge or a dowel, face level.",
            "Move it until it just tips one way, then the other; the middle is its balance.",
            "Measure from the butt end to the edge. Do it again from the start, three times.",
        ]

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        return {"readings_mm": [nominal(frame.balance_mm)] * IMAGINED}

    def faults(self) -> Faults:
        yield from readings_faults("readings_mm", self.readings_mm, self.set_aside)
        yield from not_negative(
            {
                "edge_mm": self.edge_mm,
                "resolution_mm": self.resolution_mm,
                "repeatability_mm": self.repeatability_mm,
                "repeatability_freedom": self.repeatability_freedom,
            }
        )

    def reduce(self) -> Measurement:
        """balance = mean tape reading."""
        seen = sample(
            self.readings_mm, self.resolution_mm, self.repeatability_mm, self.set_aside,
            self.repeatability_freedom,
        )  # fmt: skip
        return _balance("knife-edge", seen.result() + edge_u(self.edge_mm), seen)


def _balance(method: str, balance: Number, seen: Sample) -> Measurement:
    figures = {"mean_mm": seen.mean, "readings": seen.n, "balance_mm": balance}
    if seen.spread is not None:
        figures["spread_mm"] = seen.spread
    apart = seen.apart()
    notes = apart_notes(apart, list(seen.values))
    return Measurement(method, "balance_mm", balance, figures, notes, tuple(apart))


@dataclass(frozen=True, slots=True, kw_only=True)
class TwoScales(Method):
    """The frame lies on two supports, x₁ and x₂ mm from the butt, each on a scale."""

    label: ClassVar[str] = "two supports"
    gives: ClassVar[tuple[str, ...]] = ("balance_mm", "mass_g")
    instrument: ClassVar[InstrumentKind] = "scale"
    inputs: ClassVar[tuple[Input, ...]] = (
        Input("m1", "m1_g", "mass", "left scale", "g"),
        Input(
            "x1",
            "x1_mm",
            "length",
            "left support at",
            "20 mm",
            u=SUPPORT_U_MM,
            offered=lambda outline: 20.0,
        ),
        Input("m2", "m2_g", "mass", "right scale", "g"),
        Input(
            "x2",
            "x2_mm",
            "length",
            "right support at",
            "660 mm",
            u=SUPPORT_U_MM,
            offered=lambda outline: round(outline.length_mm - 20.0),
        ),
    )
    is_by_hand: ClassVar[bool] = False

    m1_g: Given
    x1_mm: Given
    m2_g: Given
    x2_mm: Given
    resolution_g: float = 0.0
    repeatability_g: float | None = None
    repeatability_freedom: float = KNOWN_DOF
    drift_g: Given = 0.0
    method: Literal["two-scales"] = "two-scales"

    @classmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        return [
            (
                f"A narrow support on each scale, near the ends: {mm(20.0)} and"
                f" {mm(round(outline.length_mm - 20))} from the butt."
            ),
            "Set both to zero with their supports on. Lay the frame on both, level.",
            "Read both, and measure where the supports stand from the butt end.",
        ]

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        x1, x2 = plain(given["x1_mm"]), plain(given["x2_mm"])
        left, right = support_loads(nominal(frame.mass_g), nominal(frame.balance_mm), x1, x2)
        return {"m1_g": max(left, 0.1), "m2_g": max(right, 0.1)}

    @classmethod
    def of_kit(cls, kit: Kit | None) -> Document:
        return Scale.of_kit(kit)

    def faults(self) -> Faults:
        yield from above_zero({"m1_g": self.m1_g, "m2_g": self.m2_g})
        yield from not_negative(
            {"x1_mm": self.x1_mm, "x2_mm": self.x2_mm, "resolution_g": self.resolution_g,
             "repeatability_g": self.repeatability_g,
             "repeatability_freedom": self.repeatability_freedom}
        )  # fmt: skip
        yield from no_negative_u({"drift_g": self.drift_g})
        if abs(value_of(self.x1_mm) - value_of(self.x2_mm)) < 1:
            yield "x2_mm", "the two supports must stand apart"

    def reduce(self) -> Measurement:
        """mass = m₁ + m₂; balance = (m₁x₁ + m₂x₂)/(m₁ + m₂). The u of the drift counts √2 times
        on each scale, so that the mass is covered also where both are off by as much."""
        m1, m2 = self._weighed(self.m1_g), self._weighed(self.m2_g)
        x1, x2 = number(self.x1_mm, "supports"), number(self.x2_mm, "supports")
        mass = m1 + m2
        balance = (m1 * x1 + m2 * x2) / mass
        return Measurement(
            "two-scales", "balance_mm", balance, {"mass_g": mass, "balance_mm": balance}
        )

    def _weighed(self, given: Given) -> Number:
        seen = sample(
            [value_of(given)], self.resolution_g, self.repeatability_g,
            freedom=self.repeatability_freedom,
        )  # fmt: skip
        off = math.sqrt(2) * (uncertainty(number(self.drift_g, "drift")) or 0.0)
        drift = ufloat(value_of(self.drift_g), off, "drift") if off else value_of(self.drift_g)
        return number(given, "mass") + seen.result() - value_of(given) - drift


def support_loads(mass: float, balance: float, x1: float, x2: float) -> tuple[float, float]:
    """What two supports carry of a frame, g each: the two-scales formula turned round."""
    m2 = mass * (balance - x1) / (x2 - x1)
    return mass - m2, m2
