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
from itertools import combinations
from typing import Any, Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.quantities import COMMON_AXES_MM, READ
from kentrobar.core.units import LENGTH, MASS, POINT_MM
from kentrobar.core.words import Message, message

from .mistyped import mistyped
from .predict import Measured
from .typical import typical

GYRATION_OF_LENGTH = (0.24, 0.38)
BALANCE_OF_LENGTH = (0.35, 0.70)
ALONE = 0.1
"""Share by which a swing weight may lie further out where neither mass nor balance is known."""


DoubtCode = Literal[
    "no-mass",
    "balance-off-the-frame",
    "below-least-swing",
    "above-most-swing",
    "twist-out-of-bounds",
    "mass-unusual",
    "balance-unusual",
    "balance-alone",
    "swing-alone",
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
    "points",
    "swapped-boxes",
    "another-axis",
    "tenfold",
    "digit-left-over",
    "part-off",
    "part-twice",
    "face-flat",
    "air-in-one",
    "digits-swapped",
    "digit-wrong",
]


@dataclass(frozen=True, slots=True)
class Slip:
    """One slip of hand or eye that would explain a figure."""

    code: SlipCode
    message: Message

    @property
    def said(self) -> str:
        return str(self.message)


def slip(code: SlipCode, **figures: object) -> Slip:
    """A slip with the figures its sentence needs."""
    return Slip(code, message(code, **figures))


@dataclass(frozen=True, slots=True)
class Doubt:
    """One thing wrong with a set of figures.

    Attributes:
        field: the figure it shows at. code: what is wrong.
        slip: the slip that would explain it, None where none does; ``question`` is asked then.
    """

    field: str
    severity: Literal["impossible", "unlikely"]
    code: DoubtCode
    message: Message
    slip: Slip | None = None
    question: Message | None = None

    @property
    def is_explained(self) -> bool:
        return self.slip is not None

    @property
    def text(self) -> str:
        """The whole of it, for a person."""
        more = self.slip.said if self.slip else str(self.question or "")
        return f"{self.message} {more}".strip()

    def __str__(self) -> str:
        return self.text


def doubts(measured: Measured, outline: Outline) -> list[Doubt]:
    """Everything doubtful about these figures on this outline, each with its likely slip.

    Figures may carry uncertainties; only their values are judged.
    """
    plain = measured.plain
    found = list(_judge(plain, outline))
    if not found:
        return []
    likely = likely_slip(plain, outline)
    return [changed(doubt, slip=likely) for doubt in found] if likely else found


def _judge(m: Measured, outline: Outline) -> Iterator[Doubt]:
    """Doubts without slips: the impossible alone where there is any, else the unlikely."""
    impossible = list(_impossible(m, outline))
    yield from impossible or _unlikely(m, outline)


def _impossible(m: Measured, outline: Outline) -> Iterator[Doubt]:
    def no(field: str, code: DoubtCode, **figures: float) -> Doubt:
        return Doubt(field, "impossible", code, message(code, **figures))

    length = outline.length_mm
    if not m.mass_g > 0:
        yield no("mass_g", "no-mass", mass=m.mass_g)
        return
    if not 0 < m.balance_mm < length:
        yield no("balance_mm", "balance-off-the-frame", balance=m.balance_mm, length=length)
        return
    recoil = m.body().recoil_kgcm2
    most = m.mass_g * m.balance_mm * (length - m.balance_mm) / KGCM2
    least = m.swing_kgcm2 - recoil
    swing = {"swing": m.swing_kgcm2, "axis": m.axis_mm}
    if recoil <= 0:
        yield no("swing_kgcm2", "below-least-swing", **swing, least=least)
    elif recoil > most:
        yield no("swing_kgcm2", "above-most-swing", **swing, most=least + most)
    if m.twist_kgcm2 is not None:
        most = m.mass_g * (outline.width_mm / 2) ** 2 / KGCM2
        if not 0 < m.twist_kgcm2 <= most:
            width, twist = outline.width_mm, m.twist_kgcm2
            yield no("twist_kgcm2", "twist-out-of-bounds", twist=twist, width=width, most=most)


def _unlikely(m: Measured, outline: Outline) -> Iterator[Doubt]:
    def hm(field: str, code: DoubtCode, **figures: object) -> Doubt:
        return Doubt(field, "unlikely", code, message(code, **figures))

    kind, length = outline.kind, outline.length_mm
    usual = {
        name: {"kind": kind, "low": low, "high": high}
        for name, (low, high) in FRAME_KINDS[kind].plausible.items()
    }

    def is_usual(name: str, value: float) -> bool:
        low, high = FRAME_KINDS[kind].plausible[name]
        return low <= value <= high

    body = m.body()
    if not is_usual("mass_g", m.mass_g):
        yield hm("mass_g", "mass-unusual", mass=m.mass_g, **usual["mass_g"])
    share = m.balance_mm / length
    if not BALANCE_OF_LENGTH[0] <= share <= BALANCE_OF_LENGTH[1]:
        yield hm("balance_mm", "balance-unusual", balance=m.balance_mm, share=share)
    gyration = math.sqrt(body.recoil / m.mass_g) / length
    swing = {"swing": m.swing_kgcm2, "axis": m.axis_mm}
    own_axis = FRAME_KINDS[kind].axis_mm
    about_own = body.swing_kgcm2(own_axis)
    if not GYRATION_OF_LENGTH[0] <= gyration <= GYRATION_OF_LENGTH[1]:
        inward = gyration < GYRATION_OF_LENGTH[0]
        yield hm("swing_kgcm2", "gyration-unusual", **swing, inward=inward)
    elif not is_usual("swing_kgcm2", about_own):
        own = {"own_axis": own_axis, "about_own": about_own}
        yield hm("swing_kgcm2", "swing-unusual", **swing, **own, **usual["swing_kgcm2"])
    twist = m.twist_kgcm2
    if twist is not None and twist > body.recoil_kgcm2:
        yield hm("twist_kgcm2", "twist-above-recoil", twist=twist)
    elif twist is not None and not is_usual("twist_kgcm2", twist):
        yield hm("twist_kgcm2", "twist-unusual", twist=twist, **usual["twist_kgcm2"])


def likely_slip(m: Measured, outline: Outline) -> Slip | None:
    """The first known slip whose undoing leaves nothing doubtful."""
    for undone, found in _undoings(m):
        if not any(True for _ in _judge(undone, outline)):
            return found
    return None


def _undoings(m: Measured) -> Iterator[tuple[Measured, Slip]]:
    """(the figures without the slip, the slip), the commonest slips first."""
    values = {f: getattr(m, f) for f in READ if getattr(m, f) is not None}
    units: tuple[tuple[SlipCode, str, float], ...] = (
        ("ounces", "mass_g", MASS["oz"]),
        ("centimetres", "balance_mm", LENGTH["cm"]),
        ("inches", "balance_mm", LENGTH["in"]),
    )
    for code, field, factor in units:
        read = values[field]
        yield _with(m, field, read * factor), slip(code, read=read, meant=read * factor)
    for a, b in combinations(values, 2):
        swapped = changed(m, **{a: values[b], b: values[a]})
        yield swapped, slip("swapped-boxes", first=a, second=b)
    for axis in COMMON_AXES_MM:
        if axis != m.axis_mm:
            yield changed(m, axis_mm=axis), slip("another-axis", axis=axis)
    for field, value in values.items():
        for factor in (10, 0.1):
            tenfold = slip("tenfold", figure=field, too_small=factor > 1)
            yield _with(m, field, value * factor), tenfold
    for field, value in values.items():
        for meant, code in mistyped(value):
            if code == "digit-left-over":
                yield _with(m, field, meant), slip(code, figure=field, meant=meant)


def _with(m: Measured, field: str, value: float) -> Measured:
    other: dict[str, Any] = {field: value}
    return changed(m, **other)


def alone(name: str, value: float, axis_mm: float, outline: Outline) -> Doubt | None:
    """What is doubtful about one figure where nothing else is known of the frame, with its slip."""
    usual = _usual_alone(name, axis_mm, outline)
    if usual is None or usual[0] <= value <= usual[1]:
        return None
    low, high = usual
    kind = outline.kind
    told: dict[str, tuple[DoubtCode, dict[str, object]]] = {
        "mass_g": ("mass-unusual", {"mass": value, "low": low, "high": high}),
        "balance_mm": ("balance-alone", {"balance": value, "low": low, "high": high}),
        "swing_kgcm2": ("swing-alone", {"swing": value, "axis": axis_mm, "low": low, "high": high}),
        "twist_kgcm2": ("twist-unusual", {"twist": value, "low": low, "high": high}),
    }
    code, figures = told[name]
    slips = _alone_slips(name, value, outline)
    found = next((one for meant, one in slips if low <= meant <= high), None)
    return Doubt(name, "unlikely", code, message(code, kind=kind, **figures), found)


def _usual_alone(name: str, axis_mm: float, outline: Outline) -> tuple[float, float] | None:
    """(lowest, highest) a figure usually reads on such a frame."""
    if name == "balance_mm":
        low, high = BALANCE_OF_LENGTH
        return round(low * outline.length_mm), round(high * outline.length_mm)
    if name == "swing_kgcm2":
        own_axis = FRAME_KINDS[outline.kind].axis_mm
        like = typical(outline, {}, own_axis).plain
        further = (like.balance_mm - axis_mm) ** 2 - (like.balance_mm - own_axis) ** 2
        moved = like.mass_g * further / KGCM2
        low, high = FRAME_KINDS[outline.kind].plausible[name]
        return round((low + moved) * (1 - ALONE)), round((high + moved) * (1 + ALONE))
    return FRAME_KINDS[outline.kind].plausible.get(name)


def _alone_slips(name: str, value: float, outline: Outline) -> Iterator[tuple[float, Slip]]:
    """(what was meant, the slip) of one figure, the commonest first."""
    units: dict[str, tuple[tuple[SlipCode, float], ...]] = {
        "mass_g": (("ounces", MASS["oz"]),),
        "balance_mm": (("centimetres", LENGTH["cm"]), ("inches", LENGTH["in"])),
    }
    for code, factor in units.get(name, ()):
        yield value * factor, slip(code, read=value, meant=value * factor)
    if name == "balance_mm":
        meant = outline.length_mm / 2 - value * POINT_MM
        yield meant, slip("points", read=value, meant=meant)
    for factor in (10, 0.1):
        yield value * factor, slip("tenfold", figure=name, too_small=factor > 1)


def measured_faults(measured: Measured, frame: Outline) -> Iterator[tuple[str, str]]:
    """Faults of a frame's figures: an axis off the frame, then what physics forbids."""
    if not 0 <= measured.axis_mm < frame.length_mm:
        yield "measured.axis_mm", Refusal("outside", measured.axis_mm, 0, frame.length_mm)
        return
    for doubt in doubts(measured, frame):
        if doubt.severity == "impossible":
            yield f"measured.{doubt.field}", doubt.text
