"""Naming the slip when a reading disagrees with an earlier one of the same frame in the same
condition.

Every known slip says what the reading would have been: without the overgrip, clamped face-flat,
about another axis, with two digits exchanged. The one whose figures fit all that was given is
named.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from kentrobar.core.numbers import Number, nominal, uncertainty
from kentrobar.core.pieces.body import KGCM2, Body
from kentrobar.core.quantities import COMMON_AXES_MM, FIGURES, NEEDED, READ, figures
from kentrobar.core.words import message

from .condition import converted
from .mistyped import TypingSlip, mistyped
from .plausibility import Doubt, Slip, SlipCode, slip
from .predict import Measured

_LEFT_OR_TWICE: tuple[tuple[int, SlipCode], ...] = ((-1, "part-off"), (1, "part-twice"))
_RARITY: dict[TypingSlip, float] = {
    "digits-swapped": 0.2,
    "digit-left-over": 0.3,
    "digit-wrong": 0.6,
}


@dataclass(frozen=True, slots=True)
class Suspect:
    """One slip: what the given figures would read under it, what it is, and how far off they may
    be.

    ``rarity`` weighs against it beside another that fits as well: digits can be made to fit
    anything.
    """

    expected: Mapping[str, Number]
    slip: Slip
    slack: Mapping[str, float]
    rarity: float = 0.0


def disagreements(
    given: Mapping[str, Number],
    axis_mm: float | None,
    earlier: Measured,
    parts: Mapping[str, Body],
    when: str = "before",
    air_kgcm2: float = 0.0,
) -> list[Doubt]:
    """Doubts about given figures beside earlier ones, each with the slip that explains them.

    Args:
        given: figures just read, the swing weight about ``axis_mm``.
        earlier: what the frame read before, in the same condition.
        parts: by label, what is on the frame or commonly on one: any may have been off, or on
            twice.
        when: how to speak of the earlier reading, "on 3 Nov".
        air_kgcm2: what the air the frame's face carries adds to its swing weight about this axis.
    """
    was = _figures(earlier, axis_mm)
    off = [name for name in given if name in was and _are_apart(name, given[name], was[name])]
    if not off:
        return []
    suspects = [
        suspect
        for suspect in _suspects(given, axis_mm, earlier, was, parts, air_kgcm2)
        if all(
            abs(nominal(given[name]) - nominal(suspect.expected[name]))
            <= suspect.slack.get(name, 0.0)
            for name in given
            if name in suspect.expected
        )
    ]
    # The nearest fit first; a slip that touches nothing given explains nothing.
    suspects.sort(key=lambda suspect: _misfit(given, suspect))
    likely = suspects[0].slip if suspects else None
    return [
        Doubt(
            name,
            "unlikely",
            "differs",
            message(
                "differs", figure=name, now=nominal(given[name]), was=nominal(was[name]), when=when
            ),
            likely,
            message("put-on-or-off"),
        )
        for name in off
    ]


def _figures(measured: Measured, axis_mm: float | None) -> dict[str, Number]:
    axis = measured.axis_mm if axis_mm is None else axis_mm
    return figures(measured.body(), axis, READ if measured.twist_kgcm2 is not None else NEEDED)


def _are_apart(name: str, now: Number, was: Number) -> bool:
    """Whether two figures are further apart than their uncertainties allow."""
    return abs(nominal(now) - nominal(was)) > _allowed(name, now, was)


def _allowed(name: str, now: Number, was: Number) -> float:
    return max(
        FIGURES[name].settles, 3 * math.hypot(uncertainty(now) or 0.0, uncertainty(was) or 0.0)
    )


def _misfit(given: Mapping[str, Number], suspect: Suspect) -> float:
    return suspect.rarity + sum(
        ((nominal(given[name]) - nominal(suspect.expected[name])) / FIGURES[name].settles) ** 2
        for name in given
        if name in suspect.expected
    )


def _suspects(
    given: Mapping[str, Number],
    axis_mm: float | None,
    earlier: Measured,
    was: dict[str, Number],
    parts: Mapping[str, Body],
    air_kgcm2: float,
) -> Iterator[Suspect]:
    slack = {name: _allowed(name, given[name], was[name]) for name in given if name in was}
    axis = earlier.axis_mm if axis_mm is None else axis_mm
    for label, body in parts.items():
        for sign, code in _LEFT_OR_TWICE:
            expected = converted(was, axis, body * sign)
            loose = {
                name: max(FIGURES[name].settles, 2 * (uncertainty(value) or 0.0))
                for name, value in expected.items()
            }
            yield Suspect(expected, slip(code, part=label, mass=nominal(body.mass)), loose)
    if "swing_kgcm2" in given:
        yield from _swing_suspects(given, axis, earlier, was, slack)
        for air in (air_kgcm2, -air_kgcm2) if air_kgcm2 else ():
            with_air = {**was, "swing_kgcm2": was["swing_kgcm2"] + air}
            yield Suspect(with_air, slip("air-in-one", air=abs(air), now=air > 0), slack)
    for name, value in given.items():
        if name not in was:
            continue
        for meant, typing in mistyped(nominal(value)):
            if abs(meant - nominal(was[name])) <= slack[name]:
                # What would have been written, had the right figure slipped in the same way.
                slipped = nominal(was[name]) + nominal(value) - meant
                why = slip(typing, figure=name, meant=meant)
                yield Suspect({**was, name: slipped}, why, slack, _RARITY[typing])


def _swing_suspects(
    given: Mapping[str, Number],
    axis: float,
    earlier: Measured,
    was: dict[str, Number],
    slack: Mapping[str, float],
) -> Iterator[Suspect]:
    twist = was.get("twist_kgcm2")
    if twist is not None:
        flat = {**was, "swing_kgcm2": was["swing_kgcm2"] + twist}
        yield Suspect(flat, slip("face-flat"), slack)
    for other in COMMON_AXES_MM:
        if abs(other - axis) > 0.3:
            about = {**was, "swing_kgcm2": earlier.body().swing_kgcm2(other)}
            yield Suspect(about, slip("another-axis", axis=other), slack)
    exact = axis_that_fits(nominal(given["swing_kgcm2"]), earlier)
    if (
        exact is not None
        and 0 <= exact <= 160
        and not any(abs(exact - a) < 1.5 for a in COMMON_AXES_MM)
    ):
        # Some axis fits any figure that is high or low enough: a common one explains more.
        as_read = {**was, "swing_kgcm2": given["swing_kgcm2"]}
        yield Suspect(as_read, slip("another-axis", axis=float(round(exact))), slack, 0.4)


def axis_that_fits(swing_kgcm2: float, frame: Measured) -> float | None:
    """The axis in the handle, mm, about which this frame has this swing weight; None where none
    does."""
    body = frame.body()
    beyond = swing_kgcm2 - nominal(body.recoil_kgcm2)
    if beyond < 0:
        return None
    return nominal(body.balance) - math.sqrt(beyond * KGCM2 / nominal(body.mass))
