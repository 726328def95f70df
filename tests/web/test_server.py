"""What a server does beside pages: how things stand, ids in the log, a database that is busy, odd
addresses, what nobody needs any more."""

import json
import logging
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import psycopg
import pytest
from django.contrib.auth.hashers import PBKDF2PasswordHasher
from django.contrib.sessions.backends.db import SessionStore
from django.contrib.sessions.models import Session
from django.db import OperationalError, connection
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kentrobar.accounts.models import SignedIn
from kentrobar.backups.tidy import QUIET, STEPS_OF_QUIET, tidy
from kentrobar.demo import workshop
from kentrobar.devices.models import Line
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Draft, Instrument
from kentrobar.plans.models import Plan
from kentrobar.site import disk, health
from kentrobar.site.access import NEEDS, PUBLIC
from kentrobar.site.log import DatabaseAway, Lines, WithId
from kentrobar.site.settings import PASSWORD_HASHERS
from kentrobar.workshop.models import Paper
from tests.pages import said

from .test_access import addresses, filled


def test_how_things_stand_is_told_without_a_figure_of_the_shop(client, db, settings, tmp_path):
    settings.BACKUPS, settings.DEMO = tmp_path, False
    assert client.get("/health/").json() == {
        "database": "ok", "reader": "ok", "worker": "failing", "disk": "ok", "backup": "failing",
    }  # fmt: skip
    (tmp_path / f"{datetime.now(UTC):%Y-%m-%dT%H%M%S}.kentrobar").touch()
    scale = Instrument.objects.create(
        name="scale", kind="scale", resolution=0.1, drift_band=0.3, port="/dev/ttyUSB0"
    )
    assert client.get("/health/").json() | {"disk": "ok"} == {
        "database": "ok", "reader": "failing", "worker": "failing", "disk": "ok", "backup": "ok",
    }  # fmt: skip
    Line.objects.create(instrument=scale, beat_at=timezone.now())
    assert client.get("/health/").json()["reader"] == "ok"


def test_without_a_database_it_cannot_work_and_says_so(client, db, monkeypatch):
    def gone(*_):
        raise OperationalError("connection refused")

    with monkeypatch.context() as away:
        away.setattr(health.connection, "cursor", gone)
        answer = client.get("/health/")
    assert (answer.status_code, answer.json()["database"]) == (503, "failing")


def test_how_things_stand_is_told_by_any_name_and_without_a_database(client, monkeypatch):
    """As a watch asks: by the machine's address, whatever is wrong with the database."""
    monkeypatch.setattr(health, "database", lambda: False)
    answer = client.get("/health/", HTTP_HOST="192.0.2.9:8000")
    assert (answer.status_code, answer.json()["database"]) == (503, "failing")


def test_metrics_are_off_and_then_for_this_machine_only(client, db, settings, racket):
    assert client.get("/metrics/").status_code == 404
    settings.METRICS = True
    text = client.get("/metrics/").content.decode()
    assert "\nkentrobar_frames 1\n" in text
    assert text.endswith("# EOF\n")
    assert text.count("# TYPE") == len([line for line in text.splitlines() if line[0] != "#"])
    assert client.get("/metrics/", REMOTE_ADDR="192.168.7.30").status_code == 404


def test_every_request_has_an_id_in_answer_log_and_page(
    client, bench, racket, settings, monkeypatch
):
    client = Client()
    first, second = (client.get("/sign-in/")["X-Request-ID"] for _ in range(2))
    assert first != second
    # A proxy's own is taken over; anybody else's is not.
    asked = {"X-Request-ID": "from-the-proxy-1"}
    assert client.get("/sign-in/", headers=asked)["X-Request-ID"] != "from-the-proxy-1"
    settings.PROXY = True
    assert client.get("/sign-in/", headers=asked)["X-Request-ID"] == "from-the-proxy-1"

    def breaks(*_, **__):
        raise ZeroDivisionError

    monkeypatch.setattr(Frame, "outline", breaks)
    own = Client(raise_request_exception=False)
    own.force_login(bench.get("/").wsgi_request.user)
    answer = own.get(f"/frames/{racket.pk}/", headers=asked)
    assert answer.status_code == 500
    assert "from-the-proxy-1" in said(answer)


def test_a_log_line_is_one_object():
    record = logging.LogRecord("kentrobar", logging.WARNING, "", 1, "a %s\nb", ("frame",), None)
    assert WithId().filter(record)
    told = json.loads(Lines().format(record))
    assert (told["says"], told["level"], told["request"]) == ("a frame\nb", "warning", "-")


@pytest.mark.parametrize(
    ("error", "status"),
    [
        (psycopg.errors.QueryCanceled, 503), (psycopg.errors.LockNotAvailable, 503),
        (psycopg.errors.DeadlockDetected, 503), (psycopg.OperationalError, 503),
        (psycopg.errors.UndefinedTable, 500),
    ],
)  # fmt: skip
def test_a_busy_database_is_said_and_not_called_broken(bench, racket, monkeypatch, error, status):
    def waits(*_, **__):
        try:
            raise error("canceling statement")
        except psycopg.Error as cause:
            raise OperationalError(str(cause)) from cause

    monkeypatch.setattr(Frame, "outline", waits)
    own = Client(raise_request_exception=False)
    own.force_login(bench.get("/").wsgi_request.user)
    answer = own.get(f"/frames/{racket.pk}/")
    assert answer.status_code == status
    if status == 503:
        assert ("may not have been saved" in said(answer), answer["Retry-After"]) == (True, "5")


class NoRoom(psycopg.errors.DiskFull):
    """As PostgreSQL says it (53100)."""


def no_room_error():
    try:
        no_room()
    except OperationalError as error:
        return error


def no_room(*_, **__):
    try:
        raise NoRoom("could not extend file: No space left on device")
    except psycopg.Error as cause:
        raise OperationalError(str(cause)) from cause


def test_a_full_disk_is_said_on_the_page_and_to_a_script(user, racket, monkeypatch):
    monkeypatch.setattr(Frame, "remove", no_room)
    own = Client(raise_request_exception=False)
    own.force_login(user)
    there = f"/frames/{racket.pk}/delete/"
    answer = own.post(there)
    assert answer.status_code == 507
    assert "The disk is full" in said(answer)
    assert "disk of the server is full" in answer["Kentrobar-Says"]
    # A database that ended of it says nothing any more: then the disk itself is looked at.
    monkeypatch.setattr(Frame, "remove", _goes_away)
    monkeypatch.setattr(disk, "standing", lambda: "full")
    assert own.post(there).status_code == 507
    monkeypatch.setattr(disk, "standing", lambda: "ok")
    assert own.post(there).status_code == 503


def _goes_away(*_, **__):
    raise OperationalError("server closed the connection unexpectedly")


def test_what_was_saved_is_no_error_where_the_session_cannot_be_written(bench, racket, monkeypatch):
    monkeypatch.setattr(SessionStore, "save", no_room)
    answer = bench.post(f"/frames/{racket.pk}/delete/")
    assert answer.status_code == 302
    assert not Frame.live.filter(pk=racket.pk).exists()


def test_the_owner_is_told_beforehand_that_room_is_short(bench, monkeypatch, settings, tmp_path):
    settings.LOCAL = tmp_path
    for free, total, word in ((9e9, 1e11, "ok"), (4e9, 1e11, "low"), (4e8, 1e9, "low"),
                              (6e9, 1e12, "ok"), (1e7, 1e12, "full")):  # fmt: skip
        usage = SimpleNamespace(free=free, total=total)
        monkeypatch.setattr(disk.shutil, "disk_usage", lambda _, usage=usage: usage)
        assert disk.standing() == word
        assert Client().get("/health/").json()["disk"] == word
        assert ("nearly full" in said(bench.get("/stock/"))) is (word == "low")


def test_a_database_that_is_away_is_one_line_a_minute_without_a_trace(monkeypatch):
    away, told = DatabaseAway(), []
    for _ in range(50):
        try:
            _goes_away()
        except OperationalError as error:
            info = (type(error), error, error.__traceback__)
        record = logging.LogRecord("procrastinate", logging.ERROR, "", 1, "x", (), info)
        told += [record] if away.filter(record) else []
        pool = logging.LogRecord("psycopg.pool", logging.WARNING, "", 1, "no connection", (), None)
        told += [pool] if away.filter(pool) else []
    (record,) = told
    assert (record.exc_info, "does not answer" in record.getMessage()) == (None, True)
    slow = OperationalError("canceling statement due to statement timeout")
    slow.__cause__ = psycopg.errors.QueryCanceled("canceling statement due to statement timeout")
    for error in (slow, no_room_error()):
        info = (type(error), error, None)
        line = logging.LogRecord("kentrobar", logging.ERROR, "", 1, "x", (), info)
        assert away.filter(line), "it answers, and says something else"
    other = logging.LogRecord(
        "kentrobar", logging.ERROR, "", 1, "broke", (), (KeyError, KeyError("a"), None)
    )
    assert away.filter(other)


def test_pages_are_given_time_and_no_more(db, settings):
    """The test run is manage.py's kind, without limits; a server has them from its settings."""
    from kentrobar.site import settings as ours

    assert "statement_timeout=30s" in ours.TIMEOUTS or ours._flag("KENTROBAR_PATIENT")


def test_nobody_on_the_way_keeps_what_is_signed_in(bench, client, racket):
    assert bench.get(f"/frames/{racket.pk}/")["Cache-Control"] == "no-store"
    assert "no-store" in Client().get("/welcome/", follow=True)["Cache-Control"]


def test_every_page_answers_a_head_as_it_answers_a_get(bench, plan):
    for name, path in addresses():
        if name in PUBLIC or name == "sign-out" or name not in NEEDS:
            continue
        there = path.replace("<int:pk>", str(plan.pk if "plans" in path else plan.frame.pk))
        there = filled(there)
        asked = bench.get(there)
        assert bench.head(there).status_code == asked.status_code, there
        if asked.streaming:
            b"".join(asked)


@pytest.mark.parametrize(
    "path",
    [
        "/?q=%00", "/?q=" + "9" * 5000, "/?page=" + "9" * 5000, "/?page=NaN", "/?page=-1",
        "/plans/compare/?p=" + "9" * 30, "/plans/compare/?p=NaN&p=%00", "/find/?q=%00",
        "/find/?q=" + "x" * 5000, "/jobs/?q=%F0%9F%8E%BE&page=1e9", "/people/?q=%00a",
        "/quick/?mass=NaN", "/quick/?mass=1e400", "/understood/?kind=mass&text=NaN",
        "/frames/" + "9" * 30 + "/", "/plans/" + "9" * 30 + "/", "/photos/" + "9" * 40 + ".jpg",
        "/removed/frames.frame/" + "9" * 30 + "/restore/",
    ],
)  # fmt: skip
def test_odd_addresses_are_never_our_fault(bench, racket, path):
    own = Client(raise_request_exception=False)
    own.force_login(bench.get("/").wsgi_request.user)
    assert own.get(path).status_code < 500, path


def test_what_nobody_needs_is_cleared_away_and_the_rest_stays(db, user, signed_in, plan):
    old = timezone.now() - timedelta(days=400)
    Session.objects.create(session_key="old", session_data="", expire_date=old)
    SignedIn.objects.create(user=user, session_key="old")
    for method, at in (("scale", old), ("board", timezone.now())):
        Draft.objects.create(frame=plan.frame, user=user, method=method, changed_at=at)
    for number in range(1, 61):
        plan.steps.create(number=number, content=plan.content, label="more")
    Plan.objects.filter(pk=plan.pk).update(position=60, newest=60)
    for digest, at in (("of yesterday", old), ("of now", timezone.now())):
        Paper.objects.create(digest=digest, pdf=b"%PDF", changed_at=at)
    with connection.cursor() as cursor:
        cursor.execute(
            "insert into procrastinate_jobs (queue_name, task_name, status)"
            " values ('work', 'kentrobar.work', 'failed'), ('work', 'kentrobar.work', 'todo')"
        )
        cursor.execute("update procrastinate_events set at = now() - interval '1 year'")
    before = plan.steps.count()
    assert tidy()["steps of quiet plans"] == 0, "somebody is at it"
    Plan.objects.filter(pk=plan.pk).update(changed_at=timezone.now() - QUIET * 2)
    gone = tidy()
    assert gone["steps of quiet plans"] == before - STEPS_OF_QUIET - 1
    assert not Session.objects.filter(session_key="old").exists()
    assert [one.digest for one in Paper.objects.all()] == ["of now"]
    assert [one.status for one in ProcrastinateJob.objects.all()] == ["todo"]
    assert [one.method for one in Draft.objects.all()] == ["board"]
    assert SignedIn.objects.filter(user=user).count() == 1, "whoever is signed in stays"
    plan.refresh_from_db()
    assert signed_in.post(f"/plans/{plan.pk}/undo/", {"version": plan.version}).status_code < 400


def test_clearing_away_leaves_a_workshop_whole(db):
    workshop.load()
    from tests.web.test_open_data import everything

    before = everything()
    tidy()
    assert everything() == before


def test_a_password_kept_as_before_opens_and_is_kept_anew(client, user, settings):
    settings.PASSWORD_HASHERS = PASSWORD_HASHERS
    user.password = PBKDF2PasswordHasher().encode("long-grass-7", "as-it-was", 1000)
    user.save()
    good = {"username": "sorrel", "password": "long-grass-7"}
    assert client.post("/sign-in/", good).status_code == 302
    user.refresh_from_db()
    assert user.password.startswith("argon2$argon2id$v=19$m=19456,t=2,p=1$")
    assert user.check_password("long-grass-7")
