"""A trial's suspicions on paper: 300 g at 320 mm with 5 g of putty at 20 mm and 2 g of tape."""

import math

import pytest
from uncertainties import ufloat

from kentrobar.core.bench import suspicions, trial
from kentrobar.core.bench.suspicions import Checked, Fitted, Suspicion
from kentrobar.core.bench.trial import compare
from kentrobar.core.frame.together import triangle
from kentrobar.core.pieces.body import Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import FIGURES, plain_figures
from kentrobar.core.words import message
from tests.core.frames import TERN

BEFORE = Body.from_figures(mass_g=300.0, balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0)
PUTTY = Plug(mass_g=5.0, from_mm=10, to_mm=30)
TAPE = Strip(mass_g=2.0, clock=3, length_mm=50, line="face", mirror=True)
OVERGRIP = Body(5.5, 5.5 * 100, 5.5 * 100**2, 100.0)


LAID = (Fitted(PUTTY), Fitted(TAPE))


def suspected(fitted=LAID, parts=None):
    bodies = [body_of(one.piece, TERN) for one in fitted]
    after = sum(bodies, BEFORE)
    found = suspicions.of_the_fitting(TERN, after, bodies, fitted, parts or {}, 100.0)
    rows = [one if isinstance(one, tuple) else (one, None) for one in found]
    # What may be far off too stands behind, under the same key.
    return {one.key: (one, spread) for one, spread in reversed(rows)}


def test_what_each_suspicion_says_changes_and_costs():
    found = suspected(parts={"overgrip": OVERGRIP})
    wanted = {
        # key: (message, grams more, cost, spread of a fitted amount)
        "chance": (message("chance"), 0, 0.0, None),
        "mass-0": (message("mass", piece=1), 1, 1.0, 0.6),
        "mass-1": (message("mass", piece=2), 1, 1.0, 0.3),
        "lost-0": (message("lost", piece=1, mass=5.0), -5, 3.0, None),
        "lost-1": (message("lost", piece=2, mass=2.0), -2, 3.0, None),
        "backing": (message("backing", mass=pytest.approx(0.24)), 0.24, 2.0, None),
        "off-overgrip": (message("off", part="overgrip", mass=5.5), -5.5, 2.0, None),
        "twice-overgrip": (message("twice", part="overgrip", mass=5.5), 5.5, 3.5, None),
    }
    for key, (says, grams, cost, spread) in wanted.items():
        one, width = found[key]
        assert (one.message, one.cost) == (says, cost)
        assert one.explains["mass_g"] == pytest.approx(grams)
        assert width == (None if spread is None else pytest.approx(spread))
    assert [found[key][0].piece for key in ("mass-0", "lost-1", "mass-1")] == [0, 1, 1]
    # A gram more at 20 mm, of 307 g that balance at (300·320 + 5·20 + 2·x) / 307.
    x = body_of(TAPE, TERN).balance
    balance = (300 * 320 + 5 * 20 + 2 * x) / 307
    by = found["mass-0"][0].explains["balance_mm"]
    assert by == pytest.approx((307 * balance + 20) / 308 - balance)


def test_a_backing_that_was_weighed_is_taken_at_its_word():
    on = suspected((Fitted(TAPE, backing_g=0.4),))["backing"][0]
    assert on.explains["mass_g"] == pytest.approx(0.4)
    assert "backing" not in suspected((Fitted(PUTTY),))


def test_a_piece_that_lies_elsewhere_is_rarer_the_further_it_lies():
    found = suspected((Fitted(Point(mass_g=10, x_mm=300)),))
    near, back, far = (found[key][0] for key in ("place-0-5", "place-0--5", "place-0-130"))
    assert near.message.figures == {"piece": 1, "by": 5, "nearer_tip": True}
    assert back.message.figures == {"piece": 1, "by": 5, "nearer_tip": False}
    assert near.cost == back.cost == pytest.approx(3 + 2 * math.log(1.5))
    assert far.cost == pytest.approx(3 + 2 * math.log(14))
    assert near.explains["balance_mm"] == pytest.approx(10 * 5 / 310)
    assert near.piece == 0


def test_what_the_reading_itself_may_be_out_by():
    after = BEFORE + Body(0.0, 0.0, 0.0, 13.0e5)
    checked = {
        "mass_g": Checked(drift=0.4, u=math.hypot(0.1, 0.15), band=0.3, said="it read 0.4 high")
    }
    read = {"mass_g": (301.0, 0.1), "swing_kgcm2": (320.0, 0.5)}
    found = {}
    for one in suspicions.of_the_reading(after, read, 100.0, checked):
        one, spread = one if isinstance(one, tuple) else (one, None)
        found.setdefault(one.key, []).append((one, spread))
    # Off by a little, or knocked: six times as far, and less common.
    (_, little), (knocked, far) = found["drift-swing_kgcm2"]
    assert (far, knocked.cost) == (6 * little, 2.5 + 1.5)
    found = {key: ones[0] for key, ones in found.items()}
    flat = found["flat"][0]
    assert (flat.explains["swing_kgcm2"], flat.cost) == (pytest.approx(13.0), 3.0)
    assert "its twist weight, 13.0, too high" in flat.text
    # 300 g at 320 mm: 300 × (270² − 220²) g·mm² more about 50 mm than about 100.
    other = found["axis-50"][0]
    assert (other.text, other.cost) == ("Read about 50 mm, not 100", 3.5)
    assert other.explains["swing_kgcm2"] == pytest.approx(300 * (270**2 - 220**2) / 1e5)
    assert other.explains["mass_g"] == 0
    assert {key for key in found if key.startswith("axis")} == {
        "axis-50", "axis-50.8", "axis-98", "axis-101.6",
    }  # fmt: skip
    drift, spread = found["drift-mass_g"]
    assert drift.message.figures == {"figure": "mass_g", "check": "it read 0.4 high"}
    assert (drift.cost, drift.explains["mass_g"], spread) == (0.5, 1.0, checked["mass_g"].spread)
    plain, usual = found["drift-swing_kgcm2"]
    assert (plain.cost, plain.message.figures["figure"]) == (2.5, "swing_kgcm2")
    assert usual == 1.5
    swapped, wrong = found["typed-mass_g-310"][0], found["typed-mass_g-401"][0]
    assert swapped.text == "Mass 301 g typed for 310 g: two digits changed places"
    assert (swapped.cost, wrong.cost) == (6.0, 10.0)
    assert swapped.explains == {**dict.fromkeys(swapped.explains, 0.0), "mass_g": -9.0}
    assert "typed-mass_g-3" not in found


def test_strings_of_another_gauge_and_a_damp_grip_are_thought_of():
    """1.5 g more strings move mass and swing weight as strings do; a grip does not."""
    bed = body_of(Strings(mass_g=16.5), TERN)
    grip = body_of(Sleeve(mass_g=5.5, from_mm=0, to_mm=190), TERN)
    for name, body in (("strings", bed), ("grip", grip)):
        after = BEFORE + body * (1.5 / body.mass)
        read = {
            key: (value, u) for (key, value), u in zip(
                plain_figures(after, 100.0, ("mass_g", "balance_mm", "swing_kgcm2")).items(),
                (0.1, 0.3, 0.4), strict=True,
            )
        }  # fmt: skip
        found = compare(TERN, BEFORE, [], read, 100.0, varying={"strings": bed, "grip": grip})
        assert found.suspicions[0].key == f"varies-{name}"
        assert "g more than before" in found.suspicions[0].text


def test_no_slip_of_the_fingers_is_seen_in_a_mean_nobody_typed():
    after = BEFORE + Body(0.0, 0.0, 0.0, 13.0e5)
    found = [
        one[0] if isinstance(one, tuple) else one
        for one in suspicions.of_the_reading(after, {"balance_mm": (324.333, 0.3)}, 100.0, {})
    ]
    assert not [
        one for one in found if "swapped" in one.message.code or "wrong" in one.message.code
    ]


def test_figures_that_move_together_are_judged_together():
    """Both 2 off with u 1 and a tie of 0.8: χ² = (4 − 2·0.8·4 + 4) / (1 − 0.64) = 4.444, where
    untied they would leave 8; off in opposite ways they leave 40."""
    rows = triangle([[1.0, 0.8], [0.8, 1.0]])
    gap = trial.Gap({"mass_g": 2.0, "swing_kgcm2": 2.0}, rows)
    assert gap.chi2(gap.off) == pytest.approx(1.6 / 0.36)
    assert gap.chi2({"mass_g": 2.0, "swing_kgcm2": -2.0}) == pytest.approx(14.4 / 0.36)
    assert trial.Gap(gap.off, [[1.0], [0.0, 1.0]]).chi2(gap.off) == 8


def test_the_frames_readings_move_several_figures_at_once():
    """A mass read 0.3 g unsure before moves mass by 0.3 and swing weight by nothing, for that was
    read by itself; a piece 0.05 g unsure moves both; each reading after stands by itself."""
    before = Body.from_figures(
        mass_g=ufloat(300.0, 0.3), balance_mm=320.0, swing_kgcm2=ufloat(310.0, 0.4), axis_mm=100.0
    )
    piece = Point(mass_g=5.0, x_mm=600.0)
    bodies = [body_of(piece, TERN)]
    read = {"mass_g": (305.0, 0.1), "swing_kgcm2": (322.5, None)}
    square = trial.joint_covariance(sum(bodies, before), bodies, [Fitted(piece, 0.05)], read, 100.0)
    # 0.05 g at half a metre from the axis is 0.125 kg·cm²; a millimetre further 0.05·(501² − 500²).
    placed = 5 * (501**2 - 500**2) / 1e5
    assert square[0][0] == pytest.approx(0.3**2 + 0.05**2 + 0.1**2)
    assert square[0][1] == square[1][0] == pytest.approx(0.05 * 0.125)
    least = FIGURES["swing_kgcm2"].least_u
    assert square[1][1] == pytest.approx(0.4**2 + 0.125**2 + placed**2 + least**2)


def test_one_strip_a_side_and_a_swap_are_told_by_their_grams():
    pair = Strip(mass_g=4.0, clock=3, length_mm=80, line="face", mirror=True)
    tip = Strip(mass_g=1.0, clock=12, length_mm=80, line="edge")
    bodies = [body_of(pair, TERN), body_of(tip, TERN)]
    frame = Body.from_figures(mass_g=300.0, balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0)
    found = {
        one.key: one
        for one in suspicions.of_the_fitting(
            TERN, sum(bodies, frame), bodies, [Fitted(pair), Fitted(tip)], {}, 100.0
        )
        if isinstance(one, Suspicion)
    }
    assert found["half-0"].explains["mass_g"] == pytest.approx(-2.0)
    assert found["strip-0"].explains["mass_g"] == pytest.approx(-1.0)
    assert not {"half-1", "strip-1"} & set(found)
    swap = found["swapped-0-1"].explains
    assert swap["mass_g"] == pytest.approx(0.0, abs=1e-9)
    # Three grams go from three o'clock to twelve.
    moved = 3 * (bodies[1].swing(100) / 1.0 - bodies[0].swing(100) / 4.0) / 1e5
    assert swap["swing_kgcm2"] == pytest.approx(moved)
    assert swap["twist_kgcm2"] < 0


def test_a_wrong_reading_from_before_shows_in_what_follows_from_it():
    before = Body.from_figures(
        mass_g=300.0, balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0, twist_kgcm2=13.0
    )
    after = before + body_of(Point(mass_g=5.0, x_mm=600.0), TERN)
    found = {one.key: (one, spread) for one, spread in suspicions.of_before(before, after, 100.0)}
    mass, spread = found["before-mass_g"]
    # A gram less before is a gram less now, and the balance lies 280/305² nearer the tip.
    assert mass.explains["mass_g"] == pytest.approx(-1.0)
    now, then = (300 * 320 + 3000) / 305, (299 * 320 + 3000) / 304
    assert mass.explains["balance_mm"] == pytest.approx(then - now)
    assert mass.explains["swing_kgcm2"] == pytest.approx(0.0, abs=1e-9)
    assert spread == FIGURES["mass_g"].drift
    told = trial._settled(mass, spread, trial.Gap({"mass_g": -0.6}, [[0.1]]))
    # Drawn towards none by how much a scale usually drifts, 0.3 g: 60 / (100 + 1/0.09).
    assert told.text == "Mass was read 0.5 g too high before"


def test_centimetres_for_millimetres_and_an_axis_that_is_known():
    after = Body.from_figures(mass_g=300.0, balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0)
    read = {"balance_mm": (32.0, 0.3), "swing_kgcm2": (310.0, 0.4)}
    free, known = (
        {
            one.key: one
            for one in suspicions.of_the_reading(after, read, 100.0, checks)
            if isinstance(one, Suspicion)
        }
        for checks in ({}, {"swing_kgcm2": Checked(0.0, math.hypot(0.1, 0.75), 1.5)})
    )
    tenfold = free["typed-balance_mm-tenfold-320"]
    assert tenfold.explains["balance_mm"] == -288.0
    assert tenfold.text == "Balance 32 mm typed for 320 mm: it is ten times off"
    (ounces,) = (
        one
        for one in suspicions.of_the_reading(after, {"mass_g": (10.6, 0.1)}, 100.0, {})
        if isinstance(one, Suspicion) and one.key == "typed-mass_g-ounces"
    )
    assert ounces.text == "Mass 10.6 g typed for 300.5 g: it was read in ounces"
    assert ounces.explains["mass_g"] == pytest.approx(10.6 - 300.5, abs=0.01)
    assert (free["axis-50"].cost, known["axis-50"].cost) == (3.5, 9.0)


def test_an_amount_is_fitted_between_what_was_read_and_what_is_usual():
    """0.6 g more, read within 0.2; such a thing is usually 0.3 g:
    (0.6 / 0.04) / (1 / 0.04 + 1 / 0.09) = 0.4154 g.
    It leaves (0.1846 / 0.2)² = 0.8521 of (0.6 / 0.2)² = 9."""
    gap = trial.Gap({"mass_g": 0.6}, [[0.2]])
    one = Suspicion("mass-0", message("mass", piece=1), {"mass_g": 1.0}, 1.0, piece=0)
    found = trial._settled(one, 0.3, gap)
    assert found.explains["mass_g"] == found.grams == pytest.approx(0.41538, abs=1e-5)
    assert found.text == "Piece 1 weighs 0.42 g more than noted"
    assert found.left == pytest.approx(0.85207, abs=1e-5)
    assert found.accounts == pytest.approx(1 - 0.85207 / 9, abs=1e-5)
    # Its cost grows by (0.4154 / 0.3)² and by ln(0.09 × 36.111) for the width it might have had.
    assert found.cost == pytest.approx(1 + 1.91716 + math.log(3.25), abs=1e-4)
    less = trial._settled(one, 0.3, trial.Gap({"mass_g": -0.6}, [[0.2]]))
    assert less.text == "Piece 1 weighs 0.42 g less than noted"
    whole = trial._settled(Suspicion("x", message("chance"), {"mass_g": 0.5}, 3.0), None, gap)
    assert (whole.left, whole.cost, whole.grams) == (pytest.approx(0.25), 3.0, None)
    worse = trial._settled(Suspicion("x", message("chance"), {"mass_g": -0.5}, 3.0), None, gap)
    assert worse.accounts == 0.0
    drift = Suspicion(
        "drift-mass_g", message("drift", figure="mass_g", check=""), {"mass_g": 1.0}, 2.5
    )
    assert trial._settled(drift, 0.3, gap).text == "The mass reads 0.4 g high"


def test_read_and_predicted_are_apart_by_both_their_uncertainties():
    """Mass before ± 0.1, a piece ± 0.05, read ± 0.2: √(0.01 + 0.0025 + 0.04) = 0.2291 g."""
    before = Body.from_figures(
        mass_g=ufloat(300.0, 0.1), balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0
    )
    fitted = [Fitted(PUTTY, u_g=0.05)]
    (mass,) = compare(TERN, before, fitted, {"mass_g": (305.4, 0.2)}, 100.0).residuals
    assert (mass.predicted, mass.off) == (pytest.approx(305), pytest.approx(0.4))
    assert mass.u == pytest.approx(0.229129, abs=1e-6)
    assert mass.z == pytest.approx(0.4 / 0.229129, abs=1e-5)
    # Without its ±, a reading is taken at the best a bench reads: 0.05 g.
    (mass,) = compare(TERN, before, fitted, {"mass_g": (305.2, None)}, 100.0).residuals
    assert mass.u == pytest.approx(math.sqrt(0.01 + 0.0025 + 0.0025), abs=1e-6)
    # Putty 4 mm off moves 5 g of 305 by 4/61 mm; 0.05 g of them (320 − 20) / 305 × 0.05 mm.
    exact = Body.from_figures(mass_g=300.0, balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0)
    (balance,) = compare(TERN, exact, fitted, {"balance_mm": (315.0, 0.5)}, 100.0).residuals
    assert balance.u == pytest.approx(
        math.hypot(0.5, 4 * 5 / 305, 0.05 * 295.082 / 305.05), abs=1e-4
    )
