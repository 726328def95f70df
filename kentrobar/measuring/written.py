"""From what was written into the boxes of a method to a ``kentrobar-reading/1`` document."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from statistics import fmean
from typing import Any

from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.readings import READING_FORMAT
from kentrobar.core.measure.method import Document, Input, Method
from kentrobar.core.measure.registry import key_of
from kentrobar.core.measure.surroundings import AIR_U, GRAVITY
from kentrobar.core.units import Typed, set_length
from kentrobar.shop.models import Settings

from .models import Instrument, Recording

LEAST_JITTER_S = 1e-4
AMPLITUDE_U = 0.2
"""Share of itself an amplitude judged by eye is uncertain by."""
AMPLITUDES = {"amplitude": "amplitude_deg", "amplitude_end": "amplitude_end_deg"}
"""box: key in the document."""
TIMING_KEYS = {"tap_times": "tap_times_s", "period": "period_s"} | AMPLITUDES


class BoxError(ValueError):
    """Something wrong in the boxes: ``faults`` are (box, what is wrong)."""

    def __init__(self, *faults: tuple[str, str]) -> None:
        self.faults = faults
        super().__init__("; ".join(reason for _, reason in faults))


def document_of(
    method: type[Method],
    cleaned: Mapping[str, Any],
    outline: Outline,
    recording: Recording | None = None,
) -> Document:
    """The raw reading of a frame of such an outline, as a document. Raises BoxError."""
    instrument = cleaned.get("instrument")
    written = {one.name: cleaned.get(one.name) for one in method.all_inputs()}
    near = fmean(one.value for one in cleaned["readings"]) if cleaned.get("readings") else None
    found, lacking = method.settled(inputs_of(method, written, instrument, near))
    if lacking:
        raise BoxError(*lacking)
    if method.readings is not None:
        found |= _repeats(method.readings[0], cleaned, found, instrument)
    if method.is_timed:
        found |= _timing(cleaned, instrument, recording)
    found |= surroundings_of(method, outline, found)
    return {"format": READING_FORMAT, "method": key_of(method)} | found


def inputs_of(
    method: type[Method],
    written: Mapping[str, Any],
    instrument: Instrument | None,
    near: float | None = None,
) -> Document:
    """What was written beside the readings, with what the instrument adds ``near`` them."""
    found: Document = dict(method.of_kit(instrument.kit(near) if instrument else None))
    for one in method.all_inputs():
        typed = written.get(one.name)
        if typed is None or typed == "":
            continue
        value = _given(one, typed, instrument) if isinstance(typed, Typed) else typed
        within, _, key = one.key.rpartition(".")
        (found.setdefault(within, {}) if within else found)[key] = value
    return found


def surroundings_of(method: type[Method], outline: Outline, found: Document) -> Document:
    """What swings with the frame in this workshop: the g of its place, what is usual of a swing
    nobody looked at, and the air a paddle's face carries where it is to be taken off."""
    workshop = Settings.load()
    around: Document = {}
    if method.is_timed:
        around["usual_swing"] = True
        if (g := workshop.gravity()) != GRAVITY:
            around["g_ms2"] = round(g, 5)
    if workshop.takes_air_off(is_timed=method.is_timed) and (air := method.air_of(outline, found)):
        around["air_kgcm2"] = {"value": round(air, 4), "u": round(AIR_U * air, 4)}
    return around


def _given(one: Input, typed: Typed, instrument: Instrument | None) -> Any:
    if one.is_exact:
        return typed.value
    if one.holds == "length":
        typed = set_length(typed)
    usual = one.u or 0.0
    if one.name == "offset" and instrument is not None:
        usual = instrument.zero_u()
    u = typed.read_u(usual)
    return {"value": typed.value, "u": u} if u else typed.value


def _repeats(
    key: str, cleaned: Mapping[str, Any], found: Document, instrument: Instrument | None
) -> Document:
    finest = f"resolution_{key.removeprefix('readings_')}"
    written = min(typed.step for typed in cleaned["readings"])
    return {
        key: [typed.value for typed in cleaned["readings"]],
        # As finely as it was written down; an instrument never shows more than it can.
        finest: max(found.get(finest, 0.0) if instrument else 0.0, written),
        "set_aside": asides(cleaned.get("set_aside", "")),
    }


def asides(text: str) -> list[dict[str, Any]]:
    """`3 the door slammed`, one a line: which reading, counted from 1, and why. Raises BoxError."""
    found = []
    for line in re.split(r"[\n;]+", text):
        if not line.strip():
            continue
        named = re.fullmatch(r"\s*(\d{1,5})[.:)]?\s*(.*?)\s*", line)
        if not named or int(named[1]) < 1:
            reason = f"“{line.strip()}”: write which reading and why: 3 the door slammed."
            raise BoxError(("set_aside", reason))
        found.append({"index": int(named[1]) - 1, "reason": named[2]})
    return found


def _timing(
    cleaned: Mapping[str, Any], instrument: Instrument | None, recording: Recording | None
) -> Document:
    """When it passed or how long a swing takes, and how wide it swung."""
    taps, period = cleaned.get("tap_times", "").split(), cleaned.get("period")
    found: Document = {}
    if recording is not None:
        # The recording's own period stands, unless somebody wrote another over it; of a film its
        # trace does, so that it can be reduced again.
        if "film" in recording.found:
            found["film"] = recording.found["film"]
        else:
            found["period_s"] = {"value": recording.found["period_s"], "u": recording.found["u"]}
            found["is_fitted"] = True
    elif taps:
        try:
            found["tap_times_s"] = [float(word.replace(",", ".")) for word in taps]
        except ValueError:
            reason = "Times of taps are seconds, one after another."
            raise BoxError(("tap_times", reason)) from None
        found["set_aside"] = asides(cleaned.get("set_aside", ""))
        found["taps_per_period"] = int(cleaned.get("taps_per_period") or 2)
        found |= jitter(instrument)
    elif period is not None:
        found["period_s"] = {"value": period.value, "u": period.read_u()}
    else:
        reason = "Tap at every pass, write a period, or hand in a film or a recording."
        raise BoxError(("tap_times", reason))
    return found | _amplitudes(cleaned, recording)


def jitter(instrument: Instrument | None) -> Document:
    """How evenly passes are told with a timer; nothing where a hand and an eye do it."""
    return {"tap_jitter_s": max(instrument.resolution, LEAST_JITTER_S)} if instrument else {}


def _amplitudes(cleaned: Mapping[str, Any], recording: Recording | None) -> Document:
    found = {
        key: amplitude(cleaned[name])
        for name, key in AMPLITUDES.items()
        if cleaned.get(name) is not None
    }
    first = found.get("amplitude_deg")
    if recording is not None and first and first["value"] and "amplitude_end_deg" not in found:
        # The recording knows how fast the swing died.
        facts = recording.found
        left = math.exp(-max(facts["decay_per_s"], 0.0) * facts["seconds"])
        found["amplitude_end_deg"] = {"value": first["value"] * left, "u": first["u"] * left}
    return found


def amplitude(typed: Typed) -> dict[str, float]:
    return {
        "value": typed.value,
        "u": AMPLITUDE_U * abs(typed.value) if typed.u is None else typed.u,
    }
