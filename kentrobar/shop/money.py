"""What people write where an amount of money is meant."""

from __future__ import annotations

import re
from decimal import Decimal

AMOUNT = re.compile(r"-?[0-9]{1,9}([.,][0-9]{1,20})?")


def amount_of(written: str, currency: str = "") -> Decimal | None:
    """The amount, with a point or a comma, and with the shop's currency or without; None for words,
    as a deposit may be “20, by card”, or a bag."""
    plain = written.strip()
    if currency:
        plain = re.sub(rf"(?i)^{re.escape(currency)}\s*|\s*{re.escape(currency)}\.?$", "", plain)
    if not AMOUNT.fullmatch(plain):
        return None
    return Decimal(plain.replace(",", "."))
