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
from PIL import Image, ImageOps, UnidentifiedImageError

from kentrobar.core.errors import Unreadable
from kentrobar.ui.request import Request

from .models import Photo

LONGEST_PX = 1280
MOST_BYTES, MOST_PIXELS = 25_000_000, 80_000_000
"""Of one picture as it comes from a camera."""
QUALITY = 80
KEPT_FOR = timedelta(days=2)
"""How long a photo waits for a job that was never checked in."""


def keep(file: UploadedFile, user: Any) -> Photo:
    """A picture, turned upright and made small. Raises Unreadable where it is none."""
    name = file.name or "it"
    if (file.size or 0) > MOST_BYTES:
        raise Unreadable(f"{name}: a photo of more than {MOST_BYTES // 1_000_000} MB is too large.")
    try:
        with Image.open(file) as picture:
            if picture.width * picture.height > MOST_PIXELS:
                raise Unreadable(f"{name}: {picture.width} × {picture.height} pixels are too many.")
            small = ImageOps.exif_transpose(picture).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
        raise Unreadable(f"{name} is no picture that can be read: send a JPEG or PNG.") from None
    small.thumbnail((LONGEST_PX, LONGEST_PX))
    # Drawn on a new sheet: nothing but the pixels comes along, no place, no time, no owner.
    bare = Image.new("RGB", small.size)
    bare.paste(small)
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
