"""What the Match page shows of an answer: a lane a frame, how far the set is apart, who is left
out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kentrobar.core.frame.predict import LadenFrame, Measured, Prediction, predict
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, NEEDED, plain_figures
from kentrobar.core.reader import mass_text
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.recipes.feel import Noticed
from kentrobar.core.words.amounts import Amount, change_of, gap
from kentrobar.frames.models import Frame

from . import shown as showing
from .kept import KeptMatch, KeptMember
from .shown import FreeFigure, PieceLine, TargetVial


@dataclass(frozen=True, slots=True)
class LaneOf:
    """One frame of the set, with its recipe."""

    frame: Frame
    name: str
    prediction: Prediction
    vials: list[TargetVial]
    lines: list[PieceLine]
    added: str
    is_ok: bool
    chance: int
    is_chased: bool
    free: list[FreeFigure]


@dataclass(frozen=True, slots=True)
class Apart:
    """How far the frames differ in one figure, before and after."""

    label: str
    before: str
    after: str
    unit: str
    word: str


@dataclass(frozen=True, slots=True)
class Other:
    """Another target every frame can reach."""

    key: str
    text: str


def lanes(found: KeptMatch, frames: Mapping[int, Frame], chased: str) -> list[LaneOf]:
    """A lane for every frame of an answer that is still there."""
    return [
        _lane(one, frames[one.frame], found, chased) for one in found.members if one.frame in frames
    ]


def _lane(one: KeptMember, frame: Frame, found: KeptMatch, chased: str) -> LaneOf:
    outline, recipe = frame.outline(), one.recipe
    prediction = predict(LadenFrame(frame=outline, measured=one.measured, pieces=recipe.pieces))
    return LaneOf(
        frame=frame,
        name=one.name,
        prediction=prediction,
        vials=showing.vials(recipe, found.wanted, outline, prediction.before, found.axis_mm),
        lines=[showing.line(i, piece, outline) for i, piece in enumerate(recipe.pieces, 1)],
        added=change_of("mass_g", recipe.added_g).number(),
        is_ok=one.is_ok,
        chance=round(100 * recipe.chance),
        is_chased=chased == f"frame:{one.frame}",
        free=showing.free(found.wanted, prediction, outline, found.axis_mm, _unread(one.measured)),
    )


def apart(answer: KeptMatch, found: list[LaneOf], noticed: Noticed) -> list[Apart]:
    """The spread of every figure all frames have, matched or not, with what a player would
    notice."""
    axis = answer.axis_mm
    names = ["mass_g", "balance_mm", "swing_kgcm2", "recoil_kgcm2"]
    still = {lane.frame.pk for lane in found}
    measured = [one.measured for one in answer.members if one.frame in still]
    if all(one.twist_kgcm2 is not None for one in measured):
        names.insert(3, "twist_kgcm2")
    # What nobody read of one of them is no difference.
    unread = {name for one in measured for name in _unread(one)}
    names = [name for name in names if name not in unread]
    rows = []
    for name in names:
        was, now = (
            _spread([plain_figures(body, axis)[name] for body in bodies])
            for bodies in (
                [plain_body(one) for one in measured],
                [lane.prediction.after for lane in found],
            )
        )
        word = str(noticed.by(now)) if name == "swing_kgcm2" else ""
        before, after = (change_of(name, value).number().lstrip("+−") for value in (was, now))
        rows.append(Apart(FIGURES[name].label, before, after, change_of(name, 0.0).unit, word))
    return rows


def _unread(measured: Measured) -> set[str]:
    """Figures of a frame that nobody read, and what is computed of them."""
    assumed = set(measured.assumed)
    return assumed | ({"recoil_kgcm2"} if assumed & set(NEEDED) else set())


def _spread(values: list[Any]) -> float:
    plain = [nominal(value) for value in values]
    return max(plain) - min(plain)


def target_words(answer: KeptMatch, found: list[LaneOf]) -> list[tuple[str, str, str, str]]:
    """(figure, label, value with its tolerance or how far apart, unit) of the common target."""
    words = []
    outline = found[0].frame.outline()
    for name, one in answer.wanted.items():
        value, unit = Amount(name, one.value, length_mm=outline.length_mm).parts
        if answer.judged == "spread":
            text = f"about {value}, within {gap(name, 2 * one.tol)}"
        else:
            text = f"{value} ± {gap(name, one.tol)}"
        words.append((name, FIGURES[name].label, text, unit))
    return words


def others(answer: KeptMatch) -> list[Other]:
    """What else could be chased, lightest first."""
    told = {"least-mass": "the least mass"}
    return [
        Other(key, f"{told.get(key, name)}: at most {mass_text(grams)}")
        for key, name, grams in answer.others
    ]
