"""Live figures as one stream, and instruments that hang on another machine."""

import http.client
import json
import threading
import time
from unittest.mock import Mock
from urllib.parse import urlsplit

import psycopg
import pytest
from django.db import connection

from kentrobar.accounts.models import Role
from kentrobar.devices import bridged, stream
from kentrobar.devices.bridge import Bridge
from kentrobar.devices.lines import LineState
from kentrobar.devices.models import Line
from kentrobar.devices.reader import wiring, write_down
from kentrobar.measuring.models import Instrument
from kentrobar.shop.tokens import Token
from tests.pages import said
from tests.simulated import Bench, until

from .conftest import somebody


def scale_on(port, name="Skerrow scale"):
    return Instrument.objects.create(
        name=name, kind="scale", resolution=0.1, drift_band=0.3, port=port
    )


@pytest.fixture
def owner(transactional_db):
    return somebody("sorrel", Role.OWNER)


# --- one stream ----------------------------------------------------------------------------------


class Listening:
    """A page that listens."""

    def __init__(self, server, client, of):
        at = urlsplit(server.url)
        self.line = http.client.HTTPConnection(at.hostname, at.port, timeout=10)
        cookie = "; ".join(f"{name}={one.value}" for name, one in client.cookies.items())
        self.line.request("GET", f"/live/stream/?of={of}", headers={"Cookie": cookie})
        self.answer = self.line.getresponse()

    def event(self):
        while True:
            text = self.answer.fp.readline().decode().strip()
            if text.startswith("data: "):
                return json.loads(text.removeprefix("data: "))

    def close(self):
        self.answer.close()
        self.line.close()


def test_a_page_is_told_when_there_is_news_and_does_not_ask(live_server, client, owner, settings):
    settings.LINES = ["socket://127.0.0.1:9"]
    client.force_login(owner)
    scale = scale_on("socket://127.0.0.1:9")
    Line.objects.create(instrument=scale)
    page = Listening(live_server, client, f"{scale.pk},999,x")
    assert page.answer.headers["Content-Type"] == "text/event-stream"
    page.event()
    for value in (316.8, 317.2):
        write_down(wiring(scale), LineState("live", "", value, True, heard=time.time()))
        told = page.event()
        assert told["line"] == scale.pk
        assert str(value) in told["html"]
    page.close()


def test_where_the_database_goes_a_stream_ends_and_the_page_asks_again(rf, db, monkeypatch):
    def gone(keys):
        raise psycopg.OperationalError("server closed the connection unexpectedly")

    monkeypatch.setattr(stream, "_heard", gone)
    assert list(stream._events(rf.get("/live/stream/"), [])) == ["retry: 500\n\n", ": \n\n"]


def test_more_than_a_server_bears_are_refused_and_ask_instead(
    live_server, client, owner, settings, monkeypatch
):
    settings.LINES = ["socket://127.0.0.1:9"]
    monkeypatch.setattr(stream, "_free", threading.BoundedSemaphore(1))
    monkeypatch.setattr(stream, "QUIET_S", 0.2)
    client.force_login(owner)
    scale = scale_on("socket://127.0.0.1:9")
    first = Listening(live_server, client, scale.pk)
    assert Listening(live_server, client, scale.pk).answer.status == 429
    assert client.get("/live/stream/?of=12345").status_code == 404
    first.close()
    # Whoever left gives the place back.
    assert until(lambda: Listening(live_server, client, scale.pk).answer.status == 200, 5)


# --- a bridge ------------------------------------------------------------------------------------


@pytest.fixture
def token(owner):
    row = Token(name="back room", may="bridge", user=owner)
    word = row.renew()
    row.save()
    return word


def test_an_instrument_on_another_machine_is_read_and_set_to_zero(live_server, client, token):
    client.force_login(Token.objects.get().user)
    played = Bench()
    line = f"socket://127.0.0.1:{played.port + 1}"
    said_there = []
    bridge = Bridge(live_server.url, token, [line], say=said_there.append)
    stop = threading.Event()
    at_work = threading.Thread(target=bridge.run, args=(stop,))
    at_work.start()
    try:
        page = "/instruments/new/"
        offered = f"bridge:back room:{line}"
        assert until(lambda: offered in client.get(page).content.decode()), said_there
        scale = scale_on(offered)

        def shown():
            return said(client.get(f"/live/{scale.pk}/"))

        assert until(lambda: "at rest" in shown()), shown()
        heard = Line.objects.get(instrument=scale).value
        client.post(f"/live/{scale.pk}/tare/")
        assert until(lambda: Line.objects.get(instrument=scale).value == 0), heard
    finally:
        stop.set()
        at_work.join(10)
        played.close()
    assert not at_work.is_alive()
    with connection.cursor() as cursor:
        cursor.execute("update devices_line set beat_at = now() - interval '1 minute'")
    assert "start kentrobar bridge" in shown()


@pytest.mark.parametrize(
    ("sent", "status"),
    [
        (b"{}", 400), (b"[]", 400), (b"\xff", 400), (b'{"ports": [], "news": [{}]}', 400),
        (b'{"ports": [], "news": []}', 200), (b"[" * 100_000, 400),
        (b'{"ports": ["/etc/passwd", "/dev/ttyUSB0"], "news": []}', 200),
    ],
)  # fmt: skip
def test_what_a_bridge_may_not_say_is_refused(client, token, sent, status):
    def post(word):
        return client.post(
            "/bridge/", sent, "application/json", headers={"Authorization": f"Bearer {word}"}
        )

    assert post("kb_wrong").status_code == 401
    assert post(token).status_code == status
    if b"passwd" in sent:
        assert Token.objects.get().bridge.ports == ["/dev/ttyUSB0"]


def test_a_bridge_tells_of_its_own_instruments_only(client, token):
    mine, other = scale_on("bridge:back room:/dev/ttyUSB0"), scale_on("/dev/ttyUSB0", "near")
    news = [
        {"key": one.pk, "state": "live", "word": "", "value": 5.5,
         "is_stable": True, "text": "5.5 g", "passes": [], "heard_s_ago": 0.1}
        for one in (mine, other)
    ]  # fmt: skip

    def tell(news):
        sent = json.dumps({"ports": ["/dev/ttyUSB0"], "news": news})
        headers = {"Authorization": f"Bearer {token}"}
        return client.post("/bridge/", sent, "application/json", headers=headers)

    answer = tell(news).json()
    assert [one["port"] for one in answer["instruments"]] == ["/dev/ttyUSB0"]
    assert dict(Line.objects.values_list("instrument_id", "value")) == {mine.pk: 5.5}
    assert tell([news[0] | {"value": 1e300}]).status_code == 400
    assert tell([news[0] | {"passes": ["x"]}]).status_code == 400


def test_a_bridge_opens_nothing_but_its_own_lines():
    bridge = Bridge("http://127.0.0.1:9", "kb_x", ["socket://127.0.0.1:7001"])
    assert bridge._may_open("socket://127.0.0.1:7001")
    assert bridge._may_open("/dev/ttyUSB0")
    assert not bridge._may_open("/etc/passwd")
    assert not bridge._may_open("spy:///dev/ttyUSB0?file=/tmp/x")


def test_news_that_are_old_or_odd_do_not_stop_a_bridge(client, token):
    """Refused, they would be sent again for ever."""
    scale = scale_on("bridge:back room:/dev/ttyUSB0")
    news = {
        "key": scale.pk, "state": "mute", "word": "silent\0", "value": 5.5, "is_stable": False,
        "text": "\0", "passes": [], "heard_s_ago": 90_000.0,
    }  # fmt: skip
    answer = client.post(
        "/bridge/", json.dumps({"ports": ["/dev/ttyUSB0", "a://\0"], "news": [news]}),
        "application/json", headers={"Authorization": f"Bearer {token}"},
    )  # fmt: skip
    assert answer.status_code == 200
    assert Line.objects.get(instrument=scale).word == "silent"


def test_an_order_comes_again_until_it_is_known_to_have_come_and_not_a_minute_later(
    client, token, monkeypatch
):
    scale = scale_on("bridge:back room:/dev/ttyUSB0")

    def tell(**more):
        sent = json.dumps({"ports": [], "news": []} | more)
        headers = {"Authorization": f"Bearer {token}"}
        return client.post("/bridge/", sent, "application/json", headers=headers).json()["orders"]

    tell()
    bridged.order(scale, "T")
    bridged.order(scale, "Z")
    # The first answer was lost on the way.
    tell()
    first, second = tell()
    assert (first[:2], second[:2]) == ([scale.pk, "T"], [scale.pk, "Z"])
    assert tell(done=first[2]) == [second]
    assert tell(done=second[2]) == []
    bridged.order(scale, "T")
    monkeypatch.setattr(bridged, "_now_ms", lambda: int(time.time() * 1000) + 61_000)
    assert tell() == []


def test_a_bridge_follows_an_order_once_however_often_it_is_told(monkeypatch):
    bridge = Bridge("http://127.0.0.1:9", "kb_x")
    watch = bridge.watches[3] = Mock()
    monkeypatch.setattr(bridge, "_follow", lambda wanted: None)
    sent = []
    answer = {"instruments": [], "orders": [[3, "T", 17]]}
    monkeypatch.setattr(bridge, "_post", lambda told: sent.append(told["done"]) or answer)
    bridge.tell()
    bridge.tell()
    assert watch.orders.put.call_count == 1
    assert sent == [0, 17]
