"""nginx before the application: who sends slowly holds nobody up, what is large is asked for before
it is read, and only the names of this Kentrobar are answered."""

import contextlib
import http.client
import json
import socket
import ssl
import subprocess
import time
import urllib.error
import urllib.request
from types import SimpleNamespace

import pytest
from django.conf import settings as ours
from django.test import Client

from kentrobar.accounts.models import Role
from kentrobar.site import bodies as bodies_of
from ops import front, services
from ops.certificates import Certificates
from ops.ports import is_free
from tests.working import surroundings

from .conftest import somebody

pytestmark = pytest.mark.django_db(transaction=True)
LARGE = 70_000


def free_port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@pytest.fixture
def served(transactional_db, tmp_path, monkeypatch):
    """nginx and the application on the test's own database."""
    with started_in(tmp_path, monkeypatch) as one:
        yield one


@contextlib.contextmanager
def started_in(tmp_path, monkeypatch, **environment):
    monkeypatch.setattr(front, "LOCAL", tmp_path)
    one = front.Front(f"127.0.0.1:{free_port()}")
    started = one.services()
    one.application.environment |= surroundings(
        KENTROBAR_DEBUG="1",
        KENTROBAR_METRICS="1",
        KENTROBAR_SECRET_KEY=ours.SECRET_KEY,
        **environment,
    )
    with services.Watch(started, None).running():
        services.wait_for(started, f"http://{one.listen}/")
        yield one


def connected(served, *lines, port=None):
    at = port or int(served.listen.rpartition(":")[2])
    line = socket.create_connection(("127.0.0.1", at), timeout=20)
    line.sendall("\r\n".join(lines).encode())
    return line


def asked(served, method, path, body=None, **headers):
    there = http.client.HTTPConnection(served.listen, timeout=20)
    known = {"Host": "127.0.0.1", **headers}
    there.request(method, path, body, known, encode_chunked="Transfer-Encoding" in known)
    answer = there.getresponse()
    return answer.status, answer.headers, answer.read().decode()


def bodies(served):
    return [path for path in (served.home / "body").iterdir() if path.stat().st_size]


PATIENCE_S = 5.0
"""nginx waits so long at least for who is slow: whoever stood behind them would as well."""


def test_strangers_who_send_slowly_hold_nobody_up(served, user):
    assert asked(served, "GET", "/sign-in/")[0] == 200
    held = [
        connected(served, "POST /data/restore/ HTTP/1.1", "Host: 127.0.0.1",
                  "Content-Length: 1000000000", "", "x")
        for _ in range(40)
    ] + [
        connected(served, "POST /sign-in/ HTTP/1.1", "Host: 127.0.0.1",
                  "Content-Length: 60000", "", "x")
        for _ in range(40)
    ] + [connected(served, "GET / HTTP/1.1", "X-A: ") for _ in range(50)]  # fmt: skip
    for _ in range(5):
        started = time.monotonic()
        assert asked(served, "GET", "/sign-in/")[0] == 200
        assert time.monotonic() - started < PATIENCE_S
    assert bodies(served) == []
    for one in held:
        one.close()


def test_what_is_large_is_asked_for_before_it_is_read(served, bench, racket):
    body = b"x" * LARGE
    # A stranger's, with a length and in chunks: led to the sign-in page, and a script as well.
    page = f"http://{served.listen}/data/?kept=1"
    led = asked(served, "POST", "/data/", body, Host=served.listen, Referer=page)[1]["Location"]
    assert led.endswith("/sign-in/?next=%2Fdata%2F%3Fkept%3D1"), "and back to where it was written"
    chunked = asked(served, "POST", "/data/", iter([body]), **{"Transfer-Encoding": "chunked"})
    assert chunked[1]["Location"].endswith("/sign-in/?next=%2F")
    script = asked(served, "POST", "/data/", body, **{"HX-Request": "true"})
    assert (script[0], script[1]["HX-Redirect"]) == (200, "/sign-in/?next=%2F")
    cookie = {"Cookie": f"{ours.SESSION_COOKIE_NAME}={bench.session.session_key}"}
    # What may come gets as far as the check of its form; more than may come is refused by words.
    assert asked(served, "POST", f"/frames/{racket.pk}/edit/", body, **cookie)[0] == 403
    for path, megabytes in (("/sign-in/", 41), ("/data/restore/", 1025), ("/settings/", 41)):
        line = connected(
            served,
            f"POST {path} HTTP/1.1",
            "Host: 127.0.0.1",
            f"Cookie: {cookie['Cookie']}",
            f"Content-Length: {megabytes << 20}",
            "",
            "x",
        )
        answer = line.recv(65536).decode()
        line.close()
        assert answer.startswith("HTTP/1.1 413"), (path, answer[:80])
        assert "MB can be sent here" in answer
    assert bodies(served) == []


def test_one_persons_slow_uploads_leave_room_for_others(served, bench):
    cookie = f"Cookie: {ours.SESSION_COOKIE_NAME}={bench.session.session_key}"
    held = [
        connected(served, "POST /data/restore/ HTTP/1.1", "Host: 127.0.0.1", cookie,
                  "Content-Length: 1000000000", "", "x" * LARGE)
        for _ in range(5)
    ]  # fmt: skip
    until = time.monotonic() + 10
    while len(bodies(served)) < 3 and time.monotonic() < until:
        time.sleep(0.05)
    time.sleep(0.3)
    assert len(bodies(served)) == 3
    for one in held:
        one.close()


def test_it_answers_to_its_own_names_only(served):
    status, _, text = asked(served, "GET", "/", Host="192.168.7.20")
    assert (status, "does not answer at this host name" in text) == (400, True)
    status, _, text = asked(served, "GET", "/health/", Host="192.168.7.20")
    assert (status, json.loads(text)["database"]) == (200, "ok")


def test_nobody_writes_who_they_are_or_the_id_of_their_request(served, user):
    sent = {"X-Request-ID": "mine-in-the-log", "X-Forwarded-For": "192.0.2.7"}
    given = asked(served, "GET", "/sign-in/", **sent)[1]["X-Request-ID"]
    assert given != "mine-in-the-log"
    # Figures for a collector are for this machine alone: it is still seen as this machine.
    assert asked(served, "GET", "/metrics/", **sent)[0] == 200
    assert asked(served, "GET", "/may-send/")[0] == 404, "nginx's own question"


def test_behind_a_proxy_of_the_owners_it_is_believed(monkeypatch, tmp_path):
    monkeypatch.setenv("KENTROBAR_PROXY", "1")
    monkeypatch.setenv("KENTROBAR_HOSTS", "bench.example.com")
    monkeypatch.setattr(front, "LOCAL", tmp_path)
    one = front.Front("127.0.0.1:8000")
    one.write()
    text = (one.home / "nginx.conf").read_text()
    assert "real_ip_header X-Forwarded-For" in text
    assert '"bench.example.com"' in text
    checked = [
        front.NGINX,
        "-t",
        "-p",
        f"{one.home}/",
        "-e",
        "stderr",
        "-c",
        one.home / "nginx.conf",
    ]
    assert subprocess.run(checked, capture_output=True, check=False).returncode == 0


def test_behind_a_proxy_that_ends_tls_it_starts_and_leads_to_https(user, tmp_path, monkeypatch):
    """As docs/running.md says: the start is not waited for at a page that leads elsewhere."""
    monkeypatch.setenv("KENTROBAR_PROXY", "1")
    with started_in(tmp_path, monkeypatch, KENTROBAR_HTTPS="1") as one:
        assert asked(one, "GET", "/sign-in/")[1]["Location"].startswith("https://")
        assert asked(one, "GET", "/sign-in/", **{"X-Forwarded-Proto": "https"})[0] == 200


def test_phones_come_in_over_https_with_secure_cookies(served, user, tmp_path):
    files = Certificates(tmp_path / "tls")
    files.ready_for(["127.0.0.1"])
    port = free_port()
    served.let_phones_in(port, ["127.0.0.1"], files)
    until = time.monotonic() + 20
    while is_free(port) and time.monotonic() < until:
        time.sleep(0.05)
    theirs = ssl.create_default_context(cafile=str(files.authority))
    with urllib.request.urlopen(f"https://127.0.0.1:{port}/sign-in/", context=theirs) as answer:
        cookies = answer.headers.get_all("Set-Cookie")
    assert cookies
    assert all("; secure" in one.lower() for one in cookies)
    with (
        contextlib.suppress(urllib.error.URLError),
        urllib.request.urlopen(f"http://127.0.0.1:{port}/sign-in/", context=theirs) as answer,
    ):
        assert answer.url.startswith("https://"), "plain words to that port are led on"
    served.shut_phones_out()
    until = time.monotonic() + 20
    while not is_free(port):
        assert time.monotonic() < until, "the door is shut"
        time.sleep(0.05)


def test_while_the_application_is_away_a_page_says_so(served):
    served.application.stop()
    status, headers, text = asked(served, "GET", "/")
    assert (status, headers["Refresh"], "is starting" in text) == (503, "5", True)


def test_as_many_as_may_be_under_way_are_taken_and_no_more(client, user, rf, settings, tmp_path):
    """Each of them is asked for before it comes, and not counted against itself when it has."""
    settings.BODIES = str(tmp_path)
    client.force_login(user)
    asks = {"X-Send-Path": "/data/restore/", "X-Send-Length": "90000"}
    for number in range(bodies_of.AT_ONCE):
        assert client.get("/may-send/", headers=asks).status_code == 204
        (tmp_path / str(number)).touch()
    answer = client.get("/may-send/", headers=asks)
    assert (answer.status_code, answer["X-Refused-With"]) == (403, "503")
    came = client.generic("POST", "/data/restore/", b"x" * 90_000)
    assert came.status_code != 503
    settings.BODIES = str(tmp_path / "none")
    guest = somebody("ivo", Role.GUEST)
    client.force_login(guest)
    assert client.get("/may-send/", headers=asks)["X-Refused-With"] == "403"
    assert Client().get("/may-send/", headers=asks).status_code == 401


def test_a_disk_that_is_nearly_full_takes_nothing_large(
    client, user, settings, tmp_path, monkeypatch
):
    settings.BODIES = str(tmp_path)
    client.force_login(user)
    usage = SimpleNamespace(free=bodies_of.SPARE + 100_000)
    monkeypatch.setattr(bodies_of.shutil, "disk_usage", lambda _: usage)
    asks = {"X-Send-Path": "/data/restore/", "X-Send-Length": "90000"}
    assert client.get("/may-send/", headers=asks)["X-Refused-With"] == "507"
    usage.free *= 2
    assert client.get("/may-send/", headers=asks).status_code == 204


@pytest.mark.parametrize("length", ["70000", "9" * 20, "x"])
def test_without_nginx_what_is_large_is_not_read_either(db, length):
    answer = Client().generic("POST", "/data/", b"", CONTENT_LENGTH=length)
    assert answer.status_code == (401 if length == "70000" else 413)
