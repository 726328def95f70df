"""``{{ price.all|money }}``: an amount with the shop's currency."""

from __future__ import annotations

from functools import cache
from typing import Any

from django import template
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from kentrobar.core.reader import fixed
from kentrobar.shop import places
from kentrobar.shop.logo import address
from kentrobar.shop.models import remembered
from kentrobar.shop.money import amount_of

register = template.Library()


@register.simple_tag
@cache
def zone_list() -> SafeString:
    """The time zones to choose from in a box with ``list="zones"``; written once."""
    options = format_html_join("", '<option value="{}">', ((name,) for name in places.zones()))
    return format_html('<datalist id="zones">{}</datalist>', options)


@register.simple_tag
def shop_logo() -> str:
    """The shop's logo, for the ``src`` of a picture; empty where there is none."""
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
