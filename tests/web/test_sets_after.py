"""A set after it was fitted, on PostgreSQL: read after, how far apart, a miss corrected or
accepted in its row."""

from dataclasses import replace

import pytest

from kentrobar.core.frame.targets import Target, Targets
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.recipes.models import Match
from kentrobar.workshop.models import Job, Paper
from tests.pages import said

from .test_jobs import fitted, take_in

TARGET = Targets(mass_g=Target(319.8, 1.0, None), swing_kgcm2=Target(320.0, 1.0, 100.0))


@pytest.fixture
def pair(bench, racket, user):
    """Two frames, 2 g apart; tape is on both, and the first is the heavier by as much."""
    other = Frame(model="Tern 98", serial="no. 8")
    other.set_outline(racket.outline())
    other.save()
    read = racket.figures()[0].measured()
    other.take_readings(replace(read, mass_g=read.mass_g - 2), "as-played", user)
    take_in(bench, racket, other)
    for frame in (racket, other):
        plan = fitted(frame, user, TARGET)
        bench.post(f"/plans/{plan.pk}/sheet/sign-off/", {"override": "1"})
    return [racket, other]


def the_set(bench, frames):
    """The set of these frames, put together where there is none."""
    if not Match.objects.exists():
        bench.post("/sets/new/", {"frame": [frame.pk for frame in frames]})
    return Match.objects.get()


def board(bench):
    """(rows, lines) of the set, by serial number and by figure."""
    match = the_set(bench, Frame.objects.all())
    page = bench.get(f"/jobs/{Job.objects.get().pk}/set/", follow=True)
    assert page.redirect_chain[0][0] == match.get_absolute_url()
    rows = {row.frame.serial: row for row in page.context["rows"]}
    return rows, {one.label: one for one in page.context["lines"]}


def cell(row, name):
    return next(one for one in row.read_cells if one.name == name)


def posted(pair, *figures, **more):
    return {
        f"after-{frame.pk}-{name}": text
        for frame, typed in zip(pair, figures, strict=True)
        for name, text in (typed | more).items()
    }


def read_after(bench, pair, *figures, **more):
    match = the_set(bench, pair)
    return bench.post(f"{match.get_absolute_url()}read/", posted(pair, *figures, **more))


def test_every_frame_stands_before_predicted_and_aimed_at(bench, pair):
    rows, apart = board(bench)
    row = rows["no. 07"]
    assert (row.stage, row.told(row.before, "mass_g")) == ("fitted", "316.8")
    mass = row.vials["mass_g"]
    assert (mass.value, mass.word, cell(row, "mass_g").text) == ("319.8", "on target", "")
    assert rows["no. 8"].vials["mass_g"].value == "317.8"
    told = apart["mass"]
    assert (told.before, told.predicted, told.read) == ("2.00", "2.00", "")
    assert (told.within, told.is_within, told.too_far) == ("1", False, "1.00")
    assert apart["twist weight"].is_within is None, "it was not matched"


def test_what_was_read_after_is_typed_row_by_row(bench, pair):
    first = {"mass_g": "319.8", "balance_mm": "325.3", "swing_kgcm2": "319.7"}
    second = {"mass_g": "318.9", "balance_mm": "325.3", "swing_kgcm2": "319.5"}
    answer = read_after(bench, pair, {"mass_g": "three"}, second)
    assert answer.status_code == 422
    by_frame = {row.frame.serial: row.form for row in answer.context["rows"]}
    assert set(by_frame["no. 07"].errors) == {"mass_g"}
    assert by_frame["no. 07"]["mass_g"].value() == "three"
    assert not by_frame["no. 8"].is_bound, "kept, and empty again"
    # The sound one is saved, in the condition its plan was read in.
    rows, apart = board(bench)
    assert (cell(rows["no. 8"], "mass_g").text, apart["mass"].read) == ("318.9", "")
    assert read_after(bench, pair, first, {}).status_code == 302
    rows, apart = board(bench)
    assert (apart["mass"].read, apart["mass"].is_within) == ("0.90", True)
    assert not rows["no. 8"].is_missed
    assert Job.objects.get().steps.get(kind="after").status == "done"


def test_within_is_as_the_set_was_matched(bench, pair):
    match = the_set(bench, pair)
    match.content |= {"tolerances": {"mass_g": 2.0}}
    match.save()
    _, apart = board(bench)
    assert (apart["mass"].within, apart["mass"].is_within) == ("2", True)
    match.content |= {"tolerances": {"mass_g": 0.5}, "judged": "distance"}
    match.save()
    _, apart = board(bench)
    assert (apart["mass"].within, apart["mass"].is_within) == ("1", False)


def missed(bench, pair):
    read = {"mass_g": "318.8", "balance_mm": "324", "swing_kgcm2": "316.0"}
    read_after(bench, pair, read, {}, confirm="on")
    return f"{the_set(bench, pair).get_absolute_url()}{pair[0].pk}"


def test_a_frame_that_missed_is_corrected_in_its_row(bench, pair):
    there = f"{the_set(bench, pair).get_absolute_url()}{pair[0].pk}"
    assert bench.get(f"{there}/correction/").status_code == 404, "nothing was read yet"
    missed(bench, pair)
    rows, _ = board(bench)
    assert cell(rows["no. 07"], "swing_kgcm2").off == "−4.00"
    found = bench.get(f"{there}/correction/").context["found"]
    assert found.is_enough
    assert 0 < sum(piece.mass_g for piece in found.pieces) < 2.1
    made = bench.post(f"{there}/correct/")
    plan = Plan.objects.latest("pk")
    assert plan.state().of_set == Match.objects.get().pk, "corrected for its set"
    assert made.url == f"/plans/{plan.pk}/sheet/"
    assert (plan.name, plan.state().targets.swing_kgcm2.value) == ("Plan 1, corrected", 320.0)


def test_a_frame_that_missed_is_taken_as_near_as_it_came_with_one_tick(bench, pair):
    match = the_set(bench, pair)
    for plan in Plan.objects.all():
        content = replace(plan.state(), of_set=match.pk).dump()
        Plan.objects.filter(pk=plan.pk).update(content=content)
    match.content |= {"judged": "distance"}
    match.save()
    right = {"mass_g": "319.8", "balance_mm": "325.3", "swing_kgcm2": "319.7"}
    read_after(bench, pair, right, right | {"swing_kgcm2": "316.0"}, confirm="on")
    after = Job.objects.get().steps.get(kind="after")
    assert after.status == "open"
    there = f"{match.get_absolute_url()}{pair[1].pk}/accept/"
    assert bench.post(there, {"accepted": "on"}).status_code == 302
    after.refresh_from_db()
    assert (after.status, after.reason) == ("done", ""), "nobody is asked why"
    rows, _ = board(bench)
    assert (rows["no. 8"].is_missed, rows["no. 8"].is_accepted) == (False, True)
    bench.post(there)
    assert board(bench)[0]["no. 8"].is_missed, "and no longer"
    assert bench.post(f"{match.get_absolute_url()}99/accept/").status_code == 404


def test_the_pair_card_says_what_is_left_between_them(bench, pair):
    there = f"/jobs/{Job.objects.get().pk}"
    bench.get(f"{there}/pair.pdf")
    assert "As predicted" in said(Paper.objects.get().content["html"])
    Paper.objects.all().delete()
    read = {"mass_g": "319.8", "balance_mm": "325.3", "swing_kgcm2": "319.7"}
    read_after(bench, pair, read, read | {"swing_kgcm2": "313.7"}, confirm="on")
    bench.get(f"{there}/pair.pdf")
    printed = said(Paper.objects.get().content["html"])
    assert "<td><b>6.00</b></td>" in printed
    assert "Read on the finished frames." in printed


def test_a_set_judged_by_its_spread_is_judged_so_everywhere(bench, pair):
    """Each is 0.51 g off the middle, and they lie within a gram: job, page and rest say yes."""
    match = the_set(bench, pair)
    match.content |= {"tolerances": {"mass_g": 1.1}, "sites": ["sides", "handle"]}
    match.save()
    for plan in Plan.objects.all():
        state = plan.state()
        half = Targets(mass_g=Target(319.0, 0.5, None))
        Plan.objects.filter(pk=plan.pk).update(
            content=replace(state, targets=half, of_set=match.pk).dump()
        )
    job = Job.objects.get()
    read = {"balance_mm": "325.3", "swing_kgcm2": "319.7"}
    told = (read | {"mass_g": "319.51"}, read | {"mass_g": "318.49"})
    read_after(bench, pair, *told, confirm="on")
    rows, apart = board(bench)
    assert (apart["mass"].read, apart["mass"].is_within) == ("1.02", True)
    assert not any(row.is_missed for row in rows.values())
    assert "its target" not in said(bench.get(f"/jobs/{job.pk}/"))
    assert job.steps.get(kind="after").status == "done"
    # The plan aims at what the other leaves it, 1.1 g to either side, not at its half of that.
    plan = Plan.objects.get(frame__serial="no. 07")
    page = bench.get(plan.get_absolute_url())
    vial = next(one for one in page.context["board"].vials if one.name == "mass_g")
    assert (vial.aim, vial.set_href) == ("318.49 ± 1.1 g", f"/sets/{match.pk}/")
    refused = bench.post(f"/plans/{plan.pk}/target/mass_g/", {"mass_g-target": "330"})
    assert refused.status_code == 422
    assert "change the tolerance or the target on the Set page" in said(refused)
    # Another tenth apart, and the one that is read is out everywhere.
    read_after(bench, pair, {"mass_g": "319.7"}, {}, confirm="on")
    rows, apart = board(bench)
    assert (apart["mass"].read, apart["mass"].is_within) == ("1.21", False)
    assert rows["no. 07"].is_missed
    assert rows["no. 8"].is_missed, "either may come to the other"


def test_nothing_is_read_after_before_anything_is_fitted_and_what_was_never_read_is_blank(
    bench, racket, user
):
    other = Frame(model="Tern 98", serial="no. 8")
    other.set_outline(racket.outline())
    other.save()
    read = racket.figures()[0].measured()
    other.take_readings(replace(read, twist_kgcm2=None), "as-played", user)
    other.readings.filter(quantity="balance_mm").delete()
    take_in(bench, racket, other)
    for frame in (racket, other):
        bench.post(f"/frames/{frame.pk}/plans/new/")
    rows, apart = board(bench)
    assert not any(row.read or row.form for row in rows.values())
    blank = rows["no. 8"]
    assert {"twist_kgcm2", "balance_mm"}.isdisjoint(blank.before)
    assert blank.told(blank.before, "mass_g") == "316.8"
    assert (apart["twist weight"].before, apart["mass"].before) == ("", "0.00")


def test_a_frame_the_others_follow_counts_as_it_stands(bench, pair):
    """It gets no plan and nothing is read after on it: the set is within all the same."""
    match = the_set(bench, pair)
    match.content |= {"target": f"frame:{pair[1].pk}", "tolerances": {"mass_g": 5.0}}
    match.answer = {}
    match.save()
    Plan.objects.filter(frame=pair[1]).delete()
    read_after(bench, pair, {"mass_g": "316.0"}, {}, confirm="on")
    rows, apart = board(bench)
    assert rows["no. 8"].plan is None
    assert (apart["mass"].read, apart["mass"].is_within) == ("1.20", True)
