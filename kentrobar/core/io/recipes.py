"""The open documents of recipes: ``kentrobar-brief/1`` and ``kentrobar-set/1`` in, recipes and
matches out."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, fields
from typing import Annotated, Any, Literal

from kentrobar.core.errors import DocumentError, UnreadableError
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.parsing import dump_number
from kentrobar.core.io.structure import OneOf, read
from kentrobar.core.pieces.body import Body
from kentrobar.core.recipes.brief import (
    Brief,
    Goals,
    PartSite,
    PlugSite,
    Priority,
    Putty,
    Site,
    StripSite,
    Tape,
    ThroatSite,
    Weights,
)
from kentrobar.core.recipes.explain import Answer, Opening, solve
from kentrobar.core.recipes.frame_set import FrameSet, Judged, Member
from kentrobar.core.recipes.match import match
from kentrobar.core.recipes.matched import Matched
from kentrobar.core.recipes.solve import Recipe
from kentrobar.core.words import Message

from .places import read_places
from .plans import AnyFrame, AnyPiece, MeasuredDocument, dump_piece, measured_of

BRIEF_FORMAT, RECIPES_FORMAT = "kentrobar-brief/1", "kentrobar-recipes/1"
SET_FORMAT, MATCH_FORMAT = "kentrobar-set/1", "kentrobar-match/1"


@dataclass(frozen=True, slots=True, kw_only=True)
class _PartDocument:
    """A ``PartSite`` as written: its piece told apart by its kind."""

    name: str
    piece: AnyPiece
    less_g: list[float]
    last_resort: bool = False
    u_g: float = 0.1
    kind: Literal["part"] = "part"


MATERIALS = {"tape": Tape, "putty": Putty}
SITES = {"strip": StripSite, "throat": ThroatSite, "plug": PlugSite, "part": _PartDocument}
_Material = Annotated[Tape | Putty, OneOf(MATERIALS)]
_Site = Annotated[StripSite | ThroatSite | PlugSite | _PartDocument, OneOf(SITES)]
_Place = _Site | str
"""A site, or places of the frame as they are said."""


@dataclass(frozen=True, slots=True, kw_only=True)
class BriefDocument:
    format: Literal["kentrobar-brief/1"]
    frame: AnyFrame
    measured: MeasuredDocument
    targets: Goals
    materials: list[_Material]
    sites: list[_Place]
    priority: Priority = "swing"
    recipes: int = 3
    max_added_g: float | None = None
    fitted: list[AnyPiece] = field(default_factory=list)
    spare_sites: list[_Place] = field(default_factory=list)
    spare_materials: list[_Material] = field(default_factory=list)
    spare_targets: dict[str, Goals] = field(default_factory=dict)
    weights: Weights = Weights()


@dataclass(frozen=True, slots=True, kw_only=True)
class _MemberDocument:
    name: str
    frame: AnyFrame
    measured: MeasuredDocument
    parts: list[_PartDocument] = field(default_factory=list)
    sites: list[_Site] | None = None
    spare_sites: list[_Site] = field(default_factory=list)
    shared_u: dict[str, dict[str, float]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class SetDocument:
    format: Literal["kentrobar-set/1"]
    frames: list[_MemberDocument]
    tolerances: dict[str, float]
    materials: list[_Material]
    sites: list[_Site]
    target: str = ""
    targets: Goals | None = None
    priority: Priority = "inertia"
    weights: Weights = Weights()
    judged: Judged = "distance"
    spare_materials: list[_Material] = field(default_factory=list)
    may_add: bool = False


def brief_of(value: Any) -> Brief:
    """A brief from plain values, checked in structure and sense. Raises DocumentError."""
    found = read(BriefDocument, value)
    brief = Brief(
        frame=found.frame,
        measured=measured_of(found.measured),
        targets=found.targets,
        materials=tuple(found.materials),
        sites=_sites(found.sites, found.frame, "sites"),
        priority=found.priority,
        recipes=found.recipes,
        max_added_g=found.max_added_g,
        fitted=tuple(found.fitted),
        spare_sites=_sites(found.spare_sites, found.frame, "spare_sites"),
        spare_materials=tuple(found.spare_materials),
        spare_targets=found.spare_targets,
        weights=found.weights,
    )
    for path, reason in brief.faults():
        raise DocumentError(path, reason)
    return brief


def set_of(value: Any) -> FrameSet:
    """A set from plain values, checked in structure and sense. Raises DocumentError."""
    found = read(SetDocument, value)
    frames = FrameSet(
        frames=tuple(
            Member(
                name=one.name,
                frame=one.frame,
                measured=measured_of(one.measured, f"frames[{i}].measured"),
                parts=_sites(one.parts),
                sites=None if one.sites is None else _sites(one.sites),
                spare_sites=_sites(one.spare_sites),
                shared_u=one.shared_u,
            )
            for i, one in enumerate(found.frames)
        ),
        tolerances=found.tolerances,
        materials=tuple(found.materials),
        sites=_sites(found.sites),
        target=found.target,
        targets=found.targets,
        priority=found.priority,
        weights=found.weights,
        judged=found.judged,
        spare_materials=tuple(found.spare_materials),
    )
    for path, reason in frames.faults():
        raise DocumentError(path, reason)
    return frames


def _sites(found: list[Any], outline: Outline | None = None, path: str = "") -> tuple[Any, ...]:
    """Sites as the core holds them; a text names places of the frame. Raises DocumentError."""
    sites: list[Any] = []
    for i, site in enumerate(found):
        if isinstance(site, str):
            assert outline is not None
            try:
                sites.extend(read_places(site, outline).values())
            except UnreadableError as error:
                raise DocumentError(f"{path}[{i}]", str(error)) from None
        elif site.kind == "part":
            sites.append(PartSite(**{f.name: getattr(site, f.name) for f in fields(site)}))
        else:
            sites.append(site)
    return tuple(sites)


def dump_site(site: Site) -> dict[str, Any]:
    """A place as a brief's ``sites`` hold it."""
    return {f.name: getattr(site, f.name) for f in fields(site)}


def recipes_document(value: Any) -> dict[str, Any]:
    """What ``solve`` prints: a ``kentrobar-recipes/1`` document. Raises DocumentError."""
    brief = brief_of(value)
    return dump_answer(solve(brief), brief)


def dump_answer(answer: Answer, brief: Brief) -> dict[str, Any]:
    """An answer as a ``kentrobar-recipes/1`` document."""
    return {
        "format": RECIPES_FORMAT,
        "status": answer.status,
        "recipes": [dump_recipe(recipe, brief.measured) for recipe in answer.recipes],
        "why": str(answer.why),
        "said": dump_message(answer.why),
        "blocks": [
            {"figure": one.figure, "miss": dump_number(one.miss), "beyond": dump_number(one.beyond)}
            for one in answer.blocks
        ],
        "openings": [_opening(one, brief.measured) for one in answer.openings],
        "least_g": dump_number(answer.recipes[0].least_g),
        "whole": answer.is_whole,
        "undecided": answer.is_undecided,
    }


def dump_message(said: Message) -> dict[str, Any]:
    """What is said as a code and the figures of its sentence, for other words or units."""
    return {"code": said.code, "figures": dict(said.figures)}


def _opening(opening: Opening, measured: Measured) -> dict[str, Any]:
    told: dict[str, Any] = {
        "kind": opening.kind, "name": opening.name, "text": opening.text,
        "said": dump_message(opening.message),
    }  # fmt: skip
    if opening.to is not None:
        told["to"] = dump_number(opening.to)
    if opening.recipe:
        told["recipe"] = dump_recipe(opening.recipe, measured)
    return told


def match_document(value: Any) -> dict[str, Any]:
    """What ``match`` prints: a ``kentrobar-match/1`` document. Raises DocumentError."""
    frames = set_of(value)
    return dump_matched(match(frames), frames)


def dump_matched(found: Matched, frames: FrameSet) -> dict[str, Any]:
    """A matched set as a ``kentrobar-match/1`` document."""
    return {"format": MATCH_FORMAT} | _matched(found, frames)


def _matched(found: Matched, frames: FrameSet) -> dict[str, Any]:
    about = frames.frames[0].measured
    told = {
        "status": found.status,
        "target": _figures(found.target) | {"axis_mm": found.axis_mm},
        "frames": [
            {"name": name, "status": "ok" if recipe.is_ok else "nearest"}
            | dump_recipe(recipe, about)
            for name, recipe in zip(found.names, found.recipes, strict=True)
        ],
        "spread": {"before": _figures(found.before), "after": _figures(found.after)},
        "added_g": dump_number(found.added_g),
        "moved_g": dump_number(found.moved_g),
        "chance": found.chance,
        "why": str(found.why),
        "said": dump_message(found.why),
        "whole": found.is_whole,
        "undecided": found.is_undecided,
    }
    if found.sharper is not None:
        told["sharper"] = {
            "figure": found.sharper.figure, "u": found.sharper.u, "chance": found.sharper.chance,
        }  # fmt: skip
    if found.also:
        told["also"] = list(found.also)
    if found.bound_g is not None:
        told["bound_g"] = dump_number(found.bound_g)
    if found.without:
        told["without"] = _matched(found.without, frames) | {"left_out": list(found.left_out)}
    if found.openings:
        told["openings"] = [
            {"kind": one.kind, "name": one.name, "text": one.text}
            | {"said": dump_message(one.message)}
            | ({"to": dump_number(one.to)} if one.to is not None else {})
            for one in found.openings
        ]
    if found.others:
        told["others"] = [
            {"target": target, "added_g": dump_number(grams)} for target, grams in found.others
        ]
    return told


def _figures(figures: dict[str, float]) -> dict[str, Any]:
    return {name: dump_number(value) for name, value in figures.items()}


def dump_recipe(recipe: Recipe, measured: Measured) -> dict[str, Any]:
    """One recipe as documents hold it."""
    return {
        "pieces": [dump_piece(piece) for piece in recipe.pieces],
        "after": _after(recipe.after, measured),
        "misses": {name: dump_number(miss) for name, miss in recipe.misses.items()},
        "added_g": dump_number(recipe.added_g),
        "cuts": recipe.cuts,
        "price": dump_number(recipe.price),
        "u": _figures(
            {k: v for k, v in recipe.sure.u.items() if k != "twist_kgcm2" or measured.twist_kgcm2}
        ),
        "chance": recipe.sure.chance,
        "gap_g": None if math.isinf(recipe.gap) else dump_number(recipe.gap),
    }


def _after(body: Body, measured: Measured) -> dict[str, Any]:
    twist = None if measured.twist_kgcm2 is None else body.twist_kgcm2
    return {
        "mass_g": dump_number(body.mass),
        "balance_mm": dump_number(body.balance),
        "swing_kgcm2": dump_number(body.swing_kgcm2(measured.axis_mm)),
        "axis_mm": measured.axis_mm,
        "twist_kgcm2": dump_number(twist),
        "recoil_kgcm2": dump_number(body.recoil_kgcm2),
    }
