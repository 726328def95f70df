"""The bench sheet of a plan: what is cut, where every strip goes in every way a hand can find it, and the order
of work, with each caution at the step it belongs to.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from . import cautions
from .describe import clock_words, name
from .materials import is_lead
from .outline import Outline, Racket
from .pieces import Piece, Plug, Point, Sleeve, Strings, Strip, Throat, strips_of
from .rolls import PerLength

CUT = ("tape", "sheet")
"""Kinds of material that strips are cut from: a roll has its width, a sheet is cut to one."""


@dataclass(frozen=True, slots=True)
class Stuff:
    """What a sheet must know of a material: its kind on the shelf, what its strips weigh and how wide they are, how
    long it cures."""

    kind: str
    per_length: PerLength | None = None
    toxicity: float = 0.0
    cure_hours: int = 0
    width_mm: float | None = None


@dataclass(frozen=True, slots=True)
class CutLine:
    """Equal cuts of one material: how many, how long, for which pieces (by number), what they weigh together.

    ``u_g`` is one standard uncertainty of that, from the roll and the hand; None where the roll is not known.
    """

    material: str
    length_mm: float
    count: int
    pieces: tuple[int, ...]
    grams: float
    u_g: float | None
    width_mm: float | None = None
    spread: str = ""
    """Where they go: `both sides, both faces, 2 layers`."""
    is_to_width: bool = False
    """Off a sheet, where the width is cut too."""


@dataclass(frozen=True, slots=True)
class Use:
    """What a plan takes off the shelf of one material: mm of tape, cm² of a sheet, grams of what is dosed, pieces."""

    material: str
    amount: float
    unit: str


@dataclass(frozen=True, slots=True)
class Place:
    """Where a run of tape lies, in every way a hand can find it, on the 3 o'clock side.

    Attributes:
        x_mm: (nearest, furthest) from the butt. arc_mm: (start, end) along its line from the tip's centre; a run
            across the tip starts below nought, on the 9 o'clock side. clock: in words, both sides.
        grommets: the holes its start and end lie next to, counted from the tip; None where they are not known.
    """

    line: str
    x_mm: tuple[float, float]
    arc_mm: tuple[float, float]
    clock: str
    grommets: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class Step:
    """One step of the work.

    Attributes:
        key: names it for ticking off. lines: what to do, in order. cautions: short, for this step alone.
        piece: the number of the piece it lays, 0 for none. wait_hours: how long the job waits after it.
        minutes: how long it usually takes.
    """

    key: str
    title: str
    lines: tuple[str, ...]
    cautions: tuple[str, ...] = ()
    piece: int = 0
    place: Place | None = None
    minutes: float = 2.0
    wait_hours: int = 0


@dataclass(frozen=True, slots=True)
class Sheet:
    cuts: tuple[CutLine, ...]
    uses: tuple[Use, ...]
    steps: tuple[Step, ...]

    @property
    def minutes(self) -> float:
        return sum(step.minutes for step in self.steps)

    @property
    def wait_hours(self) -> int:
        return max((step.wait_hours for step in self.steps), default=0)


def bench_sheet(
    outline: Outline,
    pieces: Sequence[Piece],
    shelf: Mapping[str, Stuff],
    grommets: Sequence[float] = (),
    already: Collection[int] = (),
    leaves_out: Sequence[Piece] = (),
) -> Sheet:
    """
    Args:
        pieces: of the plan, numbered from 1 in this order. shelf: what is known of materials, by name.
        grommets: arc of every grommet hole of one side from the tip's centre along the edge, mm, nearest first.
        already: numbers of pieces that are on the frame: nothing is cut for them.
        leaves_out: pieces that are on the frame and come off, because the plan has them no more.
    """
    numbered = [(number, piece) for number, piece in enumerate(pieces, 1) if number not in already]
    return Sheet(
        tuple(_cuts(numbered, shelf)),
        tuple(uses([piece for _, piece in numbered], shelf)),
        tuple(_steps(outline, pieces, numbered, shelf, grommets, leaves_out)),
    )


# --- cutting --------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Heap:
    count: int = 0
    grams: float = 0.0
    pieces: list[int] = field(default_factory=list)
    spreads: list[str] = field(default_factory=list)


Numbered = Sequence[tuple[int, Piece]]


def _cuts(numbered: Numbered, shelf: Mapping[str, Stuff]) -> Iterator[CutLine]:
    heaps: dict[tuple[str, float], _Heap] = {}
    for number, piece in numbered:
        length, count = strips_of(piece)
        if count:
            heap = heaps.setdefault((piece.material or "", round(length, 1)), _Heap())
            heap.count += count
            heap.grams += piece.mass_g
            heap.pieces.append(number)
            heap.spreads.append(_spread(piece))
    for (material, length), heap in sorted(heaps.items(), key=lambda item: (item[0][0], -item[0][1])):
        stuff = shelf.get(material)
        u = stuff.per_length.piece(length, heap.count)[1] if stuff and stuff.per_length else None
        width = stuff.width_mm if stuff else None
        spread = "; ".join(dict.fromkeys(heap.spreads))
        to_width = bool(stuff and stuff.kind == "sheet")
        yield CutLine(
            material, length, heap.count, tuple(heap.pieces), heap.grams, u, width, spread, to_width
        )


def _spread(piece: Piece) -> str:
    words = ["both shafts, both sides"] if isinstance(piece, Throat) else []
    if isinstance(piece, Strip):
        words += ["both sides"] if piece.mirror else []
        words += ["both faces"] if piece.line == "face" else []
    if (piece.layers or 1) > 1:
        words.append(f"{piece.layers} layers")
    return ", ".join(words) or "one strip"


def uses(pieces: Sequence[Piece], shelf: Mapping[str, Stuff]) -> Iterator[Use]:
    """What these pieces take off the shelf."""
    amounts: dict[tuple[str, str], float] = {}
    for piece in pieces:
        if piece.mass_g <= 0 or not piece.material:
            continue
        length, count = strips_of(piece)
        stuff = shelf.get(piece.material)
        if not count and stuff and stuff.kind in CUT and stuff.per_length:
            # Strips inside a cap are planned in grams and cut by length.
            length, count = piece.mass_g / stuff.per_length.g_per_mm, 1
        if count and stuff and stuff.kind == "sheet":
            key, amount = (piece.material, "cm²"), length * count * (stuff.width_mm or 0.0) / 100
        elif count:
            key, amount = (piece.material, "mm"), length * count
        elif stuff is None or stuff.kind in ("putty", "silicone", "cotton"):
            key, amount = (piece.material, "g"), piece.mass_g
        else:
            key, amount = (piece.material, "pieces"), 1.0
        amounts[key] = amounts.get(key, 0.0) + amount
    for (material, unit), amount in amounts.items():
        yield Use(material, amount, unit)


# --- places ---------------------------------------------------------------------------------------


def place_of(strip: Strip, outline: Outline, grommets: Sequence[float] = ()) -> Place:
    """Where a strip lies; of a mirrored one, the run on the 3 o'clock side."""
    path = outline.path(strip.line)
    middle = math.remainder(path.arc_of_clock(strip.clock), path.length)
    if strip.mirror and middle < 0:
        middle = -middle
    start, end = middle - strip.length_mm / 2, middle + strip.length_mm / 2
    xs = [x for x, _ in path.run(start, end, 1.0)]
    beside = None
    if grommets and isinstance(outline, Racket):
        # Holes are counted along the edge: an end on another line is looked up where its ray meets the edge.
        edge = outline.path("edge")
        at = [abs(math.remainder(edge.arc_of_clock(path.clock_of_arc(s)), edge.length)) for s in (start, end)]
        beside = (_nearest(at[0], grommets), _nearest(at[1], grommets))
    return Place(strip.line, (min(xs), max(xs)), (start, end), clock_words(strip), beside)


def _nearest(arc: float, grommets: Sequence[float]) -> int:
    """The hole nearest to an arc, counted from 1 at the tip."""
    return min(range(len(grommets)), key=lambda i: abs(grommets[i] - arc)) + 1


# --- the order of work ----------------------------------------------------------------------------


def _steps(
    outline: Outline, pieces: Sequence[Piece], numbered: Numbered, shelf: Mapping[str, Stuff],
    grommets: Sequence[float], leaves_out: Sequence[Piece],
) -> Iterator[Step]:  # fmt: skip
    yield Step("look", "Look the frame over", (
        "Cracks at throat, shoulders or tip, a loose edge or core on a paddle: with these it is not customized.",
        "The figures before are complete, in the condition of the plan.",
    ), (cautions.RULES,), minutes=3)  # fmt: skip
    for i, piece in enumerate(leaves_out, 1):
        yield Step(f"out-{i}", f"Take off: {name(piece, outline)}, {piece.mass_g:.1f} g", (
            "It was fitted before, and this plan has it no more.",
        ), (cautions.LEAD,) if is_lead(piece.material) else (), minutes=5)  # fmt: skip
    new = {number for number, _ in numbered}
    for number, piece in enumerate(pieces, 1):
        if number not in new:
            what = f"{name(piece, outline)}, {piece.mass_g:.2f} g: on already"
            yield Step(f"piece-{number}", what, ("It was fitted before: leave it.",), (), number, minutes=0.5)
    for number, piece in numbered:
        if piece.mass_g < 0:
            yield _taken_off(number, piece, outline)
    taped = [(number, piece) for number, piece in numbered if strips_of(piece)[1]]
    if taped:
        yield from _prepared([piece for _, piece in taped], shelf)
    for number, piece in numbered:
        if isinstance(piece, Plug) and piece.mass_g > 0:
            yield _inside(number, piece, shelf)
    for number, piece in sorted(taped, key=lambda one: _order(one[1])):
        yield _laid(number, piece, outline, grommets)
    for number, piece in numbered:
        if piece.mass_g > 0 and isinstance(piece, (Sleeve, Point, Strings)):
            yield _fitted(number, piece, outline)
    waits = max((stuff.cure_hours for stuff in _used(numbered, shelf)), default=0)
    if waits:
        yield Step(
            "cure", f"Let it cure for {waits} hours", ("The handle up, so that it settles in the butt.",),
            (cautions.SOLVENT,), minutes=1, wait_hours=waits,
        )  # fmt: skip
    yield Step("weigh", "Weigh it and read again", (
        "Mass first: it must have risen by what was put on. Then balance and swing weight, as before.",
    ), minutes=10)  # fmt: skip


def _used(numbered: Numbered, shelf: Mapping[str, Stuff]) -> list[Stuff]:
    return [shelf[p.material] for _, p in numbered if p.mass_g > 0 and p.material and p.material in shelf]


def _order(piece: Piece) -> tuple[int, float]:
    """From the tip down: first what goes under the guard, then the faces, the inside, the throat."""
    if isinstance(piece, Strip):
        hour = piece.clock % 12
        return ("edge", "face", "inner").index(piece.line), min(hour, 12 - hour)
    return 3, 0.0


def _prepared(taped: Sequence[Piece], shelf: Mapping[str, Stuff]) -> Iterator[Step]:
    has_lead = any(is_lead(piece.material) for piece in taped)
    off_sheets = tuple(
        f"Off the {name}: strips {stuff.width_mm:g} mm wide first, scribed along the rule, then to length."
        for name in dict.fromkeys(piece.material for piece in taped)
        if (stuff := shelf.get(name or "")) and stuff.kind == "sheet" and stuff.width_mm
    )
    yield Step("clean", "Clean where tape will lie", (
        "Alcohol on a rag, wipe dry, touch it no more.",
    ), (cautions.SOLVENT,), minutes=3)  # fmt: skip
    yield Step("cut", "Cut the strips of the list", (
        *off_sheets,
        "Along a steel rule, ends square, edges rounded with the scissors.",
        "Weigh each heap of equal cuts with its backing off, or know what the backing weighs.",
    ), ((cautions.LEAD,) if has_lead else ()) + (cautions.BLADES,), minutes=2 + 0.5 * len(taped))  # fmt: skip


def _taken_off(number: int, piece: Piece, outline: Outline) -> Step:
    what = piece.material or piece.site or name(piece, outline)
    lines = [f"{-piece.mass_g:.1f} g must come off; weigh what came off and write it down."]
    if isinstance(piece, Strip):
        lines.insert(0, "Mark the stretch on the guard, take it out of the frame, trim it on a board.")
        return Step(f"off-{number}", f"Take off: {what}", tuple(lines), (cautions.GUARD,), number, minutes=10)
    return Step(f"off-{number}", f"Take off: {what}", tuple(lines), (), number, minutes=4)


def _inside(number: int, piece: Plug, shelf: Mapping[str, Stuff]) -> Step:
    stuff = shelf.get(piece.material or "")
    span = f"{piece.from_mm:.0f} to {piece.to_mm:.0f} mm from the butt"
    title = f"{piece.mass_g:.1f} g of {piece.material or 'putty'} in the handle"
    ways: dict[str, tuple[str, ...]] = {
        "silicone": (
            "Cap off. Weigh the frame on the scale, set it to nought.",
            f"Inject until it reads {piece.mass_g:.1f} g, spread {span}; cotton behind it so that it stays.",
            "Cap on, the cap weighed with the rest.",
        ),
        "tape": (
            "Cap off, strips laid on the inside of the cap side by side: the handle is filled with foam.",
            f"{piece.mass_g:.1f} g in all, pressed down with a roller.",
            "Cap on, the cap weighed with the rest.",
        ),
    }
    usual = (
        f"Cap off. Roll {piece.mass_g:.1f} g to fit, press it to the wall {span}.",
        "Cotton before and behind it against rattle. Shake it: nothing may knock.",
        "Cap on, the cap weighed with the rest.",
    )
    kind = stuff.kind if stuff else "putty"
    lead = (cautions.LEAD,) if is_lead(piece.material) else ()
    care = (cautions.SOLVENT,) if kind == "silicone" else ()
    return Step(
        f"piece-{number}",
        title,
        ways.get("tape" if kind in CUT else kind, usual),
        lead + care,
        number,
        minutes=8,
    )


def _laid(number: int, piece: Piece, outline: Outline, grommets: Sequence[float]) -> Step:
    length, count = strips_of(piece)
    layers = f" in {piece.layers} layers" if (piece.layers or 1) > 1 else ""
    title = f"{name(piece, outline)}: {count} × {length:.1f} mm{layers}, {piece.mass_g:.2f} g"
    lead = (cautions.LEAD,) if is_lead(piece.material) else ()
    if isinstance(piece, Throat):
        both = (
            f"On both shafts, both sides, from {piece.from_mm:.0f} to {piece.to_mm:.0f} mm from the butt.",
            "Inside the beam, clear of paint edges. Press down with a roller.",
        )
        return Step(f"piece-{number}", title, both, lead, number, minutes=2 + count * 0.75)
    assert isinstance(piece, Strip)
    racket = isinstance(outline, Racket)
    under = (
        "Lift the guard or the grommet strip, lay the tape under it, pierce it crosswise at every hole, press it back."
        if racket
        else "On the edge guard, or under it where it lifts; smooth over the corners."
    )
    how = {
        "edge": under,
        "face": "On the beam, clear of grommets, tie-off holes and the stringing machine’s posts; both faces alike.",
        "inner": "On the inside of the hoop, between the grommets; the same on both sides.",
    }[piece.line]
    lines: tuple[str, ...] = (how, "Begin at the mark, same on both sides, and press down with a roller.")
    if racket and piece.line != "edge":
        lines = (*lines, "A wider roll is trimmed to the beam before it is laid.")
    return Step(
        f"piece-{number}", title, lines, lead, number, place_of(piece, outline, grommets), 2 + count * 0.75
    )


def _fitted(number: int, piece: Piece, outline: Outline) -> Step:
    what = piece.material or name(piece, outline)
    if isinstance(piece, Strings):
        return Step(f"piece-{number}", f"String it: {what}", (
            f"{piece.mass_g:.1f} g should stay in the frame; a packaged set weighs 2 to 4 g more.",
        ), (), number, minutes=35)  # fmt: skip
    if isinstance(piece, Sleeve):
        care = (cautions.LEAD_AT_THE_HAND,) if is_lead(piece.material) else ()
        wound = (
            f"From {piece.from_mm:.0f} to {piece.to_mm:.0f} mm from the butt, {piece.mass_g:.1f} g.",
            "Wound from the butt up, finished with its tape; trim what is over and weigh again.",
        )
        return Step(f"piece-{number}", f"Round the handle: {what}", wound, care, number, minutes=6)
    assert isinstance(piece, Point)
    lines = (f"At {piece.x_mm:.0f} mm from the butt, {piece.mass_g:.1f} g.",)
    return Step(f"piece-{number}", f"Put on: {what}", lines, (), number, minutes=1)
