"""The open JSON documents: ``kentrobar-plan/1`` in, ``kentrobar-prediction/1`` out.

A document is parsed once, at the border, into the values of the core. Whatever is wrong with it is
a ``Fault`` that names the path: ``pieces[2].clock: 13 is outside 0…12``.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields
from typing import Annotated, Any, Literal

from pydantic import Discriminator, Tag, TypeAdapter, ValidationError

from .body import KGCM2, Body, Number
from .given import Given, WithU, ufloat
from .measure.plausibility import doubts
from .notices import notices
from .outline import Outline, Paddle, Racket
from .pieces import KINDS, Piece, Plug, Point, Sleeve, Strings, Strip, Throat
from .predict import Measured, Plan, Prediction, predict
from .units import nominal, uncertainty

PLAN_FORMAT = "kentrobar-plan/1"
PREDICTION_FORMAT = "kentrobar-prediction/1"
FRAMES: dict[str, type[Racket] | type[Paddle]] = {"racket": Racket, "paddle": Paddle}
LONGEST_TEXT = 200


class Fault(ValueError):
    """Something wrong in a document: ``path`` says where, ``reason`` what."""

    def __init__(self, path: str, reason: str) -> None:
        self.path = path
        self.reason = reason
        super().__init__(f"{path}: {reason}" if path else reason)


# --- reading -------------------------------------------------------------------------------------


def load_plan(text: str | bytes) -> Plan:
    """Parse a ``kentrobar-plan/1`` text. Raises Fault."""
    return plan_of(load_json(text))


def load_json(text: str | bytes) -> Any:
    """JSON to plain values, refusing keys given twice and numbers that are not finite."""
    try:
        if isinstance(text, bytes):
            text = text.decode("utf-8-sig")
        value = json.loads(text, object_pairs_hook=_unique)
    except UnicodeDecodeError as error:
        raise Fault("", f"not UTF-8 text (byte {error.start})") from None
    except json.JSONDecodeError as error:
        raise Fault("", f"not JSON: {error.msg}, line {error.lineno}, column {error.colno}") from None
    except RecursionError:
        raise Fault("", "nested too deeply") from None
    except Fault:
        raise
    except ValueError as error:  # a number with thousands of digits
        raise Fault("", f"not JSON: {error}") from None
    _check_finite(value)
    return value


def plan_of(value: Any) -> Plan:
    """A plan from plain values, checked in structure, geometry and physics. Raises Fault."""
    document = parse(_PLAN, value)
    plan = Plan(
        frame=document.frame,
        measured=measured_of(document.measured),
        pieces=tuple(document.pieces),
    )
    for path, reason in plan_faults(plan):
        raise Fault(path, reason)
    return plan


def plan_faults(plan: Plan) -> Iterator[tuple[str, str]]:
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


def measured_faults(measured: Measured, frame: Outline) -> Iterator[tuple[str, str]]:
    """Faults of a frame's figures: an axis off the frame, then what physics forbids."""
    if not 0 <= measured.axis_mm < frame.length_mm:
        yield "measured.axis_mm", f"{measured.axis_mm:g} is outside 0…{frame.length_mm:g}"
        return
    for doubt in doubts(measured, frame):
        if doubt.severity == "impossible":
            yield f"measured.{doubt.field}", doubt.text


def piece_faults(piece: Piece, frame: Outline) -> Iterator[tuple[str, str]]:
    """Faults of one piece on this frame, its free texts included."""
    if abs(piece.mass_g) > 1000:
        yield "mass_g", f"{piece.mass_g:g} is outside −1000…1000"
    for name in ("id", "site", "material", "note"):
        text = getattr(piece, name)
        if text is not None and len(text) > LONGEST_TEXT:
            yield name, f"longer than {LONGEST_TEXT} characters"
        elif text is not None and not text.isprintable():
            yield name, "holds a control character"
    if piece.layers is not None and not 1 <= piece.layers <= 20:
        yield "layers", f"{piece.layers} is outside 1…20"
    yield from piece.faults(frame)


# --- structure -----------------------------------------------------------------------------------
# Union members carry «tags», which pydantic puts into the path of an error and _fault takes out.


def by_kind(table: Mapping[str, object], key: str = "kind") -> Discriminator:
    """Tells the members of a union apart by what their ``key`` says."""

    def tag(value: Any) -> str:
        # A dict when reading, a value of the core when pydantic looks at its own result.
        kind = value.get(key) if isinstance(value, dict) else getattr(value, key, None)
        return f"«{kind}»" if isinstance(kind, str) and kind in table else "«?»"

    return Discriminator(tag)


AnyFrame = Annotated[Annotated[Racket, Tag("«racket»")] | Annotated[Paddle, Tag("«paddle»")], by_kind(FRAMES)]
AnyPiece = Annotated[
    Annotated[Strip, Tag("«strip»")]
    | Annotated[Throat, Tag("«throat»")]
    | Annotated[Point, Tag("«point»")]
    | Annotated[Plug, Tag("«plug»")]
    | Annotated[Sleeve, Tag("«sleeve»")]
    | Annotated[Strings, Tag("«strings»")],
    by_kind(KINDS),
]


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuredDocument:
    mass_g: Given
    balance_mm: Given
    swing_kgcm2: Given
    axis_mm: float
    twist_kgcm2: Given | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class _PlanDocument:
    format: Literal["kentrobar-plan/1"]
    frame: AnyFrame
    measured: MeasuredDocument
    pieces: list[AnyPiece]


_PLAN = TypeAdapter(_PlanDocument)
_PIECE: TypeAdapter[Piece] = TypeAdapter(AnyPiece)
_MEASURED = TypeAdapter(MeasuredDocument)


Tables = Mapping[Any, tuple[Mapping[str, object], str]]
"""By the first step of a path: what tells the members of the union there apart, and by which key."""


PLAN_TABLES: Tables = {"frame": (FRAMES, "kind")}


def parse(adapter: TypeAdapter[Any], value: Any, root: str = "", tables: Tables | None = None) -> Any:
    """Plain values by their structure. Raises Fault with the path of the first thing wrong."""
    try:
        # Strict JSON mode takes objects and lists, but no "12" or true for a number.
        return adapter.validate_json(json.dumps(value), strict=True, extra="forbid")
    except ValidationError as error:
        raise _fault(error.errors(include_url=False)[0], root, tables or PLAN_TABLES) from None


def _fault(error: Any, root: str, tables: Tables) -> Fault:
    """The first thing pydantic found wrong, in the words and the path form of our documents."""
    loc = [step for step in error["loc"] if not str(step).startswith("«")]
    path = root
    for step in loc:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    kind = error["type"]
    if kind == "missing":
        return Fault(path, "missing")
    if kind in ("unexpected_keyword_argument", "extra_forbidden"):
        return Fault(path, "unknown key")
    if kind == "union_tag_invalid":
        given = error["input"]
        if not isinstance(given, dict):
            return Fault(path, "must be an object")
        table, key = tables.get(loc[0] if loc else "", (KINDS, "kind"))
        reason = f"{_quoted(given[key])} is not one of {', '.join(table)}" if key in given else "missing"
        return Fault(f"{path}.{key}" if path else key, reason)
    given = _quoted(error["input"])
    if kind in ("float_type", "float_parsing"):
        return Fault(path, f"{given} is not a number")
    if kind in ("int_type", "int_from_float", "int_parsing"):
        return Fault(path, f"{given} is not a whole number")
    if kind == "bool_type":
        return Fault(path, f"{given} is not true or false")
    if kind == "literal_error":
        return Fault(path, f"{given} is not {error['ctx']['expected']}")
    if kind in ("dataclass_type", "dataclass_exact_type"):
        return Fault(path, "must be an object")
    if kind == "list_type":
        return Fault(path, "must be a list")
    if kind == "string_type":
        return Fault(path, f"{given} is not a text")
    return Fault(path, f"{given}: {error['msg']}")


def _quoted(value: Any) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else text[:57] + "…"


def _unique(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for key, value in pairs:
        if key in found:
            raise Fault(key, "given twice")
        found[key] = value
    return found


def _check_finite(value: Any, path: str = "") -> None:
    if isinstance(value, dict):
        for key, inner in value.items():
            _check_finite(inner, f"{path}.{key}" if path else key)
    elif isinstance(value, list):
        for i, inner in enumerate(value):
            _check_finite(inner, f"{path}[{i}]")
    elif isinstance(value, (int, float)) and not abs(value) < 1e300:
        raise Fault(path, "not a finite number")


def measured_of(document: MeasuredDocument, path: str = "measured") -> Measured:
    def number(name: str) -> Any:
        given = getattr(document, name)
        if not isinstance(given, WithU):
            return given
        if given.u < 0:
            raise Fault(f"{path}.{name}.u", f"{given.u:g} is below 0")
        return ufloat(given.value, given.u)

    return Measured(
        mass_g=number("mass_g"),
        balance_mm=number("balance_mm"),
        swing_kgcm2=number("swing_kgcm2"),
        axis_mm=document.axis_mm,
        twist_kgcm2=number("twist_kgcm2"),
    )


def parse_measured(value: Any) -> Measured:
    """The figures of plain values (a plan's ``measured``). Raises Fault; checks structure only."""
    return measured_of(parse(_MEASURED, value, "measured"))


def parse_piece(value: Any) -> Piece:
    """A piece of plain values (one of a plan's ``pieces``). Raises Fault; checks structure only."""
    piece: Piece = parse(_PIECE, value)
    return piece


# --- writing -------------------------------------------------------------------------------------


def dump_number(value: Number | None) -> Any:
    """A number as documents hold it: plain, or with its uncertainty; nine decimals are plenty."""
    if value is None:
        return None
    if hasattr(value, "nominal_value"):
        return {"value": round(nominal(value), 9), "u": round(uncertainty(value) or 0.0, 9)}
    return round(value, 9)


def dump_piece(piece: Piece) -> dict[str, Any]:
    """A piece in plan form: what it is first, and only the tags it carries."""
    values = {f.name: getattr(piece, f.name) for f in fields(piece)}
    ordered = {"kind": values.pop("kind"), **{k: v for k, v in values.items() if k not in _TAGS}}
    return ordered | {k: values[k] for k in _TAGS if values[k] is not None}


_TAGS = ("id", "site", "material", "layers", "note")


def dump_frame(frame: Outline) -> dict[str, Any]:
    return {"kind": frame.kind} | {f.name: getattr(frame, f.name) for f in fields(frame) if f.name != "kind"}


def dump_measured(measured: Measured) -> dict[str, Any]:
    dumped = {f.name: dump_number(getattr(measured, f.name)) for f in fields(measured)}
    if dumped["twist_kgcm2"] is None:
        del dumped["twist_kgcm2"]
    return dumped


def dump_plan(plan: Plan) -> dict[str, Any]:
    """A plan as a ``kentrobar-plan/1`` document; ``plan_of`` gives the same plan back."""
    return {
        "format": PLAN_FORMAT,
        "frame": dump_frame(plan.frame),
        "measured": dump_measured(plan.measured),
        "pieces": [dump_piece(piece) for piece in plan.pieces],
    }


def prediction_document(plan: Plan) -> dict[str, Any]:
    """What ``predict`` prints: a ``kentrobar-prediction/1`` document."""
    prediction = predict(plan)
    return {
        "format": PREDICTION_FORMAT,
        # The figures as given, so that an exact number stays exact beside an uncertain one.
        "before": _specs(prediction.before, plan) | dump_measured(plan.measured),
        "after": _specs(prediction.after, plan),
        "pieces": _shares(prediction, plan),
        "notices": [{"code": notice.code, "text": notice.text} for notice in notices(plan, prediction)],
    }


def _specs(body: Body, plan: Plan) -> dict[str, Any]:
    axis = plan.measured.axis_mm
    # An unmeasured twist weight stays unknown after the pieces too; the notices tell the change.
    twist = None if plan.measured.twist_kgcm2 is None else body.twist / KGCM2
    return {
        "mass_g": dump_number(body.mass),
        "balance_mm": dump_number(body.balance),
        "swing_kgcm2": dump_number(body.swing(axis) / KGCM2),
        "axis_mm": axis,
        "twist_kgcm2": dump_number(twist),
        "recoil_kgcm2": dump_number(body.recoil / KGCM2),
    }


def _shares(prediction: Prediction, plan: Plan) -> list[dict[str, Any]]:
    axis = plan.measured.axis_mm
    return [
        {
            "index": i,
            "id": share.piece.id,
            "mass_g": dump_number(share.body.mass),
            "balance_mm": dump_number(share.balance_mm),
            "swing_kgcm2": dump_number(share.body.swing(axis) / KGCM2),
            "twist_kgcm2": dump_number(share.body.twist / KGCM2),
        }
        for i, share in enumerate(prediction.shares)
    ]
