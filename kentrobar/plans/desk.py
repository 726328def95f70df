"""Keeping plans: one change at a time, with undo and redo, and with other windows in mind.

A window sends the version it has seen. Is the plan newer, the change is still made (merged) where
what it touches was not changed since; otherwise it is refused and the window shown what is there.
Nothing is overwritten unseen. Every change locks the plan's row, so any number of processes may
serve one plan.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import OuterRef, QuerySet, Subquery
from django.utils import timezone

from kentrobar.core.frame.predict import LadenFrame
from kentrobar.core.frame.typical import typical
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_measured, parse_measured
from kentrobar.core.quantities import NEEDED
from kentrobar.core.reader import Reader
from kentrobar.frames import fitted
from kentrobar.frames.figures import Figures
from kentrobar.frames.models import Frame

from .edits import MOST_PIECES, Done, EditError
from .models import Plan, Step
from .state import PlanState, with_ids

STEPS_KEPT = 400
LABEL = 120
GESTURE = timedelta(seconds=1.5)


@dataclass(frozen=True, slots=True)
class EditOutcome:
    """What became of a change: the plan as it is now, what to say, and the state it came from.
    ``labels`` are those of undo and redo where they are known without asking."""

    plan: Plan
    state: PlanState
    before: PlanState
    said: str
    pick: str | None = None
    was_refused: bool = False
    labels: tuple[str, str] | None = None


def create(
    frame: Frame, name: str, state: PlanState, label: str = "New plan", user: Any = None
) -> Plan:
    """A plan with its first step, which undo cannot go behind."""
    # Nobody has touched anything of this plan yet, whatever was touched of the one it was made of.
    fresh = replace(state, touched={})
    state = fresh.stamped(fresh, 1)
    with transaction.atomic():
        plan = Plan.objects.create(frame=frame, name=name[:80], content=state.dump())
        Step.objects.create(plan=plan, number=0, content=plan.content, label=label, made_by=user)
    return plan


def start(frame: Frame, figures: Figures, user: Any = None) -> Plan:
    """An empty plan from the figures as read; one not read yet stands at what is usual, marked as
    such."""
    count = frame.plans.count() + 1
    state = state_from(frame, figures)
    return create(frame, f"Plan {count}", state, user=user)


def state_from(frame: Frame, figures: Figures) -> PlanState:
    """An empty plan's state: the figures as read, with what was fitted for good since."""
    if figures.is_complete:
        return PlanState(measured=fitted.now(frame, figures).measured, condition=figures.condition)
    axis = figures.axis_mm
    if axis is None:
        axis = Reader().axis_mm(frame.kind)
    measured = typical(frame.outline(), figures.values, axis)
    # A twist weight nobody read is only told by its change.
    twist = figures.values.get("twist_kgcm2")
    assumed = tuple(name for name in measured.assumed if name in NEEDED)
    measured = replace(measured, twist_kgcm2=twist, assumed=assumed)
    return PlanState(measured=measured, condition=figures.condition)


def newest(plan: Plan) -> Figures | None:
    """The newest whole figures of a plan's frame, in the plan's condition where there are any."""
    complete = [found for found in plan.frame.figures() if found.is_complete]
    same = [found for found in complete if found.condition == plan.part("condition")]
    return next(iter(same or complete), None)


def since(plan: Plan, state: PlanState) -> tuple[str, str]:
    """What happened to the frame since the plan's figures were read, in words, '' where they still
    hold; and what was put on or taken off since that is counted in them."""
    found = newest(plan)
    if found is None or found.condition != state.condition:
        return "", ""
    now = fitted.now(plan.frame, found, without=(plan.pk, *state.carries))
    # As it would be written and read again, which the plan's own were.
    written = parse_measured(dump_measured(now.measured))
    if dump_measured(written) == dump_measured(state.measured):
        return "", now.said
    happened = f"changed: {now.said}" if now.said else "read again since this plan was begun"
    return f"The frame was {happened}.", ""


def change(
    pk: int, seen: int, edit: Callable[[PlanState, Outline], Done], user: Any = None
) -> EditOutcome:
    """Make one change to a plan whose version ``seen`` the person had before them.

    Raises:
        Plan.DoesNotExist: no such plan, or it was deleted.
        EditError: the edit itself cannot be done.
    """
    with transaction.atomic():
        plan = _held(pk)
        before = plan.state()
        try:
            done = edit(before, plan.frame.outline())
        except EditError:
            if seen < plan.version:
                return _stale(plan, before)
            raise
        if _collides(done, before, seen):
            return _stale(plan, before)
        said = done.label
        if seen < plan.version:
            said += ". Merged with a change made in another window."
        if done.state == before:
            return EditOutcome(plan, before, before, said, done.pick)
        plan.version += 1
        state = done.state.stamped(before, plan.version)
        plan.content = state.dump()
        _remember(plan, done, user, plan.newest_gesture)
        _keep(plan, before, state)
    return EditOutcome(plan, state, before, said, done.pick, labels=(done.label[:LABEL], ""))


def _held(pk: int) -> Any:
    """A plan nobody else changes until the transaction ends, with its frame and the
    ``newest_gesture`` of its past."""
    found = _plan_for_change(pk)
    if not found:
        raise Plan.DoesNotExist
    plan = found[0]
    plan.frame = Frame.objects.get(pk=plan.frame_id)
    return plan


def _plan_for_change(pk: int) -> QuerySet[Plan]:
    newest = Step.objects.filter(plan=OuterRef("pk"), number=OuterRef("position"))
    held = Plan.live.filter(pk=pk).select_for_update(of=("self",))
    return held.annotate(newest_gesture=Subquery(newest.values("gesture")))


def preview(plan: Plan, seen: int, edit: Callable[[PlanState, Outline], Done]) -> EditOutcome:
    """What ``change`` would come to, without keeping it: a piece on its way, still in the hand.

    Raises:
        EditError: the edit itself cannot be done.
    """
    before = plan.state()
    done = edit(before, plan.frame.outline())
    if _collides(done, before, seen):
        return _stale(plan, before)
    return EditOutcome(plan, done.state, before, done.label, done.pick)


def _collides(done: Done, before: PlanState, seen: int) -> bool:
    """Whether what this edit touches was changed after version ``seen``."""
    if done.touches is None:
        return False
    # A piece that is gone is caught by the edit; a target never touched has no stamp.
    touched = before.touched.get(done.touches)
    return touched is not None and touched > seen


def _stale(plan: Plan, state: PlanState) -> EditOutcome:
    return EditOutcome(
        plan,
        state,
        state,
        "Not done: this was changed in another window. Here is how it stands now; do it again if it"
        " still fits.",
        was_refused=True,
    )


def undo(pk: int, seen: int) -> EditOutcome:
    return _walk(pk, seen, -1)


def redo(pk: int, seen: int) -> EditOutcome:
    return _walk(pk, seen, +1)


def _walk(pk: int, seen: int, by: int) -> EditOutcome:
    """One step back or forward. From a stale window it is refused: it would undo what was not
    seen."""
    with transaction.atomic():
        plan = _held(pk)
        before = plan.state()
        if seen < plan.version:
            return _stale(plan, before)
        goal = plan.position + by
        steps = {step.number: step for step in plan.steps.filter(number__in=(plan.position, goal))}
        if goal not in steps or goal > plan.newest:
            what = "Nothing to undo." if by < 0 else "Nothing to redo."
            return EditOutcome(plan, before, before, what, was_refused=True)
        plan.version += 1
        plan.position = goal
        state = PlanState.parse(steps[goal].content).stamped(before, plan.version)
        plan.content = state.dump()
        _keep(plan, before, state)
        said = f"Undone: {steps[goal + 1].label}" if by < 0 else f"Done again: {steps[goal].label}"
    return EditOutcome(plan, state, before, said)


def _remember(plan: Plan, done: Done, user: Any, newest: str | None) -> None:
    """Add a step, or lengthen the newest one where its gesture, ``newest``, goes on."""
    now = timezone.now()
    if plan.position < plan.newest:
        plan.steps.filter(number__gt=plan.position).delete()
    elif done.gesture and plan.position and newest == done.gesture[:60]:
        going_on = plan.steps.filter(
            number=plan.position, gesture=done.gesture[:60], made_by=user, made_at__gt=now - GESTURE
        )
        if going_on.update(content=plan.content, label=done.label[:LABEL], made_at=now):
            return
    plan.position += 1
    plan.newest = plan.position
    Step.objects.create(
        plan=plan,
        number=plan.position,
        content=plan.content,
        label=done.label[:LABEL],
        gesture=done.gesture[:60],
        made_at=now,
        made_by=user,
    )
    if plan.position > STEPS_KEPT and plan.position % 50 == 0:
        plan.steps.filter(number__lt=plan.position - STEPS_KEPT).delete()


def _keep(plan: Plan, before: PlanState, state: PlanState) -> None:
    plan.changed_at = timezone.now()
    plan.stands_alike = _stands_alike(before, state)
    plan.save(update_fields=["content", "version", "position", "newest", "changed_at"])
    plan.stands_alike = False


def _stands_alike(before: PlanState, state: PlanState) -> bool:
    """Whether a plan has pieces, or none, as before, and all else is the same: nothing that waits
    for it is a step further."""
    if bool(before.pieces) != bool(state.pieces):
        return False
    alike = ("targets", "measured", "condition")
    return all(getattr(before, name) == getattr(state, name) for name in alike)


def labels(plan: Plan) -> tuple[str, str]:
    """What undo and redo would take back or do again; '' where there is nothing."""
    numbers = (plan.position - 1, plan.position, plan.position + 1)
    found = dict(plan.steps.filter(number__in=numbers).values_list("number", "label"))
    back = found.get(plan.position, "") if plan.position - 1 in found else ""
    forward = found.get(plan.position + 1, "") if plan.position < plan.newest else ""
    return back, forward


def copy(plan: Plan, user: Any = None) -> Plan:
    """A plan of its own with the same state and no past."""
    return create(
        plan.frame, f"{plan.name}, copy", on_top(plan), f"Copy of {plan.name}"[:LABEL], user
    )


def on_top(plan: Plan) -> PlanState:
    """The state of a plan to be made on top of another: it carries the other's pieces, which may be
    on the frame."""
    state = plan.state()
    return replace(state, carries=(plan.pk, *state.carries))


def from_document(document: LadenFrame, frame: Frame | None, name: str, user: Any) -> Plan:
    """A plan of an open document, on a frame of the same outline or on one of its own. Raises
    EditError."""
    pieces = with_ids(document.pieces)
    if len(pieces) > MOST_PIECES:
        raise EditError(f"pieces: {len(pieces)} of them; a plan holds sixty.")
    if frame is not None and frame.outline() != document.frame:
        raise EditError(
            "frame: its outline is not this frame’s. Open it from Plans, where it gets a frame of"
            " its own."
        )
    condition = next((f.condition for f in frame.figures()), "as-played") if frame else "as-played"
    state = PlanState(measured=document.measured, condition=condition, pieces=pieces)
    return from_file(frame, document.frame, name, state, user)


def from_file(
    frame: Frame | None, outline: Outline, name: str, state: PlanState, user: Any = None
) -> Plan:
    """A plan read from a file, on ``frame`` or on a new one that carries the file's figures."""
    with transaction.atomic():
        if frame is None:
            frame = Frame(model=name[:60], maker="", note="from a plan file")
            frame.set_outline(outline)
            frame.save()
            frame.take_readings(state.measured, state.condition, user)
        return create(frame, name, state, "Read from a file", user)
