"""Words in other languages: what players see is whole in German, and no translator needs a
programmer."""

import re
from dataclasses import replace
from datetime import UTC, datetime

import polib
import pytest
from django.test import Client
from django.utils import translation

from kentrobar.core.geometry.kinds import FRAME_KINDS
from kentrobar.core.pieces import starters
from kentrobar.core.pieces.cautions import GUARD, LEAD, LEAD_AT_THE_HAND, RULES
from kentrobar.core.quantities import FIGURES, READ
from kentrobar.core.reader import in_points, translated
from kentrobar.frames.choices import Condition
from kentrobar.frames.models import Frame, Person
from kentrobar.plans import desk
from kentrobar.plans.edits import Done
from kentrobar.plans.state import with_ids
from kentrobar.shop.middleware import to_customer
from kentrobar.workshop.cards import make_card
from kentrobar.workshop.models import BlindTrial, Card, Sheet
from ops import language
from tests.core.frames import SHOAL, TERN
from tests.pages import said as text_of

PLAYERS = (
    "workshop/_card.html", "workshop/card_public.html", "workshop/card_gone.html",
    "workshop/card_paper.html", "workshop/card_mail.txt", "workshop/court.html",
    "workshop/pair_paper.html", "workshop/ticket_paper.html", "shop/_foot.html",
    "drawing/bench.html", "drawing/_frame.html", "drawing/_ruler.html",
)  # fmt: skip


def book():
    return polib.pofile(str(language.catalogue("de")))


def test_every_sentence_of_the_templates_is_in_the_catalogue_and_compiled(tmp_path, monkeypatch):
    path = language.catalogue("de")
    monkeypatch.setattr(language, "LOCALE", tmp_path)
    copy = language.catalogue("de")
    copy.parent.mkdir(parents=True)
    copy.write_bytes(path.read_bytes())
    language.renew("de")
    assert copy.read_text() == path.read_text(), "run python -m ops.language"
    assert copy.with_suffix(".mo").read_bytes() == path.with_suffix(".mo").read_bytes()


@pytest.mark.parametrize("name", PLAYERS)
def test_what_a_player_sees_is_whole(name):
    (path,) = [one for one in language.templates() if str(one).endswith(f"templates/{name}")]
    known = {entry.msgid: entry.msgstr for entry in book()}
    for one, _ in language.sentences(path.read_text()):
        assert known[one], f"{one} is not translated"
        assert re.findall(r"%\(\w+\)s", one) == re.findall(r"%\(\w+\)s", known[one])


def test_what_the_core_says_on_a_card_has_its_words(db):
    """Every kind of piece from the palette on both kinds of frame, put on and taken off."""
    english = re.compile(r"\b(the|both|from|inside|edge|off|round|taken)\b", re.I)
    with to_customer("de"):
        for outline in (TERN, SHOAL):
            every = (*starters.PUT_ON, *starters.TAKE_OFF, *starters.SWAP)
            for starter in starters.for_kind(every, outline):
                piece = starters.start(starter.name, outline, ())[-1]
                for one in (piece, replace(piece, mass_g=-1.0)):
                    for told in (one.name(outline), one.where()):
                        assert not english.search(told), told
        for words in (GUARD, LEAD, LEAD_AT_THE_HAND, RULES, *Condition.labels):
            assert translated(words) != words
        for name in READ:
            assert translated(FIGURES[name].label) != FIGURES[name].label or name == "balance_mm"
        assert in_points(331.8875, 686) == "3,5 Punkte grifflastig"
    assert in_points(331.8875, 686) == "3.5 pt head-light"
    assert set(FRAME_KINDS) == {"racket", "paddle"}


@pytest.fixture
def card(plan, user):
    """Of a plan with something of every kind on it, for somebody who reads German."""
    plan.frame.player = Person.objects.create(name="Jorin Quell", language="de")
    plan.frame.save()
    outline = plan.frame.outline()
    pieces = with_ids(
        tuple(starters.start(name, outline, ())[0] for name in ("tape", "throat", "putty"))
    )
    done = desk.change(
        plan.pk, plan.version,
        lambda state, _: Done(replace(state, pieces=pieces), "all", None, None),
    )  # fmt: skip
    sheet = Sheet.objects.create(
        plan=done.plan, pieces=done.plan.content["pieces"],
        signed_off_at=datetime(2026, 3, 4, 12, tzinfo=UTC),
    )  # fmt: skip
    made = make_card(done.plan, sheet, user)
    Card.objects.filter(pk=made.pk).update(made_at=datetime(2026, 3, 5, 12, tzinfo=UTC))
    return made


def test_a_card_speaks_to_its_player(card, settings):
    page = Client().get(f"/card/{card.token}/")
    words = text_of(page)
    assert '<html lang="de">' in words
    for told in ("für <b>Jorin Quell</b>", "5. März 2026", "Vorher", "Was angebracht ist", "316,8"):
        assert told in words, told
    drawn = re.search(r"<svg.*?</svg>", words)[0]
    assert not re.search(r'="[\d.]+,\d+"', drawn), "a coordinate is no figure to be read"
    Person.objects.update(language="")
    plain = text_of(Client().get(f"/card/{card.token}/"))
    assert '<html lang="en-gb">' in plain
    assert "for <b>Jorin Quell</b>" in plain
    assert translation.get_language() == "en-gb"


def test_a_blind_trial_asks_in_the_players_language(card):
    trial = BlindTrial.objects.create(
        frame=Frame.objects.get(), first="as it was", second="with 3 g", codes=["R", "K"],
        order="ABBA", token="t" * 43, asks="tell",
    )  # fmt: skip
    words = text_of(Client().get(f"/blind/{trial.token}/"))
    assert "Runde {} von {}" in words
    assert "Welcher ist es?" in words
