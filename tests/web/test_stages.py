"""Fitting in stages: the running table by hand, and its page on PostgreSQL."""

import pytest

from kentrobar.core.bench.stages import FittedStage, run
from kentrobar.core.frame.predict import Measured
from kentrobar.core.numbers import nominal, ufloat
from kentrobar.core.pieces.point import Point
from kentrobar.workshop.models import Stage
from tests.core.frames import TERN
from tests.pages import told

from .test_jobs import fitted

BEFORE = Measured(mass_g=ufloat(300.0, 0.3), balance_mm=320.0, swing_kgcm2=290.0, axis_mm=100.0)


def test_each_stage_counts_what_the_stages_before_it_put_on():
    """5 g at 600 mm adds 5·500² = 12.5 kg·cm² about 100 mm; twice of it twice as much."""
    five = (Point(mass_g=5.0, x_mm=600.0),)
    rows = run(
        TERN, BEFORE,
        [FittedStage((), {}), FittedStage(five, {"swing_kgcm2": ufloat(303.5, 0.4)}, (0.01,)),
         FittedStage(five, {"mass_g": ufloat(310.4, 0.3)}, (0.01,))],
        100.0,
    )  # fmt: skip
    assert [nominal(row["swing_kgcm2"].predicted) for row in rows] == pytest.approx(
        [290, 302.5, 315]
    )
    assert [nominal(row["mass_g"].predicted) for row in rows] == pytest.approx([300, 305, 310])
    assert rows[1]["swing_kgcm2"].off == pytest.approx(1.0)
    assert (rows[1]["swing_kgcm2"].sigmas, rows[1]["swing_kgcm2"].agrees) == (
        pytest.approx(2.47, abs=0.01), False,
    )  # fmt: skip
    # ± 0.3 read against ± 0.3 predicted: 0.4 off is 0.94 of both together.
    assert rows[2]["mass_g"].sigmas == pytest.approx(0.943, abs=0.001)
    assert rows[2]["mass_g"].agrees
    assert "twist_kgcm2" not in rows[0], "it was not read before"


@pytest.fixture
def there(bench, racket, user):
    return f"/plans/{fitted(racket, user).pk}/stages/"


def cells(bench, there):
    rows = bench.get(there).context["rows"]
    return [[row.put_on, row.cells[0][0], row.cells[0][2], row.cells[0][3]] for row in rows]


def test_stage_after_stage_in_one_table_and_back(bench, there):
    bench.post(there, {"what": "p1", "weighs": "3.1 g", "mass_g": "320.0 ± 0.1"})
    bench.post(there, {"what": "part:overgrip", "weighs": "5.5", "swing_kgcm2": "321"})
    bench.post(there, {"what": "", "mass_g": "325.9 ± 0.1"})
    rows = cells(bench, there)
    assert [row[1:] for row in rows] == [
        ["316.8", "", ""], ["319.9", "320.0", "+0.10"], ["325.4", "", ""],
        ["325.4", "325.9", "+0.50"],
    ]  # fmt: skip
    assert [row[0].rpartition(", ")[2] for row in rows[1:]] == ["3.10 g", "5.50 g", "only read"]
    # What is on is not offered again.
    form = bench.get(there).context["form"]
    assert "p1" not in dict(form.fields["what"].choices[1][1])
    assert form["swing_kgcm2"].label == "swing weight about 100 mm"
    answer = bench.post(f"{there}undo/", follow=True)
    assert (told(answer), len(cells(bench, there))) == (["success"], 3)
    bench.post(Stage.objects.exclude(removed_at=None).get().undo_address)
    assert len(cells(bench, there)) == 4


@pytest.mark.parametrize(
    ("posted", "at"),
    [
        ({}, "what"),
        ({"what": "p9"}, "what"),
        ({"what": "p1", "weighs": "much"}, "weighs"),
        ({"mass_g": "x"}, "mass_g"),
        ({"balance_mm": "far"}, "balance_mm"),
    ],
)
def test_a_stage_that_cannot_be_saved_keeps_what_was_typed(bench, there, posted, at):
    answer = bench.post(there, posted | {"swing_kgcm2": "321"} if posted else posted)
    assert (answer.status_code, set(answer.context["form"].errors)) == (422, {at})
    assert not Stage.objects.exists()


def test_another_axis_is_no_figure_to_compare(bench, there):
    bench.post(there, {"what": "p1", "swing_kgcm2": "320"})
    assert bench.get(there).context["rows"][1].cells[2][2] == "320.0"
    bench.post("/units/", {"axis": "50 mm", "kind": "racket"})
    assert bench.get(there).context["rows"][1].cells[2][2] == ""
