"""The demo workshop: I. Vastrand's bench in Skerrow, its frames, readings and plans. All invented.

Every plan here is laid piece by piece through the same edits a hand at the bench makes, and its
figures come out of the core like anybody's.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from kentrobar.core.frame.targets import Target, Targets
from kentrobar.core.geometry.outline import Outline, Paddle, Racket
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.io.readings import READING_FORMAT, reading_of, reduced
from kentrobar.core.measure.pendulum import pendulum_period
from kentrobar.core.measure.sample import sample
from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.units import read_balance, read_inertia, read_length, read_mass
from kentrobar.frames.models import FittedPart, Frame, Person, Quantity, Reading
from kentrobar.measuring.models import Check, Instrument, Use
from kentrobar.plans import desk
from kentrobar.plans.edits import Done
from kentrobar.plans.models import Plan
from kentrobar.plans.state import State
from kentrobar.recipes.models import Match, Wear
from kentrobar.stock.models import Material, Movement, Weighing
from kentrobar.stock.seed import seed
from kentrobar.workshop.models import Job, JobStep, TakenIn

USER, PASSWORD = "vastrand", "bench-and-bob"


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


def load() -> None:
    """Make the workshop, all or nothing. Call on an empty database."""
    with transaction.atomic():
        user = get_user_model().objects.create_user(
            USER, password=PASSWORD, first_name="I. Vastrand’s bench"
        )
        seed(Material)
        _weigh_rolls()
        for demo in FRAMES:
            frame = Frame(
                maker=demo.maker,
                model=demo.model,
                serial=demo.serial,
                player=Person.named(demo.owner),
                note=demo.note,
            )
            frame.set_outline(demo.outline)
            frame.save()
            if demo.read:
                _read(frame, demo, user)
            for plan in demo.plans:
                _lay(desk.start(frame, frame.figures()[0], user), plan, user)
        _equip(user)
        fulmars = Frame.objects.filter(model="Fulmar 100")
        for frame in fulmars:
            FittedPart.objects.create(
                frame=frame,
                kind="strings",
                name="multifilament",
                gauge_mm=1.3,
                mass_g=17.2,
                u_g=0.3,
            )
        Match.objects.create(name="Edda’s five").frames.set(fulmars)
        _take_in(user)
        Wear.objects.create(
            frame=Frame.objects.get(serial="no. 07"), marks=[list(at) for at in WEAR]
        )


# (material, cuts as length in mm, count, grams, backing on), and what is left on the shelf
WEIGHED = [
    (
        "lead-free tape, 6 mm",
        [(200, 1, 1.97, False), (200, 5, 9.84, False), (200, 1, 2.21, True)],
        6420.0,
    ),
    ("lead tape, 6 mm", [(200, 1, 2.06, False)], 1250.0),
    ("tungsten tape, 12 mm", [], 2900.0),
    ("putty", [], 64.0),
    ("silicone", [], 80.0),
    ("overgrip", [], 11.0),
]


def _weigh_rolls() -> None:
    sheet = Material.objects.create(
        name="tungsten sheet",
        kind="sheet",
        width_mm=8.0,
        thickness_mm=0.5,
        density=11.0,
        price=38,
        pack=300.0,
    )
    Weighing.objects.create(material=sheet, length_mm=100, width_mm=30, mass_g=16.42, u_g=0.01)
    Movement.objects.create(material=sheet, amount=260.0, reason="counted")
    for name, cuts, left in WEIGHED:
        material = Material.objects.get(name=name)
        for length, count, grams, backing in cuts:
            Weighing.objects.create(
                material=material,
                length_mm=length,
                count=count,
                mass_g=grams,
                u_g=0.01,
                backing_on=backing,
            )
        Movement.objects.create(material=material, amount=left, reason="counted")
        Material.objects.filter(pk=material.pk).update(
            warn_below=2000.0 if material.is_cut else 20.0 if material.is_dosed else 5.0
        )


# (who, hand, level, what they said, due in days, taken in days ago, marks of frames, steps done,
# waits for)
JOBS = [
    (
        "Ilva Sorrel",
        "right",
        "strong",
        "twists on returns, balance is fine",
        2,
        3,
        ("no. 07",),
        4,
        "",
    ),
    (
        "Edda Quillan",
        "left",
        "competitor",
        "five to play alike",
        6,
        1,
        ("F1", "F2", "F3", "F4", "F5"),
        2,
        "",
    ),
    (
        "Dunna Kett",
        "right",
        "club",
        "pops up when I block at the kitchen line",
        -1,
        8,
        ("A-114",),
        5,
        "",
    ),
    (
        "Matis Ould",
        "right",
        "strong",
        "no depth on serve",
        4,
        2,
        ("HP 2231",),
        3,
        "strings ordered",
    ),
]


def _take_in(user: User) -> None:
    """Jobs on the bench, each some steps along."""
    now, today = timezone.now(), timezone.localdate()
    for name, hand, level, said, due, ago, marks, done, waits in JOBS:
        person, _ = Person.objects.update_or_create(
            name=name, defaults={"hand": hand, "level": level}
        )
        job = Job.objects.create(
            person=person,
            said=said,
            due=today + timedelta(days=due),
            taken_in_at=now - timedelta(days=ago),
            taken_in_by=user,
        )
        for mark in marks:
            TakenIn.objects.create(job=job, frame=Frame.objects.get(serial=mark))
        for i, kind in enumerate(JobStep.Kind.values):
            JobStep.objects.create(
                job=job,
                kind=kind,
                status="done" if i < done else "open",
                minutes=12.0 + 3 * i if i < done else None,
                done_at=now - timedelta(days=ago, hours=-i) if i < done else None,
                done_by=user if i < done else None,
                waits_for=waits if i == done else "",
            )


INSTRUMENTS = [
    {"name": "Skerrow scale", "kind": "scale", "resolution": 0.1, "drift_band": 0.3},
    {
        "name": "Second scale",
        "kind": "scale",
        "resolution": 0.1,
        "drift_band": 0.3,
        "talk": "asked",
    },
    {"name": "Kitchen scale", "kind": "scale", "resolution": 1.0, "drift_band": 1.0},
    {
        "name": "Long board",
        "kind": "board",
        "resolution": 0.5,
        "drift_band": 1.0,
        "offset_mm": 250.0,
    },
    {"name": "Steel tape", "kind": "tape", "resolution": 1.0, "drift_band": 1.0, "check_days": 365},
    {
        "name": "Gannet machine",
        "kind": "machine",
        "resolution": 0.1,
        "drift_band": 1.5,
        "axis_mm": 100.0,
        "talk": "asked",
    },
    {
        "name": "Pass sensor",
        "kind": "timer",
        "resolution": 0.001,
        "drift_band": 0.01,
        "check_days": 365,
    },
]
LINES = {"Skerrow scale": 1, "Second scale": 2, "Gannet machine": 3, "Pass sensor": 4}
"""Which of the simulators' ports, counted from the panel's, each instrument hangs on."""

# (instrument, reference, expected, days ago, what it read more)
CHECKS = [
    ("Skerrow scale", "500 g mass", 500.0, (92, 61, 33, 12), (0.02, 0.05, 0.03, 0.05)),
    ("Second scale", "500 g mass", 500.0, (61, 12), (0.0, -0.03)),
    ("Kitchen scale", "500 g mass", 500.0, (210,), (1.3,)),
    ("Long board", "even bar, 700 mm", 350.0, (40, 9), (0.2, 0.1)),
    ("Steel tape", "500 mm rule", 500.0, (120,), (0.1,)),
    ("Gannet machine", "the 700 mm bar", 413.33, (120, 88, 60, 29, 6), (0.1, 0.25, 0.4, 0.6, 0.7)),
    ("Pass sensor", "quartz seconds", 1.0, (30,), (0.0002,)),
]


def plug_in(port: int) -> None:
    """Let the demo instruments hang on the simulators that listen from ``port`` on."""
    for name, place in LINES.items():
        ours = Instrument.objects.filter(name=name)
        # Somebody who moved an instrument to a real line keeps it there.
        ours.filter(port__in=["", *_ports(name)]).update(port=f"socket://127.0.0.1:{port + place}")


def _ports(name: str) -> list[str]:
    used = Instrument.objects.filter(name=name, port__startswith="socket://127.0.0.1:")
    return list(used.values_list("port", flat=True))


def _equip(user: User) -> None:
    """Instruments with their checks, what is on the Terns, and how no. 11 was read."""
    bench = {str(facts["name"]): Instrument.objects.create(**facts) for facts in INSTRUMENTS}
    now = timezone.now()
    for name, reference, expected, ages, offs in CHECKS:
        instrument = bench[name]
        for age, off in zip(ages, offs, strict=True):
            Check.objects.create(
                instrument=instrument,
                reference=reference,
                expected=expected,
                read=expected + off,
                read_u=instrument.resolution / 2,
                checked_at=now - timedelta(days=age),
                checked_by=user,
                raw={"entry": {"reference": reference, "expected": f"{expected:g}"}},
            )
    for serial in ("no. 07", "no. 11"):
        frame = Frame.objects.get(serial=serial)
        for kind, name, mass, u in (
            ("strings", "multifilament", 16.6, 0.3),
            ("overgrip", "tacky", 5.5, 0.1),
            ("dampener", "", 2.4, 0.1),
        ):
            FittedPart.objects.create(
                frame=frame,
                kind=kind,
                name=name,
                gauge_mm=1.25 if kind == "strings" else None,
                mass_g=mass,
                u_g=u,
                is_weighed=True,
            )
    _read_by_hand(Frame.objects.get(serial="no. 11"), bench, user)


def _read_by_hand(frame: Frame, bench: dict[str, Instrument], user: User) -> None:
    rng = random.Random(11)
    gap = pendulum_period(319.9, 322.0, 160.5, 643) / 2 * 1.0012
    taps = [round(0.4 + i * gap + rng.gauss(0, 0.014), 4) for i in range(41)]
    mass, balance = {"value": 319.87, "u": 0.06}, {"value": 321.9, "u": 0.42}
    documents: list[tuple[int, str | None, str, dict[str, Any]]] = [
        (
            23,
            "Skerrow scale",
            "mass_g",
            {
                "method": "scale",
                "resolution_g": 0.1,
                "readings_g": [319.8, 319.9, 319.9, 320.0, 319.9],
            },
        ),
        (
            23,
            "Long board",
            "balance_mm",
            {
                "method": "balance-board",
                "readings_mm": [72.0, 72.0, 71.5, 72.5],
                "resolution_mm": 0.5,
                "offset_mm": {"value": 250.0, "u": 0.4},
            },
        ),
        (
            9,
            "Skerrow scale",
            "mass_g",
            {
                "method": "scale",
                "resolution_g": 0.1,
                "drift_g": {"value": 0.05, "u": 0.05},
                "readings_g": [319.9, 320.0, 319.9, 318.7, 319.9],
                "set_aside": [{"index": 3, "reason": "the table was leaned on"}],
            },
        ),
        (
            9,
            "Long board",
            "balance_mm",
            {
                "method": "balance-board",
                "readings_mm": [72.0, 71.5, 72.0],
                "resolution_mm": 0.5,
                "offset_mm": {"value": 250.0, "u": 0.4},
            },
        ),
        (
            9,
            None,
            "swing_kgcm2",
            {
                "method": "pendulum",
                "mass_g": mass,
                "balance_mm": balance,
                "axis_mm": 100.0,
                "pivot_mm": {"value": 643.0, "u": 0.5},
                "tap_times_s": taps,
                "taps_per_period": 2,
                "amplitude_deg": {"value": 8.0, "u": 1.6},
                "amplitude_end_deg": {"value": 5.0, "u": 1.0},
            },
        ),
        (
            8,
            None,
            "twist_kgcm2",
            {
                "method": "bifilar",
                "mass_g": mass,
                "long_axis": "vertical",
                "thread_mm": {"value": 900, "u": 1.0},
                "spacing_top_mm": {"value": 236.0, "u": 0.5},
                "spacing_bottom_mm": {"value": 236.0, "u": 0.5},
                "period_s": {"value": 1.0497, "u": 0.001},
            },
        ),
    ]
    for age, name, quantity, values in documents:
        raw: dict[str, Any] = {"format": READING_FORMAT} | values
        found = reading_of(raw)
        value = reduced(found).figures[quantity]
        reading = Reading.objects.create(
            frame=frame,
            quantity=quantity,
            value=nominal(value),
            u=uncertainty(value),
            method=raw["method"],
            axis_mm=raw.get("axis_mm"),
            condition="as-played",
            raw=raw,
            read_by=user,
            repeats=len(
                raw.get("readings_g") or raw.get("readings_mm") or raw.get("tap_times_s") or [0]
            ),
            read_at=timezone.now() - timedelta(days=age),
        )
        if name:
            seen = sample(
                raw.get("readings_g") or raw["readings_mm"],
                set_aside=getattr(found, "set_aside", ()),
            )
            Use.objects.create(
                reading=reading,
                instrument=bench[name],
                spread=seen.spread or 0.0,
                freedom=seen.n - 1,
            )


def _read(frame: Frame, demo: DemoFrame, user: User) -> None:
    assert demo.read is not None
    mass, balance, swing, axis, twist = demo.read
    typed = {
        Quantity.MASS: read_mass(mass),
        Quantity.BALANCE: read_balance(balance, frame.length_mm),
        Quantity.SWING: read_inertia(swing),
        Quantity.TWIST: read_inertia(twist),
    }
    for quantity, reading in typed.items():
        Reading.objects.create(
            frame=frame,
            quantity=quantity,
            value=reading.value,
            u=reading.u,
            axis_mm=read_length(axis).value if quantity == Quantity.SWING else None,
            condition=demo.condition,
            typed=reading.text,
            read_by=user,
        )


def _lay(plan: Plan, demo: DemoPlan, user: User) -> None:
    Plan.objects.filter(pk=plan.pk).update(name=demo.name)
    for i, values in enumerate(demo.pieces, 1):
        piece = parse_piece(values | {"id": f"p{i}"})

        def put(state: State, outline: Outline, piece: Piece = piece, i: int = i) -> Done:
            after = State(
                state.measured, state.condition, (*state.pieces, piece), demo.targets, state.touched
            )
            return Done(after, f"Put on: piece {i}", piece.id, None)

        desk.change(plan.pk, i, put, user)
