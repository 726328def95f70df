"""Where something may go: the sites of a frame on its drawing, to be switched on and off."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.recipes.brief import Site, StripSite
from kentrobar.core.recipes.one_gram import pieces_at

from . import bench as drawing


@dataclass(frozen=True, slots=True)
class SitePlace:
    """A site as drawn: the stroke of the longest piece it takes, what is kept free, where its name
    stands."""

    key: str
    name: str
    path: str
    width: float
    kept_free: str
    x: float
    y: float
    anchor: str
    is_on: bool


@dataclass(frozen=True, slots=True)
class Places:
    bench: drawing.BenchDrawing
    places: list[SitePlace]


def places(outline: Outline, sites: Mapping[str, Site], on: Collection[str]) -> Places:
    """The frame with every site on it; those in ``on`` are drawn filled."""
    bench = drawing.bench(outline)
    paper = bench.paper
    found = []
    for key, site in sites.items():
        shapes = [drawing.shape(one, outline, paper) for one in pieces_at(site, 1.0, math.inf)]
        # Of both ends the one away from the tip is named.
        drawn = min(shapes, key=lambda shape: shape.badges[0][0])
        # Of a mirrored pair the lower one is named, but near the tip the upper: names keep apart.
        is_upper = isinstance(site, StripSite) and site.mirror and site.clock < 2.9
        x, y = (min if is_upper else max)(drawn.badges, key=lambda badge: badge[1])
        is_beside = len(shapes) > 1 or x > paper.x(outline.length_mm) or x < 120
        x += 8 if len(shapes) > 1 else 0
        anchor = "start" if is_beside else "middle"
        kept_free = "".join(_kept_free(site, outline, paper))
        found.append(
            SitePlace(
                key,
                site.name,
                " ".join(shape.path for shape in shapes),
                round(drawn.width_mm * paper.k, 1),
                kept_free,
                x,
                # The cap lies beside what is inside the handle: its name stands a line higher.
                y - 14 if key == "cap" else y + 4,
                anchor,
                key in on,
            )
        )
    return Places(bench, found)


def _kept_free(site: Site, outline: Outline, paper: drawing.Paper) -> Iterator[str]:
    """Strokes of what must stay free at a site, on every run of it."""
    if not isinstance(site, StripSite):
        return
    path = outline.path(site.line)
    for low, high in site.keep_out_mm:
        for strip in site.strips(high - low):
            middle = path.arc_of_clock(strip.clock) + (low + high) / 2
            free = replace(strip, clock=path.clock_of_arc(middle))
            yield drawing.shape(free, outline, paper).path
