"""The figures of a frame in a condition: read just so, or computed from what was read otherwise.

Nothing is kept here and nothing is asked of the database: readings and parts come in, figures go
out.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from kentrobar.core.frame.condition import converted, is_on, total
from kentrobar.core.frame.predict import Measured
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.parts import CONDITIONS, ConditionKey
from kentrobar.core.quantities import FIGURES

from .choices import Condition, Quantity

BEYOND_U = 2.0
"""Standard uncertainties of both together beyond which two conditions contradict each other."""

MAKES: dict[ConditionKey, frozenset[str]] = {
    "bare": frozenset({"grip", "leather-grip"}),
    "strung": frozenset({"strings"}),
    "as-played": frozenset({"overgrip"}),
}
"""Kinds of parts, of which one makes a condition another than the one below it."""

if TYPE_CHECKING:
    # A frame asks for its figures; here only their facts are read.
    from .models import FittedPart, Frame, Reading


@dataclass(frozen=True, slots=True)
class FoundFigure:
    """A figure of a frame in a condition: the reading it comes from, and what was put on or taken
    off in thought to come here ('' where it was read just so); ``is_now`` where that is what was
    carried out on the frame since."""

    value: Number
    reading: Reading
    computed: str = ""
    is_now: bool = False


@dataclass(frozen=True, slots=True)
class Figures:
    """The figures of a frame in one condition, as it is fitted today."""

    condition: str
    found: dict[str, FoundFigure] = field(default_factory=dict)

    @property
    def label(self) -> str:
        return Condition(self.condition).label

    @property
    def readings(self) -> dict[str, Reading]:
        return {quantity: found.reading for quantity, found in self.found.items()}

    @property
    def missing(self) -> list[str]:
        """What a plan still needs, in words. Twist weight may be missing."""
        needed = (Quantity.MASS, Quantity.BALANCE, Quantity.SWING)
        return [quantity.label for quantity in needed if quantity.value not in self.found]

    @property
    def is_complete(self) -> bool:
        return not self.missing

    @property
    def is_computed(self) -> bool:
        return any(found.computed for found in self.found.values())

    @property
    def axis_mm(self) -> float | None:
        swing = self.found.get("swing_kgcm2")
        return swing.reading.axis_mm if swing else None

    @property
    def values(self) -> dict[str, Number]:
        return {quantity: found.value for quantity, found in self.found.items()}

    def measured(self) -> Measured:
        """For the core. Call only where ``is_complete``."""
        values = self.values
        return Measured(
            mass_g=values["mass_g"],
            balance_mm=values["balance_mm"],
            swing_kgcm2=values["swing_kgcm2"],
            axis_mm=self.axis_mm or 0.0,
            twist_kgcm2=values.get("twist_kgcm2"),
        )


def figures_of(
    frame: Frame, readings: Iterable[Reading], parts: Collection[FittedPart]
) -> list[Figures]:
    """Figures of every condition among the readings (the newest of each figure), complete ones
    first."""
    readings = list(readings)
    newest_first = sorted(readings, key=lambda reading: reading.read_at, reverse=True)
    conditions = dict.fromkeys(reading.condition for reading in newest_first)
    found = [figures_in(frame, condition, readings, parts, strict=True) for condition in conditions]
    return sorted(found, key=lambda figures: not figures.is_complete)


def figures_in(
    frame: Frame,
    condition: str,
    readings: Iterable[Reading],
    parts: Collection[FittedPart],
    strict: bool = False,
) -> Figures:
    """The figures a frame has in a condition, with what is fitted today.

    A figure read with just these parts on stands as read. Any other is computed: from its own
    condition what was on is taken off, and what is on now put on. ``strict`` takes only readings of
    this condition (with whatever was on it then).
    """
    today = frozenset(
        part.pk for part in parts if part.was_on(None) and is_on(part.kind, condition)
    )
    by_fit: dict[tuple[frozenset[int], str], dict[str, Reading]] = {}
    for reading in readings:
        if strict and reading.condition != condition:
            continue
        by_fit.setdefault((reading.parts_on(parts), reading.condition), {})[reading.quantity] = (
            reading
        )
    found: dict[str, FoundFigure] = {}
    for (on, label), group in by_fit.items():
        if not _is_convertible(frame, label, condition, on, today, parts):
            continue
        values = together(group)
        if on != today and "mass_g" not in group and "balance_mm" in group:
            # A balance converts beside a mass: the newest one, as it would have been then.
            values |= _mass_then(frame, by_fit, on, parts)
        for quantity, figure in _figures_from(frame, group, values, on, today, parts).items():
            held = found.get(quantity)
            if held is None or _is_better(figure, held):
                found[quantity] = figure
    return Figures(condition, found)


@dataclass(frozen=True, slots=True)
class Contradiction:
    """A figure read in two conditions that do not go together by the parts noted between them.

    ``here`` is the figure as read in ``condition``, ``there`` what the other condition comes to in
    this one.
    """

    quantity: str
    condition: str
    here: FoundFigure
    other: str
    there: FoundFigure

    @property
    def apart(self) -> float:
        return nominal(self.here.value) - nominal(self.there.value)


def contradictions(
    frame: Frame,
    readings: Iterable[Reading],
    parts: Collection[FittedPart],
    is_as_it_was: Callable[[datetime, datetime], bool] = lambda one, other: True,
) -> list[Contradiction]:
    """What was read in two conditions and contradicts itself beyond both uncertainties: each figure
    once, the newer reading first. Two readings between which the frame was changed cannot."""
    readings = list(readings)
    found: dict[tuple[str, frozenset[str]], Contradiction] = {}
    for condition in dict.fromkeys(reading.condition for reading in readings):
        read = figures_in(frame, condition, readings, parts, strict=True).found
        for other in dict.fromkeys(r.condition for r in readings if r.condition != condition):
            theirs = [reading for reading in readings if reading.condition == other]
            come_to = figures_in(frame, condition, theirs, parts).found
            for quantity in read.keys() & come_to.keys():
                here, there = read[quantity], come_to[quantity]
                one = Contradiction(quantity, condition, here, other, there)
                key = (quantity, frozenset((condition, other)))
                if not is_as_it_was(here.reading.read_at, there.reading.read_at):
                    continue
                if _is_apart(one) and here.reading.read_at >= there.reading.read_at:
                    found.setdefault(key, one)
    return list(found.values())


def _is_apart(one: Contradiction) -> bool:
    figure = FIGURES[one.quantity]
    u = math.hypot(
        *(max(uncertainty(f.value) or 0.0, figure.least_u) for f in (one.here, one.there))
    )
    return abs(one.apart) > max(BEYOND_U * u, figure.settles)


def together(group: Mapping[str, Reading]) -> dict[str, Number]:
    """The figures of readings of one condition; one that was computed with another stays tied to
    it."""
    found = {name: reading.number() for name, reading in group.items() if not reading.slopes}
    return found | {
        name: reading.number_with(found) for name, reading in group.items() if reading.slopes
    }


def _is_convertible(
    frame: Frame,
    label: str,
    condition: str,
    on: frozenset[int],
    today: frozenset[int],
    parts: Collection[FittedPart],
) -> bool:
    """Whether what lies between two named conditions was recorded: what it is that makes them
    two."""
    noted = {part.kind for part in parts if part.pk in on | today}
    return all(noted & kinds for kinds in between(label, condition, frame.is_strung))


def between(one: str, other: str, is_strung: bool) -> list[frozenset[str]]:
    """What has to be noted for figures in one condition to be told in another: of each group of
    kinds of parts one."""
    low, high = sorted(CONDITIONS.index(name) for name in (one, other))
    steps = [name for name in CONDITIONS[low + 1 : high + 1] if is_strung or name != "strung"]
    return [MAKES[name] for name in steps]


def not_noted(frame: Frame, condition: str, parts: Collection[FittedPart]) -> list[str]:
    """Kinds of parts that would have to be noted for a frame's figures to be known in a condition,
    from where the fewest would."""
    noted = {part.kind for part in parts if part.was_on(None)}
    lacking = (
        [kinds for kinds in between(read, condition, frame.is_strung) if not kinds & noted]
        for read in {reading.condition for reading in frame.latest()}
    )
    return [min(kinds) for kinds in min(lacking, key=len, default=[])]


def _is_better(figure: FoundFigure, held: FoundFigure) -> bool:
    """What was read comes before what is computed, then the newer before the older."""
    if bool(figure.computed) != bool(held.computed):
        return not figure.computed
    return figure.reading.read_at > held.reading.read_at


def _mass_then(
    frame: Frame,
    by_fit: Mapping[tuple[frozenset[int], str], Mapping[str, Reading]],
    on: frozenset[int],
    parts: Collection[FittedPart],
) -> dict[str, Number]:
    """The mass with the parts ``on``, from a mass read with others on; empty where none was
    read."""
    weighed = [
        (other, group["mass_g"]) for (other, _), group in by_fit.items() if "mass_g" in group
    ]
    if not weighed:
        return {}
    other, reading = max(weighed, key=lambda row: row[1].read_at)
    return converted({"mass_g": reading.number()}, None, _change(frame, other, on, parts))


def _change(
    frame: Frame, before: frozenset[int], after: frozenset[int], parts: Collection[FittedPart]
) -> Body:
    """What is put on, less what is taken off, from one set of parts to another."""
    outline = frame.outline()
    gained = (part.core() for part in parts if part.pk in after - before)
    lost = (part.core() for part in parts if part.pk in before - after)
    return total(gained, outline) - total(lost, outline)


def _figures_from(
    frame: Frame,
    group: Mapping[str, Reading],
    values: Mapping[str, Number],
    on: frozenset[int],
    today: frozenset[int],
    parts: Collection[FittedPart],
) -> dict[str, FoundFigure]:
    if on == today:
        return {
            quantity: FoundFigure(values[quantity], reading) for quantity, reading in group.items()
        }
    gained = [part for part in parts if part.pk in today - on]
    lost = [part for part in parts if part.pk in on - today]
    swing = group.get("swing_kgcm2")
    found = converted(values, swing.axis_mm if swing else None, _change(frame, on, today, parts))
    words = ", ".join(
        [f"+ {part.get_kind_display()}" for part in gained]
        + [f"− {part.get_kind_display()}" for part in lost]
    )
    return {
        quantity: FoundFigure(value, group[quantity], words)
        for quantity, value in found.items()
        if quantity in group
    }
