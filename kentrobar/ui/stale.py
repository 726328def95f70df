"""Two people at one form: whoever saves second is told what the first changed, before it is lost.

A form carries what its row was like when it was shown (``{% seen row %}``). Saving, the row is
held, and compared with that; saved once more, from the page that now shows what it is like, it
holds.
"""

from __future__ import annotations

from hashlib import sha256

from django.db.models import Model
from django.http import HttpRequest

FIELD = "row-as-shown"


def seen(row: Model) -> str:
    """What a row is like, field by field, in a few letters each."""
    return ",".join(f"{name}:{mark}" for name, mark in _marks(row).items())


def changed_meanwhile(request: HttpRequest, row: Model | None) -> str:
    """In words, what somebody else changed since the page was shown; '' where nobody did. Call
    inside a transaction: the row stays held until its end."""
    shown = request.POST.get(FIELD, "")
    if row is None or row.pk is None or not shown:
        return ""
    now = type(row)._base_manager.select_for_update(of=("self",)).filter(pk=row.pk).first()
    if now is None:
        return ""
    before = dict(part.partition(":")[::2] for part in shown.split(","))
    labels = {field.name: str(field.verbose_name) for field in now._meta.concrete_fields}
    others = [labels[name] for name, mark in _marks(now).items() if before.get(name, mark) != mark]
    if not others:
        return ""
    return (
        f"Somebody else changed this since you opened it: {', '.join(others)}. What you typed is"
        " here still; save again, and yours holds."
    )


def _marks(row: Model) -> dict[str, str]:
    return {
        field.name: sha256(repr(getattr(row, field.attname)).encode()).hexdigest()[:6]
        for field in row._meta.concrete_fields
        if field.editable and not field.primary_key
    }
