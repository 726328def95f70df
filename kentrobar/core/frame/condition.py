"""What is on a frame when it is read, and what it would read with something else on.

A condition is a set of fitted parts. Each part is a Body, so a reading in one condition converts to
another by taking off what was on and putting on what is to be. Four conditions have names: bare
without a grip, bare (no strings, no overgrip, no dampener), strung (strings on) and as played
(everything).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.numbers import Number, ufloat
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import CONDITIONS, PARTS, part_piece


def is_on(kind: str, condition: str) -> bool:
    """Whether parts of a kind are on a frame in a named condition."""
    order = list(CONDITIONS)
    return order.index(PARTS[kind].on_from) <= order.index(condition)  # type: ignore[arg-type]


def strings_in(outline: Outline, condition: str) -> bool:
    """Whether a frame has its strings in, in a named condition."""
    return outline.is_strung and is_on("strings", condition)


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """Something fitted to a frame.

    Attributes:
        kind: a key of ``PARTS``. u_g: one standard uncertainty of its mass.
        from_mm, to_mm: where along the frame it sits, if measured; else where it usually does.
        place_u_mm: one standard uncertainty of its place along the frame.
    """

    kind: str
    mass_g: float
    u_g: float = 0.0
    from_mm: float | None = None
    to_mm: float | None = None
    place_u_mm: float | None = None
    label: str = ""

    def body(self, outline: Outline) -> Body:
        """Its Body, carrying the uncertainties of its mass and place."""
        piece = part_piece(self.kind, outline, 1.0, self.from_mm, self.to_mm)
        mass: Number = ufloat(self.mass_g, self.u_g, self.kind) if self.u_g else self.mass_g
        place = PARTS[self.kind].place_u_mm if self.place_u_mm is None else self.place_u_mm
        unit = body_of(piece, outline)
        return (shifted(unit, ufloat(0.0, place, self.kind)) if place else unit) * mass


def shifted(body: Body, by_mm: Number) -> Body:
    """The same Body ``by_mm`` further from the butt: Σ m (x + δ)² = Σ m x² + 2δ Σ m x + δ² Σ m."""
    return Body(
        body.mass,
        body.moment + by_mm * body.mass,
        body.second + 2 * by_mm * body.moment + by_mm * by_mm * body.mass,
        body.twist,
        body.lateral,
    )


def total(parts: Iterable[Part], outline: Outline) -> Body:
    return sum((part.body(outline) for part in parts), Body())


def converted(
    figures: Mapping[str, Number], axis_mm: float | None, change: Body
) -> dict[str, Number]:
    """Figures as they would read with ``change`` put on.

    Mass, swing weight and twist weight convert by themselves; a balance needs the mass beside it
    and is left out without.

    Args:
        figures: ``mass_g``, ``balance_mm``, ``swing_kgcm2`` (about ``axis_mm``), ``twist_kgcm2``,
            any of them.
    """
    found: dict[str, Number] = {}
    if "mass_g" in figures:
        mass = figures["mass_g"]
        found["mass_g"] = mass + change.mass
        if "balance_mm" in figures:
            moment = mass * figures["balance_mm"] + change.moment
            found["balance_mm"] = moment / (mass + change.mass)
    if "swing_kgcm2" in figures and axis_mm is not None:
        found["swing_kgcm2"] = figures["swing_kgcm2"] + change.swing_kgcm2(axis_mm)
    if "twist_kgcm2" in figures:
        found["twist_kgcm2"] = figures["twist_kgcm2"] + change.twist_kgcm2
    return found
