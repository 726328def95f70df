"""``{{ price.all|money }}``: an amount with the shop's currency."""

from __future__ import annotations

from typing import Any

from django import template

from kentrobar.core.reader import fixed
from kentrobar.shop.logo import address
from kentrobar.shop.models import remembered
from kentrobar.shop.money import amount_of

register = template.Library()


@register.simple_tag
def shop_logo() -> str:
    """The shop's mark, for the ``src`` of a picture; empty where there is none."""
    return address()


@register.filter
def money(amount: Any) -> str:
    """Two decimals and the currency, where the shop has said one; words as they were written."""
    if amount is None:
        return ""
    if isinstance(amount, str):
        written, amount = amount, amount_of(amount, remembered().currency)
        if amount is None:
            return written
    return f"{fixed(amount, 2)} {remembered().currency}".strip()
