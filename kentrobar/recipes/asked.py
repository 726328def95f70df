"""What is asked of a frame, put together on the Recipes page, and the brief the core solves from
it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any, Protocol

from kentrobar.core.frame.condition import is_on
from kentrobar.core.frame.predict import Measured, predict
from kentrobar.core.frame.targets import Target, Targets
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_measured
from kentrobar.core.io.recipes import dump_answer, dump_recipe
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.materials import TAPES
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.recipes import usual as kit
from kentrobar.core.recipes.brief import (
    Brief,
    Goal,
    Goals,
    PartSite,
    RecipeMaterial,
    Site,
    Tape,
)
from kentrobar.core.recipes.explain import solve
from kentrobar.core.recipes.solve import Progress, Watch
from kentrobar.frames import fitted
from kentrobar.frames.choices import Condition
from kentrobar.frames.figures import Figures
from kentrobar.frames.models import Frame
from kentrobar.plans import desk
from kentrobar.plans.models import Plan, newest_of
from kentrobar.plans.state import PlanState, with_ids
from kentrobar.shop.models import Settings
from kentrobar.stock import shelf

from .kept import KeptOpening
from .likeness import like
from .limited import Limited

USUAL_MATERIALS = (TAPES[0].name, "putty")
OTHERS_TRIED = 6


@dataclass(frozen=True, slots=True)
class Asked:
    """A wish: goals by figure, sites, parts and materials that may be used, and the school.

    ``base`` is a condition, or ``plan:7`` for what plan 7 comes to.
    """

    base: str = ""
    goals: Mapping[str, Goal] = field(default_factory=dict)
    sites: tuple[str, ...] = ()
    places: tuple[str, ...] = ()
    """Texts of places that were typed as they are said."""
    parts: tuple[str, ...] = ()
    materials: tuple[str, ...] = USUAL_MATERIALS
    priority: str = "swing"
    most_g: float | None = None
    said: str = ""
    """The sentence it was wished in."""

    @classmethod
    def parse(cls, content: Mapping[str, Any], kind: str) -> Asked:
        """From a wish's content; an empty one gives the usual sites and materials."""
        if not content:
            return cls(sites=FRAME_KINDS[kind].wish_sites)
        values = dict(content)
        values["goals"] = {name: Goal(**goal) for name, goal in values.get("goals", {}).items()}
        for name in ("sites", "places", "parts", "materials"):
            values[name] = tuple(values.get(name, ()))
        return cls(**values)

    def dump(self) -> dict[str, Any]:
        content = asdict(self)
        content["goals"] = {
            name: {key: value for key, value in goal.items() if value is not None}
            for name, goal in content["goals"].items()
        }
        return content


@dataclass(frozen=True, slots=True)
class Base:
    """What a wish starts from: the figures, and what lies on the frame already, for good or in
    thought."""

    key: str
    label: str
    state: PlanState
    measured: Measured
    fitted: tuple[Piece, ...] = ()
    since: str = ""
    """What was fitted or taken off since it was read, and is counted in, in words."""

    @property
    def is_plan(self) -> bool:
        return self.key.startswith("plan:")


def bases(frame: Frame, chosen: str = "") -> list[Base]:
    """Everything a wish can start from: as it reads in each condition, then its newest plans, the
    ``chosen`` one among them."""
    return list(_bases(frame, chosen))


def base(frame: Frame, chosen: str = "") -> Base:
    """The chosen one of them, else the first."""
    every = _bases(frame, chosen)
    first = next(every)
    if chosen in ("", first.key):
        return first
    return next((one for one in every if one.key == chosen), first)


def _bases(frame: Frame, chosen: str) -> Iterator[Base]:
    for figures in _as_read(frame):
        yield _of_figures(frame, figures)
    outline = frame.outline()
    plans = newest_of(frame)[:8]
    number = chosen.removeprefix("plan:")
    is_other = chosen not in {f"plan:{plan.pk}" for plan in plans}
    if number.isdecimal() and len(number) < 10 and is_other:
        plans += Plan.live.filter(frame=frame, pk=int(number))
    for plan in plans:
        if found := _of_plan(plan, outline):
            yield found


def _as_read(frame: Frame) -> list[Figures]:
    """Its figures in every condition they are complete in, the usual one first; else what there
    is."""
    usual, figures = frame.usual_condition(), frame.figures()
    complete = [one for one in figures if one.is_complete]
    complete.sort(key=lambda one: one.condition != usual)
    return complete or figures[:1] or [Figures(usual)]


def _of_figures(frame: Frame, figures: Figures) -> Base:
    state = desk.state_from(frame, figures)
    now = fitted.now(frame, figures, state.measured)
    how = "partly assumed" if state.assumed else "as it is now" if now.said else "as measured"
    label = f"{Condition(state.condition).label}, {how}"
    return Base(
        state.condition, label, state, state.measured, now.fitted(frame.outline()), now.said
    )


def _of_plan(plan: Plan, outline: Outline) -> Base | None:
    state = desk.on_top(plan)
    if not state.pieces or any(True for piece in state.pieces for _ in piece.faults(outline)):
        return None
    measured = read_off(predict(state.to_plan(outline)).after, state.measured)
    return Base(f"plan:{plan.pk}", f"{plan.name}, as planned", state, measured, state.pieces)


def read_off(body: Body, like: Measured) -> Measured:
    """The figures of a Body, about the same axis and with a twist weight where there was one."""
    return Measured(
        mass_g=body.mass, balance_mm=body.balance, swing_kgcm2=body.swing_kgcm2(like.axis_mm),
        axis_mm=like.axis_mm, twist_kgcm2=None if like.twist_kgcm2 is None else body.twist_kgcm2,
        assumed=like.assumed,
    )  # fmt: skip


def chosen_base(found: list[Base], key: str) -> Base:
    return next((base for base in found if base.key == key), found[0])


def parts_of(frame: Frame, condition: str) -> list[PartSite]:
    """How the parts that were on in this condition could be lighter."""
    on = [
        part.core()
        for part in frame.all_parts()
        if part.was_on(None) and is_on(part.kind, condition)
    ]
    found = kit.lighter_parts(on, frame.outline())
    # Of the bumper guard only its trim can go, the last resort there is.
    stays = Limited.of(frame).bumper_stays
    return [part for part in found if not (stays and part.last_resort)]


def first_tape(workshop: Settings) -> Tape | None:
    """What first steps are cut from, as it weighs here; None where the shelf has none of it."""
    return shelf.tape(
        USUAL_MATERIALS[0], workshop.cut_step_mm, workshop.least_cut_mm, workshop.max_layers
    )


def rolls_of(workshop: Settings) -> list[Tape]:
    """Every tape on the shelf, as it weighs here: the usual one first, what is toxic last."""
    tapes = [one for one in materials_of(workshop) if isinstance(one, Tape)]
    return sorted(tapes, key=lambda one: (one.name != USUAL_MATERIALS[0], one.toxicity))


def materials_of(workshop: Settings) -> list[RecipeMaterial]:
    return shelf.for_recipes(workshop.cut_step_mm, workshop.least_cut_mm, workshop.max_layers)


def on_shelf() -> list[str]:
    """Names of the materials a recipe can use."""
    return [material.name for material in materials_of(Settings.load())]


def brief_of(
    frame: Frame, asked: Asked, base: Base, workshop: Settings, axis_mm: float,
    limited: Limited | None = None,
) -> Brief:  # fmt: skip
    """The brief of a wish; what is switched off is spare, and tried where the wish cannot be
    reached.

    Args:
        axis_mm: what the figures of the answer are about, where a goal names no axis of its own.
        limited: what may be done to it, as the frame itself allows where None.
    """
    outline = frame.outline()
    condition = base.state.condition
    sites = (limited or Limited.of(frame)).sites(outline, condition, asked.places)
    parts = parts_of(frame, condition)
    materials = materials_of(workshop)
    body = base.measured.body()
    measured = replace(base.measured, axis_mm=axis_mm, swing_kgcm2=body.swing_kgcm2(axis_mm))
    return Brief(
        frame=outline,
        measured=measured,
        targets=Goals(**asked.goals),
        sites=(
            *(site for key, site in sites.items() if key in asked.sites),
            *(part for part in parts if part.name in asked.parts),
        ),
        materials=tuple(one for one in materials if one.name in asked.materials),
        spare_sites=(
            *(site for key, site in sites.items() if key not in asked.sites),
            *(part for part in parts if part.name not in asked.parts),
        ),
        spare_materials=tuple(one for one in materials if one.name not in asked.materials),
        spare_targets=other_targets(frame, asked, base, axis_mm),
        priority=asked.priority,  # type: ignore[arg-type]
        max_added_g=asked.most_g,
        fitted=base.fitted,
        weights=workshop.weights(),
    )


def other_targets(frame: Frame, asked: Asked, base: Base, axis_mm: float) -> dict[str, Goals]:
    """Frames of the same model that could be chased instead, where the wish is another frame's
    figures: each held to the same figures within the same tolerances."""
    if len(asked.goals) < 2 or any(goal.value is None for goal in asked.goals.values()):
        return {}
    found: dict[str, Goals] = {}
    others = Frame.live.filter(kind=frame.kind, model=frame.model).exclude(pk=frame.pk)[
        :OTHERS_TRIED
    ]
    for other in others:
        figures = fitted.figures_now(other, base.state.condition)
        if not figures.is_complete:
            continue
        theirs = like(figures.measured(), axis_mm, "twist_kgcm2" in asked.goals)
        goals = {
            name: replace(theirs[name], tol=goal.tol)
            for name, goal in asked.goals.items()
            if name in theirs
        }
        if len(goals) == len(asked.goals) and goals != asked.goals:
            found.setdefault(str(other), Goals(**goals))
    return found


def plan_from(
    frame: Frame,
    base: Base,
    wanted: Mapping[str, Target],
    pieces: tuple[Piece, ...],
    name: str,
    user: Any,
    label: str = "From a recipe",
    of_set: int | None = None,
) -> Plan:
    """A plan with a recipe's pieces, on top of what the wish started from, and its targets.

    Args:
        of_set: key of the set it is for, that of what it starts from where None.
    """
    kept = list(base.state.pieces)
    put_on = []
    for piece in pieces:
        # Off a plan it is left out; off the frame itself it is a step of the work.
        own = _as_fitted(piece, kept) if piece.mass_g < 0 else None
        if own is None:
            put_on.append(replace(piece, mass_g=round(piece.mass_g, 3)))
        else:
            kept.remove(own)
    targets = {
        name: Target(
            goal.value,
            goal.tol,
            goal.axis_mm if name == "swing_kgcm2" else None,
            # Of what nobody read a change is all there is to hold it to.
            is_change=name == "twist_kgcm2" and base.measured.twist_kgcm2 is None,
        )
        for name, goal in wanted.items()
        if name in Targets.__dataclass_fields__
    }
    state = replace(
        base.state, pieces=with_ids((*kept, *put_on)), targets=Targets(**targets),
        of_set=base.state.of_set if of_set is None else of_set,
    )  # fmt: skip
    return desk.create(frame, name, state, label, user)


def _as_fitted(off: Piece, kept: list[Piece]) -> Piece | None:
    """The planned piece a recipe takes off again: then it is left out, not put on and taken off."""
    for piece in kept:
        plain = replace(piece, mass_g=off.mass_g, id=None, site=off.site)
        if plain == off and abs(piece.mass_g + off.mass_g) < 1e-6:
            return piece
    return None


# --- what is kept of an answer -------------------------------------------------------------------


def answered(brief: Brief, base: Base, watch: Watch) -> dict[str, Any]:
    """Search, and give the answer's document with what it was found for."""
    return dump_answer(solve(brief, watch), brief) | _asked_for(brief, base)


def answered_so_far(brief: Brief, base: Base, progress: Progress) -> dict[str, Any]:
    """The document of a search that is still at work; empty where it has found nothing yet."""
    if not progress.recipes:
        return {}
    recipes = [dump_recipe(recipe, brief.measured) for recipe in progress.recipes]
    status = "ok" if recipes and progress.recipes[0].is_ok else "nearest"
    return {
        "status": status,
        "recipes": recipes,
        "why": "",
        "blocks": [],
        "openings": [],
        "whole": False,
        "undecided": status != "ok",
    } | (_asked_for(brief, base))


def _asked_for(brief: Brief, base: Base) -> dict[str, Any]:
    wanted = {name: asdict(one) for name, one in brief.wanted().items()}
    return {"base": base.key, "measured": dump_measured(brief.measured), "wanted": wanted}


def opened(
    asked: Asked, opening: KeptOpening, sites: Mapping[str, Site], others: Mapping[str, Goals]
) -> Asked:
    """The wish with what an opening names allowed: a tolerance, a limit, another frame, sites,
    materials, parts."""
    if opening.kind == "tolerance" and opening.to is not None:
        goal = replace(asked.goals[opening.name], tol=opening.to)
        return replace(asked, goals={**asked.goals, opening.name: goal})
    if opening.kind == "limit":
        return replace(asked, most_g=opening.to)
    if opening.kind == "target":
        other = others.get(opening.name)
        return replace(asked, goals=dict(other.given()) if other else asked.goals)
    return replace(asked, **brought_in(asked, opening.names, sites))


class Choices(Protocol):
    """What a wish and a set choose alike: keys of sites, names of materials and of parts."""

    @property
    def sites(self) -> tuple[str, ...]: ...
    @property
    def materials(self) -> tuple[str, ...]: ...
    @property
    def parts(self) -> tuple[str, ...]: ...


def brought_in(asked: Choices, names: Iterable[str], sites: Mapping[str, Site]) -> dict[str, Any]:
    """The choices of a wish or a set, with sites, materials and parts of these names."""
    keys = {site.name: key for key, site in sites.items()}
    shelf = set(on_shelf())
    found = {"sites": asked.sites, "materials": asked.materials, "parts": asked.parts}
    for name in names:
        kind = "sites" if name in keys else "materials" if name in shelf else "parts"
        found[kind] = (*found[kind], keys.get(name, name))
    return found


def of_targets(targets: Targets) -> dict[str, Goal]:
    """Goals that ask for what a plan's targets say."""
    found = {name: getattr(targets, name) for name in Targets.__dataclass_fields__}
    return {
        name: Goal(change=target.value, tol=target.tol)
        if target.is_change
        else Goal(value=target.value, tol=target.tol, axis_mm=target.axis_mm)
        for name, target in found.items()
        if target is not None
    }
