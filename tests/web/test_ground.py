"""The ground: sign-in, units, headers, the deploy check, the demo data, the private cluster."""

import os
import re
import subprocess
import sys

import pytest
from django.core.management import call_command
from django.db import connection
from django.urls import get_resolver

from kentrobar.core.frame.predict import predict
from kentrobar.core.measure.registry import METHODS
from kentrobar.core.numbers import nominal
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.demo import workshop as demo
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from kentrobar.site import settings as ours
from kentrobar.site.access import BY_TOKEN, PUBLIC
from kentrobar.ui.models import Preferences
from kentrobar.ui.words import words
from kentrobar.workshop.models import JobStep
from ops import ROOT
from tests import emptied
from tests.pages import said


def test_every_page_needs_sign_in(client, db):
    for pattern in _patterns(get_resolver()):
        if pattern.name in PUBLIC:
            continue
        path = "/" + str(pattern.pattern).replace("<int:pk>", "1").replace(
            "<int:frame_pk>", "1"
        ).replace("<str:name>", "slide")
        for ask in (client.get, client.post):
            answer = ask(path)
            assert answer.status_code == 302, path
            assert answer.url.startswith("/sign-in/"), path


def test_a_script_asking_after_the_session_ended_is_sent_to_sign_in(client, plan):
    page = f"http://localhost/plans/{plan.pk}/"
    asked = {"HX-Request": "true", "HX-Current-URL": page, "Host": "localhost"}
    answer = client.post(f"/plans/{plan.pk}/edit/put/", {"what": "tape"}, headers=asked)
    assert answer.content == b""
    assert answer["HX-Redirect"] == f"/sign-in/?next=%2Fplans%2F{plan.pk}%2F"


def _patterns(resolver):
    for entry in resolver.url_patterns:
        if getattr(entry, "namespace", None) == BY_TOKEN:
            continue  # a token lets in, not a session: test_api
        yield from _patterns(entry) if hasattr(entry, "url_patterns") else [entry]


def test_sign_in_and_wrong_passwords(client, user):
    page = client.post("/sign-in/", {"username": "sorrel", "password": "wrong"})
    assert "do not match" in page.content.decode()
    assert 'value="sorrel"' in page.content.decode()
    good = {"username": "sorrel", "password": "long-grass-7"}
    assert client.post("/sign-in/", good).status_code == 302
    client.logout()
    for _ in range(10):
        client.post("/sign-in/", {"username": "sorrel", "password": "wrong"})
    slowed = client.post("/sign-in/", good)
    assert slowed.status_code == 429
    assert "Try again in" in slowed.content.decode()


def test_who_is_no_longer_active_is_signed_out(bench, user):
    assert bench.get("/").status_code == 200
    user.is_active = False
    user.save()
    assert bench.get("/").status_code == 302


def test_forms_are_csrf_safe_and_no_inline_script_is_allowed(user, plan):
    from django.test import Client

    strict = Client(enforce_csrf_checks=True)
    strict.force_login(user)
    assert strict.post(f"/plans/{plan.pk}/edit/put/", {"what": "tape"}).status_code == 403
    answer = strict.get(f"/plans/{plan.pk}/")
    policy = answer["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "unsafe" not in policy
    page = answer.content.decode()
    # Every script has its own file, no element a style or a handler of its own.
    assert re.search(r"<script", page)
    assert not re.search(r"<script(?![^>]*\ssrc=)", page)
    assert not re.search(r"<[^>]*\s(style|on\w+)=", page)


def test_units_and_axis_are_one_click_and_remembered(bench, plan):
    bench.post("/units/", {"mass": "oz", "next": f"/plans/{plan.pk}/"})
    bench.post("/units/", {"length": "in"})
    answer = bench.post(
        "/units/", {"axis": "4 in", "kind": "racket", "next": f"/plans/{plan.pk}/"}, follow=True
    )
    page = answer.content.decode()
    assert "11.17" in page
    assert "12.74" in page
    assert "about 101.6 mm" in page
    bench.post("/units/", {"balance": "pt"})
    assert "6.1" in {vial.value for vial in bench.get(f"/plans/{plan.pk}/").context["board"].vials}


@pytest.mark.parametrize(
    "posted", [{"axis": "wide", "kind": "racket"}, {"axis": "900", "kind": "racket"}]
)
def test_an_axis_that_cannot_be_says_so(bench, posted):
    assert "message-error" in bench.post("/units/", posted, follow=True).content.decode()


def test_units_lead_back_only_to_this_site(bench):
    assert bench.post("/units/", {"mass": "g", "next": "https://elsewhere.example.com/"}).url == "/"


def test_nothing_there(bench):
    assert "Not found" in bench.get("/plans/999/").content.decode()
    assert bench.post("/plans/999/edit/slide/", {"mm": 5}).status_code == 404
    assert bench.post("/plans/999/undo/").status_code == 404


def test_the_deploy_check_passes_over_https():
    env = os.environ | {"KENTROBAR_HTTPS": "1", "KENTROBAR_HOSTS": "bench.example.com"}
    env |= {"KENTROBAR_PROXY": "1"}
    done = subprocess.run(
        [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"],
        cwd=ROOT, env=env, capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr


def test_the_demo_workshop_is_computed_and_its_plans_hold(db, bench):
    from django.contrib.auth import get_user_model

    get_user_model().objects.all().delete()
    call_command("load_demo")
    call_command("load_demo")  # a second time it leaves the workshop alone
    kinds = list(Frame.objects.values_list("kind", flat=True))
    assert kinds.count("racket") >= 5
    assert kinds.count("paddle") >= 3
    assert len({frame.outline() for frame in Frame.objects.all()}) >= 7
    for plan in Plan.objects.all():
        assert nominal(predict(plan.to_plan()).after.recoil) > 0
        assert plan.position == len(plan.state().pieces)
    bench.force_login(get_user_model().objects.get(username=demo.USER))
    for frame in Frame.objects.all():
        assert bench.get(frame.get_absolute_url()).status_code == 200
    for path in ("/", "/plans/", "/frames/new/?kind=paddle", f"/frames/{frame.pk}/edit/"):
        assert bench.get(path).status_code == 200


# --- the private cluster and what a rough life leaves behind ---


def paths_of(frame, plan):
    """Every page there is to look at, of one frame and one plan."""
    keys = {"frames": frame.pk, "plans": plan.pk}
    pages = [
        "",
        "bench/",
        "plans/",
        "sets/",
        "stock/",
        "instruments/",
        "settings/",
        "removed/",
        "data/",
        "jobs/new/",
    ]
    pages += [
        f"frames/{keys['frames']}/{page}"
        for page in ("", "edit/", "parts/", "measure/", "recipes/", "recipes/answer/", "advice/")
    ]
    pages += [
        f"frames/{keys['frames']}/{page}/" for page in ("one-gram", "feel", "history", "set-ups")
    ]
    pages += [f"frames/{keys['frames']}/measure/?method={key}" for key in METHODS]
    pages += [f"plans/{keys['plans']}/{page}" for page in ("", "sheet/", "sheet.pdf", "trial/")]
    return [f"/{page}" for page in pages]


def test_looking_writes_nothing(bench, plan):
    written = []

    def watch(execute, sql, params, many, context):
        # Paper is made by a worker, who finds there what to print.
        beside = ("django_session", '"workshop_paper"')
        is_writing = sql.split()[0] in ("INSERT", "UPDATE", "DELETE")
        if is_writing and not any(table in sql for table in beside):
            written.append(sql[:80])
        return execute(sql, params, many, context)

    with connection.execute_wrapper(watch):
        for path in paths_of(plan.frame, plan):
            assert bench.get(path).status_code == 200, path
    assert written == []


@pytest.mark.parametrize(
    "posted", [{"length": "m"}, {"mass": "kg"}, {"mass": "lb"}, {"balance": "x"}]
)
def test_a_unit_no_page_is_laid_out_for_is_not_taken(bench, plan, posted):
    bench.post("/units/", posted)
    assert bench.get(plan.get_absolute_url()).status_code == 200
    # Nor is one that a page of another version left behind.
    Preferences.objects.create(user_id=bench.session["_auth_user_id"], length="m")
    assert bench.get(plan.get_absolute_url()).status_code == 200


def test_pages_and_search_of_frames_keep_the_condition_they_compare_in(bench, racket):
    for i in range(30):
        other = Frame(model=f"Fulmar {i:02}")
        other.set_outline(racket.outline())
        other.save()
    page = said(bench.get("/?as=strung&kind=racket&q=fulmar"))
    assert 'href="?as=strung&amp;kind=racket&amp;q=fulmar&amp;page=2"' in page
    assert '<input type="hidden" name="as" value="strung">' in page
    assert 'href="?as=strung&amp;q=fulmar"' in page  # all kinds, in the same condition


def test_words_are_explained_by_the_glossary(bench, plan):
    """A vial and a column say what their word means, in the words of docs/words.md."""
    said_of = words()
    assert said_of["on target"] == "within its tolerance."
    assert all(figure.title.lower() in said_of for figure in FIGURES.values())
    for path in ("/", f"/plans/{plan.pk}/"):
        page = bench.get(path).content.decode()
        for figure in READ:
            assert f'title="{said_of[FIGURES[figure].title.lower()]}"' in page


def test_numbers_go_on_after_a_workshop_that_is_filled_in_again(db):
    """Restoring a smaller one sets them back, and no test's end takes that back."""
    numbers = "pg_get_serial_sequence('workshop_jobstep', 'id')"
    with connection.cursor() as cursor:
        emptied.filled(demo.load)
        cursor.execute(f"select setval({numbers}, 1)")
        emptied.filled(demo.load)
        cursor.execute(f"select nextval({numbers})")
        assert cursor.fetchone()[0] > JobStep.objects.latest("pk").pk


def test_what_was_installed_as_a_package_keeps_its_data_with_the_person(monkeypatch, tmp_path):
    monkeypatch.delenv("KENTROBAR_LOCAL", raising=False)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    assert ours._local() == ours.ROOT / ".local", "a clone keeps them beside it"
    monkeypatch.setattr(ours, "ROOT", tmp_path / "site-packages")
    assert ours._local() == tmp_path / "data" / "kentrobar"


@pytest.mark.parametrize(
    ("wished", "sent"),
    [("", "max-age=31536000"), ("subdomains", "max-age=31536000; includeSubDomains"),
     ("subdomains,preload", "max-age=31536000; includeSubDomains; preload")],
)  # fmt: skip
def test_subdomains_are_the_owners_to_bind(wished, sent):
    asks = (
        "import django; django.setup()\nfrom django.test import RequestFactory\n"
        "from django.middleware.security import SecurityMiddleware\n"
        "from django.http import HttpResponse\n"
        "asked = RequestFactory().get('/', secure=True)\n"
        "print(SecurityMiddleware(lambda _: HttpResponse())(asked)['Strict-Transport-Security'])"
    )
    env = os.environ | {
        "KENTROBAR_HTTPS": "1", "KENTROBAR_HSTS": wished, "KENTROBAR_HOSTS": "testserver",
        "DJANGO_SETTINGS_MODULE": "kentrobar.site.settings",
    }  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-c", asks], cwd=ROOT, env=env, capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == sent
