"""A gunicorn worker that does not wait for the silent: whoever takes long to say what they want is
hung up on, so that a few open connections do not keep everybody else waiting.

gunicorn's own threads wait for a head of a request for as long as it takes to come. Here a watch
closes what did not come whole in time: a head, or a request with its body at a slow line's pace.
"""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from gunicorn.workers import gthread

HEAD_S = 5.0
"""For the handshake and the head of a request."""
REQUEST_S = 90.0
"""For all of it, the answer included, and what its body takes at SLOWEST."""
SLOWEST = 50_000.0
"""Bytes a second: a film from a phone far from the router."""
FIRST_BYTE_S = 0.25
"""A connection that says nothing gives its thread back after so long, and waits without one."""
LOOK_EVERY_S = 1.0
FAREWELLS = 4


class Impatient(gthread.ThreadWorker):
    """``--worker-class kentrobar.site.worker.Impatient``"""

    def init_process(self) -> None:
        gthread.DEFAULT_WORKER_DATA_TIMEOUT = FIRST_BYTE_S
        self.deadlines: dict[Any, float] = {}
        self.farewells = ThreadPoolExecutor(FAREWELLS, "farewell")
        threading.Thread(target=self._watch, name="deadlines", daemon=True).start()
        super().init_process()

    def handle(self, conn: Any) -> Any:
        self.deadlines[conn] = time.monotonic() + HEAD_S
        try:
            return super().handle(conn)
        finally:
            self.deadlines.pop(conn, None)

    def handle_request(self, req: Any, conn: Any) -> Any:
        self.deadlines[conn] = time.monotonic() + REQUEST_S + _length(req) / SLOWEST
        return super().handle_request(req, conn)

    def finish_request(self, conn: Any, future: Any) -> None:
        """A farewell may take two seconds, to one who still sends: not on the thread that lets
        everybody else in."""
        if future.cancelled() or future.exception() is not None or future.result():
            super().finish_request(conn, future)
            return
        self.nr_conns -= 1
        self.farewells.submit(conn.close, graceful=True)

    def _watch(self) -> None:
        while True:
            time.sleep(LOOK_EVERY_S)
            self.hang_up(time.monotonic())

    def hang_up(self, now: float) -> None:
        """Close what is past its time: the thread that reads it gets an end, and is free."""
        for conn, deadline in list(self.deadlines.items()):
            if now > deadline and self.deadlines.pop(conn, None) is not None:
                with contextlib.suppress(OSError):
                    conn.sock.shutdown(socket.SHUT_RDWR)


def _length(req: Any) -> float:
    """How long a body is said to be, bytes; 0 where nothing sensible is said."""
    said = next((value for name, value in req.headers if name.upper() == "CONTENT-LENGTH"), "0")
    return float(said) if said.isdecimal() and len(said) < 13 else 0.0
