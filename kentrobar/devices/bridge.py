"""``kentrobar bridge``: on the machine the instruments hang on, when the shop's server stands
elsewhere. It reads its own lines and sends what they say, and does what the server asks of them
(set to zero). No Django and no database: only this module, a token and a way to the server."""

from __future__ import annotations

import json
import ssl
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from kentrobar.measuring.serial_ports import SERIAL, plugged

from .lines import LineState, Watch, Wiring

TELL_EVERY_S = 0.1
QUIET_S = 1.0
"""Without news it asks so often what to do."""
WAIT_S = 10.0
LONGEST_WAIT_S = 30.0


@dataclass
class Bridge:
    """Lines here, told to a server there. ``lines`` beside serial ports are what the person who
    starts it names; the server can open nothing else."""

    server: str
    token: str
    lines: Sequence[str] = ()
    authority: str = ""
    say: Callable[[str], None] = print
    watches: dict[int, Watch] = field(default_factory=dict)
    _done: int = 0
    _news: dict[int, LineState] = field(default_factory=dict)
    _is_news: threading.Event = field(default_factory=threading.Event)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def run(self, stop: threading.Event) -> None:
        """Until it is stopped; what cannot be sent is sent when the server answers again."""
        wait = 0.0
        try:
            while not stop.is_set():
                try:
                    self.tell()
                except (OSError, ValueError, KeyError) as error:
                    self.say(f"The server does not take it: {error}")
                    wait = min(max(2 * wait, 1.0), LONGEST_WAIT_S)
                    stop.wait(wait)
                else:
                    wait = 0.0
                    stop.wait(TELL_EVERY_S)
                    self._is_news.wait(QUIET_S)
        finally:
            for watch in self.watches.values():
                watch.stop()

    def tell(self) -> None:
        """Send the news there are, follow what the answer names. Raises OSError, ValueError,
        KeyError."""
        with self._lock:
            news, self._news = self._news, {}
            self._is_news.clear()
        told = {
            "ports": self.ports(), "news": [_dump(key, one) for key, one in news.items()],
            "done": self._done,
        }  # fmt: skip
        try:
            answer = self._post(told)
        except Exception:
            with self._lock:  # what is newer by now stays
                self._news = news | self._news
            raise
        self._follow([_wiring(one) for one in answer["instruments"]])
        for key, word, number in answer["orders"]:
            # It comes again until the server knows that it came.
            if number > self._done and key in self.watches:
                self.watches[key].orders.put(str(word))
            self._done = max(self._done, number)

    def ports(self) -> list[str]:
        return [*plugged(), *self.lines]

    def _may_open(self, port: str) -> bool:
        return port in self.lines or bool(SERIAL.fullmatch(port))

    def _follow(self, wanted: list[Wiring]) -> None:
        by_key = {one.key: one for one in wanted if self._may_open(one.port)}
        for key in [key for key, watch in self.watches.items() if by_key.get(key) != watch.wiring]:
            self.watches.pop(key).stop()
        for key, one in by_key.items():
            if key not in self.watches:
                self.watches[key] = Watch(one, self._hear)
                self.watches[key].start()

    def _hear(self, of: Wiring, told: LineState) -> None:
        with self._lock:
            self._news[of.key] = told
            self._is_news.set()

    def _post(self, told: dict[str, Any]) -> dict[str, Any]:
        request = urllib.request.Request(
            self.server.rstrip("/") + "/bridge/", json.dumps(told).encode(),
            {"Authorization": f"Bearer {self.token}", "Content-Type": "application/json"},
        )  # fmt: skip
        context = None
        if self.server.startswith("https:"):
            context = ssl.create_default_context(cafile=self.authority or None)
        with urllib.request.urlopen(request, timeout=WAIT_S, context=context) as answer:
            found: dict[str, Any] = json.load(answer)
        return found


def _dump(key: int, told: LineState) -> dict[str, Any]:
    return {
        "key": key, "state": told.state, "word": told.word, "value": told.value,
        "is_stable": told.is_stable, "text": told.text, "passes": list(told.passes),
        "heard_s_ago": None if told.heard is None else time.time() - told.heard,
    }  # fmt: skip


def _wiring(one: dict[str, Any]) -> Wiring:
    return Wiring(
        int(one["key"]), str(one["name"]), str(one["kind"]), str(one["port"]), int(one["baud"]),
        bool(one["is_asked"]), str(one["ask"]), str(one["tare"]),
    )  # fmt: skip
