"""The queue: work beside the pages, done by processes of their own that may be killed."""

import contextlib
import signal
import time
from datetime import timedelta

import pytest
from django.db import connection, transaction
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kentrobar.accounts.models import Role
from kentrobar.core.recipes.solve import Progress
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Film
from kentrobar.recipes.models import Wish
from kentrobar.ui import background
from kentrobar.ui.management.commands.work import LOOK_EVERY_S
from kentrobar.ui.models import Work
from kentrobar.workshop.models import Import, Paper
from tests.core.frames import READ, TERN
from tests.web.conftest import measured_frame, somebody
from tests.web.test_recipes import Wishing
from tests.working import until, worker, working

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(autouse=True)
def _by_workers(settings, db):
    settings.WORK_AT_ONCE = False
    with connection.cursor() as cursor:
        cursor.execute("delete from procrastinate_jobs")
        cursor.execute("delete from procrastinate_workers")


@pytest.fixture
def bench(client):
    client.force_login(somebody("sorrel", Role.OWNER))
    return client


def rows(count, name="Tern"):
    return "name;mass_g\n" + "".join(f"{name} {i};{300 + i % 60}\n" for i in range(count))


def status_of(model):
    return model.objects.values_list("status", flat=True).first()


def test_a_page_gets_its_answer_from_a_worker_and_the_queue_is_empty_then(bench):
    frame = measured_frame(TERN, READ)
    with working():
        Wishing(bench, frame).ask(goal__mass_g="+2")
        until(lambda: status_of(Wish) == "done", "no worker did the search")
        until(lambda: not ProcrastinateJob.objects.filter(task_name="kentrobar.work"), "left over")
    assert Wish.objects.get().answer["recipes"]


def test_paper_is_waited_for_and_made_once(bench, monkeypatch, settings):
    from kentrobar.workshop import paper

    monkeypatch.setattr(paper, "PATIENCE_S", 0.1)
    frame = measured_frame(TERN, READ)
    address = f"/frames/{frame.pk}/label.pdf"
    asked = bench.get(address)
    assert (asked.status_code, asked["Refresh"]) == (202, "1")
    with working():
        until(lambda: bench.get(address)["Content-Type"] == "application/pdf", "no paper")
    assert Paper.objects.count() == 1


@contextlib.contextmanager
def nothing_can_be_written(table):
    """Work that writes there is at it until the end of this, however quick it is."""
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute(f"lock table {table} in share mode")
        yield


def test_what_workers_held_when_they_ended_is_done_by_another(settings):
    """One is killed, one is told to end: what they held is taken up once they have been silent."""
    at_it, done = (Import.objects.filter(status=status) for status in ("working", "done"))
    ends = (("Tern", signal.SIGKILL), ("Fulmar", signal.SIGTERM))
    for count, (name, ended_by) in enumerate(ends, 1):
        settings.WORK_AT_ONCE = True
        person = Client()
        person.force_login(somebody(name.lower(), Role.OWNER))
        person.post("/data/read/", {"text": rows(40, name)})
        settings.WORK_AT_ONCE = False
        person.post("/data/write/")
        with nothing_can_be_written("frames_frame"):
            process = worker()
            until(lambda count=count: at_it.count() == count, "no worker began")
            process.send_signal(ended_by)
            process.wait(20)
    assert at_it.count() == 2
    with working():
        until(lambda: done.count() == 2, "nobody took them up again")
    assert [one.answer["new"] for one in done] == [40, 40]
    assert Frame.objects.count() == 80


def test_a_worker_that_has_grown_begins_anew_when_nothing_is_going_on(bench):
    def known():
        with connection.cursor() as cursor:
            cursor.execute("select max(id) from procrastinate_workers")
            return cursor.fetchone()[0] or 0

    process = worker("--most-mb", "1", "--lanes", "work")
    try:
        until(known, "no worker began")
        first = known()
        time.sleep(LOOK_EVERY_S + 1)
        assert known() == first, "it did nothing yet: anew it would be as large"
        bench.post("/data/read/", {"text": rows(3)})
        until(lambda: known() > first, "it stayed as large as it was")
        assert process.poll() is None
        bench.post("/data/read/", {"text": rows(5)})
        until(lambda: (Import.objects.get().answer or {}).get("kept") == 5, "it does nothing more")
    finally:
        process.terminate()
        process.wait(20)


def test_long_work_keeps_no_search_and_no_sheet_waiting(settings):
    """Two films and forty searches in the queue: of long work one goes at a time, and neither has
    the place of a sheet."""
    film, paper = background.KINDS["film"], background.KINDS["paper"]
    assert (film.lane, background.KINDS["restore"].lane) == (background.LONG, background.LONG)
    assert (paper.lane, background.KINDS["wish"].lane) == (background.PAPER, background.WORK)
    for row in (Film(frame=measured_frame(TERN, READ), user=somebody("ivo", Role.BENCH)), Paper()):
        row.save()
        background.start(row, film if isinstance(row, Film) else paper, 0)
    jobs = {job.queue_name: job.lock for job in ProcrastinateJob.objects.all()}
    assert jobs == {background.LONG: background.LONG, background.PAPER: None}
    # Whoever does films only leaves the sheet to others, and the other way round.
    process = worker("--lanes", "paper")
    try:
        until(lambda: Paper.objects.get().status != "waiting", "nobody drew")
        assert Film.objects.get().status == "waiting"
    finally:
        process.terminate()
        process.wait(20)


def test_a_newer_run_is_the_only_one_that_is_done(bench):
    bench.post("/data/read/", {"text": rows(3)})
    bench.post("/data/read/", {"text": rows(5)})
    assert ProcrastinateJob.objects.filter(task_name="kentrobar.work").count() == 2
    with working():
        until(lambda: status_of(Import) == "done", "not done")
        until(lambda: not ProcrastinateJob.objects.filter(task_name="kentrobar.work"), "left over")
    assert Import.objects.get().answer["kept"] == 5


def test_where_nobody_works_the_page_says_so(bench):
    bench.post("/data/read/", {"text": rows(3)})
    assert "Waiting for its turn" in bench.get("/data/table/").content.decode()
    Import.objects.update(seen_at=timezone.now() - timedelta(seconds=5))
    assert "Nobody does the work" in bench.get("/data/table/").content.decode()
    assert bench.get("/health/").json()["worker"] == "failing"
    with connection.cursor() as cursor:
        cursor.execute("insert into procrastinate_workers default values")
    assert "Waiting for its turn" in bench.get("/data/table/").content.decode()
    assert bench.get("/health/").json()["worker"] == "ok"


def test_work_that_broke_down_too_often_is_given_up_and_says_so(bench, caplog):
    bench.post("/data/read/", {"text": rows(3)})
    table = Import.objects.get()

    def looks_once(row):
        return lambda watch: {"went on": watch(Progress("Begun"))}, background.nothing_yet

    kind = background.Kind("looks once", Import, looks_once)
    at_work = background.AtWork(kind, table.pk, table.run, must_end=lambda: True)
    with pytest.raises(background.WorkInterruptedError):
        at_work.go({}, is_last=False)
    assert status_of(Import) == "working"
    at_work.go({}, is_last=True)
    assert status_of(Import) == Work.Status.FAILED
