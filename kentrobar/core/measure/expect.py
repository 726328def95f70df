"""What to expect of a measurement before it is begun: the uncertainty it will leave on this frame with
this kit, and what would improve it most.

The reading is imagined: its set-up as given, its readings as this frame would give them. It is then
reduced like any other, so the answer is the method's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kentrobar.core.frame.predict import Measured
from kentrobar.core.numbers import WithU, nominal, value_of

from .bifilar import bifilar_period
from .hung import hung_period
from .method import Measurement
from .pendulum import Jig, pendulum_period
from .taps import HAND_JITTER_S, u_of_taps

TAPS = 40
"""Taps a patient hand gives, to expect by."""


def expected(method: type[Any], setup: Mapping[str, Any], frame: Measured, taps: int = TAPS) -> Measurement:
    """The measurement this set-up would give of a frame like this one.

    Args:
        method: a reading's class. setup: its inputs but the readings themselves.
        frame: what the frame is thought to read.

    Raises:
        ValueError: this set-up cannot be, or nothing would swing with it.
    """
    body = frame.body()
    mass, balance = nominal(frame.mass_g), nominal(frame.balance_mm)
    recoil, twist = nominal(body.recoil_kgcm2), nominal(frame.twist_kgcm2 or 0.0)
    given = dict(setup)
    name = method.__dataclass_fields__["method"].default
    if name == "scale":
        given["readings_g"] = [mass * given.get("count", 1)] * 3
    elif name == "balance-board":
        given["readings_mm"] = [balance - value_of(given["offset_mm"])] * 3
    elif name == "knife-edge":
        given["readings_mm"] = [balance] * 3
    elif name == "two-scales":
        x1, x2 = value_of(given["x1_mm"]), value_of(given["x2_mm"])
        second = mass * (balance - x1) / (x2 - x1)
        given |= {"m1_g": max(mass - second, 0.1), "m2_g": max(second, 0.1)}
    elif name == "machine":
        given["readings_kgcm2"] = [nominal(body.swing_kgcm2(given["axis_mm"]))] * 3
    else:
        period = _period(name, given, mass, balance, recoil, twist)
        per_period = given.get("taps_per_period", 2)
        jitter = given.get("tap_jitter_s")
        u = per_period * u_of_taps(taps, HAND_JITTER_S if jitter is None else jitter)
        given["period_s"] = WithU(value=period, u=u)
    reading = method(**given)
    for path, reason in reading.faults():
        raise ValueError(f"{path}: {reason}")
    measurement: Measurement = reading.reduce()
    return measurement


def _period(
    name: str, given: Mapping[str, Any], mass: float, balance: float, recoil: float, twist: float
) -> float:
    if name == "pendulum":
        jig: Jig | None = given.get("jig")
        return pendulum_period(mass, balance, recoil, value_of(given["pivot_mm"]), jig)
    if name == "bifilar":
        inertia = recoil if given.get("long_axis") == "level" else twist
        top, bottom = value_of(given["spacing_top_mm"]), value_of(given["spacing_bottom_mm"])
        return bifilar_period(mass, inertia, top, bottom, value_of(given["thread_mm"]))
    return hung_period(mass, twist, value_of(given["hang_mm"]))
