"""What a set comes to: its target, a recipe for each frame, and what would let all meet."""

from __future__ import annotations

from dataclasses import dataclass

from kentrobar.core.words import Message

from .explain import Opening
from .set_chance import Sharper
from .solve import Recipe


@dataclass(frozen=True, slots=True)
class Matched:
    """``status`` is ``ok`` where every frame lies within the tolerances of the common target.

    Attributes:
        names: of the frames, in the order of ``recipes``. before, after: the spread of each figure.
        chance: that all frames end inside together. sharper: the reading that would raise it most.
        without: the best common target of the others, where some frames cannot reach this one.
        others: (what to follow instead, grams) of every other target all frames can reach.
        openings: what would let all meet, the least change first.
        also: sites, materials and parts that were brought in, where that was left to the search.
        is_undecided: it is not known whether all can reach one target.
        bound_g: grams that no set of these frames moves less than; None where that is not known.
    """

    status: str
    target: dict[str, float]
    axis_mm: float
    names: tuple[str, ...]
    recipes: tuple[Recipe, ...]
    before: dict[str, float]
    after: dict[str, float]
    why: Message
    chance: float = 0.0
    sharper: Sharper | None = None
    without: Matched | None = None
    others: tuple[tuple[str, float], ...] = ()
    openings: tuple[Opening, ...] = ()
    also: tuple[str, ...] = ()
    is_whole: bool = True
    is_undecided: bool = False
    bound_g: float | None = None

    @property
    def is_ok(self) -> bool:
        return self.status == "ok"

    @property
    def added_g(self) -> float:
        return sum(recipe.added_g for recipe in self.recipes)

    @property
    def moved_g(self) -> float:
        """Grams put on and taken off, all counted."""
        return sum(recipe.moved_g for recipe in self.recipes)

    @property
    def left_out(self) -> tuple[str, ...]:
        """The frames that cannot reach the target."""
        return tuple(
            name for name, recipe in zip(self.names, self.recipes, strict=True) if not recipe.is_ok
        )
