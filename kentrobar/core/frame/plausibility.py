"""Refuse the impossible, question the unlikely, and name the likely slip.

Figures are judged together, because a slip in one box shows in another: a balance of 32.2 is only
wrong beside a mass and a swing weight. The likely slip is found by undoing each known slip in turn
(a tenfold, ounces, inches, swapped boxes, a digit too many, another axis) and keeping the undoing
after which nothing is doubtful any more.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from dataclasses import replace as changed
from typing import Literal

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.quantities import COMMON_AXES_MM, FIGURES, READ

from .mistyped import mistyped
from .predict import Measured

TYPICAL: dict[str, dict[str, tuple[float, float]]] = {
    "racket": {"mass_g": (230, 380), "swing_100": (250, 380), "twist_kgcm2": (10, 18)},
    "paddle": {"mass_g": (180, 290), "swing_100": (75, 105), "twist_kgcm2": (4.5, 9)},
}
GYRATION_OF_LENGTH = (0.24, 0.38)
BALANCE_OF_LENGTH = (0.35, 0.70)


DoubtCode = Literal[
    "no-mass",
    "balance-off-the-frame",
    "below-least-swing",
    "above-most-swing",
    "twist-out-of-bounds",
    "mass-unusual",
    "balance-unusual",
    "gyration-unusual",
    "swing-unusual",
    "twist-above-recoil",
    "twist-unusual",
    "differs",
]
SlipCode = Literal[
    "ounces",
    "centimetres",
    "inches",
    "swapped-boxes",
    "another-axis",
    "tenfold",
    "digit-left-over",
    "part-off",
    "part-twice",
    "face-flat",
    "digits-swapped",
    "digit-wrong",
]


@dataclass(frozen=True, slots=True)
class Slip:
    """One slip of hand or eye that would explain a figure: which, and in words."""

    code: SlipCode
    said: str


@dataclass(frozen=True, slots=True)
class Doubt:
    """One thing wrong with a set of figures.

    Attributes:
        field: the figure it shows at. code: what is wrong; ``said`` says it in words.
        slip: the slip that would explain it, None where none does; ``question`` is asked then.
    """

    field: str
    severity: Literal["impossible", "unlikely"]
    code: DoubtCode
    said: str
    slip: Slip | None = None
    question: str = ""

    @property
    def is_explained(self) -> bool:
        return self.slip is not None

    @property
    def text(self) -> str:
        """The whole of it, for a person."""
        return " ".join(
            part for part in (self.said, self.slip.said if self.slip else self.question) if part
        )


def doubts(measured: Measured, outline: Outline) -> list[Doubt]:
    """Everything doubtful about these figures on this outline, each with its likely slip.

    Figures may carry uncertainties; only their values are judged.
    """
    plain = measured.plain
    found = list(_judge(plain, outline))
    if not found:
        return []
    slip = likely_slip(plain, outline)
    return [changed(doubt, slip=slip) for doubt in found] if slip else found


def _judge(m: Measured, outline: Outline) -> Iterator[Doubt]:
    """Doubts without slips: the impossible alone where there is any, else the unlikely."""
    impossible = list(_impossible(m, outline))
    yield from impossible or _unlikely(m, outline)


def _impossible(m: Measured, outline: Outline) -> Iterator[Doubt]:
    def no(field: str, code: DoubtCode, said: str) -> Doubt:
        return Doubt(field, "impossible", code, said)

    length = outline.length_mm
    if not m.mass_g > 0:
        yield no("mass_g", "no-mass", f"Mass {m.mass_g:g} g: a frame weighs more than nothing.")
        return
    if not 0 < m.balance_mm < length:
        yield no(
            "balance_mm",
            "balance-off-the-frame",
            f"Balance {m.balance_mm:g} mm lies outside the frame, 0…{length:g} mm from the butt.",
        )
        return
    recoil = m.body().recoil_kgcm2
    most = m.mass_g * m.balance_mm * (length - m.balance_mm) / KGCM2
    least_swing = m.swing_kgcm2 - recoil
    if recoil <= 0:
        yield no(
            "swing_kgcm2",
            "below-least-swing",
            f"Swing weight {m.swing_kgcm2:g} about {m.axis_mm:g} mm cannot be: with this mass and"
            f" balance it is above {least_swing:.1f} kg·cm² even if all mass sat at the balance"
            " point.",
        )
    elif recoil > most:
        yield no(
            "swing_kgcm2",
            "above-most-swing",
            f"Swing weight {m.swing_kgcm2:g} about {m.axis_mm:g} mm cannot be: with this mass and"
            f" balance it is below {least_swing + most:.1f} kg·cm² even if all mass sat at the two"
            " ends.",
        )
    if m.twist_kgcm2 is not None:
        most_twist = m.mass_g * (outline.width_mm / 2) ** 2 / KGCM2
        if not 0 < m.twist_kgcm2 <= most_twist:
            yield no(
                "twist_kgcm2",
                "twist-out-of-bounds",
                f"Twist weight {m.twist_kgcm2:g} cannot be: a frame {outline.width_mm:g} mm wide"
                f" with this mass has between 0 and {most_twist:.1f} kg·cm².",
            )


def _unlikely(m: Measured, outline: Outline) -> Iterator[Doubt]:
    def hm(field: str, code: DoubtCode, said: str) -> Doubt:
        return Doubt(field, "unlikely", code, said)

    kind, length = outline.kind, outline.length_mm
    typical = TYPICAL[kind]
    body = m.body()
    swing_100 = body.swing_kgcm2(100.0)
    low, high = typical["mass_g"]
    if not low <= m.mass_g <= high:
        yield hm(
            "mass_g", "mass-unusual", f"Mass {m.mass_g:g} g: {kind}s usually read {low}–{high} g."
        )
    share = m.balance_mm / length
    if not BALANCE_OF_LENGTH[0] <= share <= BALANCE_OF_LENGTH[1]:
        yield hm(
            "balance_mm",
            "balance-unusual",
            f"Balance {m.balance_mm:g} mm is {share * 100:.0f} % of the length; 35–70 % is usual.",
        )
    gyration = math.sqrt(body.recoil / m.mass_g) / length
    low, high = typical["swing_100"]
    if not GYRATION_OF_LENGTH[0] <= gyration <= GYRATION_OF_LENGTH[1]:
        side = "near its balance point" if gyration < GYRATION_OF_LENGTH[0] else "at its ends"
        yield hm(
            "swing_kgcm2",
            "gyration-unusual",
            f"Swing weight {m.swing_kgcm2:g} about {m.axis_mm:g} mm would need the mass unusually "
            f"{side}, for this mass and balance.",
        )
    elif not low <= swing_100 <= high:
        yield hm(
            "swing_kgcm2",
            "swing-unusual",
            f"Swing weight {m.swing_kgcm2:g} about {m.axis_mm:g} mm is {swing_100:.0f} about 100"
            f" mm; {kind}s usually read {low}–{high}.",
        )
    if m.twist_kgcm2 is not None:
        low, high = typical["twist_kgcm2"]
        if m.twist_kgcm2 > body.recoil_kgcm2:
            yield hm(
                "twist_kgcm2",
                "twist-above-recoil",
                f"Twist weight {m.twist_kgcm2:g} is above the recoil weight.",
            )
        elif not low <= m.twist_kgcm2 <= high:
            yield hm(
                "twist_kgcm2",
                "twist-unusual",
                f"Twist weight {m.twist_kgcm2:g}: {kind}s usually read {low}–{high} kg·cm².",
            )


def likely_slip(m: Measured, outline: Outline) -> Slip | None:
    """The first known slip whose undoing leaves nothing doubtful."""
    for undone, slip in _undoings(m):
        if not any(True for _ in _judge(undone, outline)):
            return slip
    return None


def _undoings(m: Measured) -> Iterator[tuple[Measured, Slip]]:
    values = {f: getattr(m, f) for f in READ if getattr(m, f) is not None}

    def with_(code: SlipCode, said: str, **new: float) -> tuple[Measured, Slip]:
        return changed(m, **new), Slip(code, said)

    mass, balance = m.mass_g, m.balance_mm
    yield with_(
        "ounces",
        f"Were it ounces: {mass:g} oz is {mass * 28.349523125:.1f} g.",
        mass_g=mass * 28.349523125,
    )
    yield with_(
        "centimetres",
        f"Were it centimetres: {balance:g} cm is {balance * 10:g} mm.",
        balance_mm=balance * 10,
    )
    yield with_(
        "inches",
        f"Were it inches: {balance:g} in is {balance * 25.4:.1f} mm.",
        balance_mm=balance * 25.4,
    )
    fields = list(values)
    for i, a in enumerate(fields):
        for b in fields[i + 1 :]:
            yield with_(
                "swapped-boxes",
                f"{FIGURES[a].label.capitalize()} and {FIGURES[b].label} may have gone into each"
                " other's box.",
                **{a: values[b], b: values[a]},
            )
    for axis in COMMON_AXES_MM:
        if axis != m.axis_mm:
            yield with_(
                "another-axis",
                f"It would fit as a swing weight about {axis:g} mm: which axis was it read at?",
                axis_mm=axis,
            )
    for field, value in values.items():
        for factor, word in ((10, "ten times too small"), (0.1, "ten times too large")):
            yield with_(
                "tenfold",
                f"{FIGURES[field].label.capitalize()} may be {word}.",
                **{field: value * factor},
            )
    for field, value in values.items():
        for right, slip in mistyped(value):
            if slip == "digit-left-over":
                yield with_(
                    "digit-left-over",
                    f"A digit may be left over in the {FIGURES[field].label}: "
                    f"{right:g} {FIGURES[field].unit} would fit.",
                    **{field: right},
                )


def measured_faults(measured: Measured, frame: Outline) -> Iterator[tuple[str, str]]:
    """Faults of a frame's figures: an axis off the frame, then what physics forbids."""
    if not 0 <= measured.axis_mm < frame.length_mm:
        yield "measured.axis_mm", f"{measured.axis_mm:g} is outside 0…{frame.length_mm:g}"
        return
    for doubt in doubts(measured, frame):
        if doubt.severity == "impossible":
            yield f"measured.{doubt.field}", doubt.text
