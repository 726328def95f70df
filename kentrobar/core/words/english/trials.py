"""What a trial that does not read as predicted is suspected of."""

from __future__ import annotations

from collections.abc import Callable

from kentrobar.core.reader import percent
from kentrobar.core.words.amounts import told

from .names import Sentence, label, title


def _drift(figure: str, amount: float, check: str) -> str:
    said = (
        f"The {label(figure)} reads {told(figure, abs(amount), 1)}"
        f" {'high' if amount > 0 else 'low'}"
    )
    return f"{said}: {check}" if check else said


def _typed(slip: str) -> Callable[..., str]:
    return lambda figure, typed, meant: (
        f"{title(figure)} {told(figure, typed)} typed for {told(figure, meant)}: {slip}"
    )


SUSPICIONS: dict[str, Sentence] = {
    "chance": "Nothing but chance",
    "mass": lambda piece, amount: (
        f"Piece {piece} weighs {told('mass_g', abs(amount), 2)}"
        f" {'more' if amount > 0 else 'less'} than noted"
    ),
    "came-off": lambda piece, amount: (
        f"Piece {piece}: {told('mass_g', abs(amount), 2)} {'less' if amount > 0 else 'more'} came"
        " off than noted"
    ),
    "still-on": "Piece {piece} is still on: {mass:mass1}",
    "lost": "Piece {piece} is lost: {mass:mass1}",
    "half": "Half of piece {piece} is missing, a side or a face: {mass:mass1}",
    "strip": "One strip of piece {piece} is missing: {mass:mass1}",
    "swapped": "Pieces {piece} and {other} lie each where the other belongs",
    "before": lambda figure, amount: (
        f"{title(figure)} was read {told(figure, abs(amount), 1)} too"
        f" {'high' if amount > 0 else 'low'} before"
    ),
    "place": lambda piece, by, nearer_tip: (
        f"Piece {piece} lies about {told('length', by, 0)} nearer the"
        f" {'tip' if nearer_tip else 'butt'}"
    ),
    "came-off-there": lambda piece, by, nearer_tip: (
        f"Piece {piece} came off about {told('length', by, 0)} nearer the"
        f" {'tip' if nearer_tip else 'butt'}"
    ),
    "backing": "The backing is still on: {mass:mass2}",
    "varies": lambda part, amount: (
        f"The {part} weigh{'' if part.endswith('s') else 's'} {told('mass_g', abs(amount), 1)}"
        f" {'more' if amount > 0 else 'less'} than before"
        f"{': another gauge?' if part.endswith('s') else ': damp?' if amount > 0 else ''}"
    ),
    "off": "The {part} is missing: {mass:mass1}",
    "twice": "One {part} too many: {mass:mass1}",
    "flat": (
        "Clamped face-flat: the swing weight then reads its twist weight, {twist:.1f}, too high"
    ),
    "axis": "Read about {axis:g} mm, not {noted:g}",
    "drift": _drift,
    "coarse-scale": lambda u, now, then: (
        f"A mass read to ± {told('mass_g', u, 1)} is too coarse for this: half of the lightest"
        f" piece missing would be seen in {percent(now)} of cases. Weigh to"
        f" {told('mass_g', 0.1, 1)}: {percent(now)} → {percent(then)}."
    ),
    "weigh-alone": "Weigh piece {piece} by itself",
    "measure-place": "Measure how far the middle of piece {piece} lies from the butt",
    "check-axis": "Measure where the machine’s axis is, from the butt",
    "read-again": lambda figure: f"Read the {label(figure)} again, with another instrument",
    "typed-tenfold": _typed("it is ten times off"),
    "typed-ounces": _typed("it was read in ounces"),
    "typed-inches": _typed("it was read in inches"),
    "typed-digits-swapped": _typed("two digits changed places"),
    "typed-digit-wrong": _typed("one digit is another"),
}
