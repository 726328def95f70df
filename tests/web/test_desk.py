"""The desk under load: many hands at once, long pasts, outlines measured again."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pytest
from django.db import connection

from kentrobar.core.numbers import ufloat
from kentrobar.core.reader import Reader, read_by
from kentrobar.core.words.amounts import change_of
from kentrobar.plans import desk, edits
from kentrobar.plans.board import Board
from kentrobar.plans.hand import Hand
from kentrobar.plans.models import Plan


def put(what):
    return lambda state, outline: edits.put(state, outline, {"what": what}, Hand())


def slide(pick, mm):
    return lambda state, outline: edits.slide(state, outline, {"pick": pick, "mm": str(mm)}, Hand())


@pytest.mark.django_db(transaction=True)
def test_eight_hands_at_once_lose_nothing(plan):
    def hand(_):
        try:
            return desk.change(plan.pk, 1, put("tape"))
        finally:
            connection.close()

    with ThreadPoolExecutor(8) as hands:
        outcomes = list(hands.map(hand, range(8)))
    plan.refresh_from_db()
    assert not any(outcome.was_refused for outcome in outcomes)
    assert {piece.id for piece in plan.state().pieces} == {f"p{i}" for i in range(1, 9)}
    assert (plan.version, plan.position) == (9, 8)
    assert [step.number for step in plan.steps.all()] == list(range(9))


@pytest.mark.django_db(transaction=True)
def test_two_hands_on_one_piece_at_once_one_is_refused(plan):
    desk.change(plan.pk, 1, put("putty"))

    def hand(mm):
        try:
            return desk.change(plan.pk, 2, slide("p1", mm))
        finally:
            connection.close()

    with ThreadPoolExecutor(2) as hands:
        refused = [outcome.was_refused for outcome in hands.map(hand, (5, 50))]
    assert sorted(refused) == [False, True]


def test_a_long_past_is_kept_within_bounds_and_still_undone(plan, monkeypatch):
    monkeypatch.setattr(desk, "STEPS_KEPT", 60)
    monkeypatch.setattr(desk, "GESTURE", desk.timedelta(0))
    outcome = desk.change(plan.pk, 1, put("putty"))
    for i in range(160):
        outcome = desk.change(plan.pk, outcome.plan.version, slide("p1", 1 if i % 2 else -1))
        assert outcome.labels == desk.labels(outcome.plan)
    assert plan.steps.count() <= 61 + 50
    undone = 0
    while desk.labels(outcome.plan)[0]:
        outcome = desk.undo(plan.pk, outcome.plan.version)
        undone += 1
    assert undone >= 60
    assert desk.undo(plan.pk, outcome.plan.version).was_refused


def test_a_piece_an_outline_leaves_behind_is_said_and_can_be_brought_back(plan, racket):
    desk.change(plan.pk, 1, put("throat"))
    racket.handle_length_mm = 290
    racket.save()
    plan = Plan.objects.get(pk=plan.pk)
    board = Board(plan, plan.state(), racket.outline())
    said = [notice.text for notice in board.notices if notice.code == "does-not-fit"]
    assert "Piece 1 no longer fits this frame" in said[0]
    desk.change(plan.pk, plan.version, slide("p1", 50))
    plan.refresh_from_db()
    assert list(plan.state().pieces[0].faults(racket.outline())) == []


@pytest.mark.parametrize(
    ("who", "values", "units", "row"),
    [
        (Reader(), ("321.8", "318.8"), ("± 0.05 g", "mm"), ("+5.00", "−4.7")),
        (Reader(mass="oz"), ("11.35", "318.8"), ("oz", "mm"), ("+0.176", "−4.7")),
        (Reader(length="cm"), ("321.8", "31.88"), ("± 0.05 g", "cm"), ("+5.00", "−0.47")),
        (Reader(length="in"), ("321.8", "12.55"), ("± 0.05 g", "in"), ("+5.00", "−0.186")),
        (Reader(balance="pt"), ("321.8", "7.6"), ("± 0.05 g", "pt head-light"), ("+5.00", "+1.49")),
        (Reader(balance="%"), ("321.8", "46.5"), ("± 0.05 g", "% of length"), ("+5.00", "−4.7")),
    ],
)
def test_the_board_in_every_unit(plan, who, values, units, row):
    """A scale dosed the putty to 0.05 g: that shows where the last digit is as fine, and not in
    ounces."""
    desk.change(plan.pk, 1, put("putty"))
    plan.refresh_from_db()
    with read_by(who):
        board = Board(plan, plan.state(), plan.frame.outline())
        mass, balance = board.vials[:2]
        assert (mass.unit, balance.unit) == units
        assert (mass.value, balance.value) == values
        assert (board.rows[0].mass, board.rows[0].balance) == row
        assert board.total[:2] == row
        assert change_of("balance_mm", 0.0).unit in ("pt", who.length)


def test_an_uncertain_balance_is_told_in_the_unit_of_its_figure(plan):
    unsure = replace(plan.state().measured, balance_mm=ufloat(323.5, 1.372))
    for who, words in (
        (Reader(), "± 1.4 mm"),
        (Reader(length="cm"), "± 0.14 cm"),
        (Reader(balance="pt"), "± 0.43 pt head-light"),
        (Reader(balance="%"), "± 0.2 % of length"),
    ):
        with read_by(who):
            board = Board(plan, replace(plan.state(), measured=unsure), plan.frame.outline())
            assert board.vials[1].unit == words
