"""The next act of a trial that does not read as predicted: what to weigh, measure or read again,
its answer in one box, and the trial judged anew with it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kentrobar.core import units
from kentrobar.core.bench.next_act import Act
from kentrobar.core.errors import PlacementError, UnreadableError
from kentrobar.core.geometry.outline import Outline
from kentrobar.core.io.plans import dump_piece, parse_piece
from kentrobar.core.pieces.kinds import body_of
from kentrobar.core.pieces.uncertain import WEIGHED_U_G
from kentrobar.core.units import Typed
from kentrobar.frames.typed import as_written
from kentrobar.shop.models import Settings
from kentrobar.ui.fields import axis_reader, balance_reader, length_reader, mass_reader
from kentrobar.ui.formatting import placed_text

from .models import Trial


def read_answer(act: Act, text: str, outline: Outline) -> Typed:
    """What was typed as the answer to an act. Raises UnreadableError."""
    mass = mass_reader()
    length = length_reader()
    balance = balance_reader(outline.length_mm)
    match act.asks:
        case "grams":
            reader: Any = mass
        case "place":
            reader = length
        case "axis":
            reader = axis_reader(outline.length_mm)
        case "figure":
            reader = {"mass_g": mass, "balance_mm": balance}.get(
                act.figure or "", units.read_inertia
            )
    typed = units.read_repeats(text, reader)
    if typed.value < 0 or (typed.value == 0 and act.asks != "grams"):
        raise UnreadableError(f"“{typed.text}”: write what was read, above 0.")
    return typed


def answered(trial: Trial, act: Act, typed: Typed, outline: Outline, user: Any) -> Trial:
    """The trial once more, with the answer in the place of what it doubted.
    Raises UnreadableError where a piece cannot lie there."""
    put_on = [dict(one) for one in trial.put_on]
    read = dict(trial.read)
    if act.asks == "axis":
        read["swing_kgcm2"] = _about_its_axis(trial, typed.value, outline)
    elif act.figure is not None:
        read[act.figure] = [typed.value, Settings.load().u_of(act.figure, typed)]
    elif act.piece is not None:
        own = put_on[act.piece]
        piece = parse_piece(own["piece"])
        if act.asks == "grams":
            sign = -1 if piece.mass_g < 0 else 1
            own |= {"u_g": typed.read_u(WEIGHED_U_G), "weighed": True}
            # A lost piece weighs nothing; a document's piece weighs a little.
            piece = replace(piece, mass_g=sign * max(abs(round(typed.value, 4)), 0.001))
        else:
            try:
                piece = piece.placed(outline, "middle", typed.value)
            except PlacementError as error:
                raise UnreadableError(f"{placed_text('length', error)}.") from None
        own["piece"] = dump_piece(piece)
    return Trial.objects.create(
        plan=trial.plan, put_on=put_on, read=read, axis_mm=trial.axis_mm, made_by=user,
        note=f"{act.text}: {as_written(typed) or typed.text}"[:200],
    )  # fmt: skip


def _about_its_axis(trial: Trial, axis_mm: float, outline: Outline) -> list[float | None]:
    """The swing weight as read about another axis, as it is about the one noted."""
    after = trial.plan.state().measured.plain.body()
    for one in trial.put_on:
        after = after + body_of(parse_piece(one["piece"]), outline)
    value, u = trial.read["swing_kgcm2"]
    return [value + after.swing_kgcm2(trial.axis_mm) - after.swing_kgcm2(axis_mm), u]
