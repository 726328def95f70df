"""What every code of the core's answers says in English.

A sentence is a format of the figures its message carries, or a function of them where a word hangs
on a figure. Figures come as numbers in the units of ``quantities.FIGURES`` and are told in the
reader's (``amounts``); a name ``figure`` is a key of that table.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from kentrobar.core.quantities import FIGURES
from kentrobar.core.units import fixed, percent

from .amounts import apart, told

Sentence = str | Callable[..., str]


def _label(figure: str) -> str:
    return FIGURES[figure].label


def _title(figure: str) -> str:
    return _label(figure).capitalize()


def _and(figures: Sequence[str]) -> str:
    labels = [_label(name) for name in figures]
    return labels[0] if len(labels) == 1 else f"{', '.join(labels[:-1])} and {labels[-1]}"


def _are(figures: Sequence[str]) -> str:
    return "is" if len(figures) == 1 else "are"


def _side(amount: float) -> str:
    return "above" if amount > 0 else "below"


def _than(figure: str, amount: float) -> str:
    """A balance has no above: of points, fewer millimetres are more."""
    if figure == "balance_mm":
        return f"nearer the {'tip' if amount > 0 else 'butt'} than"
    return _side(amount)


# --- figures of a frame ---------------------------------------------------------------------------


def _gyration_unusual(swing: float, axis: float, inward: bool) -> str:
    where = "near its balance point" if inward else "at its ends"
    return (
        f"Swing weight {swing:g} about {axis:g} mm would need the mass unusually"
        f" {where}, for this mass and balance."
    )


def _differs(figure: str, now: float, was: float, when: str) -> str:
    return (
        f"{_title(figure)} {told(figure, float(f'{now:.4g}'))} is"
        f" {apart(figure, float(f'{now - was:.3g}'), bare=True)} {_than(figure, now - was)} the"
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
    "swing-unusual": (
        "Swing weight {swing:g} about {axis:g} mm is {about_100:.0f} about 100 mm; {kind}s usually"
        " read {low}–{high}."
    ),
    "twist-above-recoil": "Twist weight {twist:g} is above the recoil weight.",
    "twist-unusual": "Twist weight {twist:g}: {kind}s usually read {low}–{high} kg·cm².",
    "differs": _differs,
    "put-on-or-off": "Has something been put on or taken off since?",
}


def _swapped_boxes(first: str, second: str) -> str:
    return f"{_title(first)} and {_label(second)} may have gone into each other's box."


def _tenfold(figure: str, too_small: bool) -> str:
    return f"{_title(figure)} may be ten times too {'small' if too_small else 'large'}."


def _part(words: str) -> Callable[..., str]:
    return lambda part, mass: f"{words} {part} ({told('mass_g', float(f'{mass:.3g}'))})."


def _meant(words: str) -> Callable[..., str]:
    return lambda figure, meant: (
        f"{words} in the {_label(figure)}: {told(figure, meant)} would fit."
    )


SLIPS: dict[str, Sentence] = {
    "ounces": "Were it ounces: {read:g} oz is {meant:.1f} g.",
    "centimetres": "Were it centimetres: {read:g} cm is {meant:g} mm.",
    "inches": "Were it inches: {read:g} in is {meant:.1f} mm.",
    "points": "Were it points: {read:g} pts head-light is {meant:.1f} mm.",
    "swapped-boxes": _swapped_boxes,
    "another-axis": (
        "It would fit as a swing weight about {axis:g} mm: which axis was it read at?"
    ),
    "tenfold": _tenfold,
    "part-off": _part("As if without its"),
    "part-twice": _part("As if with a second"),
    "air-in-one": lambda air, now: (
        f"{'High' if now else 'Low'} by about the air its face carries, {air:.1f}: this reading has"
        f" it {'in' if now else 'taken off'}, the earlier one {'has not' if now else 'has it in'}."
    ),
    "face-flat": (
        "High by about the twist weight: as if clamped face-flat instead of face-upright."
    ),
    "digits-swapped": _meant("Two digits may have changed places"),
    "digit-left-over": _meant("A digit may be left over"),
    "digit-wrong": _meant("One digit may be wrong"),
}


# --- a plan ---------------------------------------------------------------------------------------


def _handle_mass(piece: int, mass: float, swing: float, axis: float, balance: float) -> str:
    return (
        f"Piece {piece}: {told('mass_g', mass)} at the hand gives {fixed(swing, 2, True)} kg·cm² of"
        f" swing weight about {axis:g} mm and moves the balance"
        f" {told('balance_mm', balance, 1, True)}. Handle mass never lowers swing weight; it lowers"
        " the balance, and that is felt."
    )


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


# --- a trial --------------------------------------------------------------------------------------


def _drift(figure: str, amount: float, check: str) -> str:
    said = (
        f"The {_label(figure)} reads {told(figure, abs(amount), 1)}"
        f" {'high' if amount > 0 else 'low'}"
    )
    return f"{said}: {check}" if check else said


def _typed(slip: str) -> Callable[..., str]:
    return lambda figure, typed, meant: f"{_title(figure)} {typed:g} typed for {meant:g}: {slip}"


SUSPICIONS: dict[str, Sentence] = {
    "chance": "Nothing but chance",
    "mass": lambda piece, amount: (
        f"Piece {piece} weighs {told('mass_g', abs(amount), 2)}"
        f" {'more' if amount > 0 else 'less'} than noted"
    ),
    "lost": "Piece {piece} is lost: {mass:mass1}",
    "half": "Half of piece {piece} is missing, a side or a face: {mass:mass1}",
    "strip": "One strip of piece {piece} is missing: {mass:mass1}",
    "swapped": "Pieces {piece} and {other} lie each where the other belongs",
    "before": lambda figure, amount: (
        f"{_title(figure)} was read {told(figure, abs(amount), 1)} too"
        f" {'high' if amount > 0 else 'low'} before"
    ),
    "place": lambda piece, by, nearer_tip: (
        f"Piece {piece} lies about {told('length', by, 0)} nearer the"
        f" {'tip' if nearer_tip else 'butt'}"
    ),
    "backing": "The backing is still on: {mass:mass2}",
    "off": "The {part} is missing: {mass:mass1}",
    "twice": "One {part} too many: {mass:mass1}",
    "flat": (
        "Clamped face-flat: the swing weight then reads its twist weight, {twist:.1f}, too high"
    ),
    "axis": "Read about {axis:g} mm, not {noted:g}",
    "drift": _drift,
    "weigh-alone": "Weigh piece {piece} by itself",
    "measure-place": "Measure how far the middle of piece {piece} lies from the butt",
    "check-axis": "Measure where the machine’s axis is, from the butt",
    "read-again": lambda figure: f"Read the {_label(figure)} again, with another instrument",
    "typed-tenfold": _typed("it is ten times off"),
    "typed-ounces": _typed("it was read in ounces"),
    "typed-inches": _typed("it was read in inches"),
    "typed-digits-swapped": _typed("two digits changed places"),
    "typed-digit-wrong": _typed("one digit is another"),
}


# --- recipes and sets -----------------------------------------------------------------------------


def _off(figure: str, by: float, bare: bool = False) -> str:
    """How far off, to a hundredth as changes are told: less a tolerance it is still that less."""
    return apart(figure, float(fixed(abs(by), 2)), bare=bare)


def _too_far(figure: str, beyond: float) -> str:
    """Of what is off by less than is told, that it is."""
    return "just" if float(fixed(beyond, 2)) == 0 else _off(figure, beyond, bare=True)


def _stays(figure: str, miss: float, beyond: float) -> str:
    return (
        f"{_label(figure)} stays {_off(figure, miss)} {_than(figure, miss)} its target,"
        f" {_too_far(figure, beyond)} beyond the tolerance"
    )


def _missed(blocks: Sequence[tuple[str, float, float]]) -> str:
    said = "; the ".join(_stays(*block) for block in blocks)
    return f"With these sites and materials the {said}. That is the nearest."


def _set_missed(frames: Sequence[tuple[str, Sequence[tuple[str, float, float]]]]) -> str:
    def one(figure: str, miss: float, beyond: float) -> str:
        return (
            f"{_label(figure)} stays {_off(figure, miss)}"
            f" {_than(figure, miss).removesuffix(' than')}, {_too_far(figure, beyond)} too far"
        )

    return "; ".join(
        f"{name}: {', '.join(one(*block) for block in blocks)}" for name, blocks in frames
    )


def _tolerance(figure: str, to: float, tol: float) -> str:
    return (
        f"Allow the {_label(figure)} ± {apart(figure, to)} instead of"
        f" ± {apart(figure, tol, bare=True)}"
    )


def _spread(figure: str, to: float, tol: float) -> str:
    return (
        f"Allow them to be {apart(figure, to)} apart in {_label(figure)} instead of"
        f" {apart(figure, tol, bare=True)}"
    )


RECIPES: dict[str, Sentence] = {
    "reached": "",
    "no-site": "Nothing can be put on: no site takes a material.",
    "out-of-time": "No recipe was found in the time allowed: fewer sites or coarser steps.",
    "missed": _missed,
    "set-missed": _set_missed,
    "open-tolerance": _tolerance,
    "open-spread": _spread,
    "open-limit": "Allow {to:mass1} to be added",
    "open-target": "Chase another frame, {name}: then {added:mass+1} in total",
    "open-site": "Use one more site, {name}: then {added:mass+1} in total",
    "open-material": "Use another material, {name}: then {added:mass+1} in total",
    "open-part": "Change the {name}: then {added:mass+1} in total",
    "open-last-resort": "Only as a last resort, the {name}: then {added:mass+1} in total",
    "open-together": "None alone, but together: {name}; then {added:mass+1} in total",
    "rest-inside": "Every figure is inside its tolerance.",
    "rest-noise": lambda figures, now: (
        f"What is left of {_and(figures)} lies inside the noise of reading: read again before"
        f" anything is moved. As it is, {100 * now:.0f} % of such frames are inside every"
        " tolerance."
    ),
    "rest-no-gain": (
        "Another attempt ends inside every tolerance {then:.0f} times of 100, leaving it"
        " {now:.0f}: cutting, placing and reading would undo what is won."
    ),
    "rest-unfinished": (
        "The search for the rest was cut short: what it found so far says nothing of whether to go"
        " on. Look again, or with fewer sites."
    ),
    "rest-unnoticed": lambda figures: (
        f"{_and(figures).capitalize()} {_are(figures)} outside by less than most players notice;"
        " another attempt moves what is right already. Stop, or go on only if the mark itself"
        " matters."
    ),
    "rest-off": lambda figures: (
        f"{_and(figures).capitalize()} {_are(figures)} still off by more than reading leaves open."
    ),
}
PROGRESS: dict[str, Sentence] = {
    "common-target": "Looking for the target that moves the fewest grams",
    "laying-out": "Laying out what could be cut",
    "looking-inside": "Looking for a recipe inside every tolerance",
    "solving": "Many ways to combine them; solving",
    "looking-nearest": "Nothing reaches it; looking for the nearest",
    "looking-as-near": "Looking for what is nearly as near",
    "opening": "Trying what would open it",
    "other-targets": "Trying what else could be chased",
    "without": lambda names: f"Looking for the best target without {', '.join(names)}",
    "of-frame": "{name}: {progress}",
}


# --- advice and feel ------------------------------------------------------------------------------


def _against(figure: str, up: Sequence[str], down: Sequence[str]) -> str:
    return (
        f"“{'”, “'.join(up)}” asks for more {_label(figure)}, “{'”, “'.join(down)}” for less. Both"
        " cannot be had: settle which matters more, or try the one that is easier undone first."
    )


def _against_held(figure: str, up: Sequence[str], held: Sequence[str]) -> str:
    return (
        f"“{'”, “'.join(up)}” asks for more {_label(figure)}, “{'”, “'.join(held)}” for no"
        " more of it. Both cannot be had: settle which matters more."
    )


def _felt_swing(change: float, noticed: object) -> str:
    felt = (
        "more weight behind the ball, later to get round"
        if change > 0
        else "quicker round, less weight behind it"
    )
    return f"{fixed(change, 1, True)} kg·cm² of swing weight: {felt} ({noticed})."


ADVICE: dict[str, Sentence] = {
    "against": _against,
    "against-held": _against_held,
    "heavy": "{mass:mass0} of playing weight: over {heavy:mass0} is for strong, advanced players.",
    "much-at-once": "{mass:mass1} at once is much: halve it first.",
    "noticed-at-once": lambda swing: (
        f"{fixed(swing, 1, True)} kg·cm² in one step: serious players notice that at once. Halve it"
        " first."
    ),
    "slower": "Raises swing weight by {swing:.1f} kg·cm²: slower still at the net.",
    "try-first": "Try it with backing and paper tape first; one change at a time, then play.",
    "arm": "Raise mass in small steps; stop at pain and ask a physician or physiotherapist.",
    "measure-twist": (
        "Twist weight was not measured: measure it first, or the change cannot be checked."
    ),
    "lead-free": "Lead-free tape first for juniors and for anything at the hand.",
    "rules": ("Check the rules of the event and the maker's warranty: some alterations end both."),
    "unnoticed": "most would not notice",
    "some-notice": "some notice",
    "serious-notice": "serious players notice",
    "felt-swing": _felt_swing,
    "felt-balance": lambda change: (
        f"Balance {told('balance_mm', change, 1, True)}: more of it lies in the"
        f" {'head' if change > 0 else 'hand'}."
    ),
    "felt-twist": lambda share: (
        f"Twist weight {fixed(100 * share, 0, True)} %:"
        f" {'steadier' if share > 0 else 'turns more'} off the centre line."
    ),
    "felt-mass": lambda change: (
        f"{told('mass_g', change, 1, True)} in the hand"
        f"{', steadier against the ball' if change > 0 else ''}."
    ),
    "hardly-chance": "hardly by chance",
    "perhaps": "perhaps",
    "guessing": "as good as guessing",
}

# --- readings -------------------------------------------------------------------------------------

READINGS: dict[str, Sentence] = {
    "stands-apart": "Reading {reading}, {value:g}, stands apart from its fellows (z {z:+.1f}).",
    "missed-pass": lambda tap, count: (
        f"After tap {tap} {'a pass was' if count == 1 else f'{count} passes were'} missed, and"
        " counted."
    ),
    "creep": lambda ms: (
        f"The second half of the taps makes the period {abs(ms):.0f} ms"
        f" {'longer' if ms > 0 else 'shorter'} than the first: the hand crept, and ± says so. Tap"
        " once more."
    ),
    "stray-tap": "Tap {tap} is far off the line of the others.",
    "weak": (
        "Swung flat the twist weight is what is left of {swung:.1f} − {carried:.1f}: an error in"
        " the timing counts {times:.0f} times over. Two-thread (bifilar) tells it better."
    ),
    "longest-stretch": lambda kept, count: (
        f"The recording has breaks: of {count + 1} stretches the longest is read, {kept:.0f} s."
    ),
    "gaps": lambda count, longest: (
        f"{count} gap{'s' if count > 1 else ''} in the recording, the longest {longest:.2f} s; the"
        " fit bridges them."
    ),
    "air-off": "The air its face carries, {air:.2f} kg·cm², is taken off.",
    "usual-swing": (
        "How wide it swung was not written: {degrees:g} ± {u:g}° is assumed, as is usual."
    ),
    "usual-decay": lambda share, u: (
        "How wide it swung at last was not written: it is assumed to have lost"
        f" {fixed(100 * share, 0)} ± {percent(u)} a swing."
    ),
    "second-swing": lambda share, apart: (
        f"A second swing, {percent(share)} as wide and {percent(abs(apart), 1)}"
        f" {'slower' if apart > 0 else 'faster'}, swings beside the first: the frame hangs askew or"
        " the stand swings along. The wider one is taken for the frame’s; look at the pin."
    ),
    "two-beats": ("The sensor beat twice a swing: the period is two beats, as this frame swings."),
}

SENTENCES: dict[str, Sentence] = {
    **DOUBTS,
    **SLIPS,
    **NOTICES,
    **SUSPICIONS,
    **RECIPES,
    **PROGRESS,
    **ADVICE,
    **READINGS,
}
