"""What is said of recipes and sets, and while they are looked for."""

from __future__ import annotations

from collections.abc import Sequence

from kentrobar.core.reader import half_up
from kentrobar.core.words.amounts import apart

from .names import Sentence, all_of, are, label, than


def _off(figure: str, by: float, bare: bool = False) -> str:
    """How far off, to a hundredth as changes are told: less a tolerance it is still that less."""
    return apart(figure, round(half_up(abs(by)), 2), bare=bare)


def _too_far(figure: str, beyond: float) -> str:
    """Of what is off by less than is told, that it is."""
    return "just" if round(half_up(beyond), 2) == 0 else _off(figure, beyond, bare=True)


def _stays(figure: str, miss: float, beyond: float) -> str:
    return (
        f"{label(figure)} stays {_off(figure, miss)} {than(figure, miss)} its target,"
        f" {_too_far(figure, beyond)} beyond the tolerance"
    )


def _all_stay(blocks: Sequence[tuple[str, float, float]]) -> str:
    return "; the ".join(_stays(*block) for block in blocks)


def _set_missed(frames: Sequence[tuple[str, Sequence[tuple[str, float, float]]]]) -> str:
    def one(figure: str, miss: float, beyond: float) -> str:
        return (
            f"{label(figure)} stays {_off(figure, miss)}"
            f" {than(figure, miss).removesuffix(' than')}, {_too_far(figure, beyond)} too far"
        )

    return "; ".join(
        f"{name}: {', '.join(one(*block) for block in blocks)}" for name, blocks in frames
    )


def _tolerance(figure: str, to: float, tol: float) -> str:
    return (
        f"Allow the {label(figure)} ± {apart(figure, to)} instead of"
        f" ± {apart(figure, tol, bare=True)}"
    )


def _spread(figure: str, to: float, tol: float) -> str:
    return (
        f"Allow them to be {apart(figure, to)} apart in {label(figure)} instead of"
        f" {apart(figure, tol, bare=True)}"
    )


RECIPES: dict[str, Sentence] = {
    "reached": "",
    "no-site": "Nothing can be put on: no site takes a material.",
    "stopped-early": "No recipe was found before the search was stopped.",
    "missed": lambda blocks: (
        f"With these sites and materials the {_all_stay(blocks)}. That is the nearest."
    ),
    "missed-so-far": lambda blocks: f"At the nearest so far the {_all_stay(blocks)}.",
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
        f"What is left of {all_of(figures)} lies inside the noise of reading: read again before"
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
        f"{all_of(figures).capitalize()} {are(figures)} outside by less than most players notice;"
        " another attempt moves what is right already. Stop, or go on only if the mark itself"
        " matters."
    ),
    "rest-off": lambda figures: (
        f"{all_of(figures).capitalize()} {are(figures)} still off by more than reading leaves open."
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
