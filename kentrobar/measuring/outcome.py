"""What a measurement shows while it is being taken: result, spread, each reading, what to
improve."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import pairwise

from kentrobar.core.measure.method import BUDGET_WORDS, best_improvement, budget
from kentrobar.core.measure.sample import GUESSED_DOF, Sample, sample
from kentrobar.core.measure.taps import TapFit, TooFewTapsError, fit
from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.quantities import FIGURES
from kentrobar.core.reader import axis_text, digits, fixed
from kentrobar.core.words.amounts import unit_in, unit_of
from kentrobar.frames.choices import Quantity

from . import plots
from .forms import MeasureForm
from .written import asides

NAMES = dict(Quantity.choices)


@dataclass(frozen=True, slots=True)
class Result:
    name: str
    value: str
    u: str
    unit: str
    aside: str = ""


@dataclass(frozen=True, slots=True)
class Single:
    """One raw reading among its fellows; ``z`` is given where it stands apart."""

    number: int
    text: str
    z: str = ""
    aside: str | None = None


@dataclass
class ReadingOutcome:
    """The outcome partial, from a form as it stands."""

    form: MeasureForm
    results: list[Result] = field(default_factory=list)
    singles: list[Single] = field(default_factory=list)
    facts: list[str] = field(default_factory=list)
    shares: list[tuple[str, str, int]] = field(default_factory=list)
    improve: str = ""
    notes: list[str] = field(default_factory=list)
    doubts: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)
    doubles: list[int] = field(default_factory=list)
    strays: list[int] = field(default_factory=list)
    plot: plots.Plot | None = None
    expected: Result | None = None
    taps: int = 0
    is_enough: bool = False
    is_begun: bool = False


def outcome(form: MeasureForm) -> ReadingOutcome:
    """Work out what to show. Call after ``form.is_valid()`` where the form is bound."""
    found = ReadingOutcome(form)
    instrument = form.chosen_instrument()
    if instrument is not None:
        found.troubles = instrument.troubles()
    _timing(found)
    if form.measurement is not None:
        _measured(found)
    else:
        begun = ("readings", "tap_times", "period", "recording")
        found.is_begun = form.is_bound and any(form.text_of(name) for name in begun)
        if found.is_begun:
            found.faults = [str(error) for errors in form.errors.values() for error in errors][:1]
        expected = form.expectation()
        if expected is not None and expected.u:
            found.expected = result(expected.quantity, expected.value)
            found.shares = shares(expected.quantity, expected.value)
            found.improve = best_improvement(expected.value)
            found.notes = [note.said for note in expected.notes]
    found.doubts = [doubt.text for doubt in form.doubts]
    return found


def _measured(found: ReadingOutcome) -> None:
    form, measurement = found.form, found.form.measurement
    assert measurement is not None
    found.is_begun = True
    found.results = [
        result(name, value, axis) for name, (value, axis) in form.results().items()
    ] or [result(measurement.quantity, measurement.value)]
    found.shares = shares(measurement.quantity, measurement.value)
    found.improve = best_improvement(measurement.value)
    apart = dict(measurement.apart)
    # What stands apart is pointed out at the reading itself.
    found.notes = [note.said for note in measurement.notes if note.code != "stands-apart"]
    figures = measurement.figures
    if form.method.readings is not None:
        name, in_unit, _ = form.method.readings
        values = form.document[name]
        aside = {row["index"]: row["reason"] for row in form.document.get("set_aside", ())}
        here = unit_in(in_unit)
        factor, unit = (here.size, here.key) if here else (1.0, "")
        found.singles = [
            Single(
                i + 1,
                digits(value / factor, 6),
                fixed(apart[i], 1, True) if i in apart else "",
                aside.get(i),
            )
            for i, value in enumerate(values)
        ]
        _facts(found, sample(values, set_aside=form.not_counted()), factor, unit or "kg·cm²")
        _drift(found, name, factor, unit or "kg·cm²")
        _whose_scatter(found, name, factor, unit or "kg·cm²")
    if "period_s" in figures:
        period = figures["period_s"]
        u = uncertainty(period)
        found.facts.append(
            f"period {fixed(nominal(period), 4)}{f' ± {fixed(u, 4)}' if u else ''} s"
        )
        if "recoil_kgcm2" in figures and measurement.quantity != "recoil_kgcm2":
            found.facts.append(f"recoil {fixed(nominal(figures['recoil_kgcm2']), 1)}")
    goal = form.cleaned_data.get("goal")
    found.is_enough = bool(goal and measurement.u and measurement.u <= goal and found.taps >= 10)


def _facts(found: ReadingOutcome, seen: Sample, factor: float, unit: str) -> None:
    found.facts = [
        f"{seen.n} reading{'s' if seen.n != 1 else ''}",
        f"mean {digits(seen.mean / factor, 6)} {unit}",
    ]
    if seen.spread is not None:
        found.facts.append(f"spread {digits(seen.spread / factor)} {unit}")


def _drift(found: ReadingOutcome, name: str, factor: float, unit: str) -> None:
    """What an instrument is known to read too much or too little, which the figure is without."""
    drift = found.form.document.get(name.replace("readings", "drift"))
    value = drift["value"] if isinstance(drift, dict) else drift
    if value:
        less, much = ("less", "much") if value > 0 else ("with", "little")
        amount = f"{digits(abs(value) / factor)} {unit}"
        found.facts.append(f"{less} the {amount} it reads too {much}")


def _whose_scatter(found: ReadingOutcome, name: str, factor: float, unit: str) -> None:
    """Whether the instrument's scatter is its own, from earlier repeats, or only usual."""
    document = found.form.document
    scatter = document.get(name.replace("readings", "repeatability"))
    if not scatter:
        return
    is_own = document["repeatability_freedom"] != GUESSED_DOF
    figure = f"{digits(scatter / factor)} {unit}"
    found.facts.append(
        f"its own scatter {figure}" if is_own else f"scatter taken as usual, {figure}"
    )


def _timing(found: ReadingOutcome) -> None:
    """The run of taps as far as it is, even before it comes to a figure."""
    form = found.form
    if form.recording is not None:
        found.plot = plots.recording(form.recording.found["plot"])
        found.facts = [form.recording.found["words"]]
        return
    if not form.method.is_timed or not form.is_bound:
        return
    run = tap_run(form)
    found.taps = len(form.text_of("tap_times").split())
    if run is None:
        return
    found.doubles = [i + 1 for i in run.doubles]
    found.strays = [i + 1 for i in run.stray]
    found.plot = plots.residuals(run)
    found.facts = [f"{len(run.kept)} taps, scattering by {run.s * 1000:.0f} ms"]


def tap_run(form: MeasureForm) -> TapFit | None:
    try:
        times = [float(word) for word in form.text_of("tap_times").split()]
        aside = {row["index"] for row in asides((form.cleaned_data or {}).get("set_aside", ""))}
    except (ValueError, AttributeError):
        return None
    if any(not b > a for a, b in pairwise(times)):
        return None
    try:
        return fit(times, aside)
    except (TooFewTapsError, ZeroDivisionError):
        return None


def result(name: str, value: Number, axis: float | None = None) -> Result:
    unit, u = unit_of(name), uncertainty(value)
    # A scale reads a frame to a hundredth, which the list of frames need not show.
    finer = FIGURES[name].finer if name in FIGURES else 0
    places = unit.change_places if name == "mass_g" else unit.places + finer
    label = NAMES.get(name, name.split("_")[0] + " weight")
    aside = f"about {axis_text(axis)}" if axis is not None else ""
    shown_u = digits(u / unit.size) if u else ""
    return Result(label, fixed(nominal(value) / unit.size, places), shown_u, unit.key, aside)


def shares(name: str, value: Number) -> list[tuple[str, str, int]]:
    """(what, its share with the unit a reading is said in, percent of the whole square) of the
    three largest."""
    parts = budget(value)
    whole = sum(u * u for u in parts.values()) or 1.0
    unit = unit_of(name)
    return [
        (
            BUDGET_WORDS.get(tag, tag),
            f"{digits(u / unit.size)} {unit.key}",
            round(100 * u * u / whole),
        )
        for tag, u in list(parts.items())[:3]
    ]
