"""Where something may go: the sites of a frame on its drawing, to be switched on and off."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.recipes.brief import Site, StripSite
from kentrobar.core.recipes.one_gram import piece_at

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
        drawn = drawing.shape(piece_at(site, 1.0, math.inf), outline, paper)
        # Of a mirrored pair the lower one is named, but near the tip the upper: names keep apart.
        is_upper = isinstance(site, StripSite) and site.mirror and site.clock < 2.9
        x, y = (min if is_upper else max)(drawn.badges, key=lambda badge: badge[1])
        anchor = "start" if x > paper.x(outline.length_mm) else "start" if x < 120 else "middle"
        kept_free = "".join(_kept_free(site, outline, paper))
        found.append(
            SitePlace(
                key,
                site.name,
                drawn.path,
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
    middle = path.arc_of_clock(site.clock)
    for low, high in site.keep_out_mm:
        strip = Strip(
            mass_g=1.0, clock=path.clock_of_arc(middle + (low + high) / 2), length_mm=high - low,
            line=site.line, mirror=site.mirror,
        )  # fmt: skip
        yield drawing.shape(strip, outline, paper).path
