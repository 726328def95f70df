"""A piece in the words of the bench: what it is and where it goes, in the units the reader wants."""

from __future__ import annotations

from .outline import Outline
from .pieces import Piece, Plug, Point, Sleeve, Strings, Strip, Throat
from .units import Shown, show_length

LINE_WORDS = {"edge": "on the edge", "face": "both faces", "inner": "inside"}


def name(piece: Piece, outline: Outline) -> str:
    """`Sides, both faces`, `Inside the handle`; something taken off says so."""
    if isinstance(piece, Strip):
        words = f"{_site(piece.clock)}, {LINE_WORDS[piece.line]}"
    elif isinstance(piece, Throat):
        words = "Throat, both shafts"
    elif isinstance(piece, Plug):
        held = piece.to_mm <= outline.handle_length_mm
        words = "Inside the handle" if held else "On the centre line"
    elif isinstance(piece, Sleeve):
        words = "Round the handle"
    elif isinstance(piece, Strings):
        words = "String bed"
    else:
        words = "At one point"
    return f"{words}, taken off" if piece.mass_g < 0 else words


def where(piece: Piece, shown: Shown) -> str:
    """`3 & 9 o'clock · 76.2 mm × 4`, `8.0–32.0 mm from the butt`."""
    unit = shown.length
    if isinstance(piece, Strip):
        cut = f"{show_length(piece.length_mm, unit)} {unit}"
        return f"{clock_words(piece)} · {cut}" + (f" × {piece.runs}" if piece.runs > 1 else "")
    if isinstance(piece, (Throat, Plug, Sleeve)):
        x0, x1 = show_length(piece.from_mm, unit), show_length(piece.to_mm, unit)
        return f"{x0}–{x1} {unit} from the butt"
    if isinstance(piece, Point):
        at = f"{show_length(piece.x_mm, unit)} {unit} from the butt"
        if piece.y_mm:
            side = "3" if piece.y_mm > 0 else "9"
            at += f", {show_length(abs(piece.y_mm), unit)} {unit} to {side} o’clock"
        return at
    return "inside the hoop"


def clock_words(strip: Strip) -> str:
    """`12 o'clock`, `3 & 9 o'clock`, `2:10 & 9:50`."""
    first = clock_text(strip.clock)
    if strip.mirror and strip.clock % 6:
        first = f"{first} & {clock_text(12 - strip.clock)}"
    return first if ":" in first else f"{first} o’clock"


def clock_text(hour: float) -> str:
    """A clock hour as people say it: `3`, `2:10`, `12`."""
    minutes = round(hour % 12 * 60) % 720
    whole, rest = divmod(minutes, 60)
    whole = whole or 12
    return f"{whole}:{rest:02d}" if rest else str(whole)


def _site(hour: float) -> str:
    hour %= 12
    hour = min(hour, 12 - hour)
    for limit, word in ((0.6, "Tip"), (2.4, "Shoulders"), (3.6, "Sides"), (5.4, "Lower sides")):
        if hour <= limit:
            return word
    return "Foot of the face"
