"""Amounts on the shelf as people say them: metres of tape, grams of putty, pieces."""

from django import template

from kentrobar.core.pieces.rolls import Cut, PerLength
from kentrobar.core.reader import digits, fixed
from kentrobar.stock.shelf import told

register = template.Library()


@register.filter
def per_metre(one: PerLength) -> str:
    return fixed(1000 * one.g_per_mm, 2)


@register.filter
def per_metre_u(one: PerLength) -> str:
    return digits(1000 * one.u, 2)


@register.filter
def of_cut(cut: Cut) -> str:
    value, u = cut.per_mm()
    return f"{fixed(1000 * value, 2)} ± {digits(1000 * u, 2)}"


@register.filter
def metres(per_mm: float) -> str:
    return fixed(1000 * per_mm, 2)


register.filter("amount", told)


@register.filter
def signed_amount(value: float, unit: str) -> str:
    return (
        f"{fixed(value / 1000, 2, True)} m" if unit == "mm" else f"{fixed(value, 1, True)} {unit}"
    )
