"""bin/mutants: mistakes planted in a copy of the core, and the share of them its tests find."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections import Counter, defaultdict
from pathlib import Path

from . import ROOT

WANTED = 0.85
"""The share of mistakes that must be found in what the product is believed for."""
HEART = (
    "pieces", "geometry", "frame/predict.py", "measure", "bench/trial.py", "recipes",
)  # fmt: skip
"""Of ``kentrobar/core``: what is held to it."""
CONFIG = """\
[tool.pytest.ini_options]
addopts = "-q -p no:cacheprovider"

[tool.mutmut]
source_paths = ["kentrobar"]
only_mutate = {mutate}
pytest_add_cli_args_test_selection = ["tests/core"]
also_copy = ["tests", "docs"]
"""


def main(chosen: list[str]) -> int:
    with tempfile.TemporaryDirectory(prefix="kentrobar-mutants-") as there:
        plant(Path(there), chosen or list(HEART))
        command = [f"{os.path.dirname(sys.executable)}/mutmut", "run"]
        # What it finds is read from what it keeps; its own exit says only that some survived.
        subprocess.run(command, cwd=there, check=False)
        return report(Path(there) / "mutants" / "kentrobar" / "core")


def plant(there: Path, chosen: list[str]) -> None:
    """A copy of the core with its tests and documents, set up to mutate what was chosen."""
    core = Path(ROOT) / "kentrobar" / "core"
    files = [file for name in chosen for file in _files(core / name)]
    if not files:
        raise SystemExit(f"nothing of {', '.join(chosen)} lies in kentrobar/core")
    mutate = [f"kentrobar/core/{file.relative_to(core)}" for file in files]
    (there / "pyproject.toml").write_text(CONFIG.format(mutate=json.dumps(mutate)))
    unwanted = shutil.ignore_patterns("__pycache__")
    for name in ("kentrobar/core", "tests/core", "tests/data", "docs"):
        shutil.copytree(Path(ROOT) / name, there / name, ignore=unwanted)
    for name in ("kentrobar/__init__.py", "tests/__init__.py"):
        shutil.copy(Path(ROOT) / name, there / name)


def _files(path: Path) -> list[Path]:
    return sorted(path.rglob("*.py")) if path.is_dir() else [path] if path.exists() else []


def report(kept: Path) -> int:
    """Print the share found, file by file and of all; 1 where it is too small."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    alive: list[str] = []
    for meta in sorted(kept.rglob("*.meta")):
        file = str(meta.relative_to(kept)).removesuffix(".meta")
        for key, code in json.loads(meta.read_text())["exit_code_by_key"].items():
            if code is None:
                found[file]["not tried"] += 1
            else:
                found[file]["alive" if code in (0, 33) else "found"] += 1
                alive += [key] if code in (0, 33) else []
    for key in alive:
        print(f"alive: {key}")
    for file, counts in found.items():
        print(_line(file, counts))
    total = sum(found.values(), Counter[str]())
    print(_line("all", total))
    return int(total["found"] < WANTED * (total["found"] + total["alive"]))


def _line(name: str, counts: Counter[str]) -> str:
    tried = counts["found"] + counts["alive"]
    share = f"{100 * counts['found'] / tried:.0f} %" if tried else "none tried"
    more = f", {counts['not tried']} not tried" if counts["not tried"] else ""
    return f"{name}: {share} of {tried} found{more}"


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
