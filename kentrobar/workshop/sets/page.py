"""What the Set page shows of a set: its form, its lines, its rows, and how far the search is."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.http import HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render

from kentrobar.core.geometry.kinds import FIRST_KIND
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import mass_text, the_reader
from kentrobar.core.recipes.brief import PartSite, plain_body
from kentrobar.core.words.amounts import apart, change_of
from kentrobar.frames.models import Frame
from kentrobar.recipes import sets
from kentrobar.recipes.asked import parts_of
from kentrobar.recipes.kept import KeptMatch
from kentrobar.recipes.models import Match
from kentrobar.recipes.sets import AskedSet, MatchFrame
from kentrobar.shop.models import Settings
from kentrobar.ui.request import Request

from ..models import Job
from .forms import ChangeForm, SetForm
from .lines import lines
from .rows import AfterBoxes, Row, hang, heads, rows

SHOWN_FRAMES = 60


def set_at(pk: int) -> Match:
    return get_object_or_404(Match.objects.filter(removed_at=None), pk=pk)


def first_asked(frames: list[Frame]) -> AskedSet:
    """What is asked of a new set: the condition most frames were read in."""
    usual = AskedSet.parse({}, frames[0].kind)
    return AskedSet(condition=sets.common_condition(frames), sites=usual.sites)


def asked_of(match: Match, frames: list[Frame]) -> AskedSet:
    if not match.content and frames:
        return first_asked(frames)
    return AskedSet.parse(match.content, frames[0].kind if frames else FIRST_KIND)


def form_of(match: Match, frames: list[Frame], posted: QueryDict | None = None) -> SetForm | None:
    """None for a set whose frames were all deleted."""
    if not frames:
        return None
    asked = asked_of(match, frames)
    found = sets.readied(frames, asked.condition)
    return SetForm(asked, found, _parts(found, asked), posted)


def _parts(found: list[MatchFrame], asked: AskedSet) -> list[PartSite]:
    """Every way to make any of the frames lighter, once a name."""
    by_name = {part.name: part for one in found for part in parts_of(one.frame, asked.condition)}
    return sorted(by_name.values(), key=lambda part: part.last_resort)


STIFFNESS_FELT, ROOM_G = 3.0, 1.0
"""RA by which two rackets are felt to differ, and grams by which one leaves room: our own guess."""


def page(
    request: Request, match: Match, frames: list[Frame], form: SetForm | None = None,
    fault: str = "", after: dict[int, AfterBoxes] | None = None, change: ChangeForm | None = None,
) -> HttpResponse:  # fmt: skip
    """The whole page. ``form``, ``after``: as they were posted, with their faults."""
    is_refused = bool(fault or after or change or (form and form.errors))
    kind = frames[0].kind if frames else None
    here = [frame.pk for frame in frames]
    beside = list(Frame.live.filter(kind=kind).exclude(pk__in=here)[:200]) if frames else []
    models = {frame.model for frame in frames}
    beside.sort(key=lambda frame: (frame.model not in models, str(frame)))
    context = {
        "form": form or form_of(match, frames),
        "kind": kind,
        "others": beside[:SHOWN_FRAMES],
        "fault": fault,
        "is_refused": bool(after),
        "change": change or (ChangeForm(frames, asked_of(match, frames)) if frames else None),
        "job": job_of(frames),
    } | answer(match, frames, after)
    template = "workshop/set/_set.html" if request.htmx else "workshop/set/page.html"
    return render(request, template, context, status=422 if is_refused else 200)


def answer(
    match: Match, frames: list[Frame], after: dict[int, AfterBoxes] | None = None
) -> dict[str, Any]:
    """The lines and rows as they stand, and what was found, or how far the search is."""
    found = match.found
    context: dict[str, Any] = {"match": match, "frames": frames, "found": found}
    if not frames:
        return context
    asked = asked_of(match, frames)
    axis = found.axis_mm if found else the_reader().axis_mm(frames[0].kind)
    made = rows(match, frames, asked, axis)
    begun = any(row.stage == "fitted" for row in made)
    for row in made:
        if begun and not row.is_left and (row.stage == "fitted" or row.is_right):
            row.form = (after or {}).get(row.frame.pk) or AfterBoxes(
                frame=row.frame, condition=row.condition
            )
    names = heads(asked, found)
    for row in made:
        row.show(names)
    return context | {
        "rows": made,
        "lines": lines(made, asked, found, Settings.load().noticed()),
        "heads": [(name, FIGURES[name].title, change_of(name, 0.0).unit) for name in names],
        "predictions": hang(made),
        "length_mm": max(frame.length_mm for frame in frames),
        "axis": axis,
        "can_plan": any(row.stage == "recipe" and not asked.stays(row.frame.pk) for row in made),
        "is_read_after": begun,
        "is_old": found is not None and is_old(found, frames, asked),
        "alternatives": _alternatives(found) if found else [],
        "sharper": _sharper(found) if found else "",
        "order": order(made),
        "notes": list(notes(frames, made)),
    }  # fmt: skip


def notes(frames: list[Frame], made: list[Row]) -> Iterator[str]:
    """What to know before a match is promised: what no mass makes alike, and the better base."""
    stiff = sorted(frame.stiffness for frame in frames if frame.stiffness)
    patterns = dict.fromkeys(frame.string_pattern for frame in frames if frame.string_pattern)
    unlike = []
    if stiff and stiff[-1] - stiff[0] > STIFFNESS_FELT:
        unlike.append(f"stiffness {stiff[0]:g}–{stiff[-1]:g} RA")
    if len(patterns) > 1:
        unlike.append(f"patterns {' and '.join(patterns)}")
    if unlike:
        yield f"They will not feel alike, however they are matched: {', '.join(unlike)}."
    masses = {row.name: row.before["mass_g"] for row in made if "mass_g" in row.before}
    if len(masses) > 1 and (room := max(masses.values()) - min(masses.values())) > ROOM_G:
        lightest = min(masses, key=lambda name: masses[name])
        yield (f"{lightest} is the better base: the lightest, it leaves {mass_text(room)} of room.")


def _alternatives(found: KeptMatch) -> list[tuple[str, str]]:
    """(target, words) of what else could be followed, lightest first."""
    told = {"least-mass": "the least mass"}
    return [
        (key, f"{told.get(key, name)}: about {mass_text(grams)}")
        for key, name, grams in found.others
    ]


def _sharper(found: KeptMatch) -> str:
    """The reading that would raise the chance most: `weigh to 0.1 g: 71 %`."""
    best = found.sharper
    if best is None:
        return ""
    to = apart(best.figure, 2 * best.u)
    how = "weigh" if best.figure == "mass_g" else f"read {FIGURES[best.figure].label}"
    return f"{how} to {to}: {100 * best.chance:.0f} %"


def order(made: list[Row]) -> list[tuple[str, list[str]]]:
    """(what to do, frames in the order to do it) of those something is done to: the light ones are
    raised first, then it is seen what is left to take off."""
    by_mass = sorted(made, key=lambda row: row.before.get("mass_g", 0.0))
    todo = [row for row in by_mass if row.pieces and row.stage != "fitted"]
    raised = [row.name for row in todo if any(one.mass_g > 0 for one in row.pieces)]
    lowered = [row.name for row in reversed(todo) if row.name not in raised]
    return [(verb, names) for verb, names in (("raise", raised), ("lower", lowered)) if names]


def job_of(frames: list[Frame]) -> Job | None:
    """The newest job all frames of a set are in, of one customer."""
    jobs = Job.live.select_related("person").order_by("-taken_in_at")
    for frame in frames:
        jobs = jobs.filter(taken_in__frame=frame)
    return jobs.first() if frames else None


def is_old(found: KeptMatch, frames: list[Frame], asked: AskedSet) -> bool:
    """Whether a frame was read anew, or frames came and went, since the set was searched."""
    by_key = {one.frame: one for one in found.members}
    if by_key.keys() != {frame.pk for frame in frames}:
        return True
    for frame in frames:
        now = plain_body(sets.now_of(frame, frame.figures_in(asked.condition)).measured)
        then = plain_body(by_key[frame.pk].measured)
        if (
            abs(nominal(now.moment) - nominal(then.moment)) > 1e-3
            or abs(nominal(now.second) - nominal(then.second)) > 1
        ):
            return True
    return False
