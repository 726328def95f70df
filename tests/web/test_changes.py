"""What `docs/develop.md` promises of a change: a kind of piece is a file and a row, a unit a row, a
figure two rows."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from kentrobar.core.quantities import FIGURES

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


USE_UNIT = """
import json, django
django.setup()
from kentrobar.core.io.plans import load_plan
from kentrobar.core.io.wishes import read_goal, say_goal
from kentrobar.core.pieces.work import WorkPlace
from kentrobar.core.reader import Reader, mass_text, read_by
from kentrobar.core.units import offered, read_mass
from kentrobar.core.words import message
from kentrobar.core.words.amounts import Amount, change_of
from kentrobar.plans.forms import PieceForm
from kentrobar.ui.fields import mass_reader

plan = load_plan(open("plan.json").read().replace("bridge", "plug"))
with read_by(Reader.parse("dwt mm length 100 50")):
    goal = read_goal("mass_g", "+2 ± 1", 686, 100, None)
    print(json.dumps({
        "offered": offered("mass"),
        "typed": round(read_mass("2 pennyweights").value, 3),
        "bare": round(mass_reader()("2").value, 3),
        "told": [Amount("mass_g", 320).told(), change_of("mass_g", 2).told(), mass_text(2)],
        "sentence": str(message("much-at-once", mass=12.0)),
        "wish": say_goal("mass_g", goal, 100),
        "sheet": WorkPlace(plan.frame).mass(2.0),
        "box": PieceForm(plan.pieces[0], plan.frame).initial["mass_g"],
    }))
"""
USE_FIGURE = """
import json, django
django.setup()
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.io.wishes import read_goal, say_goal
from kentrobar.core.recipes.brief import Brief, Goals, Putty, PlugSite
from kentrobar.core.recipes.explain import solve
from kentrobar.core.io.plans import load_plan
from kentrobar.core.quantities import figures
from kentrobar.core.reader import Reader, read_by
from kentrobar.core.words.amounts import Amount, change_of

plan = load_plan(open("plan.json").read().replace("bridge", "plug"))
goal = read_goal("spin_kgcm2", "+3 ± 1", 686, 100, None)
brief = Brief(
    frame=plan.frame, measured=plan.measured, targets=Goals(spin_kgcm2=goal),
    materials=(Putty(name="putty", step_g=0.5, max_g=80),),
    sites=(PlugSite(name="handle", from_mm=8, to_mm=30),),
)
found = solve(brief, 20)
print(json.dumps({
    "wish": say_goal("spin_kgcm2", goal, 100),
    "told": Amount("spin_kgcm2", 310.44).told(),
    "figures": list(figures(plan.measured.body(), 100)),
    "grams": round(sum(one.mass_g for one in found.recipes[0].pieces), 1),
}))
"""


def used(house, use=USE):
    """The house as it stands at ``house``, asked for the plan in every way a page asks."""
    (house / "plan.json").write_text(json.dumps(PLAN))
    return subprocess.run(
        [sys.executable, "-c", use], cwd=house, capture_output=True, text=True, check=False,
        env=os.environ | {"PYTHONPATH": str(house)},
    )  # fmt: skip


@pytest.fixture
def house(tmp_path):
    """A copy of the application, to be changed."""
    unwanted = shutil.ignore_patterns("__pycache__", "static")
    shutil.copytree(HOUSE / "kentrobar", tmp_path / "kentrobar", ignore=unwanted)
    return tmp_path


def changed(file, *pairs):
    """A file of the copy with texts put in the place of others."""
    text = file.read_text()
    for old, new in pairs:
        assert old in text, old
        text = text.replace(old, new, 1)
    file.write_text(text)


def answered(done):
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_a_kind_of_piece_is_a_file_and_a_row(house):
    tmp_path = house
    assert "bridge" in used(tmp_path).stderr, "a kind nobody knows is refused by its name"

    bridge = tmp_path / "kentrobar/core/pieces/bridge.py"
    bridge.write_text(BRIDGE)
    changed(
        tmp_path / "kentrobar/core/pieces/kinds.py",
        ('    "strip": Strip,\n', '    "bridge": Bridge,\n'),
        ("from .body import Body\n", "from .body import Body\nfrom .bridge import Bridge\n"),
    )
    assert answered(used(tmp_path)) == {
        "document": PLAN["pieces"][0],
        "mass_g": 303.0,
        "twist_kgcm2": 0.16384,
        "fields": ["mass_g", "weighed", "material", "from_mm", "to_mm", "hold"],
        "bobs": 1,
        "cuts": [[1, 256.0]],
        "steps": ["Lay the bridge"],
    }
    # A part of it that is missing is named before anything is computed.
    bridge.write_text(BRIDGE.replace("def words", "def wrds"))
    assert "abstract method words" in used(tmp_path).stderr


def test_a_unit_is_a_row(house):
    changed(house / "kentrobar/core/units.py", (
        '        Unit("lb", "mass"',
        '        Unit("dwt", "mass", 1.55517384, 1, 2, True, ("pennyweights",)),\n'
        '        Unit("lb", "mass"',
    ))  # fmt: skip
    assert answered(used(house, USE_UNIT)) == {
        "offered": ["g", "oz", "dwt"],
        "typed": 3.11,
        "bare": 3.11,
        "told": ["205.8 dwt", "+1.29 dwt", "1.29 dwt"],
        "sentence": "7.72 dwt at once is much: halve it first.",
        "wish": "+2 ± 1 dwt",
        "sheet": "1.29 dwt",
        "box": "1.9290 dwt",
    }


def test_a_figure_is_a_row_and_a_goal(house):
    changed(
        house / "kentrobar/core/quantities.py",
        ('"twist_kgcm2", "recoil_kgcm2"]', '"twist_kgcm2", "recoil_kgcm2", "spin_kgcm2"]'),
        ("            of=lambda body, axis: body.recoil_kgcm2,\n        ),\n",
         "            of=lambda body, axis: body.recoil_kgcm2,\n        ),\n"
         '        Figure("spin_kgcm2", "spin weight", "Spin weight", "kg·cm²", 1, 0.4, 3.0, 1.5,'
         " 1.0, 5.0, 0.5, lambda body, axis: body.spin_kgcm2(axis)),\n"),
    )  # fmt: skip
    goals = house / "kentrobar/core/recipes/brief.py"
    row = "    recoil_kgcm2: Goal | None = None\n"
    changed(goals, (row, row + row.replace("recoil", "spin")))
    assert answered(used(house, USE_FIGURE)) == {
        "wish": "+3 ± 1",
        "told": "310.4 kg·cm²",
        "figures": [*FIGURES, "spin_kgcm2"],
        # 81 mm off the axis half a gram adds 0.033 kg·cm²: the least inside +2 with care.
        "grams": 32.0,
    }
