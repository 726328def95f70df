"""What to do next: information by hand, and acts on fittings with a mistake planted in them."""

import math
import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bench import diagnosis
from kentrobar.core.bench import next_act
from kentrobar.core.bench.next_act import best_act, information
from kentrobar.core.bench.suspicions import Suspicion
from kentrobar.core.bench.trial import Compared, Residual
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.words import message
from tests.core.frames import READ, TERN


def test_information_of_what_tells_all_nothing_and_half():
    even = [0.5, 0.5]
    assert information(even, [0.0, 100.0], 1.0) == pytest.approx(1.0, abs=1e-3)
    assert information(even, [3.0, 3.0], 1.0) == pytest.approx(0.0, abs=1e-9)
    assert information([0.9, 0.1], [0.0, 100.0], 1.0) == pytest.approx(0.469, abs=1e-3)
    # Two units of noise apart: 0.486 bits, as for any such channel.
    assert information(even, [0.0, 2.0], 1.0) == pytest.approx(0.486, abs=2e-3)
    assert information([0.25] * 4, [0, 50, 100, 150], 1.0) == pytest.approx(2.0, abs=2e-3)


@given(st.lists(st.floats(0.01, 1), min_size=2, max_size=5), st.floats(0.1, 5), st.floats(0.5, 20))
def test_no_act_tells_more_than_is_open(weights, noise, reach):
    shares = [one / sum(weights) for one in weights]
    outcomes = [reach * i for i in range(len(shares))]
    told = information(shares, outcomes, noise)
    still_open = -sum(share * math.log2(share) for share in shares)
    assert -1e-9 <= told <= still_open + 1e-3
    assert information(shares, outcomes, 2 * noise) <= told + 1e-3


PIECES = (
    Strip(mass_g=4.0, clock=3, length_mm=80, mirror=True),
    Plug(mass_g=6.0, from_mm=5, to_mm=35),
)


def suspicion(key, likely, piece=None, grams=None, **explains):
    base = dict.fromkeys(("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"), 0.0)
    said = (
        message("place", piece=1, by=15, nearer_tip=True) if "place" in key else message("chance")
    )
    return Suspicion(key, said, base | explains, 1.0, likely=likely, piece=piece, grams=grams)


OFF = Residual("mass_g", 326.0, 327.0, 0.1)


def acted(*suspicions):
    return best_act(Compared((OFF,), suspicions, 100.0), PIECES, TERN)


def test_each_pair_of_suspects_has_its_act():
    heavy = suspicion("mass-1", 0.5, piece=1, grams=1.0)
    drift = suspicion("drift-mass_g", 0.4, mass_g=1.0)
    act = acted(heavy, drift)
    # Either the piece alone or another scale tells: a gram stands out more from 0.1 g of the one.
    assert act.key in ("weigh-1", "read-mass_g")
    assert act.tells > 0.99
    half = suspicion("half-0", 0.5, piece=0, mass_g=-2.0)
    act = acted(half, suspicion("place-0", 0.4, piece=0))
    assert (act.key, act.asks, act.piece) == ("weigh-0", "grams", 0)
    moved = suspicion("place-0", 0.6, piece=0)
    act = acted(moved, suspicion("before-swing_kgcm2", 0.4))
    assert (act.key, act.asks) == ("place-0", "place")
    assert act.text == "Measure how far the middle of piece 1 lies from the butt"
    act = acted(drift, suspicion("before-mass_g", 0.4))
    assert (act.key, act.figure) == ("read-mass_g", "mass_g")
    assert act.text == "Read the mass again, with another instrument"
    backed = suspicion("backing", 0.5, mass_g=0.48)
    assert next_act._grams(backed, 0, PIECES) == pytest.approx(0.48)
    assert next_act._grams(backed, 1, PIECES) == 0.0
    act = acted(backed, suspicion("before-balance_mm", 0.4))
    assert (act.key, act.tells > 0.99) == ("weigh-0", True)
    swap = suspicion("swapped-0-1", 0.5)
    assert next_act._grams(swap, 0, PIECES) == 2.0
    assert next_act._grams(swap, 1, PIECES) == -2.0
    assert next_act._place(swap, 0, PIECES, TERN) < -400


def test_what_nothing_can_separate_has_no_act():
    assert acted(suspicion("before-mass_g", 0.5), suspicion("before-balance_mm", 0.5)) is None
    assert acted() is None


def test_a_lone_suspicion_is_looked_at_and_two_that_look_alike_are_passed_over():
    alone = acted(suspicion("half-0", 1.0, piece=0, mass_g=-2.0))
    assert (alone.key, alone.other) == ("weigh-0", 0)
    # A figure that agrees tells nothing of one that was typed wrong.
    near = Residual("swing_kgcm2", 331.4, 331.0, 0.4)
    slip = (suspicion("typed-mass_g-tenfold-326", 1.0, mass_g=-293.4),)
    far = Residual("mass_g", 326.0, 32.6, 0.1)
    again = best_act(Compared((near, far), slip, 100.0), PIECES, TERN)
    assert (again.key, again.other, again.tells > 0.99) == ("read-mass_g", 0, True)
    # Drift and a typing slip look alike on another reading: it tells both from the third.
    alike = (suspicion("drift-mass_g", 0.5), suspicion("typed-mass_g-309", 0.3))
    third = acted(*alike, suspicion("before-mass_g", 0.2))
    assert (third.key, third.other) == ("read-mass_g", 3)


def test_two_are_called_alike_only_where_no_act_at_all_tells_them_apart():
    # The best act tells 1 from 3; that another, worth less, tells 1 from 2 is no reason to give up.
    drift, typed = suspicion("drift-mass_g", 0.5), suspicion("typed-mass_g-309", 0.3)
    half = suspicion("half-0", 0.02, piece=0, mass_g=-0.2)
    before = suspicion("before-mass_g", 0.2)

    def alike(*suspicions):
        return next_act.are_alike(Compared((OFF,), suspicions, 100.0), PIECES, TERN)

    assert acted(drift, half, before).key == "read-mass_g"
    assert not alike(drift, half, before)
    assert alike(drift, typed, before)
    assert alike(drift, typed)
    assert not alike(drift)
    # Weighing the piece tells most here, and tells 1 from 3 only.
    place = suspicion("place-0", 0.48, piece=0)
    far = suspicion("half-0", 0.5, piece=0, mass_g=-2.0)
    assert not alike(far, place, suspicion("chance", 0.02))


def test_an_axis_is_looked_for_where_it_is_suspected():
    said = message("axis", axis=98.0, noted=100.0)
    axis = replace(suspicion("axis-98", 0.5), message=said)
    act = acted(axis, suspicion("drift-mass_g", 0.4))
    assert act.key in ("axis", "read-mass_g")
    assert next_act._axis(axis) == -2.0
    assert next_act._axis(suspicion("drift-mass_g", 0.4)) == 0.0


def test_the_act_brings_the_planted_mistake_out():
    """Told what it asked for, the trial names what was planted, over many fittings."""
    rng = random.Random("acts in Skerrow")
    told = asked = 0
    for _ in range(60):
        one = diagnosis.Fitting(TERN, READ, rng)
        found, _ = diagnosis.drifted(one)
        act = best_act(found, one.noted, TERN)
        if act is None or act.figure != "swing_kgcm2":
            continue
        asked += 1
        del one.off["swing_kgcm2"]
        again = one.compared(one.read())
        told += again.is_agreed
    assert asked > 20
    assert told >= 0.85 * asked
