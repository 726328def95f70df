"""What a page says, however its source is laid out."""

import re
from typing import Any


def said(page: Any) -> str:
    """A response's text, or markup, with every run of white space as one space."""
    text = page.content.decode() if hasattr(page, "content") else str(page)
    return re.sub(r"\s+", " ", text)


def faults(answer: Any) -> set[str]:
    """The boxes beside which a page says that something is wrong, over all its forms; ``__all__``
    for what is said above a form."""
    found: set[str] = set()
    for layer in answer.context or ():
        for one in layer.flatten().values() if hasattr(layer, "flatten") else layer.values():
            if hasattr(one, "errors") and hasattr(one, "fields"):
                found |= set(one.errors)
    return found


def told(answer: Any) -> list[str]:
    """How a page tells what came of it, message by message: ``success``, ``error``, ``undo``."""
    return [one.tags.split()[-1] for one in answer.context["messages"]]


def as_posted(form):
    """What a form sends that nobody touched."""
    return {one.name: "" if one.value() is None else one.value() for one in form}
