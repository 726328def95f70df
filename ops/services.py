"""Programs that must stay up: started together, watched, started again when one ends, and told."""

from __future__ import annotations

import contextlib
import io
import os
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from . import ROOT
from .postgres import Cluster, Trouble, dies_with_parent

SERVE_SECONDS = 40
ANSWER_SECONDS = 5
LOOK_EVERY = 0.5
STEADY_SECONDS = 60
"""What ran so long before it ended is started again at once."""
LONGEST_WAIT = 60.0
MODEST = {"OPENBLAS_NUM_THREADS": "1", "MALLOC_MMAP_THRESHOLD_": str(4 << 20)}
"""More threads for the sums of a film or a swing are no quicker, and keep the others waiting; and
pictures, or what a password takes, go back to the machine when they are done: each thread would
keep what it once held."""


@dataclass
class Service:
    """One program: what a person calls it, its command, and what it finds in its environment
    beside ours."""

    name: str
    command: list[str]
    environment: dict[str, str] = field(default_factory=dict)
    is_quiet: bool = False
    process: subprocess.Popen[bytes] | None = None
    started_at: float = 0.0
    wait: float = 0.0

    def start(self) -> None:
        self.started_at = time.monotonic()
        self.process = subprocess.Popen(
            self.command, cwd=ROOT, env=MODEST | os.environ | self.environment,
            start_new_session=True, preexec_fn=dies_with_parent(signal.SIGTERM),
            stdout=subprocess.DEVNULL if self.is_quiet else None,
        )  # fmt: skip

    def ended(self) -> int | None:
        """How it ended; None while it runs."""
        return self.process.poll() if self.process else None

    def stop(self, seconds: float = 15) -> None:
        if self.process is None:
            return
        self.process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(seconds)
        self._sweep()
        self.process = None

    def restart(self) -> None:
        self._sweep()
        self.start()

    def _sweep(self) -> None:
        """End what is left of its session: workers whose master was killed keep its port."""
        assert self.process is not None
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()


def python(name: str, *arguments: str, is_quiet: bool = False, **environment: str) -> Service:
    """A service of this clone's Python."""
    return Service(name, [sys.executable, *arguments], environment, is_quiet)


def web(port: int, name: str = "the web server", **environment: str) -> Service:
    """The application on this machine's own address, plain."""
    return python(name, *gunicorn(f"127.0.0.1:{port}"), **environment)


def reader() -> Service:
    return python("the reader of instruments", "manage.py", "read_lines", is_quiet=True)


def workers() -> list[Service]:
    """Those who do what pages put into the queue: two, so that one goes on when the other ends."""
    return [python(f"worker {number}", "manage.py", "work", is_quiet=True) for number in (1, 2)]


def gunicorn(bind: str, *options: str) -> list[str]:
    return [
        "-m", "gunicorn", "kentrobar.site.wsgi:application", "--bind", bind,
        "--worker-class", "kentrobar.site.worker.Impatient", "--workers", "2", "--threads", "16",
        "--log-level", "warning", "--no-control-socket",
        *options,
    ]  # fmt: skip


class Watch:
    """Services and the database they stand on. Use ``running()``, and call ``tend`` now and
    then."""

    def __init__(
        self, services: list[Service], cluster: Cluster | None, say: Callable[[str], None] = print
    ) -> None:
        self.services, self.cluster, self.say = services, cluster, say

    @contextlib.contextmanager
    def running(self) -> Iterator[Watch]:
        try:
            for one in self.services:
                one.start()
            yield self
        finally:
            for one in reversed(self.services):
                one.stop()

    def add(self, service: Service) -> None:
        self.services.append(service)
        service.start()

    def drop(self, service: Service) -> None:
        self.services.remove(service)
        service.stop()

    def tend(self) -> None:
        """Start again what has ended, and say so."""
        if self.cluster is not None and self.cluster.has_ended():
            self.say("PostgreSQL ended: starting it again.")
            before = self.cluster.url
            self.cluster.revive()
            os.environ["DATABASE_URL"] = self.cluster.url
            if self.cluster.url != before:
                for one in self.services:
                    one.stop()
                    one.start()
        for one in self.services:
            self._tend(one)

    def _tend(self, one: Service) -> None:
        code = one.ended()
        if code is None:
            return
        lasted = time.monotonic() - one.started_at
        if lasted < one.wait:
            return
        one.wait = 0.0 if lasted > STEADY_SECONDS else min(max(2 * one.wait, 1.0), LONGEST_WAIT)
        self.say(f"{one.name[0].upper()}{one.name[1:]} ended ({code}): starting it again.")
        one.restart()

    def forever(self, meanwhile: Callable[[], None] = lambda: None) -> None:
        """Tend until a signal ends it."""
        while True:
            self.tend()
            meanwhile()
            time.sleep(LOOK_EVERY)


def wait_for(server: Service, address: str) -> None:
    """Until it answers. Raises Trouble where it ends, or takes too long."""
    deadline = time.monotonic() + SERVE_SECONDS
    while time.monotonic() < deadline and server.ended() is None:
        try:
            urllib.request.urlopen(address + "sign-in/", timeout=ANSWER_SECONDS).close()
            return
        except OSError:  # refused, or its first answer takes longer than that on a busy machine
            time.sleep(0.1)
    raise Trouble("the server did not start; its words are above")


ENDING = (signal.SIGINT, signal.SIGTERM, signal.SIGHUP)


def interrupted(*_: object) -> None:
    """End in order: a second Ctrl-C does not leave half of it running."""
    for one in ENDING:
        signal.signal(one, signal.SIG_IGN)
    raise KeyboardInterrupt


def ends_on_signals() -> None:
    """All three, Ctrl-C too: a shell that starts us in the background has it ignored."""
    for one in ENDING:
        signal.signal(one, interrupted)


def speaks_at_once() -> None:
    """Line by line, into a file or a journal too."""
    if isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(line_buffering=True)
