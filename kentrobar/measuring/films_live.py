"""A camera held at the swing: the page sends small grey pictures with their times, a second's worth
at a time, and is told how it stands; when it is good enough it stops by itself.

A part is little-endian: the count of pictures, their width and height (three unsigned 16-bit), the
time of each in seconds (64-bit floats), then their points, a byte each.
"""

from __future__ import annotations

import math
import struct
from typing import Any

from django.http import JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from kentrobar.core.measure.film.decode import Pictures
from kentrobar.core.measure.film.reading import SlowedFilm, seen
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.frames.models import Frame
from kentrobar.ui.request import Request

from .films import asked_of, expected_s, keep_film
from .models import Film, FilmPart

HEAD = struct.Struct("<HHH")
MOST_PART = 900_000
MOST_PARTS = 90
FIRST_LOOK_S, LONGEST_S = 5.0, 60.0
GOOD, LEAST = 4e-4, 10
"""Relative uncertainty of the period that is good enough; minimum number of swings."""


class FilmChunkError(ValueError):
    """It is no part of a film."""


@require_POST
def part(request: Request, pk: int) -> JsonResponse:
    """Take in a part: ``?run=`` names the film, ``number`` counts its parts from 0. Each counts
    once, however often it comes."""
    frame = get_object_or_404(Frame.live, pk=pk)
    run, number = request.GET.get("run", "")[:40], request.GET.get("number", "")
    if not run or number not in map(str, range(MOST_PARTS)):
        return JsonResponse({"fault": "which part of which film?"}, status=400)
    try:
        if int(request.headers.get("Content-Length") or 0) > MOST_PART:
            raise FilmChunkError("larger than a second of small pictures")
        read(request.body)
    except FilmChunkError as error:
        return JsonResponse({"fault": str(error)}, status=400)
    row, _ = Film.objects.get_or_create(frame=frame, user=request.user)
    if row.content.get("run") != run:
        row.parts.all().delete()
        row.content = {"run": run, "asked": asked_of(request)}
        row.status, row.answer = Film.Status.IDLE, {}
        row.save(update_fields=["content", "status", "answer"])
    elif row.status == Film.Status.DONE:
        return JsonResponse({"words": "", "is_over": True})
    FilmPart.objects.get_or_create(
        film=row, number=int(number), defaults={"pictures": request.body}
    )
    return JsonResponse(_standing(request, row, is_last="last" in request.GET))


def _standing(request: Request, row: Film, is_last: bool) -> dict[str, Any]:
    """How it stands with the parts so far; kept where it is good enough, or the last."""
    import numpy as np

    parts = [read(bytes(one.pictures)) for one in row.parts.all()]
    shapes = {grey.shape[1:] for _, grey in parts}
    if len(shapes) > 1:
        return {"words": "The camera was turned: begin again.", "is_over": True}
    times = np.concatenate([times for times, _ in parts])
    grey = np.concatenate([grey for _, grey in parts])
    order = np.argsort(times, kind="stable")
    times, grey = times[order] - times[order][0], grey[order]
    fresh = np.concatenate([[True], np.diff(times) > 0])
    pictures = Pictures(times[fresh], grey[fresh])
    if times[-1] < FIRST_LOOK_S and not is_last:
        return {"words": f"{times[-1]:.0f} s: let it swing freely", "is_over": False}
    is_last = is_last or float(times[-1]) > LONGEST_S
    try:
        found = seen(pictures, expected_s(request, row.frame, row.content["asked"]))
    except (NoSwingError, ValueError) as error:
        said = str(error) if is_last or isinstance(error, SlowedFilm) else "Nothing swings yet"
        if is_last:
            _end(row, {"why": said})
        return {"words": said, "is_over": is_last}
    share = (uncertainty(found.motion.period_s) or 0.0) / nominal(found.motion.period_s)
    swings = found.motion.swings
    is_good = share <= GOOD and swings >= LEAST
    if is_good or is_last:
        _end(row, {"recording": keep_film(row, "camera", found, pictures).pk})
    more = max(swings * ((share / GOOD) ** (2 / 3) - 1), LEAST - swings, 0.0)
    ms = 1000 * (uncertainty(found.motion.period_s) or 0.0)
    words = f"{swings:.0f} swings, ± {ms:.2g} ms"
    left = "" if is_good else f": {math.ceil(more)} more"
    return {"words": words + left, "is_over": is_good or is_last}


def _end(row: Film, answer: dict[str, Any]) -> None:
    row.parts.all().delete()
    Film.objects.filter(pk=row.pk).update(status=Film.Status.DONE, answer=answer, progress="")


def read(body: bytes) -> tuple[Any, Any]:
    """(times in s, pictures) of a part. Raises FilmChunkError."""
    import numpy as np

    if len(body) < HEAD.size:
        raise FilmChunkError("nothing in it")
    count, width, height = HEAD.unpack_from(body)
    if not (0 < count <= 300 and 8 <= width <= 160 and 8 <= height <= 160):
        raise FilmChunkError("so many pictures of that size are none of ours")
    if len(body) != HEAD.size + count * (8 + width * height):
        raise FilmChunkError("it is not whole")
    times = np.frombuffer(body, "<f8", count, HEAD.size)
    if not np.isfinite(times).all() or not (np.abs(times) < 1e7).all():
        raise FilmChunkError("a time is none")
    grey = np.frombuffer(body, np.uint8, offset=HEAD.size + 8 * count)
    return times, grey.reshape(count, height, width)
