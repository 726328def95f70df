"""Balance: on a board whose zero is known, between two supports on scales, or over an edge."""

from __future__ import annotations

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
from kentrobar.core.numbers import Given, Number, nominal, number, ufloat, value_of

from .method import (
    Faults,
    Measurement,
    above_zero,
    apart_notes,
    no_negative_u,
    not_negative,
    readings_faults,
)
from .sample import KNOWN_DOF, Sample, SetAside, display_u, sample


@dataclass(frozen=True, slots=True, kw_only=True)
class BalanceBoard(Method):
    """Readings in mm on a board whose zero lies ``offset_mm`` from the butt stop."""

    label: ClassVar[str] = "balance board"
    gives: ClassVar[tuple[str, ...]] = ("balance_mm",)
    instrument: ClassVar[InstrumentKind] = "board"
    inputs: ClassVar[tuple[Input, ...]] = (
        Input(
            "offset", "offset_mm", "length", "board’s zero at", "250 mm", u=TAPE_U_MM,
            usual=lambda outline, frame: (250.0, TAPE_U_MM),
        ),
    )  # fmt: skip
    readings: ClassVar[tuple[str, str, str] | None] = ("readings_mm", "mm", "71.5 71 71.5")
    usual_kit: ClassVar[Kit] = Kit(1.0, 0.5)
    is_by_hand: ClassVar[bool] = False

    readings_mm: list[float]
    offset_mm: Given
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
            "Read the board, lift off, set again: three times.",
        ]

    @classmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        return {"readings_mm": [nominal(frame.balance_mm) - plain(given["offset_mm"])] * IMAGINED}

    def faults(self) -> Faults:
        yield from readings_faults("readings_mm", self.readings_mm, self.set_aside, positive=False)
        yield from no_negative_u({"offset_mm": self.offset_mm})
        yield from not_negative(
            {
                "resolution_mm": self.resolution_mm,
                "repeatability_mm": self.repeatability_mm,
                "repeatability_freedom": self.repeatability_freedom,
            }
        )

    def reduce(self) -> Measurement:
        """balance = offset + mean reading."""
        seen = sample(
            self.readings_mm, self.resolution_mm, self.repeatability_mm, self.set_aside,
            self.repeatability_freedom,
        )  # fmt: skip
        return _balance("balance-board", number(self.offset_mm, "offset") + seen.result(), seen)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnifeEdge(Method):
    """Tape readings in mm from the butt to an edge on which the frame just tips."""

    label: ClassVar[str] = "knife edge"
    gives: ClassVar[tuple[str, ...]] = ("balance_mm",)
    instrument: ClassVar[InstrumentKind] = "tape"
    readings: ClassVar[tuple[str, str, str] | None] = ("readings_mm", "mm", "321 322 321")
    usual_kit: ClassVar[Kit] = Kit(1.0, 1.0)

    readings_mm: list[float]
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
        return _balance("knife-edge", seen.result(), seen)


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
            u=TAPE_U_MM,
            offered=lambda outline: 20.0,
        ),
        Input("m2", "m2_g", "mass", "right scale", "g"),
        Input(
            "x2",
            "x2_mm",
            "length",
            "right support at",
            "660 mm",
            u=TAPE_U_MM,
            offered=lambda outline: round(outline.length_mm - 20.0),
        ),
    )
    is_by_hand: ClassVar[bool] = False

    m1_g: Given
    x1_mm: Given
    m2_g: Given
    x2_mm: Given
    resolution_g: float = 0.0
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
        return {"resolution_g": (kit or cls.usual_kit).resolution}

    def faults(self) -> Faults:
        yield from above_zero({"m1_g": self.m1_g, "m2_g": self.m2_g})
        yield from not_negative(
            {"x1_mm": self.x1_mm, "x2_mm": self.x2_mm, "resolution_g": self.resolution_g}
        )
        if abs(value_of(self.x1_mm) - value_of(self.x2_mm)) < 1:
            yield "x2_mm", "the two supports must stand apart"

    def reduce(self) -> Measurement:
        """mass = m₁ + m₂; balance = (m₁x₁ + m₂x₂)/(m₁ + m₂)."""
        m1, m2 = number(self.m1_g, "mass"), number(self.m2_g, "mass")
        if self.resolution_g:
            m1 = m1 + ufloat(0.0, display_u(self.resolution_g), "display")
            m2 = m2 + ufloat(0.0, display_u(self.resolution_g), "display")
        x1, x2 = number(self.x1_mm, "supports"), number(self.x2_mm, "supports")
        mass = m1 + m2
        balance = (m1 * x1 + m2 * x2) / mass
        return Measurement(
            "two-scales", "balance_mm", balance, {"mass_g": mass, "balance_mm": balance}
        )


def support_loads(mass: float, balance: float, x1: float, x2: float) -> tuple[float, float]:
    """What two supports carry of a frame, g each: the two-scales formula turned round."""
    m2 = mass * (balance - x1) / (x2 - x1)
    return mass - m2, m2
