"""Every message the core makes has its sentence, and the figures that sentence asks for."""

import ast
import inspect
import string
from pathlib import Path

import pytest

import kentrobar.core
from kentrobar.core.reader import Reader, read_by
from kentrobar.core.words import message
from kentrobar.core.words.english import SENTENCES

CORE = Path(kentrobar.core.__file__).parent


def asked_of(sentence):
    """Names of the figures a sentence needs."""
    if isinstance(sentence, str):
        return {name for _, name, _, _ in string.Formatter().parse(sentence) if name}
    return set(inspect.signature(sentence).parameters)


def made():
    """(where, code, names of figures given) of every call that makes a message of a known code."""
    makers = {"message": 0, "slip": 0, "_notice": 0, "say": 0, "no": 1, "hm": 1}
    for file in sorted(CORE.rglob("*.py")):
        for call in ast.walk(ast.parse(file.read_text())):
            name = isinstance(call, ast.Call) and getattr(
                call.func, "id", getattr(call.func, "attr", "")
            )
            if name not in makers or len(call.args) <= makers[name]:
                continue
            code = call.args[makers[name]]
            if isinstance(code, ast.Constant):
                given = {one.arg for one in call.keywords}
                yield f"{file.relative_to(CORE)}:{call.lineno}", code.value, given


def test_every_message_has_a_sentence_and_its_figures():
    calls = list(made())
    assert len(calls) > 60
    for where, code, given in calls:
        assert code in SENTENCES, where
        if None in given or where.startswith("bench/suspicions.py"):
            continue  # figures handed on, or an amount that is fitted later
        numbered = {"piece"} if where.startswith("frame/notices.py") else set()
        assert asked_of(SENTENCES[code]) - numbered == given, (where, code)


@pytest.mark.parametrize(
    ("code", "figures", "words"),
    [
        ("differs", {"figure": "mass_g", "now": 311.3, "was": 316.8, "when": "on 3 Nov"},
         "Mass 311.3 g is 5.5 below the 316.8 read on 3 Nov."),
        ("missed", {"blocks": [("mass_g", 2.0, 1.5), ("balance_mm", -3.0, 2.0)]},
         "With these sites and materials the mass stays 2 g above its target, 1.5 beyond the"
         " tolerance; the balance stays 3 mm nearer the butt than its target, 2 beyond the"
         " tolerance. That is the nearest."),
        ("missed-so-far", {"blocks": [("mass_g", 2.0, 0.004)]},
         "At the nearest so far the mass stays 2 g above its target, just beyond the tolerance."),
        ("set-missed",
         {"frames": [("F1", [("mass_g", 2.041, 1.041), ("balance_mm", 1.004, 0.004)])]},
         "F1: mass stays 2.04 g above, 1.04 too far, balance stays 1 mm nearer the tip, just too"
         " far"),
        ("rest-unnoticed", {"figures": ["mass_g", "balance_mm", "twist_kgcm2"]},
         "Mass, balance and twist weight are outside by less than most players notice; another"
         " attempt moves what is right already. Stop, or go on only if the mark itself matters."),
        ("usual-decay", {"share": 0.02, "u": 0.01},
         "How wide it swung at last was not written: it is assumed to have lost 2 ± 1 % a swing."),
        ("off-centre", {"offset": -1.25},
         "The centre of mass lies 1.3 mm towards 9 o'clock: mirror the piece that sits on one"
         " side."),
        ("missed-pass", {"tap": 4, "count": 2}, "After tap 4 2 passes were missed, and counted."),
        ("mass", {"piece": 1, "amount": -0.42}, "Piece 1 weighs 0.42 g less than noted"),
    ],
)  # fmt: skip
def test_words_that_hang_on_figures(code, figures, words):
    assert str(message(code, **figures)) == words


OUNCES = Reader(mass="oz", length="in", balance="pt")


@pytest.mark.parametrize(
    ("code", "figures", "words"),
    [
        ("set-missed", {"frames": [("F1", [("mass_g", 28.35, 14.17), ("balance_mm", 6.35, 3.2)])]},
         "F1: mass stays 1 oz above, 0.5 too far, balance stays 2 pt nearer the tip, 1.01 too far"),
        ("open-tolerance", {"figure": "balance_mm", "to": 6.35, "tol": 3.175},
         "Allow the balance ± 2 pt instead of ± 1"),
        ("open-site", {"name": "lead tape, 6 mm", "added": 2.0},
         "Use one more site, lead tape, 6 mm: then +0.071 oz in total"),
        ("mass-unusual", {"mass": 141.75, "kind": "racket", "low": 200, "high": 400},
         "Mass 5 oz: rackets usually read 7.055–14.11 oz."),
        ("place", {"piece": 1, "by": 30, "nearer_tip": False},
         "Piece 1 lies about 1.18 in nearer the butt"),
        ("felt-balance", {"change": -3.175}, "Balance +1.00 pt: more of it lies in the hand."),
        ("drift", {"figure": "swing_kgcm2", "amount": 2.5, "check": ""},
         "The swing weight reads 2.5 kg·cm² high"),
    ],
)  # fmt: skip
def test_amounts_are_told_in_the_units_of_who_reads_them(code, figures, words):
    said = message(code, **figures)
    before = str(said)
    with read_by(OUNCES):
        assert str(said) == words
    assert str(said) == before
