"""Frames and figures the tests share, and Hypothesis's ways to make others."""

from hypothesis import strategies as st

from kentrobar.core.frame.predict import Measured
from kentrobar.core.geometry.outline import LINES, Outline, Paddle, Racket
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.plug import Plug
from kentrobar.core.pieces.point import Point
from kentrobar.core.pieces.sleeve import Sleeve
from kentrobar.core.pieces.strings import Strings
from kentrobar.core.pieces.strip import Strip
from kentrobar.core.pieces.throat import Throat

TERN = Racket(
    length_mm=686,
    width_mm=256,
    widest_mm=512,
    hoop_base_mm=334,
    rim_mm=12,
    beam_mm=23,
    handle_length_mm=195,
    handle_radius_mm=16,
)
SHOAL = Paddle(
    length_mm=406,
    width_mm=192,
    handle_mm=133,
    corner_top_mm=42,
    corner_bottom_mm=36,
    rim_mm=9,
    beam_mm=15,
    handle_radius_mm=16.5,
)
READ = Measured(mass_g=316.8, balance_mm=323.5, swing_kgcm2=314.6, axis_mm=100, twist_kgcm2=13.4)
PADDLE_READ = Measured(mass_g=226.8, balance_mm=233, swing_kgcm2=113, axis_mm=50, twist_kgcm2=6.3)


def sizes(low: float, high: float) -> st.SearchStrategy[float]:
    return st.floats(low, high, allow_nan=False)


@st.composite
def rackets(draw: st.DrawFn) -> Racket:
    base = draw(sizes(300, 350))
    length = draw(sizes(640, 737))
    widest = base + draw(sizes(0.35, 0.65)) * (length - base)
    return Racket(
        length_mm=length,
        width_mm=draw(sizes(220, 290)),
        widest_mm=widest,
        hoop_base_mm=base,
        rim_mm=draw(sizes(8, 15)),
        beam_mm=draw(sizes(17, 30)),
        handle_length_mm=draw(sizes(150, 220)),
        handle_radius_mm=draw(sizes(13, 18)),
    )


@st.composite
def paddles(draw: st.DrawFn) -> Paddle:
    width = draw(sizes(180, 205))

    def perhaps(low: float, high: float) -> float | None:
        return draw(st.none() | sizes(low, high))

    top = draw(sizes(0, 75))
    return Paddle(
        length_mm=draw(sizes(390, 432)),
        width_mm=width,
        handle_mm=draw(sizes(110, 150)),
        corner_top_mm=top,
        corner_bottom_mm=draw(sizes(0, 80)),
        top_rise_mm=perhaps(top / 4, min(4 * top, 100)) if top > 1 else None,
        width_high_mm=perhaps(0.93 * width, width),
        width_middle_mm=perhaps(0.95 * width, width),
        width_low_mm=perhaps(0.9 * width, width),
        neck_mm=perhaps(10, 60),
        rim_mm=draw(sizes(4, 12)),
        beam_mm=draw(sizes(10, 20)),
        handle_radius_mm=draw(sizes(13, 18)),
    )


outlines = st.one_of(rackets(), paddles())
grams = sizes(0.1, 30)


@st.composite
def pieces_on(draw: st.DrawFn, outline: Outline) -> Piece:
    """Any piece that fits this outline, put on."""
    kinds = ["strip", "strip", "plug", "sleeve", "point"]
    if isinstance(outline, Racket):
        kinds += ["throat", "strings"]
    kind, mass = draw(st.sampled_from(kinds)), draw(grams)
    if kind == "strip":
        return Strip(
            mass_g=mass, clock=draw(sizes(0, 12)), length_mm=draw(sizes(5, 400)),
            line=draw(st.sampled_from(LINES)), mirror=draw(st.booleans()),
        )  # fmt: skip
    if kind == "strings":
        return Strings(mass_g=mass)
    if kind == "point":
        half = outline.width_mm / 2
        return Point(
            mass_g=mass, x_mm=draw(sizes(0, outline.length_mm)), y_mm=draw(sizes(-half, half)),
            z_mm=draw(sizes(-20, 20)),
        )  # fmt: skip
    if kind == "throat":
        low, _, high, _ = outline.shaft()
        ends = sorted((draw(sizes(low, high)), draw(sizes(low, high))))
        return Throat(mass_g=mass, from_mm=ends[0], to_mm=ends[1])
    ends = sorted((draw(sizes(0, outline.length_mm)), draw(sizes(0, outline.length_mm))))
    return {"plug": Plug, "sleeve": Sleeve}[kind](mass_g=mass, from_mm=ends[0], to_mm=ends[1])


@st.composite
def laden(draw: st.DrawFn) -> tuple[Outline, list[Piece]]:
    """An outline and one to six pieces on it."""
    outline = draw(outlines)
    return outline, draw(st.lists(pieces_on(outline), min_size=1, max_size=6))
