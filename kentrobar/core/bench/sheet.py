"""The bench sheet of a plan: what is cut, where every strip goes in every way a hand can find it,
and the order of work, with each caution at the step it belongs to.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import Enum

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces import cautions
from kentrobar.core.pieces.materials import is_lead
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.uncertain import WEIGHED_U_G
from kentrobar.core.pieces.work import CUT, QUARTERS, OnShelf, Place, Task, WorkPlace
from kentrobar.core.reader import fixed

SHARES: dict[float, str] = {
    1: "a quarter of a strip", 2: "half a strip", 3: "three quarters of one", 4: "a whole strip",
}  # fmt: skip
"""By quarters of a ready-cut strip."""


@dataclass(frozen=True, slots=True)
class CutLine:
    """Equal cuts of one material: how many, how long, for which pieces (by number), what they weigh
    together.

    ``u_g`` is one standard uncertainty of that, from the roll and the hand, or the scale they were
    weighed on; None where the roll is not known.
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
    of_each: float = 0.0
    """The share of a strip that came ready cut; 0 of what is cut off a roll or a sheet."""

    @property
    def share(self) -> str:
        """That share in words: `half a strip`; '' where there is none."""
        if not self.of_each:
            return ""
        quarters = round(QUARTERS * self.of_each, 2)
        return SHARES.get(quarters, f"{fixed(self.of_each, 2)} of a strip")


@dataclass(frozen=True, slots=True)
class ShelfUse:
    """What a plan takes off the shelf of one material: mm of tape, cm² of a sheet, grams of what is
    dosed, pieces."""

    material: str
    amount: float
    unit: str


@dataclass(frozen=True, slots=True)
class SheetStep:
    """One step of the work.

    Attributes:
        key: names it for ticking off. lines: what to do, in order. cautions: short, for this step
            alone.
        piece: the number of the piece it lays, 0 for none. wait_hours: how long the job waits after
        it.
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


class StringsAre(Enum):
    """The strings as the work begins: in and staying in if they can, in and coming out for a
    restringing, or out (also of a frame that has none)."""

    IN = "in"
    COME_OUT = "come out"
    OUT = "out"


@dataclass(frozen=True, slots=True)
class BenchSheet:
    cuts: tuple[CutLine, ...]
    uses: tuple[ShelfUse, ...]
    steps: tuple[SheetStep, ...]

    @property
    def minutes(self) -> float:
        return sum(step.minutes for step in self.steps)

    @property
    def wait_hours(self) -> int:
        return max((step.wait_hours for step in self.steps), default=0)


def bench_sheet(
    outline: Outline,
    pieces: Sequence[Piece],
    shelf: Mapping[str, OnShelf],
    holes_mm: Sequence[float] = (),
    already: Collection[int] = (),
    leaves_out: Sequence[Piece] = (),
    strings: StringsAre = StringsAre.OUT,
    is_foam: bool = False,
) -> BenchSheet:
    """
    Args:
        pieces: of the plan, numbered from 1 in this order. shelf: what is known of materials, by
            name.
        holes_mm: arc of every grommet hole of one side from the tip's centre along the edge, mm,
        nearest first.
        already: numbers of pieces that are on the frame: nothing is cut for them.
        leaves_out: pieces that are on the frame and come off, because the plan has them no more.
        strings: whether they are in, and whether they come out anyway. is_foam: whether the handle
            has no cavity.
    """
    at = WorkPlace(outline, shelf, holes_mm, is_foam)
    numbered = [(number, piece) for number, piece in enumerate(pieces, 1) if number not in already]
    return BenchSheet(
        tuple(_cuts(numbered, shelf)),
        tuple(uses([piece for _, piece in numbered], shelf)),
        tuple(_steps(at, pieces, numbered, leaves_out, strings)),
    )


# --- cutting --------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Heap:
    length_mm: float
    count: int = 0
    grams: float = 0.0
    weighed: int = 0
    pieces: list[int] = field(default_factory=list)
    spreads: list[str] = field(default_factory=list)


Numbered = Sequence[tuple[int, Piece]]


def _cuts(numbered: Numbered, shelf: Mapping[str, OnShelf]) -> Iterator[CutLine]:
    # What a ruler tells as the same is one heap; its cuts are as long as in their rows.
    heaps: dict[tuple[str, str], _Heap] = {}
    for number, piece in numbered:
        length, count = piece.strips()
        if count:
            heap = heaps.setdefault((piece.material or "", fixed(length, 1)), _Heap(length))
            heap.count += count
            heap.grams += piece.mass_g
            heap.weighed += bool(piece.weighed)
            heap.pieces.append(number)
            heap.spreads.append(piece.spread())
    for (material, _), heap in sorted(
        heaps.items(), key=lambda item: (item[0][0], -item[1].length_mm)
    ):
        stuff, length = shelf.get(material), heap.length_mm
        u = stuff.per_length.piece(length, heap.count)[1] if stuff and stuff.per_length else None
        if heap.weighed == len(heap.pieces):
            u = WEIGHED_U_G * math.sqrt(heap.weighed)
        width = stuff.width_mm if stuff else None
        spread = "; ".join(dict.fromkeys(heap.spreads))
        to_width = bool(stuff and stuff.kind == "sheet")
        of_each = length / stuff.each_mm if stuff and stuff.each_mm else 0.0
        yield CutLine(
            material, length, heap.count, tuple(heap.pieces), heap.grams, u, width, spread,
            to_width, of_each,
        )  # fmt: skip


def uses(pieces: Sequence[Piece], shelf: Mapping[str, OnShelf]) -> Iterator[ShelfUse]:
    """What these pieces take off the shelf."""
    amounts: dict[tuple[str, str], float] = {}
    for piece in pieces:
        if piece.mass_g <= 0 or not piece.material:
            continue
        length, count = piece.strips()
        stuff = shelf.get(piece.material)
        if not count and stuff and stuff.kind in CUT and stuff.per_length:
            # Strips inside a cap are planned in grams and cut by length.
            length, count = piece.mass_g / stuff.per_length.g_per_mm, 1
        if count and stuff and stuff.kind == "sheet":
            key, amount = (piece.material, "cm²"), length * count * (stuff.width_mm or 0.0) / 100
        elif count and stuff and stuff.each_mm:
            key, amount = (piece.material, "pieces"), length * count / stuff.each_mm
        elif count:
            key, amount = (piece.material, "mm"), length * count
        elif stuff is None or stuff.kind in ("putty", "silicone", "cotton"):
            key, amount = (piece.material, "g"), piece.mass_g
        else:
            key, amount = (piece.material, "pieces"), 1.0
        amounts[key] = amounts.get(key, 0.0) + amount
    for (material, unit), amount in amounts.items():
        yield ShelfUse(material, amount, unit)


# --- the order of work ----------------------------------------------------------------------------


def _steps(
    at: WorkPlace,
    pieces: Sequence[Piece],
    numbered: Numbered,
    leaves_out: Sequence[Piece],
    strings: StringsAre,
) -> Iterator[SheetStep]:
    yield SheetStep(
        "look",
        "Look the frame over",
        (
            (
                "Cracks at throat, shoulders or tip, a loose edge or core on a paddle: with these"
                " it is not customized."
            ),
            "The figures before are complete, in the condition of the plan.",
        ),
        (cautions.RULES,),
        minutes=3,
    )
    worked_on = [*(piece for _, piece in numbered), *leaves_out]
    restrings = _come_out(at.outline, worked_on, strings)
    if restrings:
        yield STRINGS_OUT
    yield from _fitted_before(at, pieces, {number for number, _ in numbered}, leaves_out)
    for number, piece in numbered:
        if piece.mass_g < 0:
            yield _step(f"off-{number}", number, piece.taken_off(at))
    taped = [piece for _, piece in numbered if piece.strips()[1]]
    if taped:
        yield from _prepared(taped, at)
    for number, piece in sorted(numbered, key=lambda one: one[1].order):
        if piece.mass_g > 0:
            yield _step(f"piece-{number}", number, piece.put_on(at))
    waits = max((stuff.cure_hours for stuff in _used(numbered, at.shelf)), default=0)
    if waits:
        yield SheetStep(
            "cure",
            f"Let it cure for {waits} hours",
            ("The handle up, so that it settles in the butt.",),
            (cautions.SOLVENT,),
            minutes=1,
            wait_hours=waits,
        )
    if restrings and not any(isinstance(piece, Strings) for piece in worked_on):
        yield RESTRING
    yield SheetStep(
        "weigh",
        "Weigh it and read again",
        (
            f"Mass first: {_by_how_much(at, numbered, leaves_out)}. Then balance and swing weight,"
            " as before.",
        ),
        minutes=10,
    )


STRINGS_OUT = SheetStep(
    "strings-out",
    "Strings out first",
    ("Cut them from the middle of the bed outwards. Bumper and grommet strip come off only now.",),
    minutes=5,
)
RESTRING = SheetStep(
    "restring",
    "Restring it",
    (
        "Every grommet through its hole, the bumper flat on the rim.",
        "The same string and tension, unless the job says otherwise: another string changes what"
        " was planned.",
    ),
    minutes=35,
)


def _come_out(outline: Outline, worked_on: Iterable[Piece], strings: StringsAre) -> bool:
    """Whether strings that are in come out for this work, or do so anyway."""
    if strings is StringsAre.IN:
        return any(piece.is_under_bumper(outline) for piece in worked_on)
    return strings is StringsAre.COME_OUT


def _by_how_much(at: WorkPlace, numbered: Numbered, leaves_out: Sequence[Piece]) -> str:
    """What the work must have done to the mass."""
    grams = sum(piece.mass_g for _, piece in numbered) - sum(piece.mass_g for piece in leaves_out)
    way = "fallen" if grams < 0 else "risen"
    return f"it must have {way} by {at.mass(abs(grams), 2)}"


def _fitted_before(
    at: WorkPlace, pieces: Sequence[Piece], new: Collection[int], leaves_out: Sequence[Piece]
) -> Iterator[SheetStep]:
    """What lies on the frame already: what comes off, and what stays."""
    for i, piece in enumerate(leaves_out, 1):
        yield SheetStep(
            f"out-{i}",
            f"Take off: {piece.name(at.outline)}, {at.mass(piece.mass_g)}",
            ("It was fitted before, and this plan has it no more.",),
            (cautions.LEAD,) if is_lead(piece.material) else (),
            minutes=5,
        )
    for number, piece in enumerate(pieces, 1):
        if number not in new:
            what = f"{piece.name(at.outline)}, {at.mass(piece.mass_g, 2)}: on already"
            yield SheetStep(
                f"piece-{number}",
                what,
                ("It was fitted before: leave it.",),
                (),
                number,
                minutes=0.5,
            )


def _used(numbered: Numbered, shelf: Mapping[str, OnShelf]) -> list[OnShelf]:
    return [
        shelf[p.material]
        for _, p in numbered
        if p.mass_g > 0 and p.material and p.material in shelf
    ]


def _prepared(taped: Sequence[Piece], at: WorkPlace) -> Iterator[SheetStep]:
    has_lead = any(is_lead(piece.material) for piece in taped)
    off_sheets = tuple(
        f"Off the {name}: strips {at.length(stuff.width_mm, places=1)} wide first, scribed along"
        " the rule, then to length."
        for name in dict.fromkeys(piece.material for piece in taped)
        if (stuff := at.shelf.get(name or "")) and stuff.kind == "sheet" and stuff.width_mm
    )
    yield SheetStep(
        "clean",
        "Clean where tape will lie",
        ("Alcohol on a rag, wipe dry, touch it no more.",),
        (cautions.SOLVENT,),
        minutes=3,
    )
    yield SheetStep(
        "cut",
        "Cut the strips of the list",
        (
            *off_sheets,
            "Along a steel rule, ends square, edges rounded with the scissors.",
            "Weigh each heap of equal cuts with its backing off, or know what the backing weighs.",
        ),
        ((cautions.LEAD,) if has_lead else ()) + (cautions.BLADES,),
        minutes=2 + 0.5 * len(taped),
    )


def _step(key: str, number: int, task: Task) -> SheetStep:
    return SheetStep(key, task.title, task.lines, task.cautions, number, task.place, task.minutes)
