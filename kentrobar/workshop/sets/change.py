"""One change laid on every frame of a set: what is done to one is done to all."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.contrib import messages
from django.db import transaction
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from kentrobar.core.pieces.piece import Piece
from kentrobar.plans import desk, edits
from kentrobar.plans.state import with_ids
from kentrobar.recipes import sets
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.models import Match
from kentrobar.recipes.sets import MatchFrame, limited_by_set
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .band import is_fitted
from .forms import ChangeForm
from .page import asked_of, page, set_at
from .rows import is_current, plan_of


@require_POST
@stored_once
def lay_on_all(request: Request, pk: int) -> HttpResponse:
    """Put the same on every frame that does not stay as it is: on its plan, or a new one; all or
    none."""
    match = set_at(pk)
    frames = match.at_hand()
    if not frames:
        return redirect(match)
    asked = asked_of(match, frames)
    form = ChangeForm(frames, asked, request.POST)
    if not form.is_valid():
        return page(request, match, frames, change=form)
    key = form.cleaned_data["site"]
    done, without = [], []
    with transaction.atomic():
        for one in sets.readied(frames, asked.condition):
            if asked.stays(one.frame.pk):
                continue
            site = (
                limited_by_set(Limited.of(one.frame), asked)
                .sites(one.frame.outline(), asked.condition, asked.places)
                .get(key)
            )
            if site is None or not one.figures.is_complete:
                without.append(one.name)
                continue
            _lay(match, one, form.pieces_at(site), request.user)
            done.append(one.name)
    told = f"Put on {len(done)} frames: {', '.join(done)}."
    if without:
        told += f" Not on {', '.join(without)}: no such place, or not measured."
    messages.success(request, told, extra_tags="change-laid")
    return redirect(match)


def _lay(match: Match, one: MatchFrame, pieces: tuple[Piece, ...], user: Any) -> None:
    plan, _ = plan_of(match, one.frame)
    is_own = plan is not None and plan.state().of_set == match.pk
    if plan is not None and is_own and is_current(match, plan) and not is_fitted(plan):
        desk.change(
            plan.pk, plan.version,
            lambda state, outline: edits.replace_pieces(
                state, outline, with_ids((*state.pieces, *pieces)), "The same on the whole set"
            ), user,
        )  # fmt: skip
        return
    found = match.found
    members = {member.frame: member for member in found.members} if found else {}
    state = desk.state_from(one.frame, one.figures)
    if found and one.frame.pk in members and not is_fitted(plan):
        on = sets.pieces_of(members[one.frame.pk])
        state = replace(state, pieces=on, targets=sets.common_targets(found))
    state = replace(state, pieces=with_ids((*state.pieces, *pieces)), of_set=match.pk)
    desk.create(one.frame, match.name, state, "The same on the whole set", user)
