"""Every box of a quantity says what it was read as, in the reader's unit."""

import re
from urllib.parse import urlencode

import pytest

from kentrobar.core.reader import Reader, read_by
from kentrobar.frames.forms import ReadingForm
from kentrobar.stock.models import Material
from kentrobar.ui.models import Preferences
from tests.pages import said

from .test_measure import put_on

METHODS = ("reported", "scale", "pendulum", "two-scales")


def asked(bench, form, name, text):
    """What is said beside a box of a form when something was typed in it."""
    address = form.fields[name].widget.attrs["hx-get"]
    return said(bench.get(f"{address}&{urlencode({name: text})}")).strip()


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("mass_g", "11.3 oz", "= 320.3 g"),
        ("mass_g", "320.3 g", ""),
        ("mass_g", "320.3 ± 0.2 g", ""),
        ("mass_g", "320", ""),
        ("mass_g", "306 305 305", "= 305.3 g, the mean of 3"),
        ("balance_mm", "6 pts HL", "= 324.0 mm"),
        ("balance_mm", "5-6 pts HH", "= 360.5 ± 1.6 mm"),
        ("balance_mm", "12 7/8 in", "= 327.0 mm"),
        ("balance_mm", "32.4 cm", "= 324.0 mm"),
        ("swing_kgcm2", "0.032 kg·m²", "= 320.0 kg·cm²"),
        ("twist_kgcm2", "13.4 13.5", "= 13.45 kg·cm², the mean of 2"),
        ("axis", "4 in", "= 101.6 mm"),
    ],
)
def test_a_box_says_what_it_was_read_as(bench, racket, name, text, words):
    assert asked(bench, ReadingForm(racket), name, text) == words


def test_a_box_speaks_the_readers_units(bench, user, racket):
    Preferences.objects.update_or_create(user=user, defaults={"length": "in", "balance": "pt"})
    with read_by(Reader(length="in", balance="pt")):
        form = ReadingForm(racket)
    # A bare number on a board marked in points is points; the page reads inches.
    assert asked(bench, form, "balance_mm", "6") == "= 12.75 in"
    assert asked(bench, form, "axis", "4") == ""
    assert "a length" in asked(bench, form, "axis", "four")


def test_nothing_else_is_asked_for(bench):
    for query in ("", "reads=eval", "reads=read_balance&x=3", "reads=read_balance&length_mm=a&x=3"):
        assert bench.get(f"/understood/?{query}").status_code == 404
    assert bench.get("/understood/?reads=read_mass").content.strip() == b""


OF_MANY_ALONE = ("?method=scale", "?method=reported")


def test_every_box_that_asks_is_answered_beside_itself(bench, plan):
    frame = plan.frame
    put_on(bench, frame, "overgrip", mass="5.1 g")
    pages = [
        f"/frames/{frame.pk}/", f"/frames/{frame.pk}/parts/", f"/plans/{plan.pk}/trial/",
        Material.objects.filter(kind="tape").first().get_absolute_url(),
        *(f"/frames/{frame.pk}/measure/?method={method}" for method in METHODS),
    ]  # fmt: skip
    for page in pages:
        text = bench.get(page, follow=True).content.decode()
        boxes = re.split(r"(?=<(?:input|textarea)[ \n])", text)
        asking = [one for one in boxes if "/understood/" in one.split(">")[0]]
        assert asking or page.endswith(OF_MANY_ALONE), page
        assert not any('name="readings"' in one for one in asking), page
        assert all(one.count('class="understood"') == 1 for one in asking), page


def test_what_is_sent_and_comes_back_says_it_too(bench, racket):
    typed = {"condition": "as-played", "mass_g": "11.3 oz", "balance_mm": "x"}
    assert "= 320.3 g" in said(bench.post(f"/frames/{racket.pk}/", typed))
