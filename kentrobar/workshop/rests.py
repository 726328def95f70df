"""What is left after a trial: searched for beside the page, kept, and made a plan of as it was
shown."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.targets import Targets
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_piece, parse_piece
from kentrobar.core.numbers import ufloat
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import FIGURES, NEEDED
from kentrobar.core.reader import length_text, the_reader
from kentrobar.core.recipes.brief import Brief, Goals, RecipeMaterial, Site, StripSite, Tape
from kentrobar.core.recipes.rest import is_at, lengthens, rest
from kentrobar.core.recipes.solve import Watch
from kentrobar.core.words.amounts import change_of
from kentrobar.frames.fitted import fittings
from kentrobar.plans.models import Plan
from kentrobar.recipes import asked as asking
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.sets import limited_by_set, set_of_plan
from kentrobar.recipes.shown import PieceLine, line
from kentrobar.shop.models import Settings
from kentrobar.ui import background

from .models import RestSearch, Trial
from .sets.band import targets_of

FURTHER = 1.5
"""Tape that lies already may grow to so many times a site's usual length."""


@dataclass(frozen=True, slots=True)
class SavedCorrection:
    """What the search came to; see ``core.recipes.rest.Rest``."""

    why: str
    chance_now: float
    chance_then: float
    is_enough: bool
    pieces: tuple[Piece, ...]

    @classmethod
    def read(cls, answer: Mapping[str, Any]) -> SavedCorrection | None:
        if not answer:
            return None
        return cls(
            answer["why"],
            answer["chance_now"],
            answer["chance_then"],
            answer["is_enough"],
            tuple(parse_piece(piece) for piece in answer["pieces"]),
        )


@dataclass(frozen=True, slots=True)
class Left:
    """What is left of a trial as far as it is known: the search, what it found, and whether the
    plan or the workshop changed since."""

    search: RestSearch | None
    found: SavedCorrection | None
    is_old: bool


def left_of(plan: Plan, trial: Trial) -> Left | None:
    """None where there is nothing to look for: no targets, or no whole reading."""
    brief = brief_of(plan, trial)
    if brief is None:
        return None
    search = RestSearch.objects.filter(trial=trial).first()
    is_old = search is None or search.content.get("brief") != _digest(brief)
    return Left(
        search, SavedCorrection.read(search.answer) if search and not is_old else None, is_old
    )


def begin(plan: Plan, trial: Trial) -> None:
    """Look for the rest of a trial, beside the page."""
    brief = brief_of(plan, trial)
    if brief is None:
        return
    row, _ = RestSearch.objects.update_or_create(
        trial=trial, defaults={"content": {"brief": _digest(brief)}}
    )
    background.start(row, look_for)


@background.work("rest", RestSearch)
def look_for(row: RestSearch) -> background.Prepared:
    asked = brief_of(row.trial.plan, row.trial)
    if asked is None:
        raise RestSearch.DoesNotExist  # the plan or its readings changed: nobody asks any more
    few = Settings.load().few
    unnoticed = {"swing_kgcm2": few, "recoil_kgcm2": few}

    def search(watch: Watch) -> dict[str, Any]:
        left = rest(replace(asked, spare_sites=()), unnoticed, watch)
        if left.answer.status != "ok" and asked.spare_sites:
            everywhere = replace(asked, sites=asked.sites + asked.spare_sites, spare_sites=())
            left = rest(everywhere, unnoticed, watch)
        recipes = left.answer.recipes
        return {
            "why": str(left.why),
            "chance_now": left.chance_now,
            "chance_then": left.chance_then,
            "is_enough": left.is_enough,
            "pieces": [dump_piece(piece) for piece in recipes[0].pieces] if recipes else [],
        }

    # What was found on the way is no advice: it is shown when it is whole.
    return search, background.nothing_yet


def is_asked(plan: Plan, trial: Trial) -> bool:
    """Whether the plan wants anything, and enough was read to say how far it is."""
    return plan.state().targets != Targets() and set(NEEDED) <= set(trial.read)


def brief_of(plan: Plan, trial: Trial) -> Brief | None:
    """The wish for what is left towards the plan's targets, from what was read, with the plan's own
    materials."""
    state = plan.state()
    if not is_asked(plan, trial):
        return None
    measured = _as_measured(trial)
    settings = Settings.load()
    goals = {
        name: goal for name, goal in targets_of(plan).items()
        # A change is from the frame as it was, which this reading is not.
        if goal.value is not None and (name != "twist_kgcm2" or measured.twist_kgcm2 is not None)
    }  # fmt: skip
    # What else is on the frame for good; a plan made on top of another has the other's pieces
    # itself.
    own = (plan.pk, *state.carries)
    others = [one for one in fittings(plan.frame) if one.plan not in own and one.off_at is None]
    lie = tuple(piece for one in others for piece in one.pieces)
    outline = plan.frame.outline()
    used, unused = _sites(plan, put_on(trial), outline)
    brief = Brief(
        frame=outline,
        measured=measured,
        targets=Goals(**goals),
        materials=_materials(put_on(trial), settings),
        sites=used or unused,
        spare_sites=unused if used else (),
        fitted=put_on(trial) + lie,
        weights=settings.weights(),
    )
    return None if any(True for _ in brief.faults()) else brief


def _sites(
    plan: Plan, pieces: tuple[Piece, ...], outline: Outline
) -> tuple[tuple[Site, ...], tuple[Site, ...]]:
    """(where the plan put something, elsewhere): what lies there already is made longer before
    anything is laid elsewhere, and further than usual where nobody set a limit."""
    limited = limited_by_set(Limited.of(plan.frame), set_of_plan(plan))
    used: list[Site] = []
    unused: list[Site] = []
    for key, site in limited.sites(outline, plan.state().condition).items():
        if not any(is_at(piece, site) for piece in pieces):
            unused.append(site)
            continue
        wish = limited.site_wishes.get(key)
        if isinstance(site, StripSite) and not (wish and wish.most_mm):
            site = replace(site, max_length_mm=FURTHER * site.max_length_mm)
        used.append(site)
    return tuple(used), tuple(unused)


def _materials(pieces: tuple[Piece, ...], settings: Settings) -> tuple[RecipeMaterial, ...]:
    """What the plan was made with, in no more layers; the first tape and putty of the shelf for
    what it lacks."""
    shelf = asking.materials_of(settings)
    layers: dict[str | None, int] = {}
    for piece in pieces:
        layers[piece.material] = max(layers.get(piece.material, 1), piece.layers or 1)
    chosen: list[RecipeMaterial] = []
    for kind in ("tape", "putty"):
        of_kind = [one for one in shelf if one.kind == kind]
        chosen += [
            replace(one, max_layers=layers[one.name]) if isinstance(one, Tape) else one
            for one in of_kind
            if one.name in layers
        ] or of_kind[:1]
    return tuple(chosen)


def put_on(trial: Trial) -> tuple[Piece, ...]:
    return tuple(parse_piece(one["piece"]) for one in trial.put_on)


def lines(left: SavedCorrection, fitted: tuple[Piece, ...], outline: Outline) -> list[PieceLine]:
    """The rest as a hand does it: tape that meets a strip is told as so much more of that strip."""
    found: list[PieceLine] = []
    ends: dict[int, list[Strip]] = {}
    for piece in left.pieces:
        at = lengthens(piece, fitted, outline)
        if at is None or not isinstance(piece, Strip):
            found.append(line(len(found) + 1, piece, outline))
        else:
            ends.setdefault(at, []).append(piece)
    for at, more in ends.items():
        strip = fitted[at]
        each = length_text(more[0].length_mm)
        where = "to each end" if len(more) > 1 else f"to the end at {more[0].where()}"
        found.append(
            PieceLine(
                len(found) + 1,
                f"Add {each} {where} of {strip.name(outline)}",
                "",
                change_of("mass_g", sum(piece.mass_g for piece in more)).number(),
                the_reader().mass,
                more[0].material or "",
                False,
            )
        )
    return found


def _as_measured(trial: Trial) -> Measured:
    def number(name: str) -> Any:
        value, u = trial.read[name]
        return ufloat(value, max(u or 0.0, FIGURES[name].least_u))

    return Measured(
        mass_g=number("mass_g"),
        balance_mm=number("balance_mm"),
        swing_kgcm2=number("swing_kgcm2"),
        axis_mm=trial.axis_mm,
        twist_kgcm2=number("twist_kgcm2") if "twist_kgcm2" in trial.read else None,
    )


def _digest(brief: Brief) -> str:
    return hashlib.sha256(repr(brief).encode()).hexdigest()


def onto(left: SavedCorrection, trial: Trial) -> tuple[Piece, ...]:
    """What is on, with the rest put on or left out."""
    kept, more = list(put_on(trial)), []
    for piece in left.pieces:
        same = [one for one in kept if piece.mass_g < 0 and abs(one.mass_g + piece.mass_g) < 1e-6]
        if same:
            kept.remove(same[0])
        else:
            more.append(replace(piece, mass_g=round(piece.mass_g, 3)))
    return (*kept, *more)
