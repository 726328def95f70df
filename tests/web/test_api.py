"""What programs may ask and change: by a token, within a role, and never a page at 500."""

import json
import re
import runpy

import pytest
import schemathesis
from django.core.signals import request_finished, request_started
from django.core.wsgi import get_wsgi_application
from django.db import close_old_connections
from django.test import Client
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    response_schema_conformance,
    status_code_conformance,
)

from kentrobar.accounts.models import Role
from kentrobar.api.urls import described
from kentrobar.core.io.plans import dump_plan
from kentrobar.core.io.schemas import inlined
from kentrobar.frames.models import Frame, Reading
from kentrobar.plans.models import Plan
from kentrobar.shop.models import Settings
from kentrobar.shop.tokens import Token
from kentrobar.ui.models import Preferences

from .conftest import somebody

ADDRESSES = [
    (path, method.upper()) for path, methods in described()["paths"].items() for method in methods
]
SCALE = {"format": "kentrobar-reading/1", "method": "scale", "readings_g": [316.8, 316.9]}


class Program:
    """Something that speaks to the shop by a token."""

    def __init__(self, user, may="write"):
        row = Token(name=f"{user} {may}", may=may, user=user)
        self.word = row.renew()
        row.save()
        self.row, self.client = row, Client()

    def do(self, method, path, body=None, **headers):
        more = {"headers": {"Authorization": f"Bearer {self.word}"} | headers}
        if body is not None and method != "get":
            more |= {"data": json.dumps(body), "content_type": "application/json"}
        return getattr(self.client, method)("/api" + path, **more)


@pytest.fixture
def program(user):
    return Program(user)


def test_every_address_wants_a_token_that_may(client, db, user, plan):
    """No token, one that was ended, of a bridge, of somebody let go: none gets in; to read is not
    to write; whoever may not change figures cannot by a program."""
    reader, bridge = Program(user, "read"), Program(user, "bridge")
    gone = Program(somebody("gone", Role.BENCH))
    gone.row.user.is_active = False
    gone.row.user.save()
    ended = Program(somebody("ended", Role.BENCH))
    Token.objects.filter(pk=ended.row.pk).update(ended_at="2026-01-01T00:00Z")
    looker = Program(somebody("looks", Role.GUEST))
    for path, method in ADDRESSES:
        path = path.removeprefix("/api").replace("{key}", str(plan.pk))
        client.force_login(user)  # a session is no token
        answer = client.generic(method, "/api" + path)
        assert (answer.status_code, answer["WWW-Authenticate"]) == (401, "Bearer"), path
        for one in (bridge, gone, ended):
            assert one.do(method.lower(), path, {}).status_code == 401, path
        is_computation = path in ("/predictions", "/measurements")
        for one in (reader, looker):
            status = one.do(method.lower(), path, _body(path, method)).status_code
            assert (status == 403) == (method != "GET" and not is_computation), (path, status)


def _body(path, method):
    """Enough to be understood."""
    outline = {"kind": "racket"}
    if path.endswith("/readings"):
        return {"document": SCALE, "condition": "strung"}
    if path.endswith("/pieces"):
        return {"version": 1, "pieces": []}
    if path.endswith("/plans"):
        return {"name": "x", "document": {}}
    return {"model": "x", "outline": outline} if method == "POST" else {"version": "x"}


def test_a_frame_is_made_read_planned_and_predicted(program, racket, user):
    outline = program.do("get", f"/frames/{racket.pk}").json()["outline"]
    asked = {"model": "Fulmar 100", "player": "Wenna Tarrow", "outline": outline}
    made = program.do("post", "/frames", asked, **{"Idempotency-Key": "one"})
    again = program.do("post", "/frames", asked, **{"Idempotency-Key": "one"})
    assert (made.status_code, again.status_code) == (201, 200)
    assert made.json()["id"] == again.json()["id"]
    other = program.do("post", "/frames", asked | {"model": "F"}, **{"Idempotency-Key": "one"})
    assert other.status_code == 409
    frame = Frame.objects.get(model="Fulmar 100")
    assert (str(frame.player), frame.outline()) == ("Wenna Tarrow", racket.outline())
    there = f"/frames/{frame.pk}"

    kept = program.do("post", f"{there}/readings", {"document": SCALE, "condition": "strung"})
    assert kept.status_code == 201
    reading = Reading.objects.get(frame=frame)
    assert (reading.value, reading.read_by) == (pytest.approx(316.85), user)
    assert kept.json()[0]["u"] == pytest.approx(reading.u)
    assert program.do("get", there).json()["figures"]["strung"]["mass_g"]["value"] == reading.value

    document = dump_plan(plan_of(racket))
    plan = program.do("post", f"{there}/plans", {"name": "by a program", "document": document})
    assert plan.status_code == 201
    key = plan.json()["id"]
    strip = {"kind": "strip", "mass_g": 2, "clock": 3, "length_mm": 80, "line": "face",
             "mirror": True}  # fmt: skip
    put = program.do("put", f"/plans/{key}/pieces", {"version": 1, "pieces": [strip]})
    assert (put.status_code, put.json()["version"]) == (200, 2)
    assert (
        program.do("put", f"/plans/{key}/pieces", {"version": 1, "pieces": []}).status_code == 409
    )
    predicted = program.do("get", f"/plans/{key}/prediction").json()
    assert predicted["after"]["mass_g"]["value"] == pytest.approx(318.8)
    assert predicted == program.do("post", "/predictions", put.json()["document"]).json()
    assert Plan.objects.get(pk=key).steps.count() == 2


def test_a_document_speaks_of_grams_whatever_its_reader_sees_on_pages(program, racket, user):
    Preferences.objects.create(user=user, mass="oz", length="in")
    program.client.force_login(user)
    putty = {"kind": "plug", "mass_g": 5, "from_mm": 10, "to_mm": 30}
    asked = dump_plan(plan_of(racket)) | {"pieces": [putty]}
    Settings.objects.update_or_create(pk=1, defaults={"decimals": "comma"})
    answer = json.dumps(program.do("post", "/predictions", asked).json(), ensure_ascii=False)
    assert "Piece 1: 5 g at the hand" in answer
    assert re.search(r"gives [+−]\d+\.\d\d kg·cm²", answer), answer


def plan_of(racket):
    from kentrobar.core.frame.predict import LadenFrame

    figures = next(one for one in racket.figures() if one.is_complete)
    return LadenFrame(frame=racket.outline(), measured=figures.measured())


def test_a_change_of_a_frame_is_refused_where_somebody_else_was_first(program, racket):
    there = f"/frames/{racket.pk}"
    version = program.do("get", there).json()["version"]
    changed = program.do("patch", there, {"version": version, "note": "softer"})
    assert changed.json()["note"] == "softer"
    assert program.do("patch", there, {"version": version, "note": "harder"}).status_code == 409
    racket.refresh_from_db()
    assert racket.note == "softer"


@pytest.mark.parametrize(
    ("document", "confirmed", "status"),
    [
        (SCALE | {"readings_g": [390, 390.2]}, False, 409),
        (SCALE | {"readings_g": [390, 390.2]}, True, 201),
        (SCALE | {"readings_g": [39000]}, True, 422),
        (SCALE | {"readings_g": []}, False, 422),
        (SCALE | {"method": "guess"}, False, 422),
    ],
)
def test_an_unlikely_reading_is_confirmed_or_refused(program, racket, document, confirmed, status):
    before = Reading.objects.count()
    asked = {"document": document, "condition": "as-played", "confirmed": confirmed}
    answer = program.do("post", f"/frames/{racket.pk}/readings", asked)
    assert answer.status_code == status
    assert (Reading.objects.count() > before) == (status == 201)
    if status != 201:
        assert answer.json()["why"]


@pytest.mark.parametrize(
    ("sent", "status"),
    [
        (b"{", 400), (b'{"model": "a", "model": "b"}', 400), (b'{"model": NaN}', 400),
        (b'{"model": "a"}', 422), (b"[" * 5000, 400), (b'{"model": "' + b"x" * 1_100_000, 413),
        (b'{"model": "a", "outline": {"kind": "racket", "length_mm": 1e400}}', 400),
        (b"\xff\xfe", 400), (b'{"model": "a\\u0000", "outline": {}}', 422),
    ],
)  # fmt: skip
def test_what_is_no_document_is_refused_in_a_line(program, sent, status):
    answer = program.client.post(
        "/api/frames", sent, "application/json",
        headers={"Authorization": f"Bearer {program.word}"},
    )  # fmt: skip
    assert answer.status_code == status, answer.content
    assert answer.json()["why"]


@pytest.mark.filterwarnings("ignore:.*found in sys.modules")
def test_no_schema_is_made_before_somebody_asks(monkeypatch):
    """A second of every server's start."""
    monkeypatch.setattr("kentrobar.core.io.schemas.TypeAdapter", None)
    inlined.cache_clear()
    assert "PlanDocument" in runpy.run_module("kentrobar.api.shapes")


def test_schemas_and_description_are_there_without_a_token(client, db):
    listed = client.get("/schema/").json()
    assert client.get(listed["kentrobar-plan/1"]).json()["$id"] == "kentrobar-plan/1"
    assert client.get("/schema/nothing.json").status_code == 404
    assert client.get("/api/openapi.json").json()["paths"]["/api/frames"]


def test_programs_get_their_tokens_from_the_owner_and_lose_them(bench, user):
    made = bench.post("/programs/make/", {"name": "till: 1", "may": "read"})
    word = made.context["told"]
    assert word not in Token.objects.get().digest
    assert bench.post("/programs/make/", {"name": "till  1", "may": "read"}).status_code == 422
    asked = {"headers": {"Authorization": f"Bearer {word}"}}
    assert Client().get("/api/frames", **asked).status_code == 200
    assert word not in bench.get("/programs/").content.decode()
    bench.post(f"/programs/{Token.objects.get().pk}/end/")
    assert Client().get("/api/frames", **asked).status_code == 401


# --- fuzzed --------------------------------------------------------------------------------------


@pytest.fixture
def fuzzed(program, plan):
    """The whole of it, with a frame and a plan to be found."""
    raw = described()
    for signal in (request_started, request_finished):
        signal.disconnect(close_old_connections)  # a test has one, for all of it
    schema = schemathesis.openapi.from_dict(raw)
    schema.app = get_wsgi_application()
    yield schema
    for signal in (request_started, request_finished):
        signal.connect(close_old_connections)


CHECKS = [not_a_server_error, response_schema_conformance, status_code_conformance]


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize(("path", "method"), ADDRESSES)
def test_no_request_that_can_be_made_up_breaks_it(fuzzed, program, plan, path, method):
    operation = fuzzed[path][method]
    there = {"plans": plan.pk, "frames": plan.frame_id, "readings": Reading.objects.first().pk}
    met = set()

    @settings(
        max_examples=40, deadline=None, suppress_health_check=list(HealthCheck), database=None,
        derandomize=True,
    )  # fmt: skip
    @given(case=operation.as_strategy())
    def fuzz(case):
        if (case.path_parameters or {}).get("key", 0) % 2:
            case.path_parameters["key"] = there[path.split("/")[2]]
        headers = {"Authorization": f"Bearer {program.word}", "Accept-Encoding": "identity"}
        answer = case.call(headers=headers)
        case.validate_response(answer, checks=CHECKS)
        met.add(answer.status_code)

    fuzz()
    assert method != "GET" or 200 in met
