"""Photos of frames as they came in: made small, stripped of what a camera writes into them."""

from __future__ import annotations

import io
from collections.abc import Iterable
from datetime import timedelta
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_safe

from kentrobar.ui.pictures import made_small
from kentrobar.ui.request import Request

from .models import Photo

LONGEST_PX = 1280
MOST_BYTES = 25_000_000
"""Largest picture as it comes from a camera, bytes."""
QUALITY = 80
KEPT_FOR = timedelta(days=2)
"""How long a photo waits for a job that was never checked in."""


def keep(file: UploadedFile, user: Any) -> Photo:
    """A picture, turned upright and made small. Raises UnreadableError where it is none."""
    bare = made_small(file, (LONGEST_PX, LONGEST_PX), MOST_BYTES).convert("RGB")
    jpeg = io.BytesIO()
    bare.save(jpeg, "JPEG", quality=QUALITY, optimize=True)
    Photo.objects.filter(taken_in=None, kept_at__lt=timezone.now() - KEPT_FOR).delete()
    return Photo.objects.create(
        jpeg=jpeg.getvalue(), width=bare.width, height=bare.height, kept_by=user
    )


def waiting(keys: Iterable[str], user: Any) -> list[Photo]:
    """Photos that came with a form which was not taken in yet, by their keys."""
    wanted = [int(key) for key in keys if key.isdecimal() and len(key) < 10]
    mine = Photo.objects.filter(pk__in=wanted, taken_in=None, kept_by=user)
    return list(mine.defer("jpeg"))


@require_safe
@cache_control(private=True, max_age=86400, immutable=True)
def photo(request: Request, pk: int) -> HttpResponse:
    found = get_object_or_404(Photo, pk=pk)
    return HttpResponse(bytes(found.jpeg), content_type="image/jpeg")
