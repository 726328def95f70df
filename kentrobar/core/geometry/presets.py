"""Common outlines to start from: rackets by head size, paddles by shape. Any dimension may be
overwritten.

A racket's hoop follows from its head size: an opening of that area, 1.36 times as long as wide
(hoops people play with lie between 1.30 and 1.42), inside a rim of the usual depth.
"""

from __future__ import annotations

import math
from dataclasses import replace

from .outline import Outline, Paddle, Racket

SQUARE_INCH = 645.16
LONG_TO_WIDE = 1.36


def racket_by_head(square_inches: float, length_mm: float = 685.8, beam_mm: float = 23.0) -> Racket:
    """A racket whose opening has ``square_inches``; other dimensions as usual for its size."""
    rim = 12.0
    opening = 2 * math.sqrt(square_inches * SQUARE_INCH / (math.pi * LONG_TO_WIDE))
    hoop = opening * LONG_TO_WIDE + 2 * rim
    base = round(length_mm - hoop)
    return Racket(
        length_mm=length_mm,
        width_mm=round(opening + 2 * rim),
        # The widest point sits a little above the middle of the hoop.
        widest_mm=round(base + 0.51 * hoop),
        hoop_base_mm=base,
        rim_mm=rim,
        beam_mm=beam_mm,
        handle_length_mm=195.0,
        handle_radius_mm=16.0,
    )


PRESETS: dict[str, tuple[str, Outline]] = {
    "racket-93": ("Racket, 93 in² head", racket_by_head(93, beam_mm=20)),
    "racket-98": ("Racket, 98 in² head", racket_by_head(98, beam_mm=22)),
    "racket-100": ("Racket, 100 in² head", racket_by_head(100, beam_mm=24)),
    "racket-105": ("Racket, 105 in² head", racket_by_head(105, beam_mm=25)),
    "racket-112": ("Racket, 112 in² head, long", racket_by_head(112, 698.5, beam_mm=27)),
    "racket-junior": ("Racket, junior, 26 in", racket_by_head(100, 660.4, beam_mm=22)),
    "paddle-classic": (
        "Paddle, classic wide",
        Paddle(
            length_mm=402,
            width_mm=200,
            handle_mm=127,
            corner_top_mm=45,
            corner_bottom_mm=38,
            rim_mm=9,
            beam_mm=14,
            handle_radius_mm=16.5,
        ),
    ),
    "paddle-even": (
        "Paddle, even",
        Paddle(
            length_mm=406,
            width_mm=192,
            handle_mm=133,
            corner_top_mm=42,
            corner_bottom_mm=36,
            rim_mm=9,
            beam_mm=15,
            handle_radius_mm=16.5,
        ),
    ),
    "paddle-long": (
        "Paddle, long and narrow",
        Paddle(
            length_mm=419,
            width_mm=184,
            handle_mm=140,
            corner_top_mm=60,
            corner_bottom_mm=30,
            rim_mm=8,
            beam_mm=14,
            handle_radius_mm=16,
        ),
    ),
    "paddle-round": (
        "Paddle, round top",
        Paddle(
            length_mm=410,
            width_mm=194,
            handle_mm=130,
            corner_top_mm=95,
            corner_bottom_mm=40,
            rim_mm=9,
            beam_mm=14,
            handle_radius_mm=16.5,
        ),
    ),
    "paddle-ellipse": (
        "Paddle, elliptic top, tapered neck",
        Paddle(
            length_mm=413,
            width_mm=190,
            handle_mm=135,
            corner_top_mm=95,
            corner_bottom_mm=30,
            rim_mm=8,
            beam_mm=14,
            handle_radius_mm=16.5,
            top_rise_mm=62,
            neck_mm=30,
        ),
    ),
    "paddle-square": (
        "Paddle, square top",
        Paddle(
            length_mm=400,
            width_mm=203,
            handle_mm=127,
            corner_top_mm=24,
            corner_bottom_mm=24,
            rim_mm=9,
            beam_mm=16,
            handle_radius_mm=16.5,
        ),
    ),
}


def filled(preset: Outline, measured: dict[str, float]) -> Outline:
    """A whole outline from its measured ``tape_first`` dimensions, the rest like ``preset``'s.

    A racket's widest point keeps its place in the hoop; handle and corners shrink where they would
    not fit. Faults are left for ``faults()`` to name.
    """
    if isinstance(preset, Racket):
        found = replace(preset, **measured)  # type: ignore[arg-type]
        share = (preset.widest_mm - preset.hoop_base_mm) / (preset.length_mm - preset.hoop_base_mm)
        widest = found.hoop_base_mm + share * (found.length_mm - found.hoop_base_mm)
        handle = min(found.handle_length_mm, found.hoop_base_mm - 60)
        return replace(
            found, widest_mm=round(widest, 1), handle_length_mm=round(max(handle, 1.0), 1)
        )
    paddle = replace(preset, **measured)  # type: ignore[arg-type]
    if preset.top_rise_mm is not None:
        face = paddle.length_mm - paddle.handle_mm
        rise = min(preset.top_rise_mm, face - paddle.corner_bottom_mm)
        paddle = replace(paddle, top_rise_mm=round(max(rise, 1.0), 1))
    most = max(min(paddle.width_mm / 2, (paddle.length_mm - paddle.handle_mm) / 2), 1.0)
    return replace(
        paddle,
        corner_top_mm=round(min(paddle.corner_top_mm, most), 1),
        corner_bottom_mm=round(min(paddle.corner_bottom_mm, most), 1),
    )
