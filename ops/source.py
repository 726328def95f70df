"""Templates and styles are written for people: what bin/test asks of them.

No template line is wider than ``TEMPLATE_WIDTH``; in a style each rule and each declaration has
its own line, a colour is a variable named once in ``:root``, and an ``!important`` says why beside
it.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from pathlib import Path

from . import ROOT

TEMPLATE_WIDTH = 140
STYLE_WIDTH = 120
COLOUR = re.compile(r"#[0-9a-fA-F]{3,8}\b")


def of_template(lines: list[str]) -> Iterator[tuple[int, str]]:
    for number, line in enumerate(lines, 1):
        if len(line) > TEMPLATE_WIDTH:
            yield number, f"{len(line)} characters wide, {TEMPLATE_WIDTH} are the most"


def of_style(lines: list[str]) -> Iterator[tuple[int, str]]:
    is_root = False
    for number, line in enumerate(lines, 1):
        bare = re.sub(r"/\*.*?\*/|\"[^\"]*\"", "", line)
        is_root = (is_root or line.startswith(":root")) and not line.startswith("}")
        if len(line) > STYLE_WIDTH:
            yield number, f"{len(line)} characters wide, {STYLE_WIDTH} are the most"
        if bare.count(";") > 1 or ("{" in bare and "}" in bare):
            yield number, "more than one declaration, or a whole rule, on one line"
        if not is_root and ":" in bare and "{" not in bare and COLOUR.search(bare):
            yield number, "a colour that is no variable: name it in :root"
        if "!important" in bare and "/*" not in line:
            yield number, "!important without a reason beside it"


def faults() -> Iterator[str]:
    for path in sorted(Path(ROOT, "kentrobar").rglob("*")):
        check = {".html": of_template, ".css": of_style}.get(path.suffix)
        if check is None or "vendor" in path.parts:
            continue
        for number, reason in check(path.read_text().splitlines()):
            yield f"{path.relative_to(ROOT)}:{number}: {reason}"


def main() -> int:
    found = list(faults())
    for fault in found:
        print(fault)
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
