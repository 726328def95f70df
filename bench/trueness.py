"""Whether ± means what it says: whole measurements simulated, with instruments that wander, scatter
that is guessed and frames whose truth is known.

    .venv/bin/python -m bench.trueness

Prints how often the truth lies within ± 2u, beside what is wanted, how often a planted mistake is
named, and how near the searches come. Seeded; a few minutes.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Iterator
from dataclasses import replace

from bench import diagnosis, recipes, sets
from kentrobar.core.frame.predict import Measured
from kentrobar.core.frame.together import computed_with, slopes
from kentrobar.core.measure.balance import (
    SUPPORT_U_MM,
    ZERO_U_MM,
    BalanceBoard,
    KnifeEdge,
    TwoScales,
    support_loads,
)
from kentrobar.core.measure.bifilar import SPACING_U_MM, Bifilar
from kentrobar.core.measure.machine import Machine
from kentrobar.core.measure.method import Kit
from kentrobar.core.measure.motion import read_motion
from kentrobar.core.measure.pendulum import Pendulum, pendulum_period
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.measure.sample import GUESSED_DOF, NEVER_CHECKED, wander_u
from kentrobar.core.measure.scale import Scale
from kentrobar.core.measure.swinging import PENDULUM, lengthening, mean_square, two_thread_c2
from kentrobar.core.measure.taps import fit
from kentrobar.core.measure.usual import BY_KEY
from kentrobar.core.numbers import Number, WithU, nominal, ufloat, uncertainty
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.units import read_inertia, read_repeats

RUNS = 4000
PIN = 643.0


class Frame:
    """One of many: true figures, drawn anew for every run."""

    def __init__(self, rng: random.Random) -> None:
        self.mass = rng.uniform(290, 340)
        self.balance = rng.uniform(310, 335)
        self.recoil = rng.uniform(145, 170)

    def swing(self, axis: float = 100.0) -> float:
        return self.recoil + self.mass * (self.balance - axis) ** 2 / KGCM2


def shown(value: float, step: float) -> float:
    return round(value / step) * step


def scale(rng: random.Random, frame: Frame, repeats: int = 3, **how: float) -> Number:
    """A scale of 0.1 g that reads ``off`` too much, scatters by ``sigma`` and is taken to scatter
    by ``guess``."""
    off, sigma = how.get("off", 0.0), how.get("sigma", 0.05)
    readings = [shown(rng.gauss(frame.mass + off, sigma), 0.1) for _ in range(repeats)]
    return (
        Scale(
            readings_g=readings, resolution_g=0.1, repeatability_g=how.get("guess"),
            repeatability_freedom=how.get("freedom", 20.0),
            drift_g=WithU(value=0.0, u=how.get("drift_u", 0.0)),
        )
        .reduce()
        .value
    )  # fmt: skip


def machine(rng: random.Random, frame: Frame, repeats: int = 3, **how: float) -> Number:
    off, sigma = how.get("off", 0.0), how.get("sigma", 0.5)
    readings = [shown(rng.gauss(frame.swing() + off, sigma), 1.0) for _ in range(repeats)]
    return (
        Machine(
            readings_kgcm2=readings, axis_mm=100.0, resolution_kgcm2=1.0,
            repeatability_kgcm2=how.get("guess"),
            repeatability_freedom=how.get("freedom", 20.0),
            drift_kgcm2=WithU(value=0.0, u=how.get("drift_u", 0.0)),
        )
        .reduce()
        .value
    )  # fmt: skip


def edge(rng: random.Random, frame: Frame, repeats: int = 3, **how: float) -> Number:
    sigma = how.get("sigma", 1.0)
    readings = [shown(rng.gauss(frame.balance, sigma), 1.0) for _ in range(repeats)]
    return (
        KnifeEdge(
            readings_mm=readings, repeatability_mm=how.get("guess"),
            repeatability_freedom=how.get("freedom", 20.0),
        )
        .reduce()
        .value
    )  # fmt: skip


def by_pendulum(rng: random.Random, frame: Frame) -> Measured:
    """Mass by scale, balance over an edge, swing weight by a pendulum that was told both."""
    mass = scale(rng, frame, guess=0.05)
    balance = edge(rng, frame, guess=1.0)
    period = pendulum_period(frame.mass, frame.balance, frame.recoil, PIN)
    told = Pendulum(
        mass_g=_with_u(mass), balance_mm=_with_u(balance),
        pivot_mm=WithU(value=rng.gauss(PIN, 0.5), u=0.5),
        period_s=WithU(value=rng.gauss(period, 0.0006), u=0.0006), axis_mm=100.0,
    ).reduce().figures["swing_kgcm2"]  # fmt: skip
    by = slopes(told, ("mass_g", "balance_mm"))
    known = {"mass_g": mass, "balance_mm": balance}
    swing = computed_with(nominal(told), uncertainty(told) or 0.0, by, known, known)
    return Measured(mass_g=mass, balance_mm=balance, swing_kgcm2=swing, axis_mm=100.0)


def _with_u(value: Number) -> WithU:
    return WithU(value=nominal(value), u=uncertainty(value) or 0.0)


def walked(band: float, share: float) -> float:
    """A random walk that comes to half its band by the next check."""
    return band / 2 * math.sqrt(share)


def wandered(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Read when the next check is due: a scale of 0.3 g and a machine of 1.5 kg·cm² of band."""
    frame, share = Frame(rng), rng.uniform(0.2, 1.0)
    grams, inertia = wander_u(0.3, share), wander_u(1.5, share)
    mass = scale(rng, frame, guess=0.05, off=rng.gauss(0, walked(0.3, share)), drift_u=grams)
    balance = edge(rng, frame, guess=1.0)
    swing = machine(rng, frame, guess=0.5, off=rng.gauss(0, walked(1.5, share)), drift_u=inertia)
    read = Measured(mass_g=mass, balance_mm=balance, swing_kgcm2=swing, axis_mm=100.0)
    yield "wandered: mass", mass, frame.mass
    yield "wandered: swing weight", swing, frame.swing()
    yield "wandered: recoil weight", read.body().recoil_kgcm2, frame.recoil


def guessed(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Twice as noisy as such instruments usually are."""
    frame = Frame(rng)
    for repeats in (1, 3):
        how = {"freedom": GUESSED_DOF}
        balance = edge(rng, frame, repeats, sigma=2.0, guess=1.0, **how)
        swing = machine(rng, frame, repeats, sigma=1.0, guess=0.5, **how)
        many = "one reading" if repeats == 1 else f"{repeats} readings"
        yield f"scatter guessed, {many}: balance", balance, frame.balance
        yield f"scatter guessed, {many}: swing weight", swing, frame.swing()


def typed(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Typed in one box, with the instruments shops usually have, off as they are."""
    frame = Frame(rng)
    cases = (
        ("scale off 0.1 to 0.4 g", "scale-0.1", frame.mass, rng.uniform(0.1, 0.4), 0.05, 0.1),
        ("kitchen scale off 0.3 g", "scale-1", frame.mass, 0.3, 0.2, 1.0),
        ("machine off 0.75", "machine-1", frame.swing(), 0.75, 0.5, 1.0),
        ("edge and ruler", "ruler", frame.balance, 0.0, 1.0, 1.0),
    )
    for name, key, true, off, sigma, step in cases:
        for repeats in (1, 2, 3):
            values = [shown(rng.gauss(true + off, sigma), step) for _ in range(repeats)]
            read = read_repeats(" ".join(f"{one:.1f}" for one in values), read_inertia)
            u = BY_KEY[key].u_of(replace(read, step=step))
            yield f"typed {repeats}: {name}", ufloat(read.value, u), true


def drifted(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Off by anything within its band, however long since its check."""
    frame, share = Frame(rng), rng.uniform(0.2, 1.0)
    mass = scale(rng, frame, guess=0.05, off=rng.uniform(-0.3, 0.3), drift_u=wander_u(0.3, share))
    yield "drift even in its band: mass", mass, frame.mass
    span = scale(
        rng, frame, guess=0.05, off=0.001 * frame.mass, drift_u=wander_u(0.3, NEVER_CHECKED)
    )
    yield "span 0.1 % off, never checked: mass", span, frame.mass


def balanced(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Boards with a broad edge, read askew, their zero off; two supports on scales that drifted."""
    frame = Frame(rng)
    length, kerf = 686.0, rng.uniform(1.0, 2.0)
    zero, askew = 250.0, rng.gauss(0, 0.35)
    known = {"resolution_mm": 1.0, "repeatability_mm": 0.5, "repeatability_freedom": GUESSED_DOF}

    def read(at: float, off: float) -> float:
        tips = rng.uniform(-kerf / 2, kerf / 2)
        return shown(rng.gauss(at + tips + askew - off, 0.3), 0.5)

    off = rng.choice((-1.0, 1.0))
    once = [read(frame.balance - zero, off) for _ in range(3)]
    offset = WithU(value=zero, u=ZERO_U_MM)
    board = {"readings_mm": once, "offset_mm": offset, "edge_mm": 1.5, **known}
    yield "board, edge 1–2 mm, zero off 1", BalanceBoard(**board).reduce().value, frame.balance
    turned = read(length - frame.balance - zero, off)
    both = BalanceBoard(**board, turned_mm=turned, length_mm=WithU(value=length, u=0.5))
    yield "the same, turned round too", both.reduce().value, frame.balance
    loads = support_loads(frame.mass, frame.balance, 20.0, 666.0)
    m1, m2 = (shown(rng.gauss(one + rng.uniform(-0.3, 0.3), 0.05), 0.1) for one in loads)
    at = (WithU(value=x + rng.choice((-1.0, 1.0)), u=SUPPORT_U_MM) for x in (20.0, 666.0))
    x1, x2 = at
    kit = Kit(0.1, 0.05, (0.0, wander_u(0.3, 1.0)))
    supports = TwoScales(
        m1_g=m1, m2_g=m2, x1_mm=x1, x2_mm=x2,
        **TwoScales.of_kit(kit) | {"drift_g": WithU(value=0.0, u=wander_u(0.3, 1.0))},
    )  # fmt: skip
    found = supports.reduce()
    yield "two supports: mass", found.figures["mass_g"], frame.mass
    yield "two supports, places off 1 mm: balance", found.value, frame.balance


def unknown(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Nothing known of the instrument but its repeats."""
    frame = Frame(rng)
    for repeats in (2, 3, 4):
        yield f"{repeats} repeats: mass", scale(rng, frame, repeats, sigma=0.2), frame.mass
        yield f"{repeats} repeats: balance", edge(rng, frame, repeats, sigma=1.5), frame.balance


def tied(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    frame = Frame(rng)
    read = by_pendulum(rng, frame)
    body = read.body()
    yield "pendulum: swing weight", read.swing_kgcm2, frame.swing()
    yield "pendulum: recoil weight", body.recoil_kgcm2, frame.recoil
    yield "pendulum: about 50 mm", body.swing_kgcm2(50.0), frame.swing(50.0)
    alone = replace(read, swing_kgcm2=ufloat(nominal(read.swing_kgcm2), _u(read.swing_kgcm2)))
    yield "the same, untied: recoil weight", alone.body().recoil_kgcm2, frame.recoil


def tapped(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Forty passes, tapped by hands of every kind; 0.69 s apart."""
    hands = {
        "an even hand": (0.0, 0.0, 0.0), "taps that err alike": (0.6, 0.0, 0.0),
        "a hand that creeps": (0.0, 0.005, 0.0), "a hand that tires": (0.0, 0.0, 0.06),
    }  # fmt: skip
    for name, (alike, walk, late) in hands.items():
        error, crept, times = 0.0, 0.0, []
        for i in range(40):
            error = alike * error + rng.gauss(0, 0.02 * math.sqrt(1 - alike**2))
            crept += rng.gauss(0, walk)
            times.append(0.69 * i + error + crept + late * (1 - math.exp(-i / 13)))
        yield f"{name}: period", fit(times).period(2), 1.38


def recorded(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """25 s of a phone's logger, the first two in the hand; 1.31 s a swing."""
    for name, noise, second in (
        ("a clear recording", 0.05, 0.0), ("one of twice its noise", 0.5, 0.0),
        ("a second swing 4 % apart, half as wide", 0.05, 0.5),
    ):  # fmt: skip
        try:
            yield f"{name}: period", read_motion(recording(rng, noise, second)).period_s, 1.31
        except NoSwingError:
            yield f"{name}: refused", 0.0, 1.0

    for ppm in (100, 500):
        found = read_motion(recording(rng, 0.05, 0.0, rng.choice((-1e-6, 1e-6)) * ppm))
        yield f"a clock {ppm} ppm off: period", found.period_s, 1.31


def recording(rng: random.Random, noise: float, second: float, clock: float = 0.0) -> str:
    phase, other = rng.uniform(0, 6.28), rng.uniform(0, 6.28)
    rows = ["t,x"]
    for i in range(1250):
        t = i / 50
        swing = math.exp(-0.02 * t) * math.cos(math.tau * t / 1.31 + phase)
        beside = second * math.cos(math.tau * t * 1.04 / 1.31 + other)
        x = swing + beside if i >= 100 else rng.gauss(0, 2.5)
        rows.append(f"{t * (1 + clock):.6f},{x + rng.gauss(0, noise):.5f}")
    return "\n".join(rows)


def swung(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """A pendulum whose width nobody looked at, or only at first."""
    frame = Frame(rng)
    small = pendulum_period(frame.mass, frame.balance, frame.recoil, PIN)
    first, lost = abs(rng.gauss(8, 3)), max(rng.gauss(0.02, 0.01), 0.001)
    last = first * math.exp(-20 * lost)
    longer = 1 + nominal(mean_square(first, last)) / 16
    given = {
        "mass_g": frame.mass, "balance_mm": frame.balance, "pivot_mm": PIN, "axis_mm": 100.0,
        "period_s": WithU(value=rng.gauss(small * longer, 0.0003), u=0.0003), "usual_swing": True,
    }  # fmt: skip
    for name, said in (("no width", {}), ("the first width", {"amplitude_deg": first})):
        yield f"{name} said: swing weight", Pendulum(**given, **said).reduce().value, frame.swing()


def swung_wide(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Let go as wide as a hand does that nobody told how; nobody looked."""
    frame = Frame(rng)
    small = pendulum_period(frame.mass, frame.balance, frame.recoil, PIN)
    first, lost = rng.uniform(12, 25), max(rng.gauss(0.02, 0.01), 0.001)
    longer = 1 + nominal(mean_square(first, first * math.exp(-20 * lost))) / 16
    given = {
        "mass_g": frame.mass, "balance_mm": frame.balance, "pivot_mm": PIN, "axis_mm": 100.0,
        "period_s": WithU(value=rng.gauss(small * longer, 0.0003), u=0.0003), "usual_swing": True,
    }  # fmt: skip
    yield "12–25° and not said: swing weight", Pendulum(**given).reduce().value, frame.swing()
    apart, thread, twist = 220.0, 800.0, rng.uniform(11, 16)
    still = math.tau * math.sqrt(twist * KGCM2 * thread / (frame.mass * 9806.65 * apart**2 / 4))
    first = rng.uniform(20, 40)
    square = mean_square(first, first * math.exp(-20 * lost))
    c2 = two_thread_c2(apart, apart, thread, still, 9.80665)
    period = still * nominal(lengthening(square, c2, PENDULUM[1]))
    turned = Bifilar(
        mass_g=frame.mass, thread_mm=thread, spacing_top_mm=apart, spacing_bottom_mm=apart,
        period_s=WithU(value=rng.gauss(period, 0.0003), u=0.0003), usual_swing=True,
    ).reduce()  # fmt: skip
    yield "threads 20–40° and not said: twist weight", turned.value, twist


def spaced(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """Two threads whose spacings are each 1 mm off, either way; seen to swing 15°."""
    frame, twist = Frame(rng), rng.uniform(11, 16)
    apart, thread = rng.uniform(180, 260), 800.0
    true = [apart + rng.choice((-1.0, 1.0)) for _ in range(2)]
    r2 = true[0] * true[1] / 4
    still = math.tau * math.sqrt(twist * KGCM2 * thread / (frame.mass * 9806.65 * r2))
    read = Bifilar(
        mass_g=frame.mass, thread_mm=thread,
        spacing_top_mm=WithU(value=apart, u=SPACING_U_MM),
        spacing_bottom_mm=WithU(value=apart, u=SPACING_U_MM),
        period_s=WithU(value=rng.gauss(still, 0.0003), u=0.0003),
    ).reduce()  # fmt: skip
    yield "threads' spacing off 1 mm: twist weight", read.value, twist


def dying(rng: random.Random) -> Iterator[tuple[str, Number, float]]:
    """A recording of a swing that is wide at first and dies fast, at 25 samples a second."""
    small, first, decay = rng.uniform(1.0, 1.6), rng.uniform(15, 25), rng.uniform(0.03, 0.12)
    rows = ["t,x"]
    phase = rng.uniform(0, 6.28)
    for i in range(600):
        t = i / 25
        behind = math.radians(first) ** 2 / 16 * (1 - math.exp(-2 * decay * t)) / (2 * decay)
        x = math.exp(-decay * t) * math.cos(math.tau * (t - behind) / small + phase)
        rows.append(f"{t:.4f},{x + rng.gauss(0, 0.01):.5f}")
    found = read_motion("\n".join(rows))
    begun = first * math.exp(-decay * found.start_s)
    square = mean_square(begun, found.amplitude_end(begun), "samples")
    yield "25 Hz, 20° dying fast: period", found.period_s / lengthening(square, *PENDULUM), small


def _u(value: Number) -> float:
    return uncertainty(value) or 0.0


def coverage(
    simulate: Callable[[random.Random], Iterator[tuple[str, Number, float]]], runs: int = RUNS
) -> dict[str, float]:
    """By case, how often the truth lies within ± 2u."""
    rng = random.Random(f"{simulate.__name__} in Skerrow")
    held: dict[str, int] = {}
    for _ in range(runs):
        for name, value, true in simulate(rng):
            inside = abs(nominal(value) - true) <= 2 * _u(value)
            held[name] = held.get(name, 0) + inside
    return {name: count / runs for name, count in held.items()}


def stated_chance(runs: int = RUNS) -> list[tuple[float, float, int]]:
    """(stated, realised, cases) by tenths: that a swing weight read with a machine that wandered
    lies within a tolerance of a target."""
    rng = random.Random("chances in Skerrow")
    tenths: dict[int, list[tuple[float, bool]]] = {}
    for _ in range(runs):
        frame = Frame(rng)
        inertia = wander_u(1.5, 1.0)
        swing = machine(rng, frame, guess=0.5, off=rng.gauss(0, inertia), drift_u=inertia)
        tol = rng.uniform(0.3, 3.0)
        aimed = nominal(swing) + rng.uniform(-1, 1) * tol
        stated = _normal((aimed + tol - nominal(swing)) / _u(swing)) - _normal(
            (aimed - tol - nominal(swing)) / _u(swing)
        )
        met = abs(frame.swing() - aimed) <= tol
        tenths.setdefault(min(int(stated * 10), 9), []).append((stated, met))
    return [
        (sum(s for s, _ in rows) / len(rows), sum(m for _, m in rows) / len(rows), len(rows))
        for _, rows in sorted(tenths.items())
    ]


def _normal(z: float) -> float:
    return 0.5 * (1 + math.erf(z / math.sqrt(2)))


WANTED = {
    "12–25° and not said: swing weight": "≥ 90",
    "threads 20–40° and not said: twist weight": "≥ 90",
    # What may be twice as much as usual leaves more open than a usual one does.
    "typed 1: edge and ruler": "≥ 90",
    "typed 2: edge and ruler": "≥ 90",
    "typed 3: edge and ruler": "≥ 90",
    "the same, turned round too": "≥ 90",
    "25 Hz, 20° dying fast: period": "≥ 92",
    "two supports: mass": "≥ 90",
    "two supports, places off 1 mm: balance": "≥ 90",
    "span 0.1 % off, never checked: mass": "≥ 90",
    "a clear recording: period": "≥ 90",
    "a clock 100 ppm off: period": "≥ 90",
    "a clock 500 ppm off: period": "≥ 90",
    "scatter guessed, one reading: balance": "≥ 90",
    "scatter guessed, one reading: swing weight": "≥ 90",
    "scatter guessed, 3 readings: balance": "≥ 90",
    "scatter guessed, 3 readings: swing weight": "≥ 90",
    "the same, untied: recoil weight": "too wide",
    "taps that err alike: period": "≥ 90",
    "a hand that creeps: period": "wider",
    "a hand that tires: period": "wider",
    "one of twice its noise: period": "≥ 90",
    "a second swing 4 % apart, half as wide: period": "≥ 90",
    "no width said: swing weight": "≥ 90",
    "the first width said: swing weight": "≥ 90",
}


def main() -> None:
    print(f"{'case':44} within ± 2u   wanted")
    for simulate in (
        wandered,
        drifted,
        typed,
        balanced,
        guessed,
        unknown,
        tied,
        tapped,
        swung,
        swung_wide,
        spaced,
        dying,
        recorded,
    ):
        runs = RUNS // 20 if simulate in (recorded, dying) else RUNS
        for name, share in coverage(simulate, runs).items():
            print(f"{name:44} {100 * share:9.1f} %   {WANTED.get(name, '92–99')}")
    print("\nstated chance after wander   realised   of")
    for stated, realised, cases in stated_chance():
        print(f"{stated:26.2f} {realised:10.2f} {cases:6}")
    print("\ndiagnosis of a trial")
    diagnosis.main()
    print("\nthe search")
    recipes.many_sites()
    sets.main()


if __name__ == "__main__":
    main()
