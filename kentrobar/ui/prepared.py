"""Questions asked of the database on many pages, whose SQL Django makes once."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import Any, Generic, TypeVar

from django.db import connection
from django.db.models import BooleanField, F, Func, Model, QuerySet, Value

M = TypeVar("M", bound=Model)

KEY = 2**53 - 111
"""Stands for what is asked about while the SQL is made; no row has it as its key."""


def among(field: str, keys: Any) -> Func:
    """Whether a field is one of several, as one parameter however many they are."""
    return Func(
        F(field), Value(keys), template="%(expressions)s)", arg_joiner=" = ANY(",
        output_field=BooleanField(),
    )  # fmt: skip


class _Prepared:
    """A question about a key, or about several (``among``). Nothing in it may depend on anything
    else."""

    def __init__(self, question: Callable[[Any], QuerySet[Any, Any]]) -> None:
        self.question = question

    def asked(self, about: Any) -> tuple[str, list[Any]]:
        sql, parameters = self._made
        return sql, [about if one == KEY else one for one in parameters]

    @cached_property
    def _made(self) -> tuple[str, tuple[Any, ...]]:
        made: tuple[str, tuple[Any, ...]] = self.question(KEY).query.sql_with_params()
        if KEY not in made[1]:
            raise TypeError("a prepared question must ask about its key")
        return made


class Prepared(_Prepared):
    """Answered in plain values."""

    def __call__(self, about: Any) -> list[tuple[Any, ...]]:
        with connection.cursor() as cursor:
            cursor.execute(*self.asked(about))
            return cursor.fetchall()


class PreparedRows(_Prepared, Generic[M]):
    """Answered in rows, to which nothing is joined."""

    def __init__(self, question: Callable[[Any], QuerySet[M]]) -> None:
        super().__init__(question)

    def __call__(self, about: Any) -> list[M]:
        return list(self._model._base_manager.raw(*self.asked(about)))

    @cached_property
    def _model(self) -> type[M]:
        return self.question(KEY).model
