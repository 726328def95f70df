"""What every measuring method shares: what a method says about itself, the result with its budget,
and checks.

A reading is a frozen dataclass of raw inputs with ``faults()`` and ``reduce()``. Each input carries
its own uncertainty under a tag, so the result knows how much of its uncertainty came from where. A
``Method`` is a reading one takes at the bench: it also says which boxes it asks for, how it is done
on a given frame, and what to expect of it. A new one is a class in a file beside this, a row in
``registry.py``, and its set-up in ``ui/drawing/setups.py``.
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar, Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Given, Number, WithU, nominal, uncertainty, value_of
from kentrobar.core.words import Message, message

from .sample import GUESSED_DOF

Faults = Iterator[tuple[str, str]]
InstrumentKind = Literal["scale", "board", "tape", "machine", "timer"]
TAPE_U_MM = 0.5
"""How well a length is measured with a tape, unless ± is written."""
IMAGINED = 3
"""Readings a patient hand takes, to expect by."""


@dataclass(frozen=True, slots=True)
class Input:
    """One thing a method asks for beside its readings.

    Attributes:
        name: of its box. key: its place in the document, dotted where it lies within another.
        holds: what is written there. label, hint: beside and inside the box.
        u: one standard uncertainty where none is written. is_exact: whether it carries none at all.
        offered: what the box offers on a frame. usual: (value, u) it stands at, to expect by, until
            it is written.
        choices: (value, words) where one is chosen. only: the kind of frame it is asked of.
    """

    name: str
    key: str
    holds: Literal["mass", "length", "balance", "inertia", "choice"]
    label: str
    hint: str = ""
    is_needed: bool = True
    u: float = 0.0
    is_exact: bool = False
    offered: Callable[[Outline], float | None] | None = None
    usual: Callable[[Outline, Measured], tuple[float, float]] | None = None
    choices: tuple[tuple[str, str], ...] = ()
    strung_only: bool = False


@dataclass(frozen=True, slots=True)
class Kit:
    """What is known of the instrument a reading is taken with, in its unit."""

    resolution: float
    repeatability: float | None = None
    drift: tuple[float, float] | None = None
    """What it reads too much, with one standard uncertainty, from its last check and what it may
    have wandered since."""
    freedom: float = GUESSED_DOF
    """Degrees of freedom behind its repeatability."""


Document = dict[str, Any]
"""A reading in plain values, as ``kentrobar-reading/1`` holds it, without format and method."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RawReading(ABC):
    """Raw inputs of one reading; ``method`` names its kind in documents."""

    method: str

    @abstractmethod
    def faults(self) -> Faults:
        """(path, what is wrong) of everything that cannot be."""

    @abstractmethod
    def reduce(self) -> Measurement:
        """What it comes to, with its uncertainty."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Method(RawReading):
    """A reading one takes at the bench, and all a page needs to know of how."""

    label: ClassVar[str]
    gives: ClassVar[tuple[str, ...]]
    """The figures it can give, the chief one first."""
    instrument: ClassVar[InstrumentKind]
    inputs: ClassVar[tuple[Input, ...]] = ()
    more: ClassVar[tuple[Input, ...]] = ()
    """What it may be told beside: a clamp, an axis."""
    more_label: ClassVar[str] = ""
    """Label of the fold they stand in."""
    readings: ClassVar[tuple[str, str, str] | None] = None
    """(key of its repeats in the document, their unit, an example); None where it has no
    repeats."""
    usual_kit: ClassVar[Kit] = Kit(0.1)
    """What its instrument is taken to be where none is named."""
    is_timed: ClassVar[bool] = False
    is_weak: ClassVar[bool] = False
    """Whether other ways are to be preferred where there are any."""
    is_by_hand: ClassVar[bool] = True
    """Whether it can be done with a kitchen's tools."""
    caution: ClassVar[str] = ""

    @classmethod
    @abstractmethod
    def steps(cls, outline: Outline, mm: Callable[[float], str]) -> list[str]:
        """How it is done on this frame; ``mm`` says a length in the reader's unit."""

    @classmethod
    @abstractmethod
    def imagine(cls, given: Document, frame: Measured) -> Document:
        """The readings this frame would give in this set-up. ValueError where nothing would
        swing."""

    @classmethod
    def air_of(cls, outline: Outline, given: Document) -> float:
        """What the air that swings along adds to what this method reads of such a frame, kg·cm²: a
        document's ``air_kgcm2``, where it is taken off."""
        return 0.0

    @classmethod
    def of_kit(cls, kit: Kit | None) -> Document:
        """What is known of its instrument, in the document's words."""
        return cls.of_display(kit)

    @classmethod
    def of_display(cls, kit: Kit | None) -> Document:
        """How finely and how evenly its instrument reads repeats."""
        if cls.readings is None:
            return {}
        unit = cls.readings[0].removeprefix("readings_")
        known = kit or cls.usual_kit
        # Until an instrument's own repeats tell, it scatters like others of its kind.
        told = known if known.repeatability else cls.usual_kit
        return {
            f"resolution_{unit}": known.resolution,
            f"repeatability_{unit}": told.repeatability,
            "repeatability_freedom": told.freedom,
        }

    @classmethod
    def settled(cls, given: Document) -> tuple[Document, list[tuple[str, str]]]:
        """The inputs as they belong together, and (name of an input, what is missing beside it)."""
        return given, []

    @classmethod
    def all_inputs(cls) -> tuple[Input, ...]:
        return (*cls.inputs, *cls.more)


def plain(given: Any) -> float:
    """The value of an input in a document, with or without its uncertainty."""
    return float(given["value"] if isinstance(given, dict) else given)


def mass_input(usual_u: float = 0.1) -> Input:
    return Input(
        "mass", "mass_g", "mass", "mass", "318.4 ± 0.1 g",
        usual=lambda outline, frame: (nominal(frame.mass_g), usual_u),
    )  # fmt: skip


def balance_input(is_needed: bool = True) -> Input:
    return Input(
        "balance", "balance_mm", "balance", "balance", "32.1 ± 0.1 cm", is_needed,
        usual=lambda outline, frame: (nominal(frame.balance_mm), 1.0),
    )  # fmt: skip


def axis_input(is_needed: bool = True) -> Input:
    return Input("axis", "axis_mm", "length", "about the axis", "100 mm", is_needed, is_exact=True)


@dataclass(frozen=True, slots=True)
class Note:
    """Something to know about a result: what, of which raw reading (counted from 0; None for the
    whole)."""

    message: Message
    reading: int | None = None

    @property
    def code(self) -> str:
        return self.message.code

    @property
    def said(self) -> str:
        return str(self.message)


@dataclass(frozen=True, slots=True)
class Measurement:
    """A value of one quantity, reduced from a reading.

    Attributes:
        quantity: ``mass_g``, ``balance_mm``, ``swing_kgcm2``, ``twist_kgcm2``, ``recoil_kgcm2`` or,
            where a method cannot know which, ``inertia_kgcm2``.
        figures: every intermediate figure by name, the result among them.
        notes: what the person should know about this result, each with its code.
        apart: (index, modified z-score) of raw readings that stand apart from their fellows.
    """

    method: str
    quantity: str
    value: Number
    figures: Mapping[str, Number] = field(default_factory=dict)
    notes: tuple[Note, ...] = ()
    apart: tuple[tuple[int, float], ...] = ()

    @property
    def u(self) -> float | None:
        return uncertainty(self.value)

    @property
    def budget(self) -> dict[str, float]:
        """What each input leaves uncertain of the value, in its unit, the largest first."""
        return budget(self.value)


def without_air(air: Number) -> tuple[Note, ...]:
    """That the air a face carries was taken off, where there was some."""
    return (Note(message("air-off", air=nominal(air))),) if nominal(air) else ()


def budget(value: Number) -> dict[str, float]:
    """One standard uncertainty by tag, the largest first; empty for an exact number."""
    components: Mapping[Any, float] = getattr(value, "error_components", dict)()
    squares: dict[str, float] = {}
    for variable, u in components.items():
        tag = variable.tag or "other"
        squares[tag] = squares.get(tag, 0.0) + u * u
    parts = {tag: math.sqrt(square) for tag, square in squares.items() if square}
    return dict(sorted(parts.items(), key=lambda part: -part[1]))


BUDGET_WORDS = {
    "display": "the display’s last digit",
    "scatter": "the scatter of the readings",
    "mass": "the mass",
    "balance": "the balance",
    "pivot": "the place of the pivot",
    "taps": "the timing",
    "period": "the timing",
    "clock": "the recorder’s clock",
    "amplitude": "the width of the swing",
    "spacing": "the spacing of the threads",
    "thread": "the length of the threads",
    "drift": "the instrument’s drift",
    "offset": "the board’s zero",
    "edge": "the width of the edge it rests on",
    "supports": "the places of the supports",
    "hang": "the height of hang",
    "jig": "the clamp",
    "pin": "the thickness of the pin",
    "air": "the air its face carries",
    "length": "the length of the bar",
    "told": "the figure itself",
}
IMPROVE = {
    "display": "an instrument with a finer display, or several equal things read together",
    "scatter": "more readings, lifted off and put back between them",
    "mass": "a better scale",
    "balance": "a finer balance reading",
    "pivot": "measuring the pivot’s distance from the butt more closely",
    "taps": "more swings",
    "period": "more swings",
    "clock": "another recorder",
    "amplitude": "writing down how wide it swings, and smaller swings",
    "spacing": "measuring the spacing more closely, or setting the threads wider apart",
    "thread": "longer threads, measured more closely",
    "drift": "checking the instrument against its reference more often",
    "offset": "measuring the board’s zero more closely, or reading it turned round as well",
    "edge": "a narrower edge",
    "supports": "setting the supports further apart and measuring where they stand",
    "hang": "measuring the height of hang more closely; better still, two-thread (bifilar)",
    "jig": "weighing and timing the clamp alone",
    "length": "measuring the bar more closely",
    "told": "reading it yourself",
}


def best_improvement(value: Number) -> str:
    """What would improve a result most, as a phrase; '' where nothing is uncertain."""
    parts = budget(value)
    tag = next(iter(parts), "")
    return IMPROVE.get(tag, "")


# --- checks --------------------------------------------------------------------------------------


def above_zero(values: Mapping[str, Given | None]) -> Faults:
    """Each given value must be above 0, and no uncertainty below it."""
    for name, given in values.items():
        if given is not None and not value_of(given) > 0:
            yield name, Refusal("not-above", value_of(given), 0)
        yield from no_negative_u({name: given})


def not_negative(values: Mapping[str, Given | None]) -> Faults:
    for name, given in values.items():
        if given is not None and value_of(given) < 0:
            yield name, Refusal("below", value_of(given), 0)
        yield from no_negative_u({name: given})


def no_negative_u(values: Mapping[str, Given | None]) -> Faults:
    for name, given in values.items():
        if isinstance(given, WithU) and given.u < 0:
            yield f"{name}.u", Refusal("below", given.u, 0)


def readings_faults(
    name: str, values: list[float], set_aside: list[Any], positive: bool = True
) -> Faults:
    """A list of readings: not empty, above 0 where it must be, and not all set aside."""
    if not values:
        yield name, "no reading is in it"
        return
    for i, value in enumerate(values):
        if positive and not value > 0:
            yield f"{name}[{i}]", Refusal("not-above", value, 0)
            return
    yield from aside_faults(len(values), set_aside)


def aside_faults(count: int, set_aside: list[Any]) -> Faults:
    for i, aside in enumerate(set_aside):
        if not 0 <= aside.index < count:
            there = f"there is no reading {aside.index + 1}, only {count}"
            yield f"set_aside[{i}].index", there
            return
        if not aside.reason.strip():
            yield f"set_aside[{i}].reason", "a reading is set aside for a reason: write it"
            return
        if len(aside.reason) > 200:
            yield f"set_aside[{i}].reason", "longer than 200 characters"
            return
    if len({aside.index for aside in set_aside}) >= count:
        yield "set_aside", "every reading is set aside: none is left"


def apart_notes(apart: list[tuple[int, float]], values: list[float]) -> tuple[Note, ...]:
    return tuple(
        Note(message("stands-apart", reading=i + 1, value=values[i], z=z), i) for i, z in apart
    )
