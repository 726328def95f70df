"""Pictures people hand in: judged by their header, and decoded no larger than they are needed."""

from __future__ import annotations

import threading

from django.core.files.uploadedfile import UploadedFile
from PIL import (
    Image,
    ImageOps,
    UnidentifiedImageError,
    WebPImagePlugin,  # noqa: F401 - known once it is loaded
)

from kentrobar.core.errors import UnreadableError

FORMATS = ("JPEG", "PNG", "WEBP", "GIF")
REDUCIBLE = ("JPEG", "MPO")  # what a phone with two lenses calls its JPEGs
MOST_PIXELS = 80_000_000
"""Most pixels of a photo that is decoded at an eighth of its size (a baseline JPEG)."""
MOST_WHOLE_PIXELS, MOST_WEBP_PIXELS = 14_000_000, 8_000_000
"""Most pixels of a picture that is decoded whole: four bytes each, held twice; a WebP four
times."""
_one_at_a_time = threading.Lock()


def made_small(file: UploadedFile, longest_px: tuple[int, int], most_bytes: int) -> Image.Image:
    """A picture, upright and within ``longest_px`` (width, height).
    Raises UnreadableError where it is none, or would take more memory than a page may."""
    name = file.name or "The picture"
    if (file.size or 0) > most_bytes:
        raise UnreadableError(f"{name}: more than {most_bytes // 1_000_000} MB is too large.")
    try:
        with _one_at_a_time, Image.open(file, formats=FORMATS) as picture:
            _judge(picture, name)
            picture.thumbnail(longest_px)
            # On a new sheet: nothing but the pixels comes along, no place, no time, no owner.
            upright = ImageOps.exif_transpose(picture)
            if upright.mode not in ("RGB", "RGBA"):
                upright = upright.convert("RGBA")
            return Image.frombytes(upright.mode, upright.size, upright.tobytes())
    except UnreadableError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
        raise UnreadableError(
            f"{name} is no picture that can be read: send a JPEG or PNG."
        ) from None


def _judge(picture: Image.Image, name: str) -> None:
    is_reducible = picture.format in REDUCIBLE and not picture.info.get("progressive")
    whole = MOST_WEBP_PIXELS if picture.format == "WEBP" else MOST_WHOLE_PIXELS
    most = MOST_PIXELS if is_reducible else whole
    if picture.width * picture.height > most:
        raise UnreadableError(
            f"{name}: {picture.width} × {picture.height} pixels are too many for this kind of"
            " file. Make it smaller, or send a plain JPEG."
        )
