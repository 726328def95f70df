"""What the things that are put on frames weigh, product by product: as weighed here, as the shelf
says, as gauge and make say, or as usual of their kind."""

from __future__ import annotations

from statistics import fmean, stdev

from kentrobar.core.pieces import stringing
from kentrobar.core.pieces.parts import PARTS
from kentrobar.core.words.amounts import told

from . import above
from .models import FittedPart

SCALE_U = 0.1
UNNOTED = "the old one"
"""The type of a part that was noted when it came off: no product."""


def weighed_here(name: str, kind: str | None = None) -> tuple[float, float] | None:
    """(mean mass, one standard uncertainty of the next one) of this very product as weighed on
    frames; None where none was."""
    if name in ("", UNNOTED):
        return None
    weighed = FittedPart.objects.filter(is_weighed=True, name__iexact=name)
    if kind:
        weighed = weighed.filter(kind=kind)
    found = list(weighed.values_list("mass_g", "kind")[:50])
    if not found:
        return None
    masses = [mass for mass, _ in found]
    spread = stdev(masses) if len(masses) > 1 else 0.0
    # A few weighings of the same product do not tell how much the next may differ.
    return fmean(masses), max(spread, 0.15 * PARTS[found[0][1]].mass_u, SCALE_U)


def usual_mass(kind: str, name: str = "", gauge_mm: float | None = None) -> tuple[float, float]:
    """(g, one standard uncertainty) of a part nobody weighed: this product's own weighings, what
    the shelf says of it, what its gauge and make say, or what is usual of its kind."""
    if own := weighed_here(name, kind):
        return own
    if each := above.each_g(name):
        return each, max(PARTS[kind].mass_u / 2, SCALE_U)
    made_of = stringing.made_of(name)
    if kind == "strings" and (gauge_mm or made_of):
        return stringing.fitted_mass(gauge_mm, made_of)
    return PARTS[kind].grams[1], PARTS[kind].mass_u


def products() -> list[tuple[str, str]]:
    """(name, ``overgrip, 5.1 g as weighed here``) of everything that was, then of what lies on the
    shelf by the piece."""
    named = FittedPart.objects.filter(is_weighed=True).exclude(name__in=("", UNNOTED))
    pairs = named.order_by("kind", "name").values_list("kind", "name").distinct()[:60]
    found = {}
    for kind, name in pairs:
        if own := weighed_here(name, kind):
            found[name] = f"{PARTS[kind].label}, {told('mass_g', own[0], 1)} as weighed here"
    lower = {name.lower() for name in found}
    for name, grams in above.rooms().products():
        if name.lower() not in lower:
            found[name] = f"on the shelf, {told('mass_g', grams, 1)} each"
    return list(found.items())
