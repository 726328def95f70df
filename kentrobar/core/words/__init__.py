"""What the core answers with, before it is words: a code and its figures.

Nothing in the core reads a sentence. Rooms make a ``Message``; whoever shows it, a page or a
document, turns it into a sentence of the table of a language, of which there is one, ``english``.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kentrobar.core.reader import half_up, translated

from .amounts import Sentences
from .english import SENTENCES

_FORMATTED = Sentences()


@dataclass(frozen=True, slots=True)
class Message:
    """A code of ``english.SENTENCES`` and the figures of its sentence, by their names there."""

    code: str
    figures: Mapping[str, object]

    def __str__(self) -> str:
        """The sentence, told to the reader."""
        sentence = SENTENCES[self.code]
        figures = {
            name: half_up(one) if isinstance(one, float) else one
            for name, one in self.figures.items()
        }
        return (
            _FORMATTED.format(translated(sentence), **figures)
            if isinstance(sentence, str)
            else sentence(**figures)
        )


def message(code: str, /, **figures: object) -> Message:
    """
    >>> str(message("one-side", piece=2))
    'Piece 2 sits on one side only.'
    """
    return Message(code, figures)
