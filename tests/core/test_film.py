"""A period from a film: rendered here with what people's films have in them, and held against what
they were made of."""

import json
import math
import struct
from dataclasses import replace
from fractions import Fraction

import numpy as np
import pytest

from kentrobar.core.cli import main
from kentrobar.core.errors import DocumentError
from kentrobar.core.io.films import reading_of_film, trace_of
from kentrobar.core.io.readings import dump_reading, measurement_document, reading_of
from kentrobar.core.measure.film import decode
from kentrobar.core.measure.film.decode import Pictures, UnreadableError, open_film
from kentrobar.core.measure.film.reading import OtherRateError, SlowedFilm, seen
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.numbers import nominal, uncertainty

from .films import Scene, shrunk, written

PLAIN = Scene(seconds=14)


def lasted(made: Scene, motion) -> float:
    """The mean period of the stretch that was fitted, as it was made."""
    x = np.linspace(motion.start_s, motion.end_s, 500) - made.hand_s
    lost = math.radians(made.wide_deg) ** 2 / 16
    lost = lost * (1 - np.exp(-2 * made.decay * x)) / (2 * made.decay)
    return made.period_s / float(np.polyfit(x, x - lost, 1)[0])


@pytest.mark.parametrize(
    "scene",
    [
        {}, {"hand_s": 3.0, "seconds": 18.0}, {"flicker_hz": 100.4}, {"exposure": 1.0},
        {"jitter_s": 0.005, "drops": 0.12}, {"noise": 14.0}, {"wide_deg": 1.0}, {"look": "front"},
        {"shake": 0.2}, {"other_s": 0.83}, {"rate": 60.0, "period_s": 0.82, "seconds": 10.0},
        {"width": 54, "height": 96}, {"wide_deg": 14.0, "decay": 0.05},
    ],
    ids=str,
)  # fmt: skip
def test_a_period_is_found_whatever_else_is_in_the_picture(scene):
    made = replace(PLAIN, **scene)
    found = seen(shrunk(made), made.period_s * 1.03)
    off = nominal(found.motion.period_s) - lasted(made, found.motion)
    u = uncertainty(found.motion.period_s)
    assert abs(off) < max(5e-4, 3 * u)
    assert u < 1e-3
    assert found.motion.start_s >= made.hand_s - 0.4


def test_what_a_shaken_table_leaves_near_the_swing_is_no_second_swing():
    """Two swings half a beat apart explain a little of anything restless: taken for true, they put
    the period 11 ms off."""
    shaken = Scene(
        period_s=1.632, wide_deg=9.7, decay=0.01, phase=2.62, noise=3.5, shake=0.39,
        jitter_s=0.0004, seed=17,
    )  # fmt: skip
    motion = seen(shrunk(shaken)).motion
    assert motion.notes == ()
    off = nominal(motion.period_s) - lasted(shaken, motion)
    assert abs(off) < 2 * uncertainty(motion.period_s) < 0.003


def test_what_swings_is_not_taken_off_with_the_shift_it_takes_part_in():
    """Where the light drifts, it all but was: the period came out 25 ms off."""
    drifting = Scene(
        period_s=1.36083, wide_deg=2.1202, decay=0.021236, phase=2.2232, rate=60.0, noise=1.5147,
        jitter_s=0.000977, exposure=0.58355, seed=85,
    )  # fmt: skip
    motion = seen(shrunk(drifting), 1.38).motion
    off = nominal(motion.period_s) - lasted(drifting, motion)
    assert abs(off) < max(5e-4, 2 * uncertainty(motion.period_s))


BESIDE = Scene(
    period_s=1.89232, wide_deg=10.4777, decay=0.043927, phase=3.01778, rate=29.97, noise=4.2572,
    jitter_s=0.00032, other_s=1.85088, seed=63,
)  # fmt: skip
SHAKEN = Scene(
    period_s=1.3532, wide_deg=5.334, decay=0.0096893, phase=0.64684, rate=29.97, noise=4.3026,
    jitter_s=0.000698, shake=0.35929, seed=61,
)  # fmt: skip


@pytest.mark.parametrize("made", [BESIDE, SHAKEN])
def test_places_of_the_picture_that_are_apart_are_left_out_or_counted(made):
    """What swings in a corner at nearly the same period pulled it by seventeen times its ±, a
    shaken table by five."""
    found = seen(shrunk(made), made.period_s * 1.02)
    off = nominal(found.motion.period_s) - lasted(made, found.motion)
    u = uncertainty(found.motion.period_s)
    assert abs(off) < 3 * u < 1.8e-3
    assert found.apart > 0


@pytest.mark.parametrize(
    "scene",
    [
        {"wide_deg": 3.0}, {"wide_deg": 9.0, "thick": 2.5}, {"thick": 0.5, "shake": 0.4},
        {"passer_s": 6.0, "noise": 9.0}, {"noise": 15.0, "wide_deg": 4.0}, {"askew_deg": 20.0},
        {"width": 54, "height": 96, "wide_deg": 12.0},
    ],
    ids=str,
)  # fmt: skip
def test_it_is_seen_how_wide_it_swings_and_how_that_dies(scene):
    made = replace(PLAIN, decay=0.03, **scene)
    found = seen(shrunk(made), 1.31)
    first, last, u = found.width_deg
    at = [made.wide_deg * math.exp(-0.03 * t) for t in (found.motion.start_s, found.motion.end_s)]
    assert abs(first - at[0]) < 2 * u < 0.31 * first
    assert abs(last - at[1]) < 2 * u


def test_how_wide_it_swings_is_not_told_where_it_cannot_be_seen():
    front = seen(shrunk(replace(PLAIN, look="front")), 1.31)
    assert front.width_deg is None


@pytest.mark.parametrize("beside", [(0.2, 0.07, 13.0), (0.4, -0.05, 30.0), (0.1, 0.1, 20.0)])
def test_a_frame_that_swings_in_two_ways_is_told_and_its_own_taken(beside):
    """Taken for one swing the period was 20 ms off, with a ± below 1 ms and without a word."""
    second, apart, seconds = beside
    made = replace(PLAIN, second=second, apart=apart, seconds=seconds)
    motion = seen(shrunk(made), 1.31).motion
    (told,) = motion.notes
    assert told.code == "second-swing"
    off = nominal(motion.period_s) - lasted(made, motion)
    assert abs(off) < max(2 * uncertainty(motion.period_s), 1e-3)


def test_stamps_of_a_program_are_doubted_where_the_frame_should_swing_otherwise():
    made = replace(PLAIN, jitter_s=0.0, wide_deg=4.0)
    true = shrunk(made)
    lied = replace(true, times_s=true.times_s * 30 / 25)
    with pytest.raises(OtherRateError, match=r"25 pictures a second.* at 30 a second") as asked:
        seen(lied, 1.31)
    assert (round(asked.value.stamped_hz, 6), asked.value.filmed_hz) == (25, 30)
    told = seen(lied, 1.31, filmed_hz=30.0)
    assert nominal(told.motion.period_s) == pytest.approx(1.31, abs=0.002)
    assert told.notes == ()
    # Who says it was filmed so is believed; who expects nothing is told what to hold it against.
    assert nominal(seen(lied, 1.31, filmed_hz=25.0).motion.period_s) > 1.55
    assert [one.code for one in seen(lied).notes] == ["even-stamps"]
    uneven = replace(lied, times_s=shrunk(replace(made, jitter_s=0.001)).times_s * 30 / 25)
    assert seen(uneven, 1.31).notes == ()


def test_small_swings_are_computed_with_the_width_that_was_seen():
    """The period of small swings comes out of a wide swing, which is 0.4 % slower."""
    made = replace(PLAIN, wide_deg=14.0)
    reading = {"format": "kentrobar-reading/1", "method": "film"}
    told = measurement_document(reading | trace_of(seen(shrunk(made), 1.31)))
    assert told["measured_period_s"] - told["value"] > 0.003
    assert abs(told["value"] - made.period_s) < 2 * told["u"]


def test_from_the_front_two_pulses_are_one_swing():
    """Straight from the front only its height changes, twice a swing."""
    times = np.arange(420) / 30
    angle = 0.15 * np.exp(-0.01 * times) * np.cos(2 * math.pi * times / 1.31)
    y, x = np.mgrid[:54, :96]
    tip = 30 + 90 * (1 - np.cos(angle))
    grey = [np.where(np.hypot(x - 48, y - at) < 9, 200.0, 70.0 + 20 * np.sin(x / 4)) for at in tip]
    noise = np.random.default_rng(1).normal(0, 2, (420, 54, 96))
    pictures = Pictures(times, np.clip(np.array(grey) + noise, 0, 255).astype(np.uint8))
    found = seen(pictures, 1.35)
    assert (found.beats, found.width_deg) == (2, None)
    assert nominal(found.motion.period_s) == pytest.approx(1.31, abs=0.004)
    assert "two" in str(found.motion.notes[0])
    again = reading_of({"format": "kentrobar-reading/1", "method": "film"} | trace_of(found))
    assert nominal(again.reduce().value) == pytest.approx(nominal(found.motion.period_s), abs=1e-4)


def test_slow_motion_is_asked_about_and_then_believed():
    made = shrunk(replace(PLAIN, rate=120.0, seconds=10.0))
    slow = replace(made, times_s=made.times_s * 4)
    with pytest.raises(SlowedFilm, match="4 times slower") as asked:
        seen(slow, 1.3)
    assert asked.value.times == 4
    found = seen(slow, 1.3, slowed=4)
    assert nominal(found.motion.period_s) == pytest.approx(1.31, abs=0.002)


@pytest.mark.parametrize("kind", ["still", "noise", "short"])
def test_what_does_not_swing_is_refused_with_the_reason(kind):
    rng = np.random.default_rng(4)
    still = np.tile(rng.integers(40, 200, (54, 96)), (400, 1, 1)) + rng.normal(0, 3, (400, 54, 96))
    if kind == "noise":
        still = rng.integers(0, 255, (400, 54, 96)).astype(float)
    grey = np.clip(still, 0, 255).astype(np.uint8)
    if kind == "short":
        grey = shrunk(replace(PLAIN, seconds=4.0)).grey
    with pytest.raises(NoSwingError):
        seen(Pictures(np.arange(len(grey)) / 30, grey), 1.31)


# --- files ---------------------------------------------------------------------------------------

SMALL = replace(PLAIN, width=160, height=90, seconds=11.0, jitter_s=0.003)
MS, PHONE = Fraction(1, 1000), Fraction(1, 90000)


@pytest.mark.parametrize(
    ("codec", "name", "clock", "options"),
    [
        ("libx264", "a.mp4", PHONE, {}),
        ("libx265", "a.mov", PHONE, {"x265-params": "log-level=none"}),
        ("libvpx", "a.webm", MS, {"deadline": "realtime", "cpu-used": "8"}),
        ("libvpx-vp9", "a.webm", MS, {"deadline": "realtime", "cpu-used": "8"}),
        ("mjpeg", "a.mov", PHONE, {}),
    ],
)  # fmt: skip
def test_films_are_read_by_their_own_stamps(tmp_path, codec, name, clock, options):
    path = written(SMALL, tmp_path / name, codec, clock, **options)
    shares = []
    pictures = open_film(path, shares.append)
    assert len(pictures.times_s) == len(shrunk(SMALL).times_s)
    assert np.std(np.diff(pictures.times_s)) > 0.002, "uneven, as it was filmed"
    assert len(pictures.stills) == decode.STILLS
    assert shares == sorted(shares)
    assert shares[-1] > 0.9
    motion = seen(pictures, 1.31).motion
    assert abs(nominal(motion.period_s) - lasted(SMALL, motion)) < 5e-4


def test_long_and_fast_films_are_thinned_and_bounded(tmp_path, monkeypatch):
    path = written(replace(SMALL, rate=60.0), tmp_path / "fast.mp4")
    monkeypatch.setattr(decode, "MOST_KEPT", 200)
    assert len(open_film(path).times_s) == 220
    for name, most in (("MOST_SPAN_S", 5.0), ("MOST_PICTURES", 100), ("MOST_PIXELS", 160 * 80)):
        with monkeypatch.context() as less:
            less.setattr(decode, name, most)
            with pytest.raises(UnreadableError):
                open_film(path)


def test_a_film_held_upright_has_upright_stills_and_the_same_period(tmp_path):
    """A phone writes how far its pictures are to be turned clockwise, and turns none."""
    path = written(SMALL, tmp_path / "a.mp4")
    lying = open_film(path)
    content = bytearray(path.read_bytes())
    at = content.index(b"tkhd") + 44
    for turned in (0, 90, 180, 270):
        c, s = (round(f(math.radians(turned))) << 16 for f in (math.cos, math.sin))
        content[at : at + 36] = struct.pack(">9i", c, s, 0, -s, c, 0, 0, 0, 1 << 30)
        path.write_bytes(content)
        film = open_film(path)
        for (_, still), (_, before) in zip(film.stills, lying.stills, strict=True):
            assert np.array_equal(still, np.rot90(before, -turned // 90))
        # What is read is the picture as it was taken, however it is held.
        assert np.array_equal(film.grey, lying.grey)
        assert np.array_equal(film.times_s, lying.times_s)


class Enough(Exception):
    pass


def test_the_reading_of_a_film_can_be_ended(tmp_path):
    def far(share):
        raise Enough

    with pytest.raises(Enough):
        open_film(written(replace(SMALL, seconds=4.0), tmp_path / "a.mp4"), far)


@pytest.mark.parametrize("kind", ["text", "empty", "cut", "sound", "list", "none"])
def test_what_is_no_film_is_refused(tmp_path, kind):
    path, film = tmp_path / "film.mp4", tmp_path / "real.mp4"
    if kind == "cut":
        path.write_bytes(written(replace(SMALL, seconds=4.0), film).read_bytes()[:4000])
    elif kind == "list":
        # A list that names other files is no film, whatever it is called.
        written(SMALL, film)
        path.write_text("ffconcat version 1.0\nfile real.mp4\n")
    elif kind == "sound":
        path.write_bytes(b"RIFF\x24\0\0\0WAVEfmt \x10\0\0\0\x01\0\x01\0" + bytes(40))
    elif kind != "none":
        path.write_bytes(b"swing,weight\n" * 40 if kind == "text" else b"")
    with pytest.raises(UnreadableError):
        open_film(path)


# --- its document --------------------------------------------------------------------------------


def test_a_film_is_kept_as_its_trace_and_reduced_again(tmp_path, capsys):
    path = written(SMALL, tmp_path / "film.mp4")
    setup = {
        "format": "kentrobar-reading/1", "method": "pendulum", "mass_g": 316.8, "balance_mm": 323.5,
        "pivot_mm": {"value": 643.0, "u": 0.5}, "axis_mm": 100.0,
    }  # fmt: skip
    (tmp_path / "setup.json").write_text(json.dumps(setup))
    kept = tmp_path / "kept.json"
    argv = ["reduce", str(path), "--with", str(tmp_path / "setup.json"), "--keep", str(kept)]
    assert main(argv) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["quantity"] == "swing_kgcm2"
    assert main(["reduce", str(kept)]) == 0
    assert json.loads(capsys.readouterr().out) == told
    document = json.loads(kept.read_text())
    assert len(json.dumps(document)) < 20_000
    assert measurement_document(dump_reading(reading_of(document))) == told
    by_hand = measurement_document(
        setup | {"period_s": {"value": told["period_s"], "u": told["us"]["period_s"]}}
    )
    assert by_hand["value"] == pytest.approx(told["value"], abs=0.01)
    assert main(["reduce", str(path)]) == 0
    assert json.loads(capsys.readouterr().out)["quantity"] == "period_s"
    (tmp_path / "no.mp4").write_bytes(bytes(300))
    assert main(["reduce", str(tmp_path / "no.mp4")]) == 2
    assert "cannot be read as a film" in capsys.readouterr().err
    with pytest.raises(DocumentError, match="something that swings"):
        reading_of_film(path, setup | {"method": "scale"})


def test_what_is_kept_says_how_far_places_were_apart():
    plain = {"format": "kentrobar-reading/1", "method": "film", "film": film()}
    apart = plain | {"film": film(apart=0.01)}
    assert measurement_document(plain)["u"] < 0.001 * 1.31
    assert measurement_document(apart)["u"] == pytest.approx(0.01 * 1.31, rel=0.01)


def film(**changed):
    times = [i / 30 for i in range(400)]
    trace = [100 * math.cos(2 * math.pi * t / 1.31) * math.exp(-0.02 * t) for t in times]
    return {"times_s": times, "trace": trace, "beats": 1} | changed


@pytest.mark.parametrize(
    ("changed", "path"),
    [
        ({"trace": [1.0]}, "film.trace"), ({"times_s": [], "trace": []}, "film.times_s"),
        ({"times_s": [0.0] * 400}, "film.times_s[1]"), ({"beats": 3}, "film.beats"),
        ({"apart": -0.1}, "film.apart"), ({"apart": 1.0}, "film.apart"),
        ({"times_s": [3.0 * i for i in range(400)]}, "film.times_s"),
        ({"trace": [1e300] * 400}, "film.trace"), ({"trace": [1.0] * 400}, "film.trace"),
        ({"trace": [math.nan] * 400}, "film.trace"),
    ],
)  # fmt: skip
def test_a_trace_that_cannot_be_is_refused(changed, path):
    document = {"format": "kentrobar-reading/1", "method": "film", "film": film(**changed)}
    with pytest.raises(DocumentError) as fault:
        reading_of(document).reduce()
    assert fault.value.path.startswith(path)
    with pytest.raises(DocumentError, match="one of them"):
        reading_of(
            {"format": "kentrobar-reading/1", "method": "hung-flat", "mass_g": 316.0,
             "hang_mm": 400.0, "period_s": 1.3, "film": film()}
        )  # fmt: skip
