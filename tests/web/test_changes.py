"""What `docs/develop.md` promises of a change: a kind of piece is a file, and a row of a table."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

HOUSE = Path(__file__).parents[2]
BRIDGE = '''
"""A band across the hoop: the toy of a test."""

from dataclasses import dataclass
from typing import ClassVar, Literal

from kentrobar.core.geometry.outline import Outline

from .body import Body
from .piece import Shape, Stretch
from .work import Task, WorkPlace


@dataclass(frozen=True, slots=True, kw_only=True)
class Bridge(Stretch):
    is_tape: ClassVar[bool] = True
    kind: Literal["bridge"] = "bridge"

    def unit(self, outline: Outline) -> Body:
        return self.even(0.0, outline.width_mm**2 / 12)

    def words(self, outline: Outline) -> str:
        return "Bridge, across the hoop"

    def shape(self, outline: Outline) -> Shape:
        x, half = (self.from_mm + self.to_mm) / 2, outline.width_mm / 2
        return Shape((((x, -half), (x, half)),), 9.0, (((x, 0.0), (1.0, 0.0)),))

    def tape(self) -> tuple[float, int]:
        return 256.0, 1

    def put_on(self, at: WorkPlace) -> Task:
        return Task("Lay the bridge", ("Taut, edge to edge.",), self.cautions(), minutes=2)
'''
USE = """
import json, django
django.setup()
from kentrobar.core.bench.sheet import bench_sheet
from kentrobar.core.frame.predict import predict
from kentrobar.core.io.plans import dump_piece, load_plan
from kentrobar.plans.forms import PieceForm
from kentrobar.ui.drawing.bench import bench

plan = load_plan(open("plan.json").read())
(piece,) = plan.pieces
after, sheet = predict(plan), bench_sheet(plan.frame, plan.pieces, {})
print(json.dumps({
    "document": dump_piece(piece),
    "mass_g": after.after.mass,
    "twist_kgcm2": after.added.twist_kgcm2,
    "fields": list(PieceForm(piece, plan.frame).fields),
    "bobs": len(bench(plan.frame, after, 100, None).bobs),
    "cuts": [[line.count, line.length_mm] for line in sheet.cuts],
    "steps": [step.title for step in sheet.steps if step.piece],
}))
"""
PLAN = {
    "format": "kentrobar-plan/1",
    "frame": {
        "kind": "racket", "length_mm": 686, "width_mm": 256, "widest_mm": 512,
        "hoop_base_mm": 334, "rim_mm": 12, "beam_mm": 23, "handle_length_mm": 195,
        "handle_radius_mm": 16,
    },
    "measured": {"mass_g": 300, "balance_mm": 320, "swing_kgcm2": 300, "axis_mm": 100},
    "pieces": [{"kind": "bridge", "mass_g": 3, "from_mm": 500, "to_mm": 510}],
}  # fmt: skip
"""3 g, even over 256 mm across: 3 × 256² / 12 = 16 384 g·mm², 0.16384 kg·cm² of twist weight."""


def used(house):
    """The house as it stands at ``house``, asked for the plan in every way a page asks."""
    (house / "plan.json").write_text(json.dumps(PLAN))
    return subprocess.run(
        [sys.executable, "-c", USE], cwd=house, capture_output=True, text=True, check=False,
        env=os.environ | {"PYTHONPATH": str(house)},
    )  # fmt: skip


def test_a_kind_of_piece_is_a_file_and_a_row(tmp_path):
    unwanted = shutil.ignore_patterns("__pycache__", "static")
    shutil.copytree(HOUSE / "kentrobar", tmp_path / "kentrobar", ignore=unwanted)
    assert "bridge" in used(tmp_path).stderr, "a kind nobody knows is refused by its name"

    bridge = tmp_path / "kentrobar/core/pieces/bridge.py"
    bridge.write_text(BRIDGE)
    kinds = tmp_path / "kentrobar/core/pieces/kinds.py"
    row = kinds.read_text().replace('    "strip": Strip,\n', '    "bridge": Bridge,\n')
    kinds.write_text(row.replace("from .body import Body\n", "from .body import Body\n"
                                 "from .bridge import Bridge\n"))  # fmt: skip
    done = used(tmp_path)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == {
        "document": PLAN["pieces"][0],
        "mass_g": 303.0,
        "twist_kgcm2": 0.16384,
        "fields": ["mass_g", "weighed", "material", "from_mm", "to_mm", "hold"],
        "bobs": 1,
        "cuts": [[1, 256.0]],
        "steps": ["Lay the bridge"],
    }
    # A part of it that is missing is named before anything is reckoned.
    bridge.write_text(BRIDGE.replace("def words", "def wrds"))
    assert "abstract method words" in used(tmp_path).stderr
