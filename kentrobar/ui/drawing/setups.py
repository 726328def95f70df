"""The set-up of each measuring method, drawn from the frame's own dimensions.

A set-up is the frame somewhere on the paper, the things that hold it as lines and blocks, and a few
dimensions with their words. Level set-ups lie like the bench; hanging ones stand upright.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.measure.pendulum import pin_at_mm
from kentrobar.core.reader import axis_text, length_text, the_reader

from .bench import MIDDLE, BenchDrawing, Paper, bench

UP = 60.0
"""Where a hanging frame's pivot stands on the paper."""
CENTRE = 240.0


@dataclass
class Setup:
    """Shapes around a frame: strokes and blocks by class, and words beside them."""

    bench: BenchDrawing
    view: str
    turn: str = ""
    ghost: str = ""
    strokes: list[tuple[str, str]] = field(default_factory=list)
    words: list[tuple[float, float, str, str]] = field(default_factory=list)
    label: str = ""

    @property
    def shape(self) -> str:
        """How tall it is, for the size of its words."""
        width, height = (float(number) for number in self.view.split()[2:])
        return "level" if width > height else "hanging" if height < 1000 else "tall"

    def stroke(self, kind: str, path: str) -> None:
        self.strokes.append((kind, path))

    def say(self, x: float, y: float, text: str, anchor: str = "middle") -> None:
        self.words.append((round(x, 1), round(y, 1), text, anchor))

    def span(self, x0: float, x1: float, y: float, text: str) -> None:
        """A level dimension with its words over it."""
        self.stroke("dim", f"M{x0:g} {y - 7:g}v14M{x0:g} {y:g}H{x1:g}M{x1:g} {y - 7:g}v14")
        self.say((x0 + x1) / 2, y - 8, text)

    def drop(self, x: float, y0: float, y1: float, text: str) -> None:
        """An upright dimension with its words beside it."""
        self.stroke("dim", f"M{x - 7:g} {y0:g}h14M{x:g} {y0:g}V{y1:g}M{x - 7:g} {y1:g}h14")
        self.say(x + 10, (y0 + y1) / 2 + 5, text, "start")


def setup(method: str, outline: Outline, at: dict[str, float]) -> Setup | None:
    """The drawing of a method, or None for one that needs none.

    Args:
        at: places in mm as far as they are known: ``balance``, ``pivot``, ``axis``, ``x1``, ``x2``,
            ``spacing``, ``thread``, ``hang``, ``offset``; ``level`` is 1 for a level bifilar.
    """
    draw = DRAWN[method]
    return draw(outline, at)


def _level(outline: Outline, label: str) -> tuple[Setup, Paper]:
    drawn = bench(outline)
    return Setup(drawn, "0 20 920 400", label=label), drawn.paper


def _scale(outline: Outline, at: dict[str, float]) -> Setup:
    found, paper = _level(outline, "The frame lies across a scale, clear of the table")
    x = paper.x(at["balance"])
    found.stroke("block", f"M{x - 90:g} 362h180v34h-180z")
    found.stroke("plate", f"M{x - 104:g} 350h208v12h-208z")
    found.say(x, 385, "set to zero")
    return found


def _board(outline: Outline, at: dict[str, float]) -> Setup:
    found, paper = _level(outline, "The frame on a balance board, butt against the stop")
    x0, zero, b = paper.x(0), paper.x(at["offset"]), paper.x(at["balance"])
    long = paper.x(outline.length_mm) - x0 + 12
    found.stroke("plate", f"M{x0 - 12:g} 356h{long:g}v8h-{long:g}z")
    found.stroke("block", f"M{x0 - 12:g} 316h10v40h-10z")
    found.stroke("edge", f"M{b:g} 364l16 34h-32z")
    found.span(x0, zero, 388, f"zero {length_text(at['offset'])}")
    found.stroke("line", f"M{zero:g} 350v40")
    return found


def _two_scales(outline: Outline, at: dict[str, float]) -> Setup:
    found, paper = _level(outline, "The frame on two supports, each on a scale")
    for name, side in (("x1", "left"), ("x2", "right")):
        x = paper.x(at[name])
        found.stroke("edge", f"M{x:g} 340l12 24h-24z")
        found.stroke("block", f"M{x - 52:g} 364h104v30h-104z")
        found.say(x, 384, f"{side} scale")
    x0 = paper.x(0)
    found.span(x0, paper.x(at["x2"]), 330, length_text(at["x2"]))
    return found


def _edge(outline: Outline, at: dict[str, float]) -> Setup:
    found, paper = _level(outline, "The frame tips on an edge; the tape runs from the butt")
    b = paper.x(at["balance"])
    found.stroke("line", f"M{b:g} 60V350")
    found.stroke("edge", f"M{b:g} 350l18 40h-36z")
    found.span(paper.x(0), b, 340, "butt to edge")
    return found


def _machine(outline: Outline, at: dict[str, float]) -> Setup:
    found, paper = _level(outline, "The frame in a machine, face upright, turning about its axis")
    x, r = paper.x(at["axis"]), paper.k * outline.handle_radius_mm
    x0, end = paper.x(0), paper.x(outline.handle_length_mm * 0.8)
    found.stroke(
        "block",
        f"M{x0 - 14:g}"
        f" {MIDDLE - r - 22:g}H{end:g}v16H{x0:g}v{2 * r + 12:g}H{end:g}v16H{x0 - 14:g}z",
    )
    found.stroke("axis", f"M{x:g} 60V330")
    found.stroke("turn", f"M{paper.x(outline.length_mm) + 6:g} 130q22 60 0 120m-8-12l8 12l10-10")
    found.span(paper.x(0), x, 318, f"axis {axis_text(at['axis'])}")
    found.say(x + 150, 372, "clamped with the face upright, not flat")
    return found


def _hanging(
    outline: Outline, pivot: float, label: str, top: float = UP
) -> tuple[Setup, Paper, int]:
    """A frame hanging from a point of its axis; below is −1 where its butt hangs down."""
    drawn = bench(outline)
    below = -1 if pivot > outline.length_mm * 0.5 else 1
    place = f"rotate({90 * below}) translate({-drawn.paper.x(pivot):g} {-MIDDLE:g})"
    found = Setup(drawn, "0 0 480 940", f"translate({CENTRE:g} {top:g}) {place}", label=label)
    return found, drawn.paper, below


def _pendulum(outline: Outline, at: dict[str, float]) -> Setup:
    pivot = at["pivot"]
    found, paper, below = _hanging(outline, pivot, "The frame hangs on a pin and swings face first")
    found.stroke("pin", f"M{CENTRE - 9:g} {UP:g}a9 9 0 1 0 18 0a9 9 0 1 0-18 0z")
    found.stroke(
        "line", f"M{CENTRE - 130:g} {UP:g}H{CENTRE - 10:g}M{CENTRE + 10:g} {UP:g}H{CENTRE + 130:g}"
    )
    butt = UP + paper.k * pivot * (1 if below < 0 else -1)
    if below < 0:
        found.drop(CENTRE + 170, UP, butt, length_text(pivot))
    else:
        found.drop(CENTRE + 120, butt, UP, length_text(pivot))
        found.view = f"0 {min(0.0, butt - 30):g} 480 940"
    low = UP + paper.k * (pivot if below < 0 else outline.length_mm - pivot)
    found.stroke("turn", f"M{CENTRE - 70:g} {low + 26:g}q70 26 140 0m-14-4l14 4l-8 13")
    found.say(CENTRE, low + 66, "towards you and away")
    return found


def _bifilar(outline: Outline, at: dict[str, float]) -> Setup:
    if at.get("level"):
        found, paper = _level(
            outline, "The frame hangs level and upright on two threads about its balance"
        )
        found.view = "0 -170 920 560"
        b, half = paper.x(at["balance"]), paper.k * at["spacing"] / 2
        found.stroke("thread", f"M{b - half:g} -140V{MIDDLE:g}M{b + half:g} -140V{MIDDLE:g}")
        found.stroke("block", f"M{b - half - 40:g} -156h{2 * half + 80:g}v16h-{2 * half + 80:g}z")
        found.span(b - half, b + half, -100, length_text(at["spacing"]))
        found.drop(b + half + 24, -140, MIDDLE, f"thread {length_text(at['thread'])}")
        found.stroke("turn", f"M{b - 60:g} 358q60 26 120 0m-14-4l14 4l-8 13")
        return found
    centre = outline.face_centre_mm
    found, paper, _ = _hanging(
        outline, outline.length_mm, "The frame hangs handle down on two threads", 330.0
    )
    half = paper.k * at["spacing"] / 2
    # The threads take hold where the face is widest.
    hold = 330.0 + paper.k * (outline.length_mm - centre)
    found.stroke("thread", f"M{CENTRE - half:g} 40V{hold:g}M{CENTRE + half:g} 40V{hold:g}")
    found.stroke("block", f"M{CENTRE - half - 40:g} 24h{2 * half + 80:g}v16h-{2 * half + 80:g}z")
    found.span(CENTRE - half, CENTRE + half, 96, length_text(at["spacing"]))
    found.say(CENTRE + half + 12, 210, length_text(at["thread"]), "start")
    found.view = "0 0 480 1220"
    low = 330.0 + paper.k * outline.length_mm
    found.stroke("turn", f"M{CENTRE - 70:g} {low + 16:g}q70 30 140 0m-14-4l14 4l-8 13")
    return found


def _hung(outline: Outline, at: dict[str, float]) -> Setup:
    found, paper = _level(outline, "The frame hangs level below a straight axis and rocks sideways")
    found.view = "0 -40 920 400"
    # Seen from the side the face is a thin line.
    found.turn = f"translate(0 {MIDDLE + 90:g}) scale(1 0.22) translate(0 {-MIDDLE:g})"
    a, b = paper.x(outline.length_mm * 0.15), paper.x(outline.length_mm * 0.8)
    found.stroke("axis", f"M{paper.x(0) - 20:g} 40H{paper.x(outline.length_mm) + 20:g}")
    found.stroke("thread", f"M{a:g} 40V{MIDDLE + 90:g}M{b:g} 40V{MIDDLE + 90:g}")
    found.drop(b + 20, 40, MIDDLE + 90, length_text(at["hang"]))
    return found


DRAWN: dict[str, Callable[[Outline, dict[str, float]], Setup]] = {
    "scale": _scale,
    "balance-board": _board,
    "two-scales": _two_scales,
    "knife-edge": _edge,
    "machine": _machine,
    "pendulum": _pendulum,
    "bifilar": _bifilar,
    "hung-flat": _hung,
}


def usual_places(outline: Outline) -> dict[str, float]:
    """Where things stand before anything was written."""
    share, _ = kind_of(outline).usual[1]
    return {
        "balance": outline.length_mm * share,
        "pivot": pin_at_mm(outline),
        "axis": the_reader().axis_mm(outline.kind),
        "x1": 20.0,
        "x2": outline.length_mm - 20.0,
        "spacing": outline.width_mm - 20.0,
        "thread": 800.0,
        "hang": 180.0,
        "offset": 250.0,
    }
