"""Simulators for a bench of instruments: one process, the same line protocols, true frames inside.

``python -m kentrobar.demo.simulators --port 7710`` listens on five loopback ports: one for the
panel's orders and one each for a scale that sends, a scale that answers, a swing-weight machine and
a light gate. It holds what frames truly are, which is not always what their record says, and what
instruments truly do: round, scatter, drift, and warm up. It imports the core and nothing of Django.
"""

from __future__ import annotations

import argparse
import json
import math
import os
import random
import secrets
import socket
import socketserver
import sys
import threading
import time
from dataclasses import dataclass, field
from typing import Any

from kentrobar.core.frame.condition import Part
from kentrobar.core.geometry.kinds import outline_of
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.measure.balance import support_loads
from kentrobar.core.measure.bifilar import bifilar_period
from kentrobar.core.measure.pendulum import THIN_PIN_MM, pendulum_period
from kentrobar.core.measure.surroundings import face_air_kgcm2, face_air_twist_kgcm2, roll_mm
from kentrobar.core.numbers import nominal
from kentrobar.core.pieces.body import KGCM2, Body
from kentrobar.core.pieces.kinds import body_of

DEVICES = ("scale", "second scale", "machine", "sensor")
MACHINE_AXIS = 100.0
SETTLES = 0.7
"""Seconds until a scale comes to rest."""
WARMS_IN = 120.0

# What demo frames truly are, as played: g, mm, swing weight about 100 mm, twist weight. Tern no. 11
# was
# written down with its old overgrip, the Plover's swing weight was copied from a sheet, the Shoal
# was
# weighed on a kitchen scale.
TRUE_FRAMES = {
    "Tern 98 · no. 07": (316.83, 323.46, 314.9, 13.36),
    "Tern 98 · no. 11": (321.24, 321.0, 318.3, 13.52),
    "Plover Tour · HP 2231": (323.05, 320.9, 317.6, 12.71),
    "Sanderling 112 · club 3": (292.4, 365.2, 341.0, 15.3),
    "Wren Junior · green dot": (262.3, 317.6, 266.4, 11.15),
    "Shoal 16 · A-114": (228.1, 233.2, 80.9, 6.33),
    "Lugger Long · L-09": (221.6, 240.8, 88.1, 5.94),
    "Cockle Round": (229.4, 236.3, 80.0, 5.57),
}
TRUE_PARTS = {"strings": 16.72, "overgrip": 5.38, "dampener": 2.44, "edge-tape": 4.8}


@dataclass
class Thing:
    """What lies on the bench: its Body, and its outline where it is a frame."""

    name: str
    body: Body
    outline: Outline | None = None


def bare_body(name: str, outline: Outline, read: dict[str, Any] | None = None) -> Body:
    """What a frame truly is without strings, overgrip and the rest: the demo's as told here, others
    as they were read; what nobody read is made up, always the same for the same name.

    Args:
        read: figures about 100 mm, and the ``parts`` that were on.
    """
    on = list(_usual_parts(outline))
    if name in TRUE_FRAMES:
        mass, balance, swing, twist = TRUE_FRAMES[name]
    else:
        rng = random.Random(f"Skerrow {name}")
        is_racket = outline.kind == "racket"
        mass = rng.gauss(318, 5) if is_racket else rng.gauss(228, 4)
        balance = outline.length_mm * (
            rng.gauss(0.472, 0.006) if is_racket else rng.gauss(0.575, 0.006)
        )
        k = outline.length_mm * (rng.gauss(0.33, 0.003) if is_racket else rng.gauss(0.305, 0.003))
        twist = rng.gauss(13.4, 0.4) if is_racket else rng.gauss(6.2, 0.2)
        swing = mass * (k * k + (balance - 100) ** 2) / KGCM2
        if read:
            mass, balance, swing = (read[one] for one in ("mass_g", "balance_mm", "swing_kgcm2"))
            twist, on = read["twist_kgcm2"] or twist, list(read["parts"])
    body = Body.from_figures(
        mass_g=mass, balance_mm=balance, swing_kgcm2=swing, axis_mm=100, twist_kgcm2=twist
    )
    return body - parts_body(on, outline)


def _usual_parts(outline: Outline) -> tuple[str, ...]:
    return ("strings", "overgrip", "dampener") if outline.kind == "racket" else ("overgrip",)


def parts_body(kinds: list[str], outline: Outline) -> Body:
    """Parts at their true masses, exactly where they usually sit."""
    return sum(
        (
            Part(kind=kind, mass_g=TRUE_PARTS[kind], place_u_mm=0.0).body(outline)
            for kind in kinds
            if kind in TRUE_PARTS
        ),
        Body(),
    )


def fitted_body(pieces: list[Any], outline: Outline, name: str) -> Body:
    """Pieces as a hand fits them: cut a little long or short."""
    total = Body()
    for i, values in enumerate(pieces):
        rng = random.Random(f"{name} {i}")
        total = total + body_of(parse_piece(values), outline) * (1 + rng.gauss(0, 0.01))
    return total


@dataclass
class SimulatedBench:
    """What lies where, since when, and what is wrong with each device."""

    rng: random.Random = field(default_factory=lambda: random.Random(3))
    thing: Thing | None = None
    station: str = ""
    at: dict[str, float] = field(default_factory=dict)
    since: float = field(default_factory=time.monotonic)
    switched_on: float = field(default_factory=time.monotonic)
    faults: dict[str, str] = field(default_factory=dict)
    zero: dict[str, float] = field(default_factory=dict)
    is_warm: bool = False

    def put(self, order: dict[str, Any]) -> str:
        """Lay something on the bench. Returns what to say."""
        station = str(order.get("station", ""))
        if station == "off":
            self.thing, self.station, self.since = None, "", time.monotonic()
            return "The bench is empty."
        if "reference" in order:
            self.thing = Thing(str(order["reference"]), _reference(order))
        else:
            values = dict(order["frame"])
            outline = outline_of(values.pop("kind"), values)
            name = str(order["name"])
            bare = bare_body(name, outline, order.get("read"))
            body = bare + parts_body(list(order.get("parts", ())), outline)
            body = body + fitted_body(list(order.get("pieces", ())), outline, name)
            self.thing = Thing(name, body, outline)
        self.station, self.since = station, time.monotonic()
        self.at = {key: float(value) for key, value in dict(order.get("at", {})).items()}
        return f"{self.thing.name} is on the {station}."

    # --- what devices read ---

    def load(self, device: str) -> float:
        """True grams on a scale."""
        if self.thing is None:
            return 0.0
        mass = nominal(self.thing.body.mass)
        if self.station == "supports":
            x1, x2 = self.at.get("x1", 20.0), self.at.get("x2", 660.0)
            loads = support_loads(mass, nominal(self.thing.body.balance), x1, x2)
            return loads[device == "second scale"]
        return mass if self.station == "scale" and device == "scale" else 0.0

    def weigh(self, device: str) -> tuple[float, bool]:
        """(grams as shown, at rest). Fresh from the switch a scale reads high for a while."""
        age = time.monotonic() - self.since
        warming = (
            0.0
            if self.is_warm
            else 0.4 * math.exp(-(time.monotonic() - self.switched_on) / WARMS_IN * 4)
        )
        swing = 0.0 if age > SETTLES else 3.0 * math.exp(-age * 4) * math.sin(age * 25)
        error = (0.05 if device == "scale" else -0.03) + 0.02 * self.drift()
        grams = self.load(device) + swing + warming + error + self.rng.gauss(0, 0.04)
        return round((grams - self.zero.get(device, 0.0)) * 10) / 10, age > SETTLES

    def drift(self) -> float:
        """How far instruments have wandered since they were switched on, −1…1, over a quarter of an
        hour."""
        return math.sin((time.monotonic() - self.switched_on) / 900 * 2 * math.pi)

    def tare(self, device: str) -> None:
        self.zero[device] = 0.0
        self.zero[device] = self.weigh(device)[0]

    def swing_weight(self) -> float | None:
        """What the machine finds, kg·cm², or None with nothing in it."""
        if self.thing is None or self.station not in ("machine", "machine flat"):
            return None
        body = self.thing.body
        true = nominal(body.swing_kgcm2(MACHINE_AXIS))
        flat = nominal(body.twist_kgcm2) if self.station == "machine flat" else 0.0
        return round((true + flat + 0.7 + 0.15 * self.drift() + self.rng.gauss(0, 0.25)) * 10) / 10

    def period(self) -> float | None:
        """The period of what swings past the sensor, s, or None."""
        if self.thing is None:
            return None
        body = self.thing.body
        mass, balance = nominal(body.mass), nominal(body.balance)
        recoil, twist = nominal(body.recoil_kgcm2), nominal(body.twist_kgcm2)
        outline = self.thing.outline
        if self.station == "pendulum":
            pivot = self.at.get("pivot", 640.0)
            # A racket rolls on its pin, a paddle pushes air along.
            is_racket = outline is not None and outline.kind == "racket"
            recoil += face_air_kgcm2(outline, pivot) if outline else 0.0
            roll = roll_mm(THIN_PIN_MM) if is_racket else 0.0
            return pendulum_period(mass, balance, recoil, pivot, roll=roll)
        if self.station == "threads":
            twist += face_air_twist_kgcm2(outline) if outline else 0.0
            apart, thread = self.at.get("spacing", 236.0), self.at.get("thread", 800.0)
            return bifilar_period(mass, twist, apart, apart, thread)
        return None


def _reference(order: dict[str, Any]) -> Body:
    mass, length = float(order.get("mass_g", 500.0)), float(order.get("length_mm", 0.0))
    return Body(mass, mass * length / 2, mass * length * length / 3)


# --- lines ---------------------------------------------------------------------------------------


class Device(socketserver.BaseRequestHandler):
    """One connection to one simulator."""

    bench: SimulatedBench
    name: str

    def handle(self) -> None:
        self.request.settimeout(0.02)
        self.swung = 0.0
        next_line = passes = 0.0
        try:
            while True:
                fault = self.bench.faults.get(self.name, "")
                if fault == "unplugged":
                    return
                asked = self._listen()
                if fault == "frozen":
                    continue
                if fault == "flooding":
                    self._send("".join(self._line() or "= 0.0 g\r\n" for _ in range(200)))
                    continue
                if fault == "garbled":
                    self._send("\x7f\x81@@##}{!\x02\r\n")
                    continue
                now = time.monotonic()
                if self.name == "sensor":
                    passes = self._passes(passes, now)
                elif self.name == "scale" and now > next_line:
                    line = self._line()
                    # A line comes in two halves now and then, as lines do.
                    self._send(line[:4])
                    self._send(line[4:])
                    next_line = now + 0.1
                elif asked:
                    self._send(self._line())
        except (OSError, ValueError):
            return

    def _send(self, text: str) -> None:
        if text:
            self.request.sendall(text.encode("latin-1", errors="replace"))

    def _listen(self) -> bool:
        try:
            data = self.request.recv(256)
        except TimeoutError:
            return False
        if not data:
            raise ValueError("closed")
        if b"0" in data and self.name in ("scale", "second scale"):
            self.bench.tare(self.name)
        return b"?" in data

    def _line(self) -> str:
        if self.name == "machine":
            found = self.bench.swing_weight()
            return (
                "~ 0.0 kgcm2\r\n"
                if found is None
                else f"= {found:.1f} kgcm2 @ {MACHINE_AXIS:g} mm\r\n"
            )
        grams, at_rest = self.bench.weigh(self.name)
        mark = "=" if at_rest else "~"
        if self.name == "second scale":
            return f"{mark} {grams / 28.349523125:.4f} oz\r\n"
        return f"{mark} {grams:+8.1f} g\r\n"

    def _passes(self, last: float, now: float) -> float:
        """Send the passes that are due; the swing dies away and its period with it."""
        period = self.bench.period()
        if period is None:
            return 0.0
        if last < self.bench.since:
            self.swung = 0.0
            last = self.bench.since + 0.4
        theta = math.radians(8) * math.exp(-0.01 * (last - self.bench.since))
        step = period / 2 * (1 + theta * theta / 16)
        if now < last + step:
            return last
        last += step
        self._send(f"P {last + self.bench.rng.gauss(0, 0.0005):.5f}\r\n")
        return last


SECRET = os.environ.get("KENTROBAR_SIMULATORS_SECRET", "")
"""Secret of one start of one clone: simulators of another take no orders from here."""


class Panel(socketserver.StreamRequestHandler):
    """Orders, one JSON object a line, one answer a line."""

    bench: SimulatedBench

    def handle(self) -> None:
        for line in self.rfile:
            try:
                asked = json.loads(line)
                if not secrets.compare_digest(str(asked.pop("secret", "")), SECRET):
                    raise ValueError("these are another Kentrobar's simulators")
                answer = {"said": self._obey(asked)}
            except (ValueError, KeyError, TypeError, ZeroDivisionError) as error:
                answer = {"error": str(error)}
            state = {
                "on": self.bench.thing.name if self.bench.thing else "",
                "station": self.bench.station,
                "faults": dict(self.bench.faults),
            }
            self.wfile.write(json.dumps(answer | state).encode() + b"\n")

    def _obey(self, order: dict[str, Any]) -> str:
        what = order.get("order")
        if what == "put":
            return self.bench.put(order)
        if what == "fault":
            device, fault = str(order["device"]), str(order["fault"])
            if device not in DEVICES:
                raise ValueError(f"no such device: {device}")
            self.bench.faults[device] = "" if fault == "none" else fault
            return f"The {device} is {fault}." if fault != "none" else f"The {device} is well."
        if what == "warm":
            self.bench.is_warm = True
            return "Warm."
        return ""


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True


class _Line(_Server):
    """A device's port: closed to all comers while it is unplugged."""

    def verify_request(self, request: Any, client_address: Any) -> bool:
        handler: Any = self.RequestHandlerClass
        return handler.bench.faults.get(handler.name) != "unplugged"


def serve(port: int, bench: SimulatedBench) -> list[_Server]:
    """Start the panel's port and the four devices' after it; returns the servers, running."""
    servers: list[_Server] = [
        _Server(("127.0.0.1", port), type("Panel", (Panel,), {"bench": bench}))
    ]
    for i, name in enumerate(DEVICES, 1):
        handler = type("Device", (Device,), {"bench": bench, "name": name})
        servers.append(_Line(("127.0.0.1", port + i), handler))
    for server in servers:
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
    return servers


def order(port: int, message: dict[str, Any], timeout: float = 1.0) -> dict[str, Any]:
    """Send one order to the simulators. Raises OSError where nobody answers in time."""
    with socket.create_connection(("127.0.0.1", port), timeout) as line:
        line.sendall(json.dumps(message | {"secret": SECRET}).encode() + b"\n")
        answer = line.makefile("rb").readline()
    if not answer:
        raise OSError("the simulators closed the line")
    found: dict[str, Any] = json.loads(answer)
    return found


def main() -> int:
    parser = argparse.ArgumentParser(
        description="Simulators for a bench of instruments, on loopback."
    )
    parser.add_argument(
        "--port", type=int, default=7710, help="the panel’s port; devices take the next four"
    )
    parser.add_argument("--warm", action="store_true", help="instruments have warmed up")
    parser.add_argument("--seed", type=int, default=3)
    options = parser.parse_args()
    try:
        serve(options.port, SimulatedBench(rng=random.Random(options.seed), is_warm=options.warm))
    except OSError as error:
        print(
            f"simulators: port {options.port} and the next four are needed: {error}",
            file=sys.stderr,
        )
        return 1
    print(f"Simulators listen from port {options.port} on.", flush=True)
    threading.Event().wait()
    return 0


if __name__ == "__main__":
    sys.exit(main())
