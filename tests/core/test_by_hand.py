"""Rules worked out on paper, a number each: what a slip of one sign, factor or neighbour would
change and a law that holds either way would not see."""

import math
from dataclasses import replace

import pytest

from kentrobar.core.bench.sheet import OnShelf, bench_sheet
from kentrobar.core.errors import UnreadableError
from kentrobar.core.frame.condition import Part
from kentrobar.core.frame.mistyped import mistyped
from kentrobar.core.frame.notices import notices
from kentrobar.core.frame.predict import LadenFrame, Measured, predict
from kentrobar.core.frame.targets import Target, Targets, level
from kentrobar.core.io.tables import read, write
from kentrobar.core.measure.scale import Scale
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.pieces.body import NOTHING, Body
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from kentrobar.core.quantities import figures
from kentrobar.core.recipes.advice import Noticed, advise
from kentrobar.core.recipes.brief import Brief, Goal, Goals, PartSite, StripSite
from kentrobar.core.recipes.candidates import Candidate, beside, candidates
from kentrobar.core.recipes.frame_set import FrameSet, Member
from kentrobar.core.recipes.match import match
from kentrobar.core.recipes.one_gram import effect
from kentrobar.core.recipes.programme import Programme
from tests.core.frames import READ, TERN

BODY = Body.from_figures(mass_g=300.0, balance_mm=320.0, swing_kgcm2=310.0, axis_mm=100.0)
"""300 g that balance at 320 mm."""


def test_throat_tape_twists_by_both_shafts_and_the_beam():
    """The shafts run from 16 to 77.016 mm off the centre line; half a beam of 23 mm is 11.5 mm."""
    x0, y0, x1, y1 = TERN.shaft()
    assert (x0, y0, x1, y1) == pytest.approx((195, 16, 378.604364, 77.016007))
    tape = body_of(Throat(mass_g=12, from_mm=x0, to_mm=x1), TERN)
    # 12 g × ((16² + 16 × 77.016 + 77.016²) / 3 + 11.5²) mm² = 31 265.886 g·mm²
    assert tape.twist_kgcm2 == pytest.approx(0.31265886, rel=1e-6)
    assert tape.balance == pytest.approx((195 + 378.604364) / 2)


def test_a_balance_band_widens_with_the_mass_put_on():
    """300 g at 320 mm and 30 g at 364 mm balance at exactly 324 mm: the edge of 325 ± 1."""
    goals = Goals(balance_mm=Goal(value=325, tol=1))
    brief = Brief(frame=TERN, measured=READ, targets=goals, materials=(), sites=())
    put_on = body_of(Point(mass_g=30, x_mm=364), TERN)
    way = Candidate(0, 0, (), put_on, 1, 50.0, 1.0, 0.0)
    assert (BODY + put_on).balance == pytest.approx(324)
    beyond = Programme(brief, BODY, [way], 320.0, lambda: None).beyond
    assert beyond((0,))["balance_mm"] == pytest.approx(0, abs=1e-9)
    assert beyond(())["balance_mm"] == pytest.approx(4)


def test_a_last_resort_costs_ten_times_a_part_taken_off():
    trim = Plug(mass_g=2, from_mm=640, to_mm=660)
    gentle, last = (
        PartSite(name=name, piece=trim, less_g=[2.0], last_resort=is_last)
        for name, is_last in (("overgrip", False), ("bumper guard", True))
    )
    assert [way.cost for way in candidates(TERN, (), (gentle, last))] == [2.0, 20.0]


@pytest.mark.parametrize(
    ("is_site_mirrored", "is_piece_mirrored", "is_kept_out"),
    [(True, False, True), (False, True, True), (False, False, False)],
)
def test_what_lies_across_the_frame_is_kept_out_where_either_is_mirrored(
    is_site_mirrored, is_piece_mirrored, is_kept_out
):
    """A strip of 40 mm at 9 o'clock, a site at 3: they meet where one of them lies on both."""
    site = StripSite(name="side", clock=3, max_length_mm=80, mirror=is_site_mirrored)
    lies = Strip(mass_g=1, clock=9, length_mm=40, line="face", mirror=is_piece_mirrored)
    kept_out = beside(site, [lies], TERN).keep_out_mm
    assert any(pair == pytest.approx((-20, 20), abs=1e-6) for pair in kept_out) is is_kept_out


def test_a_gram_raises_the_recoil_weight_wherever_it_lies():
    """10 g, 320 mm from the balance of 300 g: 300 × 10 / 310 × 320² g·mm² = 9.909677 kg·cm²."""
    one = effect("tip", "Tip", (Point(mass_g=10, x_mm=640),), TERN, BODY, 100.0)
    assert one.recoil_kgcm2 == pytest.approx(9.909677)
    assert one.swing_kgcm2 == pytest.approx(10 * 540**2 / 1e5)
    assert one.balance_mm == pytest.approx((300 * 320 + 10 * 640) / 310 - 320)


def test_what_should_be_quicker_keeps_its_swing_weight():
    """No mass comes off a head: less swing weight is never asked for."""
    changes = {c.figure: c.by for c in advise(["slow"], TERN, BODY, 100, Noticed()).changes}
    assert changes == {"swing_kgcm2": 0.0, "balance_mm": -4.0}


@pytest.mark.parametrize("sign", ["=", "+", "@"])
def test_no_spreadsheet_takes_a_text_for_a_formula(sign):
    text = write([{"name": f"{sign}1+1", "mass_g": -1.5}])
    assert text.splitlines()[1].startswith(f"'{sign}1+1,")
    assert "-1.5" in text
    assert read(text)[0].texts["name"] == f"{sign}1+1"


def test_a_usual_part_is_as_uncertain_as_its_range():
    """Strings weigh 14 to 19 g: an even spread of 5 g has σ = 5 / √12 = 1.443 g."""
    assert PARTS["strings"].mass_u == pytest.approx(1.44)
    assert PARTS["leather-grip"].mass_u == pytest.approx(1.73)


def test_a_part_placed_roughly_leaves_its_moment_open():
    """20 g, 3 mm uncertain along the frame: 60 g·mm of moment, nothing of its mass."""
    on = Part(kind="overgrip", mass_g=20, from_mm=40, to_mm=140, place_u_mm=3).body(TERN)
    assert nominal(on.moment) == pytest.approx(20 * 90)
    assert uncertainty(on.moment) == pytest.approx(60)
    assert on.mass == 20
    usual = Part(kind="overgrip", mass_g=20).body(TERN)
    assert uncertainty(usual.moment) == pytest.approx(20 * 4.0)


def notices_of(*pieces):
    plan = LadenFrame(frame=TERN, measured=READ, pieces=pieces)
    return {one.code: one for one in notices(plan, predict(plan))}


def test_a_piece_on_one_side_is_noticed_and_its_pull_where_it_shows():
    """READ weighs 316.8 g; 2 g at 120 mm pull its centre 240 / 318.8 = 0.75 mm towards 3."""
    found = notices_of(Point(mass_g=2, x_mm=500, y_mm=120))
    assert "0.8 mm towards 3 o'clock" in found["off-centre"].text
    assert "towards 9" in notices_of(Point(mass_g=2, x_mm=500, y_mm=-120))["off-centre"].text
    # 15.8 g·mm pull by 0.0498 mm, 16 g·mm by 0.0502 mm; 0.05 mm is where it is said.
    assert "off-centre" not in notices_of(Point(mass_g=0.1, x_mm=500, y_mm=158))
    assert "off-centre" in notices_of(Point(mass_g=0.1, x_mm=500, y_mm=160))
    strip = Strip(mass_g=2, clock=3, length_mm=50, line="face", mirror=True)
    assert not {"one-side", "off-centre"} & set(notices_of(strip))
    assert notices_of(replace(strip, mirror=False))["one-side"].piece == 0
    # The tip and the butt have no side, a hair to the left of them as little as to the right.
    for clock in (0.04, 5.96, 6, 11.96):
        assert "one-side" not in notices_of(replace(strip, mirror=False, clock=clock))
    assert "one-side" in notices_of(replace(strip, mirror=False, clock=11.9))


def test_a_set_is_as_sure_of_a_swing_weight_as_it_was_read():
    """Figures about the set's axis keep the ± of the reading: 2 kg·cm² of it against a tolerance of
    2 leaves about 68 %."""
    from uncertainties import ufloat

    plain = Measured(mass_g=310, balance_mm=320, swing_kgcm2=300, axis_mm=100)
    unsure = Measured(mass_g=310, balance_mm=320, swing_kgcm2=ufloat(300, 2), axis_mm=100)
    members = tuple(
        Member(name=name, frame=TERN, measured=read) for name, read in (("a", plain), ("b", unsure))
    )
    found = match(
        FrameSet(
            frames=members, tolerances={"swing_kgcm2": 2.0}, materials=(), sites=(),
            target="targets", targets=Goals(swing_kgcm2=Goal(value=300, tol=2)),
        )
    )  # fmt: skip
    sure, less = (recipe.sure for recipe in found.recipes)
    assert (sure.chance, sure.u["swing_kgcm2"]) == (1.0, 0.0)
    assert less.u["swing_kgcm2"] == pytest.approx(2)
    assert less.chance == pytest.approx(0.68, abs=0.04)


def test_the_handle_is_filled_before_tape_is_laid_from_the_tip_down():
    pieces = [
        Throat(mass_g=2, from_mm=250, to_mm=300),
        Strip(mass_g=2, clock=3, length_mm=50, line="face", mirror=True),
        Strip(mass_g=2, clock=12, length_mm=50, line="edge"),
        Plug(mass_g=5, from_mm=10, to_mm=40),
    ]
    steps = [step.key for step in bench_sheet(TERN, pieces, {}).steps]
    assert [key for key in steps if key.startswith("piece")] == [
        "piece-4", "piece-3", "piece-2", "piece-1",
    ]  # fmt: skip
    assert steps[0] == "look"
    assert steps[-1] == "weigh"
    assert steps.index("piece-4") > steps.index("cut")


def test_a_strip_off_a_sheet_takes_its_own_width_off_it():
    """Four strips of 50 mm, 8 mm wide: 4 × 50 × 8 mm² = 16 cm²."""
    piece = Strip(
        mass_g=2, clock=3, length_mm=50, line="face", mirror=True, material="lead sheet", layers=1
    )
    shelf = {"lead sheet": OnShelf("sheet", width_mm=8.0)}
    (use,) = bench_sheet(TERN, [piece], shelf).uses
    assert (use.amount, use.unit) == (pytest.approx(16.0), "cm²")


def test_what_a_scale_reads_too_much_is_taken_off():
    """300.5 g read on a scale that reads 0.3 g too much: 300.2 g; three at once weigh a third."""
    reading = Scale(readings_g=[300.4, 300.5, 300.6], drift_g=0.3)
    assert nominal(reading.reduce().value) == pytest.approx(300.2)
    heap = Scale(readings_g=[30.3], drift_g=0.3, count=3)
    assert nominal(heap.reduce().value) == pytest.approx(10.0)


def test_layers_carry_their_grams():
    """The same strip in two layers is cut twice as often; its grams are of all layers together."""
    strip = Strip(mass_g=4, clock=12, length_mm=50, line="edge", layers=2)
    assert strip.strips() == (50, 2 * strip.runs)
    assert figures(body_of(strip, TERN), 100.0)["mass_g"] == 4
    assert math.isclose(bench_sheet(TERN, [strip], {}).cuts[0].grams, 4)


def test_slips_of_the_fingers_are_all_thought_of():
    """32.1 was meant as 23.1 or 31.2, as 2.1, 3.1, 32 or 321, or with one digit another."""
    meant = {}
    for value, slip in mistyped(32.1):
        meant.setdefault(slip, set()).add(value)
    assert meant["digits-swapped"] == {23.1, 31.2}
    assert meant["digit-left-over"] == {2.1, 3.1, 32.0, 321.0}
    assert len(meant["digit-wrong"]) == 8 + 9 + 9
    assert {42.1, 39.1, 32.7} <= meant["digit-wrong"]
    assert not {2.1, 32.1} & meant["digit-wrong"], "a figure begins with no zero"


def test_a_second_layer_brings_its_grams():
    """4 g in one layer are 8 g in two and 6 g cut half as long again; a heavier roll tells too."""
    one = Strip(mass_g=4, clock=12, length_mm=50, line="edge", layers=1)
    assert replace(one, layers=2).with_tape_of(one).mass_g == pytest.approx(8)
    assert replace(one, length_mm=75).with_tape_of(one).mass_g == pytest.approx(6)
    assert replace(one, layers=2).with_tape_of(one, per_mm=1.5).mass_g == pytest.approx(12)


def test_a_target_that_is_a_change_is_counted_from_the_frame_as_read():
    """2 g at each side, 120 mm off the axis: 2 × 2 × 144 / 1000 = 0.576 kg·cm² of twist weight."""
    put_on = sum((body_of(Point(mass_g=2, x_mm=500, y_mm=y), TERN) for y in (120, -120)), NOTHING)
    before = READ.body()
    aimed = Target(0.5, 0.2, is_change=True)
    found = level("twist_kgcm2", before, before + put_on, aimed, 100)
    assert found.off == pytest.approx(0.076)
    assert found.is_level
    assert Targets.parse(Targets(twist_kgcm2=aimed).dump()).twist_kgcm2 == aimed


def test_what_is_wound_round_the_handle_makes_the_grip_larger():
    """9 g of lead over 50 mm of a handle of radius 16: 1 cm³ over 50·2π·16 mm² is 0.199 mm thick,
    2π of it round is 1.25 mm, 0.4 of a size."""
    found = notices_of(Sleeve(mass_g=9.0, from_mm=20, to_mm=70, material="lead tape, 6 mm"))
    told = found["grip-size"].message.figures
    assert (told["mm"], told["sizes"]) == (pytest.approx(1.25), pytest.approx(0.394, abs=0.001))
    # Half a size is 1.59 mm: 11.4 g do not come to it, 11.5 g are beyond.
    for grams, code in ((11.4, "grip-size"), (11.5, "grip-size-much")):
        lead = Sleeve(mass_g=grams, from_mm=20, to_mm=70, material="lead tape, 6 mm")
        assert code in notices_of(lead)
    off = notices_of(Sleeve(mass_g=-9.0, from_mm=20, to_mm=70, material="lead tape, 6 mm"))
    assert off["grip-size"].message.figures["mm"] == pytest.approx(-1.25)
    assert "grip-size" not in notices_of(Point(mass_g=9, x_mm=60))


def test_a_table_as_people_write_it_down():
    """11.3 oz of 28.349523 g; a twelfth of its last digit's square leaves 0.82 g open."""
    own = (
        "Model;Mark;Weight;Balance;SW;Player\n"
        "Tattler 100;7;11,3 oz;32,4 cm;318;Edda\n"
        "Tattler 102;;305 ± 0.2;12 3/4 in;0,0315 kg·m²;\n"
    )
    one, other = read(own)
    assert one.texts == {"name": "Tattler 100", "serial": "7", "owner": "Edda"}
    assert one.figures == pytest.approx(
        {"mass_g": 320.3496, "balance_mm": 324.0, "swing_kgcm2": 318.0}, abs=1e-3
    )
    assert one.us["mass_g"] == pytest.approx(0.818, abs=1e-3)
    assert (other.us["mass_g"], other.sure) == (0.2, {"mass_g"})
    assert other.figures["balance_mm"] == pytest.approx(323.85)
    (inches,) = read("name;balance_in\nTern;12 3/4\n")
    assert inches.figures["balance_mm"] == pytest.approx(323.85)
    (bad,) = read("name;mass;balance\nTern;32 cm;6 pts HL\n")
    assert len(bad.faults) == 2
    with pytest.raises(UnreadableError, match="Two columns are called mass_g"):
        read("name;mass;mass_g\nTern;1;2\n")
