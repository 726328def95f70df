"""Passwords and codes that are guessed: slowed by address, account and browser, and counted before
they are looked at, so that many at once are no more than their number."""

import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model
from django.db import connection
from django.test import Client
from django.utils import timezone

from kentrobar.accounts import guessing, passwords, second_step
from kentrobar.accounts.models import SecondStep, Tries
from kentrobar.devices import stream
from ops import services

GOOD = {"username": "sorrel", "password": "long-grass-7"}


def tried(client, password="x", name="sorrel", address="192.0.2.1"):
    asked = {"username": name, "password": password}
    return client.post("/sign-in/", asked, REMOTE_ADDR=address).status_code


def test_an_address_has_so_many_tries_whatever_names_it_tries(client, user):
    most = guessing.ADDRESS.most
    assert [tried(client, name=f"n{i}") for i in range(most + 1)] == [200] * most + [429]
    assert tried(client, GOOD["password"], address="192.0.2.78") == 302
    later = timezone.now() + timedelta(seconds=guessing.ADDRESS.every_s)
    assert guessing.wait_s("address", "192.0.2.1", guessing.ADDRESS, later) == 0
    assert guessing.wait_s("address", "192.0.2.1", guessing.ADDRESS, later) > 0


def test_an_account_is_slowed_wherever_it_is_guessed_from(client, user):
    """Guesses from twelve addresses, as one from each; then the right password has to wait too."""
    statuses = [tried(Client(), address=f"192.0.2.{i % 12}") for i in range(30)]
    most = guessing.ACCOUNT.most
    assert statuses == [200] * most + [429] * (30 - most)
    answer = Client().post("/sign-in/", GOOD | {"username": "SORREL"}, REMOTE_ADDR="192.0.2.99")
    assert (answer.status_code, int(answer["Retry-After"]) > 0) == (429, True)
    assert "Try again in" in answer.content.decode()


def test_a_browser_the_account_was_used_in_is_never_kept_out(client, user):
    assert tried(client, GOOD["password"]) == 302
    client.post("/sign-out/")
    while tried(Client(), address="192.0.2.55") != 429:
        pass
    # Strangers guess on, from the shop's own address as well.
    assert tried(Client(), GOOD["password"], address="192.0.2.56") == 429
    assert tried(client, GOOD["password"], address="192.0.2.56") == 302
    # Where a cookie is another's word, or of another password, it counts for nothing.
    client.post("/sign-out/")
    user.set_password("short-grass-8")
    user.save()
    assert tried(client, "short-grass-8", address="192.0.2.57") == 429


@pytest.mark.django_db(transaction=True)
def test_codes_sent_at_once_are_no_more_than_their_number(user, monkeypatch):
    SecondStep.objects.create(user=user, secret="JBSWY3DPEHPK3PXPJBSWY3DPEHPK3PXP")
    looked_at = []
    monkeypatch.setattr(second_step, "fits", lambda *_: bool(looked_at.append(1)))

    def enter(number):
        client = Client()
        session = client.session
        session[second_step.WAITING] = {
            "user": user.pk, "to": "/", "at": timezone.now().timestamp()
        }  # fmt: skip
        session.save()
        answer = client.post("/sign-in/code/", {"code": "1"}, REMOTE_ADDR=f"192.0.2.{number}")
        connection.close()
        return answer.status_code

    with ThreadPoolExecutor(18) as crowd:
        statuses = sorted(crowd.map(enter, range(18)))
    assert statuses == [422] * guessing.CODE.most + [429] * (18 - guessing.CODE.most)
    assert len(looked_at) == guessing.CODE.most


@pytest.mark.django_db(transaction=True)
def test_sixteen_who_sign_in_at_once_are_all_let_in_soon(settings):
    settings.PASSWORD_HASHERS = ["kentrobar.accounts.passwords.Argon2"]
    names = [f"person{number}" for number in range(16)]
    for name in names:
        get_user_model().objects.create_user(name, password=GOOD["password"])

    def enter(name):
        status = tried(Client(), GOOD["password"], name)
        connection.close()
        return status

    started = time.monotonic()
    with ThreadPoolExecutor(16) as crowd:
        assert set(crowd.map(enter, names)) == {302}
    assert time.monotonic() - started < 10, "3 s on a quiet machine"


def test_whoever_waits_too_long_for_their_turn_is_told_to_try_again(user, settings, monkeypatch):
    settings.PASSWORD_HASHERS = ["kentrobar.accounts.passwords.Argon2"]
    user.set_password(GOOD["password"])
    user.save()
    monkeypatch.setattr(passwords, "LONGEST_WAIT_S", 0.05)
    client = Client(raise_request_exception=False)
    with passwords._one_at_a_time:
        answer = client.post("/sign-in/", GOOD)
    assert (answer.status_code, answer["Retry-After"]) == (503, "5")
    assert client.post("/sign-in/", GOOD).status_code == 302


def test_tries_come_back_with_time_and_hold_no_names(db):
    now = timezone.now()
    few = guessing.Allowance(2, 10)
    waits = [guessing.wait_s("account", "una", few, now) for _ in range(3)]
    assert waits == [0, 0, 10]
    assert guessing.wait_s("account", "una", few, now + timedelta(seconds=10)) == 0
    assert guessing.wait_s("account", "una", few, now + timedelta(seconds=10)) == 10
    assert "una" not in Tries.objects.get().key


def test_a_quarter_of_the_threads_is_always_free_for_pages():
    threads = int(services.gunicorn("unix:x")[services.gunicorn("unix:x").index("--threads") + 1])
    assert 0.75 * threads >= stream.MOST + passwords.MOST_WAITING
