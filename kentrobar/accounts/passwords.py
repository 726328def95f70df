"""How passwords are kept: Argon2, which is slow for whoever guesses by the million, and quick for
whoever signs in.

What it costs: 19 MiB of memory gone through twice (the least that OWASP's Password Storage Cheat
Sheet, 2024, wants of Argon2id). A guess cannot do with less memory, which is what many guesses at
once run out of; Django's own first choice takes longer of a bench's machine than most of its pages.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from django.contrib.auth import hashers

LONGEST_WAIT_S = 8.0
MOST_WAITING = 16
"""Threads that may wait, of a process's 32; live figures hold 8 (``devices/stream.py``): a quarter
is always free for pages."""
_one_at_a_time = threading.Lock()
_places = threading.BoundedSemaphore(MOST_WAITING)


class PasswordBusyError(RuntimeError):
    """Too many passwords are being checked: this one was not looked at."""


@contextmanager
def _turn() -> Iterator[None]:
    """One at a time in a process: more would take the memory and the cores of everybody's page.
    Raises PasswordBusyError where the turn does not come."""
    if not _places.acquire(blocking=False):
        raise PasswordBusyError
    try:
        if not _one_at_a_time.acquire(timeout=LONGEST_WAIT_S):
            raise PasswordBusyError
        try:
            yield
        finally:
            _one_at_a_time.release()
    finally:
        _places.release()


class Argon2(hashers.Argon2PasswordHasher):
    """Whatever was kept otherwise is kept so when its owner next signs in."""

    time_cost = 2
    memory_cost = 19 * 1024
    parallelism = 1

    def encode(self, password: str, salt: str) -> str:
        with _turn():
            return super().encode(password, salt)

    def verify(self, password: str, encoded: str) -> bool:
        with _turn():
            return super().verify(password, encoded)
