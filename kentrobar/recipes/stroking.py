"""Strokes as pages show them: where each hits best, what a change is worth, and what is model."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kentrobar.core.geometry.kinds import Stroke
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.pieces.body import Body
from kentrobar.core.reader import fixed, length_number, the_reader
from kentrobar.core.recipes.strokes import (
    OF_STYLE,
    StrokeChange,
    Worth,
    best_hit,
    stroke_change,
    worth,
)
from kentrobar.frames.models import Frame
from kentrobar.plans.comparison import Compared
from kentrobar.shop.models import Settings
from kentrobar.ui.request import Request

from .models import Wear

Marks = Sequence[tuple[float, float]]
TOLD = 0.05
"""km/h below which a gain is told as none."""


@dataclass(frozen=True, slots=True)
class StrokeRow:
    """A stroke on the Feel page: the best point and how fast the ball leaves there, and what a plan
    is worth ('' where none is looked at)."""

    key: str
    label: str
    best: str
    kmh: str
    best_after: str
    kmh_after: str
    moved: str
    gain: str
    later: str
    is_own: bool


@dataclass(frozen=True, slots=True)
class Striking:
    """How and where a frame is played: the strokes' figures, the stroke its player lives by, and
    the marks the balls left on its face, which every page computes with alike."""

    settings: Settings
    own: str
    marks: tuple[tuple[float, float], ...] = ()

    @classmethod
    def of(cls, frame: Frame, twist_known: bool, style: str | None = None) -> Striking:
        """Of a frame whose twist weight is known or not: without it only the centre line can be
        computed with."""
        settings = Settings.load()
        own = own_stroke(frame, OF_STYLE.get(style or "", ""), settings.strokes_of(frame.kind))
        wear = Wear.objects.filter(frame=frame).first()
        marks = tuple((x, y if twist_known else 0.0) for x, y in wear.marks) if wear else ()
        return cls(settings, own.key, marks)


def own_stroke(frame: Frame, asked: str, strokes: Sequence[Stroke]) -> Stroke:
    """The stroke a page leads with: the one asked for, else the one the player lives by."""
    style = frame.player.style if frame.player else ""
    wanted = asked if any(one.key == asked for one in strokes) else OF_STYLE.get(style)
    key = wanted or "groundstroke"
    return next(one for one in strokes if one.key == key)


def stroke_rows(
    before: Body,
    after: Body | None,
    outline: Outline,
    axis_mm: float,
    settings: Settings,
    own: Stroke,
    marks: Marks,
) -> list[StrokeRow]:
    """Every stroke, the player's own first."""
    bounce, law = settings.bounce(outline.kind), settings.law()
    strokes = settings.strokes_of(outline.kind)

    def row(stroke: Stroke) -> StrokeRow:
        if after is None:
            best = best_hit(before, outline, stroke, bounce)
            told = ("", "", "", "", "")
        else:
            change = stroke_change(before, after, outline, stroke, axis_mm, law, bounce, marks)
            best, told = change.before, _changed(change)
        return StrokeRow(
            stroke.key, stroke.label, length_number(best.x_mm), fixed(best.kmh, 1),
            *told, stroke.key == own.key,
        )  # fmt: skip

    return sorted((row(one) for one in strokes), key=lambda one: not one.is_own)


def _changed(change: StrokeChange) -> tuple[str, str, str, str, str]:
    """(best point after, speed there, how far it moved, gain, later)."""
    moved = change.after.x_mm - change.before.x_mm
    return (
        length_number(change.after.x_mm),
        fixed(change.after.kmh, 1),
        ("+" if moved > 0 else "") + length_number(moved),
        f"{gain_text(change.worth)} km/h",
        later_text(change.worth),
    )


def gain_text(told: Worth) -> str:
    """``+1.1 ± 0.6``; without a band where the law leaves none open."""
    band = f" ± {fixed(told.band_kmh, 1)}" if told.band_kmh >= TOLD else ""
    return f"{fixed(told.gain_kmh, 1, True)}{band}"


def later_text(told: Worth) -> str:
    """``0.8 ± 0.3 % later``, ``0.5 ± 0.2 % sooner``, ``0.1 % later`` or ``as soon``."""
    if abs(told.later) < 0.0005:
        return "as soon"
    word = "later" if told.later > 0 else "sooner"
    band = f" ± {fixed(100 * told.later_band, 1)}" if told.later_band >= 0.0005 else ""
    return f"{fixed(100 * abs(told.later), 1)}{band} % {word}"


def change_words(
    before: Body, after: Body, outline: Outline, axis_mm: float, played: Striking
) -> str:
    """What a change is worth where the player hits, else at the best point as it was, in a line:
    `serve +1.1 ± 0.6 km/h, volley +0.2 ± 0.1; 0.8 ± 0.3 % later`. Strokes that gain or lose nothing
    are left out, the player's own stands first."""
    settings, own = played.settings, played.own
    bounce, law = settings.bounce(outline.kind), settings.law()
    found: list[tuple[Stroke, Worth]] = []
    for stroke in settings.strokes_of(outline.kind):
        hit = played.marks or ((best_hit(before, outline, stroke, bounce).x_mm, 0.0),)
        told = worth(before, after, outline.kind, stroke, axis_mm, hit, law, bounce)
        found.append((stroke, told))
    found.sort(key=lambda one: (one[0].key != own, -abs(one[1].gain_kmh)))
    said = [
        f"{stroke.label} {gain_text(told)}"
        for stroke, told in found
        if abs(told.gain_kmh) >= TOLD or told.band_kmh >= TOLD
    ]
    swung = next(told for stroke, told in found if stroke.turn)
    if not said:
        return f"no stroke gains or loses; {later_text(swung)}"
    where = " where you hit" if played.marks else ""
    return f"{', '.join(said)} km/h{where}; {later_text(swung)}"


def of_compared(request: Request, compared: Compared) -> dict[str, list[str]]:
    """What each of the plans that are compared is worth in the strokes, from its frame as it was
    measured."""
    strokes = []
    for plan, prediction in zip(compared.plans, compared.predictions, strict=True):
        frame, before, after = plan.frame, prediction.before.plain, prediction.after.plain
        axis = the_reader().axis_mm(frame.kind)
        played = Striking.of(frame, before.twist > 0)
        strokes.append(change_words(before, after, frame.outline(), axis, played))
    return {"strokes": strokes}
