"""Finding rows by a few letters of what they are called."""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import Any

from django.contrib.postgres.indexes import GinIndex, OpClass
from django.db.models import Index, Q, QuerySet
from django.db.models.functions import Upper

LONGEST = 60


def by_letters(field: str, name: str) -> GinIndex:
    """An index that finds a name by letters anywhere in it, and by one spelled much like it."""
    return GinIndex(OpClass(Upper(field), name="gin_trgm_ops"), name=name)


def just_so(field: str, name: str) -> Index:
    """An index that finds a name written out, in either case."""
    return Index(Upper(field), name=name)


def wanted_of(text: str | None) -> str:
    """What somebody typed into a search box, fit to be searched for."""
    return (text or "").strip()[:LONGEST].replace("\0", "")


def holding(rows: QuerySet[Any], wanted: str, *fields: str) -> QuerySet[Any]:
    """The rows of which a field holds the text; all where it is empty."""
    return rows.filter(held_in(wanted, *fields)) if wanted else rows


def held_in(wanted: str, *fields: str) -> Q:
    """A field holds the text."""
    return reduce(or_, (Q(**{f"{field}__icontains": wanted}) for field in fields))
