"""The same question asked plainly: every combination, one after the other, judged by the
definitions alone.

Slow and short, so that it can be believed; the tests and the benchmark hold the searches against
it.
"""

import itertools
import math
from dataclasses import replace

from kentrobar.core.numbers import nominal, uncertainty
from kentrobar.core.quantities import plain_figures
from kentrobar.core.recipes.brief import plain_body
from kentrobar.core.recipes.candidates import candidates_of

OFF_MM = 2.0


def lines(asked, body):
    """How far each target is from its value, in tolerances; a balance as the moment it stands for,
    for what may be added then is known beforehand."""
    base = plain_body(asked.measured)
    found = {}
    for name, goal in asked.wanted().items():
        if name == "balance_mm":
            found[name] = (body.moment - goal.value * body.mass) / (goal.tol * base.mass)
        else:
            found[name] = (plain_figures(body, goal.axis_mm)[name] - goal.value) / goal.tol
    return found


def _shaken(asked, way, name):
    """What cutting and placing one way 2 mm off does to a target, in tolerances."""
    if way.body.mass < 0:
        return 0.0
    base = plain_body(asked.measured)
    moved = replace(
        way.body,
        moment=way.body.moment + OFF_MM * way.body.mass,
        second=way.body.second + 2 * OFF_MM * way.body.moment + OFF_MM**2 * way.body.mass,
    )
    still, cut, placed = (
        lines(asked, base + extra)[name]
        for extra in (0 * way.body, way.body * (OFF_MM / way.length_mm), moved)
    )
    return math.hypot(cut - still, placed - lines(asked, base + way.body)[name])


def _overrun(asked, beyond):
    """What counts against being so far beyond each tolerance when a hand errs; more when readings
    err too."""
    base, unsure = plain_body(asked.measured), dict.fromkeys(beyond, 0.0)
    for figure in ("mass_g", "balance_mm", "swing_kgcm2", "twist_kgcm2"):
        read = getattr(asked.measured, figure)
        if u := uncertainty(read) if read is not None else None:
            erred = plain_body(replace(asked.measured, **{figure: nominal(read) + u}))
            for name, start in lines(asked, base).items():
                unsure[name] = math.hypot(unsure[name], lines(asked, erred)[name] - start)
    hand = sum(max(one, 0.0) for one in beyond.values())
    both = sum(max(one + unsure[name], 0.0) for name, one in beyond.items())
    return asked.weights.tolerance * hand + asked.weights.unsure * both


def enumerated(asked):
    """(least cost of those about as light as the lightest, least grams moved, combinations) of all
    that meet every target; None for none that does.

    Not for recoil weights: they are not linear, so a hand's errors are judged otherwise there.
    """
    ways = candidates_of(asked)
    sites = range(len(asked.all_sites()))
    base = plain_body(asked.measured)
    shaken = {id(way): {name: _shaken(asked, way, name) for name in asked.wanted()} for way in ways}
    met, count = [], 0
    for chosen in itertools.product(
        *([None, *(way for way in ways if way.site == s)] for s in sites)
    ):
        count += 1
        used = [way for way in chosen if way]
        after = sum((way.body for way in used), base)
        figures = {
            name: plain_figures(after, goal.axis_mm)[name] for name, goal in asked.wanted().items()
        }
        if any(
            abs(figures[name] - goal.value) > goal.tol + 1e-9
            for name, goal in asked.wanted().items()
        ):
            continue
        added = after.mass - base.mass
        if asked.max_added_g is not None and added > asked.max_added_g + 1e-9:
            continue
        at = lines(asked, after)
        wide = {name: after.mass / base.mass if name == "balance_mm" else 1.0 for name in at}
        cost = sum(way.cost for way in used) + _overrun(
            asked,
            {
                name: abs(at[name]) + sum(shaken[id(way)][name] for way in used) - wide[name]
                for name in at
            },
        )
        met.append((sum(abs(way.body.mass) for way in used), cost))
    if not met:
        return None
    least = min(moved for moved, _ in met)
    light = least + max(asked.weights.near, 0.1 * least) + 1e-6
    return min(cost for moved, cost in met if moved <= light), least, count


def cost_of(asked, recipe):
    """The cost of a recipe that was found, by the same definitions."""
    ways = candidates_of(asked)
    by_pieces = {way.pieces: way for way in ways}
    base = plain_body(asked.measured)
    used, rest = [], list(recipe.pieces)
    while rest:
        length = next(n for n in range(len(rest), 0, -1) if tuple(rest[:n]) in by_pieces)
        used.append(by_pieces[tuple(rest[:length])])
        rest = rest[length:]
    after = sum((way.body for way in used), base)
    at = lines(asked, after)
    wide = {name: after.mass / base.mass if name == "balance_mm" else 1.0 for name in at}
    return sum(way.cost for way in used) + _overrun(
        asked,
        {
            name: abs(at[name]) + sum(_shaken(asked, way, name) for way in used) - wide[name]
            for name in at
        },
    )
