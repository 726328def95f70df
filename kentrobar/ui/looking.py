"""The same question is asked of the database once a page.

Parts of a page that know nothing of one another need the same rows: the views over it, a slot, the
form. While somebody only looks (GET, HEAD), an answer is remembered until the page is out; where
something is changed, every question is asked anew.
"""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar
from functools import wraps
from typing import Any, ParamSpec, TypeVar

from django.http import HttpRequest, HttpResponse

P = ParamSpec("P")
T = TypeVar("T")

_answers: ContextVar[dict[Any, Any] | None] = ContextVar("answers", default=None)


def cached_per_request(ask: Callable[P, T]) -> Callable[P, T]:
    """Remember an answer by what it is about, which must be hashable as rows with a key are. Who is
    given it must not change it."""

    @wraps(ask)
    def asked(*args: P.args, **kwargs: P.kwargs) -> T:
        answers = _answers.get()
        if answers is None:
            return ask(*args, **kwargs)
        about = (ask, args, tuple(kwargs.items()))
        try:
            known = about in answers
        except TypeError:
            return ask(*args, **kwargs)  # a row without a key is nobody else's
        if not known:
            answers[about] = ask(*args, **kwargs)
        found: T = answers[about]
        return found

    return asked


class Looking:
    """Middleware: what is remembered lasts for one page that is looked at."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method not in ("GET", "HEAD"):
            return self.get_response(request)
        before = _answers.set({})
        try:
            return self.get_response(request)
        finally:
            _answers.reset(before)
