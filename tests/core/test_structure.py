"""Documents are read as pydantic, which describes them for others, would read them."""

import json
from copy import deepcopy

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from kentrobar.core.errors import DocumentError
from kentrobar.core.io.plans import PlanDocument, dump_plan
from kentrobar.core.io.recipes import BriefDocument
from kentrobar.core.io.structure import read, reader
from tests.core.test_schemas import SIDES, TERN_PLAN, brief

PIECES = [
    {"kind": "strip", "mass_g": 2, "clock": 3, "length_mm": 80.5, "line": "face", "mirror": True},
    {"kind": "plug", "mass_g": 4.5, "from_mm": 10, "to_mm": 35, "note": "cork"},
]
PLAN = dump_plan(TERN_PLAN) | {"pieces": PIECES, "rolls": {"lead": {"value": 0.004, "u": 1e-5}}}
BRIEF = brief(max_added_g=None, spare_sites=[SIDES | {"keep_out_mm": [[-5, 5.5]]}], fitted=PIECES)
ODD = st.one_of(
    st.none(), st.booleans(), st.integers(-3, 3), st.floats(-1e6, 1e6), st.text(max_size=3),
    st.sampled_from(([], {}, [1], [[1, 2.0]], {"kind": "strip"}, {"value": 1, "u": 2})),
)  # fmt: skip


def steps(value, path=()):
    """Every place in a document."""
    inside = value.items() if isinstance(value, dict) else enumerate(value)
    for key, inner in inside:
        yield (*path, key)
        if isinstance(inner, dict | list):
            yield from steps(inner, (*path, key))


DESCRIBED = {one: TypeAdapter(one) for one in (PlanDocument, BriefDocument)}


@given(st.data())
@pytest.mark.parametrize(("structure", "whole"), [(PlanDocument, PLAN), (BriefDocument, BRIEF)])
def test_one_thing_changed_is_taken_or_refused_alike(structure, whole, data):
    document = deepcopy(whole)
    *way, last = data.draw(st.sampled_from(list(steps(document))))
    at = document
    for step in way:
        at = at[step]
    match data.draw(st.sampled_from(("other", "gone", "more"))):
        case "gone":
            del at[last]
        case "more" if isinstance(at, dict):
            at["odd"] = data.draw(ODD)
        case _:
            at[last] = data.draw(ODD)
    # Members of a union must say which they are; pydantic would try them all.
    assume(last != "kind" or "kind" in at)
    try:
        text = json.dumps(document)
        expected = DESCRIBED[structure].validate_json(text, strict=True, extra="forbid")
    except ValidationError:
        with pytest.raises(DocumentError):
            read(structure, document)
    else:
        assert read(structure, document) == expected


@pytest.mark.parametrize(
    ("structure", "value", "fault"),
    [
        (dict[str, float], [], "x: must be an object"),
        (dict[str, float], {"a": "1"}, 'x.a: "1" is not a number'),
        (list[tuple[float, str]], [[1, "a"], [1]], "x[1]: must be a list of 2"),
        (list[int], [1, 2.0], "x[1]: 2.0 is not a whole number"),
        (str, "9" * 90 + "!", None),
        (float, "9" * 90, "x: " + '"' + "9" * 56 + "… is not a number"),
    ],
)
def test_a_fault_says_where(structure, value, fault):
    if fault is None:
        assert read(structure, value, "x") == value
        return
    with pytest.raises(DocumentError) as caught:
        read(structure, value, "x")
    assert str(caught.value) == fault


@pytest.mark.parametrize("structure", [object, PlanDocument | BriefDocument, float | str])
def test_a_structure_no_document_can_have_is_refused_before_any_value(structure):
    with pytest.raises(TypeError):
        reader(structure)
