"""What a search found, as it is kept: the core's document and what it was found for, read back.

Pages work with these; the keys of the documents stand here alone.
"""

from __future__ import annotations

import contextlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.targets import Target
from kentrobar.core.io.plans import parse_measured, parse_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.words import Message

LIKELY = 0.6
"""Chance from which a set is said to be one that can be matched."""


@dataclass(frozen=True, slots=True)
class KeptRecipe:
    """One recipe. ``misses`` are value − target, ``u`` one standard uncertainty of each; ``gap_g``
    is how much better another may be, None where the search was cut short."""

    pieces: tuple[Piece, ...]
    misses: Mapping[str, float]
    u: Mapping[str, float]
    added_g: float
    cuts: int
    price: float
    chance: float
    gap_g: float | None

    @classmethod
    def read(cls, document: Mapping[str, Any]) -> KeptRecipe:
        return cls(
            tuple(parse_piece(piece) for piece in document["pieces"]),
            document["misses"],
            document["u"],
            document["added_g"],
            document["cuts"],
            document["price"],
            document["chance"],
            document.get("gap_g"),
        )

    @property
    def moved_g(self) -> float:
        """Grams put on and taken off, all counted."""
        return sum(abs(piece.mass_g) for piece in self.pieces)

    def meets(self, wanted: Mapping[str, Target]) -> bool:
        return all(abs(miss) <= wanted[name].tol + 1e-9 for name, miss in self.misses.items())


@dataclass(frozen=True, slots=True)
class KeptOpening:
    """Something that would open a wish out of reach, of a ``kind`` of ``explain.Opening``."""

    kind: str
    name: str
    text: str
    to: float | None = None

    @property
    def names(self) -> list[str]:
        """Names of what it brings in."""
        return self.name.split("; ")

    @classmethod
    def read(cls, document: Mapping[str, Any]) -> KeptOpening:
        text = _said(document, "text")
        return cls(document["kind"], document["name"], text, document.get("to"))


def _said(document: Mapping[str, Any], words: str) -> str:
    """A sentence as its reader reads figures; the words it was kept with where it has no others, or
    is made of other figures by now."""
    said = document.get("said")
    if said:
        with contextlib.suppress(KeyError, TypeError, IndexError):
            return str(Message(said["code"], said["figures"]))
    return str(document[words])


@dataclass(frozen=True, slots=True)
class KeptAnswer:
    """What a wish came to. ``is_undecided`` where it was stopped before it was known to be out of
    reach. ``base`` is the key of what it was begun on, ``measured`` its figures then; ``least_g``
    what the lightest that comes as near moves."""

    status: str
    recipes: tuple[KeptRecipe, ...]
    why: str
    openings: tuple[KeptOpening, ...]
    is_whole: bool
    is_undecided: bool
    base: str
    measured: Measured
    wanted: Mapping[str, Target]
    least_g: float | None = None

    @classmethod
    def read(cls, answer: Mapping[str, Any]) -> KeptAnswer | None:
        """None where nothing was found yet."""
        if not answer:
            return None
        return cls(
            answer["status"],
            tuple(KeptRecipe.read(one) for one in answer["recipes"]),
            _said(answer, "why"),
            tuple(KeptOpening.read(one) for one in answer["openings"]),
            answer["whole"],
            answer.get("undecided", False),
            answer["base"],
            parse_measured(answer["measured"]),
            {name: Target(**one) for name, one in answer["wanted"].items()},
            answer.get("least_g"),
        )


@dataclass(frozen=True, slots=True)
class KeptMember:
    """One frame of a set, as it was read then, with its recipe."""

    frame: int
    name: str
    is_ok: bool
    measured: Measured
    recipe: KeptRecipe


@dataclass(frozen=True, slots=True)
class KeptWithout:
    """The set without the frames that cannot follow."""

    left_out: tuple[str, ...]
    frames: tuple[int, ...]
    is_ok: bool
    is_undecided: bool
    added_g: float


@dataclass(frozen=True, slots=True)
class KeptSharper:
    """A figure worth reading better in every frame, to one standard uncertainty of ``u``."""

    figure: str
    u: float
    chance: float


@dataclass(frozen=True, slots=True)
class KeptMatch:
    """What a set came to. ``is_undecided`` where it is not known that not all
    can reach one target. ``wanted`` is the common target; ``others`` are further targets that all
    can reach (``least-mass`` or ``frame:`` and a key), with their grams; ``openings`` what would
    let all meet; ``chance`` that all end inside together, ``sharper`` the figure to read better for
    it, ``also`` what was brought in that nobody chose."""

    status: str
    wanted: Mapping[str, Target]
    axis_mm: float
    members: tuple[KeptMember, ...]
    why: str
    added_g: float
    is_whole: bool
    is_undecided: bool
    without: KeptWithout | None = None
    others: tuple[tuple[str, str, float], ...] = field(default=())
    openings: tuple[KeptOpening, ...] = field(default=())
    judged: str = "distance"
    lighter_g: float | None = None
    """By how many grams in all another target might be lighter, where that is known."""
    chance: float | None = None
    sharper: KeptSharper | None = None
    also: tuple[str, ...] = ()

    @property
    def frames(self) -> set[int]:
        return {one.frame for one in self.members}

    @property
    def percent(self) -> int | None:
        """The chance that all end inside together; None where it was not told."""
        return None if self.chance is None else round(100 * self.chance)

    @property
    def is_likely(self) -> bool:
        """Whether it is to be said that they can be matched."""
        return self.chance is None or self.chance >= LIKELY

    @classmethod
    def read(cls, answer: Mapping[str, Any]) -> KeptMatch | None:
        """None where nothing was found yet."""
        if not answer.get("frames"):
            return None
        keys, about = answer["keys"], answer["target"]
        axis = about["axis_mm"]
        without = answer.get("without")
        return cls(
            answer["status"],
            {
                name: Target(value=about[name], tol=tol, axis_mm=axis)
                for name, tol in answer["tolerances"].items()
            },
            axis,
            tuple(
                KeptMember(
                    keys[one["name"]],
                    one["name"],
                    one["status"] == "ok",
                    parse_measured(answer["measured"][str(keys[one["name"]])]),
                    KeptRecipe.read(one),
                )
                for one in answer["frames"]
            ),
            _said(answer, "why"),
            answer["added_g"],
            answer["whole"],
            answer.get("undecided", False),
            KeptWithout(
                tuple(without["left_out"]),
                tuple(keys[name] for name in without["left_out"]),
                without["status"] == "ok",
                without.get("undecided", False),
                without["added_g"],
            )
            if without
            else None,
            tuple(
                (_target(one["target"], keys), one["target"].removeprefix("frame:"), one["added_g"])
                for one in sorted(answer.get("others", []), key=lambda one: one["added_g"])
            ),
            tuple(KeptOpening.read(one) for one in answer.get("openings", [])),
            answer.get("judged", "distance"),
            _lighter(answer),
            answer.get("chance"),
            KeptSharper(**answer["sharper"]) if answer.get("sharper") else None,
            tuple(answer.get("also", ())),
        )


def _lighter(answer: Mapping[str, Any]) -> float | None:
    if answer.get("bound_g") is None:
        return None
    moved = sum(abs(piece["mass_g"]) for one in answer["frames"] for piece in one["pieces"])
    return max(float(moved - answer["bound_g"]), 0.0)


def _target(target: str, keys: Mapping[str, int]) -> str:
    name = target.removeprefix("frame:")
    return f"frame:{keys[name]}" if target.startswith("frame:") and name in keys else target
