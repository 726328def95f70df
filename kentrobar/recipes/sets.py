"""Frames that should play alike, put together on the Set page, and the set the core matches."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from kentrobar.core.frame.targets import Target, Targets
from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_measured
from kentrobar.core.io.recipes import dump_matched
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.quantities import FIGURES, NEEDED, READ
from kentrobar.core.recipes.brief import Goal, Goals
from kentrobar.core.recipes.candidates import beside
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.match import match
from kentrobar.core.recipes.matched import Matched
from kentrobar.core.recipes.solve import Progress, Watch
from kentrobar.frames import fitted
from kentrobar.frames.figures import Figures
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Use
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.plans.state import with_ids
from kentrobar.shop.models import Settings

from .asked import USUAL_MATERIALS, brought_in, materials_of, parts_of
from .kept import KeptMatch, KeptMember, KeptOpening
from .limited import FLAGS, Limited
from .models import Match
from .places import sites_of

LEAST, GIVEN = "least-mass", "figures"


@dataclass(frozen=True, slots=True)
class AskedSet:
    """How a set should be matched.

    ``target`` is ``least-mass``, ``frame:7`` (frame 7 is chased) or ``figures`` (``values``);
    ``tolerances`` names the figures that should agree: how far apart two frames may be where they
    are ``judged`` by their ``spread``, else how far from the target.
    """

    condition: str = "as-played"
    target: str = LEAST
    values: Mapping[str, float] = field(default_factory=dict)
    tolerances: Mapping[str, float] = field(
        default_factory=lambda: {name: FIGURES[name].tol for name in NEEDED}
    )
    sites: tuple[str, ...] = ()
    places: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    materials: tuple[str, ...] = USUAL_MATERIALS
    priority: str = "inertia"
    judged: str = "spread"
    hidden_only: bool = False
    bumper_stays: bool = False
    strings_out: bool = False
    as_is: tuple[int, ...] = ()
    """Keys of frames that get nothing."""
    accepted: tuple[int, ...] = ()
    """Keys of frames that are taken as near as they came."""

    @classmethod
    def parse(cls, content: Mapping[str, Any], kind: str) -> AskedSet:
        if not content:
            return cls(sites=FRAME_KINDS[kind].wish_sites)
        # Sets from before frames were judged by each other.
        content = {"judged": "distance"} | dict(content)
        names = ("sites", "places", "parts", "materials", "as_is", "accepted")
        tuples = {name: tuple(content.get(name, ())) for name in names}
        return cls(**{**content, **tuples})

    def dump(self) -> dict[str, Any]:
        return asdict(self)

    def is_usual(self, kind: str) -> bool:
        """Whether nobody chose sites and materials: then the search may bring in others."""
        sites = FRAME_KINDS[kind].wish_sites
        usual = set(self.materials) == set(USUAL_MATERIALS) and set(self.sites) == set(sites)
        return usual and not self.parts

    def stays(self, frame: int) -> bool:
        """Whether nothing goes on a frame: it is left as it is, or the others follow it."""
        return frame in self.as_is or self.target == f"frame:{frame}"


@dataclass(frozen=True, slots=True)
class MatchFrame:
    """A frame of a set with its figures in the set's condition, and the name it has among the
    others."""

    frame: Frame
    figures: Figures
    name: str


def readied(frames: Sequence[Frame], condition: str) -> list[MatchFrame]:
    names = [str(frame) for frame in frames]
    return [
        MatchFrame(
            frame,
            frame.figures_in(condition),
            name if names.count(name) == 1 else f"{name} ({frame.pk})",
        )
        for frame, name in zip(frames, names, strict=True)
    ]


def common_condition(frames: Sequence[Frame]) -> str:
    """The condition in which most of the frames are complete; as played where all are alike."""
    order = ("as-played", "strung", "bare", "no-grip")
    return max(
        order, key=lambda condition: sum(f.figures_in(condition).is_complete for f in frames)
    )


def set_of(
    found: Sequence[MatchFrame], asked: AskedSet, workshop: Settings, axis_mm: float
) -> FrameSet:
    """The set for the core, its swing weights about ``axis_mm``. Call where every figure that is
    to agree was read; of the others, what nobody read is assumed."""
    target, targets = asked.target, None
    if target.startswith("frame:"):
        chased = next((one.name for one in found if f"frame:{one.frame.pk}" == target), None)
        target = f"frame:{chased}" if chased else LEAST
    elif target == GIVEN:
        target = ""
        targets = Goals(
            **{
                name: Goal(value=value, tol=asked.tolerances[name])
                for name, value in asked.values.items()
                if name in asked.tolerances
            }
        )
    shared = _shared_u(found)
    return FrameSet(
        frames=tuple(_member(one, asked, axis_mm, shared[one.frame.pk]) for one in found),
        tolerances=dict(asked.tolerances),
        materials=tuple(one for one in materials_of(workshop) if one.name in asked.materials),
        sites=(),
        target=target,
        targets=targets,
        priority=asked.priority,  # type: ignore[arg-type]
        weights=workshop.weights(),
        judged=asked.judged,  # type: ignore[arg-type]
        may_add=asked.is_usual(found[0].frame.kind),
        spare_materials=tuple(
            one for one in materials_of(workshop) if one.name not in asked.materials
        ),
    )


def now_of(frame: Frame, figures: Figures) -> fitted.Now:
    """A frame as it is now, with what is usual of a figure nobody read."""
    whole = None if figures.is_complete else desk.state_from(frame, figures).measured
    return fitted.now(frame, figures, whole)


def lacking(found: Sequence[MatchFrame], asked: AskedSet) -> list[tuple[MatchFrame, list[str]]]:
    """(frame, labels of the figures that are to agree and were not read) of every frame that lacks
    some."""
    lacks = [
        (one, [FIGURES[name].label for name in _needed(asked) if name not in one.figures.found])
        for one in found
    ]
    return [(one, labels) for one, labels in lacks if labels]


def _needed(asked: AskedSet) -> list[str]:
    """Figures a set cannot be brought together without: a recoil weight is of all three."""
    return list(NEEDED) if "recoil_kgcm2" in asked.tolerances else list(asked.tolerances)


def _member(
    one: MatchFrame, asked: AskedSet, axis_mm: float, shared_u: dict[str, dict[str, float]]
) -> Member:
    now = now_of(one.frame, one.figures)
    measured = now.measured
    about = replace(measured, axis_mm=axis_mm, swing_kgcm2=measured.body().swing_kgcm2(axis_mm))
    parts = parts_of(one.frame, asked.condition)
    outline = one.frame.outline()
    on = now.fitted(outline)
    limited = limited_by_set(Limited.of(one.frame), asked)
    there = limited.sites(outline, asked.condition, asked.places)
    sites = {key: beside(site, on, outline) for key, site in there.items()}
    if limited.bumper_stays:
        parts = [part for part in parts if not part.last_resort]
    if one.frame.pk in asked.as_is:
        return Member(name=one.name, frame=outline, measured=about, sites=())
    return Member(
        name=one.name, frame=outline, measured=about,
        parts=tuple(part for part in parts if part.name in asked.parts),
        sites=tuple(site for key, site in sites.items() if key in asked.sites),
        spare_sites=(
            *(site for key, site in sites.items() if key not in asked.sites),
            *(part for part in parts if part.name not in asked.parts),
        ),
        shared_u=shared_u,
    )  # fmt: skip


READS = {"mass_g": ("scale",), "balance_mm": ("board", "tape"), "swing_kgcm2": ("machine",)}
"""Kinds of instrument that read a figure as such."""


def _shared_u(found: Sequence[MatchFrame]) -> dict[int, dict[str, dict[str, float]]]:
    """By key of a frame: what its readings share with others taken with the same instrument, what
    that is off."""
    readings = [figure.reading.pk for one in found for figure in one.figures.found.values()]
    uses = {
        use.reading_id: use.instrument
        for use in Use.objects.select_related("instrument").filter(reading__in=readings)
    }
    off = {instrument.pk: instrument.drift().u for instrument in set(uses.values())}
    shared: dict[int, dict[str, dict[str, float]]] = {}
    for one in found:
        of_frame = shared.setdefault(one.frame.pk, {})
        for name, figure in one.figures.found.items():
            instrument = uses.get(figure.reading.pk)
            if instrument and instrument.kind in READS.get(name, ()):
                u = min(off[instrument.pk], figure.reading.u or 0.0)
                of_frame[name] = {instrument.name: u}
    return shared


def set_of_plan(plan: Plan) -> AskedSet | None:
    """What was asked of the set a plan was made for, with what its search brought in; None for a
    plan of no set."""
    of_set = plan.state().of_set
    match = Match.objects.filter(pk=of_set, removed_at=None).first() if of_set else None
    if match is None or not match.content:
        return None
    asked, found = AskedSet.parse(match.content, ""), match.found
    if found is None or not found.also:
        return asked
    sites = sites_of(plan.frame.outline(), asked.places)
    return replace(asked, **brought_in(asked, found.also, sites))


def limited_by_set(own: Limited, asked: AskedSet | None) -> Limited:
    """What a frame allows, and its set: only hidden places, the bumper left on, strings out."""
    if asked is None:
        return own
    flags = {name: getattr(own, name) or getattr(asked, name) for name in FLAGS}
    return replace(own, **flags)


def opened(asked: AskedSet, opening: KeptOpening, outline: Outline) -> AskedSet:
    """The set with what an opening names allowed: a tolerance, a site, a material, a part off."""
    if opening.kind == "tolerance" and opening.to is not None:
        return replace(asked, tolerances={**asked.tolerances, opening.name: opening.to})
    return replace(asked, **brought_in(asked, opening.names, sites_of(outline, asked.places)))


def matched(frames: FrameSet, found: Sequence[MatchFrame], watch: Watch) -> dict[str, Any]:
    """Match, and give the answer's document with what it was found for."""
    return _document(match(frames, watch), frames, found)


def matched_so_far(
    frames: FrameSet, found: Sequence[MatchFrame], progress: Progress
) -> dict[str, Any]:
    """The document of a search that is still at work; empty where it has found nothing yet."""
    answer = progress.so_far
    return _document(answer, frames, found) if isinstance(answer, Matched) else {}


def _document(answer: Matched, frames: FrameSet, found: Sequence[MatchFrame]) -> dict[str, Any]:
    keys = {one.name: one.frame.pk for one in found}
    tolerances = {name: frames.tol(name) for name in answer.target}
    return dump_matched(answer, frames) | {
        "measured": {
            str(keys[member.name]): dump_measured(member.measured) for member in frames.frames
        },
        "keys": keys,
        "tolerances": tolerances,
        "judged": frames.judged,
    }


def common_targets(found: KeptMatch) -> Targets:
    """The target of all, as plans hold it."""
    return Targets(
        **{
            figure: Target(
                round(one.value, 4), one.tol, one.axis_mm if figure == "swing_kgcm2" else None
            )
            for figure, one in found.wanted.items()
            if figure in READ  # a plan has no target of its own for the rest: it asks its set
        }
    )


def pieces_of(member: KeptMember) -> tuple[Piece, ...]:
    """What was found for a frame, as plans hold it."""
    return with_ids(
        tuple(replace(piece, mass_g=round(piece.mass_g, 3)) for piece in member.recipe.pieces)
    )


def make_plans(
    found: KeptMatch, frames: Mapping[int, Frame], asked: AskedSet, match: Match, user: Any
) -> list[Plan]:
    """A plan for every frame of an answer that does not stay as it is, with the common target,
    that knows its set. Call inside a transaction."""
    targets = common_targets(found)
    made = []
    for one in found.members:
        if asked.stays(one.frame):
            continue
        frame = frames[one.frame]
        state = desk.state_from(frame, frame.figures_in(asked.condition))
        state = replace(state, pieces=pieces_of(one), targets=targets, of_set=match.pk)
        made.append(desk.create(frame, match.name, state, "From a set", user))
    return made
