"""The open documents and the command line: the vectors hold, faults name their path."""

import json
import subprocess
import sys
from copy import deepcopy
from pathlib import Path

import pytest
from hypothesis import given

from bench import fuzz
from kentrobar.core.errors import DocumentError
from kentrobar.core.frame.predict import LadenFrame
from kentrobar.core.geometry.outline import Racket
from kentrobar.core.io.plans import dump_plan, load_plan, plan_of, prediction_document

from .frames import PADDLE_READ, READ, laden

CASES = json.loads((Path(__file__).parent / "vectors" / "predict.json").read_text())["cases"]
TOLERANCES = {
    "mass_g": 0.001,
    "balance_mm": 0.01,
    "swing_kgcm2": 0.01,
    "recoil_kgcm2": 0.01,
    "twist_kgcm2": 0.005,
}
PLAN = CASES[15]["plan"]


@pytest.mark.parametrize("case", CASES, ids=[case["name"] for case in CASES])
def test_the_figures_it_must_reproduce(case):
    answer = prediction_document(plan_of(case["plan"]))
    for when in ("before", "after"):
        for name, expected in case[when].items():
            assert answer[when][name] == pytest.approx(expected, abs=TOLERANCES[name]), (when, name)
        assert answer[when]["axis_mm"] == case["plan"]["measured"]["axis_mm"]
    assert len(answer["pieces"]) == len(case["plan"]["pieces"])


@given(laden())
def test_a_plan_written_and_read_is_the_same_plan(bench):
    outline, pieces = bench
    measured = READ if isinstance(outline, Racket) else PADDLE_READ
    plan = LadenFrame(frame=outline, measured=measured, pieces=tuple(pieces))
    try:
        assert load_plan(json.dumps(dump_plan(plan))) == plan
    except DocumentError as fault:
        # Figures of one frame on another outline may be refused; the structure never is.
        assert fault.path.startswith("measured.")  # noqa: PT017


def changed(*path, to=None, drop=False):
    plan = deepcopy(PLAN)
    *way, last = path
    at = plan
    for step in way:
        at = at[step]
    if drop:
        del at[last]
    else:
        at[last] = to
    return plan


@pytest.mark.parametrize(
    ("plan", "fault"),
    [
        (changed("pieces", 1, "clock", to=13), "pieces[1].clock: 13 is outside 0…12"),
        (changed("pieces", 1, "clock", drop=True), "pieces[1].clock: missing"),
        (changed("pieces", 0, "colour", to=1), "pieces[0].colour: unknown key"),
        (changed("pieces", 0, "kind", to="nail"), 'pieces[0].kind: "nail" is not one of strip'),
        (changed("pieces", 0, to=7), "pieces[0]: must be an object"),
        (changed("pieces", 0, "mass_g", to="2"), 'pieces[0].mass_g: "2" is not a number'),
        (changed("pieces", 0, "mirror", to=1), "pieces[0].mirror: 1 is not true or false"),
        (changed("pieces", 0, "mass_g", to=True), "pieces[0].mass_g: true is not a number"),
        (changed("pieces", 0, "length_mm", to=5000), "pieces[0].length_mm: 5000 is outside"),
        (changed("pieces", 2, "from_mm", to=90), "pieces[2].to_mm: 35 is before the start, 90"),
        (changed("pieces", 0, "note", to="a\0b"), "pieces[0].note: holds a control character"),
        (changed("pieces", 0, "line", to="rim"), "pieces[0].line: \"rim\" is not 'edge'"),
        (changed("frame", "kind", to="boat"), 'frame.kind: "boat" is not one of racket, paddle'),
        (changed("frame", "widest_mm", to=900), "frame.widest_mm: the widest point"),
        (changed("frame", "beam_mm", to=0), "frame.beam_mm: 0 is outside"),
        (changed("measured", "axis_mm", to=800), "measured.axis_mm: 800 is outside"),
        (changed("measured", "mass_g", to={"value": 300}), "measured.mass_g.u: missing"),
        (
            changed("measured", "mass_g", to={"value": 300, "u": -1}),
            "measured.mass_g.u: -1 is below 0",
        ),
        (changed("measured", "swing_kgcm2", to=29.65), "measured.swing_kgcm2: Swing weight 29.65"),
        (changed("measured", "twist_kgcm2", to=1e999), "measured.twist_kgcm2: not a finite number"),
        (changed("format", to="kentrobar-plan/2"), 'format: "kentrobar-plan/2" is not'),
        (changed("measured", drop=True), "measured: missing"),
        (changed("pieces", to={}), "pieces: must be a list"),
        ([], "must be an object"),
    ],
)
def test_a_fault_names_its_path(plan, fault):
    with pytest.raises(DocumentError) as caught:
        load_plan(json.dumps(plan))
    assert str(caught.value).startswith(fault)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (b"\xff\xfe", "not UTF-8"),
        ("{", "not JSON"),
        ('{"a": 1, "a": 2}', "a: given twice"),
        ("[" * 100_000, "nested too deeply"),
        ('{"format": ' + "9" * 5000 + "}", "not JSON"),
    ],
)
def test_what_is_no_document_at_all(text, says):
    with pytest.raises(DocumentError, match=says):
        load_plan(text)


def test_more_taken_off_than_there_is():
    with pytest.raises(DocumentError, match="take off as much"):
        plan_of(changed("pieces", to=[{"kind": "strings", "mass_g": -300}]))


def test_twist_weight_may_be_unknown():
    answer = prediction_document(plan_of(changed("measured", "twist_kgcm2", drop=True)))
    assert answer["after"]["twist_kgcm2"] is None
    assert answer["pieces"][1]["twist_kgcm2"] > 0.4
    assert "+1.29" in next(
        n["text"] for n in answer["notices"] if n["code"] == "twist-not-measured"
    )


def test_values_given_with_u_come_back_with_u():
    plan = changed("measured", "mass_g", to={"value": 289.6, "u": 0.1})
    answer = prediction_document(plan_of(plan))
    assert answer["before"]["mass_g"] == {"value": 289.6, "u": 0.1}
    assert answer["after"]["mass_g"] == {"value": 326.5, "u": 0.1}
    assert answer["before"]["balance_mm"] == 331
    assert answer["after"]["swing_kgcm2"]["value"] == pytest.approx(341.885, abs=0.01)


def test_handle_mass_says_what_people_believe_otherwise():
    notices = prediction_document(plan_of(PLAN))["notices"]
    said = next(n["text"] for n in notices if n["code"] == "handle-mass")
    assert "+0.40 kg·cm²" in said
    assert "−5.9 mm" in said


def run(*args, text=b""):
    return subprocess.run(
        [sys.executable, "-m", "kentrobar.core", *args],
        input=text,
        capture_output=True,
        check=False,
    )


def test_the_command_line(tmp_path):
    file = tmp_path / "plan.json"
    file.write_text(json.dumps(PLAN))
    done = run("predict", str(file))
    assert done.returncode == 0
    assert json.loads(done.stdout)["after"]["balance_mm"] == pytest.approx(335.2116, abs=0.01)
    assert run("predict", "-", text=file.read_bytes()).stdout == done.stdout


def test_a_bad_document_exits_2_with_one_line():
    done = run("predict", "-", text=json.dumps(changed("pieces", 1, "clock", to=13)).encode())
    assert (done.returncode, done.stdout) == (2, b"")
    assert done.stderr.decode() == "pieces[1].clock: 13 is outside 0…12\n"
    assert run("predict", "/nowhere.json").returncode == 2


def test_lines_answer_each_in_its_place():
    good = json.dumps(PLAN)
    done = run("predict", "--lines", "-", text=f"{good}\nnonsense\n\n{good}\n".encode())
    answers = [json.loads(line) for line in done.stdout.splitlines()]
    assert done.returncode == 0
    assert [set(answer) == {"error"} for answer in answers] == [False, True, True, False]
    assert answers[0] == answers[3]


@pytest.mark.parametrize("pieces", [-1, 1.5, True, "strip", {"kind": "strip"}, None])
def test_pieces_that_are_no_list_are_refused(pieces):
    with pytest.raises(DocumentError, match="pieces: "):
        plan_of(PLAN | {"pieces": pieces})


def test_odd_documents_of_every_kind_are_refused_by_a_fault():
    """A slice of what bench.attack sends: a fault, never a traceback that ends a run of lines."""
    assert fuzz.documents(1500, seed=7) == {}


def test_more_pieces_than_any_hand_lays_are_refused_before_they_are_read():
    piece = {"kind": "point", "mass_g": 0.1, "x_mm": "odd"}
    with pytest.raises(DocumentError, match="pieces: 2300 are more than 300"):
        plan_of(PLAN | {"pieces": [piece] * 2300})
