"""Instruments: what each reads, its resolution, axis and drift, and its checks against a
reference."""

from __future__ import annotations

from functools import partial
from statistics import fmean
from typing import Any

from django import forms
from django.contrib import messages
from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from kentrobar.core.frame.targets import Level
from kentrobar.core.measure.bar import ReferenceBar
from kentrobar.core.measure.sample import sample
from kentrobar.core.numbers import WithU, nominal, uncertainty
from kentrobar.core.reader import digits, fixed
from kentrobar.core.units import Typed, read_inertia, read_length, read_many, read_mass
from kentrobar.ui import undo
from kentrobar.ui.fields import QuantityField
from kentrobar.ui.forms import with_commas
from kentrobar.ui.once import stored_once
from kentrobar.ui.request import Request

from . import lines_here, plots
from .models import Check, Instrument


class InstrumentForm(forms.ModelForm):
    class Meta:
        model = Instrument
        fields = (
            "name",
            "kind",
            "resolution",
            "axis_mm",
            "offset_mm",
            "offset_u_mm",
            "drift_band",
            "check_days",
            "port",
            "baud",
            "talk",
            "ask",
            "tare",
        )
        labels = {
            "resolution": "resolution",
            "axis_mm": "swing axis, mm from the butt",
            "offset_mm": "zero, mm from the butt stop",
            "offset_u_mm": "± of that zero, mm",
            "drift_band": "accuracy ±",
            "check_days": "check every … days",
            "port": "serial port",
            "baud": "baud",
            "talk": "the instrument",
            "ask": "read command",
            "tare": "tare command",
        }

    def __init__(self, data: Any = None, **kwargs: Any) -> None:
        super().__init__(data, **{"auto_id": "i-%s"} | kwargs)
        with_commas(self)
        kept = self.instance.port
        lines = dict.fromkeys(
            [*lines_here.there(), *([kept] if lines_here.may_hang_on(kept) else [])]
        )
        self.fields["port"] = forms.ChoiceField(
            label="serial port", choices=[("", "none"), *((line, line) for line in lines)],
            required=False,
        )  # fmt: skip
        for field in self.fields.values():
            field.help_text = ""

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        kind = cleaned.get("kind")
        if kind == "machine" and cleaned.get("axis_mm") is None:
            self.add_error(
                "axis_mm", "A machine’s reading means nothing without its axis: write 100."
            )
        if kind == "board" and cleaned.get("offset_mm") is None:
            self.add_error(
                "offset_mm", "A board reads from its zero: how far is that from the butt stop?"
            )
        band, resolution = cleaned.get("drift_band"), cleaned.get("resolution")
        if band is not None and band <= 0:
            self.add_error("drift_band", "Some drift must be allowed: write a figure above 0.")
        if resolution is not None and resolution < 0:
            self.add_error("resolution", "A display’s step is above 0.")
        return cleaned


FAR_OFF = 10
"""Error, in multiples of the allowed band, from which a check is asked about."""


class CheckForm(forms.Form):
    """A reference put on an instrument. For a machine the reference may be a bar, by mass and
    length."""

    def __init__(self, instrument: Instrument, data: Any = None) -> None:
        self.instrument, self.asks_to_confirm = instrument, False
        last = instrument.last_check()
        initial = dict(last.raw.get("entry", {})) if last else {}
        initial.pop("readings", None)
        super().__init__(data, initial=initial, auto_id="c-%s")
        reader = {"scale": read_mass, "machine": read_inertia}.get(instrument.kind, read_length)
        unit = instrument.unit
        self.fields["reference"] = forms.CharField(
            label="reference",
            max_length=60,
            error_messages={
                "required": "Which reference? Name it, so that the next check can be compared."
            },
        )
        if instrument.kind == "machine":
            self.fields["bar_mass"] = QuantityField(read_mass, label="a bar of", required=False)
            self.fields["bar_length"] = QuantityField(
                read_length, label="and length", required=False
            )
            self.fields["bar_mass"].widget.attrs["placeholder"] = "400 ± 0.1 g"
            self.fields["bar_length"].widget.attrs["placeholder"] = "700 ± 0.5 mm"
        self.fields["expected"] = QuantityField(
            reader, label=f"it should read, {unit}", required=False
        )
        self.fields["readings"] = QuantityField(
            partial(read_many, reader=reader), label=f"it read, {unit}"
        )
        self.fields["readings"].error_messages["required"] = (
            "What did it read? Write every reading."
        )
        self.fields["confirm"] = forms.BooleanField(label="Yes, that’s correct", required=False)

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        self.expected: Any = None
        mass, length = cleaned.get("bar_mass"), cleaned.get("bar_length")
        told = cleaned.get("expected")
        if told is not None:
            self.expected = (told.value, told.u or 0.0)
        elif mass and length:
            self.expected = self._of_bar(mass, length)
        elif not self.errors:
            name = "bar_mass" if self.instrument.kind == "machine" else "expected"
            self.add_error(
                name, "What should it read? Without that there is nothing to hold it against."
            )
        if not self.errors:
            self._ask_about(fmean(typed.value for typed in cleaned["readings"]))
        return cleaned

    def _ask_about(self, read: float) -> None:
        """What an instrument drifts is taken off what is read with it: far more than it may be off
        is a slip more often than a drift."""
        band, unit = self.instrument.drift_band, self.instrument.unit
        off = read - self.expected[0]
        self.asks_to_confirm = abs(off) > FAR_OFF * band
        if self.asks_to_confirm and not self.cleaned_data.get("confirm"):
            self.add_error(
                "readings",
                f"That is {digits(off, 3, signed=True)} {unit} off, where {digits(band)} {unit} is"
                " allowed. If it is right, say so, and it is taken off every reading from now on.",
            )

    def _of_bar(self, mass: Typed, length: Typed) -> tuple[float, float]:
        def given(typed: Typed, u: float) -> Any:
            return WithU(value=typed.value, u=u if typed.u is None else typed.u)

        assert self.instrument.axis_mm is not None
        bar = ReferenceBar(
            mass_g=given(mass, 0.1), length_mm=given(length, 0.5), axis_mm=self.instrument.axis_mm
        )
        value = bar.reduce().value
        return nominal(value), uncertainty(value) or 0.0

    def save(self, user: Any) -> Check:
        values = [typed.value for typed in self.cleaned_data["readings"]]
        read = sample(values, self.instrument.resolution, self.instrument.repeatability()).result()
        expected, expected_u = self.expected
        return Check.objects.create(
            instrument=self.instrument,
            reference=self.cleaned_data["reference"],
            expected=expected,
            expected_u=expected_u,
            read=nominal(read),
            read_u=uncertainty(read) or 0.0,
            raw={
                "readings": values,
                "entry": {
                    k: v for k, v in self.data.items() if k in self.fields and k != "confirm"
                },
            },
            checked_by=user,
        )


BAR = (400.0, 700.0)


def bar_words(instrument: Instrument) -> str:
    """What a bar anybody can make should read on this machine; '' for other instruments."""
    if instrument.kind != "machine" or instrument.axis_mm is None:
        return ""
    mass, length = WithU(value=BAR[0], u=0.1), WithU(value=BAR[1], u=0.5)
    value = ReferenceBar(mass_g=mass, length_mm=length, axis_mm=instrument.axis_mm).reduce().value
    return f"{fixed(nominal(value), 1)} ± {fixed(uncertainty(value) or 0.0, 1)} kg·cm²"


def drift_level(instrument: Instrument, check: Check | None) -> Level:
    """A check as a vial shows it: centre is the reference, the marks its drift band."""
    if check is None:
        return Level(0.0, 0.0, None, None)
    return Level(check.read, check.drift, instrument.drift_band, check.u)


@require_safe
def index(request: Request) -> HttpResponse:
    rows = []
    for instrument in Instrument.live.prefetch_related("checks").annotate(readings=Count("uses")):
        check = next(iter(instrument.checks.all()), None)
        rows.append(
            {
                "instrument": instrument,
                "check": check,
                "level": drift_level(instrument, check),
                "troubles": instrument.troubles(),
                "repeatability": instrument.repeatability(),
            }
        )
    return render(request, "measuring/instruments.html", {"rows": rows})


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def show(request: Request, pk: int) -> HttpResponse:
    """One instrument with its drift. POST keeps a check."""
    instrument = get_object_or_404(Instrument, pk=pk)
    form = CheckForm(instrument, request.POST or None)
    if request.method == "POST" and form.is_valid():
        check = form.save(request.user)
        word = "inside" if check.is_level else "outside"
        messages.success(
            request,
            f"Checked: {digits(check.drift, 3, signed=True)} {instrument.unit}, {word} its band.",
        )
        return redirect(instrument)
    checks = list(instrument.checks.select_related("checked_by")[:40])
    for check in checks:
        check.instrument = instrument
    context = {
        "instrument": instrument,
        "form": form,
        "bar": bar_words(instrument),
        "checks": checks,
        "plot": plots.drift(instrument, checks),
        "level": drift_level(instrument, checks[0] if checks else None),
        "last": checks[0] if checks else None,
        "troubles": instrument.troubles(),
        "repeatability": instrument.repeatability(),
        "uses": instrument.uses.filter(reading__removed_at=None)
        .select_related("reading__frame")
        .order_by("-reading__read_at")[:8],
        "count": instrument.uses.count(),
    }
    return render(request, "measuring/instrument.html", context, status=422 if form.errors else 200)


@require_http_methods(["GET", "HEAD", "POST"])
@stored_once
def edit(request: Request, pk: int | None = None) -> HttpResponse:
    instrument = get_object_or_404(Instrument, pk=pk) if pk else None
    initial = {} if instrument else {"drift_band": 1, "resolution": 0.1}
    form = InstrumentForm(request.POST or None, instance=instrument, initial=initial)
    if request.method == "POST" and form.is_valid():
        return redirect(form.save())
    context = {"form": form, "instrument": instrument}
    return render(
        request, "measuring/instrument_edit.html", context, status=422 if form.errors else 200
    )


@require_POST
def archive(request: Request, pk: int) -> HttpResponse:
    """Archive an instrument; its readings stay."""
    instrument = get_object_or_404(Instrument.live, pk=pk)
    undo.remove(request, instrument, str(instrument))
    return redirect("instruments")
