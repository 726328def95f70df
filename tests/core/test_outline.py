"""Outlines: clock, arc and point agree; the shapes are the shapes."""

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from kentrobar.core.geometry.outline import LINES, Paddle, Racket
from kentrobar.core.geometry.presets import PRESETS, SQUARE_INCH, racket_by_head

from .frames import SHOAL, TERN, outlines, sizes

lines = st.sampled_from(LINES)


@given(outlines, lines, sizes(0.001, 12))
def test_clock_to_arc_to_clock(outline, line, hour):
    path = outline.path(line)
    back = path.clock_of_arc(path.arc_of_clock(hour))
    assert min(abs(back - hour), 12 - abs(back - hour)) < 1e-6


@given(outlines, lines, sizes(0, 0.9999))
def test_arc_to_clock_to_arc_and_the_nearest_point_of_a_point_on_it(outline, line, share):
    path = outline.path(line)
    s = share * path.length
    assert path.arc_of_clock(path.clock_of_arc(s)) == pytest.approx(s, abs=1e-4)
    x, y = path.point(s)
    away = abs(path.nearest(x, y) - s)
    assert min(away, path.length - away) < 1e-2


@given(outlines, lines, sizes(0.01, 11.99))
def test_a_clock_hour_lies_on_its_ray_and_mirrors(outline, line, hour):
    path = outline.path(line)
    x, y = path.point(path.arc_of_clock(hour))
    assert math.degrees(math.atan2(y, x - outline.face_centre_mm)) % 360 == pytest.approx(
        hour * 30, abs=1e-4
    )
    mirror_x, mirror_y = path.point(path.arc_of_clock(12 - hour))
    assert (mirror_x, mirror_y) == (pytest.approx(x, abs=1e-4), pytest.approx(-y, abs=1e-4))


@given(outlines, lines)
def test_once_round_is_the_length_of_a_fine_polygon(outline, line):
    path = outline.path(line)
    ring = path.run(0, path.length, 1.0)
    around = sum(math.dist(a, b) for a, b in pairwise(ring))
    # A chord cuts each of the four corners by less than the step.
    assert around <= path.length + 1e-6
    assert path.length == pytest.approx(around, abs=2.5)
    assert path.sums(0, path.length).s == pytest.approx(path.length, rel=1e-6)


def test_the_hours_of_a_racket_are_where_a_person_finds_them():
    path = TERN.path("edge")
    assert path.point(path.arc_of_clock(12)) == pytest.approx((686, 0))
    assert path.point(path.arc_of_clock(3)) == pytest.approx((512, 128))
    assert path.point(path.arc_of_clock(6)) == pytest.approx((334, 0), abs=1e-6)
    assert path.point(path.arc_of_clock(9)) == pytest.approx((512, -128))
    assert TERN.path("inner").point(0) == pytest.approx((674, 0))
    assert TERN.path("face").point(0) == pytest.approx((680, 0))


def test_a_paddles_round_is_its_rectangle_with_quarter_circles():
    face, corners = 2 * (406 - 133 + 192), 2 * (42 + 36)
    assert SHOAL.path("edge").length == pytest.approx(face - 2 * corners + math.pi / 2 * corners)
    sharp = Paddle(
        length_mm=406,
        width_mm=192,
        handle_mm=133,
        corner_top_mm=0,
        corner_bottom_mm=0,
        rim_mm=9,
        beam_mm=15,
        handle_radius_mm=16.5,
    )
    assert sharp.path("edge").length == pytest.approx(2 * (273 + 192))


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"widest_mm": 300}, "widest_mm"),
        ({"widest_mm": 700}, "widest_mm"),
        ({"rim_mm": 130}, "rim_mm"),
        ({"hoop_base_mm": 190}, "hoop_base_mm"),
        ({"width_mm": -3}, "width_mm"),
        ({"length_mm": 6860}, "length_mm"),
    ],
)
def test_dimensions_that_cannot_be_one_racket_name_the_fault(change, field):
    sizes = {f: getattr(TERN, f) for f in Racket.__dataclass_fields__ if f.endswith("_mm")}
    assert list(TERN.faults()) == []
    refused = dict(Racket(**(sizes | change)).faults())
    assert field in refused
    # A refusal carries what was given and the bound it broke, as figures.
    bound = (refused[field].low, refused[field].high)
    assert refused[field].given == getattr(Racket(**(sizes | change)), field)
    assert any(isinstance(one, (int, float)) for one in bound)


def test_presets_are_sound_and_a_head_size_is_its_area():
    for _, outline in PRESETS.values():
        assert list(outline.faults()) == []
    up, down, across = racket_by_head(98).hoop_axes("inner")
    assert math.pi * across * (up + down) / 2 / SQUARE_INCH == pytest.approx(98, rel=0.01)
