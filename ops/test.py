"""bin/test: every check and every test, or only pytest with the arguments given."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import tempfile
import time

from . import ROOT
from .postgres import StartError, database
from .services import MODEST

BIN = os.path.dirname(sys.executable)
CHECKS = [
    ["ruff", "check", "--quiet", "."],
    ["ruff", "format", "--quiet", "--check", "."],
    ["lint-imports", "--no-cache"],
]
SETTINGS = ("DJANGO_SETTINGS_MODULE", "DATABASE_URL", "KENTROBAR_LOCAL", "KENTROBAR_GROUND")

os.environ |= MODEST
# What one process has compiled is read by the next: some sixty are started.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)

PYTEST = [sys.executable, "-m", "pytest"]
# A process for each core; whoever is done first takes tests from the others.
SIDE_BY_SIDE = [
    *PYTEST, "-n", str(min(os.cpu_count() or 1, 4)), "--dist", "worksteal",
    "--durations", "12",
]  # fmt: skip

UNDISTURBED = ["tests/browser/test_camera.py"]
"""What plays a film as fast as it was taken: nothing else is done meanwhile."""

WAITING = [
    "tests/browser/test_own_shop.py",
    "tests/browser/test_typing.py",
    "tests/web/test_devices.py",
    "tests/web/test_front.py",
    "tests/web/test_queue.py",
    "tests/web/test_running.py",
    "tests/web/test_upgrade.py",
]
"""They wait more than they work: a process of their own takes what the others leave."""


def main(arguments: list[str]) -> int:
    try:
        with (
            tempfile.TemporaryDirectory(prefix="kentrobar-test-") as local,
            database("postgres-test", durable=False),
            contextlib.ExitStack() as at_the_end,
        ):
            os.mkdir(os.path.join(local, "static"))
            known = os.environ | {
                "KENTROBAR_LOCAL": local,
                "DJANGO_SETTINGS_MODULE": "kentrobar.site.settings",
            }
            if arguments:
                return _run("pytest", [*PYTEST, *arguments], known)
            return _everything(known | {"KENTROBAR_GROUND": "kentrobar_ground"}, at_the_end)
    except StartError as trouble:
        print(f"bin/test: {trouble}", file=sys.stderr)
        return 1


def _everything(known: dict[str, str], at_the_end: contextlib.ExitStack) -> int:
    """The source, the core, then pages and journeys through them; beside them what waits for
    others, or takes its time."""

    def beside(name: str, *command: str) -> BackgroundProcess:
        started = BackgroundProcess(name, command, known)
        at_the_end.callback(started.stop)
        return started

    ground = beside("models, and a database to copy", sys.executable, "-m", "tests.ground")
    others = [
        beside("audit of packages", sys.executable, "-m", "ops.audit"),
        beside("mypy", "nice", "-n", "19", f"{BIN}/mypy"),
    ]
    for command in CHECKS:
        if _run(command[0], [f"{BIN}/{command[0]}", *command[1:]], known):
            return 1
    if _run("templates and styles", [sys.executable, "-m", "ops.source"], known):
        return 1
    # The core alone, in a process that has no settings to find: it must not need any.
    alone = {name: one for name, one in known.items() if name not in SETTINGS}
    if _run("core tests", [*SIDE_BY_SIDE, "tests/core", "-p", "no:django"], alone):
        return 1
    if ground.ended():
        return 1
    # Each process with a database, a browser and a worker of its own. What commits, and journeys
    # with it, is the second half (pytest-django sorts it so): one process begins with each.
    rest = ["tests/browser", "tests/web", *(f"--ignore={one}" for one in WAITING + UNDISTURBED)]
    others.append(beside("tests that wait", *PYTEST, "--durations", "12", *WAITING))
    status = _run("web and browser tests", [*SIDE_BY_SIDE, *rest], known)
    status = max(status, *(one.ended() for one in others))
    return max(status, _run("a camera", [*PYTEST, *UNDISTURBED], known))


class BackgroundProcess:
    """What is done while something else is; what it says is kept until it has ended."""

    def __init__(self, name: str, command: tuple[str, ...], known: dict[str, str]):
        self.name = name
        self.said = tempfile.TemporaryFile()  # noqa: SIM115 - read where it ends
        self.process = subprocess.Popen(
            command, cwd=ROOT, env=known, stdout=self.said, stderr=subprocess.STDOUT
        )

    def ended(self) -> int:
        status = self.process.wait()
        self.said.seek(0)
        print(f"--- {self.name}\n{self.said.read().decode(errors='replace')}", end="")
        _tell(self.name, status)
        return status

    def stop(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait()
        self.said.close()


def _run(name: str, command: list[str], known: dict[str, str]) -> int:
    started = time.monotonic()
    print(f"--- {name}", flush=True)
    status = subprocess.run(command, cwd=ROOT, check=False, env=known).returncode
    _tell(name, status, f", {time.monotonic() - started:.1f} s")
    return status


def _tell(name: str, status: int, took: str = "") -> None:
    print(f"--- {name}: {'FAILED' if status else 'fine'}{took}", flush=True)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
