"""A film of the swing: handed in as a file or seen by a camera, looked through beside the page, and
taken into the reading it gives the period of."""

from __future__ import annotations

import gzip
import io
import secrets
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Q
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.core.io.films import trace_of
from kentrobar.core.measure.film.decode import Pictures, open_film
from kentrobar.core.measure.film.reading import SLOWED, OtherRateError, Seen, SlowedFilm, seen
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.reader import digits, fixed, percent
from kentrobar.core.recipes.solve import Progress, Watch
from kentrobar.frames import fitted
from kentrobar.frames.choices import Condition, Quantity
from kentrobar.frames.figures import figures_in
from kentrobar.frames.models import Frame
from kentrobar.ui import background
from kentrobar.ui.request import Request

from . import plots
from .forms import MeasureForm
from .keeping import keep_draft
from .models import Film, Instrument, Recording, usual_order
from .views import draft_of, recording_of

MOST_FILM = 300 * 1024 * 1024
MOST_WORK_S = 120.0
"""Processor time for one film, s: others wait for theirs."""
STILL_QUALITY = 70
SLOWEST_HZ, FASTEST_HZ = 10.0, 1000.0
"""Pictures a second that a film may be taken at."""


class FilmStoppedError(Exception):
    """Nobody wants it any more."""


# --- the page ------------------------------------------------------------------------------------


@require_http_methods(["GET", "HEAD", "POST"])
def film(request: Request, pk: int) -> HttpResponse:
    """Where a film is handed in, or a camera held; what it showed. POST takes the file."""
    frame = get_object_or_404(Frame.live, pk=pk)
    asked = asked_of(request)
    row = Film.objects.filter(frame=frame, user=request.user).first()
    if request.method != "POST":
        return render(request, "measuring/film.html", _context(request, frame, asked, row))
    row = row or Film.objects.get_or_create(frame=frame, user=request.user)[0]
    upload, again = request.FILES.get("file"), row.content.get("file", "")
    if upload is None and not (request.POST.get("again") and _path(again).is_file()):
        messages.error(request, "Choose the film first.")
        return redirect(_address(frame, asked))
    if upload is not None and (upload.size or 0) > MOST_FILM:
        messages.error(request, f"{upload.name} is larger than 300 MB: twenty seconds are enough.")
        return redirect(_address(frame, asked))
    content = {
        "name": row.content.get("name", "film"), "file": again,
        "slowed": _one_of(request.POST.get("slowed"), SLOWED),
        "filmed_hz": _rate_of(request.POST.get("filmed_hz")),
        "expect_s": expected_s(request, frame, asked),
        "keep": bool(request.POST.get("keep")), "asked": asked,
    }  # fmt: skip
    if upload is not None:
        content |= {"name": (upload.name or "film")[:120], "file": _put_by(upload, again)}
    _begin(row, content)
    return redirect(_address(frame, asked))


def _begin(row: Film, content: dict[str, Any]) -> None:
    with transaction.atomic():
        row.parts.all().delete()
        row.content = content
        row.save(update_fields=["content"])
    background.start(row, look)


@require_safe
def answer(request: Request, pk: int) -> HttpResponse:
    """How far it is, or what was seen, for the page that waits."""
    frame = get_object_or_404(Frame.live, pk=pk)
    row = Film.objects.filter(frame=frame, user=request.user).first()
    if not (row and row.is_working) and request.GET.get("seen") == _state(row):
        # Nothing is put in the place of a button somebody is about to press.
        return HttpResponse(status=204)
    return render(request, "measuring/_film.html", _context(request, frame, asked_of(request), row))


def _state(row: Film | None) -> str:
    return f"{row.run}-{row.status}-{row.answer.get('recording', '')}" if row else "none"


@require_POST
def stop(request: Request, pk: int) -> HttpResponse:
    """End the looking through; what was being looked at goes."""
    row = get_object_or_404(Film, frame=pk, user=request.user)
    background.stop(row)
    drop_file(row)
    return redirect(_address(row.frame, row.content.get("asked", {})))


@require_POST
def take(request: Request, pk: int) -> HttpResponse:
    """Put the film's period, and how wide it swung, into the boxes of the reading."""
    frame = get_object_or_404(Frame.live, pk=pk)
    asked = asked_of(request)
    recording = recording_of(frame, request.POST.get("recording"))
    if recording is None:
        messages.error(request, "This film is gone: hand it in again.")
        return redirect(_address(frame, asked))
    entry = draft_of(request.user, frame, asked["method"]) | {"recording": str(recording.pk)}
    for box in ("amplitude", "amplitude_end"):
        if wide := recording.found.get(f"{box}_deg"):
            entry[box] = f"{digits(wide['value'], 2)} ± {digits(wide['u'], 1)}°"
    keep_draft(frame, request.user, asked["method"], entry)
    return redirect(f"{frame.get_absolute_url()}measure/?{urlencode(asked)}")


@require_safe
def strip(request: Request, pk: int) -> HttpResponse:
    """A few pictures of a film, side by side."""
    found = Recording.objects.filter(pk=pk).exclude(strip=None).only("strip").first()
    if found is None or found.strip is None:
        raise Http404("no pictures")
    return HttpResponse(bytes(found.strip), content_type="image/jpeg")


@require_safe
def file(request: Request, pk: int) -> FileResponse:
    """A film that was to be kept."""
    found = get_object_or_404(Recording.objects.exclude(film="").only("film", "name"), pk=pk)
    path = _path(found.film)
    if not path.is_file():
        raise Http404("it lies on another machine, or is gone")
    return FileResponse(path.open("rb"), as_attachment=True, filename=found.name)


def _context(
    request: Request, frame: Frame, asked: dict[str, str], row: Film | None
) -> dict[str, Any]:
    recording = None
    if row is not None and row.status == Film.Status.DONE:
        number = row.answer.get("recording")
        shown = Recording.objects.filter(pk=number).defer("packed", "strip")
        recording = shown.annotate(has_strip=Q(strip__isnull=False)).first()
    context: dict[str, Any] = {
        "frame": frame, "film": row, "asked": asked, "slowed": SLOWED, "recording": recording,
        "here": _address(frame, asked), "label": METHODS[asked["method"]].label,
        "query": urlencode(asked | {"seen": _state(row)}),
        "back": f"{frame.get_absolute_url()}measure/?{urlencode(asked)}",
    }  # fmt: skip
    if recording is not None:
        context["plot"] = plots.recording(recording.found["plot"])
        context["left"] = plots.left_over(recording.found["plot"])
    return context


def asked_of(request: Request) -> dict[str, str]:
    """The reading it is for: its method, quantity and condition, as the Measure page asks."""
    given = request.POST if request.method == "POST" else request.GET
    method = given.get("method", "")
    if method not in METHODS or not METHODS[method].is_timed:
        method = next(key for key, one in METHODS.items() if one.is_timed)
    quantity = given.get("quantity", "")
    if quantity not in Quantity.values:
        quantity = METHODS[method].gives[0]
    condition = given.get("condition", "")
    found = {"method": method, "quantity": quantity}
    return found | ({"condition": condition} if condition in Condition.values else {})


def _address(frame: Frame, asked: dict[str, str]) -> str:
    return f"{reverse('film', args=[frame.pk])}?{urlencode(asked)}"


def _one_of(text: str | None, numbers: tuple[int, ...]) -> int:
    return next((one for one in numbers if str(one) == text), numbers[0])


def _rate_of(text: str | None) -> float | None:
    """Pictures a second that somebody says it was filmed at."""
    try:
        rate = float(text or "")
    except ValueError:
        return None
    return rate if SLOWEST_HZ <= rate <= FASTEST_HZ else None


def expected_s(request: Request, frame: Frame, asked: dict[str, str]) -> float | None:
    """The period this frame should have, in the set-up as the boxes of its reading stand."""
    condition = asked.get("condition") or frame.usual_condition(frame.latest())
    read = figures_in(frame, condition, frame.latest(), frame.all_parts())
    figures = fitted.brought(frame, read)
    entry = draft_of(request.user, frame, asked["method"])
    form = MeasureForm(
        frame, METHODS[asked["method"]], None, figures, entry,
        usual_order(Instrument.live.all()),
    )  # fmt: skip
    return form.expected_period_s()


# --- its file ------------------------------------------------------------------------------------


def _folder() -> Path:
    """Where films lie until they are looked through; who looks works on this machine."""
    folder: Path = settings.LOCAL / "films"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    return folder


def _path(name: str) -> Path:
    return _folder() / (Path(name).name or "none")


def _put_by(file: UploadedFile, before: str) -> str:
    _path(before).unlink(missing_ok=True)
    name = secrets.token_hex(8)
    with _path(name).open("xb") as kept:
        for chunk in file.chunks():
            kept.write(chunk)
    return name


def drop_file(row: Film) -> None:
    _path(row.content.get("file", "")).unlink(missing_ok=True)


# --- the work ------------------------------------------------------------------------------------


@background.work("film", Film, background.LONG)
def look(row: Film) -> background.Prepared:
    """Look a film through; its file goes, unless it is to be kept or is asked about."""
    content = row.content
    path = _path(content["file"])

    def looked(watch: Watch) -> dict[str, Any]:
        begun = time.thread_time()

        def far(share: float) -> None:
            if time.thread_time() - begun > MOST_WORK_S:
                raise NoSwingError(
                    "This film takes too long to look through: cut it to twenty seconds, or film"
                    " with fewer pixels."
                )
            if not watch(Progress(f"Looking at the pictures, {percent(share)}")):
                raise FilmStoppedError

        try:
            pictures = open_film(path, lambda share: far(0.7 * share))
            found = seen(
                pictures, content["expect_s"], content["slowed"],
                lambda share: far(0.7 + 0.3 * share), content.get("filmed_hz"),
            )  # fmt: skip
        except FilmStoppedError:
            return {}
        except SlowedFilm as slowed:
            return {"why": str(slowed), "slowed": slowed.times}
        except OtherRateError as asked:
            rates = [float(asked.filmed_hz), round(asked.stamped_hz, 2)]
            return {"why": str(asked), "rates": rates}
        except NoSwingError as error:
            path.unlink(missing_ok=True)
            if not isinstance(error.__cause__, FileNotFoundError):
                return {"why": str(error)}
            return {"why": "It lies on the machine it was sent to, where no worker is."}
        kept = ""
        if content["keep"]:
            # Under a name of its own: what was handed in goes with the next one.
            kept = f"kept-{path.name}"
            path.rename(_path(kept))
        path.unlink(missing_ok=True)
        return {"recording": keep_film(row, content["name"], found, pictures, kept).pk}

    return looked, background.nothing_yet


def keep_film(row: Film, name: str, found: Seen, pictures: Pictures, film: str = "") -> Recording:
    """What a film showed: its trace and a few stills; no other picture."""
    motion = found.motion
    words = [
        f"{motion.swings:.0f} swings, {motion.rate_hz:.0f} pictures a second, "
        f"{fixed(motion.start_s, 1)}–{fixed(motion.end_s, 1)} s of the film"
    ]
    kept = trace_of(found)
    if found.width_deg is not None:
        first, last, u = found.width_deg
        words.append(
            f"It swung {fixed(first, 1)}° ± {fixed(u, 1)} at first, {fixed(last, 1)}° at last"
        )
    table = "\n".join(f"{t},{one}" for t, one in zip(*_columns(kept), strict=True))
    return Recording.objects.create(
        frame=row.frame, name=name[:120], uploaded_by=row.user, film=film,
        packed=gzip.compress(f"time s,film\n{table}\n".encode(), mtime=0),
        strip=_strip(pictures),
        found=kept | {
            "period_s": nominal(motion.period_s), "u": uncertainty(motion.period_s) or 0.0,
            "plot": [[round(v, 5) for v in point] for point in motion.plot],
            "words": ". ".join([*words, *map(str, (*found.notes, *motion.notes))]) + ".",
            "decay_per_s": motion.decay_per_s, "seconds": motion.end_s - motion.start_s,
        },
    )  # fmt: skip


def _columns(kept: dict[str, Any]) -> tuple[list[float], list[float]]:
    return kept["film"]["times_s"], kept["film"]["trace"]


def _strip(pictures: Pictures) -> bytes | None:
    """The stills side by side; of a camera's small pictures, a few of those."""
    from PIL import Image

    some = [one for _, one in pictures.stills]
    if not some:
        which = range(0, len(pictures.grey), max(len(pictures.grey) // 6, 1))
        some = [pictures.grey[i] for i in which][:6]
    height = some[0].shape[0]
    images = [Image.fromarray(one) for one in some if one.shape[0] == height]
    width = sum(one.width for one in images) + 4 * (len(images) - 1)
    whole = Image.new("RGB", (width, height), "white")
    at = 0
    for one in images:
        whole.paste(one.convert("RGB"), (at, 0))
        at += one.width + 4
    out = io.BytesIO()
    whole.save(out, "JPEG", quality=STILL_QUALITY)
    return out.getvalue()
