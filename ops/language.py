"""Catalogues of other languages: `python -m ops.language` brings every sentence of the templates
into each, and compiles it; `python -m ops.language fr` begins one.

A translator fills in `kentrobar/locale/LANGUAGE/LC_MESSAGES/django.po` with any editor for such
files, and runs this again. What the core composes is looked up by its pattern, parts as `{name}`
(`core/reader.py`, `translated`); those stand in the file under `#. composed`, and more may be added
by hand.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from pathlib import Path

import polib

from . import ROOT

LOCALE = ROOT / "kentrobar" / "locale"
COMPOSED = "composed"
_PLAIN = re.compile(r"\{% translate (\"[^\"]*\"|'[^']*') %\}")
_BLOCK = re.compile(
    r"\{% blocktranslate(?P<how>(?:[^%]|%(?!\}))*)%\}(?P<body>.*?)\{% endblocktranslate %\}", re.S
)
_PLURAL = re.compile(r"\{% plural %\}")


def sentences(template: str) -> Iterator[tuple[str, str]]:
    """(one, many) of every sentence of a template as Django looks it up; many is empty where there
    is one form."""
    for plain in _PLAIN.finditer(template):
        yield plain[1][1:-1], ""
    for block in _BLOCK.finditer(template):
        forms = [
            re.sub(r"\{\{\s*(\w+)\s*\}\}", r"%(\1)s", form.replace("%", "%%"))
            for form in _PLURAL.split(block["body"])
        ]
        if "trimmed" in block["how"].split():
            forms = [" ".join(line.strip() for line in form.strip().splitlines()) for form in forms]
        yield forms[0], forms[1] if len(forms) > 1 else ""


def templates() -> list[Path]:
    found = [
        *ROOT.glob("kentrobar/*/templates/**/*.html"),
        *ROOT.glob("kentrobar/*/templates/**/*.txt"),
    ]
    return sorted(found)


def catalogue(language: str) -> Path:
    return LOCALE / language / "LC_MESSAGES" / "django.po"


def renew(language: str) -> None:
    """Bring in what is new, drop what is gone, compile."""
    path = catalogue(language)
    path.parent.mkdir(parents=True, exist_ok=True)
    book = polib.pofile(str(path)) if path.exists() else _begun(language)
    wanted: dict[str, str] = {}
    for template in templates():
        for one, many in sentences(template.read_text()):
            wanted.setdefault(one, many)
    kept = {entry.msgid for entry in book if entry.comment == COMPOSED}
    for entry in list(book):
        if entry.msgid not in wanted and entry.msgid not in kept:
            book.remove(entry)
    known = {entry.msgid for entry in book}
    for one, many in wanted.items():
        if one not in known and one.strip():
            entry = polib.POEntry(msgid=one)
            if many:
                entry.msgid_plural, entry.msgstr_plural = many, {0: "", 1: ""}
            book.append(entry)
    book.sort(key=lambda entry: (entry.comment == COMPOSED, entry.msgid))
    book.save(str(path))
    path.with_suffix(".mo").write_bytes(book.to_binary())


def _begun(language: str) -> polib.POFile:
    book = polib.POFile(wrapwidth=96)
    book.metadata = {
        "Language": language, "MIME-Version": "1.0", "Content-Transfer-Encoding": "8bit",
        "Content-Type": "text/plain; charset=utf-8", "Plural-Forms": "nplurals=2; plural=(n != 1);",
    }  # fmt: skip
    return book


if __name__ == "__main__":
    there = [path.parent.parent.name for path in LOCALE.glob("*/LC_MESSAGES/django.po")]
    for language in sys.argv[1:] or there:
        renew(language)
