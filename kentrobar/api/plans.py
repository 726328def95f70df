"""Plans and what they come to, for programs."""

from __future__ import annotations

from typing import Annotated, Any

from django.db import transaction
from django.http import HttpRequest
from ninja import Body, Query, Router, Status

from kentrobar.core.errors import DocumentError
from kentrobar.core.io.plans import dump_plan, parse_piece, plan_of, prediction_document
from kentrobar.core.io.readings import measurement_document
from kentrobar.frames.models import Frame
from kentrobar.plans import desk, edits
from kentrobar.plans.models import Plan
from kentrobar.stock import shelf

from .doors import ApiError, may_write, once
from .frames import Limit, Offset
from .shapes import (
    MOST_KEY,
    Key,
    Measurement,
    PiecesIn,
    PlanDocument,
    PlanIn,
    PlanOut,
    PlansOut,
    Prediction,
    Problem,
    ReadingDocument,
)  # fmt: skip

plans = Router(tags=["plans"])
computation = Router(tags=["computation"])


@plans.get("/plans", response={200: PlansOut, 422: Problem})
def list_plans(
    request: HttpRequest,
    frame: Annotated[int | None, Query(ge=1, le=MOST_KEY)] = None,
    offset: Offset = 0,
    limit: Limit = 50,
) -> Any:
    """Plans, the newest change first; of one frame where it is named."""
    found = Plan.live.all() if frame is None else Plan.live.filter(frame=frame)
    return {
        "count": found.count(), "items": [_head(one) for one in found[offset : offset + limit]]
    }  # fmt: skip


@plans.post(
    "/frames/{key}/plans",
    response={201: PlanOut, 200: PlanOut, 404: Problem, 409: Problem, 422: Problem},
)
def make_plan(request: HttpRequest, key: Key, body: PlanIn) -> Any:
    """A plan of a ``kentrobar-plan/1`` document, whose outline must be the frame's."""
    may_write(request)
    frame = Frame.live.filter(pk=key).first()
    if frame is None:
        raise ApiError(404, "no such frame")
    document = plan_of(body.document)
    try:
        plan, is_new = once(
            request, lambda: desk.from_document(document, frame, body.name, request.user)
        )
    except edits.EditError as refused:
        raise ApiError(422, str(refused), "document") from None
    return Status(201 if is_new else 200, _plan(plan))


@plans.get("/plans/{key}", response={200: PlanOut, 404: Problem, 422: Problem})
def one_plan(request: HttpRequest, key: Key) -> Any:
    return _plan(_found(key))


@plans.put("/plans/{key}/pieces", response={200: PlanOut, 404: Problem, 409: Problem, 422: Problem})
def put_pieces(request: HttpRequest, key: Key, body: PiecesIn) -> Any:
    """All pieces at once; a step that can be undone. Refused (409) where the plan is newer than the
    version that was read."""
    may_write(request)
    pieces = tuple(_piece(i, one) for i, one in enumerate(body.pieces))
    with transaction.atomic():
        plan = Plan.live.select_for_update(of=("self",)).filter(pk=key).first()
        if plan is None:
            raise ApiError(404, "no such plan")
        if plan.version != body.version:
            raise ApiError(409, f"the plan is at version {plan.version}: read it again", "version")
        try:
            desk.change(
                key, body.version, lambda state, outline: edits.replace_pieces(
                    state, outline, pieces
                ), request.user,
            )  # fmt: skip
        except edits.EditError as refused:
            raise ApiError(422, str(refused), "pieces") from None
    return _plan(_found(key))


@plans.get("/plans/{key}/prediction", response={200: Prediction, 404: Problem, 422: Problem})
def prediction(request: HttpRequest, key: Key) -> Any:
    """What a plan comes to, as a ``kentrobar-prediction/1`` document."""
    plan = _found(key)
    return prediction_document(plan.to_plan(shelf.rolls(plan.state().tapes)))


@computation.post("/predictions", response={200: Prediction, 422: Problem})
def predict(request: HttpRequest, body: Annotated[PlanDocument, Body()]) -> Any:
    """What a ``kentrobar-plan/1`` document comes to. Nothing is kept."""
    return prediction_document(plan_of(body))


@computation.post("/measurements", response={200: Measurement, 422: Problem})
def reduce(request: HttpRequest, body: Annotated[ReadingDocument, Body()]) -> Any:
    """What a ``kentrobar-reading/1`` document comes to. Nothing is kept."""
    return measurement_document(body)


def _found(key: int) -> Plan:
    plan = Plan.live.select_related("frame").filter(pk=key).first()
    if plan is None:
        raise ApiError(404, "no such plan")
    return plan


def _piece(i: int, value: Any) -> Any:
    try:
        return parse_piece(value)
    except DocumentError as fault:
        path = f"pieces[{i}].{fault.path}".rstrip(".")
        raise ApiError(422, str(fault.reason), path) from None


def _head(plan: Plan) -> dict[str, Any]:
    names = ("name", "version", "changed_at")
    return {name: getattr(plan, name) for name in names} | {"id": plan.pk, "frame": plan.frame_id}


def _plan(plan: Plan) -> dict[str, Any]:
    document = dump_plan(plan.to_plan(shelf.rolls(plan.state().tapes)))
    return _head(plan) | {"document": document}
