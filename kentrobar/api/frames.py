"""Frames and their readings, for programs."""

from __future__ import annotations

from typing import Annotated, Any, cast

from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest
from ninja import Query, Router, Status

from kentrobar.core.errors import DocumentError, UnreadableError
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import AnyFrame, dump_frame
from kentrobar.core.io.recipes import dump_site
from kentrobar.core.io.structure import read
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.frames import fitted
from kentrobar.frames.models import Frame, Person, Reading
from kentrobar.measuring.keeping import DoubtfulReadingError, keep_document
from kentrobar.recipes.limited import Limited
from kentrobar.recipes.places import as_said, sites_of
from kentrobar.ui.moments import done_at
from kentrobar.ui.stale import seen

from .doors import ApiError, may_write, once
from .shapes import (
    FrameChange,
    FrameIn,
    FrameOut,
    FramesOut,
    Key,
    PlaceOut,
    Problem,
    ReadingIn,
    ReadingOut,
    Text60,
)  # fmt: skip

frames = Router(tags=["frames"])
TEXTS = ("maker", "model", "serial", "note", "is_foam")
Offset = Annotated[int, Query(ge=0, le=1_000_000)]
Limit = Annotated[int, Query(ge=1, le=200)]


@frames.get("/frames", response={200: FramesOut, 400: Problem, 422: Problem})
def list_frames(
    request: HttpRequest,
    q: Annotated[str, Query(max_length=60)] = "",
    offset: Offset = 0,
    limit: Limit = 50,
) -> Any:
    """Frames whose model, maker, serial or player holds ``q``."""
    found = Frame.live.named(q.replace("\0", ""))
    some = found.prefetch_related("parts")[offset : offset + limit]
    return {"count": found.count(), "items": [_frame(one) for one in some]}


@frames.post("/frames", response={201: FrameOut, 200: FrameOut, 409: Problem, 422: Problem})
def make_frame(request: HttpRequest, body: FrameIn) -> Any:
    may_write(request)
    outline = _outline(body.outline)

    def make() -> Frame:
        frame = Frame(player=Person.named(body.player))
        for name in TEXTS:
            setattr(frame, name, getattr(body, name))
        frame.set_outline(outline)
        frame.save()
        return frame

    frame, is_new = once(request, make)
    return Status(201 if is_new else 200, _frame(frame))


@frames.get("/frames/{key}", response={200: FrameOut, 404: Problem, 422: Problem})
def one_frame(request: HttpRequest, key: Key) -> Any:
    return _frame(_found(key))


@frames.patch("/frames/{key}", response={200: FrameOut, 404: Problem, 409: Problem, 422: Problem})
def change_frame(request: HttpRequest, key: Key, body: FrameChange) -> Any:
    """Change what is named; refused where somebody changed the frame since it was read."""
    may_write(request)
    with transaction.atomic():
        frame = Frame.objects.select_for_update(of=("self",)).filter(
            pk=key, removed_at=None
        ).first()  # fmt: skip
        if frame is None:
            raise ApiError(404, "no such frame")
        if seen(frame) != body.version:
            raise ApiError(409, "somebody changed this frame since you read it: read it again")
        for name in TEXTS:
            value = getattr(body, name)
            if value is not None:
                setattr(frame, name, value)
        if body.player is not None:
            frame.player = Person.named(body.player)
        if body.outline is not None:
            outline = _outline(body.outline)
            if outline.kind != frame.kind:
                raise ApiError(422, f"this frame is a {frame.kind}", "outline.kind")
            frame.set_outline(outline)
            frame.typed = {}
        frame.save()
    return _frame(_found(key))


@frames.get(
    "/frames/{key}/places", response={200: list[PlaceOut], 404: Problem, 422: Problem}
)  # fmt: skip
def places(request: HttpRequest, key: Key, said: Text60 = "") -> Any:
    """Every place of a frame, usual, the shop's own and as ``said``, as sites of a brief."""
    frame = _found(key)
    outline, access = frame.outline(), Limited.of(frame).access(frame.usual_condition())
    found = sites_of(outline, (), access)
    if said:
        try:
            found |= as_said(said, outline, access)
        except UnreadableError as error:
            raise ApiError(422, str(error), "said") from None
    return [{"key": one, "site": dump_site(site)} for one, site in found.items()]


@frames.get("/frames/{key}/readings", response={200: list[ReadingOut], 404: Problem, 422: Problem})
def readings(request: HttpRequest, key: Key) -> Any:
    """The newest two hundred, newest first."""
    found = _found(key).readings.filter(removed_at=None).select_related("read_by")
    return [_reading(one) for one in found[:200]]


@frames.post(
    "/frames/{key}/readings",
    response={201: list[ReadingOut], 200: list[ReadingOut], 404: Problem, 409: Problem,
              422: Problem},
)  # fmt: skip
def keep_reading(request: HttpRequest, key: Key, body: ReadingIn) -> Any:
    """Every figure a ``kentrobar-reading/1`` document comes to. What is unlikely beside the frame
    is refused (409) unless it is confirmed; what cannot be is refused in any case."""
    may_write(request)
    frame = _found(key)
    if body.condition not in dict(frame.conditions()):
        raise ApiError(422, f"a {frame.kind} is never {body.condition}", "condition")
    try:
        if body.read_at:
            done_at(body.read_at)
    except (ValidationError, OverflowError) as error:
        why = error.messages[0] if isinstance(error, ValidationError) else "out of range"
        raise ApiError(422, why, "read_at") from None

    def make() -> Reading:
        return keep_document(
            frame, body.document, body.condition, body.read_at, request.user, body.confirmed
        )[0]

    try:
        first, is_new = once(request, make)
    except DoubtfulReadingError as doubtful:
        raise ApiError(
            409 if doubtful.can_be_confirmed else 422, str(doubtful), "document"
        ) from None
    except ValidationError as error:
        raise ApiError(422, "; ".join(error.messages)[:300], "document") from None
    kept = first.of_one_measurement().select_related("read_by").order_by("pk")
    return Status(201 if is_new else 200, [_reading(one) for one in kept])


@frames.get("/readings/{key}", response={200: ReadingOut, 404: Problem, 422: Problem})
def one_reading(request: HttpRequest, key: Key) -> Any:
    live = Reading.objects.filter(removed_at=None, frame__removed_at=None)
    found = live.select_related("read_by").filter(pk=key).first()
    if found is None:
        raise ApiError(404, "no such reading")
    return _reading(found)


def _found(key: int) -> Frame:
    frame = Frame.live.filter(pk=key).first()
    if frame is None:
        raise ApiError(404, "no such frame")
    return frame


def _outline(value: Any) -> Outline:
    """An outline that can be. Raises DocumentError."""
    outline = cast(Outline, read(AnyFrame, value, "outline"))
    for name, reason in outline.faults():
        raise DocumentError(f"outline.{name}", reason)
    return outline


def _frame(frame: Frame) -> dict[str, Any]:
    return {
        "id": frame.pk, "version": seen(frame), "maker": frame.maker, "model": frame.model,
        "serial": frame.serial, "player": str(frame.player or ""), "note": frame.note,
        "is_foam": frame.is_foam, "holes_mm": frame.holes_mm,
        "outline": dump_frame(frame.outline()),
        "figures": {
            found.condition: {
                name: {
                    "value": nominal(one.value), "u": uncertainty(one.value),
                    "axis_mm": one.reading.axis_mm, "is_computed": bool(one.computed),
                }
                for name, one in found.found.items()
            }
            for found in (fitted.brought(frame, one) for one in frame.figures())
        },
    }  # fmt: skip


def _reading(one: Reading) -> dict[str, Any]:
    names = ("quantity", "value", "u", "axis_mm", "condition", "method", "read_at")
    return {name: getattr(one, name) for name in names} | {
        "id": one.pk, "read_by": one.read_by.username if one.read_by else "", "document": one.raw,
    }  # fmt: skip
