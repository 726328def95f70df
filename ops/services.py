"""Programs that must stay up: started together, watched, started again when one ends, and told."""

from __future__ import annotations

import contextlib
import io
import os
import signal
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from . import ROOT
from .postgres import Cluster, StartError, dies_with_parent

STILL_SECONDS = 120
"""What used no processor for so long does not start any more."""
SAY_EVERY = 15
LOOK_EVERY = 0.5
LAST_WORDS = 20
"""Lines of a service's standard error that are told once more where it does not start."""
STEADY_SECONDS = 60
"""What ran so long before it ended is started again at once."""
LONGEST_WAIT = 60.0
REVIVE_EVERY = 5.0
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
    last_words: deque[str] = field(default_factory=lambda: deque(maxlen=LAST_WORDS))

    def start(self) -> None:
        self.started_at = time.monotonic()
        self.last_words.clear()
        self.process = subprocess.Popen(
            self.command, cwd=ROOT, env=MODEST | os.environ | self.environment,
            start_new_session=True, preexec_fn=dies_with_parent(signal.SIGTERM),
            stdout=subprocess.DEVNULL if self.is_quiet else None, stderr=subprocess.PIPE,
        )  # fmt: skip
        # Bound to this process: one started again has a pipe of its own.
        threading.Thread(target=self._relay, args=[self.process.stderr], daemon=True).start()

    def _relay(self, words: IO[bytes]) -> None:
        """Hand on what it says, and remember the last of it."""
        for line in words:
            text = line.decode(errors="replace")
            self.last_words.append(text)
            with contextlib.suppress(OSError, ValueError):
                sys.stderr.write(text)
                sys.stderr.flush()

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


def web(bind: str, name: str = "the application", **environment: str) -> Service:
    """The application, answering at a socket or at an address of this machine."""
    return python(name, *gunicorn(bind), **environment)


def reader() -> Service:
    return python("the reader of instruments", "manage.py", "read_lines", is_quiet=True)


def workers() -> list[Service]:
    """Those who do what pages put into the queue: two, so that one goes on when the other ends, and
    one for films, restores and backups, which gives way to all others."""
    short = [
        python(f"worker {number}", "manage.py", "work", "--lanes", "paper,work", is_quiet=True)
        for number in (1, 2)
    ]
    long = python("the worker for films", "manage.py", "work", "--lanes", "long", is_quiet=True)
    long.command = ["nice", "-n", "10", *long.command]
    return [*short, long]


def gunicorn(bind: str) -> list[str]:
    return [
        "-m", "gunicorn", "kentrobar.site.wsgi:application", "--bind", bind,
        "--workers", "2", "--threads", "32", "--umask", "0o077",
        "--log-level", "warning", "--no-control-socket",
    ]  # fmt: skip


class Watch:
    """Services and the database they stand on. Use ``running()``, and call ``tend`` now and
    then."""

    def __init__(
        self, services: list[Service], cluster: Cluster | None, say: Callable[[str], None] = print
    ) -> None:
        self.services, self.cluster, self.say = services, cluster, say
        self.trouble, self.revive_at = "", 0.0

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

    def tend(self) -> None:
        """Start again what has ended, and say so."""
        if self.cluster is not None and self.cluster.has_ended() and not self._revive(self.cluster):
            return
        for one in self.services:
            self._tend(one)

    def _revive(self, cluster: Cluster) -> bool:
        """Start the database again; where it cannot, as on a full disk, say why and try again
        later, for as long as it takes."""
        if time.monotonic() < self.revive_at:
            return False
        before = cluster.url
        try:
            if not self.trouble:
                self.say("PostgreSQL ended: starting it again.")
            cluster.revive()
        except (StartError, OSError) as trouble:
            if str(trouble) != self.trouble:
                self.say(f"PostgreSQL cannot start: {trouble}. It is tried again until it can.")
            self.trouble, self.revive_at = str(trouble), time.monotonic() + REVIVE_EVERY
            return False
        if self.trouble:
            self.say("PostgreSQL runs again.")
        self.trouble = ""
        os.environ["DATABASE_URL"] = cluster.url
        if cluster.url != before:
            for one in self.services:
                one.stop()
                one.start()
        return True

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


def wait_for(services: list[Service], address: str, say: Callable[[str], None] = print) -> None:
    """Wait until the application answers, for as long as the services run and use the processor.
    Raises StartError, with the last lines it wrote, where one ends or all are idle."""
    answered = threading.Event()
    threading.Thread(target=_ask, args=(f"{address}health/", answered), daemon=True).start()
    started = said = moved = time.monotonic()
    worked = 0
    while not answered.wait(LOOK_EVERY / 5):
        ended = next((one for one in services if one.ended() is not None), None)
        if ended is not None:
            raise StartError(_last_words(ended, f"ended ({ended.ended()}) before it answered"))
        now = time.monotonic()
        if now - said > SAY_EVERY:
            said = now
            say(f"Waiting for {services[0].name} to start ({now - started:.0f} s so far) …")
            before, worked = worked, sum(map(_worked, services))
            moved = now if worked != before else moved
        if now - moved > STILL_SECONDS:
            raise StartError(_last_words(services[0], f"has done nothing for {STILL_SECONDS} s"))


def _ask(address: str, answered: threading.Event) -> None:
    """Ask until there is an answer; one that is slow is waited for, not asked for again."""
    while True:
        try:
            urllib.request.urlopen(address).close()
        except urllib.error.HTTPError as error:
            if error.code < 500:
                break
        except OSError:  # nobody listens yet
            pass
        else:
            break
        time.sleep(0.1)
    answered.set()


def _last_words(service: Service, what: str) -> str:
    said = "".join(service.last_words).strip()
    return f"{service.name} {what}. " + (f"Its last words:\n{said}" if said else "It said nothing.")


def _worked(service: Service) -> int:
    """Processor time of a service's processes, in clock ticks (proc(5): stat, fields 14 and 15)."""
    found = 0
    for path in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            fields = path.read_text().rpartition(")")[2].split()
            if service.process is not None and int(fields[2]) == service.process.pid:
                found += int(fields[11]) + int(fields[12])
    return found


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
