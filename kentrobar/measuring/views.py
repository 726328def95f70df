"""Measuring a frame: what is missing, how to take it, and what becomes of each reading."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST

from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.measure.registry import METHODS, REPORTED
from kentrobar.core.reader import the_reader
from kentrobar.frames import above, fitted
from kentrobar.frames.choices import Condition, Quantity
from kentrobar.frames.figures import Figures, figures_in
from kentrobar.frames.forms import ReadingForm
from kentrobar.frames.models import Frame, Reading
from kentrobar.frames.shown import shown_figures
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from .forms import WRITTEN_IN, MeasureForm
from .keeping import keep, keep_draft, take_recording
from .models import Draft, Instrument, Recording, usual_order
from .outcome import outcome, result
from .ways import Way, ways_to


def _said(reading: Reading, request: Request) -> str:
    one = result(reading.quantity, reading.number())
    return f"{one.name} {one.value}{f' ± {one.u}' if one.u else ''} {one.unit}"


MOST_UPLOAD = 8 * 1024 * 1024
DRAFT_AGE = timedelta(hours=12)


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def measure(request: Request, pk: int) -> HttpResponse:
    """The Measure view of a frame. POST keeps a measurement."""
    frame = get_object_or_404(Frame.live, pk=pk)
    about = measure_request(request, frame)
    form = form_of(request, about)
    if request.method == "POST":
        if isinstance(form, MeasureForm) and form.is_valid():
            kept = keep(form, _entry(request), request.user)
            messages.success(
                request, f"Saved: {', '.join(_said(reading, request) for reading in kept)}."
            )
            return redirect(f"{_address(frame)}?condition={form.cleaned_data['condition']}")
        return render(
            request, "measuring/measure.html", page_context(request, about, form), status=422
        )
    return render(request, "measuring/measure.html", page_context(request, about, form))


@require_POST
def preview(request: Request, pk: int) -> HttpResponse:
    """What a form comes to as it stands; also remembered, so that a closed page loses nothing.

    A page only looking at what is in its form (``?look``) writes nothing.
    """
    frame = get_object_or_404(Frame.live, pk=pk)
    about = measure_request(request, frame)
    form = form_of(request, about)
    if not isinstance(form, MeasureForm):
        raise Http404("nothing to preview")
    form.is_valid()
    if "correct" not in request.POST and "look" not in request.GET:
        keep_draft(frame, request.user, about.key, _entry(request))
    return render(
        request, "measuring/_outcome.html", {"o": outcome(form), "form": form, **about.context()}
    )


@require_POST
def recording(request: Request, pk: int) -> HttpResponse:
    """Take in a motion recording; the page goes on with the period found in it, or says why not."""
    frame = get_object_or_404(Frame.live, pk=pk)
    entry = _entry(request)
    method = _method(request.POST.get("method", ""))
    back = f"{_address(frame)}?method={method}&quantity={request.POST.get('quantity', '')}"
    back += f"&condition={request.POST.get('condition', '')}"
    upload = request.FILES.get("file")
    if upload is None:
        messages.error(
            request, "Choose the recording first: a CSV of time and motion from a phone’s logger."
        )
    elif (upload.size or 0) > MOST_UPLOAD:
        messages.error(
            request, f"{upload.name} is larger than 8 MB: cut it to a minute or two of swinging."
        )
    else:
        form = form_of(request, measure_request(request, frame))
        expect_s = form.expected_period_s() if isinstance(form, MeasureForm) else None
        try:
            found = take_recording(
                frame, upload.name or "recording", upload.read(), expect_s, request.user
            )
        except NoSwingError as error:
            messages.error(request, f"{upload.name} was not taken. {error}")
        else:
            entry["recording"] = str(found.pk)
    keep_draft(frame, request.user, method, entry)
    return redirect(back)


# --- helpers -------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class MeasureRequest:
    """What the Measure page is about: a frame in a condition, one figure, one way to read it.

    Attributes:
        key: of the method, or REPORTED. missing: figures still to be read, in order.
    """

    frame: Frame
    condition: str
    figures: Figures
    quantity: str
    key: str
    missing: list[str]
    wants_twist: bool
    instruments: list[Instrument]

    @property
    def method(self) -> Way | None:
        return Way.of(self.key) if self.key in METHODS else None

    def context(self) -> dict[str, Any]:
        """For templates."""
        return {
            "frame": self.frame, "outline": self.frame.outline(), "kind": self.frame.kind,
            "condition": self.condition, "figures": self.figures, "quantity": self.quantity,
            "missing": self.missing, "method": self.method,
        }  # fmt: skip


def measure_request(request: Request, frame: Frame, old: Reading | None = None) -> MeasureRequest:
    """What the address and the form ask for; of a correction what ``old`` was read as."""
    asked = request.POST if request.method == "POST" else request.GET
    latest, parts = frame.latest(), frame.all_parts()
    condition = asked.get("condition") or (old.condition if old else "")
    if condition not in Condition.values:
        condition = frame.usual_condition(latest)
    figures = fitted.brought(frame, figures_in(frame, condition, latest, parts))
    instruments = usual_order(Instrument.live.all())
    wants_twist = above.rooms().wants_twist(frame)
    missing = _missing(figures, wants_twist)
    quantity = old.quantity if old else asked.get("quantity", "")
    if quantity not in Quantity.values:
        quantity = missing[0] if missing else _first_computed(figures) or Quantity.MASS
    key = old.method if old else asked.get("method", "")
    if key != REPORTED and (key not in METHODS or quantity not in METHODS[key].gives):
        if key in METHODS and not asked.get("quantity"):
            quantity = METHODS[key].gives[0]
        else:
            key = _usual_method(quantity, instruments)
    return MeasureRequest(
        frame, condition, figures, quantity, key, missing, wants_twist, instruments
    )


def form_of(
    request: Request, about: MeasureRequest, old: Reading | None = None
) -> ReadingForm | MeasureForm:
    """The form of what was asked for: as posted, as corrected, or as it was left."""
    frame, is_posted = about.frame, request.method == "POST"
    if about.key == REPORTED:
        return ReadingForm(frame, known=[about.figures] if about.figures.found else [])
    entry = dict(old.entry) if old else {}
    if not old and not is_posted:
        entry = draft_of(request.user, frame, about.key)
    number = (request.POST if is_posted else entry).get("recording")
    form = MeasureForm(
        frame, METHODS[about.key], request.POST if is_posted else None, about.figures, entry,
        about.instruments, recording_of(frame, number), is_correction=old is not None,
    )  # fmt: skip
    form.initial["condition"] = about.condition
    if about.quantity == Quantity.SWING and "hangs" not in entry:
        form.initial["hangs"] = "level"
    return form


def page_context(
    request: Request, about: MeasureRequest, form: ReadingForm | MeasureForm
) -> dict[str, Any]:
    """Context of the page."""
    frame, figures = about.frame, about.figures
    rows = {row.quantity: row for row in shown_figures(frame, figures).rows}
    cards = [
        {
            "quantity": quantity,
            "label": quantity.label,
            "row": rows.get(quantity),
            "found": figures.found.get(quantity),
            "instrument": _instrument_of(figures, quantity),
            "is_asked": quantity == about.quantity,
            "is_needed": quantity != Quantity.TWIST or about.wants_twist,
        }
        for quantity in Quantity
    ]
    method = about.method
    context = about.context() | {
        "form": form,
        "cards": cards,
        "label": Quantity(about.quantity).label,
        "is_missing": about.quantity in about.missing,
        "conditions": frame.conditions(),
        "methods": ways_to(about.quantity),
        "steps": method.steps(frame.outline()) if method else [],
        "readings": _earlier(frame),
        "changes": next(
            (
                (one.reading.get_condition_display(), one.computed)
                for one in figures.found.values()
                if one.computed
            ),
            None,
        ),
    }
    if isinstance(form, MeasureForm):
        if form.is_bound:
            form.is_valid()
        context["o"] = outcome(form)
        context["live"] = _live(Way.of(about.key), form, about.instruments)
    return context


def _earlier(frame: Frame) -> Any:
    rows = Reading.objects.filter(frame=frame, removed_at=None)
    return rows.select_related("read_by", "use__instrument")[:14]


def _instrument_of(figures: Figures, quantity: str) -> str:
    found = figures.found.get(quantity)
    use = getattr(found.reading, "use", None) if found else None
    return use.instrument.name if use else ""


def _live(way: Way, form: MeasureForm, instruments: list[Instrument]) -> list[dict[str, Any]]:
    """Connected instruments of the kind this method reads; the boxes their figure may go into, by
    which key, and as
    what: here as shown, since the method itself counts the instrument's drift and scatter."""
    connected = [one for one in instruments if one.port and one.kind == way.method.instrument]
    if way.key == "two-scales":
        boxes = [("m-m1", "into left", "k", "shown"), ("m-m2", "into right", "", "shown")]
        return [
            {"instrument": one, "into": boxes[i : i + 1] if len(connected) > 1 else boxes}
            for i, one in enumerate(connected[:2])
        ]
    box, word = ("m-tap_times", "these passes") if way.is_timed else ("m-readings", "")
    return [
        {"instrument": one, "into": [(box, word, "" if i else "k", "shown")]}
        for i, one in enumerate(connected)
    ]


def _missing(figures: Figures, wants_twist: bool) -> list[str]:
    needed = [Quantity.MASS, Quantity.BALANCE, Quantity.SWING] + (
        [Quantity.TWIST] if wants_twist else []
    )
    return [quantity for quantity in needed if quantity not in figures.found]


def _first_computed(figures: Figures) -> str:
    return next((q for q in Quantity if q in figures.found and figures.found[q].computed), "")


def _usual_method(quantity: str, instruments: list[Instrument]) -> str:
    """The key of the first way to a quantity there is an instrument for; a connected one before
    others."""
    ways = ways_to(quantity)
    connected = {one.kind for one in instruments if one.port}
    owned = {one.kind for one in instruments}
    for kinds in (connected, owned):
        for way in ways:
            if way.method.instrument in kinds and not way.method.is_weak:
                return way.key
    return next(way.key for way in ways if way.method.is_by_hand)


def draft_of(user: Any, frame: Frame, method: str) -> dict[str, str]:
    """What somebody has written into the boxes of a method and not kept yet."""
    fresh = timezone.now() - DRAFT_AGE
    known = Draft.objects.filter(frame=frame, user=user, method=method, changed_at__gt=fresh)
    draft = known.first()
    return dict(draft.entry) if draft else {}


def recording_of(frame: Frame, number: Any) -> Recording | None:
    """A recording or film of this frame by its number, as a page says it; None where it is none."""
    text = str(number or "")
    if not text.isdecimal() or len(text) > 9:
        return None
    return Recording.objects.filter(frame=frame, pk=int(text)).defer("packed", "strip").first()


def _entry(request: Request) -> dict[str, Any]:
    skipped = (
        "csrfmiddlewaretoken",
        "file",
        "confirm",
        "reason",
        "condition",
        "method",
        "quantity",
        "shown",
    )
    # The database keeps no NUL in a text.
    entry: dict[str, Any] = {
        key: str(value).replace("\0", "")
        for key, value in request.POST.items()
        if key not in skipped
    }
    entry[WRITTEN_IN] = the_reader().dump()
    if "without" in request.POST:
        entry["without"] = request.POST.getlist("without")
    return entry


def _method(key: str) -> str:
    if key not in METHODS:
        raise Http404(key)
    return key


def _address(frame: Frame) -> str:
    return f"{frame.get_absolute_url()}measure/"
