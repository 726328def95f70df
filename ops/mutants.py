"""bin/mutants: mistakes planted in a copy of the core, and the share of them its tests find."""

from __future__ import annotations

import argparse
import ast
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections import Counter, defaultdict
from pathlib import Path

from . import ROOT

DATA = ("geometry/presets.py",)
"""Worked out once, at import, where no mutant can be switched on: held by its own tests."""
WANTED = 0.85
"""The share of mistakes that must be found in what the product is believed for."""
HEART = {
    "pieces": (
        "borders",
        "every_piece",
        "cutting",
        "bodies",
        "by_hand",
        "moves",
        "outline",
        "bench",
        "public",
    ),
    "geometry": ("borders", "outline", "every_piece", "bodies", "by_hand", "moves", "documents"),
    "reader.py": ("reader", "units", "words"),
    "words/amounts.py": ("reader", "words", "units"),
    "frame/predict.py": ("bodies", "by_hand", "documents"),
    "measure": (
        "every_reading",
        "recording",
        "motion",
        "swinging",
        "reduce",
        "timing",
        "by_hand",
        "documents",
        "coverage",
    ),
    "bench/trial.py": ("trial_by_hand", "bench", "mistakes"),
    "bench/suspicions.py": ("trial_by_hand", "bench", "mistakes"),
    "bench/next_act.py": ("next_act", "trial_by_hand"),
    "recipes": (
        "borders",
        "every_recipe",
        "strokes",
        "quick",
        "exchange",
        "recipes_by_hand",
        "recipes",
        "advice",
        "bench",
        "by_hand",
        "planning_ahead",
    ),
}
"""Of ``kentrobar/core``: what is held to it, and the tests nearest to it, which are run, the
sharpest first."""
HURRIED = ["--deselect=tests/core/test_every_recipe.py::test_every_recipe_is_as_kept[sets]"]
"""Searches that do not come to their end in time where every call is counted."""
CONFTEST = """\
import pytest
from hypothesis import settings

from kentrobar.core.geometry import outline
from kentrobar.core.pieces import kinds

settings.register_profile("unhurried", deadline=None)
settings.load_profile("unhurried")
ROOMS = (vars(outline), vars(kinds))
CACHED = [one for room in ROOMS for one in room.values() if hasattr(one, "cache_clear")]


@pytest.fixture(autouse=True)
def nothing_remembered():
    # What an earlier test left in a cache would hide which tests a line answers to.
    for one in CACHED:
        one.cache_clear()
"""
CONFIG = """\
[tool.pytest.ini_options]
addopts = "-q -p no:cacheprovider"

[tool.mutmut]
source_paths = ["kentrobar"]
only_mutate = {mutate}
pytest_add_cli_args_test_selection = {tests}
also_copy = ["tests", "docs", "bench"]
"""


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="bin/mutants", description=__doc__)
    parser.add_argument("rooms", nargs="*", help="rooms or files of kentrobar/core; else the heart")
    parser.add_argument("--sample", type=int, help="try only so many of each room, drawn by lot")
    asked = parser.parse_args(arguments)
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for name in asked.rooms or HEART:
        with tempfile.TemporaryDirectory(prefix="kentrobar-mutants-") as there:
            plant(Path(there), name)
            kept = Path(there) / "mutants" / "kentrobar" / "core"
            drawn = _drawn(there, kept, asked.sample) if asked.sample else []
            _mutmut(there, drawn)
            gather(kept, found)
    return report(found)


def _mutmut(there: str, only: list[str]) -> None:
    """Run the tool; what it finds is read from what it keeps, for its exit says only that some
    survived."""
    command = [f"{os.path.dirname(sys.executable)}/mutmut", "run", *only]
    subprocess.run(command, cwd=there, check=False)


def _drawn(there: str, kept: Path, number: int) -> list[str]:
    """Names of so many mistakes of a room, by lot, the same at every run of the same source."""
    _mutmut(there, ["plants all and tries none"])
    metas = (json.loads(meta.read_text()) for meta in sorted(kept.rglob("*.meta")))
    names = [key for meta in metas for key in meta["exit_code_by_key"]]
    return random.Random(number).sample(names, min(number, len(names)))


def plant(there: Path, name: str) -> None:
    """A copy of the core with its tests and documents, set up to mutate one room or file."""
    core = Path(ROOT) / "kentrobar" / "core"
    files = [one for one in _files(core / name) if not str(one).endswith(DATA)]
    if not files:
        raise SystemExit(f"nothing called {name} lies in kentrobar/core")
    mutate = [f"kentrobar/core/{file.relative_to(core)}" for file in files]
    near = next((tests for part, tests in HEART.items() if name.startswith(part)), None)
    tests = [f"tests/core/test_{one}.py" for one in near] if near else ["tests/core"]
    tests += HURRIED
    (there / "pyproject.toml").write_text(
        CONFIG.format(mutate=json.dumps(mutate), tests=json.dumps(tests))
    )
    unwanted = shutil.ignore_patterns("__pycache__")
    for part in ("kentrobar/core", "tests/core", "tests/data", "docs", "bench"):
        shutil.copytree(Path(ROOT) / part, there / part, ignore=unwanted)
    for part in ("kentrobar/__init__.py", "tests/__init__.py"):
        shutil.copy(Path(ROOT) / part, there / part)
    (there / "tests/core/conftest.py").write_text(CONFTEST)


def _files(path: Path) -> list[Path]:
    return sorted(path.rglob("*.py")) if path.is_dir() else [path] if path.exists() else []


def gather(kept: Path, found: dict[str, Counter[str]]) -> None:
    """Add what a run found, file by file, and print what stayed alive."""
    for meta in sorted(kept.rglob("*.meta")):
        file = str(meta.relative_to(kept)).removesuffix(".meta")
        said = _only_said(meta.with_suffix("").read_text())
        for key, code in json.loads(meta.read_text())["exit_code_by_key"].items():
            is_alive = code in (0, 33)
            outcome = "not tried" if code is None else "alive" if is_alive else "found"
            if is_alive and key.rsplit(".", 1)[-1] in said:
                outcome = "words"
            found[file][outcome] += 1
            if outcome == "alive":
                print(f"alive: {key}", flush=True)


def _only_said(source: str) -> set[str]:
    """Names of the mutants that change a sentence and nothing else: words are for people to
    judge, and are compared nowhere but in the tests of words."""
    functions = {
        node.name: ast.dump(_Wordless().visit(node.body and ast.Module(node.body, [])))
        for node in ast.walk(ast.parse(source))
        if isinstance(node, ast.FunctionDef)
    }
    return {
        name
        for name, body in functions.items()
        if "__mutmut_" in name and body == functions.get(name.rsplit("_", 1)[0] + "_orig")
    }


class _Wordless(ast.NodeTransformer):
    """Sentences, that is texts with a space between words, made all the same."""

    def visit_Constant(self, node: ast.Constant) -> ast.Constant:
        is_said = isinstance(node.value, str) and " " in node.value.strip()
        return ast.Constant("…") if is_said else node

    def visit_JoinedStr(self, node: ast.JoinedStr) -> ast.AST:
        figures = [one for one in node.values if isinstance(one, ast.FormattedValue)]
        return ast.JoinedStr([self.visit(one) for one in figures])


def report(found: dict[str, Counter[str]]) -> int:
    """Print the share found, file by file and of all; 1 where it is too small."""
    for file, counts in found.items():
        print(_line(file, counts))
    total = sum(found.values(), Counter[str]())
    print(_line("all", total))
    return int(total["found"] < WANTED * (total["found"] + total["alive"]))


def _line(name: str, counts: Counter[str]) -> str:
    tried = counts["found"] + counts["alive"]
    share = f"{100 * counts['found'] / tried:.0f} %" if tried else "none tried"
    more = "".join(f", {counts[one]} {one}" for one in ("words", "not tried") if counts[one])
    return f"{name}: {share} of {tried} found{more}"


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
