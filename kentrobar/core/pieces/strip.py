"""Tape along the rim."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import ClassVar, Literal, Self, assert_never

from kentrobar.core.errors import PlacementError, Refusal
from kentrobar.core.geometry.curve import Path
from kentrobar.core.geometry.kinds import kind_of
from kentrobar.core.geometry.outline import LINES, Outline, Racket, RimLine
from kentrobar.core.reader import clock_text, length_text, short_length, the_reader, translated

from . import cautions, holes
from .body import Body
from .materials import is_lead
from .piece import FINE_MM, LINE_WORDS, SNAP_MM, Box, Cover, Faults, Piece, Shape, Spot, Verb, tidy
from .sites import usual_places
from .work import Place, Task, WorkPlace

TAPE_MM = 6.0
"""How wide tape is drawn."""
LEAST_MM = 0.01
"""No tape is cut shorter."""
STRIP_MINUTES = 0.75
ACROSS_HOURS = 0.05
"""Distance from 12 or 6 o'clock, h, within which a strip lies across the centre line."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip(Piece):
    """``length_mm`` of path centred at a clock hour, even along its length.

    ``mirror`` puts half of the mass on the other side; on ``face`` half goes to each face.
    """

    boxes: ClassVar[tuple[Box, ...]] = (
        Box("clock", "clock", "clock"),
        Box("length_mm", "cut length", "length"),
        Box("line", "lies", "line"),
        Box("mirror", "on both sides", "flag"),
        Box("layers", "layers", "layers"),
    )
    likely_g: ClassVar[float] = 30.0
    places: ClassVar[tuple[Box, ...]] = (
        Box("middle", "middle from butt", "length"),
        Box("upper_end", "upper end from butt", "length"),
        Box("from_tip", "middle from tip", "length"),
        Box("hole", "middle at hole", "hole"),
    )
    is_tape: ClassVar[bool] = True

    clock: float
    length_mm: float
    line: RimLine = "face"
    mirror: bool = False
    kind: Literal["strip"] = "strip"

    def unit(self, outline: Outline) -> Body:
        path = outline.path(self.line)
        s = path.arc_of_clock(self.clock)
        sums = path.sums(s - self.length_mm / 2, s + self.length_mm / 2)
        zz = (outline.beam_mm / 2) ** 2 if self.line == "face" else 0.0
        n = sums.s
        lateral = 0.0 if self.mirror else sums.y / n
        return Body(1.0, sums.x / n, sums.xx / n + zz, sums.yy / n + zz, lateral)

    def faults(self, outline: Outline) -> Faults:
        if self.line not in LINES:
            yield "line", f"{self.line!r} is not one of {', '.join(LINES)}"
            return
        if not 0 <= self.clock <= 12:
            yield "clock", Refusal("outside", self.clock, 0, 12)
        longest = outline.path(self.line).length
        if not LEAST_MM <= self.length_mm <= longest:
            yield (
                "length_mm",
                Refusal("outside", self.length_mm, LEAST_MM, longest, "once round this line"),
            )

    @property
    def runs(self) -> int:
        """How many equal strips are cut for one layer."""
        return (1 if self.is_one_strip else 2) * (2 if self.line == "face" else 1)

    @property
    def is_one_strip(self) -> bool:
        """Whether there is nothing on the other side: not mirrored, or lying across the centre
        line, where both sides would be the same strip."""
        return not self.mirror or self.is_across

    # --- moves
    # ---------------------------------------------------------------------------------------

    def slid(self, outline: Outline, mm: float) -> Self:
        path = outline.path(self.line)
        s = path.arc_of_clock(self.clock) + mm
        return replace(self, clock=tidy(path.clock_of_arc(s), 4))

    def cut(self, outline: Outline, mm: float) -> Self:
        return self._cut_to(outline, self.length_mm + mm)

    def mirrored(self) -> Self:
        # A mirrored strip is twice the tape, so its grams double; across the centre it is one.
        return replace(self, mirror=not self.mirror).with_tape_of(self)

    def on_next_line(self, outline: Outline) -> Self:
        line = LINES[(LINES.index(self.line) + 1) % len(LINES)]
        laid = replace(self, line=line, length_mm=min(self.length_mm, outline.path(line).length))
        return laid.with_tape_of(self) if self.mass_g > 0 else laid

    def _from_tip(self, outline: Outline) -> float:
        """Arc of its middle from the tip along its line, mm; below zero on the 9 o'clock side."""
        path = outline.path(self.line)
        return math.remainder(path.arc_of_clock(self.clock), path.length)

    def place_of(self, outline: Outline, name: str, holes_mm: Sequence[float] = ()) -> float | None:
        path, middle = outline.path(self.line), abs(self._from_tip(outline))
        if name == "from_tip":
            return middle
        if name == "hole":
            return holes.hole_at(holes.on_edge(outline, path, middle), holes_mm)
        upper = max(middle - self.length_mm / 2, 0.0) if name == "upper_end" else middle
        return path.point(upper)[0]

    def placed(
        self, outline: Outline, name: str, value: float, holes_mm: Sequence[float] = ()
    ) -> Self:
        path = outline.path(self.line)
        if name == "hole":
            arc = path.arc_of_clock(
                outline.path("edge").clock_of_arc(holes.arc_of(value, holes_mm))
            )
        else:
            arc = value if name == "from_tip" else _arc_at(path, value)
        if name == "upper_end":
            arc += self.length_mm / 2
        if not 0 <= arc <= path.length / 2:
            raise PlacementError(Refusal("beyond-line", arc, high=path.length / 2))
        side = math.copysign(1.0, self._from_tip(outline))
        return replace(self, clock=tidy(path.clock_of_arc(side * arc), 4))

    def room_mm(self, outline: Outline) -> float:
        hour = abs(math.remainder(self.clock, 12))
        near = min(usual_places(outline), key=lambda site: abs(site.clock % 12 - hour))
        return near.share * outline.path(self.line).length

    def cut_to(self, outline: Outline, mm: float) -> Self:
        longest = outline.path(self.line).length
        return replace(self, length_mm=min(tidy(min(max(mm, FINE_MM), longest), 2), longest))

    def dragged(self, outline: Outline, x: float, y: float) -> Self:
        path = outline.path(self.line)
        s = path.nearest(x, y)
        hour = path.clock_of_arc(s)
        # Hands aim at hours and half hours: a piece let go beside one snaps to it.
        mark = round(hour * 2) / 2
        away = abs(path.arc_of_clock(mark) - s)
        near = min(away, path.length - away) <= SNAP_MM
        return replace(self, clock=(mark or 12.0) if near else tidy(hour, 4))

    def dragged_end(self, outline: Outline, end: str, x: float, y: float) -> Self:
        # The centre stays and both ends move alike, so a site stays a site.
        path = outline.path(self.line)
        reach = abs(path.nearest(x, y) - path.arc_of_clock(self.clock))
        return self._cut_to(outline, 2 * min(reach, path.length - reach))

    def _cut_to(self, outline: Outline, length: float) -> Self:
        longest = outline.path(self.line).length
        length = min(tidy(min(max(length, FINE_MM * 5), longest), 2), longest)
        return replace(
            self, length_mm=length, mass_g=tidy(self.mass_g * length / self.length_mm, 4)
        )

    # --- words -----------------------------------------------------------------------------------

    def words(self, outline: Outline) -> str:
        region = kind_of(outline).region(self.clock)
        return f"{translated(region)}, {translated(LINE_WORDS[self.line])}"

    def where(self) -> str:
        cut = length_text(self.length_mm)
        return f"{self.clock_words} · {cut}" + (f" × {self.runs}" if self.runs > 1 else "")

    def moved_to(self, verb: Verb) -> str:
        match verb:
            case "Cut":
                return f" to {short_length(self.length_mm)} {the_reader().length}"
            case "Slide":
                return f" to {self.clock_words}"
            case "Move":
                return f": {translated(LINE_WORDS[self.line])}"
            case "Mirror":
                return ""
            case _:
                assert_never(verb)

    @property
    def clock_words(self) -> str:
        """`12 o'clock`, `3 & 9 o'clock`, `2:10 & 9:50`."""
        first = clock_text(self.clock)
        if self.mirror and self.clock % 6:
            first = f"{first} & {clock_text(12 - self.clock)}"
        return first if ":" in first else translated("{hour} o’clock", hour=first)

    # --- drawing, cutting, fitting ---------------------------------------------------------------

    def shape(self, outline: Outline) -> Shape:
        path = outline.path(self.line)
        s = path.arc_of_clock(self.clock)
        run: tuple[Spot, ...] = tuple(path.run(s - self.length_mm / 2, s + self.length_mm / 2))
        x, y = path.point(s)
        out_x, out_y = x - outline.face_centre_mm, y
        away = math.hypot(out_x, out_y) or 1.0
        side = -1 if self.line == "inner" else 1
        aside = (side * out_x / away, side * out_y / away)
        runs, badges = [run], [((x, y), aside)]
        if self.mirror:
            runs.append(tuple((px, -py) for px, py in run))
            if abs(y) > 1:
                badges.append(((x, -y), (aside[0], -aside[1])))
        return Shape(tuple(runs), TAPE_MM, tuple(badges), (("start", run[0]), ("end", run[-1])))

    @property
    def sides_alike(self) -> bool:
        return self.mirror or self.is_across

    @property
    def is_across(self) -> bool:
        """Whether its middle lies on the centre line, at 12 or 6."""
        return abs(math.remainder(self.clock, 6)) <= ACROSS_HOURS

    def tape(self) -> tuple[float, int]:
        return self.length_mm, self.runs * (self.layers or 1)

    @property
    def is_doubled(self) -> bool:
        return self.mirror and self.is_across

    def cover(self, outline: Outline) -> Cover:
        path, half = outline.path(self.line), self.length_mm / 2
        middle = path.arc_of_clock(self.clock)
        middles = [middle] if self.is_one_strip else [middle, path.length - middle]
        # Once more a turn on or back, for runs across the tip, where the line begins.
        runs = ((at - half, at + half) for at in middles)
        return {
            self.line: tuple(
                (start + turn, end + turn)
                for start, end in runs
                for turn in (0.0, path.length, -path.length)
                if not turn or (end + turn > 0 and start + turn < path.length)
            )
        }

    def _spread(self) -> Iterator[str]:
        if not self.is_one_strip:
            yield "both sides"
        if self.line == "face":
            yield "both faces"

    def is_under_bumper(self, outline: Outline) -> bool:
        # The bumper itself is trimmed where it is.
        is_guard = self.mass_g < 0 and self._is_guard
        return outline.is_strung and self.line == "edge" and not is_guard

    @property
    def order(self) -> tuple[int, float]:
        # First what goes under the guard, then the faces, then the inside.
        hour = self.clock % 12
        return 1 + ("edge", "face", "inner").index(self.line), min(hour, 12 - hour)

    def place(self, outline: Outline, holes_mm: Sequence[float] = ()) -> Place:
        """Where it lies; of a mirrored one, the run on the 3 o'clock side."""
        path = outline.path(self.line)
        middle = math.remainder(path.arc_of_clock(self.clock), path.length)
        if self.mirror and middle < 0:
            middle = -middle
        start, end = middle - self.length_mm / 2, middle + self.length_mm / 2
        beside = None
        if holes_mm and isinstance(outline, Racket):
            at = [holes.on_edge(outline, path, s) for s in (start, end)]
            beside = (holes.nearest(at[0], holes_mm), holes.nearest(at[1], holes_mm))
        reach = _reach(outline, self.line, start, end)
        return Place(self.line, reach, (start, end), self.clock_words, beside)

    def put_on(self, at: WorkPlace) -> Task:
        is_racket = isinstance(at.outline, Racket)
        under = (
            "Take off the bumper or the grommet strip, lay the tape in the channel, bent to it"
            " first; a guide hole with the awl, then pierce it crosswise at every hole; press the"
            " strip back. Where the tape ends"
            " inside a hole, press it down there."
            if is_racket
            else "On the edge guard, or under it where it lifts; smooth over the corners."
        )
        how = {
            "edge": under,
            "face": (
                "On the beam, clear of grommets, tie-off holes and the stringing machine’s posts; "
                "both faces alike."
            ),
            "inner": "On the inside of the hoop, between the grommets; the same on both sides.",
        }[self.line]
        lines: tuple[str, ...] = (
            how,
            "Begin at the mark, same on both sides, and press down with a roller.",
        )
        if is_racket and self.line != "edge":
            lines = (*lines, "A wider roll is trimmed to the beam before it is laid.")
        place = self.place(at.outline, at.holes_mm)
        return Task(tape_title(self, at), lines, self.cautions(), place, tape_minutes(self))

    @property
    def _is_guard(self) -> bool:
        """Whether it is the bumper guard: what comes off the edge and is not called a tape."""
        name = self.material or self.site or ""
        return "guard" in name.lower() or (not name and self.line == "edge")

    def taken_off(self, at: WorkPlace) -> Task:
        if not self._is_guard:
            return Piece.taken_off(self, at)
        what = self.material or self.site or self.words(at.outline)
        lines = (
            "Mark the stretch. Cut it on the frame, the channel guiding the blade, or off the frame"
            " on a board; chamfer the new ends at 45°.",
            f"{at.mass(-self.mass_g)} must come off: weigh what was cut. Tape it back on and read"
            " the frame before, then leave it off. Touch up the cut edge.",
        )
        return Task(f"Take off: {what}", lines, (cautions.GUARD,), minutes=10)

    def cautions(self) -> tuple[str, ...]:
        if self.mass_g < 0 and self._is_guard:
            return (cautions.GUARD,)
        return (cautions.LEAD,) if is_lead(self.material) else ()


def tape_title(piece: Piece, at: WorkPlace) -> str:
    """`Sides, both faces: 4 × 76.2 mm in 2 layers, 3.00 g`."""
    length, count = piece.strips()
    layers = f" in {piece.layers} layers" if (piece.layers or 1) > 1 else ""
    cut = f"{count} × {at.length(length, places=1)}{layers}"
    return f"{piece.name(at.outline)}: {cut}, {at.mass(piece.mass_g, 2)}"


def tape_minutes(piece: Piece) -> float:
    return 2 + piece.strips()[1] * STRIP_MINUTES


def _arc_at(path: Path, x: float) -> float:
    """How far from the tip along a line, on one side, it comes to ``x`` from the butt, mm."""
    top, bottom = path.point(0.0)[0], path.point(path.length / 2)[0]
    if not bottom - 1e-9 <= x <= top + 1e-9:
        raise PlacementError(Refusal("off-line", x, bottom, top))
    low, high = 0.0, path.length / 2
    for _ in range(50):
        # From the tip down one side a line never turns back towards the tip.
        middle = (low + high) / 2
        low, high = (middle, high) if path.point(middle)[0] > x else (low, middle)
    return (low + high) / 2


@lru_cache(maxsize=4096)
def _reach(outline: Outline, line: RimLine, start: float, end: float) -> tuple[float, float]:
    """How far off the butt a run begins and ends, mm; found once, as a sheet is looked at often."""
    xs = [x for x, _ in outline.path(line).run(start, end, 1.0)]
    return min(xs), max(xs)
