"""The thread on PostgreSQL: a job goes on by what is done at its own place."""

from dataclasses import replace
from datetime import timedelta

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from kentrobar.core.frame.targets import Target, Targets
from kentrobar.core.reader import Reader, read_by
from kentrobar.frames.models import Frame, Reading
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match
from kentrobar.workshop.lacks import acts, lacking
from kentrobar.workshop.models import Card, Job, JobStep
from tests.pages import said, told

from .test_jobs import act, fitted, take_in

AIM = Targets(swing_kgcm2=Target(320.0, 1.0, 100.0))


@pytest.fixture
def job(bench, racket):
    take_in(bench, racket)
    return Job.objects.get()


def steps(job):
    return {one.kind: one.status for one in job.steps.all()}


def open_steps(job):
    return [kind for kind, status in steps(job).items() if status == "open"]


def codes(job, kind):
    return [lack.code for lack in lacking(job, kind)]


def test_nobody_says_twice_what_was_done_at_its_place(bench, job, racket, user):
    assert open_steps(job) == ["target", "plan", "trial", "permanent", "after", "hand-over"]
    plan = fitted(racket, user)
    Plan.objects.get(pk=plan.pk).save()
    # A piece and no target: planned, and what was passed over says so.
    assert steps(job)["target"] == "skipped"
    assert open_steps(job) == ["trial", "permanent", "after", "hand-over"]
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    assert open_steps(job) == ["after", "hand-over"]
    assert job.steps.get(kind="trial").reason == "fitted for good without a trial"
    assert codes(job, "after") == ["not-read-since"] * 3
    racket.take_readings(replace(racket.figures()[0].measured(), mass_g=319.8), "as-played", user)
    assert open_steps(job) == ["hand-over"]
    assert codes(job, "hand-over") == ["no-card"]
    act(bench, job, "hand-over", "hand-over")
    assert Card.objects.get().plan == plan
    assert Job.objects.get().closed_at
    assert bench.get("/bench/").context["closed"][0] == job


def test_what_is_outside_its_target_is_not_handed_over_unseen(bench, job, racket, user):
    plan = fitted(racket, user, AIM)
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    assert steps(job)["target"] == "done"
    measured = replace(racket.figures()[0].measured(), mass_g=319.8)
    racket.take_readings(measured, "as-played", user)
    (lack,) = lacking(job, "after")
    assert (lack.code, lack.figure, round(lack.off, 1)) == ("off-target", "swing_kgcm2", -5.4)
    assert told(act(bench, job, "after", "done"))[-1] == "error"
    assert lack.acts[0].href == f"/plans/{plan.pk}/trial/"
    is_off = f"{racket}: swing weight is 5.4 kg·cm² below its target, which allows "
    assert lack.said().startswith(is_off)
    assert is_off in said(bench.get(job.get_absolute_url()))
    # As finely, and in the units, as the figure stands elsewhere: half a hundredth is rounded up.
    heavy = replace(lack, figure="mass_g", off=2.125, tol=2.0)
    light = replace(lack, figure="balance_mm", off=-3.175, tol=1.5875)
    assert "mass is 2.13 g above its target, which allows 2 g" in heavy.said()
    with read_by(Reader(mass="oz", balance="pt")):
        assert "mass is 0.075 oz above its target, which allows 0.071 oz" in heavy.said()
        assert "is 1 pt nearer the butt than its target, which allows 0.5 pt" in light.said()
    racket.take_readings(replace(measured, swing_kgcm2=319.8), "as-played", user)
    assert open_steps(job) == ["hand-over"]


def test_the_next_act_is_a_button_into_the_very_place(bench, job, racket, user):
    def first(kind):
        return acts(job, kind, lacking(job, kind))[0].href

    assert first("target") == f"/frames/{racket.pk}/advice/"
    plan = fitted(racket, user, AIM)
    assert first("trial") == f"/plans/{plan.pk}/trial/"
    assert first("permanent") == f"/plans/{plan.pk}/sheet/"
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    assert first("after") == f"/frames/{racket.pk}/measure/?quantity=mass_g"
    # Over every page of the frame: the same act, but not on the page where it is done.
    over = bench.get(f"/frames/{racket.pk}/history/")
    assert b">Measure mass<" in over.content
    assert b">Measure mass<" not in bench.get(first("after")).content
    # An act is begun where it leads to; nowhere else.
    begun = bench.post(f"/jobs/{job.pk}/begin/", {"step": "after", "to": first("after")})
    assert begun.url == first("after")
    for away in ("https://example.org/", "//example.org/", "keep", "", "-5"):
        answer = bench.post(f"/jobs/{job.pk}/begin/", {"step": "after", "to": away})
        assert answer.status_code == 404, away


def test_minutes_are_taken_from_the_clock_unless_it_was_put_aside(bench, job, racket, user):
    JobStep.objects.filter(kind="plan").update(begun_at=timezone.now() - timedelta(minutes=17))
    JobStep.objects.filter(kind="target").update(begun_at=timezone.now() - timedelta(hours=30))
    fitted(racket, user, AIM).save()
    assert job.steps.get(kind="plan").minutes == 17
    assert job.steps.get(kind="target").minutes is None


def test_what_was_passed_over_is_done_when_it_is_made_up_for(bench, job, racket, user):
    plan = fitted(racket, user)
    Plan.objects.get(pk=plan.pk).save()
    assert steps(job)["target"] == "skipped"
    Plan.objects.filter(pk=plan.pk).update(content=replace(plan.state(), targets=AIM).dump())
    Plan.objects.get(pk=plan.pk).save()
    target = job.steps.get(kind="target")
    assert (target.status, target.reason) == ("done", "")
    # What somebody skipped stays skipped.
    act(bench, job, "trial", "skip", reason="she is in a hurry")
    bench.post(f"/plans/{plan.pk}/trial/keep/", {"mass_g": "319.8"})
    assert job.steps.get(kind="trial").status == "skipped"


def test_a_set_of_twelve_costs_a_piece_moved_no_more_than_a_few_looks(
    bench, racket, user, django_assert_max_num_queries
):
    frames = [racket]
    for i in range(11):
        other = Frame(model="Tern 98", serial=f"T{i}")
        other.set_outline(racket.outline())
        other.save()
        other.take_readings(racket.figures()[0].measured(), "as-played", user)
        frames.append(other)
    take_in(bench, *frames, due=(timezone.localdate() + timedelta(days=300)).isoformat())
    plan, *_ = [fitted(frame, user) for frame in frames]
    assert Job.objects.exists()
    with django_assert_max_num_queries(60):
        plan.save()


def test_a_moved_piece_asks_nothing_of_the_job_and_holds_nobody_up(bench, job, racket, user):
    """Thirty people may work in one job: what only moves pieces looks at none of it, and what puts
    the first one on locks it only where a step is done by it."""
    plan = fitted(racket, user)
    for version_of, action, looks in ((plan, "slide", False), (plan, "clear", True)):
        version_of.refresh_from_db()
        with CaptureQueriesContext(connection) as asked:
            bench.post(
                f"/plans/{plan.pk}/edit/{action}/",
                {"version": version_of.version, "pick": "p1", "mm": 5},
            )
        told = [one["sql"] for one in asked if "workshop_job" in one["sql"]]
        assert bool(told) is looks, (action, told)
        assert not [one for one in told if "FOR UPDATE" in one]


def test_figures_brought_in_as_a_table_move_a_job_on(bench, job, racket, user):
    plan = fitted(racket, user)
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    table = "name;serial;condition;mass_g;balance_mm;swing_kgcm2;axis_mm\n" + (
        "Tern 98;no. 07;as played;319.8;325.3;319.7;100"
    )
    bench.post("/data/read/", {"text": table})
    bench.post("/data/write/")
    assert open_steps(job) == ["hand-over"]


def test_a_step_opened_again_waits_for_a_hand(bench, job, racket, user):
    fitted(racket, user, AIM).save()
    act(bench, job, "plan", "again")
    racket.plans.get().save()
    assert steps(job)["plan"] == "open"
    act(bench, job, "plan", "done")
    assert steps(job)["plan"] == "done"


def test_a_frame_read_long_ago_is_asked_about_and_may_go_on_as_it_is(bench, racket):
    Reading.objects.update(read_at=timezone.now() - timedelta(days=90))
    take_in(bench, racket)
    job = Job.objects.get()
    (lack,) = lacking(job, "before")
    assert (lack.code, lack.days, lack.is_soft) == ("read-long-ago", 90, True)
    act(bench, job, "before", "done")
    assert steps(job)["before"] == "done"


def test_a_set_is_matched_in_one_act_and_the_chased_frame_needs_nothing(bench, racket, user):
    other = Frame(model="Tern 98", serial="no. 8")
    other.set_outline(racket.outline())
    other.save()
    other.take_readings(racket.figures()[0].measured(), "as-played", user)
    take_in(bench, racket, other)
    job = Job.objects.get()
    first = acts(job, "target", lacking(job, "target"))[0]
    assert (first.href, first.frames, first.is_posted) == (
        "/sets/new/", (racket.pk, other.pk), True,
    )  # fmt: skip
    # Nobody has said that they should play alike: each has acts of its own too.
    here = [one.href for one in acts(job, "target", lacking(job, "target"))]
    assert f"/frames/{other.pk}/recipes/" in here
    assert "/sets/new/" not in [one.href for one in acts(job, "after", lacking(job, "after"))]
    bench.post(first.href, {"frame": first.frames})
    match = Match.objects.get()
    # From now on it leads to the set that is there.
    (again, *_) = acts(job, "target", lacking(job, "target"))
    assert (again.href, again.is_posted) == (match.get_absolute_url(), False)
    assert b"Match the set" not in bench.get(again.href).content
    Match.objects.update(content=match.content | {"target": f"frame:{other.pk}"})
    plan = fitted(racket, user, AIM)
    for kind in ("target", "plan", "after", "hand-over"):
        assert {lack.frame for lack in lacking(job, kind)} <= {racket}
    plan.save()
    assert open_steps(job) == ["trial", "permanent", "after", "hand-over"]
    assert match.frames.count() == 2


def test_of_several_frames_the_next_act_goes_to_one_that_is_not_made_yet(bench, racket, user):
    other = Frame(model="Tern 98", serial="no. 8")
    other.set_outline(racket.outline())
    other.save()
    other.take_readings(racket.figures()[0].measured(), "as-played", user)
    take_in(bench, racket, other)
    job = Job.objects.get()
    first, second = fitted(racket, user, AIM), fitted(other, user, AIM)
    second.save()

    def leads_to(page):
        thread = said(bench.get(page)).split('<div class="thread')[1]
        return thread.split('name="to" value="')[1].split('"')[0], thread.split("</button>")[0]

    there, button = leads_to(f"/frames/{racket.pk}/")
    assert there == f"/plans/{first.pk}/trial/"
    assert button.endswith(">Trial"), "on its own page a frame need not be named"
    bench.post(f"/plans/{first.pk}/sheet/sign-off/", {"override": "1"})
    there, button = leads_to(f"/plans/{first.pk}/sheet/")
    assert there == f"/plans/{second.pk}/trial/"
    assert button.endswith(f">Trial of {other}")
    assert steps(job)["trial"] == "open"


def test_the_strip_marks_what_is_missing_in_working_order(bench, racket, user):
    def tabs(path):
        return {one.label: one for one in bench.get(path).context["tabs"]}

    there = f"/frames/{racket.pk}/"
    found = tabs(there)
    assert list(found)[:7] == [
        "Frame", "Measure", "Advice", "Recipes", "Plan", "Trial", "Bench sheet",
    ]  # fmt: skip
    assert (found["Measure"].lacks, found["Plan"].href) == ("", "")
    plan = fitted(racket, user)
    found = tabs(there)
    assert found["Bench sheet"].href == f"/plans/{plan.pk}/sheet/"
    assert (bool(found["Trial"].lacks), bool(found["Bench sheet"].lacks)) == (True, True)
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    assert tabs(f"/plans/{plan.pk}/sheet/")["Bench sheet"].lacks == ""
    Reading.objects.filter(quantity="swing_kgcm2").delete()
    assert "swing weight" in tabs(there)["Measure"].lacks
    # Without a job, what is missing first in the order of the work is what comes next.
    assert bench.get(there).context["next"].label == "Measure"
    assert bench.get(f"{there}measure/").context["next"] is None
