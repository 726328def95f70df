"""Room for the calls of one request, one piece of work, one test.

CPython keeps the frames of calls in pieces of 16 KiB, asked of the machine when one is full and
given back when it is empty. Where a loop calls to and fro over the end of a piece, each call asks
for memory and gives it back: up to some hundred times a page, and a quarter of the time of tests,
whose calls begin deeper.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
R = TypeVar("R")

WORDS = (1 << 17) + 1
"""Of a frame that is asked for: a piece is as large as the next power of two, 2 MiB, and what the
frame does not take of it, half, is for those it calls. Memory that nobody writes to costs none."""


def in_one_room(run: Callable[P, R], *arguments: P.args, **named: P.kwargs) -> R:
    """What it returns, its frames kept in one piece."""
    return run(*arguments, **named)


in_one_room.__code__ = in_one_room.__code__.replace(co_stacksize=WORDS)
