"""The core's one public way in: it reads well, it is whole, and it refuses what cannot be."""

import doctest
import json
import subprocess
import sys
from importlib import import_module
from pathlib import Path

import pytest

import kentrobar.core as core
from kentrobar.core import (
    DocumentError,
    Frame,
    LadenFrame,
    Measured,
    Paddle,
    Racket,
    Strip,
    Throat,
    dump_plan,
    predict,
)
from kentrobar.core.frame import checked
from kentrobar.core.pieces import body
from tests.core.frames import PADDLE_READ, READ, SHOAL, TERN

CORE = Path(core.__file__).parent


def test_every_public_name_is_there_and_nothing_else_is_promised():
    for name in core.__all__:
        assert getattr(core, name) is getattr(
            import_module(f"kentrobar.core.{core._HOME_OF[name]}"), name
        )
    assert sorted(core._HOME_OF) == sorted(core.__all__)
    with pytest.raises(AttributeError):
        core.nothing  # noqa: B018


def test_predicting_loads_neither_arrays_nor_solvers_nor_schemas():
    plan = dump_plan(LadenFrame(frame=TERN, measured=READ))
    plan["measured"]["mass_g"] = {"value": 317, "u": 0.1}
    code = (
        "import sys; from kentrobar.core.cli import main; main(['predict', '-']); "
        "many = {name.split('.')[0] for name, module in sys.modules.items() if module}; "
        "sys.exit(bool(many & {'numpy', 'pydantic', 'highspy'}))"
    )
    done = subprocess.run(
        [sys.executable, "-c", code], check=False, input=json.dumps(plan).encode()
    )
    assert done.returncode == 0


@pytest.mark.parametrize("module", [checked, body])
def test_examples_in_docstrings_run(module):
    found = doctest.testmod(module)
    assert found.attempted > 2
    assert found.failed == 0


def test_every_example_of_the_core_runs():
    files = (file for file in CORE.rglob("*.py") if ">>> " in file.read_text())
    names = [".".join(file.relative_to(CORE.parents[1]).with_suffix("").parts) for file in files]
    found = [doctest.testmod(import_module(name.removesuffix(".__init__"))) for name in names]
    assert sum(one.attempted for one in found) >= 29
    assert [name for name, one in zip(names, found, strict=True) if one.failed] == []


TERN_SIZES = {f: getattr(TERN, f) for f in TERN.__dataclass_fields__ if f != "kind"}


@pytest.mark.parametrize(
    ("sizes", "path", "reason"),
    [
        (
            {"widest_mm": 334, "hoop_base_mm": 512},
            "outline.widest_mm",
            "at 334, not above the hoop’s bottom at 512",
        ),
        ({"length_mm": 27}, "outline.widest_mm", "at 512, not below the tip at 27"),
        ({"length_mm": 6860}, "outline.length_mm", "6860 is outside 0…1200"),
        ({"beam_mm": -23}, "outline.beam_mm", "-23 is outside 0…1200"),
    ],
)
def test_an_outline_that_cannot_be_is_refused_by_field_value_and_bound(sizes, path, reason):
    with pytest.raises(DocumentError) as refused:
        Frame(outline=Racket(**TERN_SIZES | sizes), measured=READ)
    assert refused.value.path == path
    assert reason in refused.value.reason


def test_dimensions_go_by_name_so_that_two_cannot_change_places():
    with pytest.raises(TypeError):
        Racket(686, 256, 512, 334, 12, 23, 195, 16)
    with pytest.raises(TypeError):
        Paddle(406, 192, 133, 42, 36, 9, 15, 16.5)


@pytest.mark.parametrize(
    ("figures", "path"),
    [
        ({"balance_mm": 32.35}, "measured.swing_kgcm2"),  # centimetres
        ({"mass_g": 11.2}, "measured.swing_kgcm2"),  # ounces
        ({"swing_kgcm2": 0.0315}, "measured.swing_kgcm2"),  # kg·m²
        ({"axis_mm": 900}, "measured.axis_mm"),
    ],
)
def test_a_forgotten_unit_is_refused(figures, path):
    read = {"mass_g": 316.8, "balance_mm": 323.5, "swing_kgcm2": 314.6, "axis_mm": 100} | figures
    with pytest.raises(DocumentError) as refused:
        Frame(outline=TERN, measured=Measured(**read))
    assert refused.value.path == path


@pytest.mark.parametrize(
    ("piece", "path", "reason"),
    [
        (Strip(mass_g=1, clock=30, length_mm=50), "pieces[0].clock", "30 is outside 0…12"),
        (
            Strip(mass_g=1, clock=3, length_mm=50, line="rim"),
            "pieces[0].line",
            "'rim' is not one of edge, face, inner",
        ),
        (Strip(mass_g=1, clock=3, length_mm=5000), "pieces[0].length_mm", "5000 is outside 0.01…"),
        (
            Strip(mass_g=5000, clock=3, length_mm=50),
            "pieces[0].mass_g",
            "5000 is outside −1000…1000",
        ),
    ],
)
def test_a_piece_that_cannot_be_is_refused_by_field_value_and_bound(piece, path, reason):
    with pytest.raises(DocumentError) as refused:
        predict(Frame(outline=TERN, measured=READ), [piece])
    assert refused.value.path == path
    assert reason in refused.value.reason


def test_a_paddle_has_no_throat_and_no_frame_weighs_nothing():
    paddle = Frame(outline=SHOAL, measured=PADDLE_READ)
    with pytest.raises(DocumentError, match=r"pieces\[0\].kind: a paddle has no throat"):
        predict(paddle, [Throat(mass_g=1, from_mm=150, to_mm=160)])
    with pytest.raises(DocumentError, match="as much as the frame weighs"):
        predict(paddle, [Strip(mass_g=-900, clock=12, length_mm=50, line="edge")])
