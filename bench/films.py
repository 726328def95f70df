"""How true a film's period is: .venv/bin/python -m bench.films [N]

N films of each kind (100), made up at random, rendered, reduced and held against what they were
made of: how many lie within ± 2u and within 0.5 ms or 3u, the median ±, how many widths lie within
± 2u. Then what reducing costs: 20 s of 1080p at 30 pictures a second, in two encodings.
"""

from __future__ import annotations

import math
import random
import statistics
import sys
import tempfile
import time
from dataclasses import replace
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import numpy as np

from kentrobar.core.measure.film.decode import open_film
from kentrobar.core.measure.film.reading import CLOCK, seen
from kentrobar.core.measure.recording import NoSwingError
from kentrobar.core.numbers import nominal, uncertainty
from tests.core.films import Scene, shrunk

KINDS: dict[str, dict[str, Any]] = {
    "plain": {},
    "a hand at first": {"hand_s": (1.0, 4.0)},
    "shaken table": {"shake": (0.05, 0.5)},
    "flicker": {"flicker_hz": (98.0, 122.0)},
    "exposure": {"exposure": (0.3, 1.0)},
    "uneven stamps": {"jitter_s": (0.001, 0.006), "drops": (0.0, 0.15)},
    "another swing": {"other_s": (0.5, 1.9)},
    "from the front": {"look": "front"},
    "poor light": {"noise": (8.0, 16.0)},
    "thin": {"thick": (0.4, 0.7)},
    "thick": {"thick": (1.8, 3.0)},
    "somebody walks by": {"passer_s": (2.0, 12.0)},
    "from beside the axis": {"askew_deg": (5.0, 25.0)},
    "swings in two ways": {"second": (0.05, 0.4), "apart": (0.05, 0.1)},
}


def scene(kind: str, seed: int) -> Scene:
    chance = random.Random(f"{kind} {seed}")
    more = {
        key: chance.uniform(*value) if isinstance(value, tuple) else value
        for key, value in KINDS[kind].items()
    }
    plain: dict[str, Any] = {
        "period_s": chance.uniform(0.8, 1.9), "wide_deg": chance.uniform(2.0, 12.0),
        "decay": chance.uniform(0.005, 0.05), "phase": chance.uniform(0.0, 6.28),
        "rate": chance.choice((24.0, 30.0, 29.97, 60.0)), "noise": chance.uniform(1.5, 5.0),
        "jitter_s": chance.uniform(0.0, 0.001),
    }  # fmt: skip
    return Scene(**(plain | {"seed": seed} | more))


def truth(made: Scene, start: float, end: float) -> float:
    """The mean period of a stretch, as a straight line through its phase has it."""
    x = np.linspace(start, end, 2000) - made.hand_s
    slower = math.radians(made.wide_deg) ** 2 / 16
    lost = slower * (1 - np.exp(-2 * made.decay * x)) / (2 * made.decay)
    slope = np.polyfit(x, x - lost, 1)[0]
    return made.period_s / float(slope)


def one(task: tuple[str, int]) -> tuple[float, ...] | None:
    """(what it is off by in s, u, width said, its u, width true); None where nothing was found."""
    kind, seed = task
    made = scene(kind, seed)
    pictures = shrunk(made)
    # A phone's clock is off as well, and the same for all its films.
    wrong = 1 + np.random.default_rng(seed + 7919).normal(0, CLOCK)
    try:
        found = seen(replace(pictures, times_s=pictures.times_s * wrong), made.period_s * 1.02)
    except NoSwingError:
        return None
    motion = found.motion
    off = nominal(motion.period_s) - truth(made, motion.start_s, motion.end_s)
    wide = made.wide_deg * math.exp(-made.decay * max(motion.start_s - made.hand_s, 0.0))
    said, _, u_said = found.width_deg or (math.nan, math.nan, math.nan)
    return off, uncertainty(motion.period_s) or 0.0, said, u_said, wide


def main(count: int) -> None:
    head = f"{'':22}{'found':>6}{'± 2u':>7}{'0.5 ms, 3u':>12}"
    print(f"{head}{'± ms':>7}{'worst ms':>10}{'width ± 2u':>13}")
    with Pool(2) as pool:
        for kind in KINDS:
            rows = pool.map(one, [(kind, seed) for seed in range(count)])
            there = [row for row in rows if row]
            within = sum(abs(off) <= 2 * u for off, u, *_ in there) / len(there)
            near = sum(abs(off) <= max(5e-4, 3 * u) for off, u, *_ in there) / len(there)
            u = 1000 * statistics.median(u for _, u, *_ in there)
            worst = 1000 * max(abs(off) for off, *_ in there)
            seen_wide = [row[2:] for row in there if not math.isnan(row[2])]
            true = sum(abs(said - wide) <= 2 * u_said for said, u_said, wide in seen_wide)
            wide = f"{true} of {len(seen_wide)}" if seen_wide else "–"
            held = f"{kind:22}{len(there):>6}{within:>7.0%}{near:>12.0%}"
            print(f"{held}{u:>7.2f}{worst:>10.2f}{wide:>13}", flush=True)
    _cost()


def _cost() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for codec in ("libx264", "libx265"):
            path = large(Path(folder) / f"{codec}.mp4", codec)
            started = time.perf_counter()
            pictures = open_film(path)
            read = time.perf_counter() - started
            seen(pictures, 1.31)
            whole = time.perf_counter() - started
            size = path.stat().st_size / 1e6
            print(
                f"20 s of 1080p, {codec}, {size:.0f} MB: {whole:.1f} s, {read:.1f} of it decoding"
            )


def large(path: Path, codec: str) -> Path:
    """A film in 1080p: small pictures drawn large."""
    import av

    small = shrunk(replace(Scene(), width=192, height=108))
    with av.open(str(path), "w") as container:
        stream: Any = container.add_stream(codec, rate=30)
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        stream.options = {"preset": "ultrafast", "crf": "23", "x265-params": "log-level=none"}
        for i, grey in enumerate(small.grey):
            whole = np.repeat(np.repeat(grey, 10, axis=0), 10, axis=1)
            frame = av.VideoFrame.from_ndarray(whole, "gray").reformat(format="yuv420p")
            frame.pts = i
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100)
