"""What the words on the pages mean: the glossary, read once."""

from __future__ import annotations

import re
from functools import cache
from pathlib import Path

_ENTRY = re.compile(r"^- \*\*(.+?)\*\*: (.+)$", re.MULTILINE)


@cache
def words() -> dict[str, str]:
    """Every term of ``words.md`` and what it means."""
    return dict(_ENTRY.findall((Path(__file__).parent / "words.md").read_text("utf-8")))


def meaning(term: str) -> str:
    """What a term means. KeyError where the glossary has no such term."""
    return words()[term]
