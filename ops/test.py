"""bin/test: every check and every test, or only pytest with the arguments given."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time

from . import ROOT
from .postgres import Trouble, database
from .services import SMALL_SUMS

BIN = os.path.dirname(sys.executable)
CHECKS = [
    ["ruff", "check", "--quiet", "."],
    ["ruff", "format", "--quiet", "--check", "."],
    ["lint-imports", "--no-cache"],
]
DJANGO_CHECKS = [["check", "--fail-level", "WARNING"], ["makemigrations", "--check", "--dry-run"]]

os.environ |= SMALL_SUMS

# A process for each core; whoever is done first takes tests from the others.
SIDE_BY_SIDE = [
    sys.executable, "-m", "pytest", "-n", str(min(os.cpu_count() or 1, 4)), "--dist", "worksteal",
    "--durations", "12",
]  # fmt: skip

SEARCHES = "tests/browser/test_recipes.py"
"""A search has a time to be done in: beside other tests on the same cores it finds less."""

# What reads the settings only to know the models; nothing connects.
NOWHERE = {
    "DATABASE_URL": "postgresql://nobody@127.0.0.1/nowhere",
    "KENTROBAR_SECRET_KEY": "of a check",
}


def main(arguments: list[str]) -> int:
    if not arguments and _checked():
        return 1
    try:
        with (
            tempfile.TemporaryDirectory(prefix="kentrobar-test-") as local,
            database("postgres-test", durable=False),
        ):
            os.mkdir(os.path.join(local, "static"))
            os.environ |= {
                "KENTROBAR_LOCAL": local,
                "DJANGO_SETTINGS_MODULE": "kentrobar.site.settings",
            }
            if arguments:
                return _run("pytest", [sys.executable, "-m", "pytest", *arguments])
            for command in DJANGO_CHECKS:
                if _run(f"manage.py {command[0]}", [sys.executable, "manage.py", *command]):
                    return 1
            # Each process with a database, a browser and a worker of its own.
            rest = [*SIDE_BY_SIDE, "tests/web", "tests/browser", f"--ignore={SEARCHES}"]
            return _run("web and browser tests", rest) or _run(
                "searches in the browser", [sys.executable, "-m", "pytest", SEARCHES]
            )
    except Trouble as trouble:
        print(f"bin/test: {trouble}", file=sys.stderr)
        return 1


def _checked() -> int:
    """What needs no database: the source, and the core."""
    # The one waits for others' answers, the other takes its time: meanwhile the rest is checked.
    beside = {
        "audit of packages": subprocess.Popen([sys.executable, "-m", "ops.audit"], cwd=ROOT),
        "mypy": subprocess.Popen([f"{BIN}/mypy"], cwd=ROOT, env=os.environ | NOWHERE),
    }
    try:
        for command in CHECKS:
            if _run(command[0], [f"{BIN}/{command[0]}", *command[1:]], NOWHERE):
                return 1
        if _run("templates and styles", [sys.executable, "-m", "ops.source"]):
            return 1
        # The core alone, in a process that has no settings to find: it must not need any.
        if _run("core tests", [*SIDE_BY_SIDE, "tests/core", "-p", "no:django"]):
            return 1
        failed = [name for name, process in beside.items() if process.wait()]
    finally:
        for process in beside.values():
            process.kill()
    for name in failed:
        print(f"--- {name}: FAILED")
    return bool(failed)


def _run(name: str, command: list[str], environment: dict[str, str] | None = None) -> int:
    started = time.monotonic()
    print(f"--- {name}", flush=True)
    known = os.environ | (environment or {})
    status = subprocess.run(command, cwd=ROOT, check=False, env=known).returncode
    print(
        f"--- {name}: {'fine' if not status else 'FAILED'}, {time.monotonic() - started:.1f} s",
        flush=True,
    )
    return status


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
