"""A shop that writes decimals with a comma reads them so on every page, and types them so; names,
addresses and coordinates stay as they are."""

import html
import re

import pytest
from django.urls import Resolver404, resolve

from kentrobar.demo import workshop as demo
from kentrobar.frames.models import Frame, Reading
from kentrobar.shop.models import Settings
from tests import emptied
from tests.pages import said

NAMED = ("Pro 97.5", "poly 1.27", "3.11")
"""Names with a point, which no decimal mark may touch."""
EXAMPLES = (
    "A figure typed without ±", "scale, 0.1 g", "fine scale, 0.01 g", "machine, 0.1",
    "Timed swings are read with", "As you write it:", "6.3 ± 0.05", "23.3 cm", "8.0 oz",
    "325 at 101.6 mm", "or in the cell (11.3 oz)", "Figures as you write them",
)  # fmt: skip
"""Sentences of ours that show how something may be typed, in either mark."""
TOLD = ("aria-label", "title", "placeholder", "data-heard", "alt")
TAG = re.compile(r"<(script|style|textarea)\b.*?</\1>|<[^>]*>|[^<]+", re.DOTALL)
ATTRIBUTE = re.compile(r'([\w:-]+)="([^"]*)"')
CHANGING = re.compile(
    r'name="(csrfmiddlewaretoken|once|row-as-shown)"|X-CSRFToken|data-print|nonce|hx-vals'
)


def parts(page):
    """(what is told, what programs read) of a page, piece by piece."""
    for found in TAG.finditer(page):
        text = found[0]
        if not text.strip():
            continue
        if not text.startswith("<"):
            # Minutes go by from one walk to the other.
            yield "told", re.sub(r"\d+\s\w+ ago", "a while ago", html.unescape(text))
        elif not found[1] and not CHANGING.search(text):
            is_number = "inputmode=" in text
            for name, value in ATTRIBUTE.findall(text):
                is_quantity = is_number or " mm" in value or " g" in value
                if name == "value" and text.startswith("<button"):
                    continue
                if name in TOLD or (name == "value" and is_quantity):
                    yield "told", html.unescape(value)
                else:
                    yield f"{text.split()[0]} {name}", value


def walked(client):
    """Every kind of page that links lead to, once, by its address."""
    todo, seen, found = ["/bench/", "/"], set(), {}
    while todo:
        path = html.unescape(todo.pop(0)).partition("#")[0]
        try:
            kind = resolve(path.partition("?")[0]).view_name, re.sub(r"=[^&]*", "", path[-30:])
        except Resolver404:
            continue
        shape = kind[0], re.sub(r"\d+", "N", kind[1])
        if shape in seen:
            continue
        seen.add(shape)
        answer = client.get(path)
        if answer.status_code != 200 or answer.streaming:
            continue
        if answer.headers["Content-Type"].startswith("text/html"):
            page = answer.content.decode()
            found[path] = page
            todo += re.findall(r'href="(/[^"]*)"', page)
    return found


def test_every_page_of_a_comma_shop_says_the_same_with_commas_and_nothing_else(bench, db):
    emptied.filled(demo.load)
    one = Frame.live.first()
    one.model, one.maker = NAMED[0], NAMED[1]
    one.save()
    Settings.objects.update_or_create(pk=1, defaults={"gravity_ms2": 9.813})
    with_points = walked(bench)
    assert len(with_points) > 45
    Settings.objects.update_or_create(pk=1, defaults={"decimals": "comma"})
    from kentrobar.shop.models import forget

    forget()
    odd = []
    for path, page in with_points.items():
        now = bench.get(path).content.decode()
        pairs = list(zip(parts(page), parts(now), strict=False))
        if len([*parts(page)]) != len([*parts(now)]):
            odd.append((path, "another number of parts"))
        odd += [(path, *one) for one in pairs if not same(*one) and not as_written(one[0])]
        if 'step="any"' in now:
            odd.append((path, "a box of numbers reads its own language's marks"))
    assert not odd, "\n".join(map(str, odd[:60]))


def as_written(part):
    """Whether it is what somebody typed, or an example of what may be typed."""
    typed = {one for one in Reading.objects.values_list("typed", flat=True) if "." in one}
    return any(one in part[1] for one in (*typed, *EXAMPLES, "1.98 ± 0.02 g"))


def same(with_point, with_comma):
    """Whether the two say the same: what is told in either mark, all else letter by letter."""
    if with_point[0] != "told" or with_comma[0] != "told":
        return with_point == with_comma
    plain = re.sub("|".join(map(re.escape, NAMED)), "", with_comma[1])
    return (
        all(with_point[1].count(name) == with_comma[1].count(name) for name in NAMED)
        and not re.search(r"(?<![\w.])\d+\.\d+(?!\d|\.\d|\w)", plain)
        and with_point[1].replace(",", ".") == with_comma[1].replace(",", ".")
    )


def test_what_is_typed_with_a_comma_is_read(bench, plan):
    Settings(pk=1, decimals="comma").save()
    assert "316,8" in said(bench.get(plan.frame.get_absolute_url()))
    posted = {"method": "scale", "condition": "as-played", "readings": "316,7 316,8",
              "resolution": "0,1"}  # fmt: skip
    bench.post(f"/frames/{plan.frame.pk}/measure/", posted)
    assert Reading.objects.filter(quantity="mass_g").latest("pk").value == pytest.approx(316.75)


def test_boxes_say_what_they_take_as_people_do(bench):
    Settings(pk=1, decimals="comma").save()
    posted = {"latitude_deg": "-91", "gravity_ms2": "12.5", "max_layers": "many",
             "decimals": "dots", "cut_step_mm": ""}  # fmt: skip
    answer = said(bench.post("/settings/", posted))
    for words in ("At least −90.", "At most 9,9.", "Write a whole number.", "Still to be written.",
                  "“dots” is none of these."):  # fmt: skip
        assert words in answer, words
    assert "Ensure this" not in answer
