"""bin/test: every check and every test, or only pytest with the arguments given."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time

from . import ROOT
from .postgres import Trouble, database
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

# A process for each core; whoever is done first takes tests from the others.
SIDE_BY_SIDE = [
    sys.executable, "-m", "pytest", "-n", str(min(os.cpu_count() or 1, 4)), "--dist", "worksteal",
    "--durations", "12",
]  # fmt: skip

BY_THE_CLOCK = [
    "tests/browser/test_camera.py",
    "tests/web/test_queue.py",
    "tests/web/test_devices.py",
]
"""A camera shows its swing in its own time only where little else is done: beside tests that wait
for others most of theirs."""
SEARCH_S = "8"
"""A search looks on as long as it may for what is a hair lighter; a shop waits longer for that."""


def main(arguments: list[str]) -> int:
    try:
        with (
            tempfile.TemporaryDirectory(prefix="kentrobar-test-") as local,
            database("postgres-test", durable=False),
        ):
            os.mkdir(os.path.join(local, "static"))
            known = os.environ | {
                "KENTROBAR_LOCAL": local,
                "DJANGO_SETTINGS_MODULE": "kentrobar.site.settings",
                "KENTROBAR_SEARCH_S": SEARCH_S,
            }
            if arguments:
                return _run("pytest", [sys.executable, "-m", "pytest", *arguments], known)
            known |= {"KENTROBAR_GROUND": "kentrobar_ground"}
            return _checked(known) or _tested(known)
    except Trouble as trouble:
        print(f"bin/test: {trouble}", file=sys.stderr)
        return 1


def _checked(known: dict[str, str]) -> int:
    """The source, and the core; beside them what waits for others, or takes its time."""
    manage = [sys.executable, "manage.py"]
    beside = {
        "audit of packages": [sys.executable, "-m", "ops.audit"],
        "mypy": [f"{BIN}/mypy"],
        "manage.py check": [*manage, "check", "--fail-level", "WARNING"],
        "manage.py makemigrations": [*manage, "makemigrations", "--check", "--dry-run"],
        "a database to copy": [sys.executable, "-m", "tests.ground"],
    }
    at_work = {
        name: subprocess.Popen(command, cwd=ROOT, env=known) for name, command in beside.items()
    }
    try:
        for command in CHECKS:
            if _run(command[0], [f"{BIN}/{command[0]}", *command[1:]], known):
                return 1
        if _run("templates and styles", [sys.executable, "-m", "ops.source"], known):
            return 1
        # The core alone, in a process that has no settings to find: it must not need any.
        alone = {name: one for name, one in known.items() if name not in SETTINGS}
        if _run("core tests", [*SIDE_BY_SIDE, "tests/core", "-p", "no:django"], alone):
            return 1
        failed = [name for name, process in at_work.items() if process.wait()]
    finally:
        for process in at_work.values():
            process.kill()
    for name in failed:
        print(f"--- {name}: FAILED")
    return bool(failed)


def _tested(known: dict[str, str]) -> int:
    """Pages, and journeys through them, each process with a database, a browser and a worker of its
    own. Journeys first: they are long, and what is left for the end should be short."""
    rest = ["tests/browser", "tests/web", *(f"--ignore={one}" for one in BY_THE_CLOCK)]
    return _run("web and browser tests", [*SIDE_BY_SIDE, *rest], known) or _run(
        "what goes by the clock", [*SIDE_BY_SIDE, *BY_THE_CLOCK], known
    )


def _run(name: str, command: list[str], known: dict[str, str]) -> int:
    started = time.monotonic()
    print(f"--- {name}", flush=True)
    status = subprocess.run(command, cwd=ROOT, check=False, env=known).returncode
    print(
        f"--- {name}: {'fine' if not status else 'FAILED'}, {time.monotonic() - started:.1f} s",
        flush=True,
    )
    return status


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
