"""``{{ price.all|money }}``: an amount with the shop's currency."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from django import template

from kentrobar.shop.logo import address
from kentrobar.shop.models import remembered

register = template.Library()
AMOUNT = re.compile(r"-?[0-9]{1,9}([.,][0-9]{1,20})?")


@register.simple_tag
def shop_logo() -> str:
    """The shop's mark, for the ``src`` of a picture; empty where there is none."""
    return address()


@register.filter
def money(amount: Any) -> str:
    """Two decimals and the currency, where the shop has said one; words as they were written, for a
    deposit may be “20, by card”, or a bag."""
    if amount is None:
        return ""
    if isinstance(amount, str):
        if not AMOUNT.fullmatch(amount.strip()):
            return amount
        amount = Decimal(amount.strip().replace(",", "."))
    return f"{amount:.2f} {remembered().currency}".strip()
