"""What a player likes, from pairs: held against integration by numbers, and against players made up
here."""

import math

import numpy as np
import pytest
from scipy.stats import norm

from bench import court as players
from kentrobar.core.court import preference
from kentrobar.core.court.preference import (
    BELIEFS,
    SAME,
    STRENGTHS,
    Answer,
    kernel,
    liking,
    log_chance,
)
from kentrobar.core.court.search import MOST, NOTICED, SURE, session, standing
from kentrobar.core.court.space import FIGURES, space
from kentrobar.core.frame.checked import Frame, predict
from kentrobar.core.numbers import nominal
from kentrobar.core.recipes import usual
from kentrobar.core.recipes.brief import Tape

from .frames import READ, TERN

PLACES = np.array([[0.0, 0.0], [2.0, 0.5], [-1.0, 1.5]])
ANSWERS = [Answer(1, 0, "better"), Answer(0, 1, "worse"), Answer(1, 0, "same")]


def chances(d):
    return {"better": norm.cdf((d - SAME) / 2**0.5), "worse": norm.cdf((-d - SAME) / 2**0.5),
            "same": norm.cdf((SAME - d) / 2**0.5) - norm.cdf((-SAME - d) / 2**0.5)}  # fmt: skip


@pytest.mark.parametrize("d", [-4.0, -0.7, 0.0, 0.3, 2.5])
@pytest.mark.parametrize(("said", "sign"), [("better", 1), ("worse", -1), ("same", 0)])
def test_the_chance_of_an_answer_its_slope_and_its_curvature(d, said, sign):
    def log(at):
        return float(log_chance(np.array([at]), np.array([sign]), SAME)[0][0])

    _, slope, bend = log_chance(np.array([d]), np.array([sign]), SAME)
    assert log(d) == pytest.approx(math.log(chances(d)[said]))
    h = 1e-4
    assert slope[0] == pytest.approx((log(d + h) - log(d - h)) / (2 * h), rel=1e-5, abs=1e-7)
    second = (log(d + h) - 2 * log(d) + log(d - h)) / h**2
    assert bend[0] == pytest.approx(second, rel=1e-3, abs=1e-5)
    assert sum(chances(d).values()) == pytest.approx(1)


@pytest.mark.parametrize("count", [1, 9, 30])
def test_the_same_answer_again_and_again_is_as_sure_as_integration_has_it(count):
    """A Gaussian at the mode was 0.87 sure after nine, and 0.90 after thirty."""
    known = liking(PLACES, [Answer(1, 0, "better")] * count)
    k = kernel(PLACES, PLACES)
    above = whole = 0.0
    for strength, prior in zip(STRENGTHS, BELIEFS, strict=True):
        if not strength:
            whole += prior * chances(0.0)["better"] ** count
            continue
        deviation = strength * math.sqrt(k[0, 0] + k[1, 1] - 2 * k[0, 1])
        d = np.linspace(-9, 9, 4001) * deviation
        told = norm.pdf(d, scale=deviation) * chances(d)["better"] ** count
        whole += prior * np.trapezoid(told, d)
        above += prior * np.trapezoid(np.where(d > 0, told, 0.0), d)
    assert known.chance(1, 0) == pytest.approx(above / whole, abs=0.004)
    assert count < 9 or known.chance(1, 0) > 0.998


def test_propagation_comes_to_what_integration_does():
    """Between two set-ups all that counts is how much more one is liked: an integral a strength."""
    known = liking(PLACES, ANSWERS)
    k = kernel(PLACES, PLACES)
    evidence, means = [], []
    for strength in STRENGTHS:
        var = strength**2 * (k[0, 0] + k[1, 1] - 2 * k[0, 1])
        d = np.linspace(-12, 12, 20001) * max(math.sqrt(var), 1e-9) / 2
        prior = norm.pdf(d, scale=math.sqrt(var)) if var else np.ones_like(d)
        like = np.ones_like(d)
        for one in ANSWERS:
            toward = d if one.first == 1 else -d
            like = like * chances(toward)[one.said]
        whole = np.trapezoid(prior * like, d) if var else like[0]
        evidence.append(whole)
        means.append(np.trapezoid(d * prior * like, d) / whole if var else 0.0)
    belief = np.array(BELIEFS) * evidence
    belief /= belief.sum()
    assert known.belief == pytest.approx(belief, abs=0.005)
    for mean, found in zip(means, known.means, strict=True):
        assert found[1] - found[0] == pytest.approx(mean, rel=0.02, abs=0.01)


def test_what_was_never_answered_is_as_believed_before():
    known = liking(PLACES, [])
    assert known.belief == pytest.approx(BELIEFS)
    assert known.mean == pytest.approx(np.zeros(3))
    assert known.chance(1, 2) == pytest.approx(0.5 * (1 - BELIEFS[0]))


def test_who_answers_alike_is_believed_and_who_does_not_is_found_out():
    sure = liking(PLACES, [Answer(1, 0, "better")] * 4 + [Answer(0, 1, "worse")] * 3)
    assert sure.chance(1, 0) > SURE
    assert sure.tells_nothing < 0.05
    torn = liking(PLACES, [Answer(1, 0, "better"), Answer(1, 0, "worse")] * 3)
    all_same = liking(PLACES, [Answer(1, 0, "same"), Answer(2, 0, "same")] * 3)
    assert torn.tells_nothing > BELIEFS[0]
    assert all_same.tells_nothing > 0.6
    assert torn.chance(1, 0) < 0.8


# --- what can be tried ---------------------------------------------------------------------------

TAPE = Tape(name="strip", g_per_mm=0.0126, step_mm=6.35, least_mm=12.7)


def made(keys=("tip", "sides", "under-grip"), most=12.0, **rails):
    sites = usual.usual_sites(TERN)
    return space(TERN, READ, {key: sites[key] for key in keys}, TAPE, most, rails)


def test_set_ups_stay_inside_the_rails_and_change_what_a_plan_says():
    found = made(most=9.0)
    assert found[0].grams == {}
    assert found[0].place == (0.0,) * 4
    assert 10 < len(found) < 64
    assert all(sum(one.grams.values()) <= 9.0 for one in found)
    for one in found[5::9]:
        after, before = predict(Frame(outline=TERN, measured=READ), one.pieces).after, READ.body()
        changes = (
            nominal(after.mass) - nominal(before.mass),
            nominal(after.balance) - nominal(before.balance),
            nominal(after.swing_kgcm2(READ.axis_mm)) - nominal(READ.swing_kgcm2),
            nominal(after.twist_kgcm2) - nominal(before.twist_kgcm2),
        )
        steps = [c / NOTICED[name] for c, name in zip(changes, FIGURES, strict=True)]
        assert one.place == pytest.approx(steps, abs=2e-3)
    one, other = found[-1], found[0]
    assert one.moves(other) == other.moves(one) == len(one.grams)
    with pytest.raises(ValueError, match="fits none"):
        made(("handle",))


@pytest.mark.parametrize(
    ("figure", "most"), [("swing_kgcm2", 9.0), ("balance_mm", 3.0), ("twist_kgcm2", 0.6)]
)
def test_no_set_up_goes_beyond_a_rail_and_none_inside_is_lost(figure, most):
    def away(one):
        return abs(one.place[FIGURES.index(figure)]) * NOTICED[figure]

    every = made()
    inside = made(**{figure: most})
    assert {one.place for one in inside} == {one.place for one in every if away(one) <= most}
    assert 1 < len(inside) < len(every)
    with pytest.raises(ValueError, match="inside these limits"):
        made(("tip",), swing_kgcm2=0.5)


# --- the search ----------------------------------------------------------------------------------


def test_a_pair_is_of_two_the_cheaper_where_they_promise_alike_and_it_ends():
    places = np.array([one.place for one in made()])
    first, second = standing(places, []).next
    assert first != second
    dear = {second}
    chosen = standing(places, [], lambda fitted, wanted: 9.0 * (wanted in dear)).next
    assert second not in chosen
    pairs = session(places, [], 3)
    assert len({tuple(sorted(pair)) for pair in pairs}) == 3
    _, known = players.setups()
    said = [
        (0, 44, "worse"), (7, 44, "worse"), (37, 44, "better"), (37, 39, "worse"),
        (25, 39, "same"),
    ]  # fmt: skip
    again = session(known, [Answer(*one) for one in said], 3)
    assert len({frozenset(pair) for pair in again}) == len(again)
    answers = []
    while (now := standing(places, answers)).next is not None:
        answers.append(Answer(*now.next, "same"))
    assert now.verdict == "cannot-tell"
    assert len(answers) < MOST
    assert session(places, answers, 3) == []
    assert now.region.sum() == pytest.approx(1)


def test_players_with_an_ideal_find_it_and_those_without_are_told_so():
    """A few of the thousand of bench.court."""
    found = [players.searched(players.player(seed)) for seed in range(9)]
    assert sorted(pairs for pairs, *_ in found)[4] <= 8
    assert all(pairs <= MOST for _, pairs, *_ in found)
    nothing = [players.searched(players.player(seed, 0.0))[2] for seed in range(12)]
    assert nothing.count("better") <= 1
    assert nothing.count("cannot-tell") >= 8


def test_who_always_likes_more_is_told_after_five_that_the_best_lies_beyond():
    """He took all fourteen pairs and ended in perhaps."""
    _, places = players.setups()
    answers = []
    while (now := standing(places, answers)).next is not None:
        a, b = now.next
        d = places[a][0] - places[b][0]
        answers.append(Answer(a, b, "same" if abs(d) < 0.1 else "better" if d > 0 else "worse"))
    assert (now.verdict, len(answers)) == ("beyond", 5)
    assert places[now.best][0] == places[:, 0].max()
    # Who likes less is not sent beyond.
    lighter = [Answer(a.second, a.first, a.said) for a in answers]
    assert standing(places, lighter).verdict != "beyond"


def test_a_strength_that_is_none_is_no_gain():
    known = liking(PLACES, [Answer(1, 0, "same")])
    assert known.gain(0)[0] == pytest.approx(0, abs=1e-6)
    assert (known.gain(0) >= 0).all()
    assert preference.STRENGTHS[0] == 0
