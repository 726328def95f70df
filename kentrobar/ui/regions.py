"""A page in regions, of which an answer sends only those that changed.

A region is one element with an id; every one carries a print of what it shows (``data-print``), and
the script says with each question which prints it holds. What is shown is drawn once for the same
facts and remembered, so that an answer costs what it changes. Without a word of what is held, all
of it is sent.
"""

from __future__ import annotations

import re
from collections.abc import Hashable, Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from zlib import crc32

from django.http import HttpRequest
from django.template.loader import render_to_string
from django.utils.crypto import salted_hmac
from django.utils.safestring import SafeString, mark_safe

from kentrobar.core.reader import Reader, the_reader

HEADER = "Kentrobar-Holds"
FOREIGN = {"svg": "<svg>{}</svg>", "table": "<table>{}</table>", "": "{}"}
"""What a region must stand in for a browser to read it as what it is."""
INDENT = re.compile(r"\s*\n\s*")


def marker(name: str) -> SafeString:
    """Where in a template something is put in later: the same in every process, and nothing that
    anybody could have typed."""
    return mark_safe(f"<!--{salted_hmac(__name__, name).hexdigest()[:20]}-->")  # hexadecimal


@dataclass(frozen=True, slots=True)
class Region:
    """An element and the regions in it.

    Attributes:
        key: the element's id. parts: its HTML, in turn with the regions in it; the first begins
            with the element's tag and its id.
        inside: what it stands in, of FOREIGN.
    """

    key: str
    parts: tuple[str | Region, ...]
    inside: str = ""

    @property
    def print(self) -> str:
        """Of its own HTML, and of which regions are in it."""
        own = "".join(one if isinstance(one, str) else f"\0{one.key}" for one in self.parts)
        return f"{crc32(own.encode()):08x}"

    def html(self, more: str = "") -> str:
        """All of it."""
        text = "".join(one if isinstance(one, str) else one.html() for one in self.parts)
        marked = f'id="{self.key}" data-print="{self.print}"{more}'
        return text.replace(f'id="{self.key}"', marked, 1)

    def changed(self, held: Mapping[str, str]) -> Iterator[Region]:
        """It, where what is held of it is something else; else those in it that changed."""
        if held.get(self.key) != self.print:
            yield self
            return
        for one in self.parts:
            if isinstance(one, Region):
                yield from one.changed(held)


def held_by(request: HttpRequest) -> dict[str, str]:
    """Which prints the script holds, by the keys of their regions."""
    words = request.headers.get(HEADER, "").split()
    pairs = (word.partition(":") for word in words)
    return {key: held for key, _, held in pairs if held}


def answer(whole: Region, held: Mapping[str, str]) -> str:
    """What is to be put in the place of what is held."""
    found = groupby(whole.changed(held), key=lambda one: one.inside)
    return "".join(
        FOREIGN[inside].format("".join(one.html(' hx-swap-oob="true"') for one in some))
        for inside, some in found
    )


def drawn(template: str, **facts: Hashable) -> SafeString:
    """A template that shows these facts and nothing else, drawn once for them
    and their reader."""
    return _drawn(template, the_reader(), tuple(facts.items()))


@lru_cache(maxsize=3000)
def _drawn(template: str, who: Reader, facts: tuple[tuple[str, Hashable], ...]) -> SafeString:
    html = render_to_string(template, dict(facts)).strip()
    return mark_safe(INDENT.sub("\n", html))  # escaped by the template
