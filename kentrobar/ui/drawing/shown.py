"""The bench as regions: what never changes of an outline is drawn once, a piece once for where it
lies."""

from __future__ import annotations

from functools import lru_cache

from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe

from kentrobar.core.geometry.outline import Outline
from kentrobar.ui.regions import Region, drawn, marker

from .bench import BenchDrawing, Paper, empty_bench

_LINE, _MARKS, _BOBS, _WEDGES = map(marker, ("line", "marks", "bobs", "wedges"))
"""Where in the drawing the regions go."""


def drawing(bench: BenchDrawing, name: str, is_live: bool = False) -> Region:
    """The whole drawing; ``is_live`` on the page that changes it, where parts are known by ids."""
    skeleton = drawn(
        "drawing/bench.html", height=bench.height, paper=bench.paper, axis=bench.axis, name=name,
        frame=frame_ground(bench), ruler=ruler_ground(bench), is_live=is_live, line=_LINE,
        marks=_MARKS, bobs=_BOBS, wedges=_WEDGES,
    )  # fmt: skip
    start, rest = skeleton.split(_LINE)
    frame, rest = rest.split(_MARKS)
    ruler, rest = rest.split(_BOBS)
    between, end = rest.split(_WEDGES)
    return Region("drawing", (
        start, *_line(bench), frame, _group("mark", bench.marks, is_live), ruler,
        _group("bob", bench.bobs, is_live), between, *_wedges(bench, is_live), end,
    ))  # fmt: skip


def small(bench: BenchDrawing, name: str) -> SafeString:
    """A drawing for a card, without words, drawn once for what lies on it."""
    if bench.axis is None or bench.measured is None or bench.planned is None:
        raise ValueError("a small bench is of a prediction, about an axis")
    return drawn(
        "drawing/small.html", name=name, frame=frame_ground(bench, plain=True),
        ruler=ruler_ground(bench), marks=tuple(bench.marks), bobs=tuple(bench.bobs),
        axis=bench.axis[0], measured=bench.measured[0], planned=bench.planned[0],
    )  # fmt: skip


def _group(kind: str, rows: list, is_live: bool) -> Region:
    template = f"drawing/_{kind}.html"
    each = [
        Region(f"{kind}-{row.number}", (drawn(template, is_live=is_live, **{kind: row}),), "svg")
        for row in rows
    ]
    key = f' id="{kind}s"' if is_live else ""
    return Region(f"{kind}s", (f"<g{key}>", *each, "</g>"), "svg")


def _line(bench: BenchDrawing) -> list[Region]:
    if bench.planned is None:
        return []
    x = bench.planned[0]
    line = f'<path id="balance-line" class="balance-line" d="M{x:g} 96V378"/>'
    return [Region("balance-line", (line,), "svg")]


def _wedges(bench: BenchDrawing, is_live: bool) -> list[Region]:
    if bench.planned is None:
        return []
    facts = drawn(
        "drawing/_wedges.html", measured=bench.measured, planned=bench.planned,
        planned_is_left=bench.planned_is_left, is_live=is_live, is_assumed=bench.is_assumed,
    )  # fmt: skip
    return [Region("wedges", (facts,), "svg")]


def frame_ground(bench: BenchDrawing, plain: bool = False) -> SafeString:
    """The frame with nothing on it; ``plain`` without its clock hours."""
    return _ground("drawing/_frame.html", bench.outline, bench.paper, bench.ruler.unit, plain)


def ruler_ground(bench: BenchDrawing) -> SafeString:
    return _ground("drawing/_ruler.html", bench.outline, bench.paper, bench.ruler.unit, False)


@lru_cache(maxsize=512)
def _ground(template: str, outline: Outline, paper: Paper, unit: str, plain: bool) -> SafeString:
    bench = empty_bench(outline, unit == "in")
    assert bench.paper == paper, "every bench of an outline is drawn on the same paper"
    return mark_safe(render_to_string(template, {"bench": bench, "plain": plain}).strip())
