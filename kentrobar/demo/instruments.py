"""The instruments of the demo workshop, their checks, and a frame read with them by hand."""

from __future__ import annotations

import random
from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.utils import timezone

from kentrobar.core.frame.together import slopes
from kentrobar.core.io.readings import READING_FORMAT, reading_of, reduced
from kentrobar.core.measure.pendulum import pendulum_period
from kentrobar.core.measure.sample import sample
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.frames.models import FittedPart, Frame, Reading
from kentrobar.measuring.models import Check, Instrument, Use

INSTRUMENTS = [
    {"name": "Skerrow scale", "kind": "scale", "resolution": 0.1, "drift_band": 0.3},
    {
        "name": "Second scale",
        "kind": "scale",
        "resolution": 0.1,
        "drift_band": 0.3,
        "talk": "asked",
    },
    {"name": "Kitchen scale", "kind": "scale", "resolution": 1.0, "drift_band": 1.0},
    {
        "name": "Long board",
        "kind": "board",
        "resolution": 0.5,
        "drift_band": 1.0,
        "offset_mm": 250.0,
    },
    {"name": "Steel tape", "kind": "tape", "resolution": 1.0, "drift_band": 1.0, "check_days": 365},
    {
        "name": "Gannet machine",
        "kind": "machine",
        "resolution": 0.1,
        "drift_band": 1.5,
        "axis_mm": 100.0,
        "talk": "asked",
    },
    {
        "name": "Light gate",
        "kind": "timer",
        "resolution": 0.001,
        "drift_band": 0.01,
        "check_days": 365,
    },
]
LINES = {"Skerrow scale": 1, "Second scale": 2, "Gannet machine": 3, "Light gate": 4}
"""Which of the simulators' ports, counted from the panel's, each instrument hangs on."""

# (instrument, reference, expected, days ago, what it read more)
CHECKS = [
    ("Skerrow scale", "500 g mass", 500.0, (92, 61, 33, 12), (0.02, 0.05, 0.03, 0.05)),
    ("Second scale", "500 g mass", 500.0, (61, 12), (0.0, -0.03)),
    ("Kitchen scale", "500 g mass", 500.0, (210,), (1.3,)),
    ("Long board", "even bar, 700 mm", 350.0, (40, 9), (0.2, 0.1)),
    ("Steel tape", "500 mm rule", 500.0, (120,), (0.1,)),
    ("Gannet machine", "the 700 mm bar", 413.33, (120, 88, 60, 29, 6), (0.1, 0.25, 0.4, 0.6, 0.7)),
    ("Light gate", "quartz seconds", 1.0, (30,), (0.0002,)),
]


def plug_in(port: int) -> None:
    """Let the demo instruments hang on the simulators that listen from ``port`` on."""
    for name, place in LINES.items():
        ours = Instrument.objects.filter(name=name)
        # Somebody who moved an instrument to a real line keeps it there.
        ours.filter(port__in=["", *_ports(name)]).update(port=f"socket://127.0.0.1:{port + place}")


def _ports(name: str) -> list[str]:
    used = Instrument.objects.filter(name=name, port__startswith="socket://127.0.0.1:")
    return list(used.values_list("port", flat=True))


def equip(user: User) -> None:
    """Instruments with their checks, what is on the Terns, and how no. 11 was read."""
    bench = {str(facts["name"]): Instrument.objects.create(**facts) for facts in INSTRUMENTS}
    now = timezone.now()
    for name, reference, expected, ages, offs in CHECKS:
        instrument = bench[name]
        for age, off in zip(ages, offs, strict=True):
            Check.objects.create(
                instrument=instrument,
                reference=reference,
                expected=expected,
                read=expected + off,
                read_u=instrument.resolution / 2,
                checked_at=now - timedelta(days=age),
                checked_by=user,
                raw={"entry": {"reference": reference, "expected": f"{expected:g}"}},
            )
    for serial in ("no. 07", "no. 11"):
        frame = Frame.objects.get(serial=serial)
        for kind, name, mass, u in (
            ("strings", "multifilament", 16.6, 0.3),
            ("overgrip", "tacky", 5.5, 0.1),
            ("dampener", "", 2.4, 0.1),
        ):
            FittedPart.objects.create(
                frame=frame,
                kind=kind,
                name=name,
                gauge_mm=1.25 if kind == "strings" else None,
                mass_g=mass,
                u_g=u,
                is_weighed=True,
            )
    _read_by_hand(Frame.objects.get(serial="no. 11"), bench, user)


def _documents() -> list[tuple[int, str | None, str, dict[str, Any]]]:
    """(days ago, instrument, figure, what was read): the raw readings of one frame, by hand."""
    mass, balance = {"value": 319.87, "u": 0.06}, {"value": 321.9, "u": 0.42}
    first = _weighed([319.8, 319.9, 319.9, 320.0, 319.9])
    again = _weighed([319.9, 320.0, 319.9, 318.7, 319.9]) | {
        "drift_g": {"value": 0.05, "u": 0.05},
        "set_aside": [{"index": 3, "reason": "the table was leaned on"}],
    }
    return [
        (23, "Skerrow scale", "mass_g", first),
        (23, "Long board", "balance_mm", _laid_on([72.0, 72.0, 71.5, 72.5])),
        (9, "Skerrow scale", "mass_g", again),
        (9, "Long board", "balance_mm", _laid_on([72.0, 71.5, 72.0])),
        (9, None, "swing_kgcm2", _swung(mass, balance)),
        (8, None, "twist_kgcm2", _twisted(mass)),
    ]


def _weighed(readings: list[float]) -> dict[str, Any]:
    return {"method": "scale", "resolution_g": 0.1, "readings_g": readings}


def _laid_on(readings: list[float]) -> dict[str, Any]:
    return {
        "method": "balance-board",
        "readings_mm": readings,
        "resolution_mm": 0.5,
        "offset_mm": {"value": 250.0, "u": 0.4},
    }


def _swung(mass: dict[str, float], balance: dict[str, float]) -> dict[str, Any]:
    rng = random.Random(11)
    gap = pendulum_period(319.9, 322.0, 160.5, 643) / 2 * 1.0012
    return {
        "method": "pendulum",
        "mass_g": mass,
        "balance_mm": balance,
        "axis_mm": 100.0,
        "pivot_mm": {"value": 643.0, "u": 0.5},
        "tap_times_s": [round(0.4 + i * gap + rng.gauss(0, 0.014), 4) for i in range(41)],
        "taps_per_period": 2,
        "amplitude_deg": {"value": 8.0, "u": 1.6},
        "amplitude_end_deg": {"value": 5.0, "u": 1.0},
    }


def _twisted(mass: dict[str, float]) -> dict[str, Any]:
    return {
        "method": "bifilar",
        "mass_g": mass,
        "long_axis": "vertical",
        "thread_mm": {"value": 900, "u": 1.0},
        "spacing_top_mm": {"value": 236.0, "u": 0.5},
        "spacing_bottom_mm": {"value": 236.0, "u": 0.5},
        "period_s": {"value": 1.0497, "u": 0.001},
    }


def _read_by_hand(frame: Frame, bench: dict[str, Instrument], user: User) -> None:
    for age, name, quantity, values in _documents():
        raw: dict[str, Any] = {"format": READING_FORMAT} | values
        found = reading_of(raw)
        value = reduced(found).figures[quantity]
        reading = Reading.objects.create(
            frame=frame,
            quantity=quantity,
            value=nominal(value),
            u=uncertainty(value),
            method=raw["method"],
            slopes=slopes(value, raw),
            axis_mm=raw.get("axis_mm"),
            condition="as-played",
            raw=raw,
            read_by=user,
            repeats=len(
                raw.get("readings_g") or raw.get("readings_mm") or raw.get("tap_times_s") or [0]
            ),
            read_at=timezone.now() - timedelta(days=age),
        )
        if name:
            seen = sample(
                raw.get("readings_g") or raw["readings_mm"],
                set_aside=getattr(found, "set_aside", ()),
            )
            Use.objects.create(
                reading=reading,
                instrument=bench[name],
                spread=seen.spread or 0.0,
                freedom=seen.n - 1,
            )
