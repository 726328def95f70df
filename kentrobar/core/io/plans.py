"""The open JSON documents: ``kentrobar-plan/1`` in, ``kentrobar-prediction/1`` out.

A document is parsed once, at the border, into the values of the core. Whatever is wrong with it is
a ``DocumentError`` that names the path: ``pieces[2].clock: 13 is outside 0…12``.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields
from typing import Annotated, Any, Literal, Union

from kentrobar.core.errors import DocumentError, Refusal
from kentrobar.core.frame.notices import notices
from kentrobar.core.frame.plausibility import measured_faults
from kentrobar.core.frame.predict import LadenFrame, Measured, Prediction, predict
from kentrobar.core.frame.together import PAIRS, correlations, tied
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.parsing import dump_number, load_json
from kentrobar.core.io.structure import OneOf, read
from kentrobar.core.numbers import Given, WithU, digit_u, nominal, ufloat
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import KINDS
from kentrobar.core.pieces.piece import Piece, piece_faults
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.core.quantities import READ

MOST_PIECES = 300
"""No hand lays more on one frame."""

PLAN_FORMAT = "kentrobar-plan/1"
PREDICTION_FORMAT = "kentrobar-prediction/1"


# --- reading -------------------------------------------------------------------------------------


def load_plan(text: str | bytes) -> LadenFrame:
    """Parse a ``kentrobar-plan/1`` text. Raises DocumentError."""
    return plan_of(load_json(text))


def plan_of(value: Any) -> LadenFrame:
    """A plan from plain values, checked in structure, geometry and physics.
    Raises DocumentError."""
    pieces = value.get("pieces") if isinstance(value, dict) else None
    if isinstance(pieces, list) and len(pieces) > MOST_PIECES:  # before anything is made of them
        raise DocumentError("pieces", Refusal("too-many", len(pieces), high=MOST_PIECES))
    document = read(PlanDocument, value)
    plan = LadenFrame(
        frame=document.frame,
        measured=measured_of(document.measured),
        pieces=tuple(document.pieces),
        rolls=_rolls(document.rolls),
    )
    for path, reason in plan_faults(plan):
        raise DocumentError(path, reason)
    return plan


def _rolls(given: Mapping[str, Given] | None) -> dict[str, PerLength] | None:
    """What tapes weigh, g per mm; None where a document says nothing of it. None of them weighed
    says something: their grams are as sure as a roll nobody weighed."""
    if given is None:
        return None
    for name, value in given.items():
        per_mm, u = (value.value, value.u) if isinstance(value, WithU) else (value, 0.0)
        if not per_mm > 0:
            raise DocumentError(f"rolls.{name}", Refusal("not-above", per_mm, 0, where="g per mm"))
        if u < 0:
            raise DocumentError(f"rolls.{name}.u", Refusal("below", u, 0))
    return {
        name: PerLength(value.value, value.u, 0)
        if isinstance(value, WithU)
        else PerLength(value, 0.0, 0)
        for name, value in given.items()
    }


def plan_faults(plan: LadenFrame) -> Iterator[tuple[str, str]]:
    """(path, reason) of everything that cannot be in a plan whose structure is right."""
    for name, reason in plan.frame.faults():
        yield f"frame.{name}", reason
        return
    yield from measured_faults(plan.measured, plan.frame)
    for i, piece in enumerate(plan.pieces):
        for name, reason in piece_faults(piece, plan.frame):
            yield f"pieces[{i}].{name}", reason
    left = nominal(plan.measured.mass_g)
    if plan.pieces and left + sum(piece.mass_g for piece in plan.pieces) <= 0:
        yield "pieces", "take off as much as the frame weighs"


# --- structure -----------------------------------------------------------------------------------
AnyFrame = Annotated[Outline, OneOf({key: one.outline for key, one in FRAME_KINDS.items()})]
# Made of the registry, so that a new kind of piece is read without a word here.
AnyPiece: Any = Annotated[Union[tuple(KINDS.values())], OneOf(KINDS)]  # noqa: UP007 (no | of a tuple)


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuredDocument:
    mass_g: Given
    balance_mm: Given
    swing_kgcm2: Given
    axis_mm: float
    twist_kgcm2: Given | None = None
    typed: bool = False
    """Bare numbers are figures somebody read: their last digit says how well."""
    assumed: list[str] = field(default_factory=list)
    """Figures nobody has read, which stand at what is usual."""
    correlations: dict[str, float] = field(default_factory=dict)
    """Of figures computed with one another, by pair: `mass-balance`, `mass-swing`,
    `balance-swing`."""


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanDocument:
    format: Literal["kentrobar-plan/1"]
    frame: AnyFrame
    measured: MeasuredDocument
    pieces: list[AnyPiece]
    rolls: dict[str, Given] | None = None


def measured_of(document: MeasuredDocument, path: str = "measured") -> Measured:
    def number(name: str) -> Any:
        given = getattr(document, name)
        if not isinstance(given, WithU):
            return ufloat(given, digit_u(given)) if document.typed and given else given
        if given.u < 0:
            raise DocumentError(f"{path}.{name}.u", Refusal("below", given.u, 0))
        return ufloat(given.value, given.u) if given.u else given.value

    measured = Measured(
        mass_g=number("mass_g"),
        balance_mm=number("balance_mm"),
        swing_kgcm2=number("swing_kgcm2"),
        axis_mm=document.axis_mm,
        twist_kgcm2=number("twist_kgcm2"),
        assumed=tuple(document.assumed),
    )
    for name in document.assumed:
        if name not in READ:
            raise DocumentError(f"{path}.assumed", f"“{name}” is not one of {', '.join(READ)}")
    for name, tie in document.correlations.items():
        if name not in PAIRS:
            raise DocumentError(
                f"{path}.correlations", f"“{name}” is not one of {', '.join(PAIRS)}"
            )
        if not -1 <= tie <= 1:
            raise DocumentError(f"{path}.correlations.{name}", Refusal("outside", tie, -1, 1))
    try:
        return tied(measured, document.correlations) if document.correlations else measured
    except ValueError as error:
        raise DocumentError(f"{path}.correlations", str(error)) from None


def parse_measured(value: Any) -> Measured:
    """The figures of plain values (a plan's ``measured``).
    Raises DocumentError; checks structure only."""
    return measured_of(read(MeasuredDocument, value, "measured"))


def parse_piece(value: Any) -> Piece:
    """A piece of plain values (one of a plan's ``pieces``).
    Raises DocumentError; checks structure only."""
    piece: Piece = read(AnyPiece, value)
    return piece


# --- writing -------------------------------------------------------------------------------------


def dump_piece(piece: Piece) -> dict[str, Any]:
    """A piece in plan form: what it is first, and only the tags it carries."""
    values = {f.name: getattr(piece, f.name) for f in fields(piece)}
    ordered = {"kind": values.pop("kind"), **{k: v for k, v in values.items() if k not in _TAGS}}
    return ordered | {k: values[k] for k in _TAGS if values[k] is not None}


_TAGS = ("id", "site", "material", "layers", "note", "weighed", "wanted_g")


def dump_frame(frame: Outline) -> dict[str, Any]:
    return {"kind": frame.kind} | {
        f.name: size
        for f in fields(frame)
        if f.name != "kind" and (size := getattr(frame, f.name)) is not None
    }


def dump_measured(measured: Measured) -> dict[str, Any]:
    numbers = (f.name for f in fields(measured) if f.name != "assumed")
    dumped = {name: dump_number(getattr(measured, name)) for name in numbers}
    if dumped["twist_kgcm2"] is None:
        del dumped["twist_kgcm2"]
    if measured.assumed:
        dumped["assumed"] = list(measured.assumed)
    ties = {name: round(tie, 6) for name, tie in correlations(measured).items()}
    return dumped | ({"correlations": ties} if ties else {})


def dump_plan(plan: LadenFrame) -> dict[str, Any]:
    """A plan as a ``kentrobar-plan/1`` document; ``plan_of`` gives the same plan back."""
    document = {
        "format": PLAN_FORMAT,
        "frame": dump_frame(plan.frame),
        "measured": dump_measured(plan.measured),
        "pieces": [dump_piece(piece) for piece in plan.pieces],
    }
    if plan.rolls is not None:
        document["rolls"] = {
            name: {"value": roll.g_per_mm, "u": roll.u} if roll.u else roll.g_per_mm
            for name, roll in plan.rolls.items()
        }
    return document


def prediction_document(plan: LadenFrame) -> dict[str, Any]:
    """What ``predict`` prints: a ``kentrobar-prediction/1`` document."""
    prediction = predict(plan)
    return {
        "format": PREDICTION_FORMAT,
        # The figures as given, so that an exact number stays exact beside an uncertain one.
        "before": _specs(prediction.before, plan) | dump_measured(plan.measured),
        "after": _specs(prediction.after, plan),
        "pieces": _shares(prediction, plan),
        "notices": [
            {"code": notice.code, "text": notice.text} for notice in notices(plan, prediction)
        ],
    }


def _specs(body: Body, plan: LadenFrame) -> dict[str, Any]:
    axis = plan.measured.axis_mm
    # An unmeasured twist weight stays unknown after the pieces too; the notices tell the change.
    twist = None if plan.measured.twist_kgcm2 is None else body.twist_kgcm2
    return {
        "mass_g": dump_number(body.mass),
        "balance_mm": dump_number(body.balance),
        "swing_kgcm2": dump_number(body.swing_kgcm2(axis)),
        "axis_mm": axis,
        "twist_kgcm2": dump_number(twist),
        "recoil_kgcm2": dump_number(body.recoil_kgcm2),
    }


def _shares(prediction: Prediction, plan: LadenFrame) -> list[dict[str, Any]]:
    axis = plan.measured.axis_mm
    return [
        {
            "index": i,
            "id": share.piece.id,
            "mass_g": dump_number(share.body.mass),
            "balance_mm": dump_number(share.balance_mm),
            "swing_kgcm2": dump_number(share.body.swing_kgcm2(axis)),
            "twist_kgcm2": dump_number(share.body.twist_kgcm2),
        }
        for i, share in enumerate(prediction.shares)
    ]
