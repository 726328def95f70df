"""What is wanted: a frame, its figures, targets, materials, and the sites they may go to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal

from kentrobar.core.errors import Refusal
from kentrobar.core.frame.plausibility import measured_faults
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.targets import Target
from kentrobar.core.geometry.outline import Outline, RimLine
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.piece import Piece, piece_faults
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.quantities import FIGURES, plain_figures

Priority = Literal["swing", "balance", "inertia"]
MOST_CANDIDATES = 20_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Goal:
    """A figure to reach within ``tol``: a ``value``, or a ``change`` from what was read (0 keeps
    it).

    ``axis_mm`` is for a swing weight about another axis than it was read about.
    """

    tol: float
    value: float | None = None
    change: float | None = None
    axis_mm: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Goals:
    """One goal a figure; an absent one is free."""

    mass_g: Goal | None = None
    balance_mm: Goal | None = None
    swing_kgcm2: Goal | None = None
    twist_kgcm2: Goal | None = None
    recoil_kgcm2: Goal | None = None

    def given(self) -> dict[str, Goal]:
        return {name: goal for name in FIGURES if (goal := getattr(self, name)) is not None}


@dataclass(frozen=True, slots=True, kw_only=True)
class Tape:
    """Tape off a roll, cut in whole steps of at least ``least_mm``, laid in up to ``max_layers``.

    ``toxicity`` runs from 0 (none) to 1 (lead); ``u_percent`` is how well its grams per mm are
    known.
    """

    name: str
    g_per_mm: float
    step_mm: float
    max_layers: int = 1
    least_mm: float = 0.0
    price_per_g: float = 0.0
    toxicity: float = 0.0
    u_percent: float = 2.0
    kind: Literal["tape"] = "tape"


@dataclass(frozen=True, slots=True, kw_only=True)
class Putty:
    """Anything dosed in whole steps of grams: putty, silicone, modules. It is weighed, to
    ``u_g``."""

    name: str
    step_g: float
    max_g: float
    price_per_g: float = 0.0
    toxicity: float = 0.0
    u_g: float = 0.05
    kind: Literal["putty"] = "putty"


@dataclass(frozen=True, slots=True, kw_only=True)
class StripSite:
    """Tape on the rim, centred at a clock hour. ``keep_out_mm`` are stretches of arc, from the
    site's centre, that tape must not cover. What is ``seen`` counts against a recipe where that
    matters. ``both_ends``: as much lies at the opposite clock hour, as far from there."""

    name: str
    clock: float
    max_length_mm: float
    line: RimLine = "face"
    mirror: bool = False
    keep_out_mm: tuple[tuple[float, float], ...] = field(default_factory=tuple)
    seen: bool = True
    both_ends: bool = False
    kind: Literal["strip"] = "strip"

    def clocks(self) -> tuple[float, ...]:
        """The clock hours its strips are centred at."""
        return (self.clock, (self.clock + 6) % 12) if self.both_ends else (self.clock,)

    def strips(self, length_mm: float, grams: float = 1.0) -> tuple[Strip, ...]:
        """A strip at each of its hours, together of so many grams."""
        clocks = self.clocks()
        return tuple(
            Strip(
                mass_g=grams / len(clocks), clock=clock, length_mm=length_mm, line=self.line,
                mirror=self.mirror, site=self.name,
            )
            for clock in clocks
        )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class ThroatSite:
    """Tape on both shafts of a racket's throat, from ``from_mm`` on, no further than ``to_mm``."""

    name: str
    from_mm: float
    to_mm: float
    seen: bool = True
    kind: Literal["throat"] = "throat"


@dataclass(frozen=True, slots=True, kw_only=True)
class PlugSite:
    """A stretch of the handle: putty in a ``cavity``; where there is ``foam``, and inside the cap,
    strips of tape, ``max_length_mm`` of them end to end; under the ``grip`` pairs of strips along
    the bevels, from its upper end down.
    """

    name: str
    from_mm: float
    to_mm: float
    filling: Literal["cavity", "foam", "grip"] = "cavity"
    max_length_mm: float = 300.0
    kind: Literal["plug"] = "plug"


@dataclass(frozen=True, slots=True, kw_only=True)
class PartSite:
    """A part on the frame that can be taken off or exchanged for a lighter one.

    ``piece`` says where it sits and what it weighs, ``less_g`` by how much it can become lighter.
    What is a ``last_resort`` is taken only where nothing else will do. ``u_g`` is how well it was
    weighed.
    """

    name: str
    piece: Piece
    less_g: list[float]
    last_resort: bool = False
    u_g: float = 0.1
    kind: Literal["part"] = "part"


Site = StripSite | ThroatSite | PlugSite | PartSite
RecipeMaterial = Tape | Putty


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """What counts against a recipe that misses nothing, in grams of added mass: the workshop's
    settings.

    One ``tolerance`` that a hand's errors overrun; one that a hand's errors and one standard
    uncertainty of the frame's readings (``unsure``) overrun together; one ``piece``, one gram that
    is ``seen``, one unit of ``price``, one gram of what is fully ``toxic``, one ``part`` taken off.
    Of recipes within ``near`` grams of the lightest the surest comes first. More than ``most_cuts``
    strips are cut for a frame only where nothing else reaches the targets; 0 for any number.
    """

    tolerance: float = 30.0
    unsure: float = 5.0
    gram: float = 1.0
    piece: float = 0.4
    seen: float = 0.05
    price: float = 0.02
    toxic: float = 0.3
    part: float = 2.0
    near: float = 0.5
    most_cuts: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Brief:
    """Everything a recipe is asked for with.

    Attributes:
        fitted: tape and putty that were on the frame when it was read; they may come off, and tape
            goes beside them.
        spare_sites, spare_materials: what could be brought in where the wish cannot be reached
        without.
        spare_targets: other frames that could be chased instead, by name.
    """

    frame: Outline
    measured: Measured
    targets: Goals
    materials: tuple[RecipeMaterial, ...]
    sites: tuple[Site, ...]
    priority: Priority = "swing"
    recipes: int = 3
    max_added_g: float | None = None
    fitted: tuple[Piece, ...] = ()
    spare_sites: tuple[Site, ...] = ()
    spare_materials: tuple[RecipeMaterial, ...] = ()
    spare_targets: Mapping[str, Goals] = field(default_factory=dict)
    weights: Weights = Weights()

    def wanted(self) -> dict[str, Target]:
        """Every goal as a value: a change is counted from the figure as read."""
        found = {}
        for name, goal in self.targets.given().items():
            axis = self.measured.axis_mm if goal.axis_mm is None else goal.axis_mm
            value = goal.value
            if value is None:
                value = plain_figures(plain_body(self.measured), axis)[name] + (goal.change or 0.0)
            found[name] = Target(value=value, tol=goal.tol, axis_mm=axis)
        return found

    def all_sites(self) -> tuple[Site, ...]:
        """The sites, and what is fitted as parts that may come off."""
        off = tuple(
            PartSite(
                name=f"{piece.name(self.frame).lower()}, as fitted ({i + 1})",
                piece=piece,
                less_g=[piece.mass_g],
            )
            for i, piece in enumerate(self.fitted)
            if piece.mass_g > 0
        )
        return self.sites + off

    def faults(self) -> Iterator[tuple[str, str]]:
        """(path, reason) of everything that cannot be in a brief whose structure is right."""
        for name, reason in self.frame.faults():
            yield f"frame.{name}", reason
            return
        yield from measured_faults(self.measured, self.frame)
        yield from self._goal_faults(self.targets, "targets")
        for name, goals in self.spare_targets.items():
            yield from self._goal_faults(goals, f"spare_targets.{name}")
        for i, piece in enumerate(self.fitted):
            for name, reason in piece_faults(piece, self.frame):
                yield f"fitted[{i}].{name}", reason
                return
        yield from kit_faults(
            self.materials + self.spare_materials, self.all_sites() + self.spare_sites, self.frame
        )
        if not 1 <= self.recipes <= 10:
            yield "recipes", Refusal("outside", self.recipes, 1, 10)
        if self.max_added_g is not None and self.max_added_g < 0:
            yield "max_added_g", Refusal("below", self.max_added_g, 0)
        for name in Weights.__dataclass_fields__:
            if getattr(self.weights, name) < 0:
                yield f"weights.{name}", Refusal("below", getattr(self.weights, name), 0)

    def _goal_faults(self, goals: Goals, path: str) -> Iterator[tuple[str, str]]:
        given = goals.given()
        if not given:
            yield path, "at least one figure must be wanted"
        for name, goal in given.items():
            if (goal.value is None) == (goal.change is None):
                yield f"{path}.{name}", "give either a value or a change"
                return
            if goal.axis_mm is not None and name != "swing_kgcm2":
                yield f"{path}.{name}.axis_mm", "only a swing weight has an axis"
            elif goal.axis_mm is not None and not 0 <= goal.axis_mm < self.frame.length_mm:
                yield (
                    f"{path}.{name}.axis_mm",
                    Refusal("outside", goal.axis_mm, 0, self.frame.length_mm),
                )
            if not goal.tol > 0:
                yield f"{path}.{name}.tol", Refusal("not-above", goal.tol, 0)
            if goal.value is not None and not goal.value > 0:
                yield f"{path}.{name}.value", Refusal("not-above", goal.value, 0)
        twist = goals.twist_kgcm2
        if twist is not None and twist.value is not None and self.measured.twist_kgcm2 is None:
            yield f"{path}.twist_kgcm2", "not measured, so only a change of it can be wanted"


def plain_body(measured: Measured) -> Body:
    """The Body of measured figures without their uncertainties."""
    return measured.body().plain


def kit_faults(
    materials: tuple[RecipeMaterial, ...], sites: tuple[Site, ...], frame: Outline
) -> Iterator[tuple[str, str]]:
    """Faults of materials and sites on a frame."""
    for i, material in enumerate(materials):
        if isinstance(material, Tape):
            sizes = {"g_per_mm": material.g_per_mm, "step_mm": material.step_mm}
            others = {"least_mm": material.least_mm, "u_percent": material.u_percent}
            if not 1 <= material.max_layers <= 10:
                yield f"materials[{i}].max_layers", Refusal("outside", material.max_layers, 1, 10)
        else:
            sizes, others = (
                {"step_g": material.step_g, "max_g": material.max_g},
                {"u_g": material.u_g},
            )
        for name, size in sizes.items():
            if not size > 0:
                yield f"materials[{i}].{name}", Refusal("not-above", size, 0)
                return
        others |= {"price_per_g": material.price_per_g, "toxicity": material.toxicity}
        for name, size in others.items():
            if size < 0:
                yield f"materials[{i}].{name}", Refusal("below", size, 0)
    count = 0
    for i, site in enumerate(sites):
        for name, reason in _site_faults(site, frame):
            yield f"sites[{i}].{name}", reason
            return
        count += sum(_choices(site, material) for material in materials)
    if len({site.name for site in sites}) < len(sites):
        yield "sites", "two sites have one name"
    if count > MOST_CANDIDATES:
        yield (
            "materials",
            f"{count} ways to cut them: coarser steps, please, {MOST_CANDIDATES} are the most",
        )


def _choices(site: Site, material: RecipeMaterial) -> int:
    """About how many ways there are to use a material at a site."""
    if isinstance(material, Putty):
        is_cavity = isinstance(site, PlugSite) and site.filling == "cavity"
        return int(material.max_g / material.step_g) if is_cavity else 0
    if isinstance(site, PartSite):
        return 0
    if isinstance(site, PlugSite):
        return int(site.max_length_mm / material.step_mm) if site.filling != "cavity" else 0
    longest = site.max_length_mm if isinstance(site, StripSite) else site.to_mm - site.from_mm
    return int(longest / material.step_mm) * material.max_layers


def _site_faults(site: Site, frame: Outline) -> Iterator[tuple[str, str]]:
    if isinstance(site, StripSite):
        for name, reason in site.strips(site.max_length_mm)[0].faults(frame):
            yield "max_length_mm" if name == "length_mm" else name, reason
        for i, (start, end) in enumerate(site.keep_out_mm):
            if not start < end:
                yield f"keep_out_mm[{i}]", Refusal("not-after", end, start)
    elif isinstance(site, PartSite):
        for name, reason in piece_faults(site.piece, frame):
            yield f"piece.{name}", reason
        for i, less in enumerate(site.less_g):
            if not 0 < less <= site.piece.mass_g:
                yield (
                    f"less_g[{i}]",
                    Refusal("outside", less, 0, site.piece.mass_g, "what the part weighs"),
                )
    else:
        piece = Throat if isinstance(site, ThroatSite) else Plug
        yield from piece(mass_g=1.0, from_mm=site.from_mm, to_mm=site.to_mm).faults(frame)
