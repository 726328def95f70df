"""Pictures that are handed in: judged before they are decoded, and never large in memory."""

import io
import os
import subprocess
import sys

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from kentrobar.core.errors import UnreadableError
from kentrobar.ui import pictures
from ops import ROOT
from ops.services import MODEST


def file_of(size, kind, mode="RGB", **options):
    out = io.BytesIO()
    Image.new(mode, size, 120 if mode == "L" else "#787878").save(out, kind, **options)
    return SimpleUploadedFile(f"p.{kind.lower()}", out.getvalue())


GROWN = """
import resource, sys
from django.core.files.uploadedfile import SimpleUploadedFile
from kentrobar.ui.pictures import made_small
def most(): return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
data, before = sys.stdin.buffer.read(), most()
try:
    made_small(SimpleUploadedFile("p", data), (1280, 1280), 25_000_000)
except ValueError:
    pass
print(most() - before)
"""


@pytest.mark.parametrize(
    ("size", "kind", "options"),
    [
        ((10_000, 7900), "PNG", {}), ((10_000, 7900), "JPEG", {}),
        ((10_000, 7900), "JPEG", {"progressive": True}),
        ((4600, 3040), "PNG", {"mode": "RGBA"}), ((3500, 2280), "WEBP", {}),
    ],
)  # fmt: skip
def test_no_picture_takes_more_than_150_mb(size, kind, options):
    sent = file_of(size, kind, **options).read()
    command = [sys.executable, "-c", GROWN]
    done = subprocess.run(
        command, input=sent, cwd=ROOT, env=os.environ | MODEST, capture_output=True, check=True
    )
    assert float(done.stdout) < 150


def test_what_cannot_be_decoded_small_is_refused_by_its_header(monkeypatch):
    monkeypatch.setattr(Image.Image, "thumbnail", lambda *_: pytest.fail("it was decoded"))
    for kind, options in (("PNG", {}), ("JPEG", {"progressive": True}), ("WEBP", {})):
        with pytest.raises(UnreadableError, match="pixels are too many"):
            pictures.made_small(file_of((5000, 3000), kind, **options), (64, 64), 25_000_000)


@pytest.mark.parametrize("mode", ["RGB", "RGBA", "L", "P", "LA", "1", "CMYK"])
def test_whatever_its_colours_a_picture_is_made_small(mode):
    kind = "JPEG" if mode == "CMYK" else "PNG"
    out = io.BytesIO()
    Image.new("RGB", (400, 200), "#b5402a").convert(mode).save(out, kind)
    small = pictures.made_small(SimpleUploadedFile("p", out.getvalue()), (100, 100), 10**7)
    assert (small.size, small.mode in ("RGB", "RGBA")) == ((100, 50), True)
    red, _, blue = small.convert("RGB").getpixel((50, 25))
    assert red > blue or mode in ("L", "LA", "1")
