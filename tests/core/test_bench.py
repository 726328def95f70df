"""At the bench: what a roll weighs, what is cut and where it goes, what is behind a reading, when
to stop."""

import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.bench.sheet import StringsAre, bench_sheet
from kentrobar.core.bench.suspicions import Checked, Fitted
from kentrobar.core.bench.trial import coarse, compare
from kentrobar.core.frame.predict import Measured
from kentrobar.core.numbers import nominal, ufloat
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.rolls import Cut, PerLength, backing_per_mm, weighed
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.pieces.work import OnShelf
from kentrobar.core.quantities import READ, plain_figures
from kentrobar.core.reader import length_number
from kentrobar.core.recipes import rest as rest_of
from kentrobar.core.recipes.brief import Brief, Goal, Goals, PlugSite, Putty, StripSite, Tape
from kentrobar.core.recipes.rest import rest

from .frames import SHOAL, TERN, laden

# --- rolls ----------------------------------------------------------------------------------------


def test_cuts_weighed_here_replace_the_makers_word():
    one = weighed([Cut(200, 1.96, 0.01)])
    assert (one.g_per_mm, one.cuts) == (pytest.approx(0.0098), 1)
    assert one.u == pytest.approx(((0.01 / 200) ** 2 + (0.0098 * 0.5 / 200) ** 2) ** 0.5)
    ten = weighed([Cut(200, 19.6, 0.01, count=10)])
    assert ten.u < one.u / 2
    assert weighed([]) is None
    # Cuts that scatter more than they should make it less sure, not more.
    apart = weighed([Cut(200, 1.90, 0.005), Cut(200, 2.02, 0.005)])
    assert apart.u > 3 * weighed([Cut(200, 1.96, 0.005), Cut(200, 1.96, 0.005)]).u
    assert backing_per_mm(
        weighed([Cut(100, 1.2, 0.01)]), weighed([Cut(100, 1.0, 0.01)])
    ) == pytest.approx(0.002)


@given(st.integers(1, 12), st.floats(0.002, 0.05), st.integers(0, 10_000))
def test_the_truth_lies_where_the_weighings_say(count, truth, seed):
    rng = random.Random(seed)
    cuts = [
        Cut(length, truth * (length + rng.gauss(0, 0.5)) + rng.gauss(0, 0.01), 0.01)
        for length in (rng.uniform(100, 400) for _ in range(count))
    ]
    found = weighed(cuts)
    assert abs(found.g_per_mm - truth) < 5.5 * found.u
    grams, u = found.piece(76.2, 4)
    assert abs(grams - truth * 4 * 76.2) < 6 * u


# --- the sheet ------------------------------------------------------------------------------------

SHELF = {
    "tape": OnShelf("tape", PerLength(0.0098, 0.0001, 3), width_mm=6),
    "lead tape": OnShelf("tape", PerLength(0.0104, 0.0002, 1), toxicity=1.0),
    "sheet": OnShelf("sheet", PerLength(0.044, 0.0004, 1, width_u=0.0625), width_mm=8),
    "silicone": OnShelf("silicone", cure_hours=24),
    "leather": OnShelf("grip"),
}
SIDES = Strip(
    mass_g=2.99, clock=3, length_mm=76.2, line="face", mirror=True, material="tape", layers=1
)


def test_equal_cuts_are_one_line_and_the_shelf_is_told_what_goes():
    tip = Strip(mass_g=1.49, clock=12, length_mm=76.2, line="edge", material="tape", layers=2)
    sheet = bench_sheet(
        TERN, [SIDES, tip, Plug(mass_g=5, from_mm=8, to_mm=38, material="putty")], SHELF
    )
    (line,) = sheet.cuts
    assert (line.count, line.length_mm, line.pieces) == (6, 76.2, (1, 2))
    assert line.grams == pytest.approx(2.99 + 1.49)
    assert line.u_g == pytest.approx(((6 * 76.2 * 0.0001) ** 2 + (0.0098 * 0.5) ** 2 * 6) ** 0.5)
    assert {(use.material, use.unit): use.amount for use in sheet.uses} == {
        ("tape", "mm"): pytest.approx(6 * 76.2), ("putty", "g"): 5,
    }  # fmt: skip


def test_a_cut_of_quarter_inches_is_as_long_in_the_list_as_in_its_row():
    """57.15 mm stood as 57.1 in the list and as 57.2 at its step."""
    quarters = replace(SIDES, length_mm=9 * 6.35)
    (line,) = bench_sheet(TERN, [quarters, replace(quarters, clock=2)], SHELF).cuts
    assert (line.count, length_number(line.length_mm)) == (8, "57.2")


def test_a_sheet_is_cut_to_width_and_leaves_the_shelf_by_its_area():
    """Half a millimetre of a rule on strips 8 mm wide outweighs what is open about the sheet
    itself."""
    strips = replace(SIDES, material="sheet", mass_g=13.4)
    sheet = bench_sheet(
        TERN, [strips, Plug(mass_g=4.4, from_mm=2, to_mm=8, material="sheet")], SHELF
    )
    (line,) = sheet.cuts
    assert (line.count, line.width_mm, line.is_to_width) == (4, 8, True)
    by_roll, by_hand = 4 * 76.2 * 0.0004, 0.044 * 2 * (0.5**2 + (76.2 * 0.0625) ** 2) ** 0.5
    assert line.u_g == pytest.approx((by_roll**2 + by_hand**2) ** 0.5)
    assert by_hand > 3 * by_roll
    (use,) = sheet.uses
    assert (use.unit, use.amount) == ("cm²", pytest.approx((4 * 76.2 + 4.4 / 0.044) * 8 / 100))
    cut = next(step for step in sheet.steps if step.key == "cut")
    assert "strips 8.0 mm wide first" in cut.lines[0]
    assert "inside of the cap" in " ".join(
        next(step for step in sheet.steps if step.piece == 2).lines
    )


def test_ready_cut_strips_are_counted_in_pieces_halves_and_quarters():
    """Strips of an eighth of an ounce, 76 mm long: four halves are two of them."""
    shelf = {"eighths": OnShelf("strip", PerLength(3.54 / 76, 0.001, 1), each_mm=76.0)}
    sheet = bench_sheet(TERN, [replace(SIDES, length_mm=38.0, material="eighths")], shelf)
    (line,), (use,) = sheet.cuts, sheet.uses
    assert (line.count, line.share) == (4, "half a strip")
    assert (use.amount, use.unit) == (2.0, "pieces")


def test_a_place_is_told_in_every_way_a_hand_can_find_it():
    place = SIDES.place(TERN, [10.0 * i for i in range(1, 40)])
    path = TERN.path("face")
    three = path.arc_of_clock(3)
    assert place.arc_mm == (pytest.approx(three - 38.1), pytest.approx(three + 38.1))
    assert place.x_mm[0] < 512 < place.x_mm[1]
    assert place.clock == "3 & 9 o’clock"
    assert place.holes[0] < place.holes[1]
    # The same strip told from the 9 o'clock side lies at the same place.
    other = Strip(mass_g=2.99, clock=9, length_mm=76.2, line="face", mirror=True)
    assert other.place(TERN).arc_mm == (
        pytest.approx(place.arc_mm[0]),
        pytest.approx(place.arc_mm[1]),
    )
    across = Strip(mass_g=1, clock=12, length_mm=64, line="edge").place(TERN)
    assert across.arc_mm == (pytest.approx(-32), pytest.approx(32))
    assert across.x_mm[1] == pytest.approx(686, abs=0.01)


@given(laden())
def test_every_piece_has_its_step_and_every_caution_stands_at_it(frame):
    outline, pieces = frame
    sheet = bench_sheet(outline, pieces, SHELF)
    assert sorted(step.piece for step in sheet.steps if step.piece) == list(
        range(1, len(pieces) + 1)
    )
    assert len({step.key for step in sheet.steps}) == len(sheet.steps)
    assert (sheet.steps[0].key, sheet.steps[-1].key) == ("look", "weigh")


def test_ways_of_working_and_their_cautions():
    pieces = [
        Strip(mass_g=2, clock=12, length_mm=100, line="edge", material="lead tape", layers=1),
        Plug(mass_g=6, from_mm=5, to_mm=40, material="silicone"),
        Sleeve(mass_g=27, from_mm=0, to_mm=190, material="leather"),
        Strip(mass_g=-1.5, clock=12, length_mm=114, line="edge", material="guard, trimmed"),
        Throat(mass_g=1, from_mm=250, to_mm=300, material="tape"),
        Point(mass_g=2.4, x_mm=352, material="dampener"),
    ]
    sheet = bench_sheet(TERN, pieces, SHELF)
    steps = {step.key: step for step in sheet.steps}
    order = [step.key for step in sheet.steps]
    assert (
        order.index("piece-2")
        < order.index("piece-1")
        < order.index("piece-5")
        < order.index("piece-3")
    )
    assert "pierce it crosswise" in " ".join(steps["piece-1"].lines)
    assert any("toxic" in text for text in steps["piece-1"].cautions)
    assert any("toxic" in text for text in steps["cut"].cautions)
    assert any("blade" in text.lower() for text in steps["off-4"].cautions)
    assert "Inject" in " ".join(steps["piece-2"].lines)
    assert (steps["cure"].wait_hours, sheet.wait_hours) == (24, 24)
    assert not any("toxic" in text for text in steps["piece-5"].cautions)
    paddle = bench_sheet(
        SHOAL, [Strip(mass_g=4, clock=3, length_mm=90, line="edge", mirror=True)], {}
    )
    assert "smooth over the corners" in " ".join(paddle.steps[-2].lines)


UNDER = Strip(mass_g=1.5, clock=12, length_mm=80, line="edge", material="tape", layers=1)
TRIM = Strip(mass_g=-1.5, clock=12, length_mm=114, line="edge", material="guard, trimmed")


@pytest.mark.parametrize(
    ("pieces", "left_out", "strings", "comes_out"),
    [
        ([UNDER], (), StringsAre.IN, True),
        ([SIDES], (UNDER,), StringsAre.IN, True),
        ([SIDES, TRIM], (), StringsAre.IN, False),
        ([TRIM], (), StringsAre.IN, False),
        ([SIDES], (), StringsAre.COME_OUT, True),
        ([UNDER], (), StringsAre.OUT, False),
    ],
)
def test_strings_come_out_first_where_work_goes_under_the_bumper(
    pieces, left_out, strings, comes_out
):
    """And go in again before it is read; the bumper itself is trimmed where it is."""
    sheet = bench_sheet(TERN, pieces, SHELF, leaves_out=left_out, strings=strings)
    keys = [step.key for step in sheet.steps]
    assert ("strings-out" in keys, "restring" in keys) == (comes_out, comes_out)
    grams = sum(piece.mass_g for piece in pieces) - sum(piece.mass_g for piece in left_out)
    way = "fallen" if grams < 0 else "risen"
    assert f"must have {way} by {abs(grams):.2f} g" in sheet.steps[-1].lines[0]
    if comes_out:
        assert keys.index("strings-out") == 1
        assert keys[-2:] == ["restring", "weigh"]


def test_a_plan_that_strings_it_has_no_second_restringing():
    steps = bench_sheet(TERN, [UNDER, Strings(mass_g=16)], SHELF, strings=StringsAre.IN).steps
    assert sum("tring it" in step.title for step in steps) == 1


# --- trials ---------------------------------------------------------------------------------------

BEFORE = Measured(
    mass_g=ufloat(316.8, 0.05),
    balance_mm=ufloat(323.5, 0.2),
    swing_kgcm2=ufloat(314.6, 0.3),
    axis_mm=100,
    twist_kgcm2=ufloat(13.4, 0.05),
)
PUT_ON = [
    SIDES,
    Strip(mass_g=1.5, clock=12, length_mm=76.2, line="edge", material="tape"),
    Plug(mass_g=5, from_mm=8, to_mm=38, material="putty"),
]
OVERGRIP = {"overgrip": body_of(Sleeve(mass_g=5.5, from_mm=0, to_mm=190), TERN)}


def trial(pieces=PUT_ON, truth=PUT_ON, extra=(), checks=None, **changed):
    """What was noted, and what was read of a frame that is truly otherwise."""
    after = sum((body_of(piece, TERN) for piece in (*truth, *extra)), BEFORE.body())
    read = {name: (value, 0.05 if name == "mass_g" else 0.3 if name != "twist_kgcm2" else 0.05)
            for name, value in plain_figures(after, 100, READ).items()}  # fmt: skip
    for name, value in changed.items():
        read[name] = (value(read[name][0], after), read[name][1])
    return compare(
        TERN, BEFORE.body(), [Fitted(piece) for piece in pieces], read, 100, OVERGRIP, checks
    )


def test_what_agrees_is_not_suspected():
    found = trial()
    assert found.is_agreed
    assert found.suspicions == ()
    assert found.chi2 < 0.01
    assert all(one.u > 0 for one in found.residuals)


def heavy(i, grams):
    return [
        replace(piece, mass_g=piece.mass_g + grams) if j == i else piece
        for j, piece in enumerate(PUT_ON)
    ]


LIGHTER = Sleeve(mass_g=-6.0, from_mm=0, to_mm=190, material="grip")
BARE_HAND = Sleeve(mass_g=-5.5, from_mm=0, to_mm=190)
BACKED = [*(replace(piece, mass_g=1.12 * piece.mass_g) for piece in PUT_ON[:2]), PUT_ON[2]]


@pytest.mark.parametrize(
    ("found", "key", "words"),
    [
        (lambda: trial(truth=heavy(0, 1.2)), "mass-0", "more than noted"),
        (lambda: trial(truth=heavy(1, 0.9)), "mass-1", "more than noted"),
        (lambda: trial(truth=heavy(2, -1.2)), "mass-2", "less than noted"),
        (lambda: trial(truth=[replace(SIDES, clock=1), *PUT_ON[1:]]), "place-0", "nearer the tip"),
        (lambda: trial(extra=[BARE_HAND]), "off-overgrip", "is missing"),
        (lambda: trial(extra=[replace(BARE_HAND, mass_g=5.5)]), "twice-overgrip", "too many"),
        (lambda: trial([TRIM], [replace(TRIM, mass_g=-0.7)]), "mass-0", "less came off than noted"),
        (lambda: trial([LIGHTER], []), "lost-0", "is still on: 6.0 g"),
        (lambda: trial(truth=BACKED), "backing", "still on"),
        (lambda: trial(swing_kgcm2=lambda v, b: v + nominal(b.twist) / 1e5), "flat", "face-flat"),
        (
            lambda: trial(swing_kgcm2=lambda v, b: nominal(b.swing(101.6)) / 1e5),
            "axis-101.6",
            "about 101.6 mm",
        ),
        (lambda: trial(swing_kgcm2=lambda v, b: v + 1.6), "drift-swing_kgcm2", "high"),
        (lambda: trial(mass_g=lambda v, b: v + 30), "typed-mass_g-326.29", "one digit"),
        (lambda: trial(swing_kgcm2=lambda v, b: 234.0), "typed-swing_kgcm2-324", "changed places"),
    ],
)
def test_the_likeliest_reason_is_named_first_with_its_numbers(found, key, words):
    compared = found()
    assert not compared.is_agreed
    first = compared.suspicions[0]
    assert first.key == key, [(one.key, round(one.likely, 2)) for one in compared.suspicions]
    assert words in first.text
    assert first.left < compared.chi2 / 4
    assert sum(one.likely for one in compared.suspicions) <= 1 + 1e-9


def test_a_scale_of_whole_grams_is_said_to_be_too_coarse_with_what_it_costs():
    """Half of 1.5 g seen on ± 0.29 g: 0.75 / 0.29 − 2 = 0.59 σ, so in 72 of 100 cases."""
    said = coarse([Fitted(piece) for piece in PUT_ON], 0.29)
    assert said.figures["now"] == pytest.approx(0.722, abs=0.002)
    assert said.figures["then"] > 0.999
    assert "72 % → 100 %" in str(said)
    assert coarse([Fitted(piece) for piece in PUT_ON], 0.03) is None


def test_two_mistakes_at_once_are_not_passed_off_as_one():
    one = trial(truth=heavy(0, 1.2))
    assert not one.is_more_than_one
    two = trial(truth=heavy(0, 1.2), mass_g=lambda v, b: v + 30)
    assert two.suspicions[0].key.startswith("typed-mass_g")
    assert two.is_more_than_one


def test_a_check_of_the_instrument_says_how_far_it_is_to_be_suspected():
    """1.6 high is three times what a machine checked level would do, and what one that was off at
    its check does."""
    level, off = (
        Checked(0.1, 0.22, 0.4, "level"),
        Checked(1.5, 0.32, 0.5, "the machine read +1.5 off"),
    )
    likely = [
        next((one for one in found.suspicions if one.key == "drift-swing_kgcm2"), None)
        for checks in ({"swing_kgcm2": level}, None, {"swing_kgcm2": off})
        for found in [trial(swing_kgcm2=lambda v, b: v + 1.6, checks=checks)]
    ]
    shares = [one.likely if one else 0.0 for one in likely]
    assert shares == sorted(shares)
    assert shares[0] < 0.6 * shares[1]
    assert shares[2] > 0.6
    assert likely[2].text.endswith("high: the machine read +1.5 off")
    assert likely[2].accounts > 0.9


# --- on, or enough --------------------------------------------------------------------------------

TAPE = Tape(name="tape", g_per_mm=0.0098, step_mm=6.35, max_layers=2)
SITES = (
    StripSite(name="sides", clock=3, mirror=True, max_length_mm=150),
    PlugSite(name="handle", from_mm=5, to_mm=40),
)


def left_over(swing, mass=320.0, u=0.2, tol=1.0, **more):
    read = Measured(
        mass_g=mass, balance_mm=321.0, swing_kgcm2=ufloat(swing, u), axis_mm=100, twist_kgcm2=14.0
    )
    asked = Brief(
        frame=TERN, measured=read, targets=Goals(swing_kgcm2=Goal(value=325, tol=tol)),
        materials=(TAPE, Putty(name="putty", step_g=0.5, max_g=20)), sites=SITES, **more,
    )  # fmt: skip
    return rest(asked)


def test_what_is_inside_is_done_and_what_is_far_off_goes_on():
    assert left_over(325.4).is_enough
    far = left_over(316.0)
    assert not far.is_enough
    assert far.chance_then > far.chance_now + 0.5
    assert far.misses == {"swing_kgcm2": pytest.approx(-9)}
    assert far.why.code == "rest-off"


def test_noise_what_nobody_notices_and_what_would_hurt_are_reasons_to_stop():
    assert left_over(323.6, u=0.6).why.code == "rest-noise"
    assert left_over(322.5, u=0.1).why.code == "rest-unnoticed"
    # Too much on it already: nothing that could be put on brings it back.
    over = left_over(333.0)
    assert over.is_enough
    assert over.why.code == "rest-no-gain"


def test_a_search_that_was_cut_short_is_no_advice(monkeypatch):
    whole = rest_of.solve
    monkeypatch.setattr(rest_of, "solve", lambda *asked: replace(whole(*asked), is_whole=False))
    over = left_over(333.0)
    assert (over.is_enough, over.why.code) == (False, "rest-unfinished")
