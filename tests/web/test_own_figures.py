"""What the shop's fittings say of its rolls and instruments, on PostgreSQL: told, taken with one
press, once; and never said again of what was weighed or checked since."""

import random
from dataclasses import replace
from datetime import timedelta

import pytest
from django.utils import timezone

from kentrobar.core.frame.predict import predict
from kentrobar.core.io.plans import dump_piece
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.quantities import READ, plain_figures
from kentrobar.frames.models import Reading
from kentrobar.measuring.models import Check, Instrument, Use
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.stock.models import Material, Weighing
from kentrobar.workshop import own_figures
from kentrobar.workshop.models import Learned, Sheet, Trial
from tests.core.frames import READ as FRAME_READ
from tests.core.frames import TERN
from tests.pages import said

from .conftest import measured_frame

TAPE = "lead-free tape, 6 mm"


@pytest.fixture
def roll(db):
    Material.objects.filter(name=TAPE).update(maker_g_per_mm=0.0098)
    return Material.objects.get(name=TAPE)


def tried(heavier=0.0, scale=0.0, weighed=False, count=12):
    """Trials of a strip off the roll that is ``heavier``, read on a scale that reads too much."""
    rng = random.Random(7)
    for clock in range(count):
        frame = measured_frame(TERN, FRAME_READ, serial=f"no. {20 + clock}")
        made = desk.start(frame, frame.figures()[0])
        # Another plan of the same frame is held against the same reading, and counts once.
        desk.start(frame, frame.figures()[0])
        length = 150.0 + 10 * clock
        piece = Strip(mass_g=0.0098 * 2 * length, length_mm=length, clock=3.0, line="inner",
                      mirror=True, material=TAPE)  # fmt: skip
        there = replace(piece, mass_g=piece.mass_g * (1 + heavier))
        after = predict(replace(made.state().to_plan(TERN), pieces=(there,))).after
        figures = plain_figures(after.plain, 100.0, READ[:3])
        read = {name: [value + rng.gauss(0, 0.02), 0.03] for name, value in figures.items()}
        read["mass_g"][0] += scale
        put_on = {"piece": dump_piece(piece), "u_g": 0.3, "weighed": weighed, "backing": False,
                  "holding_g": 0.0}  # fmt: skip
        Trial.objects.create(plan=made, put_on=[put_on], read=read, axis_mm=100.0)
    own_figures.begin()


def rows(bench):
    return {one.key: one for one in bench.get("/own-figures/").context["rows"]}


def test_a_roll_that_is_heavier_than_thought_is_told_and_taken_once(bench, racket, roll):
    assert "Nothing to learn from yet" in said(bench.get("/own-figures/"))
    tried(heavier=0.12)
    row = rows(bench)[f"roll:{TAPE}"]
    assert row.is_told
    assert row.count == 12
    before = roll.per_length().g_per_mm
    posted = {"key": f"roll:{TAPE}", "run": Learned.objects.get().run}
    page = said(bench.post("/own-figures/take/", posted, follow=True))
    assert "heavier from now on" in page
    assert Weighing.objects.get().source == "learned from 12 fittings"
    assert roll.per_length().g_per_mm / before == pytest.approx(1.10, abs=0.03)
    # Weighed now, it is no more judged by what was thought of it before; a late press does nothing.
    assert f"roll:{TAPE}" not in rows(bench)
    bench.post("/own-figures/take/", posted)
    late = bench.post("/own-figures/take/", posted | {"by": "another window"}, follow=True)
    assert "look again" in said(late)
    assert Weighing.objects.count() == 1


def test_a_roll_that_is_lighter_is_said_to_be(bench, racket, roll):
    tried(heavier=-0.12)
    row = rows(bench)[f"roll:{TAPE}"]
    assert "lighter" in row.words
    assert "lighter" in row.take
    posted = {"key": f"roll:{TAPE}", "run": Learned.objects.get().run}
    assert "% lighter from now on" in said(bench.post("/own-figures/take/", posted, follow=True))


def test_what_was_read_after_sign_off_tells_of_its_roll_until_that_is_weighed(bench, racket, roll):
    tried(heavier=0.12, count=6)
    for trial in Trial.objects.all():
        then = timezone.now()
        pieces = [one["piece"] for one in trial.put_on]
        Sheet.objects.create(plan=trial.plan, pieces=pieces, signed_off_at=then)
        for name, (value, u) in trial.read.items():
            Reading.objects.create(
                frame=trial.plan.frame, quantity=name, value=value, u=u, condition="as-played",
                axis_mm=100.0 if name == "swing_kgcm2" else None,
                read_at=then + timedelta(milliseconds=1),
            )  # fmt: skip
    Trial.objects.all().delete()
    own_figures.begin()
    assert rows(bench)[f"roll:{TAPE}"].count == 6
    roll.weighings.create(length_mm=100, mass_g=1.1, u_g=0.01)
    own_figures.begin()
    assert f"roll:{TAPE}" not in rows(bench), "the sheets still hold what was thought before"


def test_what_was_weighed_by_itself_tells_nothing_of_its_roll(bench, racket, roll):
    tried(weighed=True)
    assert f"roll:{TAPE}" not in rows(bench)


def test_a_scale_that_reads_too_much_is_told_until_it_is_checked(bench, racket, roll):
    scale = Instrument.objects.create(name="new scale", kind="scale", resolution=0.1,
                                      drift_band=0.5)  # fmt: skip
    tried(scale=1.0)
    row = rows(bench)["instrument:new scale"]
    assert row.is_told
    assert not rows(bench)[f"roll:{TAPE}"].is_told
    posted = {"key": "instrument:new scale", "run": Learned.objects.get().run}
    assert "is taken off" in said(bench.post("/own-figures/take/", posted, follow=True))
    assert scale.drift().value == pytest.approx(1.0, abs=0.1)
    assert Check.objects.get().expected == pytest.approx(320, abs=5)
    assert "instrument:new scale" not in rows(bench)


def test_an_instrument_that_was_put_away_does_not_break_it(bench, racket, roll):
    away = Instrument.objects.create(name="old scale", kind="scale", resolution=0.1,
                                     drift_band=0.5, removed_at=timezone.now())  # fmt: skip
    tried(scale=1.0, count=5)
    Reading.objects.update(read_at=timezone.now() - timedelta(days=2))
    for reading in Reading.objects.filter(quantity="mass_g"):
        Use.objects.create(reading=reading, instrument=away)
    own_figures.begin()
    assert Learned.objects.get().status == "done"
    assert "instrument:old scale" not in rows(bench)


def test_what_is_old_or_gone_or_unread_does_not_break_it(bench, racket, roll):
    tried(count=3)
    Plan.objects.filter(pk=Plan.objects.first().pk).update(removed_at=timezone.now())
    Plan.objects.filter(pk=Plan.objects.last().pk).update(
        created_at=timezone.now() - timedelta(days=500)
    )
    Trial.objects.create(plan=desk.start(racket, racket.figures()[0]), put_on=[], axis_mm=100.0)
    own_figures.begin()
    assert Learned.objects.get().answer["fittings"] <= 2
    assert not any(one.is_told for one in rows(bench).values())
    assert bench.post("/own-figures/take/", {"key": "roll:none", "run": "x"}).status_code == 302
