"""What is said of a frame's figures, of slips in them, and of a plan."""

from __future__ import annotations

from collections.abc import Callable

from kentrobar.core.reader import digits, fixed, percent
from kentrobar.core.words.amounts import apart, told

from .names import Sentence, label, than, title


def _gyration_unusual(swing: float, axis: float, inward: bool) -> str:
    where = "near its balance point" if inward else "at its ends"
    return (
        f"Swing weight {digits(swing, 6)} about {digits(axis, 6)} mm would need the mass unusually"
        f" {where}, for this mass and balance."
    )


def _swing_unusual(
    swing: float, axis: float, own_axis: float, about_own: float, kind: str, low: float, high: float
) -> str:
    moved = "" if axis == own_axis else (
        f" is {fixed(about_own, 0)} about {digits(own_axis, 6)} mm"
    )  # fmt: skip
    usual = f"{kind}s usually read {digits(low, 6)}–{digits(high, 6)} there."
    return f"Swing weight {digits(swing, 6)} about {digits(axis, 6)} mm{moved}; {usual}"


def _differs(figure: str, now: float, was: float, when: str) -> str:
    return (
        f"{title(figure)} {told(figure, float(f'{now:.4g}'))} is"
        f" {apart(figure, float(f'{now - was:.3g}'), bare=True)} {than(figure, now - was)} the"
        f" {told(figure, float(f'{was:.4g}'), bare=True)} read {when}."
    )


DOUBTS: dict[str, Sentence] = {
    "no-mass": "Mass {mass:mass}: a frame weighs more than nothing.",
    "balance-off-the-frame": (
        "Balance {balance:length} lies outside the frame, 0…{length:length} from the butt."
    ),
    "below-least-swing": (
        "Swing weight {swing:g} about {axis:g} mm cannot be: with this mass and balance it is above"
        " {least:.1f} kg·cm² even if all mass sat at the balance point."
    ),
    "above-most-swing": (
        "Swing weight {swing:g} about {axis:g} mm cannot be: with this mass and balance it is below"
        " {most:.1f} kg·cm² even if all mass sat at the two ends."
    ),
    "twist-out-of-bounds": (
        "Twist weight {twist:g} cannot be: a frame {width:length} wide with this mass has between 0"
        " and {most:.1f} kg·cm²."
    ),
    "mass-unusual": "Mass {mass:mass}: {kind}s usually read {low:mass-}–{high:mass}.",
    "balance-unusual": lambda balance, share: (
        f"Balance {told('length', balance)} is {percent(share)} of the length; 35–70 % is usual."
    ),
    "balance-alone": (
        "Balance {balance:length}: {kind}s of this length usually read {low:length-}–{high:length}."
    ),
    "swing-alone": (
        "Swing weight {swing:g} about {axis:g} mm: {kind}s usually read {low}–{high} there."
    ),
    "gyration-unusual": _gyration_unusual,
    "swing-unusual": _swing_unusual,
    "twist-above-recoil": "Twist weight {twist:g} is above the recoil weight.",
    "twist-unusual": "Twist weight {twist:g}: {kind}s usually read {low}–{high} kg·cm².",
    "differs": _differs,
    "put-on-or-off": "Has something been put on or taken off since?",
}


def _swapped_boxes(first: str, second: str) -> str:
    return f"{title(first)} and {label(second)} may have gone into each other's box."


def _tenfold(figure: str, too_small: bool) -> str:
    return f"{title(figure)} may be ten times too {'small' if too_small else 'large'}."


def _part(words: str) -> Callable[..., str]:
    return lambda part, mass: f"{words} {part} ({told('mass_g', float(f'{mass:.3g}'))})."


def _meant(words: str) -> Callable[..., str]:
    return lambda figure, meant: f"{words} in the {label(figure)}: {told(figure, meant)} would fit."


SLIPS: dict[str, Sentence] = {
    "ounces": "Did you mean {read:g} oz ({meant:.1f} g)?",
    "centimetres": "Did you mean {read:g} cm ({meant:g} mm)?",
    "inches": "Did you mean {read:g} in ({meant:.1f} mm)?",
    "points": "Did you mean {read:g} pts head-light ({meant:.1f} mm)?",
    "swapped-boxes": _swapped_boxes,
    "another-axis": (
        "It would fit as a swing weight about {axis:g} mm: which axis was it read at?"
    ),
    "tenfold": _tenfold,
    "part-off": _part("As if without its"),
    "part-twice": _part("As if with a second"),
    "air-in-one": lambda air, now: (
        f"{'High' if now else 'Low'} by about the air its face carries, {fixed(air, 1)}: this"
        f" reading has it {'in' if now else 'taken off'}, the earlier one"
        f" {'has not' if now else 'has it in'}."
    ),
    "face-flat": (
        "High by about the twist weight: as if clamped face-flat instead of face-upright."
    ),
    "digits-swapped": _meant("Two digits may have changed places"),
    "digit-left-over": _meant("A digit may be left over"),
    "digit-wrong": _meant("One digit may be wrong"),
}


def _handle_mass(piece: int, mass: float, swing: float, axis: float, balance: float) -> str:
    return (
        f"Piece {piece}: {told('mass_g', mass)} at the hand gives {fixed(swing, 2, True)} kg·cm² of"
        f" swing weight about {digits(axis, 6)} mm and moves the balance"
        f" {told('balance_mm', balance, 1, True)}. Handle mass never lowers swing weight; it lowers"
        " the balance, and that is felt."
    )


def _stands(figure: str, word: str, low: float, high: float, kinds: str) -> str:
    places = {"mass_g": 0, "balance_mm": 0, "swing_kgcm2": 0, "twist_kgcm2": 1}[figure]
    ends = f"{told(figure, low, places, bare=True)}–{told(figure, high, places)}"
    of_mass = "" if figure == "mass_g" else " of this weight"
    return f"{title(figure)} is {word}: {kinds}{of_mass} are typically {ends}."


STANDINGS: dict[str, Sentence] = {
    "stands": _stands,
    "stands-own": lambda figure, word, below, count, kinds: (
        f"{title(figure)} is {word}: above {below} of {count} {kinds} here."
    ),
    "stands-super": "{value:mass0} is super heavy for a {kind}.",
    "level": "{figures} ask for a strong player; {player} plays as a {level}.",
}
NOTICES: dict[str, Sentence] = {
    "twist-not-measured": lambda change: (
        f"Twist weight was not measured: the pieces change it by {fixed(change, 2, True)} kg·cm²."
    ),
    "off-centre": lambda offset: (
        f"The centre of mass lies {told('length', abs(offset), 1)} towards"
        f" {'3' if offset > 0 else '9'} o'clock: mirror the piece that sits on one side."
    ),
    "does-not-fit": "Piece {piece} no longer fits this frame: {reason}.",
    "handle-mass": _handle_mass,
    "grip-size": "The handle is {mm:length+1} round: {sizes:+.1f} of a grip size.",
    "grip-size-much": (
        "The handle is {mm:length+1} round, {sizes:+.1f} of a grip size: more than half a size,"
        " which the hand notices."
    ),
    "strings-to-come": (
        "Planned unstrung: {mass:mass1} of strings will move the balance {balance:length+0} and the"
        " swing weight {swing:+.0f} kg·cm²."
    ),
    "one-side": "Piece {piece} sits on one side only.",
    "caution": "Piece {piece}: {caution}",
    "cut-and-grams": (
        "Piece {piece}: {mass:mass2} is not what its cut weighs, {roll:mass2} by the roll. One of"
        " the two is wrong: type it again, or tick “weighed”."
    ),
    "weighed-apart": (
        "Piece {piece}: weighed {mass:mass2}, and the roll says {roll:mass-2}: too far apart for"
        " chance. Another tape, other layers, or its backing still on?"
    ),
    "sides-as-one": (
        "Piece {piece} lies across the centre line: both sides are one strip, cut and counted once."
    ),
    "sides-overlap": "Piece {piece}: its two sides lie on one another over {mm:length0}.",
    "overlap": "Pieces {other} and {piece} lie on one another over {mm:length0}.",
}
