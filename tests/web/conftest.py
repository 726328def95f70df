"""What the tests of views and models share: a signed-in person, a measured racket and paddle, a
plan."""

import io
import json
from datetime import timedelta

import pytest
from django.apps import apps
from django.conf import settings as django_settings
from django.contrib.auth import (
    BACKEND_SESSION_KEY,
    HASH_SESSION_KEY,
    SESSION_KEY,
    get_user_model,
)
from django.contrib.contenttypes.management import create_contenttypes
from django.contrib.sessions.models import Session
from django.db.models.signals import post_migrate
from django.utils import timezone

from kentrobar.accounts.models import Member, Role
from kentrobar.accounts.sessions import SEEN
from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import Paddle, Racket
from kentrobar.frames.models import Frame
from kentrobar.plans import desk
from kentrobar.plans.models import Plan
from kentrobar.recipes import asked, sets
from kentrobar.shop.models import forget as forget_shop
from kentrobar.stock.models import Material
from kentrobar.stock.seed import seed
from tests.core.frames import PADDLE_READ, READ, SHOAL, TERN


def fill_the_shelf(**_):
    """As the migration did: a test that commits leaves every table empty, and none may depend on
    which came before."""
    seed(Material)


post_migrate.connect(fill_the_shelf, sender=apps.get_app_config("stock"))
# Written anew after each of those tests, and asked for by nothing here: roles say who may do what.
post_migrate.disconnect(dispatch_uid="django.contrib.auth.management.create_permissions")
post_migrate.disconnect(create_contenttypes)


@pytest.fixture(autouse=True)
def _one_after_the_other(settings):
    """What runs beside a page runs within it."""
    settings.WORK_AT_ONCE = True


def asked_before(search):
    """A search that knows what it was asked before: nobody here asks how it searches."""
    known = {}

    def searched(wanted, watch):
        key = repr(wanted)
        if key not in known:
            known[key] = search(wanted, watch)
        return known[key]

    return searched


SOLVED, MATCHED = asked_before(asked.solve), asked_before(sets.match)


@pytest.fixture(autouse=True)
def _searched_once(monkeypatch):
    monkeypatch.setattr(asked, "solve", SOLVED)
    monkeypatch.setattr(sets, "match", MATCHED)


@pytest.fixture(autouse=True)
def _nothing_remembered():
    """What this process keeps for a few seconds is of the test before."""
    forget_shop()


@pytest.fixture
def user(db):
    """The owner of the shop, who may do everything."""
    return somebody("sorrel", Role.OWNER)


def somebody(name: str, role: Role):
    """An account with a role."""
    user = get_user_model().objects.create_user(name, password="long-grass-7")
    Member.objects.create(user=user, role=role)
    return user


@pytest.fixture
def bench(client, user):
    """A client who signed in before: they have the cookie. To sign in takes 24 queries."""
    now = timezone.now()
    known = {
        SESSION_KEY: str(user.pk),
        BACKEND_SESSION_KEY: "kentrobar.accounts.signed_in.WithRole",
        HASH_SESSION_KEY: user.get_session_auth_hash(),
        SEEN: now.timestamp(),
    }
    key = "of-a-client-that-signed-in-before"
    Session.objects.create(
        session_key=key,
        session_data=Session.objects.encode(known),
        expire_date=now + timedelta(days=1),
    )
    client.cookies[django_settings.SESSION_COOKIE_NAME] = key
    return client


@pytest.fixture
def signed_in(client, user):
    """A client who signs in now, which is noted."""
    client.force_login(user)
    return client


def measured_frame(
    outline: Racket | Paddle, read: Measured, condition: str = "as-played", **names: str
) -> Frame:
    frame = Frame(**({"model": "Tern 98", "serial": "no. 07"} | names))
    frame.set_outline(outline)
    frame.save()
    frame.take_readings(read, condition)
    return frame


@pytest.fixture
def racket(db) -> Frame:
    return measured_frame(TERN, READ)


@pytest.fixture
def paddle(db) -> Frame:
    return measured_frame(SHOAL, PADDLE_READ, model="Shoal 16", serial="A-114")


@pytest.fixture
def plan(racket) -> Plan:
    return desk.start(racket, racket.figures()[0])


class Window:
    """One browser window on a plan: it sends the version it has seen, and sees what is answered."""

    def __init__(self, client, plan):
        self.client, self.plan, self.version, self.pick = client, plan, plan.version, ""

    def do(self, name, **posted):
        url = f"/plans/{self.plan.pk}/{name}/"
        values = {"version": self.version, "pick": self.pick} | posted
        answer = self.client.post(url, values, headers={"HX-Request": "true"})
        if answer.context and "board" in answer.context:
            board = answer.context["board"]
            self.version, self.pick = board.plan.version, board.pick or ""
        return answer

    @property
    def pieces(self):
        self.plan.refresh_from_db()
        return self.plan.state().pieces


@pytest.fixture
def window(bench, plan):
    return Window(bench, plan)


def as_file(document) -> io.BytesIO:
    """A document as it is uploaded."""
    return io.BytesIO(json.dumps(document).encode())
