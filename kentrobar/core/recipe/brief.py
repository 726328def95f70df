"""What is wanted: a frame, its figures, targets, materials, and the sites they may go to."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Literal

from ..documents import measured_faults
from ..outline import Line, Outline
from ..pieces import Plug, Strip, Throat
from ..predict import Measured

Priority = Literal["swing", "balance", "inertia"]
FIGURES = ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2", "recoil_kgcm2")
MOST_CANDIDATES = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Goal:
    """A figure to reach: ``value`` ± ``tol``."""

    value: float
    tol: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Goals:
    """One goal a figure; an absent one is free. The swing weight is meant about the frame's own axis."""

    mass_g: Goal | None = None
    balance_mm: Goal | None = None
    swing_kgcm2: Goal | None = None
    twist_kgcm2: Goal | None = None
    recoil_kgcm2: Goal | None = None

    def wanted(self) -> dict[str, Goal]:
        return {name: goal for name in FIGURES if (goal := getattr(self, name)) is not None}


@dataclass(frozen=True, slots=True, kw_only=True)
class Tape:
    """Tape off a roll, cut in whole steps, laid in up to ``max_layers``."""

    name: str
    g_per_mm: float
    step_mm: float
    max_layers: int = 1
    kind: Literal["tape"] = "tape"


@dataclass(frozen=True, slots=True, kw_only=True)
class Putty:
    """Anything dosed in whole steps of grams: putty, silicone, modules."""

    name: str
    step_g: float
    max_g: float
    kind: Literal["putty"] = "putty"


@dataclass(frozen=True, slots=True, kw_only=True)
class StripSite:
    """Tape on the rim, centred at a clock hour. ``keep_out_mm`` are stretches of arc, from the site's
    centre, that tape must not cover."""

    name: str
    clock: float
    max_length_mm: float
    line: Line = "face"
    mirror: bool = False
    keep_out_mm: list[tuple[float, float]] = field(default_factory=list)
    kind: Literal["strip"] = "strip"


@dataclass(frozen=True, slots=True, kw_only=True)
class ThroatSite:
    """Tape on both shafts of a racket's throat, from ``from_mm`` on, no further than ``to_mm``."""

    name: str
    from_mm: float
    to_mm: float
    kind: Literal["throat"] = "throat"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlugSite:
    """A stretch of the handle's inside."""

    name: str
    from_mm: float
    to_mm: float
    kind: Literal["plug"] = "plug"


Site = StripSite | ThroatSite | PlugSite
Material = Tape | Putty


@dataclass(frozen=True, slots=True, kw_only=True)
class Brief:
    """Everything a recipe is asked for with."""

    frame: Outline
    measured: Measured
    targets: Goals
    materials: tuple[Material, ...]
    sites: tuple[Site, ...]
    priority: Priority = "swing"
    recipes: int = 3
    max_added_g: float | None = None

    def faults(self) -> Iterator[tuple[str, str]]:
        """(path, reason) of everything that cannot be in a brief whose structure is right."""
        for name, reason in self.frame.faults():
            yield f"frame.{name}", reason
            return
        yield from measured_faults(self.measured, self.frame)
        if not self.targets.wanted():
            yield "targets", "at least one figure must be wanted"
        for name, goal in self.targets.wanted().items():
            if not goal.value > 0:
                yield f"targets.{name}.value", f"{goal.value:g} must be above 0"
            if not goal.tol > 0:
                yield f"targets.{name}.tol", f"{goal.tol:g} must be above 0"
        if self.targets.twist_kgcm2 is not None and self.measured.twist_kgcm2 is None:
            yield "targets.twist_kgcm2", "twist weight was not measured"
        yield from kit_faults(self.materials, self.sites, self.frame)
        if not 1 <= self.recipes <= 10:
            yield "recipes", f"{self.recipes} is outside 1…10"
        if self.max_added_g is not None and self.max_added_g < 0:
            yield "max_added_g", f"{self.max_added_g:g} is below 0"


def kit_faults(
    materials: tuple[Material, ...], sites: tuple[Site, ...], frame: Outline
) -> Iterator[tuple[str, str]]:
    """Faults of materials and sites on a frame."""
    for i, material in enumerate(materials):
        if isinstance(material, Tape):
            sizes = {"g_per_mm": material.g_per_mm, "step_mm": material.step_mm}
            if not 1 <= material.max_layers <= 10:
                yield f"materials[{i}].max_layers", f"{material.max_layers} is outside 1…10"
        else:
            sizes = {"step_g": material.step_g, "max_g": material.max_g}
        for name, size in sizes.items():
            if not size > 0:
                yield f"materials[{i}].{name}", f"{size:g} must be above 0"
                return
    count = 0
    for i, site in enumerate(sites):
        for name, reason in _site_faults(site, frame):
            yield f"sites[{i}].{name}", reason
            return
        count += sum(_choices(site, material) for material in materials)
    if len({site.name for site in sites}) < len(sites):
        yield "sites", "two sites have one name"
    if count > MOST_CANDIDATES:
        yield "materials", f"{count} ways to cut them: coarser steps, please, {MOST_CANDIDATES} are the most"


def _choices(site: Site, material: Material) -> int:
    if isinstance(site, PlugSite):
        return int(material.max_g / material.step_g) if isinstance(material, Putty) else 0
    longest = site.max_length_mm if isinstance(site, StripSite) else site.to_mm - site.from_mm
    return int(longest / material.step_mm) * material.max_layers if isinstance(material, Tape) else 0


def _site_faults(site: Site, frame: Outline) -> Iterator[tuple[str, str]]:
    if isinstance(site, StripSite):
        strip = Strip(
            mass_g=1.0, clock=site.clock, length_mm=site.max_length_mm, line=site.line, mirror=site.mirror
        )
        for name, reason in strip.faults(frame):
            yield "max_length_mm" if name == "length_mm" else name, reason
        for i, (start, end) in enumerate(site.keep_out_mm):
            if not start < end:
                yield f"keep_out_mm[{i}]", f"{end:g} is not after {start:g}"
        return
    piece = Throat if isinstance(site, ThroatSite) else Plug
    yield from piece(mass_g=1.0, from_mm=site.from_mm, to_mm=site.to_mm).faults(frame)
