"""Outlines: clock, arc and point agree; the shapes are the shapes."""

import math
from dataclasses import replace
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.special import ellipe

from kentrobar.core.geometry.curve import EllipticArc
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


def shaped(**more):
    sizes = {f: getattr(SHOAL, f) for f in Paddle.__dataclass_fields__ if f.endswith("_mm")}
    return Paddle(**(sizes | more))


def test_an_elliptic_top_begins_where_it_rises():
    found = shaped(corner_top_mm=96, top_rise_mm=60)
    path = found.path("edge")
    # Half the ellipse is as wide as the face; its sides begin 60 mm below the tip.
    assert list(found.faults()) == []
    top = [one for one in path.run(0, path.length, 1.0) if one[0] > 406 - 60 + 1e-6]
    for x, y in top:
        assert ((x - 346) / 60) ** 2 + (y / 96) ** 2 == pytest.approx(1, abs=0.002)
    # Inside its rim it is as much lower and narrower.
    assert found.path("inner").point(0)[0] == pytest.approx(397)
    # As round as its corner is wide it is the circle it was.
    assert shaped(top_rise_mm=42).path("edge").length == SHOAL.path("edge").length


@pytest.mark.parametrize("flat", [2.0, 4.0, 8.0])
def test_a_flat_ellipse_is_as_long_as_it_is(flat):
    arc = EllipticArc(0.0, 0.0, 60.0, 60.0 / flat, 0.0, math.pi / 2)
    assert arc.length == pytest.approx(60 * ellipe(1 - 1 / flat**2), abs=1e-6)
    # Where it turns fastest too, a length leads to its point and back.
    for share in (0.0, 0.001, 0.01, 0.5, 0.99, 1.0):
        s = share * arc.length
        assert arc.nearest(*arc.point(s)) == pytest.approx(s, abs=2e-3)
        assert arc.sums(0.0, s).s == pytest.approx(s, abs=1e-6)


def test_sides_lean_through_their_stations():
    found = shaped(width_high_mm=180, width_low_mm=188)
    path = found.path("edge")
    low, high = 133 + 273 / 4, 133 + 3 * 273 / 4
    for x, y in path.run(0, path.length, 0.5):
        if low <= x <= 269.5:
            assert abs(y) == pytest.approx(94 + 2 * (x - low) / (269.5 - low), abs=1e-6)
        elif 269.5 <= x <= high:
            assert abs(y) == pytest.approx(96 - 6 * (x - 269.5) / (high - 269.5), abs=1e-6)
    # A strip at 3 o'clock lies where the face is widest, one at the shoulders further in.
    ray = path.arc_of_clock(3)
    assert path.point(ray) == pytest.approx((269.5, 96))
    # A rim's depth inside, measured square to the side.
    inner = found.path("inner")
    near = min(math.dist(inner.point(s), path.point(path.nearest(*inner.point(s))))
               for s in (inner.arc_of_clock(h) for h in (2.6, 3.0, 3.4)))  # fmt: skip
    assert near == pytest.approx(9, abs=0.05)


def test_a_neck_tapers_to_the_handle():
    found = shaped(neck_mm=40)
    path = found.path("edge")
    neck = [(x, abs(y)) for x, y in path.run(0, path.length, 0.5) if 133 < x < 173]
    for x, y in neck:
        assert y == pytest.approx(16.5 + (96 - 16.5) * (x - 133) / 40, abs=1e-6)
    assert path.length < SHOAL.path("edge").length
    inside = found.path("inner")
    x, y = inside.point(inside.arc_of_clock(5.6))
    assert math.dist((x, y), path.point(path.nearest(x, y))) == pytest.approx(9, abs=0.01)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"width_high_mm": 193}, "width_high_mm"),
        ({"width_low_mm": 90}, "width_low_mm"),
        ({"top_rise_mm": 240}, "top_rise_mm"),
        ({"neck_mm": 240}, "corner_top_mm"),
        ({"corner_top_mm": 96, "width_high_mm": 150}, "corner_top_mm"),
        ({"neck_mm": 0}, "neck_mm"),
        ({"corner_top_mm": 20, "top_rise_mm": 81}, "top_rise_mm"),
    ],
)
def test_faces_that_cannot_be_name_the_fault(change, field):
    assert field in dict(shaped(**change).faults())


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


@pytest.mark.parametrize(
    ("outline", "change", "field", "refusal"),
    [
        (TERN, {"handle_radius_mm": 128.0}, None, None),
        (TERN, {"handle_radius_mm": 130.0}, "handle_radius_mm", ("handle-wider", 130, None, 128)),
        (TERN, {"rim_mm": 127.9}, None, None),
        (TERN, {"rim_mm": 128.0}, "rim_mm", ("rim-fills-hoop", 128, None, 128)),
        (TERN, {"widest_mm": 674.0}, "rim_mm", ("rim-fills-hoop", 12, None, 12)),
        (TERN, {"hoop_base_mm": 500.0}, "rim_mm", ("rim-fills-hoop", 12, None, 12)),
        (TERN, {"length_mm": 1200.0}, None, None),
        (TERN, {"length_mm": 1201.0}, "length_mm", ("outside", 1201, 0, 1200)),
        (TERN, {"beam_mm": 0.0}, "beam_mm", ("outside", 0, 0, 1200)),
        (SHOAL, {"corner_top_mm": 0.0}, None, None),
        (SHOAL, {"handle_radius_mm": 96.0}, None, None),
        (SHOAL, {"handle_radius_mm": 97.0}, "handle_radius_mm", ("handle-wider", 97, None, 96)),
        (SHOAL, {"corner_top_mm": 96.0}, None, None),
        (SHOAL, {"corner_bottom_mm": 97.0}, "corner_bottom_mm", ("corners-wider", 97, None, 96)),
        # A face of 273 mm: the top's 42 mm and the neck fill it, or are longer.
        (SHOAL, {"neck_mm": 231.0}, None, None),
        (SHOAL, {"neck_mm": 240.0}, "corner_top_mm", ("corners-longer", 282, None, 273)),
        (SHOAL, {"top_rise_mm": 10.5}, None, None),
        (SHOAL, {"top_rise_mm": 168.0}, None, None),
        (SHOAL, {"top_rise_mm": 10.4}, "top_rise_mm", ("outside", 10.4, 10.5, 168)),
        (SHOAL, {"width_low_mm": 96.0}, None, None),
        (SHOAL, {"width_low_mm": 95.0}, "width_low_mm", ("outside", 95, 96, 192)),
        (SHOAL, {"width_high_mm": 192.5}, "width_high_mm", ("outside", 192.5, 96, 192)),
        (SHOAL, {"rim_mm": 95.9}, None, None),
        (SHOAL, {"rim_mm": 96.0}, "rim_mm", ("rim-fills-face", 96, None, 96)),
        (SHOAL, {"handle_mm": 406.0}, "handle_mm", ("face-above-tip", 406, None, 406)),
    ],
)
def test_a_dimension_is_refused_from_its_bound_on_with_the_bound(outline, change, field, refusal):
    found = dict(replace(outline, **change).faults())
    if field is None:
        assert found == {}
    else:
        told = found[field]
        assert (told.code, told.given, told.low, told.high) == refusal


def test_the_tip_and_the_butt_of_a_path_are_its_nearest_points():
    for outline in (TERN, SHOAL):
        path = outline.path("edge")
        tip, butt = path.point(0.0), path.point(path.length / 2)
        assert tip == pytest.approx((outline.length_mm, 0))
        assert path.nearest(tip[0] + 40, 0.0) % path.length == pytest.approx(0.0, abs=1e-3)
        assert path.nearest(butt[0] - 40, 0.0) == pytest.approx(path.length / 2, abs=1e-3)
        # Beside the widest point, off a little towards the tip.
        across = path.arc_of_clock(3)
        x, y = path.point(across)
        assert path.nearest(x, y * 1.5) == pytest.approx(across, abs=1.0)
