"""What wide swings, threads, pins, places and air do to a period, held against integrated
motions."""

import math

import numpy as np
import pytest
from scipy.integrate import quad

from kentrobar.core.geometry.outline import Paddle
from kentrobar.core.geometry.presets import PRESETS
from kentrobar.core.io.readings import reading_of
from kentrobar.core.measure.bifilar import Bifilar
from kentrobar.core.measure.hung import HungFlat
from kentrobar.core.measure.machine import Machine
from kentrobar.core.measure.motion import read_motion
from kentrobar.core.measure.pendulum import Pendulum, pendulum_period
from kentrobar.core.measure.surroundings import (
    face_air_kgcm2,
    face_air_twist_kgcm2,
    gravity,
    roll_mm,
)
from kentrobar.core.measure.swinging import mean_square, usual_mean_square
from kentrobar.core.numbers import WithU, nominal, uncertainty

G = 9806.65
M, B, RECOIL, PIVOT = 318.4, 321.0, 156.2e5, 643.0
D = PIVOT - B


def integrated(place, inertia, amplitude, mass=M):
    """The period in s of a body at ``place(angle)`` = (across, up) in mm that turns by the angle,
    let go at ``amplitude``: four times the time to the middle, from its energy at every angle."""
    step = 1e-5

    def speed_square(angle):
        (x0, z0), (x1, z1) = place(angle - step), place(angle + step)
        return ((x1 - x0) ** 2 + (z1 - z0) ** 2) / (2 * step) ** 2

    def slowness(u):
        angle = amplitude * math.sin(u)
        falls = mass * G * (place(amplitude)[1] - place(angle)[1])
        return (
            amplitude
            * math.cos(u)
            * math.sqrt((inertia + mass * speed_square(angle)) / (2 * falls))
        )

    # The very end is stood off from: nothing moves there, and nothing falls.
    return 4 * quad(slowness, 0, math.pi / 2 * 0.99999, limit=200)[0]


def read(period, **more):
    more = {"amplitude_deg": 0.0, "axis_mm": 100.0} | more
    told = Pendulum(mass_g=M, balance_mm=B, pivot_mm=PIVOT, period_s=period, **more)
    return nominal(told.reduce().figures["recoil_kgcm2"])


@pytest.mark.parametrize(("degrees", "close"), [(5, 0.01), (20, 0.02), (35, 0.1)])
def test_a_wide_swing_reads_as_a_small_one(degrees, close):
    amplitude = math.radians(degrees)
    period = integrated(lambda a: (D * math.sin(a), -D * math.cos(a)), RECOIL, amplitude)
    assert read(period, amplitude_deg=degrees) == pytest.approx(156.2, abs=close)
    if degrees > 5:
        assert abs(read(period) - 156.2) > 6


@pytest.mark.parametrize(
    ("top", "bottom", "thread", "degrees"),
    [(236, 236, 640, 15), (236, 236, 300, 15), (260, 180, 300, 20), (236, 236, 640, 30)],
)
def test_two_threads_turn_true_however_short_and_far(top, bottom, thread, degrees):
    """The frame rises as it turns, and leaning threads hang less deep than they are long."""
    inertia, r1, r2 = 13.5e5, top / 2, bottom / 2

    def place(angle):
        return 0.0, -math.sqrt(thread**2 - r1**2 - r2**2 + 2 * r1 * r2 * math.cos(angle))

    period = integrated(place, inertia, math.radians(degrees))
    told = {
        "mass_g": M, "spacing_top_mm": top, "spacing_bottom_mm": bottom, "thread_mm": thread,
        "period_s": period,
    }  # fmt: skip
    close = 0.005 if degrees < 30 else 0.03
    found = Bifilar(**told, amplitude_deg=degrees).reduce().figures["inertia_kgcm2"]
    assert nominal(found) == pytest.approx(13.5, abs=close)
    # As a pendulum's it were off by more than the whole uncertainty of a good reading.
    r, height = r1 * r2, math.sqrt(thread**2 - (r1 - r2) ** 2)
    small = period / (1 + math.radians(degrees) ** 2 / 16)
    assert abs(M * G * r * small**2 / (4 * math.pi**2 * height) / 1e5 - 13.5) > 4 * close


@pytest.mark.parametrize(("pin", "string"), [(1.0, 1.3), (3.0, 1.3), (3.0, 1.2), (2.0, None)])
def test_a_frame_rolls_on_a_round_pin(pin, string):
    """Its string (or its flat rim, a string without end) rolls over the pin without slipping."""
    r, s = pin / 2, 1e7 if string is None else string / 2

    def place(angle):
        over = angle * s / (r + s)  # how far round the pin it touches
        # The string's middle, and the balance point D + s below it; in differences, as s may be
        # huge.
        return (
            (r + s) * math.sin(over) - (D + s) * math.sin(angle),
            r * math.cos(over)
            - D * math.cos(angle)
            - 2 * s * math.sin((over + angle) / 2) * math.sin((over - angle) / 2),
        )

    period = integrated(place, RECOIL, 0.02)
    corrected = {"pin_mm": pin, "rests_on": "rim" if string is None else "string"}
    close = 0.05 if string != 1.2 else 0.08
    assert read(period, **corrected) == pytest.approx(156.2, abs=close)
    size = read(period) - 156.2
    assert size == pytest.approx(-486.2 * roll_mm(pin, string) / D, rel=0.05)
    # A rim on it: −1.5 kg·cm² for every mm of the pin's radius.
    assert -486.2 * roll_mm(2.0, None) / D == pytest.approx(-1.51, abs=0.01)


def test_gravity_is_that_of_the_place():
    assert gravity(0) == pytest.approx(9.78033, abs=1e-5)
    assert gravity(90) == pytest.approx(9.83218, abs=1e-4)
    assert gravity(45) == pytest.approx(9.80620, abs=1e-5)
    assert gravity(45, 1000) == pytest.approx(9.80620 - 0.003086, abs=1e-5)
    # At the equator the standard's g reads 1.3 kg·cm² too much.
    period = pendulum_period(M, B, 156.2, PIVOT, g_ms2=gravity(0))
    assert read(period) - 156.2 == pytest.approx(1.31, abs=0.02)
    assert read(period, g_ms2=gravity(0)) == pytest.approx(156.2, abs=1e-6)


PADDLE = PRESETS["paddle-classic"][1]
SQUARE = Paddle(
    length_mm=400, width_mm=200, handle_mm=125, corner_top_mm=0, corner_bottom_mm=0, rim_mm=9,
    beam_mm=14, handle_radius_mm=16,
)  # fmt: skip


def test_air_is_what_a_face_pushes_along_and_holds():
    # 0.65·π·1.2e-6·100² = 0.0245 g a mm, and 14 mm × 200 mm × 1.2e-6 = 0.0034 g sealed in it, from
    # 75 to 350 mm off the axis: (350³ − 75³)/3.
    pushed, held = 0.65 * math.pi * 1.2e-6 * 100**2, 14 * 200 * 1.2e-6
    by_hand = (pushed + held) * (350**3 - 75**3) / 3 / 1e5
    assert face_air_kgcm2(SQUARE, 50) == pytest.approx(by_hand, rel=1e-3)
    assert face_air_kgcm2(PADDLE, 50) == pytest.approx(3.76, abs=0.02)
    assert face_air_kgcm2(PADDLE, 236) == pytest.approx(0.48, abs=0.02)
    assert face_air_twist_kgcm2(SQUARE) == pytest.approx(
        (pushed * 100**2 / 8 + held * 100**2 / 3) * 275 / 1e5, rel=1e-3
    )
    racket = PRESETS["racket-98"][1]
    assert (face_air_kgcm2(racket, 100), face_air_twist_kgcm2(racket)) == (0, 0)


def test_methods_that_swing_a_paddle_agree_once_its_air_is_off():
    """A paddle of 228 g, balance 236, recoil 35.5, swung in air three ways."""
    mass, balance, recoil, axis = 228.0, 236.0, 35.5, 50.0
    true = recoil + mass * (balance - axis) ** 2 / 1e5
    about_axis, about_balance = (face_air_kgcm2(PADDLE, x) for x in (axis, balance))
    swung = pendulum_period(mass, balance, recoil + about_axis, axis)
    r, thread = 120.0, 700.0
    turned = 2 * math.pi * math.sqrt((recoil + about_balance) * 1e5 * thread / (mass * G * r * r))
    given = {"mass_g": mass, "balance_mm": balance, "axis_mm": axis}
    threads = {"spacing_top_mm": 2 * r, "spacing_bottom_mm": 2 * r, "thread_mm": thread}

    def figures(is_off):
        air = Pendulum.air_of(PADDLE, given | {"pivot_mm": axis}) if is_off else 0.0
        level = Bifilar.air_of(PADDLE, given | {"long_axis": "level"}) if is_off else 0.0
        machine = Machine.air_of(PADDLE, given) if is_off else 0.0
        made = (
            Pendulum(**given, pivot_mm=axis, period_s=swung, air_kgcm2=air),
            Bifilar(**given, **threads, long_axis="level", period_s=turned, air_kgcm2=level),
            Machine(readings_kgcm2=[true + about_axis], axis_mm=axis, air_kgcm2=machine),
        )
        return [nominal(one.reduce().figures["swing_kgcm2"]) for one in made]

    assert figures(is_off=True) == [pytest.approx(true)] * 3
    with_air = figures(is_off=False)
    assert with_air[0] - with_air[1] == pytest.approx(about_axis - about_balance)
    assert with_air[0] - with_air[1] > 2.5


# --- how wide it swung ---------------------------------------------------------------------------


@pytest.mark.parametrize("decay", [0.01, 0.06, 0.12])
def test_swings_that_die_fast_are_weighed_as_what_timed_them_weighs_them(decay):
    """From 20°: taken as an even mean, a recording's period is up to 0.06 % off."""
    small, first, seconds = 1.3, 20.0, 20.0

    def behind(t):
        """Seconds that wide swings have lost by then."""
        return math.radians(first) ** 2 / 16 * (1 - np.exp(-2 * decay * t)) / (2 * decay)

    t = np.arange(0, seconds, 0.02)
    signal = np.exp(-decay * t) * np.cos(2 * math.pi / small * (t - behind(t)))
    rows = "\n".join(f"{a:.4f},{b:.6f}" for a, b in zip(t, signal, strict=True))
    found = read_motion(f"t,x\n{rows}")
    assert found.notes == (), "it quickens as it dies: no second swing"
    begun = first * math.exp(-decay * found.start_s)
    square = nominal(mean_square(begun, found.amplitude_end(begun), "samples"))
    assert nominal(found.period_s) / (1 + square / 16) == pytest.approx(small, rel=8e-5)
    passes = np.arange(31) * small / 2
    taps = passes
    for _ in range(5):
        taps = passes + behind(taps)
    slope = np.polyfit(np.arange(31), taps, 1)[0] * 2
    square = nominal(mean_square(first, first * math.exp(-decay * taps[-1]), "taps"))
    assert slope / (1 + square / 16) == pytest.approx(small, rel=8e-5)


def test_what_nobody_looked_at_is_usual_and_carried():
    given = {"mass_g": M, "balance_mm": B, "pivot_mm": PIVOT, "axis_mm": 100.0}
    small = pendulum_period(M, B, 156.2, PIVOT)

    def timed(degrees, **more):
        longer = 1 + math.radians(degrees) ** 2 / 16
        return Pendulum(**given, period_s=WithU(value=small * longer, u=1e-4), **more).reduce()

    # Nothing said: 11 ± 7°, so anything from none to what a hand does lies within two u.
    for degrees in (1, 6, 18):
        told = timed(degrees, usual_swing=True)
        assert [note.code for note in told.notes] == ["usual-swing"]
        assert abs(nominal(told.figures["recoil_kgcm2"]) - 156.2) < 2 * told.u
        assert told.budget["amplitude"] == pytest.approx(2.9, abs=0.3)
    # The last one not said: it lost 2 ± 1 % a swing.
    told = timed(0, amplitude_deg=8.0, usual_swing=True)
    assert [note.code for note in told.notes] == ["usual-decay"]
    lost = 2 * 0.02 * 20
    mean = (1 - math.exp(-lost)) / lost * math.radians(8) ** 2
    assert nominal(usual_mean_square(8.0, 20)) == pytest.approx(mean)
    slow, fast = (nominal(mean_square(8.0, 8 * math.exp(-share * 20))) for share in (0.01, 0.03))
    assert uncertainty(usual_mean_square(8.0, 20)) == pytest.approx((slow - fast) / 2, rel=0.15)
    # Both said, or a document that says neither: as it is written.
    assert timed(0, amplitude_deg=8.0, amplitude_end_deg=5.0, usual_swing=True).notes == ()
    assert timed(0).notes == ()
    assert nominal(timed(0).figures["recoil_kgcm2"]) == pytest.approx(156.2, abs=1e-6)
    typed = {"format": "kentrobar-reading/1", "method": "pendulum", "typed": True, "mass_g": M}
    typed |= {"balance_mm": B, "pivot_mm": PIVOT, "period_s": 1.38}
    assert reading_of(typed).usual_swing
    flat = HungFlat(mass_g=M, hang_mm=180, period_s=0.9, usual_swing=True).reduce()
    assert [note.code for note in flat.notes] == ["weak", "usual-swing"]
