"""What is said of a player's words, and of how a change is felt."""

from __future__ import annotations

from collections.abc import Sequence

from kentrobar.core.reader import fixed
from kentrobar.core.words.amounts import told

from .names import Sentence, label


def _against(figure: str, up: Sequence[str], down: Sequence[str]) -> str:
    return (
        f"“{'”, “'.join(up)}” asks for more {label(figure)}, “{'”, “'.join(down)}” for less. Both"
        " cannot be had: settle which matters more, or try the one that is easier undone first."
    )


def _against_held(figure: str, up: Sequence[str], held: Sequence[str]) -> str:
    return (
        f"“{'”, “'.join(up)}” asks for more {label(figure)}, “{'”, “'.join(held)}” for no"
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
    "order": (
        "Balance first, with mass at the hand: a point further than wanted, as tape on the hoop"
        " pulls it back. Then static weight, then the hoop."
    ),
    "try-first": "Try it with backing and paper tape first; one change at a time, then play.",
    "arm": "Raise mass in small steps; stop at pain and ask a physician or physiotherapist.",
    "measure-twist": (
        "Twist weight was not measured: measure it first, or the change cannot be checked."
    ),
    "lead-free": "Lead-free tape first for juniors and for anything at the hand.",
    "rules": (
        "Check the rules of the event and the maker's warranty: some alterations break the rules,"
        " or void the warranty."
    ),
    "site-ends": (
        "{grams:mass0} shared by both ends: the sweet spot, {before:length0} long now, grows by"
        " {longer:length1}; the balance moves {balance:length+1}. The half at the bottom of the"
        " hoop hardly moves it ({foot:length+1})."
    ),
    "site-tip-faces": (
        "The tip is taped on both faces while strings and bumper stay on; under the bumper where"
        " the frame is to be restrung."
    ),
    "site-little": (
        "{grams:mass0} here adds little but weight: swing weight {swing:+.1f} kg·cm², balance"
        " {balance:length+1}."
    ),
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
