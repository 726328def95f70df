"""The demo workshop: I. Vastrand's bench in Skerrow, its frames, readings and plans. All invented.

Every plan here is laid piece by piece through the same edits a hand at the bench makes, and its
figures come out of the core like anybody's.
"""

from __future__ import annotations

from datetime import timedelta

from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from kentrobar.accounts.models import Member, Role
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import parse_piece
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.units import read_balance, read_inertia, read_length, read_mass
from kentrobar.demo.frames import FRAMES, HOLES_MM, TERN, WEAR, DemoFrame, DemoPlan
from kentrobar.demo.instruments import equip
from kentrobar.frames.choices import Quantity
from kentrobar.frames.models import FittedPart, Frame, Person, Reading
from kentrobar.plans import desk
from kentrobar.plans.edits import Done
from kentrobar.plans.hand import Hand
from kentrobar.plans.models import Plan
from kentrobar.plans.state import PlanState
from kentrobar.recipes.models import Match, Wear
from kentrobar.shop.models import Settings
from kentrobar.stock.models import Material, Movement, Weighing
from kentrobar.stock.seed import seed
from kentrobar.workshop.models import Job, JobStep, TakenIn

USER, PASSWORD = "vastrand", "bench-and-bob"


def load() -> None:
    """Make the workshop, all or nothing. Call on an empty database."""
    with transaction.atomic():
        user = get_user_model().objects.create_user(
            USER, password=PASSWORD, first_name="I. Vastrand’s bench"
        )
        Member.objects.create(user=user, role=Role.OWNER)
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
            frame.holes_mm = HOLES_MM if demo.outline == TERN else []
            frame.save()
            if demo.read:
                _read(frame, demo, user)
            for plan in demo.plans:
                _lay(desk.start(frame, frame.figures()[0], user), plan, user)
        equip(user)
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
        _when_it_was_done(job)


def _when_it_was_done(job: Job) -> None:
    """What its steps say is done was done then: its frames were read, and planned for."""
    frames = Frame.objects.filter(jobs__job=job)
    for step in job.steps.filter(status="done"):
        if step.kind == JobStep.Kind.BEFORE:
            Reading.objects.filter(frame__in=frames).update(read_at=step.done_at)
        if step.kind == JobStep.Kind.PLAN:
            Plan.objects.filter(frame__in=frames).update(
                created_at=step.done_at, changed_at=step.done_at
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
            u=Settings.load().u_of(quantity.value, reading),
            axis_mm=read_length(axis).value if quantity == Quantity.SWING else None,
            condition=demo.condition,
            typed=reading.text,
            read_by=user,
        )


def _lay(plan: Plan, demo: DemoPlan, user: User) -> None:
    Plan.objects.filter(pk=plan.pk).update(name=demo.name)
    hand = Hand()
    for i, values in enumerate(demo.pieces, 1):
        piece = parse_piece(values | {"id": f"p{i}"})
        # Cut off this workshop's roll so that it weighs what is asked.
        ways = hand.ways(piece, piece.mass_g, plan.frame.outline())
        piece = ways[0].piece if ways else piece

        def put(state: PlanState, outline: Outline, piece: Piece = piece, i: int = i) -> Done:
            after = PlanState(
                state.measured, state.condition, (*state.pieces, piece), demo.targets, state.touched
            )
            return Done(after, f"Put on: piece {i}", piece.id, None)

        desk.change(plan.pk, i, put, user)
