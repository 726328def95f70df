"""What devices say, line by line, and a line kept open: Django-free, one thread a line.

A device sends lines of text. Ours are read with patience: a number, perhaps a unit, perhaps a mark
that says whether it is at rest. What cannot be read is counted, never guessed at. A ``Watch`` opens
the line by any pyserial URL, follows it, and tells a sink the newest state; it never blocks
anybody.
"""

from __future__ import annotations

import math
import queue
import re
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import serial

from kentrobar.core.units import INERTIA, MASS

AT_REST = {"=", "st", "s", "stable", "rest", "ok"}
MOVING = {"~", "us", "u", "d", "unstable", "moving", "dyn"}
UNITS = {
    "scale": MASS,
    "machine": INERTIA,
    "board": {"mm": 1.0, "cm": 10.0},
    "timer": {"s": 1.0, "ms": 0.001},
}
SPELLED = {
    "kgcm2": "kg·cm²",
    "kg.cm2": "kg·cm²",
    "kgcm^2": "kg·cm²",
    "kgm2": "kg·m²",
    "ozin2": "oz·in²",
}
SILENT_AFTER = 2.0
GARBLED_AFTER = 3
LONGEST_LINE = 200
LISTEN_S, ASK_EVERY = 0.03, 0.15
IDLE_LISTEN_S, IDLE_ASK_EVERY = 0.4, 0.5
"""How long a read waits, and how often a device is asked: while something moves, and when nothing
has for IDLE_AFTER. The first news is then up to half a second late."""
FLICKER, FLICKERS = 2.5, {"scale": 0.15, "machine": 0.3, "board": 0.3}
"""A figure that wanders by so many steps of its last digit, or by so much, does not move."""
IDLE_AFTER = 4.0
FLICKER_EVERY = 1.0
"""A last digit that wanders is told so often."""
RETRY_EVERY = 0.5
RUN_ENDS_AFTER = 3.0
MOST_PASSES = 400
TELL_EVERY = 0.04
"""Newest figures are told at most this often, however fast a device talks."""


@dataclass(frozen=True, slots=True)
class Heard:
    """A line understood: ``value`` in g, kg·cm², mm or s."""

    value: float
    is_stable: bool
    step: float = 0.0
    """Of its last digit."""


def understand(text: str, kind: str) -> Heard | None:
    """The figure in a line, or None for a line that holds none for this kind of instrument."""
    words = re.sub(r"([+\-])\s+(?=\d)", r"\1", text.replace(",", " ")).split()
    numbers = [
        word
        for word in words
        if re.fullmatch(r"[+\-]?\d{1,12}(\.\d{1,9})?(?!\d)[a-zA-Z·²^.0-9]*", word)
    ]
    if not numbers or len(text) > LONGEST_LINE:
        return None
    split = re.match(r"([+\-]?\d+(?:\.\d+)?)(.*)", numbers[0])
    assert split
    after = words[words.index(numbers[0]) + 1 :]
    unit = split[2] or next((word for word in after if not re.match(r"[\d+\-@(]", word)), "")
    unit = SPELLED.get(unit.lower().replace("·", ""), unit)
    table = UNITS.get(kind, {})
    if unit and unit.lower() not in AT_REST | MOVING:
        factor = table.get(unit) or table.get(unit.lower())
        if factor is None:
            return None
    else:
        factor = 1.0
    flags = {word.lower() for word in words}
    value = float(split[1]) * factor
    step = factor * 10.0 ** -len(split[1].partition(".")[2])
    return Heard(value, not flags & MOVING, step) if math.isfinite(value) else None


@dataclass(frozen=True, slots=True)
class LineState:
    """The newest state of a line, as the sink gets it."""

    state: str = "opening"
    word: str = ""
    value: float | None = None
    is_stable: bool = False
    text: str = ""
    passes: tuple[float, ...] = ()
    heard: float | None = None
    """When the figure came, ``time.time()``."""


@dataclass(frozen=True, slots=True)
class Wiring:
    """What a watch must know of an instrument."""

    key: int
    name: str
    kind: str
    port: str
    baud: int = 9600
    is_asked: bool = False
    ask: str = "?"
    tare: str = "0"


@dataclass
class Watch:
    """Follows one line in a thread of its own until stopped."""

    wiring: Wiring
    sink: Callable[[Wiring, LineState], None]
    done: Callable[[], None] = lambda: None
    orders: queue.Queue[str] = field(default_factory=queue.Queue)
    told: LineState = field(default_factory=LineState)
    _stop: threading.Event = field(default_factory=threading.Event)
    _thread: threading.Thread | None = None
    _lost: str = ""
    _bad: int = 0
    _last_line: float = 0.0
    _last_told: float = 0.0
    _last_news: float = 0.0
    _stood_at: float = math.inf
    _is_idle: bool = False

    def start(self) -> None:
        self._thread = threading.Thread(
            target=self._run, daemon=True, name=f"line {self.wiring.name}"
        )
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()

    @property
    def is_heard(self) -> bool:
        """Whether a figure came just now, the same as before or not."""
        return self.told.heard is not None and time.time() - self.told.heard < SILENT_AFTER

    def join(self) -> None:
        if self._thread is not None:
            self._thread.join(5)

    # --- the thread ---

    def _run(self) -> None:
        try:
            while not self._stop.is_set():
                try:
                    with serial.serial_for_url(
                        self.wiring.port, self.wiring.baud, timeout=LISTEN_S
                    ) as line:
                        self._follow(line)
                except (serial.SerialException, OSError, ValueError):
                    self._gone()
                self._stop.wait(RETRY_EVERY)
        finally:
            self.done()

    def _gone(self) -> None:
        name = self.wiring.name
        if self.told.state not in ("opening", "gone"):
            # Kept until it is heard again: a plug half in opens the line and loses it once more.
            self._lost = (
                f"{name} was unplugged while it was being read. Plug it in again: it goes on by"
                " itself."
            )
        word = (
            self._lost
            or f"{name} does not answer on {self.wiring.port}. Is it plugged in and switched on?"
        )
        self._tell(LineState("gone", word), at_once=True)

    def _follow(self, line: serial.SerialBase) -> None:
        waiting = b""
        self._last_line = self._last_news = time.monotonic()
        self._bad, asked, self._is_idle = 0, 0.0, False
        if not self._lost:
            self._tell(LineState("opening", f"Waiting for {self.wiring.name}."), at_once=True)
        while not self._stop.is_set():
            now = time.monotonic()
            self._settle(line, now)
            if self.wiring.is_asked and now - asked > (
                IDLE_ASK_EVERY if self._is_idle else ASK_EVERY
            ):
                line.write(self.wiring.ask.encode() + b"\r\n")
                asked = now
            while not self.orders.empty():
                line.write(self.orders.get_nowait().encode() + b"\r\n")
            if self._is_idle:
                # Not woken by every byte: what came meanwhile is read at once.
                self._stop.wait(IDLE_LISTEN_S)
            waiting += line.read(4096 if self.wiring.port.startswith("/dev") else 256)
            *lines, waiting = re.split(rb"[\r\n]+", waiting)
            if len(waiting) > LONGEST_LINE:
                lines.append(waiting)
                waiting = b""
            # Of a flood only the newest figures matter; a sensor's passes all do.
            for raw in lines if self.wiring.kind == "timer" else lines[-3:]:
                if raw.strip():
                    self._hear(raw)
            self._judge_silence()

    def _settle(self, line: serial.SerialBase, now: float) -> None:
        """Listen less closely where nothing moves."""
        is_idle = now - self._last_news > IDLE_AFTER
        if is_idle != self._is_idle:
            self._is_idle = is_idle
            line.timeout = 0 if is_idle else LISTEN_S

    def _hear(self, raw: bytes) -> None:
        self._last_line = time.monotonic()
        text = raw[:LONGEST_LINE].decode("ascii", errors="replace").strip()
        heard = understand(text, self.wiring.kind) if text.isprintable() else None
        shown = "".join(c if c.isprintable() and c != "\ufffd" else "·" for c in text)[:80]
        if heard is None:
            self._bad += 1
            if self._bad >= GARBLED_AFTER:
                word = (
                    f"{self.wiring.name} sends what cannot be read, “{shown[:30]}”: wrong baud rate"
                    " or the wrong instrument on this line?"
                )
                self._tell(LineState("garbled", word, text=shown))
            return
        self._bad, self._lost = 0, ""
        passes = self.told.passes
        if self.wiring.kind == "timer":
            fresh = not passes or not 0 < heard.value - passes[-1] < RUN_ENDS_AFTER
            passes = (heard.value,) if fresh else (*passes, heard.value)[-MOST_PASSES:]
        still = max(FLICKER * heard.step, FLICKERS.get(self.wiring.kind, 0.0))
        if not abs(heard.value - self._stood_at) <= still:
            self._stood_at, self._last_news = heard.value, time.monotonic()
        changed = heard.is_stable != self.told.is_stable or self.told.state != "live"
        self._tell(
            LineState("live", "", heard.value, heard.is_stable, shown, passes, time.time()),
            at_once=(changed and not self._is_idle) or self.wiring.kind == "timer",
        )

    def _judge_silence(self) -> None:
        quiet = time.monotonic() - self._last_line
        if quiet > SILENT_AFTER and self.told.state != "mute":
            if self.wiring.kind == "timer":
                word = "No pass is seen: let the frame swing through the sensor."
            else:
                talks = "answer when asked" if self.wiring.is_asked else "send"
                word = (
                    f"{self.wiring.name} has said nothing for {quiet:.0f} s. "
                    f"Is it switched on and set to {talks}?"
                )
            self._tell(replace(self.told, state="mute", word=word, is_stable=False), at_once=True)
        elif self.told.state == "live" or quiet > SILENT_AFTER:
            self._tell(self.told)

    def _tell(self, told: LineState, at_once: bool = False) -> None:
        now = time.monotonic()
        is_news = replace(told, heard=None) != replace(self.told, heard=None)
        if told.state != self.told.state:
            self._last_news, at_once = now, True
        self.told = told
        every = TELL_EVERY if now - self._last_news < IDLE_AFTER else FLICKER_EVERY
        if at_once or (is_news and now - self._last_told > every):
            self._last_told = now
            self.sink(self.wiring, told)
