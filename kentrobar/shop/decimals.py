"""Decimals as the shop writes them: with a point, or with a comma.

What the core and the pages compose is written with a point; a shop that writes commas has them put
in at the last moment, in what is read by people: texts, spoken labels and boxes of numbers. Names
in boxes, code, and whatever is read by programs stay as they are.
"""

from __future__ import annotations

import re

from django.db import DatabaseError

from .models import remembered

DECIMAL = re.compile(r"(?<![\w.,])(\d+)\.(?=\d+(?!\d|\.\d))")
"""Of 12.5 what stands before its digits; not of 27.11.2026, 10.0.0.1 or v1.2."""
PART = re.compile(
    r"(?P<kept><(?P<tag>script|style|textarea|code|pre|kbd)\b.*?</(?P=tag)\s*>)|(?P<mark><[^>]*>)|[^<]+",
    re.DOTALL,
)
SPOKEN = re.compile(r'(?<=\s)((?:aria-label|title|placeholder|data-heard)=")([^"]*)')
VALUE = re.compile(r'(\svalue=")([^"]*)')


def written(html: str) -> str:
    """A page, or a part of one, as this shop writes decimals."""
    try:
        has_commas = remembered().decimals == "comma"
    except DatabaseError:
        # Where the database is gone, what a page needs of it says so.
        return html
    return with_commas(html) if has_commas else html


def with_commas(html: str) -> str:
    return PART.sub(_part, html)


def _part(found: re.Match[str]) -> str:
    text = found[0]
    if found["kept"]:
        return text
    if not found["mark"]:
        return DECIMAL.sub(r"\1,", text)
    if "=" not in text:
        return text
    text = SPOKEN.sub(_value, text)
    # Boxes of numbers say which keys a phone should show; all of them read both marks.
    is_number = text.startswith("<input") and "inputmode=" in text
    return VALUE.sub(_value, text) if is_number else text


def _value(found: re.Match[str]) -> str:
    return found[1] + DECIMAL.sub(r"\1,", found[2])
