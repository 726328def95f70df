"""Every amount as every reader is told it."""

import math

import pytest

from kentrobar.core.numbers import ufloat
from kentrobar.core.reader import (
    Reader,
    as_typed,
    axis_text,
    clock_text,
    digits,
    duration,
    fixed,
    half_up,
    hole_text,
    in_points,
    in_unit,
    length_number,
    length_text,
    mass_text,
    percent,
    percent_of_length,
    points_head_light,
    read_by,
    short_length,
    the_reader,
    translated,
    trimmed,
)
from kentrobar.core.units import UNITS, offered, sizes
from kentrobar.core.words import message
from kentrobar.core.words.amounts import (
    Amount,
    apart,
    change_of,
    gap,
    length_off_roll,
    mass_in_other_unit,
    mass_number,
    told,
    unit_in,
    unit_of,
)

METRIC, COMMA = Reader(), Reader(decimal_mark=",")
OUNCES = Reader(mass="oz", length="in", balance="pt")
CM, PERCENT = Reader(length="cm"), Reader(balance="%")
LONG = 686.0


@pytest.mark.parametrize(
    ("who", "tell", "text"),
    [
        (METRIC, lambda: fixed(1234.5, 1), "1234.5"),
        (COMMA, lambda: fixed(-1234.5, 1), "−1234,5"),
        (COMMA, lambda: fixed(0.04, 1, signed=True), "0,0"),
        (METRIC, lambda: fixed(2.0, 0, signed=True), "+2"),
        (METRIC, lambda: fixed(math.nan, 1), "–"),
        (METRIC, lambda: fixed(ufloat(3.25, 1.0), 1), "3.3"),
        (METRIC, lambda: trimmed(30.0, 1), "30"),
        (METRIC, lambda: trimmed(30.0, 0), "30"),
        (COMMA, lambda: trimmed(2.50, 2, signed=True), "+2,5"),
        (COMMA, lambda: digits(0.0712), "0,071"),
        (METRIC, lambda: digits(1234567.0, 3), "1234567"),
        (METRIC, lambda: digits(0.00000123, 3), "0.00000123"),
        (COMMA, lambda: digits(-3.14159, 4, signed=True), "−3,142"),
        (METRIC, lambda: as_typed(326.15, 1), "326.15"),
        (COMMA, lambda: as_typed(326.0, 1), "326,0"),
        (METRIC, lambda: as_typed(327.875, 1), "327.9"),
        (COMMA, lambda: percent(0.0123, 1), "1,2 %"),
        (METRIC, lambda: percent(0.845), "85 %"),
        (METRIC, lambda: axis_text(100.0), "100 mm"),
        (COMMA, lambda: axis_text(101.6), "101,6 mm"),
        (OUNCES, lambda: axis_text(101.6), "101.6 mm"),
        (METRIC, lambda: axis_text(None), ""),
        (METRIC, lambda: duration(89), "89 min"),
        (METRIC, lambda: duration(90), "about 1.5 h"),
        (METRIC, lambda: duration(433), "about 7 h"),
        (COMMA, lambda: duration(160), "about 2,5 h"),
        (METRIC, lambda: in_points(343 - 6 * 3.175, LONG), "6.0 pt head-light"),
        (COMMA, lambda: in_points(343 + 2.5 * 3.175, LONG), "2,5 pt head-heavy"),
        (METRIC, lambda: in_points(343.1, LONG), "even"),
        (METRIC, lambda: in_points(343.2, LONG), "0.1 pt head-heavy"),
        (COMMA, lambda: percent_of_length(318.99, LONG), "46,5 % of length"),
        (METRIC, lambda: hole_text(6.0), "6"),
        (COMMA, lambda: hole_text(6.44), "6,4"),
        (METRIC, lambda: " ".join(map(clock_text, (3, 2.5, 12, 12.5, 0.1, 11.999))),
         "3 2:30 12 12:30 12:06 12"),
        (METRIC, lambda: length_text(76.2), "76.2 mm"),
        (CM, lambda: length_text(76.2), "7.62 cm"),
        (OUNCES, lambda: length_text(76.2), "3.00 in"),
        (OUNCES, lambda: length_number(76.2, 0), "3.00"),
        (CM, lambda: length_number(76.2, 0), "7.6"),
        (METRIC, lambda: length_number(76.24, 0), "76"),
        (METRIC, lambda: short_length(120.0), "120"),
        (OUNCES, lambda: short_length(63.5), "2.5"),
        (METRIC, lambda: mass_text(2.0), "2.00 g"),
        (METRIC, lambda: mass_text(2.04, 1), "2.0 g"),
        (OUNCES, lambda: mass_text(2.0), "0.071 oz"),
        (OUNCES, lambda: in_unit(2.0, UNITS["lb"], 2, True), "+0.0044"),
        (METRIC, lambda: Amount("mass_g", 320.04).told(), "320.0 g"),
        (OUNCES, lambda: Amount("mass_g", 320.04).told(), "11.29 oz"),
        (COMMA, lambda: Amount("twist_kgcm2", 13.4).told(), "13,40 kg·cm²"),
        (METRIC, lambda: Amount("swing_kgcm2", 314.56).told(), "314.6 kg·cm²"),
        (METRIC, lambda: Amount("swing_kgcm2", 314.56).told(0), "315 kg·cm²"),
        (CM, lambda: Amount("balance_mm", 323.5).told(), "32.35 cm"),
        (OUNCES, lambda: " ".join(Amount("balance_mm", 323.95, length_mm=LONG).parts),
         "6.0 pt head-light"),
        (OUNCES, lambda: " ".join(Amount("balance_mm", 343.0, length_mm=LONG).parts),
         "even balance"),
        (PERCENT, lambda: " ".join(Amount("balance_mm", 318.99, length_mm=LONG).parts),
         "46.5 % of length"),
        (PERCENT, lambda: change_of("balance_mm", -3.2).told(), "−3.2 mm"),
        (OUNCES, lambda: change_of("balance_mm", -3.175).told(), "+1.00 pt"),
        (METRIC, lambda: change_of("mass_g", 2.0).told(), "+2.00 g"),
        (METRIC, lambda: change_of("mass_g", 2.04).told(1), "+2.0 g"),
        (OUNCES, lambda: change_of("mass_g", 2.0).told(), "+0.071 oz"),
        (METRIC, lambda: change_of("twist_kgcm2", -0.456).told(), "−0.46 kg·cm²"),
        (METRIC, lambda: Amount("mass_g", 2.5).fine(), "2.50"),
        (METRIC, lambda: Amount("mass_g", 2.5).plain(), "2.5"),
        (COMMA, lambda: change_of("mass_g", 2.5).plain(), "+2,5"),
        (OUNCES, lambda: change_of("mass_g", 2.0).plain(), "+0.071"),
        (METRIC, lambda: Amount("mass_g", 320.0, 0.0712).spread, "0.071"),
        (METRIC, lambda: Amount("mass_g", 320.0, 0.0499).spread, ""),
        (OUNCES, lambda: Amount("mass_g", 320.0, 0.2).spread, "0.0071"),
        (OUNCES, lambda: Amount("balance_mm", 320.0, 1.372, LONG).spread, "0.43"),
        (PERCENT, lambda: Amount("balance_mm", 320.0, 1.372, LONG).spread, "0.2"),
        (METRIC, lambda: Amount("twist_kgcm2", 13.0, 0.0049).spread, ""),
        (METRIC, lambda: gap("mass_g", -2.125), "2.13"),
        (METRIC, lambda: gap("balance_mm", 1.25), "1.25"),
        (CM, lambda: gap("balance_mm", 1.25), "0.125"),
        (OUNCES, lambda: gap("balance_mm", -3.175), "1"),
        (OUNCES, lambda: gap("length", 1.0), "0.039"),
        (OUNCES, lambda: apart("balance_mm", 6.35), "2 pt"),
        (METRIC, lambda: apart("balance_mm", -2.5), "2.5 mm"),
        (METRIC, lambda: apart("mass_g", 2.0, bare=True), "2"),
        (METRIC, lambda: told("mass_g", 2.0), "2 g"),
        (METRIC, lambda: told("mass_g", 2.04, 1, signed=True), "+2.0 g"),
        (METRIC, lambda: told("mass_g", 2.0, bare=True), "2"),
        (OUNCES, lambda: told("balance_mm", 323.95), "12.75 in"),
        (OUNCES, lambda: told("balance_mm", -3.175, 1, signed=True), "+1.00 pt"),
        (METRIC, lambda: length_off_roll(64.0), "64 mm"),
        (METRIC, lambda: length_off_roll(1000.0), "1.00 m"),
        (METRIC, lambda: length_off_roll(-3250.0), "−3.25 m"),
        (CM, lambda: length_off_roll(999.0), "99.9 cm"),
        (OUNCES, lambda: length_off_roll(64.0), "2.52 in"),
        (OUNCES, lambda: length_off_roll(304.8), "1.00 ft"),
        (OUNCES, lambda: length_off_roll(3250.0), "10.66 ft"),
        (METRIC, lambda: mass_in_other_unit(316.8), "11.17 oz"),
        (OUNCES, lambda: mass_in_other_unit(316.8), "316.8 g"),
        (OUNCES, lambda: mass_number(316.8), "11.17"),
        (COMMA, lambda: str(message("missed-so-far", blocks=[("mass_g", 2.041, 0.004)])),
         "At the nearest so far the mass stays 2,04 g above its target, just beyond the"
         " tolerance."),
        (COMMA, lambda: str(message("set-missed", frames=[("F1", [("balance_mm", -3.5, 1.25)])])),
         "F1: balance stays 3,5 mm nearer the butt, 1,25 too far"),
        (COMMA, lambda: str(message("open-tolerance", figure="mass_g", to=1.5, tol=0.5)),
         "Allow the mass ± 1,5 g instead of ± 0,5"),
        (COMMA, lambda: str(message("differs", figure="mass_g", now=316.8, was=314.3, when="x")),
         "Mass 316,8 g is 2,5 above the 314,3 read x."),
        (COMMA, lambda: str(message("slower", swing=2.5)),
         "Raises swing weight by 2,5 kg·cm²: slower still at the net."),
        (COMMA, lambda: str(message("stands-apart", reading=3, value=316.25, z=-2.5)),
         "Reading 3, 316,25, stands apart from its fellows (z −2,5)."),
        (OUNCES, lambda: str(message("mass-unusual", mass=141.75, kind="x", low=200, high=400)),
         "Mass 5 oz: xs usually read 7.055–14.11 oz."),
    ],
)  # fmt: skip
def test_told(who, tell, text):
    with read_by(who):
        assert tell() == text
    assert the_reader() == Reader()


def test_units_by_what_they_measure():
    assert offered("mass") == ("g", "oz")
    assert offered("length") == ("mm", "cm", "in")
    assert sizes("inertia")["kg·m²"] == 10_000
    with read_by(OUNCES):
        of = {name: unit_of(name).key for name in ("mass_g", "balance_mm", "length", "swing_kgcm2")}
        assert of == {"mass_g": "oz", "balance_mm": "in", "length": "in", "swing_kgcm2": "kg·cm²"}
        assert (unit_in("g").key, unit_in("mm").key, unit_in("s")) == ("oz", "in", None)
        assert (the_reader().balance_unit, CM.balance_unit, PERCENT.balance_unit) == (
            "pt", "cm", "%",
        )  # fmt: skip
    assert points_head_light(343 - 3.175, LONG) == pytest.approx(1)
    assert half_up(0.5) > 0.5


@pytest.mark.parametrize(
    "who", [METRIC, OUNCES, Reader("oz", "cm", "%", (("racket", 101.6), ("paddle", 50.8)))]
)
def test_a_reader_is_parsed_as_dumped(who):
    assert Reader.parse(who.dump()) == who
    assert who.axis_mm("paddle") == dict(who.axes).get("paddle", 50.0)


@pytest.mark.parametrize(
    "text",
    ["", "g mm length 100", "lb mm length 100 50", "g m length 100 50", "g mm points 100 50",
     "g mm length 301 50", "g mm length 100 -1", "g mm length x 50"],
)  # fmt: skip
def test_no_reader(text):
    with pytest.raises(ValueError, match=r".+"):
        Reader.parse(text)


def test_a_sentence_is_translated_before_its_parts_are_put_in():
    german = {"{stretch} from the butt": "{stretch} vom Griffende", "even": "ausgeglichen"}
    who = Reader(decimal_mark=",", language="de", translate=lambda text: german.get(text, text))
    with read_by(who):
        assert translated("{stretch} from the butt", stretch="Pro 97.5") == "Pro 97.5 vom Griffende"
        assert in_points(343.0, LONG) == "ausgeglichen"
        assert translated("100 % {sure}") == "100 % {sure}"
    assert translated("{stretch} from the butt", stretch="1 mm") == "1 mm from the butt"
