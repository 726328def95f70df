"""The shelf as the plans and recipes see it: names, grams per length, the core's tapes and
putties."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Sequence
from typing import Any

from kentrobar.core.bench.sheet import uses
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.pieces.piece import Piece
from kentrobar.core.pieces.rolls import PerLength
from kentrobar.core.pieces.work import QUARTERS, OnShelf
from kentrobar.core.reader import digits, fixed
from kentrobar.core.recipes import usual as kit
from kentrobar.core.recipes.brief import Putty, RecipeMaterial, Tape
from kentrobar.core.words import amounts
from kentrobar.frames.products import weighed_here
from kentrobar.ui.looking import cached_per_request

from .models import CUT, Material, MaterialKind, Movement, moved_of

SAME = 1e-3
"""Difference below which two amounts are equal, in any unit of the shelf."""


@cached_per_request
def _weighed() -> list[Material]:
    """Everything on the shelf, with what was weighed of it."""
    return list(Material.live.prefetch_related("weighings"))


def live() -> list[Material]:
    """The same, with what is left."""
    return with_left(_weighed())


def with_left(materials: Iterable[Material]) -> list[Material]:
    """The same, what is left of each asked for at once."""
    found = list(materials)
    moved = moved_of(found)
    for one in found:
        one.moved = moved.get(one.pk, (0.0, 0.0))
    return found


@cached_per_request
def _named(names: frozenset[str]) -> list[Material]:
    """Of these names, put away or not, with what was weighed of each."""
    return list(Material.objects.filter(name__in=names).prefetch_related("weighings"))


@cached_per_request
def _kinds() -> list[tuple[str, str]]:
    return list(Material.live.values_list("name", "kind"))


def tape_names() -> list[str]:
    return [name for name, kind in _kinds() if kind in CUT]


def handle_names() -> list[str]:
    """What goes into a handle or round it: what is dosed first, then tape for the cap."""
    return [name for name, _ in sorted(_kinds(), key=lambda one: one[1] in CUT)]


def rolls(names: Collection[str]) -> dict[str, PerLength]:
    """What is known of these tapes, put away or not, by name."""
    found = _named(frozenset(names))
    return {one.name: known for one in found if one.is_cut and (known := one.per_length())}


def each_g(name: str | None) -> float | None:
    """What one piece of something counted weighs: as weighed on frames, as written on the shelf, or
    as usual of such a part; None where none is known."""
    if own := weighed_here(name or ""):
        return round(own[0], 2)
    told = Material.objects.filter(name__iexact=name or "").values_list("each_g", flat=True).first()
    usual = (part.grams[1] for part in PARTS.values() if part.label == (name or "").lower())
    return told or next(usual, None)


def by_the_piece() -> list[tuple[str, float]]:
    """(name, grams of one) of what is counted, where it says what it weighs."""
    counted = Material.live.exclude(each_g=None).values_list("name", "each_g")
    return [(name, grams) for name, grams in counted if grams]


def for_recipes(step_mm: float, least_mm: float, max_layers: int) -> list[RecipeMaterial]:
    """Everything on the shelf that a recipe can use: tapes as weighed here, what is dosed into a
    handle."""
    return [
        made
        for material in _weighed()
        if (made := _core(material, step_mm, least_mm, max_layers)) is not None
    ]


def tape(name: str, step_mm: float, least_mm: float, max_layers: int) -> Tape | None:
    """A tape as weighed here; None where it is not on the shelf."""
    there = [one for one in _named(frozenset({name})) if one.removed_at is None]
    made = _core(there[0], step_mm, least_mm, max_layers) if there else None
    return made if isinstance(made, Tape) else None


def _core(
    material: Material, step_mm: float, least_mm: float, max_layers: int
) -> RecipeMaterial | None:
    if material.test_only:
        return None
    price = material.price_per_g or 0.0
    per_length = material.per_length() if material.is_cut else None
    if per_length:
        if material.each_mm and material.kind == MaterialKind.STRIP:
            step_mm = least_mm = material.each_mm / QUARTERS
        return Tape(
            name=material.name, g_per_mm=per_length.g_per_mm, step_mm=step_mm, least_mm=least_mm,
            max_layers=max_layers, price_per_g=price, toxicity=material.toxicity,
            # Strips mostly come in fours, each as wide as the hand cut it.
            u_percent=100 * math.hypot(per_length.share, per_length.width_u / 2),
        )  # fmt: skip
    if material.kind in (MaterialKind.PUTTY, MaterialKind.SILICONE):
        return Putty(
            name=material.name, step_g=kit.PUTTY_STEP_G, max_g=kit.PUTTY_MOST_G, price_per_g=price,
            toxicity=material.toxicity,
        )  # fmt: skip
    return None


def on_shelf(pieces: Iterable[Piece]) -> dict[str, OnShelf]:
    """What a bench sheet must know of what these pieces are made of, where it is on the shelf, by
    name."""
    return {
        one.name: OnShelf(
            one.kind,
            one.per_length() if one.is_cut else None,
            one.toxicity,
            one.cure_hours,
            one.width_mm,
            one.each_mm if one.kind == MaterialKind.STRIP else None,
        )
        for one in _named(_materials(pieces))
        if one.removed_at is None
    }


def _materials(pieces: Iterable[Piece]) -> frozenset[str]:
    return frozenset(piece.material for piece in pieces if piece.material)


def short(pieces: Sequence[Piece]) -> list[str]:
    """In words, what these pieces need more of than is left."""
    wanted = [(use.material, use.amount) for use in uses(pieces, on_shelf(pieces))]
    return [
        f"{material}: {told(amount, material.unit)} needed, {told(max(left, 0.0), material.unit)}"
        " left"
        for material, amount, left in needed(wanted)
        if material.lacks(amount)
    ]


def told(amount: float, unit: str) -> str:
    """`3.25 m`, `64 mm`, `12.5 g`, `4 pieces`; `10.66 ft` for who reads inches."""
    if unit == "mm":
        return amounts.length_off_roll(amount)
    if unit == "pieces":
        return f"{digits(amount, 6)} piece{'' if amount == 1 else 's'}"
    return amounts.told("mass_g", amount, 1) if unit == "g" else f"{fixed(amount, 1)} {unit}"


def take(uses: Iterable[tuple[str, float]], reason: str, user: Any) -> list[str]:
    """Take from the shelf what was used, name and amount; call inside a transaction. More than was
    counted cannot have been there: what is left becomes nothing, and the answer says by how much
    the count was short."""
    wanted = needed(uses)
    short = []
    keys = sorted(material.pk for material, _, _ in wanted)
    # Held one after the other in one order: two who take from the same rolls wait, and never both.
    for material in Material.objects.select_for_update().filter(pk__in=keys).order_by("pk"):
        amount = next(amount for one, amount, _ in wanted if one.pk == material.pk)
        missing = max(amount - material.left, 0.0) if material.is_counted else 0.0
        if missing > SAME:
            more = told(missing, material.unit)
            short.append(f"{material}: {more} more than was counted")
            reason_here = f"{reason}; {more} more than was counted"
        else:
            missing, reason_here = 0.0, reason
        Movement.objects.create(
            material=material, amount=-round(amount - missing, 3), reason=reason_here[:120],
            moved_by=user,
        )  # fmt: skip
    return short


def needed(uses: Iterable[tuple[str, float]]) -> list[tuple[Material, float, float]]:
    """(material, needed, left) of everything on the shelf that (name, amount in its unit) would
    use."""
    wanted: dict[str, float] = {}
    for name, amount in uses:
        wanted[name] = wanted.get(name, 0.0) + amount
    found = with_left(_named(frozenset(wanted)))
    return [(material, wanted[material.name], material.left) for material in found]
