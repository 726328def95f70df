"""A shop of one's own: from the code in the terminal to the first plan, colleagues let in as each
role, and a phone that comes in over HTTPS."""

import ssl
import threading
from wsgiref.simple_server import WSGIRequestHandler, make_server

import pytest
from django.contrib.auth import get_user_model
from django.core.wsgi import get_wsgi_application
from selenium.webdriver.common.by import By

from kentrobar.accounts import doors
from kentrobar.accounts.models import Member, Role
from kentrobar.frames.models import Frame
from kentrobar.plans.models import Plan
from ops.browser import chromium, resize
from ops.certificates import Certificates
from tests.core.frames import TERN

from .conftest import Hand

PASSWORD = "heron-on-the-quay"


@pytest.fixture
def newcomer(_chromium, live_server, settings, tmp_path):
    """A hand at a Kentrobar nobody has an account in yet."""
    settings.LOCAL = tmp_path
    resize(_chromium, 1280, 800)
    _chromium.delete_all_cookies()
    hand = Hand(_chromium, live_server.url)
    hand.complaints()
    yield hand
    complaints = hand.complaints()
    _chromium.get("about:blank")
    assert complaints == []


def choose(hand, css, value):
    hand.click(hand.find(f"{css} option[value='{value}']"))


def opened(hand, local):
    """The first page, from a wrong code to the open shop."""
    code = doors.make_code(local)
    hand.go("/")
    hand.until(lambda: "Open your shop" in hand.find("h1").text)
    hand.write("#id_code", "guess")
    for name, text in {"first_name": "Una Skua", "username": "skua", "password": PASSWORD}.items():
        hand.write(f"[name=you-{name}]", text)
    hand.write("[name=shop-shop_name]", "Bench on the Quay")
    choose(hand, "[name=shop-time_zone]", "Europe/Oslo")
    choose(hand, "[name=shop-usual_mass]", "scale-0.1")
    hand.press("Open the shop", "button")
    hand.until(lambda: "not the code" in hand.find(".fault").text)
    assert hand.find("[name=you-username]").get_property("value") == "skua", "what was typed stays"
    hand.write("#id_code", f"{code[:5].upper()} {code[5:]}")
    hand.press("Open the shop", "button")
    hand.until(lambda: "The shop is open" in hand.find("h1").text)


def test_from_the_code_in_the_terminal_to_the_first_plan(newcomer, tmp_path):
    hand = newcomer
    opened(hand, tmp_path)
    assert "Bench on the Quay" in hand.find(".page-foot").text
    hand.press("Check in the first frame", "a")
    hand.until(lambda: hand.all("#outline"))
    hand.write("#id_model", "Tern 98")
    hand.press("Save frame", "button")
    hand.until(lambda: hand.all(".frame-grid"))
    for name, text in (("mass_g", "305"), ("balance_mm", "32.4 cm"), ("swing_kgcm2", "295")):
        hand.write(f"#reading-{name}", text)
    hand.press("Save", "button")
    hand.until(lambda: "read 305" in hand.find(".frame-figures").text)
    hand.press("New plan", "button")
    hand.until(lambda: hand.all("#vial-mass_g"))
    hand.settled(lambda: hand.find("#put-tape").click())
    assert float(hand.figure("mass_g")) > 305
    assert Plan.objects.get().frame.model == "Tern 98"


def test_colleagues_are_let_in_and_each_does_their_part(newcomer, tmp_path):
    hand = newcomer
    opened(hand, tmp_path)
    links = {}
    for role in ("bench", "counter", "guest"):
        hand.go("/colleagues/")
        hand.write("[name=note]", role)
        choose(hand, "form[action$='invite/'] [name=role]", role)
        hand.press("Make a link", "button")
        hand.until(lambda role=role: any(role in one.text for one in hand.all(".links-waiting li")))
        row = next(one for one in hand.all(".links-waiting li") if role in one.text)
        links[role] = row.find_element(By.CSS_SELECTOR, "code").text
    frame = Frame(model="Tern 98")
    frame.set_outline(TERN)
    frame.save()
    resize(hand.browser, 390, 844)
    for role, link in links.items():
        hand.browser.delete_all_cookies()
        hand.browser.get(link)
        hand.until(lambda: "Come in" in hand.find("h1").text)
        for name, text in {"first_name": role, "username": role, "password": PASSWORD}.items():
            hand.write(f"[name={name}]", text)
        hand.press("Make the account", "button")
        hand.until(lambda: "Bench" in hand.find("h1").text)
        assert get_user_model().objects.get(username=role).member.role == role
        hand.go(f"/frames/{frame.pk}/edit/")
        looks = hand.all(".looks-only-word")
        assert bool(looks) is (role != "bench")
        saves = [one for one in hand.all("main form button") if one.text == "Save frame"]
        assert any(one.is_displayed() for one in saves) is (role == "bench"), role
        names = [one.get_attribute("textContent") for one in hand.all(".who a")]
        assert "Settings" not in names
    assert Member.objects.filter(role=Role.OWNER).count() == 1


class Quiet(WSGIRequestHandler):
    def log_message(self, *_):
        pass


@pytest.mark.django_db(transaction=True)
def test_a_phone_comes_in_over_https(tmp_path, settings):
    """The shop's own certificate, the application behind it, and a phone at 390 px that has been
    told to trust no more than that."""
    settings.LOCAL = tmp_path
    settings.ALLOWED_HOSTS = ["127.0.0.1"]
    settings.SESSION_COOKIE_SECURE = settings.CSRF_COOKIE_SECURE = True
    files = Certificates(tmp_path / "tls")
    files.ready_for(["127.0.0.1"])
    server = make_server("127.0.0.1", 0, get_wsgi_application(), handler_class=Quiet)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(files.certificate, files.key)
    server.base_environ["HTTPS"] = "on"
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    doors.make_code(tmp_path)
    phone = chromium(390, 844, accepts="certificates")
    try:
        address = f"https://127.0.0.1:{server.server_port}"
        phone.get(f"{address}/trust/")
        mark = phone.find_element(By.CSS_SELECTOR, ".mark").text.replace(" ", "").replace("\n", "")
        assert len(mark) == 64
        phone.get(f"{address}/")
        assert "Open your shop" in phone.find_element(By.TAG_NAME, "h1").text
        width = phone.execute_script("return document.documentElement.scrollWidth")
        assert width <= 390
        cookies = [one for one in phone.get_cookies() if one["name"].startswith("kentrobar-")]
        assert cookies
        assert all(one["secure"] for one in cookies)
    finally:
        phone.quit()
        server.shutdown()
        server.server_close()
