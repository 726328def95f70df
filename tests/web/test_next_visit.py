"""To the next visit: people, the box that finds, who is to be asked, the calendar; PostgreSQL."""

from datetime import timedelta

import icalendar
import pytest
from django.utils import timezone

from kentrobar.frames.models import Frame, Person
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.workshop.models import Card, Job

from .test_jobs import act, fitted, take_in


@pytest.fixture
def job(bench, racket):
    take_in(bench, racket, phone="0717 22 19", words=["twists"], said="slides about")
    return Job.objects.get()


def found(bench, text):
    answer = bench.get("/find/", {"q": text}, headers={"HX-Request": "true"})
    return [(one.kind, one.name) for one in answer.context["found"]]


def test_one_box_finds_everything_however_it_is_spelled(bench, job, racket, user):
    fitted(racket, user)
    assert ("person", "Ilva Sorrel") in found(bench, "soral")
    assert ("person", "Ilva Sorrel") in found(bench, "0717")
    assert ("frame", "Tern 98 · no. 07") in found(bench, "no. 07")
    assert ("plan", "Plan 1") in found(bench, "plan 1")
    assert ("material", "lead tape, 6 mm") in found(bench, "lead tape")
    # Words of a sentence, in any form.
    assert [kind for kind, _ in found(bench, "sliding")] == ["job"]
    assert found(bench, "zzz") == []
    assert found(bench, "a") == []
    assert found(bench, "50% _'\"") == []
    # What was removed is not found; what was closed is.
    Frame.objects.update(removed_at=timezone.now())
    Job.objects.update(closed_at=timezone.now())
    kinds = {kind for kind, _ in found(bench, "tern")} | {kind for kind, _ in found(bench, "plan")}
    assert kinds == set()
    assert ("job", str(job)) in found(bench, "slides")


def test_people_are_listed_with_what_they_said_and_thought(bench, job, racket):
    page = bench.get("/people/", {"q": "0717"}).context["page"]
    (person,) = page
    assert (person.name, person.job_count, person.frame_count) == ("Ilva Sorrel", 1, 1)
    assert not bench.get("/people/", {"q": "nobody"}).context["page"].object_list
    context = bench.get(f"/people/{person.pk}/").context
    assert context["said"] == [("Twists in my hand on returns", 1)]
    assert (list(context["frames"]), context["jobs"]) == ([racket], [job])
    Job.objects.update(closed_at=timezone.now(), verdict="steadier")
    for wanted in ("", "sorrel", "steadier", "no. 07"):
        assert list(bench.get("/jobs/", {"q": wanted}).context["page"]) == [job]
    assert not bench.get("/jobs/", {"q": "fulmar"}).context["page"].object_list


def test_in_three_weeks_the_player_is_on_the_bench_again(bench, job, racket, user):
    plan = fitted(racket, user)
    bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    act(bench, job, "after", "skip", reason="in a hurry")
    act(bench, job, "hand-over", "hand-over")
    job = Job.objects.get()
    assert job.ask_on == timezone.localdate() + timedelta(weeks=3)
    assert not bench.get("/bench/").context["ask"]
    Job.objects.update(ask_on=timezone.localdate())
    assert list(bench.get("/bench/").context["ask"]) == [job]
    page = bench.get(job.get_absolute_url())
    assert list(page.context["cards"]) == [Card.objects.get()]
    bench.post(f"/jobs/{job.pk}/verdict/", {"verdict": "steadier"})
    assert not bench.get("/bench/").context["ask"]
    # Not at all, or later.
    for days, on in (("0", None), ("7", timezone.localdate() + timedelta(days=7)), ("x", None)):
        bench.post(f"/jobs/{job.pk}/ask/", {"days": days})
        assert Job.objects.get().ask_on == on


def test_due_days_are_a_calendar_behind_a_link_that_can_be_renewed(bench, job):
    assert bench.get("/settings/").status_code == 200
    assert bench.get("/calendar/guessed.ics").status_code == 404
    bench.post("/calendar/renew/")
    token = Settings.load().calendar_token
    assert len(token) >= 43
    person = Person.objects.create(name="Edda, Quillan\nnée Kett")
    asked = Job.objects.create(
        person=person, said="alike", due=job.due, ask_on=job.due, closed_at=timezone.now()
    )
    bench.logout()
    answer = bench.get(f"/calendar/{token}.ics")
    assert answer["Content-Type"].startswith("text/calendar")
    days = {
        str(one["uid"]).split("@")[0]: (one.decoded("dtstart"), str(one["summary"]))
        for one in icalendar.Calendar.from_ical(answer.content).walk("VEVENT")
    }
    assert days == {
        f"due-{job.pk}": (job.due, "Ilva Sorrel: 1 frame due"),
        f"ask-{asked.pk}": (job.due, "Ask Edda, Quillan\nnée Kett how it plays"),
    }
    settings = Settings.load()
    settings.calendar_token = "x" * 43
    settings.save()
    assert bench.get(f"/calendar/{token}.ics").status_code == 404


def test_plans_of_removed_frames_are_not_found(bench, racket, user):
    plan = fitted(racket, user)
    Plan.objects.filter(pk=plan.pk).update(removed_at=timezone.now())
    assert found(bench, plan.name) == []
