"""A shop that writes decimals with a comma reads them so on every page, and types them so."""

import re

import pytest

from kentrobar.frames.models import Reading
from kentrobar.shop.decimals import with_commas
from kentrobar.shop.models import Settings
from tests.pages import said

from .test_ground import paths_of


@pytest.mark.parametrize(
    ("written", "shown"),
    [
        ("<b>−323.4</b> ± 0.05 g", "<b>−323,4</b> ± 0,05 g"),
        ("From 9.7 to 9.9. Then 12.5.", "From 9,7 to 9,9. Then 12,5."),
        ('<input type="text" inputmode="text" value="12.5 mm">',
         '<input type="text" inputmode="text" value="12,5 mm">'),
        ('<output aria-label="now 3.5" data-x="3.5">',
         '<output aria-label="now 3,5" data-x="3.5">'),
    ],
)  # fmt: skip
def test_what_is_read_gets_a_comma(written, shown):
    assert with_commas(written) == shown


@pytest.mark.parametrize(
    "kept",
    [
        "27.11.2026", "10.0.0.1", "v1.2", "0.2.0", '<path d="M1.5 2.5"/>', "at 14.",
        '<input name="serial" value="4.5">',
        '<script>let x = 1.5 < 2 ? "<b>2.5</b>" : 3.5</script>',
        "<code>pip install a==1.5</code>", '<textarea name="note">2.5</textarea>',
    ],
)  # fmt: skip
def test_what_is_no_figure_of_a_page_stays(kept):
    assert with_commas(kept) == kept


def test_every_page_of_a_comma_shop_is_written_and_read_with_commas(bench, plan):
    Settings(pk=1, decimals="comma").save()
    for path in ("/", "/bench/", "/plans/", *paths_of(plan.frame, plan)):
        answer = bench.get(path)
        if not answer.headers["Content-Type"].startswith("text/html"):
            continue
        # A browser's own box of numbers reads the marks of its own language alone.
        assert 'step="any"' not in said(answer), path
        text = re.sub(r"(?s)<(script|style|code|textarea)\b.*?</\1>|<[^>]*>", " ", said(answer))
        assert not re.search(r"(?<![\w.])\d+\.\d+(?!\d|\.\d)", text), path
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
