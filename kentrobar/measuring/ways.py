"""The ways to measure as pages show them: a template may not be handed a class, it would call
it."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.method import Method
from kentrobar.core.measure.registry import METHODS, methods_for
from kentrobar.core.reader import length_text


@dataclass(frozen=True, slots=True)
class Way:
    """One way to measure: its key in addresses, and what the page says of it."""

    key: str
    label: str
    caution: str
    is_timed: bool
    more: str
    """What may be written beside the usual boxes, in a word; '' for nothing."""

    @classmethod
    def of(cls, key: str) -> Way:
        method = METHODS[key]
        return cls(key, method.label, method.caution, method.is_timed, method.more_label)

    @property
    def method(self) -> type[Method]:
        return METHODS[self.key]

    def steps(self, outline: Outline) -> list[str]:
        """How it is done on this frame, lengths in the reader's unit."""
        return self.method.steps(outline, lambda mm: length_text(mm))


def ways_to(figure: str) -> list[Way]:
    """Ways to come to a figure, the surest at a plain bench first."""
    return [Way.of(key) for key in methods_for(figure)]
