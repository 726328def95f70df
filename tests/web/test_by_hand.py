"""The workshop's sums on paper: what is billed, what teaches a roll, which check counts, what a
window must not write over."""

import math
from dataclasses import replace
from datetime import timedelta
from unittest.mock import patch

import pytest
from django.utils import timezone

from kentrobar.core.io.plans import dump_piece
from kentrobar.core.pieces.strip import Strip
from kentrobar.frames.models import Person, Reading
from kentrobar.measuring.models import Instrument, Use
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.plans.state import TARGETS
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material, Weighing
from kentrobar.workshop import progress, trials
from kentrobar.workshop.models import Job, Sheet, Trial

TAPE = "lead-free tape, 6 mm"
STRIP = Strip(id="p1", mass_g=3.0, clock=3, length_mm=76.2, mirror=True, material=TAPE, layers=1)


@pytest.fixture
def roll(db):
    """1000 mm of it weigh 9.8 g and cost 4.90: half a unit of money a gram."""
    Material.objects.filter(name=TAPE).update(price="4.90", pack=1000, maker_g_per_mm=0.0098)
    return Material.objects.get(name=TAPE)


@pytest.fixture
def job(racket, roll):
    Settings(pk=1, rate_hour=60, rate_frame=5, rate_material=2).save()
    job = Job.objects.create(
        person=Person.named("Ilva Sorrel"), due=timezone.localdate() + timedelta(days=5),
        taken_in_at=timezone.now() - timedelta(hours=1),
    )  # fmt: skip
    job.taken_in.create(frame=racket)
    job.steps.create(kind="before", status="done", minutes=30)
    job.steps.create(kind="plan", status="skipped", minutes=20)
    job.steps.create(kind="fit")
    return job


def test_a_job_is_billed_by_the_time_it_took_and_the_mass_it_puts_on(job, racket, roll):
    """30 minutes taken, 12 usual, 20 skipped: 42 minutes at 60 an hour. 3 g put on at 0.50 a gram,
    twice; the 5 g that come off cost nothing."""
    plan = desk.start(racket, racket.figures()[0], None)
    off = replace(STRIP, id="p2", mass_g=-5.0)
    content = replace(plan.state(), pieces=(STRIP, off)).dump()
    Plan.objects.filter(pk=plan.pk).update(content=content)
    usual = {"before": 99.0, "plan": 99.0, "fit": 12.0}
    price = progress.price(job, usual)
    expected = {"time": 42, "frames": 5, "material": 3.0, "all": 50.0, "left": None, "back": None}
    assert price == pytest.approx(expected)
    # An empty plan begun after it takes nothing back; one that is carried out is what counts.
    desk.start(racket, racket.figures()[0], None)
    assert progress.price(Job.objects.get(), usual)["material"] == pytest.approx(3.0)
    heavier = dump_piece(replace(STRIP, id="p3", mass_g=4.0))
    Sheet.objects.create(plan=plan, pieces=[heavier], signed_off_at=timezone.now())
    assert progress.price(Job.objects.get(), usual)["material"] == pytest.approx(4.0)


def put_on(**more):
    one = {
        "piece": dump_piece(STRIP), "u_g": 0.01, "weighed": True, "backing": False, "holding_g": 0.0
    }  # fmt: skip
    return one | more


def trial_of(racket, *pieces):
    plan = desk.start(racket, racket.figures()[0], None)
    return Trial.objects.create(plan=plan, put_on=list(pieces), axis_mm=100)


def test_only_what_was_weighed_teaches_its_roll(racket, roll, user):
    """A planned mass comes from the roll: it would teach it what it already says."""
    assert trials._learn(trial_of(racket, put_on(weighed=False)), user) == 0
    assert not Weighing.objects.exists()
    assert trials._learn(trial_of(racket, put_on()), user) == 1
    one = Weighing.objects.get()
    assert (one.material, one.mass_g, one.length_mm, one.count) == (roll, 3.0, 76.2, 4)


def test_the_tape_that_holds_a_loose_piece_weighs_too(racket, roll, user):
    """3 g, 0.2 g of paper tape, and 4 backings of 76.2 mm at 0.001 g/mm where they are still on."""
    for grams, backing_on in ((0.98, False), (1.08, True)):
        roll.weighings.create(length_mm=100, mass_g=grams, u_g=0.01, backing_on=backing_on)
    trial = trial_of(
        racket,
        put_on(holding_g=0.2, weighed=False),
        put_on(holding_g=0.2, weighed=False, backing=True),
        put_on(holding_g=0.2, backing=True),
    )
    masses = [one.piece.mass_g for one in trials._fitted(trial, racket.outline())]
    assert masses == pytest.approx([3.2, 3.2 + 0.001 * 4 * 76.2, 3.2])


def test_the_newest_check_says_how_far_an_instrument_is_off(db, racket):
    """Whichever was written down first: an older check found in a notebook changes nothing."""
    scale = Instrument.objects.create(name="bench scale", kind="scale", resolution=0.1,
                                      drift_band=0.5)  # fmt: skip
    now = timezone.now()
    scale.checks.create(reference="300 g", expected=300, read=300.4, checked_at=now)
    scale.checks.create(
        reference="300 g", expected=300, read=299.0, checked_at=now - timedelta(days=9)
    )
    assert scale.drift().value == pytest.approx(0.4)
    assert scale.kit().drift[0] == pytest.approx(0.4)
    # Just checked it has not wandered; when the next check is due it may lie anywhere in its band,
    # after a sixteenth of the time in half of it; and readings wear on it as days do.
    due = timedelta(days=scale.check_days)
    band = 0.5 / math.sqrt(3)
    assert scale.drift(now).u == pytest.approx(0, abs=0.02)
    assert scale.drift(now + due).u == pytest.approx(band)
    assert scale.drift(now + due / 16).u == pytest.approx(band / 2, rel=0.01)
    with patch("kentrobar.measuring.models.USES_BETWEEN_CHECKS", 1):
        reading = racket.readings.first()
        reading.read_at = now + timedelta(seconds=1)
        reading.save()
        Use.objects.create(reading=reading, instrument=scale)
        assert scale.drift(now).u == pytest.approx(band)
    # 318.4 shown, 0.4 too much of it the scale's; of what is laid on after zero, nothing.
    assert scale.single(318.4).nominal_value == pytest.approx(318.0)
    assert scale.single(3.4, is_small=True).nominal_value == pytest.approx(3.4)


def test_a_check_with_two_masses_tells_a_scales_zero_from_its_span(db):
    """It shows 0.1 % too much: 0.05 g of 50, 0.4 of 400."""
    scale = Instrument.objects.create(name="bench scale", kind="scale", resolution=0.01,
                                      drift_band=0.5)  # fmt: skip
    now = timezone.now()
    for grams, before in ((50, timedelta(minutes=5)), (400, timedelta(0))):
        scale.checks.create(
            reference=f"{grams} g", expected=grams, expected_u=0.01, read=1.001 * grams,
            checked_at=now - before,
        )  # fmt: skip
    assert scale.kit(320).drift[0] == pytest.approx(0.32)
    assert scale.single(320.32).nominal_value == pytest.approx(320.0)
    # Between the two it is as sure as both, each by its share of the way.
    assert scale.drift(now, 320).u == pytest.approx(0.01 * math.hypot(80 / 350, 270 / 350), rel=0.5)
    # Another day's check, or one with nearly the same mass, tells no span.
    scale.checks.filter(expected=50).update(checked_at=now - timedelta(days=3))
    assert scale.kit(320).drift[0] == pytest.approx(0.4)
    scale.checks.create(
        reference="330 g", expected=330, read=330.1, checked_at=now - timedelta(minutes=9)
    )
    assert scale.kit(320).drift[0] == pytest.approx(0.4)


def test_an_instrument_never_checked_may_be_off_and_guesses_are_no_knowledge(db, racket):
    scale = Instrument.objects.create(name="new scale", kind="scale", resolution=0.1, drift_band=1)
    assert scale.drift().value == 0
    assert scale.drift().u == pytest.approx(1.5**0.25 / math.sqrt(3))
    # Display 0.1/√12, and a guessed 0.05 as wide as t with three degrees of freedom has it.
    alone = scale.single(3.4, is_small=True)
    assert alone.std_dev == pytest.approx(math.hypot(0.1 / 12**0.5, 0.05 * 3.31 / 2))
    # Six degrees of freedom of its own, and they say how sure they are.
    for reading in racket.readings.all()[:3]:
        Use.objects.create(reading=reading, instrument=scale, spread=0.2, freedom=2)
    assert scale.own_scatter() == (pytest.approx(0.2), 6)
    assert scale.kit().freedom == 6
    alone = scale.single(3.4, is_small=True)
    assert alone.std_dev == pytest.approx(math.hypot(0.1 / 12**0.5, 0.2 * 2.52 / 2))


def test_newest_readings_taken_are_marked_as_touched(bench, racket):
    """A window still at the version before may not put its targets over readings it never saw."""
    plan = desk.start(racket, racket.figures()[0], None)
    opened = plan.version
    Reading.objects.create(frame=racket, quantity="mass_g", value=318.0, condition="as-played")
    bench.post(f"/plans/{plan.pk}/rebase/", {"version": opened})
    plan.refresh_from_db()
    assert plan.state().measured.mass_g == pytest.approx(318.0)
    assert plan.state().touched[TARGETS] == plan.version > opened
    posted = {"version": opened, "mass_g-target": "320", "mass_g-tol": "1"}
    bench.post(f"/plans/{plan.pk}/target/mass_g/", posted)
    plan.refresh_from_db()
    assert plan.state().targets.mass_g is None
