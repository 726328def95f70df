"""The frames of the demo workshop, as data: whose they are, what was read, their plans."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from kentrobar.core.frame.targets import Target, Targets
from kentrobar.core.geometry.outline import Outline, Paddle, Racket


@dataclass(frozen=True)
class DemoPlan:
    name: str
    pieces: list[dict]
    targets: Targets = Targets()


@dataclass(frozen=True)
class DemoFrame:
    maker: str
    model: str
    serial: str
    owner: str
    note: str
    outline: Outline
    condition: str
    read: tuple[str, str, str, str, str] | None
    """mass, balance, swing weight, axis, twist weight, as written down at the bench; None: never
    read"""
    plans: list[DemoPlan] = field(default_factory=list)


def _strip(
    grams: float, clock: float, length: float, line: str, mirror: bool, **more: object
) -> dict[str, Any]:
    tape = {
        "kind": "strip",
        "mass_g": grams,
        "clock": clock,
        "length_mm": length,
        "line": line,
        "mirror": mirror,
    }
    return tape | {"material": "lead-free tape, 6 mm"} | more


def _grip(grams: float, what: str, end: float = 190) -> dict:
    return {"kind": "sleeve", "mass_g": grams, "from_mm": 0, "to_mm": end, "material": what}


def _putty(grams: float, start: float = 8, end: float = 32) -> dict:
    return {"kind": "plug", "mass_g": grams, "from_mm": start, "to_mm": end, "material": "putty"}


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
PLOVER = Racket(
    length_mm=685.8,
    width_mm=246,
    widest_mm=514,
    hoop_base_mm=343,
    rim_mm=11.5,
    beam_mm=20.5,
    handle_length_mm=190,
    handle_radius_mm=15.5,
)
SANDERLING = Racket(
    length_mm=698.5,
    width_mm=270,
    widest_mm=516,
    hoop_base_mm=326,
    rim_mm=12.5,
    beam_mm=26.5,
    handle_length_mm=200,
    handle_radius_mm=16.2,
)

HOLES_MM = [6 + 13 * i for i in range(25)]
"""The grommet holes of one side of a Tern."""

FRAMES = [
    DemoFrame(
        "Osprel",
        "Tern 98",
        "no. 07",
        "Ilva Sorrel",
        "twists on returns, balance is fine",
        TERN,
        "as-played",
        ("316.8 ± 0.1 g", "32.35 ± 0.05 cm", "314.6 ± 0.6", "100 mm", "13.40 ± 0.08"),
        [
            DemoPlan(
                "Sides, tip and putty",
                [
                    _strip(1.0, 12, 64, "edge", False, layers=1),
                    _strip(3.0, 3, 76.2, "face", True, layers=1),
                    _putty(5.0),
                ],
                Targets(Target(326, 1), Target(322.5, 1), Target(325, 2, 100.0), Target(14.0, 0.2)),
            ),
            DemoPlan(
                "Sides only, first step",
                [_strip(4.0, 3, 101.6, "face", True, layers=1)],
                Targets(None, None, None, Target(14.0, 0.2)),
            ),
            DemoPlan(
                "Shoulders and leather",
                [
                    _strip(3.0, 2, 76.2, "inner", True, layers=1),
                    _grip(-17.0, "synthetic grip"),
                    _grip(27.0, "leather grip"),
                ],
            ),
        ],
    ),
    DemoFrame(
        "Osprel",
        "Tern 98",
        "no. 11",
        "Ilva Sorrel",
        "these two don’t feel the same",
        TERN,
        "as-played",
        None,
    ),
    DemoFrame(
        "Osprel",
        "Tern 98",
        "no. 23",
        "Ilva Sorrel",
        "new, to play like no. 07",
        TERN,
        "as-played",
        None,
    ),
    DemoFrame(
        "Halvorn",
        "Plover Tour",
        "HP 2231",
        "Matis Ould",
        "no depth on serve",
        PLOVER,
        "strung",
        ("11.4 oz", "7 pts HL", "312", "101.6 mm", "12.6"),
        [
            DemoPlan(
                "Tip and butt",
                [_strip(2.0, 12, 101.6, "edge", False), _putty(6.0, 5, 35)],
                Targets(None, Target(320.7, 1), Target(322, 2, 101.6)),
            )
        ],
    ),
    DemoFrame(
        "Quayle & Rudd",
        "Sanderling 112",
        "club 3",
        "Skerrow Racquets Club",
        "sore arm, a frame to lend",
        SANDERLING,
        "bare",
        ("268.5 g", "14 1/8 in", "301", "101.6 mm", "15.1"),
        [
            DemoPlan(
                "As it will be played",
                [
                    {"kind": "strings", "mass_g": 16.5, "material": "multifilament, 1.30"},
                    _grip(5.5, "overgrip", 195),
                    {"kind": "point", "mass_g": 2.4, "x_mm": 346, "material": "dampener"},
                ],
            )
        ],
    ),
    DemoFrame(
        "Halvorn",
        "Wren Junior",
        "green dot",
        "Tove Ould",
        "slow at the net",
        Racket(
            length_mm=660.4,
            width_mm=250,
            widest_mm=492,
            hoop_base_mm=318,
            rim_mm=12,
            beam_mm=22,
            handle_length_mm=180,
            handle_radius_mm=14.5,
        ),
        "as-played",
        ("262 g", "31.8 cm", "266", "100 mm", "11.2"),
    ),
    DemoFrame(
        "Marrowby",
        "Shoal 16",
        "A-114",
        "Dunna Kett",
        "pops up when I block at the kitchen line",
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
        "as-played",
        ("8.0 oz", "23.3 cm", "113", "50 mm", "6.3 ± 0.05"),
        [
            DemoPlan(
                "Sides, low profile",
                [
                    _strip(8.0, 3, 101.6, "edge", True, material="tungsten tape, 12 mm"),
                    _putty(4.0, 5, 25),
                ],
                Targets(Target(239, 1), None, Target(117.5, 1, 50.0), Target(7.0, 0.2)),
            ),
            DemoPlan(
                "Top corners",
                [_strip(8.0, 1.1, 76.2, "edge", True, material="tungsten tape, 12 mm")],
                Targets(None, None, Target(117.5, 1, 50.0), None),
            ),
        ],
    ),
    DemoFrame(
        "Marrowby",
        "Lugger Long",
        "L-09",
        "Perrin Ashgrove",
        "like my old one, a little more whip",
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
        "as-played",
        ("221.5 ± 0.2 g", "57.5 %", "88.4", "100 mm", "5.9"),
        [DemoPlan("Lower corners", [_strip(6.0, 4.8, 70, "edge", True)])],
    ),
    DemoFrame(
        "Tiddy Works",
        "Cockle Round",
        "",
        "Skerrow Racquets Club",
        "",
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
        "as-played",
        ("229 g", "23.6 cm", "112", "50 mm", "5.6"),
    ),
]


FULMAR = Racket(
    length_mm=685,
    width_mm=258,
    widest_mm=510,
    hoop_base_mm=334,
    rim_mm=12.5,
    beam_mm=24,
    handle_length_mm=194,
    handle_radius_mm=16,
)
# Five of one model as they left their maker: mass, balance, swing weight about 100 mm, twist
# weight.
FULMARS = [
    ("F1", "301.2 ± 0.1 g", "321.5 ± 0.4 mm", "299.9 ± 0.7", "13.6 ± 0.1"),
    ("F2", "303.9 ± 0.1 g", "319.6 ± 0.4 mm", "297.6 ± 0.7", "13.5 ± 0.1"),
    ("F3", "299.6 ± 0.1 g", "322.8 ± 0.4 mm", "301.4 ± 0.7", "13.4 ± 0.1"),
    ("F4", "305.0 ± 0.1 g", "318.9 ± 0.4 mm", "299.3 ± 0.7", "13.7 ± 0.1"),
    ("F5", "302.4 ± 0.1 g", "320.7 ± 0.4 mm", "300.2 ± 0.7", "13.5 ± 0.1"),
]
FRAMES += [
    DemoFrame(
        "Osprel", "Fulmar 100", mark, "Edda Quillan", "five to play alike", FULMAR, "strung",
        (mass, balance, swing, "100 mm", twist),
    )
    for mark, mass, balance, swing, twist in FULMARS
]  # fmt: skip
WEAR = [
    (498, 12),
    (512, -8),
    (520, 21),
    (531, 4),
    (507, -19),
    (526, 33),
    (541, 9),
    (516, 2),
    (503, 28),
    (534, -11),
]
"""Where the balls wore the strings of Tern no. 07."""
