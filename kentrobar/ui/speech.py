"""Words in the reader's language.

Templates are translated as Django does it. What Python composes (labels, messages, what the core
says of pieces and figures) is translated at the edge by its pattern: numbers out, the sentence
looked up, numbers back in as that language writes them. So a translator needs no programmer, and
the core no language.
"""

from __future__ import annotations

import re
from contextlib import AbstractContextManager
from typing import Any

from django.utils import translation

ENGLISH = "en-gb"
LANGUAGES = (("en-gb", "English"), ("de", "Deutsch"))
NUMBER = re.compile(r"(?<![\w#])[+−]?\d+(?:[.:]\d+)?(?![\w#]*\.\w)")
BETWEEN = re.compile(r"( · |, |: |; )")


def speaking(language: str) -> AbstractContextManager[Any]:
    """Everything within in a language, dates and numbers too."""
    return translation.override(language or ENGLISH)


def is_english() -> bool:
    return (translation.get_language() or ENGLISH).startswith("en")


def said(text: Any) -> str:
    """A text that Python composed; what no translator knows stays as it is."""
    words = str(text)
    if is_english() or not words:
        return words
    whole = _looked_up(words)
    if whole is not None:
        return whole
    parts = BETWEEN.split(words)
    if len(parts) == 1:
        return figures(words)
    return "".join(
        part if i % 2 else (_looked_up(part) or figures(part)) for i, part in enumerate(parts)
    )


def _looked_up(words: str) -> str | None:
    """None where no translator knows it."""
    numbers = NUMBER.findall(words)
    pattern = NUMBER.sub("{}", words)
    found = translation.gettext(pattern)
    if found == pattern or found.count("{}") != len(numbers):
        return None
    for number in numbers:
        found = found.replace("{}", figures(number), 1)
    return found


def figures(text: str) -> str:
    """Numbers with the decimal mark of the language."""
    if is_english():
        return text
    return NUMBER.sub(lambda number: number[0].replace(".", ","), text)
