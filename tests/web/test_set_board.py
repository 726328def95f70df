"""The set board on PostgreSQL: read after in a grid, how far apart, a miss corrected in its row."""

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


def board(bench):
    page = bench.get(f"/jobs/{Job.objects.get().pk}/set/")
    rows = {row.frame.serial: {c.name: c for c in row.cells} for row in page.context["rows"]}
    return rows, {one.label: one for one in page.context["spreads"]}


def posted(pair, *figures, **more):
    return {
        f"after-{frame.pk}-{name}": text
        for frame, typed in zip(pair, figures, strict=True)
        for name, text in (typed | more).items()
    }


def test_every_frame_stands_before_wanted_predicted_and_read(bench, pair):
    rows, apart = board(bench)
    mass = rows["no. 07"]["mass_g"]
    assert (mass.before, mass.target, mass.predicted, mass.read) == (
        "316.8", "319.8 ± 1", "319.8", "",
    )  # fmt: skip
    assert rows["no. 8"]["mass_g"].predicted == "317.8"
    told = apart["mass"]
    assert (told.before, told.predicted, told.read) == ("2.00", "2.00", "")
    assert (told.within, told.is_within, told.too_far) == ("1", False, "1.00")
    assert apart["twist weight"].is_within is None, "it was not matched"


def test_what_was_read_after_is_typed_in_the_grid_row_by_row(bench, pair):
    there = f"/jobs/{Job.objects.get().pk}/set/"
    first = {"mass_g": "319.8", "balance_mm": "325.3", "swing_kgcm2": "319.7"}
    second = {"mass_g": "318.9", "balance_mm": "325.3", "swing_kgcm2": "319.5"}
    answer = bench.post(there, posted(pair, {"mass_g": "three"}, second))
    assert answer.status_code == 422
    by_frame = {row.frame.serial: row.form for row in answer.context["rows"]}
    assert set(by_frame["no. 07"].errors) == {"mass_g"}
    assert by_frame["no. 07"]["mass_g"].value() == "three"
    assert dict(by_frame["no. 8"].errors) == {}
    # The sound one is saved, in the condition its plan was read in.
    rows, apart = board(bench)
    assert (rows["no. 8"]["mass_g"].read, apart["mass"].read) == ("318.9", "")
    assert bench.post(there, posted(pair, first, {})).status_code == 302
    rows, apart = board(bench)
    assert (apart["mass"].read, apart["mass"].is_within) == ("0.90", True)
    assert not rows["no. 8"]["mass_g"].is_off
    assert Job.objects.get().steps.get(kind="after").status == "done"


def test_within_is_as_the_set_was_matched(bench, pair):
    content = {"tolerances": {"mass_g": 2.0}, "judged": "spread"}
    match = Match.objects.create(name="two", content=content)
    match.frames.set(pair)
    _, apart = board(bench)
    assert (apart["mass"].within, apart["mass"].is_within) == ("2", True)
    Match.objects.update(content={"tolerances": {"mass_g": 0.5}, "judged": "distance"})
    _, apart = board(bench)
    assert (apart["mass"].within, apart["mass"].is_within) == ("1", False)


def test_a_frame_that_missed_is_corrected_in_its_row(bench, pair):
    job = Job.objects.get()
    there = f"/jobs/{job.pk}/set/{pair[0].pk}"
    assert bench.get(f"{there}/correction/").status_code == 404, "nothing was read yet"
    read = {"mass_g": "318.8", "balance_mm": "324", "swing_kgcm2": "316.0"}
    bench.post(f"/jobs/{job.pk}/set/", posted(pair, read, {}, confirm="on"))
    rows, _ = board(bench)
    swing = rows["no. 07"]["swing_kgcm2"]
    assert (swing.is_off, swing.off) == (True, "−4.00")
    found = bench.get(f"{there}/correction/").context["found"]
    assert found.is_enough
    assert 0 < sum(piece.mass_g for piece in found.pieces) < 2.1
    Plan.objects.filter(frame=pair[0]).update(
        content=replace(Plan.objects.get(frame=pair[0]).state(), of_set=99).dump()
    )
    made = bench.post(f"{there}/correct/")
    plan = Plan.objects.latest("pk")
    assert plan.state().of_set == 99, "corrected for its set"
    assert made.url == f"/plans/{plan.pk}/sheet/"
    assert (plan.name, plan.state().targets.swing_kgcm2.value) == ("Plan 1, corrected", 320.0)


def test_the_pair_card_says_what_is_left_between_them(bench, pair):
    there = f"/jobs/{Job.objects.get().pk}"
    bench.get(f"{there}/pair.pdf")
    assert "As predicted" in said(Paper.objects.get().content["html"])
    Paper.objects.all().delete()
    read = {"mass_g": "319.8", "balance_mm": "325.3", "swing_kgcm2": "319.7"}
    bench.post(f"{there}/set/", posted(pair, read, read | {"swing_kgcm2": "313.7"}, confirm="on"))
    bench.get(f"{there}/pair.pdf")
    printed = said(Paper.objects.get().content["html"])
    assert "<td><b>6.00</b></td>" in printed
    assert "Read on the finished frames." in printed


def test_a_set_judged_by_its_spread_is_judged_so_everywhere(bench, pair):
    """Each is 0.51 g off the middle, and they lie within a gram: job, board and rest say yes."""
    content = {"tolerances": {"mass_g": 1.1}, "judged": "spread", "sites": ["sides", "handle"]}
    match = Match.objects.create(name="two", content=content)
    match.frames.set(pair)
    for plan in Plan.objects.all():
        state = plan.state()
        half = Targets(mass_g=Target(319.0, 0.5, None))
        Plan.objects.filter(pk=plan.pk).update(
            content=replace(state, targets=half, of_set=match.pk).dump()
        )
    job = Job.objects.get()
    read = {"balance_mm": "325.3", "swing_kgcm2": "319.7"}
    told = (read | {"mass_g": "319.51"}, read | {"mass_g": "318.49"})
    bench.post(f"/jobs/{job.pk}/set/", posted(pair, *told, confirm="on"))
    rows, apart = board(bench)
    assert (apart["mass"].read, apart["mass"].is_within) == ("1.02", True)
    assert not any(cells["mass_g"].is_off for cells in rows.values())
    assert "its target" not in said(bench.get(f"/jobs/{job.pk}/"))
    assert job.steps.get(kind="after").status == "done"
    # Another tenth apart, and the one that is read is out everywhere.
    bench.post(f"/jobs/{job.pk}/set/", posted(pair, {"mass_g": "319.7"}, {}, confirm="on"))
    rows, apart = board(bench)
    assert (apart["mass"].read, apart["mass"].is_within) == ("1.21", False)
    assert rows["no. 07"]["mass_g"].is_off
    assert rows["no. 8"]["mass_g"].is_off, "either may come to the other"


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
    assert all(cell.read == "" for cells in rows.values() for cell in cells.values())
    blank = rows["no. 8"]
    assert (blank["twist_kgcm2"].before, blank["balance_mm"].before) == ("", "")
    assert blank["mass_g"].before == "316.8"
    assert (apart["twist weight"].before, apart["mass"].before) == ("", "0.00")
