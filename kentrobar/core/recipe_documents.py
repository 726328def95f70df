"""The open documents of recipes: ``kentrobar-brief/1`` and ``kentrobar-set/1`` in, recipes and matches out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Tag, TypeAdapter

from .body import KGCM2, Body
from .documents import (
    FRAMES,
    AnyFrame,
    Fault,
    MeasuredDocument,
    by_kind,
    dump_number,
    dump_piece,
    measured_of,
    parse,
)
from .predict import Measured
from .recipe.brief import Brief, Goals, PlugSite, Priority, Putty, StripSite, Tape, ThroatSite
from .recipe.match import FrameSet, Matched, Member, match
from .recipe.explain import Answer, solve
from .recipe.solve import Recipe

BRIEF_FORMAT, RECIPES_FORMAT = "kentrobar-brief/1", "kentrobar-recipes/1"
SET_FORMAT, MATCH_FORMAT = "kentrobar-set/1", "kentrobar-match/1"
MATERIALS = {"tape": Tape, "putty": Putty}
SITES = {"strip": StripSite, "throat": ThroatSite, "plug": PlugSite}

_Material = Annotated[Annotated[Tape, Tag("«tape»")] | Annotated[Putty, Tag("«putty»")], by_kind(MATERIALS)]
_Site = Annotated[
    Annotated[StripSite, Tag("«strip»")]
    | Annotated[ThroatSite, Tag("«throat»")]
    | Annotated[PlugSite, Tag("«plug»")],
    by_kind(SITES),
]


@dataclass(frozen=True, slots=True, kw_only=True)
class _BriefDocument:
    format: Literal["kentrobar-brief/1"]
    frame: AnyFrame
    measured: MeasuredDocument
    targets: Goals
    materials: list[_Material]
    sites: list[_Site]
    priority: Priority = "swing"
    recipes: int = 3
    max_added_g: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class _MemberDocument:
    name: str
    frame: AnyFrame
    measured: MeasuredDocument


@dataclass(frozen=True, slots=True, kw_only=True)
class _SetDocument:
    format: Literal["kentrobar-set/1"]
    frames: list[_MemberDocument]
    tolerances: dict[str, float]
    materials: list[_Material]
    sites: list[_Site]
    target: str = ""
    targets: Goals | None = None
    priority: Priority = "inertia"


_BRIEF: TypeAdapter[Any] = TypeAdapter(_BriefDocument)
_SET: TypeAdapter[Any] = TypeAdapter(_SetDocument)
_TABLES: Any = {
    "frame": (FRAMES, "kind"),
    "frames": (FRAMES, "kind"),
    "materials": (MATERIALS, "kind"),
    "sites": (SITES, "kind"),
}


def brief_of(value: Any) -> Brief:
    """A brief from plain values, checked in structure and sense. Raises Fault."""
    found = parse(_BRIEF, value, tables=_TABLES)
    brief = Brief(
        frame=found.frame,
        measured=measured_of(found.measured),
        targets=found.targets,
        materials=tuple(found.materials),
        sites=tuple(found.sites),
        priority=found.priority,
        recipes=found.recipes,
        max_added_g=found.max_added_g,
    )
    for path, reason in brief.faults():
        raise Fault(path, reason)
    return brief


def set_of(value: Any) -> FrameSet:
    """A set from plain values, checked in structure and sense. Raises Fault."""
    found = parse(_SET, value, tables=_TABLES)
    frames = FrameSet(
        frames=tuple(
            Member(
                name=one.name, frame=one.frame, measured=measured_of(one.measured, f"frames[{i}].measured")
            )
            for i, one in enumerate(found.frames)
        ),
        tolerances=found.tolerances,
        materials=tuple(found.materials),
        sites=tuple(found.sites),
        target=found.target,
        targets=found.targets,
        priority=found.priority,
    )
    for path, reason in frames.faults():
        raise Fault(path, reason)
    return frames


def recipes_document(value: Any) -> dict[str, Any]:
    """What ``solve`` prints: a ``kentrobar-recipes/1`` document. Raises Fault."""
    brief = brief_of(value)
    answer: Answer = solve(brief)
    return {
        "format": RECIPES_FORMAT,
        "status": answer.status,
        "recipes": [_recipe(recipe, brief.measured) for recipe in answer.recipes],
        "why": answer.why,
    }


def match_document(value: Any) -> dict[str, Any]:
    """What ``match`` prints: a ``kentrobar-match/1`` document. Raises Fault."""
    frames = set_of(value)
    found: Matched = match(frames)
    about = frames.frames[0].measured
    return {
        "format": MATCH_FORMAT,
        "status": found.status,
        "target": {name: dump_number(value) for name, value in found.target.items()}
        | {"axis_mm": found.axis_mm},
        "frames": [
            {"name": member.name, "status": "ok" if recipe.is_ok else "nearest"} | _recipe(recipe, about)
            for member, recipe in zip(frames.frames, found.recipes, strict=True)
        ],
        "spread": {
            "before": {name: dump_number(value) for name, value in found.before.items()},
            "after": {name: dump_number(value) for name, value in found.after.items()},
        },
        "added_g": dump_number(found.added_g),
        "why": found.why,
    }


def _recipe(recipe: Recipe, measured: Measured) -> dict[str, Any]:
    return {
        "pieces": [dump_piece(piece) for piece in recipe.pieces],
        "after": _after(recipe.after, measured),
        "misses": {name: dump_number(miss) for name, miss in recipe.misses.items()},
        "added_g": dump_number(recipe.added_g),
        "cuts": recipe.cuts,
        "proven": recipe.is_proven,
    }


def _after(body: Body, measured: Measured) -> dict[str, Any]:
    twist = None if measured.twist_kgcm2 is None else body.twist / KGCM2
    return {
        "mass_g": dump_number(body.mass),
        "balance_mm": dump_number(body.balance),
        "swing_kgcm2": dump_number(body.swing(measured.axis_mm) / KGCM2),
        "axis_mm": measured.axis_mm,
        "twist_kgcm2": dump_number(twist),
        "recoil_kgcm2": dump_number(body.recoil / KGCM2),
    }
