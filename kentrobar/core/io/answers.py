"""What the documents that come out hold: prediction, measurement, recipes, match.

The functions that write them build plain dictionaries; these are their shapes, from which their
schemas are made (`schemas.py`), and a test holds what is written to them.
"""

from __future__ import annotations

from typing import Any, Literal, NotRequired

from pydantic import ConfigDict
from typing_extensions import TypedDict

from kentrobar.core.numbers import Given

_CLOSED = ConfigDict(extra="forbid")


class Specs(TypedDict):
    """The figures of a frame: g, mm from the butt, kg·cm²; a twist weight nobody read is null."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    mass_g: Given
    balance_mm: Given
    swing_kgcm2: Given
    axis_mm: float
    twist_kgcm2: Given | None
    recoil_kgcm2: Given
    correlations: NotRequired[dict[str, float]]


class Share(TypedDict):
    """What one piece brings."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    index: int
    id: str | None
    mass_g: Given
    balance_mm: Given
    swing_kgcm2: Given
    twist_kgcm2: Given


class Said(TypedDict):
    """Something to know: a code for programs, words for people."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    code: str
    text: str


class PredictionDocument(TypedDict):
    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    format: Literal["kentrobar-prediction/1"]
    before: Specs
    after: Specs
    pieces: list[Share]
    notices: list[Said]


class MeasurementDocument(TypedDict):
    """``u`` is one standard uncertainty, ``budget`` what each input leaves uncertain of the value,
    ``us`` the uncertainty of every figure on the way, which stand beside by their own names."""

    __pydantic_config__ = ConfigDict(extra="allow")  # type: ignore[misc]
    format: Literal["kentrobar-measurement/1"]
    method: str
    quantity: str
    value: float
    u: float | None
    us: dict[str, float | None]
    budget: dict[str, float | None]
    improve: str
    notes: list[str]


class Figures(TypedDict, total=False):
    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    mass_g: float
    balance_mm: float
    swing_kgcm2: float
    twist_kgcm2: float
    recoil_kgcm2: float
    axis_mm: float


class RecipeDocument(TypedDict):
    """Pieces that reach a wish. ``misses`` are value − target, ``gap_g`` how much better another
    may be (null where the search was cut short)."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    pieces: list[dict[str, Any]]
    after: Specs
    misses: Figures
    added_g: float
    cuts: int
    price: float
    u: Figures
    chance: float
    gap_g: float | None
    name: NotRequired[str]
    status: NotRequired[Literal["ok", "nearest"]]


class Block(TypedDict):
    """A figure that cannot be reached: by how much, and how far beyond what is allowed."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    figure: str
    miss: float
    beyond: float


class Sentence(TypedDict):
    """A sentence before it is words: its code, and the figures in it."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    code: str
    figures: dict[str, Any]


class OpeningDocument(TypedDict):
    """What would open a wish out of reach."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    kind: str
    name: str
    text: str
    said: Sentence
    to: NotRequired[float]
    recipe: NotRequired[RecipeDocument]


class RecipesDocument(TypedDict):
    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    format: Literal["kentrobar-recipes/1"]
    status: Literal["ok", "nearest"]
    recipes: list[RecipeDocument]
    why: str
    said: Sentence
    blocks: list[Block]
    openings: list[OpeningDocument]
    least_g: float
    whole: bool
    undecided: bool


class Spread(TypedDict):
    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    before: Figures
    after: Figures


class OtherTarget(TypedDict):
    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    target: str
    added_g: float


class SharperDocument(TypedDict):
    """The figure whose better reading raises a set's chance most."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    figure: str
    u: float
    chance: float


class MatchedDocument(TypedDict):
    """One target for a set, and a recipe for each, with the chance that all end inside together;
    ``without`` the same for those that can follow, ``also`` what was brought in."""

    __pydantic_config__ = _CLOSED  # type: ignore[misc]
    format: NotRequired[Literal["kentrobar-match/1"]]
    status: Literal["ok", "nearest"]
    target: Figures
    frames: list[RecipeDocument]
    spread: Spread
    added_g: float
    moved_g: float
    chance: float
    sharper: NotRequired[SharperDocument]
    also: NotRequired[list[str]]
    why: str
    said: Sentence
    whole: bool
    undecided: bool
    bound_g: NotRequired[float]
    without: NotRequired[MatchedDocument]
    left_out: NotRequired[list[str]]
    openings: NotRequired[list[OpeningDocument]]
    others: NotRequired[list[OtherTarget]]
