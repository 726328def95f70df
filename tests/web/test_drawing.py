"""The bench as drawn: to scale, bobs by their grams, numbers that never hide one another."""

import math
import re
from itertools import combinations

import pytest
from django.utils.translation import override
from hypothesis import given, settings
from hypothesis import strategies as st

from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.frame.targets import Target, level
from kentrobar.core.geometry.outline import Racket
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.reader import Reader, read_by
from kentrobar.ui import regions
from kentrobar.ui.drawing import shown as shown_once
from kentrobar.ui.drawing.bench import BADGE, HEIGHT, WIDTH, bench
from kentrobar.ui.drawing.dimensions import dimensions
from kentrobar.ui.drawing.shown import drawing
from kentrobar.ui.templatetags.gauge import vial
from tests.core.frames import PADDLE_READ, READ, SHOAL, TERN, laden, outlines
from tests.pages import said

PIECES = (
    Strip(mass_g=4, clock=3, length_mm=100, mirror=True, id="a"),
    Plug(mass_g=1, from_mm=8, to_mm=32, id="b"),
    Sleeve(mass_g=-17, from_mm=0, to_mm=190, id="c"),
    Sleeve(mass_g=27, from_mm=0, to_mm=190, id="d"),
    Strings(mass_g=16.5, id="e"),
)


def drawn(pieces=PIECES, outline=TERN, read=READ, who=None, pick=None):
    plan = LadenFrame(frame=outline, measured=read, pieces=tuple(pieces))
    with read_by(who or Reader()):
        return bench(outline, predict(plan), 100, pick)


def test_a_place_on_the_frame_is_the_same_place_over_the_ruler():
    picture = drawn()
    paper, ruler = picture.paper, picture.ruler
    assert ruler.x == pytest.approx(paper.x(0))
    assert ruler.x + ruler.width == pytest.approx(paper.x(TERN.length_mm), abs=0.1)
    assert {n: x for x, n in ruler.numbers}[50] == pytest.approx(paper.x(500))
    assert picture.axis[0] == paper.x(100)
    plug = next(bob for bob in picture.bobs if bob.id == "b")
    assert plug.x == pytest.approx(paper.x(20))
    assert drawn(who=Reader(length="in")).axis[1] == "100 mm"
    inches = drawn(who=Reader(length="in")).ruler
    assert {n: x for x, n in inches.numbers}[20] == pytest.approx(paper.x(508), abs=0.1)


def test_a_bobs_area_is_its_grams():
    areas = {bob.id: bob.size**2 for bob in drawn().bobs}
    assert areas["d"] / areas["e"] == pytest.approx(27 / 16.5, rel=0.02)
    assert areas["a"] / areas["b"] == pytest.approx(4, rel=0.06)
    assert [bob.id for bob in drawn().bobs if bob.is_off] == ["c"]


def test_the_wedges_stand_at_the_two_balances():
    picture = drawn(PIECES[1:2])
    assert picture.measured[0] == picture.paper.x(323.5)
    assert picture.planned[0] < picture.measured[0]
    assert picture.planned_is_left


@settings(max_examples=40, deadline=None)
@given(laden())
def test_numbers_never_hide_one_another_and_stay_on_the_paper(bench_and_pieces):
    outline, pieces = bench_and_pieces
    read = READ if isinstance(outline, Racket) else PADDLE_READ
    picture = drawn(pieces, outline, read)
    badges = [badge for mark in picture.marks for badge in mark.badges]
    assert all(math.dist(a, b) >= 2 * BADGE - 0.2 for a, b in combinations(badges, 2))
    assert all(0 <= y <= HEIGHT for _, y in badges)
    assert all(
        0 <= bob.x <= WIDTH and bob.bottom + 2.6 * bob.size <= HEIGHT for bob in picture.bobs
    )


@settings(max_examples=40, deadline=None)
@given(outlines, st.sampled_from(["mm", "cm", "in"]))
def test_every_dimension_has_its_arrow_of_its_own_length(outline, unit):
    with read_by(Reader(length=unit)):
        found = {d.name: d for d in dimensions(outline)}
    told = {f for f in outline.__dataclass_fields__ if f.endswith("_mm")}
    told -= {name for name in told if getattr(outline, name) is None}
    if "neck_mm" in told:
        told -= {"corner_bottom_mm"}  # there is none beside a neck
    assert set(found) == told
    k = bench(outline).paper.k
    for name, arrow in found.items():
        drawn_mm = math.dist((arrow.x0, arrow.y0), (arrow.x1, arrow.y1)) / k
        assert drawn_mm == pytest.approx(getattr(outline, name), abs=0.3), name


def test_only_the_piece_in_hand_has_handles():
    page = said(drawing(drawn(pick="a"), "Bench").html())
    assert page.count("data-end=") == 2
    assert page.count("is-picked") == 2  # on the frame and under the ruler
    assert re.search(r'class="mark mark-sleeve is-off" data-piece="c"', page)
    assert 'class="bed"' in page
    assert 'class="bed"' not in drawing(drawn((), SHOAL, PADDLE_READ), "Bench").html()


def test_what_is_drawn_once_is_drawn_alike_in_every_language():
    """Whoever looks first: a decimal comma in a coordinate would stand there for all."""
    shown_once._ground.cache_clear()
    regions._drawn.cache_clear()
    with override("de"):
        first = drawing(drawn(pick="a"), "Bench").html()
    assert not re.search(r'="[\d.]+,\d', first)
    shown_once._ground.cache_clear()
    plain = shown_once.frame_ground(drawn())
    assert " ".join(plain.split()) in " ".join(first.split())


@pytest.mark.parametrize(("off", "side"), [(-30, -1), (-0.4, -1), (0.4, 1), (30, 1)])
def test_a_bubble_stays_in_its_vial_on_its_side(off, side):
    shape = vial(level("mass_g", READ.body(), READ.body(), Target(316.8 - off, 1), 100), "mass")
    middle = shape["width"] / 2
    assert (shape["x"] - middle) * side > 0
    assert shape["bubble"] < shape["x"] < shape["width"] - shape["bubble"]
    assert (shape["low"] <= shape["x"] <= shape["high"]) == (abs(off) <= 1)
