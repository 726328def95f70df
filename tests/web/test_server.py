"""What a server does beside pages: how things stand, ids in the log, a database that is busy, odd
addresses, what nobody needs any more."""

import contextlib
import json
import logging
import socket
import subprocess
import sys
import time
import urllib.request
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import psycopg
import pytest
from django.contrib.auth.hashers import PBKDF2PasswordHasher
from django.contrib.sessions.models import Session
from django.db import OperationalError, connection
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kentrobar.accounts import guessing
from kentrobar.accounts.models import SignedIn
from kentrobar.backups.tidy import QUIET, STEPS_OF_QUIET, tidy
from kentrobar.demo import workshop
from kentrobar.devices.models import Line
from kentrobar.frames.models import Frame
from kentrobar.measuring.models import Draft, Instrument
from kentrobar.plans.models import Plan
from kentrobar.site import health, worker
from kentrobar.site.access import NEEDS, PUBLIC
from kentrobar.site.settings import PASSWORD_HASHERS
from kentrobar.site.trace import Lines, WithId
from kentrobar.workshop.models import Paper
from ops import ROOT
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
        assert ("Nothing was kept" in said(answer), answer["Retry-After"]) == (True, "5")


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


# --- those who hold connections ---


@pytest.fixture(scope="module")
def server():
    """gunicorn with our worker, and fewer threads than a bench has."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [
        sys.executable, "-m", "gunicorn", "tests.web.tiny:application", "--bind",
        f"127.0.0.1:{port}", "--worker-class", "kentrobar.site.worker.Impatient", "--threads", "4",
        "--no-control-socket", "--log-level", "error",
    ]  # fmt: skip
    running = subprocess.Popen(command, cwd=ROOT)
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        with contextlib.suppress(OSError):
            socket.create_connection(("127.0.0.1", port)).close()
            break
        time.sleep(0.1)
    yield port
    running.terminate()
    running.wait(10)


HEAD_S = 1.0  # of the server here (tiny.py)
HALF = b"POST / HTTP/1.1\r\nHost: here\r\n"


@pytest.mark.parametrize(
    "said", [b"", HALF, b"GET / HTTP/1.1\r\nHost: here\r\nX-A: "], ids=["silent", "half", "header"]
)
def test_whoever_says_nothing_keeps_nobody_waiting(server, said):
    held = [socket.create_connection(("127.0.0.1", server)) for _ in range(12)]
    for one in held:
        one.sendall(said)
    time.sleep(0.5)
    started = time.monotonic()
    with urllib.request.urlopen(f"http://127.0.0.1:{server}/", timeout=20) as answer:
        assert answer.status == 200
    assert time.monotonic() - started < 4 * HEAD_S
    for one in held:
        one.close()


def test_a_whole_request_is_read_whole(server):
    with urllib.request.urlopen(f"http://127.0.0.1:{server}/", b"x" * 300_000) as answer:
        assert answer.read() == b"300000"


class Conn:
    sock = None


def test_what_is_past_its_time_is_hung_up_on():
    ours, theirs = socket.socketpair()
    conn, quick = Conn(), Conn()
    conn.sock = ours
    one = SimpleNamespace(deadlines={conn: 100.0, quick: 200.0})
    worker.Impatient.hang_up(one, 150.0)
    assert list(one.deadlines) == [quick]
    assert theirs.recv(1) == b""
    slow = SimpleNamespace(headers=[("CONTENT-LENGTH", "5000000")])
    odd = SimpleNamespace(headers=[("CONTENT-LENGTH", "9" * 40)])
    assert (worker._length(slow), worker._length(odd)) == (5_000_000.0, 0.0)


@pytest.mark.parametrize(
    ("path", "length", "status"),
    [("/sign-in/", 50 << 20, 413), ("/data/restore/", 2 << 30, 413), ("/sign-in/", "9" * 20, 413)],
)
def test_too_much_is_refused_before_it_is_read(client, db, path, length, status):
    answer = client.generic("POST", path, b"", CONTENT_LENGTH=str(length))
    assert answer.status_code == status


def test_an_address_has_so_many_tries_whatever_names_it_tries(client, user):
    guessing.forget("192.0.2.77")
    tried = [
        client.post("/sign-in/", {"username": f"n{i}", "password": "x"}, REMOTE_ADDR="192.0.2.77")
        for i in range(guessing.TRIES + 1)
    ]
    assert [one.status_code for one in tried] == [200] * guessing.TRIES + [429]
    good = {"username": "sorrel", "password": "long-grass-7"}
    assert client.post("/sign-in/", good, REMOTE_ADDR="192.0.2.78").status_code == 302
    assert guessing.may_try("192.0.2.77", time.monotonic() + guessing.SECONDS)


def test_a_password_kept_as_before_opens_and_is_kept_anew(client, user, settings):
    settings.PASSWORD_HASHERS = PASSWORD_HASHERS
    user.password = PBKDF2PasswordHasher().encode("long-grass-7", "as-it-was", 1000)
    user.save()
    good = {"username": "sorrel", "password": "long-grass-7"}
    assert client.post("/sign-in/", good).status_code == 302
    user.refresh_from_db()
    assert user.password.startswith("argon2$argon2id$v=19$m=19456,t=2,p=1$")
    assert user.check_password("long-grass-7")
