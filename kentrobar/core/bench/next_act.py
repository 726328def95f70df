"""What to do next where a trial does not read as predicted: of all that a hand could weigh, measure
or read again, what tells the suspicions apart best.

Each act has an outcome every suspicion foretells, and a noise. What it is worth is the information
it is expected to bring: how much less open the question is after it than before.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.words import Message, message

from .suspicions import Suspicion
from .trial import Compared, Residual

WEIGHED_U_G, PLACED_U_MM, AXIS_U_MM = 0.1, 1.5, 1.0
"""How well a piece is weighed, where it lies measured, and where an axis is, at the bench."""
TELLS_LITTLE = 0.6
"""What tells two suspicions apart no oftener is not worth the walk."""
CHANCE = Suspicion("chance", message("chance"), {}, 0.0, likely=0.01)
"""Stands in where there is but one suspicion of what was put on: is it that, or is it not?"""
REAL = Suspicion("real", message("chance"), {}, 0.0, likely=0.01)
"""And where it is of a reading: a figure read again is as far off as it was."""
OF_A_READING = ("drift", "typed", "axis", "flat")
POINTS = 240
TINY = 1e-200


@dataclass(frozen=True, slots=True)
class Act:
    """One thing to do.

    Attributes:
        asks: what its answer is: the grams of a piece, where a piece lies or the axis is from the
            butt in mm, or a figure of the frame. piece, figure: which.
        bits: what it is expected to tell. other: the likeliest suspicion it tells from the first,
            counted from 1; 0 where there is but the first. tells: how often, 0.5 … 1.
    """

    key: str
    message: Message
    asks: Literal["grams", "place", "axis", "figure"]
    piece: int | None = None
    figure: str | None = None
    bits: float = 0.0
    other: int = 0
    tells: float = 0.5

    @property
    def text(self) -> str:
        return str(self.message)


def best_act(compared: Compared, pieces: Sequence[Piece], outline: Outline) -> Act | None:
    """What to do first; None where nothing would tell the first suspicion from any other."""
    if not compared.suspicions:
        return None
    acts = _all_judged(compared, pieces, outline)
    able = [act for act in acts if act.tells > TELLS_LITTLE]
    first, *others = compared.suspicions
    if not able and others and all(one.piece == first.piece is not None for one in others):
        # Nothing tells what is wrong with it, but something tells whether it is that piece at all.
        return best_act(replace(compared, suspicions=(first,)), pieces, outline)
    # Of acts that tell as much, the one that looks at what is suspected first.
    return max(
        able,
        key=lambda act: (round(act.bits, 2), first.piece is not None and act.piece == first.piece),
        default=None,
    )  # fmt: skip


def are_alike(compared: Compared, pieces: Sequence[Piece], outline: Outline) -> bool:
    """Whether nothing that can be done tells the first suspicion from the second."""
    return len(compared.suspicions) > 1 and not any(
        act.other == 2 and act.tells > TELLS_LITTLE
        for act in _all_judged(compared, pieces, outline)
    )


def _all_judged(compared: Compared, pieces: Sequence[Piece], outline: Outline) -> list[Act]:
    suspects = _suspects(compared)
    return [
        _judged(act, outcomes, noise, suspects)
        for act, outcomes, noise in _acts(compared, pieces, outline)
    ]


def _suspects(compared: Compared) -> tuple[Suspicion, ...]:
    found = compared.suspicions
    if len(found) > 1:
        return found
    return (*found, REAL if _kind(found[0]) in OF_A_READING else CHANCE)


def _kind(one: Suspicion) -> str:
    return one.key.partition("-")[0]


def _acts(
    compared: Compared, pieces: Sequence[Piece], outline: Outline
) -> Iterator[tuple[Act, list[float], float]]:
    """(act, what each suspicion foretells of it, noise)."""
    suspects = _suspects(compared)
    for i, piece in enumerate(pieces):
        weigh = Act(f"weigh-{i}", message("weigh-alone", piece=i + 1), "grams", piece=i)
        yield weigh, [_grams(one, i, pieces) for one in suspects], WEIGHED_U_G
        if any(box.field == "middle" for box in piece.places):
            said = message("measure-place", piece=i + 1)
            measure = Act(f"place-{i}", said, "place", piece=i)
            yield measure, [_place(one, i, pieces, outline) for one in suspects], PLACED_U_MM
    axes = [_axis(one) for one in suspects]
    if any(axes):
        yield Act("axis", message("check-axis"), "axis", figure="swing_kgcm2"), axes, AXIS_U_MM
    for residual in compared.residuals:
        name = residual.figure
        again = Act(f"read-{name}", message("read-again", figure=name), "figure", figure=name)
        yield again, [_read(one, residual) for one in suspects], residual.u


def _grams(one: Suspicion, i: int, pieces: Sequence[Piece]) -> float:
    """What piece ``i`` weighs by itself, less what was noted."""
    kind, _, at = one.key.partition("-")
    own = pieces[i].mass_g
    if kind == "swapped":
        first, second = (int(part) for part in at.split("-"))
        other = {first: second, second: first}.get(i)
        return 0.0 if other is None else pieces[other].mass_g - own
    if kind == "backing" and pieces[i].is_tape:
        # Its own share of what all the backings weigh.
        taped = sum(piece.mass_g for piece in pieces if piece.is_tape)
        return one.explains["mass_g"] * own / taped
    if one.piece != i:
        return 0.0
    match kind:
        case "mass":
            return one.grams or 0.0
        case "lost" | "half" | "strip":
            return one.explains["mass_g"]
        case _:
            return 0.0


def _place(one: Suspicion, i: int, pieces: Sequence[Piece], outline: Outline) -> float:
    """How far piece ``i`` lies from where it was noted, mm along the frame."""
    kind, _, at = one.key.partition("-")
    if kind == "place" and one.piece == i:
        by = float(one.message.figures["by"])  # type: ignore[arg-type]
        return by if one.message.figures["nearer_tip"] else -by
    if kind == "swapped":
        first, second = (int(part) for part in at.split("-"))
        other = {first: second, second: first}.get(i)
        if other is not None:
            return _middle(pieces[other], outline) - _middle(pieces[i], outline)
    return 0.0


def _middle(piece: Piece, outline: Outline) -> float:
    return float(piece.unit(outline).balance)


def _axis(one: Suspicion) -> float:
    """How far the axis lies from where it was noted, mm."""
    if not one.key.startswith("axis-"):
        return 0.0
    said = one.message.figures
    return float(said["axis"]) - float(said["noted"])  # type: ignore[arg-type]


def _read(one: Suspicion, residual: Residual) -> float:
    """What another reading of a figure is off by, with another instrument or about the right axis:
    a wrong reading is right then, and anything else is as far off as it was."""
    kind, _, of = one.key.partition("-")
    is_of_reading = (kind in OF_A_READING[:2] and of.startswith(residual.figure)) or (
        kind in OF_A_READING[2:] and residual.figure == "swing_kgcm2"
    )
    return 0.0 if is_of_reading or kind == "chance" else residual.off


def _judged(
    act: Act, outcomes: Sequence[float], noise: float, suspects: Sequence[Suspicion]
) -> Act:
    whole = sum(one.likely for one in suspects)
    shares = [one.likely / whole for one in suspects]
    told = [_tells(outcomes[0], one, noise) for one in outcomes[1:]]
    at = next((i for i, one in enumerate(told) if one > TELLS_LITTLE), 0)
    other = 0 if suspects[at + 1] in (CHANCE, REAL) else at + 2
    return replace(act, bits=information(shares, outcomes, noise), other=other, tells=told[at])


def _tells(one: float, other: float, noise: float) -> float:
    """How often an outcome is nearer to the right one of two that are foretold."""
    return 0.5 * (1 + math.erf(abs(one - other) / (2 * noise) / math.sqrt(2)))


def information(shares: Sequence[float], outcomes: Sequence[float], noise: float) -> float:
    """Bits that an outcome is expected to tell of which is true.

    Args:
        shares: of each, adding up to 1. outcomes: what each foretells; all with the same normal
            noise.
    """
    low, high = min(outcomes) - 5 * noise, max(outcomes) + 5 * noise
    marks = sorted(
        {low + (high - low) * k / POINTS for k in range(POINTS + 1)}
        | {at + noise * (k / 8 - 5) for at in set(outcomes) for k in range(81)}
    )
    told = 0.0
    before = None
    for at in marks:
        parts = [
            share * math.exp(-0.5 * ((at - mean) / noise) ** 2) / (noise * math.sqrt(2 * math.pi))
            for share, mean in zip(shares, outcomes, strict=True)
        ]
        whole = sum(parts)
        now = sum(
            part * math.log2(part / whole / share)
            for part, share in zip(parts, shares, strict=True)
            if part > TINY
        )
        if before is not None:
            told += (at - before[0]) * (now + before[1]) / 2
        before = (at, now)
    return max(told, 0.0)
