"""Figures that were read together stay together: laws, and a pendulum worked out."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.errors import DocumentError
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.together import correlations, covariance, moves, tied, triangle
from kentrobar.core.io.plans import dump_measured, parse_measured
from kentrobar.core.measure.pendulum import Pendulum, pendulum_period
from kentrobar.core.numbers import WithU, nominal, ufloat, uncertainty
from kentrobar.core.recipes.chance import read_changes

TRUE = Measured(mass_g=318.0, balance_mm=321.0, swing_kgcm2=314.0, axis_mm=100.0)
U = {"mass_g": 0.1, "balance_mm": 0.5, "swing_kgcm2": 1.2}
READ = replace(TRUE, **{name: ufloat(getattr(TRUE, name), u) for name, u in U.items()})
TIES = {"mass-balance": 0.1, "mass-swing": -0.2, "balance-swing": 0.9}


SHARES = st.one_of(st.floats(-1, -0.05), st.floats(0.05, 1))


@given(st.lists(SHARES, min_size=9, max_size=9))
def test_ties_are_told_and_read_back(shares):
    """Any three figures moved by three sources; ties of what is written are those of what is
    read."""
    sources = [ufloat(0.0, 1.0) for _ in range(3)]
    rows = [shares[:3], shares[3:6], shares[6:]]
    joint = [sum((by * one for by, one in zip(row, sources, strict=True)), 0.0) for row in rows]
    values = dict(zip(U, (getattr(TRUE, name) for name in U), strict=True))
    measured = replace(
        TRUE, **{name: values[name] + one for name, one in zip(U, joint, strict=True)}
    )
    again = parse_measured(dump_measured(measured))
    for name, tie in correlations(measured).items():
        assert correlations(again).get(name, 0.0) == pytest.approx(tie, abs=2e-3)
    for name in U:
        u = uncertainty(getattr(measured, name)) or 0.0
        assert (uncertainty(getattr(again, name)) or 0.0) == pytest.approx(u, rel=1e-6)


def test_what_is_not_tied_is_written_as_ever():
    assert correlations(READ) == {}
    assert "correlations" not in dump_measured(READ)
    assert correlations(TRUE) == {}
    assert dump_measured(tied(READ, TIES))["correlations"] == pytest.approx(TIES)


@pytest.mark.parametrize(
    ("ties", "path"),
    [
        ({"mass-twist": 0.1}, "measured.correlations"),
        ({"mass-swing": 1.5}, "measured.correlations.mass-swing"),
        ({"mass-balance": 1, "mass-swing": 1, "balance-swing": -1}, "measured.correlations"),
    ],
)
def test_ties_that_cannot_be_are_refused(ties, path):
    with pytest.raises(DocumentError) as caught:
        parse_measured(dump_measured(READ) | {"correlations": ties})
    assert caught.value.path == path


def test_ties_that_rounding_made_a_hair_too_much_are_read():
    """Three figures moved by two sources only: written with six decimals they may say too much."""
    shares = ((0.4765625, 0.5), (-0.3359375, -0.5596595), (-0.5, 0.703125))
    rows = [math.hypot(*row) for row in shares]
    for off in (-5e-7, 0.0, 5e-7):
        ties = {
            name: sum(a * b for a, b in zip(shares[i], shares[k], strict=True)) / rows[i] / rows[k]
            + off
            for name, (i, k) in zip(TIES, ((0, 1), (0, 2), (1, 2)), strict=True)
        }
        again = correlations(tied(READ, ties))
        assert again == pytest.approx(ties, abs=1e-3)
        for name, u in U.items():
            assert uncertainty(getattr(tied(READ, ties), name)) == pytest.approx(u, rel=1e-9)


def test_changes_of_the_readings_add_up_to_their_covariance():
    measured = tied(READ, TIES)
    changes = list(moves(measured))
    for one in U:
        for other in U:
            summed = sum(row.get(one, 0.0) * row.get(other, 0.0) for row in changes)
            wanted = covariance(getattr(measured, one), getattr(measured, other))
            assert summed == pytest.approx(wanted, abs=1e-9)
    # Untied, each figure moves by itself.
    assert list(moves(READ)) == [{name: pytest.approx(u)} for name, u in U.items()]
    assert list(moves(TRUE)) == []
    # What they leave open of the recoil weight is what the arithmetic of uncertainties says.
    by_source = [
        (TRUE.body() + change).recoil_kgcm2 - TRUE.body().recoil_kgcm2
        for change in read_changes(measured)
    ]
    assert math.hypot(*by_source) == pytest.approx(
        uncertainty(measured.body().recoil_kgcm2), rel=1e-3
    )


def test_a_triangle_of_ones_and_of_what_cannot_be():
    assert triangle([[4.0, 2.0], [2.0, 5.0]]) == [[2, 0], [1, 2]]
    assert triangle([[1.0, 1.0], [1.0, 1.0]]) == [[1, 0], [1, 0]]
    with pytest.raises(ValueError, match="tied"):
        triangle([[1.0, 2.0], [2.0, 1.0]])


def test_the_recoil_of_a_pendulum_is_as_sure_as_the_pendulum_tells_it():
    mass, balance = WithU(value=318, u=0.1), WithU(value=321, u=0.5)
    period = pendulum_period(318, 321, 156.4, 643)
    told = Pendulum(
        mass_g=mass, balance_mm=balance, pivot_mm=WithU(value=643, u=0.5),
        period_s=WithU(value=period, u=0.0005), axis_mm=100,
    ).reduce()  # fmt: skip
    swing = told.figures["swing_kgcm2"]
    by_tag = {source.tag: slope for source, slope in swing.derivatives.items()}
    m, b = (ufloat(one.value, one.u) for one in (mass, balance))
    rest = math.sqrt(
        uncertainty(swing) ** 2 - (by_tag["mass"] * 0.1) ** 2 - (by_tag["balance"] * 0.5) ** 2
    )
    joint = replace(
        TRUE, mass_g=m, balance_mm=b,
        swing_kgcm2=nominal(swing) + by_tag["mass"] * (m - 318) + by_tag["balance"] * (b - 321)
        + ufloat(0.0, rest),
    )  # fmt: skip
    recoil = uncertainty(told.figures["recoil_kgcm2"])
    assert uncertainty(joint.body().recoil_kgcm2) == pytest.approx(recoil, rel=0.01)
    apart = replace(joint, swing_kgcm2=ufloat(nominal(swing), uncertainty(swing)))
    assert uncertainty(apart.body().recoil_kgcm2) > 1.7 * recoil
    # And so after it was written down and read again.
    again = parse_measured(dump_measured(joint))
    assert uncertainty(again.body().recoil_kgcm2) == pytest.approx(recoil, rel=0.01)
