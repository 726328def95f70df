"""What `docs/develop.md` promises of a change: a kind of piece is a file and a row, a unit a row, a
figure two rows, a kind of frame a class and a row."""

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
found = solve(brief)
print(json.dumps({
    "wish": say_goal("spin_kgcm2", goal, 100),
    "told": Amount("spin_kgcm2", 310.44).told(),
    "figures": list(figures(plan.measured.body(), 100)),
    "grams": round(sum(one.mass_g for one in found.recipes[0].pieces), 1),
}))
"""


USE_KIND = """
import json, django
django.setup()
from kentrobar.core.bench.sheet import bench_sheet
from kentrobar.core.frame.plausibility import doubts
from kentrobar.core.frame.predict import Measured, predict
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.kinds import default_outline
from kentrobar.core.geometry.likely import units_meant
from kentrobar.core.io.plans import dump_frame, load_plan
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.pieces.starters import PUT_ON, TAKE_OFF, for_kind, start
from kentrobar.core.reader import Reader
from kentrobar.core.recipes.advice import advise
from kentrobar.core.recipes.feel import Noticed, rebound
from kentrobar.core.recipes.quick import quick_set_ups
from kentrobar.core.recipes.strokes import best_hit
from kentrobar.core.recipes.usual import usual_sites
from kentrobar.core.units import read_length
from kentrobar.frames.forms import FrameForm
from kentrobar.frames.models import Frame
from kentrobar.measuring.boxes import boxes_of
from kentrobar.plans.forms import PieceForm
from kentrobar.recipes.sets import AskedSet
from kentrobar.ui.drawing.bench import bench
from kentrobar.ui.drawing.dimensions import dimensions
from kentrobar.ui.drawing.setups import usual_places

plan = load_plan(open("plan.json").read().replace("racket", "squash").replace("bridge", "plug"))
frame = plan.frame
read = Measured(mass_g=plan.measured.mass_g, balance_mm=plan.measured.balance_mm,
                swing_kgcm2=plan.measured.swing_kgcm2, axis_mm=90, twist_kgcm2=6.0)
body = read.body()
sheet = bench_sheet(frame, [*start("tape", frame, ()), *plan.pieces], {})
row = Frame(kind="squash", model="Grebe")
row.set_outline(default_outline("squash"))
print(json.dumps({
    "document": dump_frame(frame)["kind"],
    "after": round(predict(plan).after.mass, 1),
    "strung": frame.is_strung and row.is_strung and len(row.conditions()),
    "choices": [key for key, _ in Frame._meta.get_field("kind").choices],
    "boxes": [box.name for box in FrameForm("squash").sheet_fields],
    "same": row.outline() == default_outline("squash"),
    "typical": round(typical(frame, {}, 90).mass_g.nominal_value),
    "doubted": [one.code for one in doubts(read, frame)],
    "meant": units_meant("squash", "rim_mm", read_length("1.2")),
    "sites": list(usual_sites(frame)),
    "starters": len(for_kind((*PUT_ON, *TAKE_OFF), frame)),
    "axis": [Reader().axis_mm("squash"), Reader.parse("g mm length 100 50 95").axis_mm("squash")],
    "advice": bool(advise(["stable"], frame, body, 90, Noticed()).patterns),
    "back": 0.1 < rebound(body, 560, 0, "squash") < 0.9,
    "quick": len(quick_set_ups(frame, read, 90, 5.0)),
    "wish": AskedSet.parse({}, "squash").sites,
    "methods": all(one.steps(frame, str) for one in METHODS.values()),
    "pin": "pin" in boxes_of(METHODS["pendulum"], frame),
    "drawn": bool(bench(frame, predict(plan), 90, None).bobs) and len(dimensions(frame)),
    "places": usual_places(frame)["axis"],
    "sheet": len(sheet.steps) > 3,
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
        "fields": ["mass_g", "sure", "weighed", "material", "from_mm", "to_mm", "hold"],
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


SQUASH_ROW = """
FRAME_KINDS["squash"] = replace(
    FRAME_KINDS["racket"], key="squash", label="squash racket", plural="squash rackets",
    outline=Squash, preset="squash-500", axis_mm=90.0, ball_g=24.0, bounce=0.5,
    usual=((150.0, 10.0), (0.5, 0.02), (0.33, 0.01), (0.3, 0.03)),
    plausible={"mass_g": (110, 200), "swing_kgcm2": (100, 190), "twist_kgcm2": (3, 9)},
)
FIRST_KIND ="""
SQUASH = """

@dataclass(frozen=True, slots=True, kw_only=True)
class Squash(Racket):
    kind: Literal["squash"] = "squash"


Outline ="""


def test_a_kind_of_frame_is_a_class_and_rows(house):
    assert "squash" in used(house, USE_KIND).stderr, "a kind nobody knows is refused by its name"
    changed(house / "kentrobar/core/geometry/outline.py", ("\n\nOutline =", SQUASH))
    changed(
        house / "kentrobar/core/geometry/kinds.py",
        ("\nFIRST_KIND =", SQUASH_ROW),
        ("import MISSING, dataclass, fields", "import MISSING, dataclass, fields, replace"),
        (
            "import Outline, Paddle, Racket, RimLine",
            "import Outline, Paddle, Racket, RimLine, Squash",
        ),
    )
    changed(
        house / "kentrobar/core/geometry/presets.py",
        ("import Outline, Paddle, Racket", "import Outline, Paddle, Racket, Squash"),
        (
            '    "paddle-classic": (',
            """    "squash-500": (
        "Squash racket",
        Squash(length_mm=686, width_mm=215, widest_mm=540, hoop_base_mm=400, rim_mm=9, beam_mm=18,
               handle_length_mm=180, handle_radius_mm=14),
    ),
    "paddle-classic": (""",
        ),
    )
    told = answered(used(house, USE_KIND))
    assert told == {
        "document": "squash", "after": 303.0, "strung": 4,
        "choices": ["racket", "paddle", "squash"],
        "boxes": ["length_mm", "width_mm", "hoop_base_mm"], "same": True, "typical": 150,
        "doubted": ["mass-unusual", "swing-unusual"], "meant": ["cm"],
        "sites": ["sides", "tip", "shoulders", "lower-sides", "ends", "throat", "handle", "cap",
                  "under-grip"],
        "starters": 12, "axis": [90.0, 95.0], "advice": True, "back": True, "quick": 7,
        "wish": ["sides", "tip", "handle"], "methods": True, "pin": True, "drawn": 8,
        "places": 90.0, "sheet": True,
    }  # fmt: skip
