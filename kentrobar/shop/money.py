"""What people write where an amount of money is meant."""

from __future__ import annotations

import re
from decimal import Decimal

AMOUNT = re.compile(r"-?[0-9]{1,9}([.,][0-9]{1,20})?")


def amount_of(written: str) -> Decimal | None:
    """The amount, with a point or a comma; None for words, as a deposit may be “20, by card”, or a
    bag."""
    if not AMOUNT.fullmatch(written.strip()):
        return None
    return Decimal(written.strip().replace(",", "."))
