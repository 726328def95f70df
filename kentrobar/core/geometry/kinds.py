"""The one table of kinds of frame: what each is called, its outline, and what is usual with it.

A new kind is a class of outline and a row here. What asks for a shape (a hoop with strings, a
throat) asks the class; what asks for a habit reads the row.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import MISSING, dataclass, fields
from typing import Literal

from .outline import Outline, Paddle, Racket, RimLine
from .presets import PRESETS

StrokeKey = Literal["block", "volley", "groundstroke", "serve"]


@dataclass(frozen=True, slots=True)
class UsualSite:
    """A usual place for tape on the rim.

    Attributes:
        clock, mirror, line: as of a strip. first_mm: the strip to begin with. share: the longest
            strip, as a share of its line. line_bumper_on: where it lies while the bumper is on, if
            elsewhere. both_ends: whether as much lies at the opposite hour.
    """

    key: str
    name: str
    clock: float
    mirror: bool
    line: RimLine
    first_mm: float
    share: float
    line_bumper_on: RimLine | None = None
    both_ends: bool = False


@dataclass(frozen=True, slots=True)
class Stroke:
    """A ball that comes at ``ball_kmh``, and a frame that turns at ``turn`` rad/s, as it is, about
    a pivot ``pivot_mm`` from its butt: negative behind it, at the wrist, the elbow or the
    shoulder."""

    key: StrokeKey
    label: str
    ball_kmh: float
    turn: float
    pivot_mm: float


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameKind:
    """A kind of frame.

    Attributes:
        outline: its class. preset: the outline a new one begins with. tape_first: dimensions a tape
            must tell, the rest following a preset; tape_next: what it should tell next.
        likely_mm: how large each dimension can be, widely, juniors and oversizes included.
        usual: mass in g, balance and radius of gyration in share of the length, radius of gyration
            about the long axis in share of the width, each with one standard uncertainty.
            plausible: figures outside are asked about; a swing weight about ``axis_mm``.
        axis_mm: usual swing axis from the butt. balance_in: how its players tell a balance.
        ball_g: the ball. bounce: of it on a frame held fast, where a shop has not set its own.
        sites: usual places for tape on its rim, the commonest first. regions: (up to which clock
            hour, what it is called there) of its rim, tip to butt. wish_sites, blind_sites: keys
            a wish, and a search on court, begin with. quick: sites of each set-up that is shown at
            once, tip to butt; the grams are shared among them.
        strokes: of a good club player: the middle of a racket's head moves at 85 km/h in a
            groundstroke and at 105 in a serve; pivots lie between wrist and shoulder.
        plays_like: whose column of the players' words holds for it.
        first_step: how far a figure should move at first, in its unit: enough to be felt, little
            enough to go back. heavy_g: playing weight above which it is for strong, advanced
            players. most_at_once_g: put on in one go.
        putty_g: a first dose in its handle.
    """

    key: str
    label: str
    plural: str
    outline: type[Outline]
    preset: str
    tape_first: tuple[str, ...]
    tape_next: tuple[str, ...]
    likely_mm: Mapping[str, tuple[float, float]]
    usual: tuple[tuple[float, float], ...]
    plausible: Mapping[str, tuple[float, float]]
    axis_mm: float
    balance_in: Literal["pt", "%"]
    ball_g: float
    bounce: float
    sites: tuple[UsualSite, ...]
    regions: tuple[tuple[float, str], ...]
    wish_sites: tuple[str, ...]
    blind_sites: tuple[str, ...]
    quick: tuple[tuple[str, ...], ...]
    strokes: tuple[Stroke, ...]
    plays_like: Literal["racket", "paddle"]
    first_step: Mapping[str, float]
    heavy_g: float
    most_at_once_g: float
    putty_g: float

    def region(self, hour: float) -> str:
        """What its rim is called at a clock hour, on either side."""
        away = abs(math.remainder(hour, 12))
        return next(name for limit, name in self.regions if away <= limit + 1e-9)

    @property
    def is_strung(self) -> bool:
        """Whether it has a hoop with strings."""
        return issubclass(self.outline, Racket)

    @property
    def dimensions(self) -> tuple[str, ...]:
        """Names of what tells its outline."""
        return tuple(one.name for one in fields(self.outline) if one.name.endswith("_mm"))

    @property
    def optional(self) -> tuple[str, ...]:
        """Those that few need."""
        return tuple(
            one.name
            for one in fields(self.outline)
            if one.name.endswith("_mm") and one.default is not MISSING
        )


FRAME_KINDS: dict[str, FrameKind] = {
    one.key: one
    for one in (
        FrameKind(
            key="racket",
            label="racket",
            plural="rackets",
            outline=Racket,
            preset="racket-98",
            tape_first=("length_mm", "width_mm", "hoop_base_mm"),
            # A widest point 20 mm off is half a kg·cm² of every strip beside it.
            tape_next=("widest_mm",),
            likely_mm={
                "length_mm": (400, 800),
                "width_mm": (150, 330),
                "widest_mm": (250, 650),
                "hoop_base_mm": (180, 480),
                "rim_mm": (4, 30),
                "beam_mm": (8, 40),
                "handle_length_mm": (80, 280),
                "handle_radius_mm": (9, 26),
            },
            usual=((310.0, 15.0), (0.475, 0.013), (0.33, 0.006), (0.2425, 0.009)),
            plausible={"mass_g": (230, 380), "swing_kgcm2": (250, 380), "twist_kgcm2": (10, 18)},
            axis_mm=100.0,
            balance_in="pt",
            ball_g=57.7,
            bounce=0.85,
            sites=(
                UsualSite("sides", "Sides", 3, True, "face", 76.2, 0.10),
                UsualSite("tip", "Tip", 12, False, "edge", 101.6, 0.14, line_bumper_on="face"),
                UsualSite("shoulders", "Shoulders", 2, True, "inner", 50.8, 0.08),
                UsualSite("lower-sides", "Lower sides", 4, True, "inner", 50.8, 0.08),
                UsualSite("ends", "12 and 6", 12, False, "inner", 50.8, 0.07, both_ends=True),
            ),
            regions=(
                (0.35, "Tip"), (1.2, "Either side of 12"), (2.4, "Shoulders"), (3.6, "Sides"),
                (5.4, "Lower sides"), (6.0, "Bottom of the hoop"),
            ),
            wish_sites=("sides", "tip", "handle"),
            blind_sites=("tip", "sides", "throat"),
            quick=(
                ("tip",), ("shoulders",), ("sides",), ("throat",), ("handle",), ("tip", "handle"),
                ("sides", "shoulders"),
            ),
            strokes=(
                Stroke("block", "blocked ball", 90.0, 0.0, -200.0),
                Stroke("volley", "volley", 80.0, 9.0, -300.0),
                Stroke("groundstroke", "groundstroke", 60.0, 32.0, -200.0),
                Stroke("serve", "serve", 0.0, 50.0, -50.0),
            ),
            plays_like="racket",
            first_step={
                "mass_g": 4.0, "balance_mm": 4.0, "swing_kgcm2": 6.0, "twist_kgcm2": 0.6,
            },
            heavy_g=330.0,
            most_at_once_g=8.0,
            putty_g=5.0,
        ),
        FrameKind(
            key="paddle",
            label="paddle",
            plural="paddles",
            outline=Paddle,
            preset="paddle-even",
            tape_first=("length_mm", "width_mm", "handle_mm"),
            tape_next=(),
            likely_mm={
                "length_mm": (300, 620),
                "width_mm": (130, 260),
                "handle_mm": (70, 230),
                "corner_top_mm": (0, 130),
                "corner_bottom_mm": (0, 130),
                "top_rise_mm": (5, 200),
                "width_high_mm": (80, 260),
                "width_middle_mm": (80, 260),
                "width_low_mm": (80, 260),
                "neck_mm": (5, 120),
                "rim_mm": (2, 30),
                "beam_mm": (5, 30),
                "handle_radius_mm": (8, 26),
            },
            usual=((228.0, 10.0), (0.575, 0.015), (0.305, 0.008), (0.2716, 0.011)),
            plausible={"mass_g": (180, 290), "swing_kgcm2": (85, 140), "twist_kgcm2": (4.5, 9)},
            axis_mm=50.0,
            balance_in="%",
            ball_g=25.0,
            bounce=0.78,
            sites=(
                UsualSite("sides", "Sides", 3, True, "edge", 101.6, 0.13),
                UsualSite("high-corners", "High corners", 1.2, True, "edge", 76.2, 0.09),
                UsualSite("low-corners", "Low corners", 4.9, True, "edge", 76.2, 0.09),
                UsualSite("tip", "Tip", 12, False, "edge", 76.2, 0.12),
                UsualSite("throat", "Throat", 5.65, True, "edge", 25.4, 0.035),
            ),
            regions=(
                (0.7, "Tip"), (1.7, "High corners"), (4.2, "Sides"), (5.35, "Low corners"),
                (6.0, "Throat"),
            ),
            wish_sites=("sides", "low-corners", "handle"),
            blind_sites=("tip", "sides", "throat"),
            quick=(
                ("tip",), ("high-corners",), ("sides",), ("low-corners",), ("handle",),
                ("tip", "handle"), ("high-corners", "low-corners"),
            ),
            strokes=(
                Stroke("block", "blocked ball", 50.0, 0.0, -200.0),
                Stroke("volley", "volley", 40.0, 12.0, -250.0),
                Stroke("groundstroke", "groundstroke", 30.0, 28.0, -200.0),
                Stroke("serve", "serve", 0.0, 28.0, -250.0),
            ),
            plays_like="paddle",
            first_step={
                "mass_g": 4.0, "balance_mm": 4.0, "swing_kgcm2": 4.0, "twist_kgcm2": 0.4,
            },
            heavy_g=245.0,
            most_at_once_g=7.0,
            putty_g=3.0,
        ),
    )
}  # fmt: skip
FIRST_KIND = next(iter(FRAME_KINDS))
"""What a frame is taken for where nobody said."""


def kind_of(outline: Outline) -> FrameKind:
    """The row of an outline's kind."""
    return FRAME_KINDS[outline.kind]


def outline_of(kind: str, sizes: Mapping[str, float]) -> Outline:
    """The outline of a kind with these dimensions, by name. KeyError for a kind there is not."""
    return FRAME_KINDS[kind].outline(**sizes)  # type: ignore[arg-type]


def default_outline(kind: str) -> Outline:
    """The outline a new frame of a kind begins with."""
    return PRESETS[FRAME_KINDS[kind].preset][1]
