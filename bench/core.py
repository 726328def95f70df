"""How quick and how exact the core is: .venv/bin/python -m bench.core"""

from __future__ import annotations

import json
import math
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import replace

from kentrobar.core.frame.predict import LadenFrame, predict
from kentrobar.core.geometry.outline import LINES, Paddle, Racket
from kentrobar.core.io.plans import dump_plan
from kentrobar.core.pieces.body import KGCM2
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat
from tests.core.frames import READ, SHOAL, TERN

TWELVE: tuple[Piece, ...] = (
    *(
        Strip(
            mass_g=1 + i / 4,
            clock=0.4 + 1.7 * i,
            length_mm=40 + 30 * i,
            line=LINES[i % 3],
            mirror=i % 2 == 0,
            material=f"{('lead-free tape, 6', 'tungsten tape, 12')[i % 2]} mm",
        )
        for i in range(7)
    ),
    Plug(mass_g=5, from_mm=8, to_mm=32),
    Sleeve(mass_g=5.5, from_mm=0, to_mm=190),
    Point(mass_g=2.4, x_mm=352),
    Throat(mass_g=1, from_mm=250, to_mm=320),
    Strings(mass_g=16.5),
)
POINTS = 100_000


def main() -> None:
    plan = LadenFrame(frame=TERN, measured=READ, pieces=TWELVE)
    times = []
    for i in range(400):
        # Another frame each time, so that no outline is remembered from the round before.
        fresh = replace(plan, frame=replace(TERN, length_mm=686 + i / 100))
        started = time.perf_counter()
        predict(fresh)
        times.append((time.perf_counter() - started) * 1000)
    warm = []
    for _ in range(400):
        started = time.perf_counter()
        predict(plan)
        warm.append((time.perf_counter() - started) * 1000)
    print(f"12 pieces predicted: {statistics.median(warm):.2f} ms; on a frame not seen before: "
          f"{statistics.median(times):.2f} ms (wanted: 1 ms)")  # fmt: skip
    print(f"furthest from a sum of {POINTS} points: {worst():.6f} kg·cm² (wanted: 0.01)")
    print(f"python -m kentrobar.core predict, in all: {command_line(plan):.3f} s (wanted: 0.35 s)")


def worst() -> float:
    """The largest difference in swing or twist weight of any strip from a plain sum along its
    curve."""
    most = 0.0
    for outline in (TERN, SHOAL):
        for piece in (p for p in TWELVE if isinstance(p, Strip)):
            body, (swing, twist) = body_of(piece, outline), summed(piece, outline)
            off = (abs(body.swing(100) - swing), abs(body.twist - twist))
            most = max(most, *(difference / KGCM2 for difference in off))
    return most


def summed(piece: Strip, outline: Racket | Paddle) -> tuple[float, float]:
    """Swing weight about 100 mm and twist weight of a strip by walking a fine polygon, no
    integrals."""
    path = outline.path(piece.line)
    ring = [path.point(path.length * i / POINTS) for i in range(POINTS)]
    cx, tip_away = outline.face_centre_mm, piece.clock * 30
    # The centre of the strip: the polygon's point nearest to its clock ray.
    middle = min(
        range(POINTS),
        key=lambda i: abs(
            (math.degrees(math.atan2(ring[i][1], ring[i][0] - cx)) - tip_away + 180) % 360 - 180
        ),
    )
    reach = round(piece.length_mm / path.length * POINTS / 2)
    points = [ring[(middle + i) % POINTS] for i in range(-reach, reach + 1)]
    zz = (outline.beam_mm / 2) ** 2 if piece.line == "face" else 0.0
    gram = piece.mass_g / len(points)
    return (
        sum(((x - 100) ** 2 + zz) * gram for x, _ in points),
        sum((y * y + zz) * gram for _, y in points),
    )


def command_line(plan: LadenFrame) -> float:
    with tempfile.NamedTemporaryFile("w", suffix=".json") as file:
        json.dump(dump_plan(plan), file)
        file.flush()
        times = []
        for _ in range(7):
            started = time.perf_counter()
            subprocess.run(
                [sys.executable, "-m", "kentrobar.core", "predict", file.name],
                check=True,
                capture_output=True,
            )
            times.append(time.perf_counter() - started)
    return statistics.median(times)


if __name__ == "__main__":
    main()
