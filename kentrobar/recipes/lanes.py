"""What the Match page shows of an answer: a lane a frame, how far the set is apart, who is left
out."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from kentrobar.core.frame.predict import LadenFrame, Prediction, predict
from kentrobar.core.io.plans import parse_measured
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, plain_figures
from kentrobar.core.recipes.brief import Wanted, plain_body
from kentrobar.core.recipes.feel import Noticed
from kentrobar.core.units import Shown
from kentrobar.frames.models import Frame
from kentrobar.plans.board import figure_text, share_text

from . import shown as showing
from .shown import PieceLine, TargetVial


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


def lanes(
    answer: Mapping[str, Any], frames: Mapping[int, Frame], chased: str, shown: Shown
) -> list[LaneOf]:
    """A lane for every frame of an answer that is still there."""
    about = answer["target"]
    wanted = {
        name: Wanted(value=about[name], tol=tol, axis_mm=about["axis_mm"])
        for name, tol in answer["tolerances"].items()
    }
    found = []
    for one in answer["frames"]:
        pk = answer["keys"][one["name"]]
        frame = frames.get(pk)
        if frame is None:
            continue
        outline = frame.outline()
        measured = parse_measured(answer["measured"][str(pk)])
        prediction = predict(
            LadenFrame(frame=outline, measured=measured, pieces=showing.pieces_of(one))
        )
        pieces = showing.prediction_pieces(prediction)
        found.append(
            LaneOf(
                frame=frame,
                name=one["name"],
                prediction=prediction,
                vials=showing.vials(one, wanted, outline, shown, prediction.before),
                lines=[showing.line(i, piece, outline, shown) for i, piece in enumerate(pieces, 1)],
                added=share_text("mass_g", one["added_g"], shown),
                is_ok=one["status"] == "ok",
                chance=round(100 * one["chance"]),
                is_chased=chased == f"frame:{pk}",
            )
        )
    return found


def apart(
    answer: Mapping[str, Any], found: list[LaneOf], noticed: Noticed, shown: Shown
) -> list[Apart]:
    """The spread of every figure all frames have, matched or not, with what a player would
    notice."""
    axis = answer["target"]["axis_mm"]
    names = ["mass_g", "balance_mm", "swing_kgcm2", "recoil_kgcm2"]
    measured = [parse_measured(answer["measured"][str(one.frame.pk)]) for one in found]
    if all(one.twist_kgcm2 is not None for one in measured):
        names.insert(3, "twist_kgcm2")
    rows = []
    for name in names:
        was, now = (
            _spread([plain_figures(body, axis)[name] for body in bodies])
            for bodies in (
                [plain_body(one) for one in measured],
                [lane.prediction.after for lane in found],
            )
        )
        word = noticed.word(now) if name == "swing_kgcm2" else ""
        unit = FIGURES[name].unit
        if name == "mass_g":
            unit = shown.mass
        elif name == "balance_mm":
            unit = "pt" if shown.balance == "pt" else shown.length
        before, after = (share_text(name, value, shown).lstrip("+−") for value in (was, now))
        rows.append(Apart(FIGURES[name].label, before, after, unit, word))
    return rows


def _spread(values: list[Any]) -> float:
    plain = [nominal(value) for value in values]
    return max(plain) - min(plain)


def target_words(
    answer: Mapping[str, Any], found: list[LaneOf], shown: Shown
) -> list[tuple[str, str, str, str]]:
    """(figure, label, value with its tolerance, unit) of the common target."""
    words = []
    outline = found[0].frame.outline()
    for name, tol in answer["tolerances"].items():
        value, unit = figure_text(name, answer["target"][name], shown, outline)
        held = (
            f"{tol:g}"
            if name != "mass_g" or shown.mass == "g"
            else share_text(name, tol, shown).lstrip("+")
        )
        words.append((name, FIGURES[name].label, f"{value} ± {held}", unit))
    return words


def others(answer: Mapping[str, Any]) -> list[Other]:
    """What else could be chased, lightest first."""
    keys = {f"frame:{name}": f"frame:{pk}" for name, pk in answer["keys"].items()}
    found = []
    for one in sorted(answer.get("others", []), key=lambda one: one["added_g"]):
        target = one["target"]
        what = "the least mass" if target == "least-mass" else target.removeprefix("frame:")
        found.append(Other(keys.get(target, target), f"{what}: {one['added_g']:.1f} g in total"))
    return found
