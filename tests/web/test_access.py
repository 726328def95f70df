"""Who may do what, and how people come in: every address for every role, invitations, sessions."""

import itertools
import time

import pyotp
import pytest
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.core.management import call_command
from django.test import Client
from django.urls import get_resolver
from django.utils import timezone

from kentrobar.accounts import doors, guessing, sessions
from kentrobar.accounts.models import (
    INVITATION_LASTS,
    Invitation,
    Member,
    Role,
    SecondStep,
    SignedIn,
)
from kentrobar.measuring.models import Instrument
from kentrobar.shop.models import Settings
from kentrobar.site.access import BY_TOKEN, NEEDS, PUBLIC, may
from kentrobar.stock.models import Material
from tests.pages import faults, said

from .conftest import somebody

PASSWORD = "heron-on-the-quay"


def addresses():
    def walk(patterns, before=""):
        for one in patterns:
            if getattr(one, "namespace", None) == BY_TOKEN:
                continue  # looked at by token, in test_api
            if hasattr(one, "url_patterns"):
                yield from walk(one.url_patterns, before + str(one.pattern))
            else:
                yield one.name, "/" + before + str(one.pattern)

    return list(walk(get_resolver().url_patterns))


def filled(path):
    for part in ("<int:pk>", "<int:frame_pk>"):
        path = path.replace(part, "999999")
    return path.replace("<str:label>", "frames.frame").replace("<str:name>", "slide")


def test_every_address_has_its_row():
    named = {name for name, _ in addresses()}
    assert named == set(NEEDS) | PUBLIC
    assert not set(NEEDS) & PUBLIC


@pytest.mark.parametrize("role", Role)
def test_nobody_gets_further_than_their_role(client, db, role):
    """Every address, looked at and posted to: refused where the table says so, and only there."""
    client.force_login(somebody("sorrel", role))
    for name, path in addresses():
        if name in PUBLIC or name == "sign-out":
            continue
        for method in ("GET", "HEAD", "POST"):
            answer = client.generic(method, filled(path))
            refused = answer.status_code == 403
            assert refused is not may(role, name, method), (name, method, answer.status_code)


@pytest.mark.parametrize(
    ("role", "sees", "does"),
    [
        (Role.GUEST, {"plan", "frame", "jobs", "people"}, {"units", "account-password"}),
        (Role.COUNTER, {"job-new", "plan"}, {"job-new", "job-step", "card-make"}),
        (Role.BENCH, {"job-new", "data-json"}, {"plan-edit", "sheet-sign-off", "frame-delete"}),
        (Role.OWNER, {"settings", "colleagues"}, {"settings", "data-restore", "invite"}),
    ],
)
def test_each_role_does_its_work_and_the_one_below_does_not(role, sees, does):
    assert all(may(role, name) for name in sees)
    assert all(may(role, name, "POST") for name in does)
    order = list(Role)[::-1]
    if role != Role.GUEST:
        below = order[order.index(role) - 1]
        assert not all(may(below, name, "POST") for name in does)


def test_an_account_without_a_role_looks_only_and_is_told(client, db, plan):
    client.force_login(get_user_model().objects.create_user("wren"))
    page = said(client.get(plan.get_absolute_url()))
    assert "Signed in as guest" in page
    put = client.post(
        f"/plans/{plan.pk}/edit/put/", {"what": "tape"}, headers={"HX-Request": "true"}
    )
    assert (put.status_code, "<html" in said(put)) == (403, False)
    plan.refresh_from_db()
    assert plan.content["pieces"] == []
    assert '<a href="/settings/"' not in page, "what is not theirs is not offered"


# --- coming in ---


@pytest.fixture
def local(tmp_path, settings):
    settings.LOCAL = tmp_path
    return tmp_path


def opening(code, **more):
    shelf = Material.live.filter(name__startswith="lead-free")
    return {
        "code": code, "you-first_name": "Una Skua", "you-username": "skua",
        "you-password": PASSWORD, "shop-shop_name": "Bench on the Quay",
        "shop-time_zone": "Pacific/Auckland", "shop-height_m": "0", "shop-paper": "a4",
        "shop-decimals": "comma",
        "shop-usual_mass": "scale-0.1", "shop-materials": [one.pk for one in shelf],
        "shop-phones": "on",
    } | more  # fmt: skip


def test_an_empty_shop_is_opened_once_by_whoever_has_the_code(client, db, local):
    code = doors.make_code(local)
    assert client.get("/", follow=True).redirect_chain[-1][0] == "/welcome/"
    assert client.post("/welcome/", opening("guess")).status_code == 422
    answer = client.post("/welcome/", opening(code, **{"you-password": "12345678"}))
    assert faults(answer) == {"password"}
    assert "Una Skua" in said(answer), "what was typed is kept"
    assert not get_user_model().objects.exists()
    typed = f" {code[:5].upper()}-{code[5:]} "
    assert client.post("/welcome/", opening(typed)).url == "/opened/"
    owner = get_user_model().objects.get()
    assert (owner.username, owner.member.role) == ("skua", Role.OWNER)
    shop = Settings.load()
    assert (shop.shop_name, shop.time_zone) == ("Bench on the Quay", "Pacific/Auckland")
    assert shop.latitude_deg == pytest.approx(-36.9, abs=0.1), "of the zone's town"
    assert {one.name for one in Material.live.all()} == {"lead-free tape, 6 mm"}
    assert Instrument.objects.get().resolution == 0.1
    assert doors.is_open(local)
    # Nobody opens it twice.
    assert not doors.opens(code, local)
    other = Client()
    assert other.post("/welcome/", opening(code, **{"you-username": "gull"})).url == "/sign-in/"
    assert get_user_model().objects.count() == 1


def test_a_colleague_comes_in_by_a_link_that_works_once(bench, local):
    bench.post("/colleagues/invite/", {"note": "Ivo", "role": "counter"})
    token = Invitation.objects.get().token
    new = {"first_name": "Ivo", "username": "ivo", "password": PASSWORD}
    ivo = Client()
    assert faults(ivo.post(f"/join/{token}/", new | {"username": "SORREL"})) == {"username"}
    assert ivo.post(f"/join/{token}/", new).url == "/bench/"
    assert get_user_model().objects.get(username="ivo").member.role == Role.COUNTER
    assert ivo.get("/jobs/new/").status_code == 200
    assert Client().post(f"/join/{token}/", new | {"username": "ivo2"}).status_code == 404
    # Revoked and old ones let nobody in either.
    revoked, old = Invitation.objects.create(), Invitation.objects.create()
    bench.post(f"/colleagues/invitations/{revoked.pk}/revoke/")
    Invitation.objects.filter(pk=old.pk).update(made_at=timezone.now() - INVITATION_LASTS)
    for one in (revoked, old):
        assert Client().get(f"/join/{one.token}/").status_code == 404
    assert Client().get("/join/a%00b/").status_code == 400


def test_the_owner_lets_a_colleague_set_a_new_password(bench, db):
    ivo = somebody("ivo", Role.BENCH)
    away = Client()
    away.force_login(ivo)
    for _ in range(2):
        bench.post(f"/colleagues/{ivo.pk}/reset/", {"once": str(_)})
    first, last = Invitation.objects.order_by("pk").values_list("token", flat=True)
    assert Client().get(f"/join/{first}/").status_code == 404, "the newer link ends the older"
    here = Client()
    assert here.post(f"/join/{last}/", {"password": PASSWORD}).url == "/bench/"
    assert here.get("/bench/").status_code == 200
    assert away.get("/bench/").status_code == 302, "other places are signed out"
    ivo.refresh_from_db()
    assert (ivo.check_password(PASSWORD), ivo.member.role) == (True, Role.BENCH)


def test_one_owner_stays(bench, user):
    assert "One owner must stay" in said(
        bench.post(f"/colleagues/{user.pk}/role/", {"role": "bench"}, follow=True)
    )
    bench.post(f"/colleagues/{user.pk}/let/", {"let": "go"})
    user.refresh_from_db()
    assert (user.is_active, user.member.role) == (True, Role.OWNER)
    other = somebody("ivo", Role.OWNER)
    bench.post(f"/colleagues/{other.pk}/let/", {"let": "go"})
    bench.post(f"/colleagues/{user.pk}/role/", {"role": "bench"})
    assert Member.objects.get(user=user).role == Role.OWNER, "one who was let go is none"


def test_who_is_let_go_is_out_at_once(bench, db):
    ivo = somebody("ivo", Role.BENCH)
    away = Client()
    away.force_login(ivo)
    assert away.get("/bench/").status_code == 200
    bench.post(f"/colleagues/{ivo.pk}/let/", {"let": "go"})
    assert away.get("/bench/").status_code == 302
    assert not SignedIn.objects.filter(user=ivo).exists()
    bench.post(f"/colleagues/{ivo.pk}/let/", {"let": "in"})
    assert Client().post("/sign-in/", {"username": "ivo", "password": "long-grass-7"}).url == "/"


def test_a_password_is_changed_and_other_places_end(signed_in, user):
    elsewhere = [Client(), Client()]
    for one in elsewhere:
        one.force_login(user)
    places = sessions.places_of(user)
    assert len(places) == 3
    theirs = SignedIn.objects.get(session_key=elsewhere[0].session.session_key)
    signed_in.post("/account/end/", {"place": theirs.pk})
    assert [one.get("/bench/").status_code for one in (signed_in, *elsewhere)] == [200, 302, 200]
    wrong = signed_in.post("/account/password/", {"present": "no", "password": PASSWORD})
    assert faults(wrong) == {"present"}
    easy = signed_in.post("/account/password/", {"present": "long-grass-7", "password": "password"})
    assert faults(easy) == {"password"}
    signed_in.post("/account/password/", {"present": "long-grass-7", "password": PASSWORD})
    assert [one.get("/bench/").status_code for one in (signed_in, elsewhere[1])] == [200, 302]
    assert len(sessions.places_of(user)) == 1


def now_shown(user, steps=0):
    secret = SecondStep.objects.get(user=user).secret
    return pyotp.TOTP(secret).at(time.time() + 30 * steps)


def test_a_code_is_asked_after_the_password_where_somebody_wants_it(bench, user):
    page = bench.get("/account/code/")
    assert "<svg" in said(page)
    secret = page.context["secret"].replace(" ", "")
    wrong = bench.post("/account/code/", {"code": "12345"})
    assert wrong.status_code == 422
    assert not SecondStep.objects.exists()
    bench.post("/account/code/", {"code": pyotp.TOTP(secret).at(time.time() - 30)})
    assert SecondStep.objects.get().secret == secret
    other, known = Client(), {"username": "sorrel", "password": "long-grass-7"}
    asked = other.post("/sign-in/?next=/plans/", known | {"next": "/plans/"})
    assert asked.url == "/sign-in/code/"
    assert other.get("/bench/").status_code == 302, "the password alone lets nobody in"
    assert other.get("/sign-in/code/").status_code == 200
    for no in ("", "000000", "½" * 6, "1" * 5000, pyotp.TOTP(secret).at(time.time() - 300)):
        assert other.post("/sign-in/code/", {"code": no}).status_code == 422
    code = now_shown(user)
    assert other.post("/sign-in/code/", {"code": f"{code[:3]} {code[3:]}"}).url == "/plans/"
    assert other.get("/bench/").status_code == 200
    third = Client()
    third.post("/sign-in/", known | {"next": "//elsewhere.example/"})
    assert third.post("/sign-in/code/", {"code": code}).status_code == 422, "no code works twice"
    assert third.post("/sign-in/code/", {"code": now_shown(user, 1)}).url == "/"
    bench.post("/account/code/off/", {"present": "no"})
    assert SecondStep.objects.exists()
    bench.post("/account/code/off/", {"present": "long-grass-7"})
    assert Client().post("/sign-in/", known).url == "/"


def test_codes_are_not_guessed_and_a_lost_phone_locks_nobody_out(bench, user):
    ivo = somebody("ivo", Role.BENCH)
    SecondStep.objects.create(user=ivo, secret=pyotp.random_base32())
    other, known = Client(), {"username": "ivo", "password": "long-grass-7"}
    assert other.get("/sign-in/code/").url == "/sign-in/", "nobody without a password"
    other.post("/sign-in/", known)
    for _ in range(guessing.CODE.most):
        other.post("/sign-in/code/", {"code": "000000"})
    assert other.post("/sign-in/code/", {"code": now_shown(ivo)}).status_code == 429
    bench.post(f"/colleagues/{ivo.pk}/reset/")
    link = f"/join/{Invitation.objects.get(user=ivo).token}/"
    assert Client().post(link, {"password": PASSWORD}).url == "/bench/"
    assert Client().post("/sign-in/", known | {"password": PASSWORD}).url == "/"


def test_nobody_ends_another_persons_session(signed_in, user):
    theirs = SignedIn.objects.get(user=user)
    other = Client()
    other.force_login(somebody("ivo", Role.BENCH))
    other.post("/account/end/", {"place": theirs.pk})
    assert Session.objects.filter(session_key=theirs.session_key).exists()


@pytest.mark.parametrize(
    ("agent", "device"),
    [
        ("Mozilla/5.0 (X11; Linux x86_64) Chrome/120.0 Safari/537.36", "Chrome, Linux"),
        ("Mozilla/5.0 (Android 14; Mobile) Firefox/121.0", "Firefox, Android"),
        ("curl/8", "curl/8"),
    ],
)  # fmt: skip
def test_a_place_is_called_by_browser_and_system(agent, device):
    assert sessions.device(agent) == device


def test_roles_are_told_apart_in_order():
    """Whoever may do more may do all that those below may."""
    order = [Role.GUEST, Role.COUNTER, Role.BENCH, Role.OWNER]
    for less, more in itertools.pairwise(order):
        for name in NEEDS:
            for method in ("GET", "POST"):
                assert may(more, name, method) or not may(less, name, method), (name, method)


def test_the_first_page_keeps_what_the_start_command_was_told_of_phones(
    client, db, tmp_path, settings
):
    settings.LOCAL = tmp_path
    for is_open in (True, False):
        doors.choose(is_open, tmp_path)
        assert client.get("/welcome/").context["place"]["phones"].initial is is_open


def test_a_link_made_at_the_machine_can_be_opened(db, tmp_path, settings, capsys):
    settings.LOCAL = tmp_path
    for told, begins in (
        ({}, "/join/"),
        ({doors.HERE: "http://127.0.0.1:8831/"}, "http://127.0.0.1:8831/join/"),
        ({doors.PHONES: "https://192.168.7.20:8841/"}, "https://192.168.7.20:8841/join/"),
    ):
        for door, address in told.items():
            doors.tell(address, tmp_path, door)
        call_command("let_in", "una")
        assert capsys.readouterr().out.startswith(begins)
