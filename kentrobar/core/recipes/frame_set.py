"""A set of frames to be made alike: what is asked of it, and what cannot be."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.quantities import NEEDED, plain_figures

from .brief import (
    Brief,
    Goal,
    Goals,
    PartSite,
    Priority,
    RecipeMaterial,
    Site,
    Weights,
    kit_faults,
    plain_body,
)

MATCHED = (*NEEDED, "recoil_kgcm2")
MEMBER_RECIPES = 3
"""Looked through for the surest of each frame."""
Judged = Literal["distance", "spread"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Member:
    """A frame of a set, the parts on it that may come off or be lighter, and its own ``sites``
    where they differ from the set's: posts and grommets to keep free, a handle filled with foam.
    ``spare_sites`` and parts among them could be brought in where it cannot follow. ``shared_u``:
    of a figure, what it shares of its uncertainty with other frames, by the name of its source (a
    scale, a board)."""

    name: str
    frame: Outline
    measured: Measured
    parts: tuple[PartSite, ...] = ()
    sites: tuple[Site, ...] | None = None
    spare_sites: tuple[Site, ...] = ()
    shared_u: Mapping[str, Mapping[str, float]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameSet:
    """Frames to be made alike. ``target`` is ``frame:NAME``, ``least-mass``, or empty with
    ``targets``. Tolerances are distances from it or, ``judged`` by ``spread``, how far frames may
    be apart from each other. ``may_add``: what else is spare may be brought in where they cannot
    meet."""

    frames: tuple[Member, ...]
    tolerances: dict[str, float]
    materials: tuple[RecipeMaterial, ...]
    sites: tuple[Site, ...]
    target: str = "least-mass"
    targets: Goals | None = None
    priority: Priority = "inertia"
    weights: Weights = Weights()
    judged: Judged = "distance"
    spare_materials: tuple[RecipeMaterial, ...] = ()
    may_add: bool = False

    def faults(self) -> Iterator[tuple[str, str]]:
        """(path, reason) of everything that cannot be in a set whose structure is right."""
        if not 2 <= len(self.frames) <= 12:
            yield "frames", Refusal("outside", len(self.frames), 2, 12, "frames of a set")
            return
        names = [member.name for member in self.frames]
        if len(set(names)) < len(names):
            yield "frames", "two frames have one name"
        for name, goal in (self.targets.given() if self.targets else {}).items():
            if goal.value is None:
                yield f"targets.{name}.value", "missing: a set needs one figure for all"
        for name, tol in self.tolerances.items():
            if name not in MATCHED:
                yield f"tolerances.{name}", f"not one of {', '.join(MATCHED)}"
            elif not tol > 0:
                yield f"tolerances.{name}", Refusal("not-above", tol, 0)
        if not self.tolerances:
            yield "tolerances", "at least one figure must be matched"
        if self.target.startswith("frame:") and self.target[6:] not in names:
            yield "target", f"no frame is called {self.target[6:]}"
        elif self.target not in ("", "least-mass") and not self.target.startswith("frame:"):
            yield "target", f"{self.target}: write frame:NAME or least-mass, or give targets"
        elif self.target == "" and self.targets is None:
            yield "targets", "missing"
        for i, member in enumerate(self.frames):
            for name, reason in self.brief(member, _own(member, self)).faults():
                if member.parts or member.sites or not name.startswith(("materials", "sites")):
                    yield f"frames[{i}].{name}", reason
                    return
        yield from kit_faults(self.materials, self.sites, self.frames[0].frame)

    @property
    def given(self) -> dict[str, Goal]:
        """Figures asked for, where neither a frame is chased nor the least mass."""
        is_given = self.target != "least-mass" and not self.target.startswith("frame:")
        return self.targets.given() if self.targets and is_given else {}

    def tol(self, name: str) -> float:
        """How far from the target a figure may lie: half of how far apart two frames may be."""
        goals = self.targets.given() if self.targets else {}
        tol = self.tolerances.get(name) or goals[name].tol
        return tol / 2 if self.judged == "spread" else tol

    def sites_of(self, member: Member) -> tuple[Site, ...]:
        """Where something may go on a member, its parts included; nothing goes on the frame that is
        followed."""
        return () if self.target == f"frame:{member.name}" else self.own_sites(member)

    def own_sites(self, member: Member) -> tuple[Site, ...]:
        """Where something may go on a member while another is followed."""
        return (self.sites if member.sites is None else member.sites) + member.parts

    def brief(self, member: Member, goals: Goals) -> Brief:
        """What one member is asked for."""
        return Brief(
            frame=member.frame, measured=member.measured, targets=goals, materials=self.materials,
            sites=self.sites_of(member), priority=self.priority, weights=self.weights,
            recipes=MEMBER_RECIPES, spare_sites=member.spare_sites,
            spare_materials=self.spare_materials,
        )  # fmt: skip

    def asked_of(self, member: Member, target: Mapping[str, float], axis_mm: float) -> Brief:
        """What one member is asked for towards a common target, its swing weight about
        ``axis_mm``."""
        goals = {name: Goal(value=value, tol=self.tol(name)) for name, value in target.items()}
        swing = member.measured.body().swing_kgcm2(axis_mm)
        about = replace(member.measured, axis_mm=axis_mm, swing_kgcm2=swing)
        return replace(self.brief(member, Goals(**goals)), measured=about)


def _own(member: Member, frames: FrameSet) -> Goals:
    """Goals that are met already, to check a member by."""
    body = plain_body(member.measured)
    if not body.mass > 0:  # its measured mass is at fault, and is told as such
        return Goals()
    figures = plain_figures(body, member.measured.axis_mm)
    return Goals(
        **{name: Goal(value=figures[name], tol=1.0) for name in MATCHED if figures[name] > 0}
    )
