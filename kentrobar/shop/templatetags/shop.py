"""``{{ price.all|money }}``: an amount with the shop's currency."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django import template

from kentrobar.shop.logo import address
from kentrobar.shop.models import remembered

register = template.Library()


@register.simple_tag
def shop_logo() -> str:
    """The shop's mark, for the ``src`` of a picture; empty where there is none."""
    return address()


@register.filter
def money(amount: Any) -> str:
    """Two decimals and the currency, where the shop has said one."""
    if amount in (None, ""):
        return ""
    return f"{Decimal(str(amount)):.2f} {remembered().currency}".strip()
