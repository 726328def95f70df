"""Finding rows by a few letters of what they are called."""

from __future__ import annotations

from functools import cached_property, reduce
from operator import or_
from typing import Any

from django.contrib.postgres.indexes import GinIndex, OpClass
from django.contrib.postgres.search import SearchVector
from django.core.paginator import Page, Paginator
from django.db.models import Index, Q, QuerySet
from django.db.models.functions import Upper

LONGEST = 60
FEW = 2000
"""Rows a search leaves of which the keys are taken along."""


def by_letters(field: str, name: str) -> GinIndex:
    """An index that finds a name by letters anywhere in it, and by one spelled much like it."""
    return _index(OpClass(Upper(field), name="gin_trgm_ops"), name)


def by_words(field: str, name: str) -> GinIndex:
    """An index that finds a text by its words."""
    return _index(SearchVector(field, config="english"), name)


def _index(of: OpClass | SearchVector, name: str) -> GinIndex:
    # Put into its place at once: what was written together, as a table that was read in, would
    # else lie in a heap every search goes through, until the server tidies it up.
    return GinIndex(of, name=name, fastupdate=False)


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


class Found(Paginator):
    """Pages of what a search leaves. Two or three letters are in no index: every row is looked at
    once, for its key, and not again for the count and for the page. Rows are ordered to the last
    by what they hold."""

    def __init__(self, rows: QuerySet[Any], per_page: int) -> None:
        super().__init__(rows, per_page)
        self.rows = rows

    @cached_property
    def keys(self) -> list[Any]:
        """In order; of more than ``FEW`` rows one too many."""
        return list(self.rows.values_list("pk", flat=True)[: FEW + 1])

    @cached_property
    def count(self) -> int:
        return len(self.keys) if len(self.keys) <= FEW else self.rows.count()

    def page(self, number: int | str) -> Page:
        asked = self.validate_number(number)
        if len(self.keys) > FEW:
            return super().page(asked)
        keys = self.keys[(asked - 1) * self.per_page : asked * self.per_page]
        return Page(self.rows.filter(pk__in=keys), asked, self)
