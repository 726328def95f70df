"""Every way to measure: what it asks for, refuses, expects and comes to, held against a kept list
(``kept.py``): ``python -m tests.core.test_every_reading`` writes it again."""

import json
import math
from pathlib import Path

import pytest

from kentrobar.core.errors import DocumentError
from kentrobar.core.io.readings import READING_FORMAT, expected, reading_of, reduced
from kentrobar.core.measure import bifilar, taps, usual
from kentrobar.core.measure import method as ways
from kentrobar.core.measure.motion import read_motion
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.measure.registry import METHODS, key_of, methods_for
from kentrobar.core.measure.sample import SetAside, modified_z, sample
from kentrobar.core.reader import length_number
from tests.core.frames import PADDLE_READ, READ, SHOAL, TERN
from tests.core.kept import keep, kept, lines

KEPT = "readings.txt"
CASES = json.loads((Path(__file__).parent / "vectors" / "reduce.json").read_text())["cases"]
FRAMES = {"racket": (TERN, READ), "paddle": (SHOAL, PADDLE_READ)}
BODY = {"mass_g": {"value": 316.8, "u": 0.1}, "balance_mm": {"value": 323.5, "u": 0.5}}
TAPS = [round(0.4 + i * 0.691 + 0.004 * math.sin(5 * i), 4) for i in range(21)]
READINGS = {
    "scale": {"method": "scale", "readings_g": [317, 316.9, 317.1, 319.9], "resolution_g": 0.1,
              "count": 1, "drift_g": {"value": 0.2, "u": 0.05}, "repeatability_g": 0.06},
    "batch": {"method": "scale", "readings_g": [634], "count": 2, "resolution_g": 1},
    "board": {"method": "balance-board", "readings_mm": [72, 71.5, 72], "resolution_mm": 0.5,
              "offset_mm": {"value": 250, "u": 0.4}},
    "edge": {"method": "knife-edge", "readings_mm": [323, 324], "repeatability_mm": 0.5},
    "two": {"method": "two-scales", "m1_g": {"value": 170, "u": 0.1}, "x1_mm": 20,
            "m2_g": {"value": 147, "u": 0.1}, "x2_mm": {"value": 660, "u": 0.5},
            "resolution_g": 0.1},
    "machine": {"method": "machine", "readings_kgcm2": [314.2, 314.6], "axis_mm": 100,
                "drift_kgcm2": {"value": 0.5, "u": 0.2}, "resolution_kgcm2": 0.1},
    "period": BODY | {"method": "pendulum", "pivot_mm": {"value": 643, "u": 0.5},
                      "period_s": {"value": 1.382, "u": 0.001}, "axis_mm": 100,
                      "amplitude_deg": {"value": 8, "u": 2}},
    "taps": BODY | {"method": "pendulum", "pivot_mm": 643, "tap_times_s": TAPS,
                    "taps_per_period": 2, "amplitude_deg": 8, "amplitude_end_deg": 4,
                    "tap_jitter_s": 0.005},
    "missed": BODY | {"method": "pendulum", "pivot_mm": 643, "taps_per_period": 2,
                      "tap_times_s": TAPS[:7] + TAPS[9:15] + TAPS[16:]},
    "clamp": BODY | {"method": "pendulum", "pivot_mm": 60, "axis_mm": 100,
                     "period_s": {"value": 1.36, "u": 0.001},
                     "jig": {"mass_g": 40, "balance_mm": 62, "inertia_kgcm2": 0.02}},
    "down": BODY | {"method": "bifilar", "spacing_top_mm": 236, "spacing_bottom_mm": 234,
                    "thread_mm": {"value": 900, "u": 1}, "long_axis": "vertical",
                    "period_s": {"value": 1.05, "u": 0.001}},
    "pin": BODY | {"method": "pendulum", "pivot_mm": 643, "axis_mm": 100, "g_ms2": 9.8125,
                   "period_s": {"value": 1.382, "u": 0.001}, "usual_swing": True,
                   "pin_mm": {"value": 2, "u": 0.1}, "rests_on": "rim",
                   "air_kgcm2": {"value": 3.4, "u": 0.5}},
    "wide": BODY | {"method": "bifilar", "spacing_top_mm": 260, "spacing_bottom_mm": 200,
                    "thread_mm": 300, "amplitude_deg": {"value": 20, "u": 2}, "usual_swing": True,
                    "period_s": {"value": 0.62, "u": 0.001}},
    "level": BODY | {"method": "bifilar", "spacing_top_mm": 300, "spacing_bottom_mm": 300,
                     "thread_mm": 1000, "long_axis": "level", "axis_mm": 100,
                     "period_s": {"value": 3.05, "u": 0.002}},
    "flat": {"method": "hung-flat", "mass_g": {"value": 316.8, "u": 0.1},
             "hang_mm": {"value": 60, "u": 0.5}, "period_s": {"value": 0.93, "u": 0.001}},
    "bar": {"method": "reference-bar", "mass_g": {"value": 250, "u": 0.1},
            "length_mm": {"value": 600, "u": 0.5}, "axis_mm": 100},
    "told": {"method": "told", "quantity": "swing_kgcm2", "value": 315, "axis_mm": 100},
}  # fmt: skip
WRONG = {
    "scale": [{"readings_g": []}, {"readings_g": [0]}, {"count": 0}, {"resolution_g": -1},
              {"drift_g": {"value": 0, "u": -1}}, {"set_aside": [{"index": 9, "reason": "x"}]},
              {"set_aside": [{"index": 0, "reason": " "}]}, {"repeatability_g": -0.1},
              {"set_aside": [{"index": i, "reason": "x"} for i in range(4)]},
              {"set_aside": [{"index": 0, "reason": "x" * 201}]}],
    "board": [{"offset_mm": -900}, {"readings_mm": [-5]}, {"resolution_mm": -1}],
    "two": [{"x2_mm": 20}, {"m1_g": 0}, {"x1_mm": -1}, {"resolution_g": -1}],
    "machine": [{"axis_mm": -1}, {"readings_kgcm2": [0]}, {"resolution_kgcm2": -1}],
    "period": [{"pivot_mm": 323.5}, {"mass_g": 0}, {"period_s": 0}, {"amplitude_deg": 61},
               {"amplitude_end_deg": 9}, {"tap_times_s": TAPS}, {"axis_mm": -3}, {"g_ms2": 0}],
    "taps": [{"tap_times_s": TAPS[:2]}, {"tap_times_s": [*TAPS[:5], TAPS[3], *TAPS[5:]]},
             {"tap_times_s": [*TAPS[:5], TAPS[4] + 0.02, *TAPS[5:]]}, {"taps_per_period": 5}],
    "clamp": [{"jig": {"mass_g": 4000, "balance_mm": 500}}, {"jig": {"mass_g": -1}},
              {"jig": {"mass_g": 40}}],
    "down": [{"spacing_top_mm": 0}, {"thread_mm": 0}, {"long_axis": "askew"}],
    "pin": [{"pin_mm": 21}, {"pin_mm": -1}, {"air_kgcm2": -1}, {"rests_on": "nothing"}],
    "wide": [{"thread_mm": 25}, {"air_kgcm2": {"value": 0.1, "u": -1}}],
    "level": [{"balance_mm": None}, {"axis_mm": -1}],
    "flat": [{"hang_mm": 0}, {"period_s": 0.1}],
    "told": [{"axis_mm": None}, {"value": 0}, {"quantity": "mass_g"}],
}  # fmt: skip


def document(values):
    return {"format": READING_FORMAT} | {k: v for k, v in values.items() if v is not None}


def of_results():
    for name, values in READINGS.items():
        found = reduced(reading_of(document(values)))
        yield name, [found.quantity, found.value, dict(found.figures), found.notes, found.apart]
        yield f"{name} improved by", ways.best_improvement(found.value)
        yield f"{name} budget", ways.budget(found.value)
    for case in CASES:
        found = reduced(reading_of(case["reading"]))
        yield case["name"], [found.quantity, found.value, found.notes]


def of_faults():
    for name, changes in WRONG.items():
        for i, change in enumerate(changes):
            try:
                found = reduced(reading_of(document(READINGS[name] | change))).value
            except (DocumentError, taps.TooFewTapsError, ValueError) as fault:
                found = [type(fault).__name__, str(fault)]
            yield f"{name} {i}", found


def comes_to(values):
    """What a reading comes to, or why it is refused."""
    try:
        return reduced(reading_of(document(values))).value
    except (DocumentError, taps.TooFewTapsError, ValueError) as fault:
        return str(fault)


def of_shares():
    """What each input leaves uncertain, where every one of them is uncertain by a hundredth."""
    for name, values in READINGS.items():
        for key, value in values.items():
            for within in ("", *(value if key == "jig" else ())):
                given = value[within] if within else value
                plain = given["value"] if isinstance(given, dict) and "value" in given else given
                if not isinstance(plain, (int, float)):
                    continue
                unsure = {"value": plain, "u": 0.01 * abs(plain) or 0.01}
                change = {key: value | {within: unsure} if within else unsure}
                found = comes_to(values | change)
                if not isinstance(found, str):
                    yield f"{name} {key} {within}".strip(), ways.budget(found)


def of_inputs():
    """The boxes several methods share, as they are made."""
    outline, read = FRAMES["racket"]
    for name, box in {
        "mass": ways.mass_input(), "coarse mass": ways.mass_input(0.5),
        "balance": ways.balance_input(), "balance beside": ways.balance_input(False),
        "axis": ways.axis_input(), "axis beside": ways.axis_input(False),
        "spacing": bifilar._spacing("spacing_top", "thread spacing, top"),
    }.items():  # fmt: skip
        yield name, [
            box.name, box.key, box.holds, box.label, box.hint, box.is_needed, box.is_exact, box.u,
            box.usual and box.usual(outline, read),
        ]  # fmt: skip


def of_borders():
    """Every figure of every reading at 0, below it, and with an uncertainty below 0."""
    for name, values in READINGS.items():
        for key, value in values.items():
            if isinstance(value, (str, list)):
                continue
            if key == "jig":
                tried = [
                    {key: value | {one: bad}}
                    for one in value
                    for bad in (0, -1, {"value": 1, "u": -1})
                ]
            else:
                tried = [{key: bad} for bad in (0, -1, {"value": 1, "u": -1})]
            yield f"{name} {key}", [comes_to(values | change) for change in tried]


def of_settling():
    """What belongs together among the inputs, and what is missing beside it."""
    for name in ("clamp", "down", "level", "period", "scale"):
        values = dict(READINGS[name])
        method = METHODS[values.pop("method")]
        yield name, method.settled(values)
        for key in values:
            short = {one: given for one, given in values.items() if one != key}
            if method.settled(short) != (short, []):
                yield f"{name} without {key}", method.settled(short)
    jig = READINGS["clamp"]["jig"]
    for key in jig:
        short = {"jig": {one: given for one, given in jig.items() if one != key}}
        yield f"a clamp without {key}", METHODS["pendulum"].settled(short)


def of_methods():
    for key, one in METHODS.items():
        words = [one.label, one.gives, one.instrument, one.readings, one.is_timed]
        flags = [one.is_weak, one.is_by_hand, one.caution]
        yield key, [*words, key_of(one), *flags]
        for kind, (outline, read) in FRAMES.items():
            steps = one.steps(outline, lambda mm: f"{length_number(mm)} mm")
            yield f"{key} {kind} steps", steps
            for box in one.all_inputs():
                usual_value = box.usual and box.usual(outline, read)
                offered = box.offered and box.offered(outline)
                yield f"{key} {kind} {box.name}", [
                    box.key, box.holds, box.label, box.hint, box.is_needed, box.is_exact,
                    box.choices, box.u, usual_value, offered,
                ]  # fmt: skip
        yield (
            f"{key} kit",
            [one.usual_kit, one.of_kit(None), one.of_kit(ways.Kit(0.5, 0.2, (1, 0.1)))],
        )
    for figure in ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"):
        yield f"for {figure}", [list(methods_for(figure)), usual.choices(figure)]
    yield "usual u", [[one.step, one.scatter, one.off] for one in usual.USUAL]


def of_expectations():
    for kind, (_, read) in FRAMES.items():
        for name in (
            "scale", "board", "edge", "two", "machine", "period", "clamp", "down", "level", "flat"
        ):  # fmt: skip
            values = {k: v for k, v in READINGS[name].items()
                      if not k.startswith(("readings", "period"))}  # fmt: skip
            method = values.pop("method")
            found = expected(method, values, read)
            yield f"{kind} {name}", [found.quantity, found.value, found.figures]


def of_samples():
    values = [318.4, 318.3, 318.4, 321.0, 318.5]
    for name, one in {
        "plain": sample(values), "fine": sample(values, 0.1, 0.05),
        "aside": sample(values, 0.1, None, [SetAside(index=3, reason="x")]),
        "single": sample(values[:1], 0.1), "steady": sample([5, 5, 5], 0.0, 0.2),
    }.items():  # fmt: skip
        yield name, [one.n, one.mean, one.spread, one.sigma, one.result(), one.apart()]
    yield "z", [modified_z(values), modified_z([1, 1, 1, 2], 0.5), modified_z([1, 1])]
    yield "taps", taps.fit(TAPS)
    yield "taps missed", taps.fit(TAPS[:7] + TAPS[9:15] + TAPS[16:])
    yield "u of taps", [taps.u_of_taps(n) for n in (5, 20, 41)]


def recording(period=1.31, rate=50.0, seconds=12.0, decay=0.03, gap=False):
    rows = ["time,x,y"]
    for i in range(int(seconds * rate)):
        t = i / rate
        if gap and 5.0 < t < 5.6:
            continue
        swing = math.exp(-decay * t) * math.cos(2 * math.pi * t / period)
        noise = 0.002 * math.sin(17.3 * i) + 0.001 * math.cos(5.1 * i * i)
        rows.append(f"{t:.4f},{0.3 * swing + noise:.6f},{0.1 + noise:.6f}")
    return "\n".join(rows)


def of_recordings():
    texts = {
        "plain": recording(), "gap": recording(gap=True), "slow": recording(period=2.2),
        "milliseconds": recording().replace("time,", "time (ms),"), "short": recording(seconds=2),
        "still": recording(decay=9), "words": "no,numbers\nhere,at all",
        "coarse": recording(rate=8),
        "commas": recording().replace(",", ";").replace(".", ","),
    }  # fmt: skip
    for name, text in texts.items():
        try:
            found = read_motion(text)
            yield name, [found.period_s, found.channel, found.rate_hz, found.start_s, found.end_s,
                         found.swings, found.decay_per_s, len(found.plot), found.plot[3],
                         found.notes]  # fmt: skip
        except NoSwingError as fault:
            yield name, str(fault)
    halved = read_motion(recording(), expect_s=2.6)
    yield "beats", [halved.period_s, halved.notes]


SUBJECTS = {
    "results": of_results, "faults": of_faults, "borders": of_borders, "shares": of_shares,
    "inputs": of_inputs, "settling": of_settling, "methods": of_methods,
    "expected": of_expectations, "samples": of_samples, "recordings": of_recordings,
}  # fmt: skip


@pytest.mark.parametrize("subject", SUBJECTS)
def test_every_reading_is_as_kept(subject):
    assert lines(subject, SUBJECTS) == kept(KEPT, subject)


if __name__ == "__main__":
    keep(KEPT, SUBJECTS)
