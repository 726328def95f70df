"""bin/audit: are packages pinned here known to be unsafe? In an environment of its own, kept beside
the clone's, so that what asks is no part of what runs.

Where nobody can be asked (no network, a registry without such data) it says so and ends well: a
shop's tests must run there too.
"""

from __future__ import annotations

import json
import subprocess
import sys
import venv
from pathlib import Path

from . import LOCAL, ROOT

HOME = LOCAL / "audit"
PINNED = ("requirements.txt", "requirements-dev.txt")
PATIENCE_S = 120


def main() -> int:
    try:
        told = _asked()
    except (subprocess.SubprocessError, OSError, ValueError) as error:
        print(f"Not audited: {type(error).__name__} while asking.")
        return 0
    unsafe, known, unknown = judged(told)
    for line in unsafe:
        print(line)
    if not known:
        print(f"Not audited: nothing is known here of any of {unknown} packages.")
    elif not unsafe:
        print(f"{known} packages audited, none known to be unsafe; {unknown} unknown here.")
    return 1 if unsafe else 0


def judged(told: dict) -> tuple[list[str], int, int]:
    """(a line for every known fault, packages something is known of, packages nothing is)."""
    unsafe, known, unknown = [], 0, 0
    for package in told["dependencies"]:
        if "skip_reason" in package:
            unknown += 1
            continue
        known += 1
        for fault in package["vulns"]:
            better = ", ".join(fault.get("fix_versions") or ()) or "none yet"
            unsafe.append(
                f"{package['name']} {package['version']}: {fault['id']}, mended in {better}"
            )
    return unsafe, known, unknown


def _asked() -> dict:
    python = HOME / "bin" / "python"
    if not (HOME / "bin" / "pip-audit").exists():
        venv.create(HOME, clear=True)
        pip = [sys.executable, "-m", "pip", "--python", python]
        install = [*pip, "install", "-q", "-r", ROOT / "requirements-audit.txt"]
        subprocess.run(install, check=True, timeout=PATIENCE_S, capture_output=True)
    files = [part for name in PINNED for part in ("-r", str(Path(ROOT, name)))]
    command = [HOME / "bin" / "pip-audit", "--no-deps", "--disable-pip", "--format", "json", *files]
    done = subprocess.run(
        command, check=False, timeout=PATIENCE_S, capture_output=True, text=True, cwd=ROOT
    )
    found: dict = json.loads(done.stdout)
    return found


if __name__ == "__main__":
    sys.exit(main())
