"""The schemas of the open documents: as published, and true of what is read and written."""

import json
from pathlib import Path

import jsonschema_rs
import pytest

from kentrobar.core.cli import COMMANDS
from kentrobar.core.frame.predict import LadenFrame
from kentrobar.core.io.plans import PLAN_FORMAT, PREDICTION_FORMAT, dump_plan
from kentrobar.core.io.readings import MEASUREMENT_FORMAT, READING_FORMAT
from kentrobar.core.io.schemas import file_name, schemas, text
from tests.core.frames import READ, TERN

PUBLISHED = Path(__file__).parent.parent.parent / "docs" / "schema"
VECTORS = Path(__file__).parent / "vectors"
SCHEMAS = schemas()
CHECKS = {name: jsonschema_rs.validator_for(schema) for name, schema in SCHEMAS.items()}
TAPE = {"kind": "tape", "name": "lead tape 6 mm", "g_per_mm": 0.0039, "step_mm": 5}
TERN_PLAN = LadenFrame(frame=TERN, measured=READ)
SIDES = {"kind": "strip", "name": "Sides", "clock": 3, "line": "face", "mirror": True,
         "max_length_mm": 160}  # fmt: skip


def brief(**more):
    plan = dump_plan(TERN_PLAN)
    return {
        "format": "kentrobar-brief/1", "frame": plan["frame"], "measured": plan["measured"],
        "targets": {"mass_g": {"value": 320, "tol": 0.5}}, "materials": [TAPE], "sites": [SIDES],
    } | more  # fmt: skip


@pytest.mark.parametrize("name", SCHEMAS)
def test_what_is_published_is_what_holds(name):
    assert (PUBLISHED / file_name(name)).read_text() == text(SCHEMAS[name])


@pytest.mark.parametrize(
    ("command", "into", "out"),
    [("predict", PLAN_FORMAT, PREDICTION_FORMAT), ("reduce", READING_FORMAT, MEASUREMENT_FORMAT)],
)
def test_every_known_document_and_its_answer_hold_to_their_schemas(command, into, out):
    for case in json.loads((VECTORS / f"{command}.json").read_text())["cases"]:
        document = case.get("plan") or case.get("reading") or case["input"]
        CHECKS[into].validate(document)
        CHECKS[out].validate(COMMANDS[command][0](document))


@pytest.mark.parametrize("targets", [{"value": 320, "tol": 0.5}, {"value": 520, "tol": 0.5}])
def test_a_brief_and_its_recipes(targets):
    asked = brief(targets={"mass_g": targets})
    CHECKS["kentrobar-brief/1"].validate(asked)
    CHECKS["kentrobar-recipes/1"].validate(COMMANDS["solve"][0](asked))


def test_a_set_and_its_match():
    one = brief()
    frames = [
        {"name": name, "frame": one["frame"], "measured": one["measured"] | {"mass_g": mass}}
        for name, mass in (("first", 316), ("second", 318.5), ("heavy", 360))
    ]
    asked = {
        "format": "kentrobar-set/1", "frames": frames, "tolerances": {"mass_g": 0.5},
        "materials": one["materials"], "sites": one["sites"], "target": "least-mass",
    }  # fmt: skip
    CHECKS["kentrobar-set/1"].validate(asked)
    CHECKS["kentrobar-match/1"].validate(COMMANDS["match"][0](asked))


def test_what_is_never_read_is_no_document():
    plan = dump_plan(TERN_PLAN)
    check = CHECKS[PLAN_FORMAT]
    check.validate(plan)
    strip = {"kind": "strip", "mass_g": 2, "clock": 3, "length_mm": 80, "line": "face"}
    assert check.is_valid(plan | {"pieces": [strip | {"mirror": False}]})
    for wrong in (
        plan | {"colour": "red"}, plan | {"format": "kentrobar-plan/2"},
        plan | {"pieces": [strip | {"kind": "rope", "mirror": False}]},
        plan | {"pieces": [{key: value for key, value in strip.items() if key != "kind"}]},
        plan | {"frame": plan["frame"] | {"kind": "club"}},
    ):  # fmt: skip
        assert not check.is_valid(wrong)
